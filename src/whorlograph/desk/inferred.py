"""What nobody sees but must be so that what is seen stands: latches, bistables, counters, timers, numbers behind given tags (docs/decisions/009)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import combinations

from msgspec import Struct

from whorlograph.engine.controller import Controller
from whorlograph.inquiry.circuit import Circuit, comparisons
from whorlograph.inquiry.last_right import upstream
from whorlograph.inquiry.writers import Kind, Writers
from whorlograph.inquiry.xref import Xref
from whorlograph.model.blocks import COUNTERS, family
from whorlograph.model.iolist import IoList
from whorlograph.model.tags import Instance, Leaf

MOST_TRIES, MOST_SLOW = 100, 8  # replays, by the compiled engine and by the plain one
MOST_PAIRED = 8  # memories of which two are taken at once
MOST_LOOKED_AT = 200  # tags behind one that would turn
_RUNNING = {"TON": 0, "TOF": 1, "TP": 1}  # what a timer's output is while it runs


class Memory(Struct, frozen=True):
    """A tag that remembers, and a raw value that it may have; ``runs``: it is a timer's output while it runs, which ends by itself."""

    tag: int
    value: int
    runs: bool = False


def inferred(controller: Controller, given: dict[int, int], turned: dict[int, int], settled: Callable[[int], int],
             tried: Callable[[tuple[Memory, ...]], dict[int, int]]) -> tuple[tuple[Memory, ...], dict[int, tuple[int, ...]]]:
    """Memories that let given tags stand which the program would turn otherwise: one for each where one is found, else two.

    Args: given: raw values by tag, of tags that the program writes; turned: those that it would turn; settled: what a tag came to; tried: which
        would be turned with some memories as they are handed.
    Returns: the memories; and by tag for which none were found those that would all together let it stand.
    """
    if not turned:
        return (), {}
    memories = _Memories(controller, given, settled)
    found: tuple[Memory, ...] = ()
    left, tries, able = set(turned), 0, dict[int, dict[int, Memory]]()
    for tag in turned:
        behind = [m for m in memories.behind(tag) if all(m.tag != f.tag for f in found)] if tag in left else []
        pairs = [(a, b) for a, b in combinations(behind[:MOST_PAIRED], 2) if a.tag != b.tag]
        for more in (*((one,) for one in behind), *pairs):
            tries += 1
            if tries > (MOST_SLOW if controller.plain else MOST_TRIES):
                break
            after = tried((*found, *more))
            if len(more) == 1 and more[0].tag not in after:
                able.setdefault(tag, {}).setdefault(more[0].tag, more[0])
            if tag not in after and set(after) < left:
                found, left = (*found, *more), set(after)
                break
    return found, {tag: tuple(able[tag]) for tag in left & able.keys() if tag not in tried((*found, *able[tag].values()))}


class _Memories:
    """What remembers in a program, and what it may be."""

    def __init__(self, controller: Controller, given: dict[int, int], settled: Callable[[int], int]) -> None:
        self.controller, self.given, self.settled = controller, given, settled
        self.decided_by = Xref(controller, IoList({})).decided_by
        blocks = [one for one in controller.running.instances() if one.pou is None and one.type_name]
        self.pins = {one.first + n: one for one in blocks for n in range(one.count)}
        self.writers = Writers(controller).by_tag
        self.called: dict[int, list[int]] = {}  # by step: the tags of the program's own blocks that it executes
        for number, one in enumerate(controller.running.instances()):
            for caller in controller.calls.callers.get(number, ()):
                self.called.setdefault(caller.step, []).extend(range(one.first, one.first + one.count))

    def behind(self, tag: int) -> Iterator[Memory]:
        """What may remember, of all that decides a tag, nearest first: each with the values that it has not come to by itself.

        Behind what is made to remember comes everything else: where its step does not run, it keeps its value too.
        """
        seen: set[int] = set()
        others: list[Memory] = []
        for one in (tag, *upstream(tag, self._not_given, MOST_LOOKED_AT)):
            for block in self._executed_for(one):
                if block.first not in seen:
                    seen.add(block.first)
                    yield from self._of_block(block)
            type_ = self.controller.running.tags[one].type
            if one == tag or one in self.pins:
                continue
            if type_.whole:
                yield from (Memory(one, value) for value in self._limits(one) if value != self.settled(one))
            elif type_.bits == 1:
                memory = Memory(one, 1 - self.settled(one))
                if self._remembers(one):
                    yield memory
                else:
                    others.append(memory)
        yield from others

    def _steps(self, tag: int) -> list[int]:
        """The steps that write a tag."""
        return list(dict.fromkeys(use.step for use in self.controller.access.of_tag(tag) if use.writes))

    def _not_given(self, tag: int) -> list[int]:
        """The tags that decide one and that the program writes, but for those given."""
        inside = (t for step in self._steps(tag) for t in self.called.get(step, ()))
        return [t for t in (*self.decided_by(tag), *inside) if t not in self.given and t in self.controller.written]

    def _remembers(self, tag: int) -> bool:
        """Whether a BOOL is a latch, or hangs on itself."""
        return any(w.kind in (Kind.SET, Kind.RESET) for w in self.writers.get(tag, ())) or any(
            write.may_be(tag) and any(r.may_be(tag) for r in reads)
            for step in self._steps(tag) for write, reads in self.controller.access.hangs_on(step))

    def _executed_for(self, tag: int) -> Iterator[Instance]:
        """The standard blocks that a tag is a pin of, or that steps execute which write it."""
        if tag in self.pins:
            yield self.pins[tag]
        for step in self._steps(tag):
            yield from (self.pins[t] for use in self.controller.access.of_step(step) if use.writes for t in use.tags() if t in self.pins)

    def _of_block(self, block: Instance) -> Iterator[Memory]:
        pin = {name: ref.tag for name, ref in block.scope.items() if isinstance(ref, Leaf)}
        kind = family(block.type_name)
        if kind in ("SR", "RS"):
            yield Memory(pin["q1"], 1 - self.settled(pin["q1"]))
        elif kind in COUNTERS:
            yield from (Memory(pin["cv"], value) for value in (self.settled(pin["pv"]), 0) if value != self.settled(pin["cv"]))
        elif kind in _RUNNING and self.settled(pin["q"]) != _RUNNING[kind]:
            yield Memory(pin["q"], _RUNNING[kind], runs=True)

    def _limits(self, tag: int) -> list[int]:
        """The values of a number on either side of the literals that it is compared with, those themselves first."""
        found: dict[int, None] = {}
        for use in self.controller.access.of_tag(tag):
            circuit = Circuit(self.controller.calls.code_of(use.step))
            for one in comparisons(circuit.step) if not use.writes else ():
                for looked, limit in ((one.args[0], circuit.literal(one.args[1])), (one.args[1], circuit.literal(one.args[0]))):
                    if limit is not None and isinstance(limit.value, int) and any(load.at == use.at for load in circuit.loads(looked)):
                        found[limit.value] = None
        type_ = self.controller.running.tags[tag].type
        near = [*found, *(v + 1 for v in found), *(v - 1 for v in found)]
        return [v for v in dict.fromkeys(near) if type_.low <= v <= type_.high]
