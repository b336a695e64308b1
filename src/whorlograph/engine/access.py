"""Who reads and writes what, in which step, and which reads a write hangs on: read off the code, for every language (docs/decisions/004)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from enum import StrEnum
from functools import cached_property

from msgspec import Struct, field

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.tags import Running

from .calls import Calls
from .code import (
    Action,
    Base,
    Body,
    Call,
    Code,
    Convert,
    Copy,
    Edge,
    Expr,
    If,
    Instance,
    Invoke,
    Let,
    Load,
    Loop,
    Op,
    Scope,
    Slot,
    Spot,
    Store,
    Taken,
    Target,
)

Found = frozenset[int]
Handed = tuple[int, tuple[tuple[int, int], ...]]  # first cell, and (how many, distance) of subscripts
NOTHING: Found = frozenset()

_STRETCH = 64  # tags side by side, whose uses are looked for together


class How(StrEnum):
    """What a step does with a tag."""

    READ = "read"
    WRITE = "write"
    SUBSCRIPT = "subscript"
    PIN = "pin"  # of a block of the file: takes in
    BLOCK = "block"  # a standard block's own
    HANDED = "handed"  # to a VAR_IN_OUT


class Use(Struct, frozen=True, gc=False):
    """One use: the tag, or with ``terms`` (how many, distance) of subscripts any of the tags from it on; in which step, by which element,
    at which node of its body."""

    tag: int
    step: int
    element: int
    how: How
    writes: bool
    terms: tuple[tuple[int, int], ...] = ()
    at: int = -1

    def tags(self) -> Iterator[int]:
        """Every tag that it may be."""
        yield from _spread(self.tag, self.terms)

    def may_be(self, tag: int) -> bool:
        """Whether it may be a tag."""
        return tag == self.tag if not self.terms else any(tag == t for t in _near(tag, self.tag, self.terms))


def _spread(first: int, terms: tuple[tuple[int, int], ...]) -> Iterator[int]:
    if not terms:
        yield first
        return
    count, distance = terms[0]
    for i in range(count):
        yield from _spread(first + i * distance, terms[1:])


def _near(tag: int, first: int, terms: tuple[tuple[int, int], ...]) -> Iterator[int]:
    """The tag itself where it can be come to: larger distances first, as arrays lie."""
    rest = tag - first
    for count, distance in sorted(terms, key=lambda t: -t[1]):
        turn = min(count - 1, rest // distance) if distance else 0
        if turn < 0:
            return
        rest -= turn * distance
    if rest == 0:
        yield tag


class _Seen(Struct):
    """A use as a body has it, counted from its bases; ``hangs``: the numbers of the reads that a write hangs on."""

    base: int
    cell: int
    terms: tuple[tuple[int, int], ...]
    element: int
    how: How
    writes: bool
    hangs: Found = NOTHING
    param: int = -1
    at: int = -1


class _StepSeen(Struct):
    """A step as a body has it; ``flags``: by element of a jump, return or call, the reads that its condition hangs on."""

    uses: list[_Seen] = field(default_factory=list)
    flags: dict[int, Found] = field(default_factory=dict)


class Access:
    """The uses of a program's tags. A body that works on what is handed to it uses whatever its calls hand over.

    Args: mentioned: what a step that has no code names nevertheless, as uses.
    """

    def __init__(self, running: Running, calls: Calls, mentioned: Callable[[int], list[Use]]) -> None:
        self.running, self.calls, self.code, self.mentioned = running, calls, calls.code, mentioned
        self._handed: dict[int, list[list[Handed]]] = {}
        self._bodies: dict[int, list[_StepSeen]] = {}
        self._counts: dict[int, int] = {}
        for declared, one in zip(running.instances(), self.code.instances, strict=True):
            if one.body >= 0:
                self._counts.setdefault(one.body, declared.count)

    @cached_property
    def all(self) -> list[Use]:
        """Every use, in order of steps."""
        return [use for step in sorted(self.calls.instance_of) for use in self.of_step(step)]

    @cached_property
    def _by_tag(self) -> tuple[dict[int, list[int]], dict[int, list[tuple[Use, list[int]]]]]:
        """The places among all uses of those of one tag, and of those of a tag chosen while running: one of each choice, by stretches of tags."""
        single: dict[int, list[int]] = {}
        choices: dict[Handed, tuple[Use, list[int]]] = {}
        for n, use in enumerate(self.all):
            if use.terms:
                choices.setdefault((use.tag, use.terms), (use, []))[1].append(n)
            else:
                single.setdefault(use.tag, []).append(n)
        near: dict[int, list[tuple[Use, list[int]]]] = {}
        for choice in choices.values():
            first, last = choice[0].tag, choice[0].tag + sum((count - 1) * distance for count, distance in choice[0].terms)
            for stretch in range(first // _STRETCH, last // _STRETCH + 1):
                near.setdefault(stretch, []).append(choice)
        return single, near

    def of_tag(self, tag: int) -> list[Use]:
        """The uses of a tag, in order of steps, each once."""
        single, near = self._by_tag
        places = single.get(tag, []) + [n for use, places in near.get(tag // _STRETCH, ()) if use.may_be(tag) for n in places]
        return list(dict.fromkeys(self.all[n] for n in sorted(places)))

    def of_step(self, step: int) -> list[Use]:
        """The uses in one step, in order."""
        one = self.calls.instance(step)
        seen = self._step(one, step)
        if not seen.uses and not self.calls.code_of(step).actions:
            return self.mentioned(step)
        return [use for u in seen.uses for use in self._placed(u, step)]

    def hangs_on(self, step: int) -> list[tuple[Use, list[Use]]]:
        """The writes of a step, each with the reads that decide it."""
        uses = self._step(self.calls.instance(step), step).uses
        return [(write, self._reads(uses, u.hangs, step)) for u in uses if u.writes for write in self._placed(u, step)]

    def conditions(self, step: int) -> dict[int, list[Use]]:
        """By element of a jump, return or call: the reads that decide whether it is taken."""
        seen = self._step(self.calls.instance(step), step)
        return {element: self._reads(seen.uses, reads, step) for element, reads in seen.flags.items()}

    def _reads(self, uses: list[_Seen], numbers: Found, step: int) -> list[Use]:
        return [use for r in sorted(numbers) for use in self._placed(uses[r], step)]

    def _step(self, one: Instance, step: int) -> _StepSeen:
        if one.body not in self._bodies:
            body = self.code.bodies[one.body]
            self._bodies[one.body] = [_Walk(self.code, self._counts, body).step(s.actions) for s in body.steps]
        return self._bodies[one.body][step - one.first]

    def _placed(self, seen: _Seen, step: int) -> Iterator[Use]:
        """A use as one instance has it."""
        one = self.calls.instance(step)
        if seen.base != Base.PARAM:
            yield Use(seen.cell if seen.base == Base.GLOBAL else one.own + seen.cell, step, seen.element, seen.how, seen.writes, seen.terms, seen.at)
            return
        handed = self._given(self.calls.instance_of[step])
        for first, terms in handed[seen.param] if seen.param < len(handed) else ():
            yield Use(first + seen.cell, step, seen.element, seen.how, seen.writes, terms + seen.terms, seen.at)

    def stands_for(self, step: int, param: int) -> int | None:
        """The first cell that a VAR_IN_OUT of a step's body stands for at each of its calls; None where they are several, or a subscript chooses."""
        handed = self._given(self.calls.instance_of[step])
        found = handed[param] if 0 <= param < len(handed) else []
        return found[0][0] if len(found) == 1 and not found[0][1] else None

    def _given(self, number: int) -> list[list[Handed]]:
        """For each VAR_IN_OUT of an instance: (first cell, subscripts) of all that its calls hand over."""
        if number not in self._handed:
            one = self.code.instances[number]
            found = self._handed[number] = [[] for _ in self.code.bodies[one.body].params]
            for caller in self.calls.callers.get(number, ()):
                outer = self.calls.instance(caller.step)
                for param, ref in zip(found, caller.call.refs, strict=False):
                    if ref is None:
                        continue
                    terms = _key(ref)[2] if isinstance(ref, Target) else ()
                    cell = ref.cell if isinstance(ref, Target) else ref.own
                    for first, more in self._bases(ref, outer, cell):
                        if (first, more + terms) not in param:
                            param.append((first, more + terms))
        return self._handed[number]

    def _bases(self, ref: Target | Spot, outer: Instance, cell: int) -> Iterator[Handed]:
        if ref.base == Base.PARAM:
            above = self._given(self.calls.number_of(outer.first))
            yield from ((first + cell, terms) for first, terms in (above[ref.param] if ref.param < len(above) else ()))
        elif ref.base == Base.GLOBAL:
            yield (self.code.instances[cell].own if isinstance(ref, Spot) else cell), ()
        elif ref.base == Base.OWN:
            yield outer.own + cell, ()


class _Walk:
    """Follows values through one step: each slot and each cell that it wrote hangs on reads, by their number."""

    def __init__(self, code: Code, counts: dict[int, int], body: Body) -> None:
        self.code, self.counts, self.body = code, counts, body
        self.found = _StepSeen()
        self.slots: dict[int, Found] = {}
        self.cells: dict[tuple[int, int, int], Found] = {}
        self.blocks: list[tuple[int, int, int, Found, int]] = []  # base, first cell, behind, what its outputs hang on, element
        self.pins: set[int] = set()

    def step(self, actions: tuple[Action, ...]) -> _StepSeen:
        self.all(actions, NOTHING)
        if self.pins:  # what a standard block is given is the block's own affair
            kept = [n for n in range(len(self.found.uses)) if n not in self.pins]
            number = {old: new for new, old in enumerate(kept)}
            uses = [self.found.uses[n] for n in kept]
            for use in uses:
                use.hangs = frozenset(number[r] for r in use.hangs if r in number)
            self.found.uses = uses
            self.found.flags = {e: frozenset(number[r] for r in reads if r in number) for e, reads in self.found.flags.items()}
        return self.found

    def element(self, at: int) -> int:
        return self.body.origins[at].element if 0 <= at < len(self.body.origins) else 0

    def all(self, actions: tuple[Action, ...], guard: Found) -> None:
        for one in actions:
            self.action(one, guard)

    def action(self, one: Action, guard: Found) -> None:
        if isinstance(one, (Let, Edge)):
            self.slots[one.slot] = self.value(one.value)
        elif isinstance(one, Store):
            self.write(one.target, self.value(one.value) | guard, one.at, bool(guard))
        elif isinstance(one, Copy):
            hangs = guard
            for n in range(one.cells):
                hangs |= self.read(_part(one.source, n), one.at)
            for n in range(one.cells):
                self.write(_part(one.target, n), hangs, one.at, False)
        elif isinstance(one, If):
            inner = guard | self.value(one.test)
            self.all(one.then, inner)
            self.all(one.other, inner)
        elif isinstance(one, (Loop, Scope)):
            self.all(one.actions, guard)
        elif isinstance(one, Invoke):
            self.invoke(one, guard)
        elif isinstance(one, Call):
            self.call(one, guard)
        elif isinstance(one, Taken):
            self.found.flags[self.element(one.at)] = self.value(one.value) | guard

    # cells

    def value(self, one: Expr) -> Found:
        """The reads that a value hangs on."""
        if isinstance(one, Load):
            return self.read(one.target, one.at)
        if isinstance(one, Slot):
            return self.slots.get(one.number, NOTHING)
        if isinstance(one, Op):
            return NOTHING.union(*(self.value(a) for a in one.args))
        return self.value(one.value) if isinstance(one, Convert) else NOTHING

    def subscripts(self, target: Target, at: int) -> Found:
        found = NOTHING
        for term in target.terms:
            before = len(self.found.uses)
            found |= self.value(term.index)
            for use in self.found.uses[before:]:
                use.how = How.SUBSCRIPT
        return found

    def read(self, target: Target, at: int) -> Found:
        hangs = self.subscripts(target, at) | self.cells.get((target.base, target.cell, target.param), NOTHING)
        for base, first, behind, given, element in self.blocks:
            if target.base == base and first <= target.cell < behind:
                hangs |= given
                if element == self.element(at):
                    return hangs  # a wire from a block's own output
        if target.base in (Base.HIDDEN, Base.FRAME):
            return hangs
        return hangs | {self.note(target, at, How.READ, False, NOTHING)}

    def write(self, target: Target, hangs: Found, at: int, guarded: bool) -> None:
        hangs |= self.subscripts(target, at)
        key = (target.base, target.cell, target.param)
        self.cells[key] = hangs | (self.cells.get(key, NOTHING) if guarded or target.terms else NOTHING)
        if target.base not in (Base.HIDDEN, Base.FRAME):
            self.note(target, at, How.WRITE, True, hangs)

    def note(self, target: Target, at: int, how: How, writes: bool, hangs: Found) -> int:
        self.found.uses.append(_Seen(target.base, target.cell, _key(target)[2], self.element(at), how, writes, hangs, target.param, at))
        return len(self.found.uses) - 1

    # blocks and calls

    def given(self, base: int, first: int, behind: int, at: int) -> Iterator[int]:
        """The numbers of the writes by which an element gives its block what goes in."""
        for n, use in enumerate(self.found.uses):
            if use.writes and use.base == base and first <= use.cell < behind and use.element == self.element(at):
                yield n

    def invoke(self, one: Invoke, guard: Found) -> None:
        inputs, outputs = STANDARD_BLOCKS[one.block]
        base, first = placed(one.where, self.code)
        behind = first + len(inputs) + len(outputs)
        hangs = guard
        for cell in range(first, first + len(inputs)):
            hangs |= self.cells.get((base, cell, one.where.param), NOTHING)
        self.pins |= set(self.given(base, first, behind, one.at))
        self.blocks.append((base, first, behind, hangs, self.element(one.at)))
        if base != Base.FRAME:
            for n in range(len(inputs) + len(outputs)):
                pin = self.cells.get((base, first + n, one.where.param), guard) if n < len(inputs) else hangs
                self.note(Target(base, first + n, "", (), 0, 0, one.where.param), one.at, How.BLOCK, True, pin)

    def call(self, one: Call, guard: Found) -> None:
        hangs = guard.union(*(self.value(v) for _, v in one.inputs))
        handed = []
        for ref, at in zip(one.refs, one.nodes or (one.at,) * len(one.refs), strict=True):
            if isinstance(ref, Target):
                hangs |= self.read(ref, at)
                if ref.base not in (Base.HIDDEN, Base.FRAME):
                    self.found.uses[-1].how = How.HANDED
                handed.append((ref, at))
        base, first = placed(one.where, self.code)
        behind = first + self.counts.get(one.body, 0)
        if self.code.bodies[one.body].frame < 0:
            hangs = hangs.union(*(h for (b, cell, _), h in self.cells.items() if b == base and first <= cell < behind))
            for n in self.given(base, first, behind, one.at):
                self.found.uses[n].how = How.PIN
            self.blocks.append((base, first, behind, hangs, self.element(one.at)))
        for _, slot, _ in one.results:
            self.slots[slot] = hangs
        for ref, at in handed:
            self.cells[ref.base, ref.cell, ref.param] = hangs
            if ref.base not in (Base.HIDDEN, Base.FRAME):
                self.note(ref, at, How.HANDED, True, hangs)


def _part(target: Target, n: int) -> Target:
    return Target(target.base, target.cell + n, target.type, target.terms, target.low, target.width, target.param)


Key = tuple[int, int, tuple[tuple[int, int], ...], int]  # base, cell, subscripts, VAR_IN_OUT


def written_tags(code: Code) -> set[int]:
    """The tags that some step writes: no more is asked when a program is loaded."""
    bodies: dict[int, set[Key]] = {}

    def of_body(number: int) -> set[Key]:
        if number not in bodies:
            bodies[number] = set()
            found: set[Key] = set()
            for step in code.bodies[number].steps:
                _writes(step.actions, code, of_body, found)
            bodies[number] = found
        return bodies[number]

    found: set[int] = set()
    for one in code.instances:
        for base, cell, terms, _ in of_body(one.body) if one.body >= 0 else ():
            if base in (Base.GLOBAL, Base.OWN):
                found.update(_spread(cell + (one.own if base == Base.OWN else 0), terms))
    return found


def _writes(actions: tuple[Action, ...], code: Code, of_body: Callable[[int], set[Key]], found: set[Key]) -> None:
    """Add what a step writes, and what bodies that it calls write of what it hands over."""
    for one in actions:
        if isinstance(one, Store):
            found.add(_key(one.target))
        elif isinstance(one, If):
            _writes(one.then, code, of_body, found)
            _writes(one.other, code, of_body, found)
        elif isinstance(one, (Loop, Scope)):
            _writes(one.actions, code, of_body, found)
        elif isinstance(one, Copy):
            base, cell, terms, param = _key(one.target)
            found.update((base, cell + n, terms, param) for n in range(one.cells))
        elif isinstance(one, Invoke):
            inputs, outputs = STANDARD_BLOCKS[one.block]
            base, first = placed(one.where, code)
            found.update((base, first + n, (), one.where.param) for n in range(len(inputs) + len(outputs)))
        elif isinstance(one, Call):
            found.update(_key(ref) for ref in one.refs if isinstance(ref, Target))
            for base, cell, terms, param in of_body(one.body):
                ref = one.refs[param] if base == Base.PARAM and param < len(one.refs) else None
                if isinstance(ref, Spot):
                    outer, first = placed(ref, code)
                    found.add((outer, first + cell, terms, ref.param))
                elif ref is not None:
                    outer, first, more, through = _key(ref)
                    found.add((outer, first + cell, more + terms, through))


def _key(target: Target) -> Key:
    return target.base, target.cell, tuple((t.high - t.low + 1, t.stride) for t in target.terms) if target.terms else (), target.param


def placed(spot: Spot, code: Code) -> tuple[int, int]:
    """The base and first cell of an instance."""
    return (Base.GLOBAL, code.instances[spot.own].own) if spot.base == Base.GLOBAL else (spot.base, spot.own)
