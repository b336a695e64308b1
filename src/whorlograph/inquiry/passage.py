"""The ways through a body: which steps may run after which in one run of it, with its jumps and returns."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from functools import cached_property

from whorlograph.engine.calls import Exit, every
from whorlograph.engine.code import Taken

from .tracer import Tracer

MOST = 400  # sets of steps for which the ways without them are kept
LONGEST = 20_000  # steps of a body for which it is known which may run after which


class Passage:
    """The ways through one instance's body, by numbers of steps; what is behind its last step is its end."""

    def __init__(self, tracer: Tracer, number: int) -> None:
        one, exits = tracer.controller.code.instances[number], tracer.controller.calls.exits[number]
        self.first = one.first
        self.end = one.first + len(tracer.controller.code.bodies[one.body].steps)
        always = {e.step for e in exits if _always(tracer, e)}
        self._after: list[list[int]] = [[] if step in always else [step + 1] for step in range(self.first, self.end)]
        for leaving in exits:
            self._after[leaving.step - self.first].append(leaving.target)
        self._without: dict[frozenset[int], tuple[set[int], set[int]]] = {}
        self._before: list[list[int]] = [[] for _ in range(self.end - self.first + 1)]
        for place, steps in enumerate(self._after):
            for step in steps:
                self._before[step - self.first].append(self.first + place)

    def both_run(self, one: int, other: int) -> bool:
        """Whether two steps may both run in one run; True also where the body is too long to look."""
        if self.end - self.first > LONGEST:
            return True
        a, b = one - self.first, other - self.first
        runs = self._behind[0] | 1
        return bool(runs >> a & runs >> b & 1 and (self._behind[a] >> b | self._behind[b] >> a) & 1)

    def passes_by(self, leaving: Exit, writing: Collection[int]) -> bool:
        """Whether a run that takes a jump or return may come to its end without any of some steps."""
        come, gone = self._ways_without(frozenset(writing))
        return leaving.step in come and leaving.target in gone

    @cached_property
    def _behind(self) -> list[int]:
        """By step of the body: a bit for each that may run after it."""
        found = [0] * (len(self._after) + 1)
        turned = True
        while turned:  # once for jumps ahead; again while a jump back makes more of it
            turned = False
            for step in range(len(self._after) - 1, -1, -1):
                bits = found[step]
                for other in self._after[step]:
                    bits |= found[other - self.first] | 1 << other - self.first
                turned, found[step] = turned or bits != found[step], bits
        return found

    def _ways_without(self, without: frozenset[int]) -> tuple[set[int], set[int]]:
        """Which steps a run may come to, and from which it may come to the end, without some."""
        if without not in self._without:
            if len(self._without) >= MOST:
                self._without.clear()
            self._without[without] = self._reached([self.first], self._after, without), self._reached([self.end], self._before, without)
        return self._without[without]

    def _reached(self, from_: Iterable[int], ways: list[list[int]], without: Collection[int]) -> set[int]:
        left, found = [step for step in from_ if step not in without], set[int]()
        while left:
            step = left.pop()
            if step in found:
                continue
            found.add(step)
            if step - self.first < len(ways):
                left += [one for one in ways[step - self.first] if one not in without]
        return found


def _always(tracer: Tracer, leaving: Exit) -> bool:
    """Whether a jump or return has no condition."""
    circuit = tracer.circuit(leaving.step)
    return any(isinstance(action, Taken) and any(not path for path in circuit.paths(action.value))
               for action in every(tracer.controller.calls.code_of(leaving.step).actions))
