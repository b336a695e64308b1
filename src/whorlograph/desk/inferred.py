"""What nobody sees but must be so that what is seen stands: latches, bistables, counters, timers, numbers behind given tags (docs/decisions/009)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from itertools import combinations

from msgspec import Struct

from whorlograph.engine.access import How
from whorlograph.engine.code import Base, Const, Load
from whorlograph.engine.controller import Controller
from whorlograph.inquiry.circuit import Circuit, comparisons
from whorlograph.inquiry.writers import Kind, Writers
from whorlograph.model.blocks import COUNTERS, family
from whorlograph.model.program import PouKind, VariableKind
from whorlograph.model.tags import Instance, Leaf

MOST_TRIES, MOST_SLOW = 100, 8  # replays, by the compiled engine and by the plain one
MOST_PAIRED = 8  # memories of which two are taken at once
MOST_LOOKED_AT = 200  # tags behind one that would turn
DEEP = 12  # steps behind it
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
    """What remembers in a program: what each step looks at, the pins of its own blocks too, and by tag the steps that write it."""

    def __init__(self, controller: Controller, given: dict[int, int], settled: Callable[[int], int]) -> None:
        self.controller, self.given, self.settled = controller, given, settled
        blocks = [one for one in controller.running.instances() if one.pou is None and one.type_name]
        self.pins = {one.first + n: one for one in blocks for n in range(one.count)}
        self.writers = Writers(controller).by_tag
        given_back = dict(_outputs(controller))
        self.reads: dict[int, dict[int, None]] = {}
        self.readers: dict[int, dict[int, None]] = {}
        self.writes: dict[int, list[int]] = {}
        for use in controller.access.all:
            read = self.reads.setdefault(use.step, {})
            for one in use.tags():
                if not use.writes or use.how is How.HANDED or one in self.pins:
                    read[one] = None
                    self.readers.setdefault(one, {})[use.step] = None
                if use.writes:
                    read |= dict.fromkeys(given_back.get(one, ()))
                    self.writes.setdefault(one, []).append(use.step)

    def behind(self, tag: int) -> Iterator[Memory]:
        """What may remember, of all that decides a tag, nearest first: each with the values that it has not come to by itself.

        Behind what is made to remember comes everything else: where its step does not run, it keeps its value too.
        """
        seen: set[int] = set()
        others: list[Memory] = []
        for one in self._looked_at(tag):
            block = self.pins.get(one)
            if block is not None and block.first not in seen:
                seen.add(block.first)
                yield from self._of_block(block)
            elif block is None and self.controller.running.tags[one].type.whole:
                yield from (Memory(one, value) for value in self._limits(one) if value != self.settled(one))
            elif block is None and one != tag and self.controller.running.tags[one].type.bits == 1:
                kinds, memory = {w.kind for w in self.writers.get(one, ())}, Memory(one, 1 - self.settled(one))
                if kinds & {Kind.SET, Kind.RESET} or one in self._looked_at(one, 1):
                    yield memory
                else:
                    others.append(memory)
        yield from others

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
        for step in self.readers.get(tag, ()):
            circuit = Circuit(self.controller.calls.code_of(step))
            for one in comparisons(circuit.step):
                for looked, limit in ((one.args[0], circuit.literal(one.args[1])), (one.args[1], circuit.literal(one.args[0]))):
                    if limit is not None and isinstance(limit.value, int) and tag in self._cells(step, circuit.loads(looked)):
                        found[limit.value] = None
        type_ = self.controller.running.tags[tag].type
        near = [*found, *(v + 1 for v in found), *(v - 1 for v in found)]
        return [v for v in dict.fromkeys(near) if type_.low <= v <= type_.high]

    def _cells(self, step: int, loads: Iterable[Load | Const]) -> set[int]:
        """The tags that some loads of a step name plainly."""
        calls = self.controller.calls
        own = self.controller.code.instances[calls.instance_of[step]].own
        plain = [one.target for one in loads if isinstance(one, Load) and not one.target.terms]
        return {t.cell if t.base == Base.GLOBAL else own + t.cell for t in plain if t.base in (Base.GLOBAL, Base.OWN)}

    def _looked_at(self, tag: int, deep: int = DEEP) -> list[int]:
        """The tags, not given, that what writes a tag looks at, and what writes those, nearest first. Args: deep: how far."""
        found: dict[int, None] = {}
        last = [tag]
        for _ in range(deep):
            near = dict.fromkeys(r for one in last for step in self.writes.get(one, ()) for r in self.reads.get(step, ()))
            last = [r for r in near if r not in found and r not in self.given and r in self.controller.written]
            found |= dict.fromkeys(last)
            if not last or len(found) > MOST_LOOKED_AT:
                break
        return list(found)


def _outputs(controller: Controller) -> Iterator[tuple[int, tuple[int, ...]]]:
    """By each input of the program's own blocks: what the block gives back."""
    for one in controller.running.instances():
        if one.pou is not None and one.pou.kind is PouKind.FUNCTION_BLOCK:
            tags = {v.name.lower(): ref.tag for v in one.pou.variables if isinstance(ref := one.scope.get(v.name.lower()), Leaf)}
            outputs = tuple(tags[v.name.lower()] for v in one.pou.variables if v.kind is VariableKind.OUTPUT and v.name.lower() in tags)
            yield from ((tags[v.name.lower()], outputs) for v in one.pou.variables if v.kind is VariableKind.INPUT and v.name.lower() in tags)
