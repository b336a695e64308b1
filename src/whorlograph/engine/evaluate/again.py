"""One step of the code executed again on what it saw: every node's value, and what it wrote."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import suppress

from msgspec import Struct, field

from whorlograph.engine.code import (
    Action,
    Base,
    Body,
    Call,
    Code,
    Const,
    Copy,
    Edge,
    Expr,
    If,
    Instance,
    Invoke,
    Kind,
    Leave,
    Let,
    Load,
    Loop,
    Op,
    Order,
    Pass,
    Scope,
    Slot,
    Spot,
    Store,
    Taken,
    Target,
    Value,
)
from whorlograph.engine.nodes import loads
from whorlograph.model.blocks import STANDARD_BLOCKS, family
from whorlograph.model.literals import cooked, raw, single
from whorlograph.model.profile import Overflow
from whorlograph.model.types import ELEMENTARY, Elementary

from .operations import NoValue, converted, operation
from .sight import Sight, elapsed
from .supposed import supposed

MOST_PASSES = 100_000
PASSES_KEPT = 64  # of a write in a loop: the last that executed it


class Cell(Struct, frozen=True):
    """A cell that a node names, one bit of it where ``bit`` is not -1."""

    number: int
    bit: int = -1


Reference = Cell | Instance | None


class Place(Struct, frozen=True):
    """Where a body lies: what its cells and the steps of the instances inside it are counted from, and what its VAR_IN_OUT stand for."""

    own: int
    hidden: int
    first: int
    refs: tuple[Reference, ...] = ()


_CIRCUIT: dict[str, Callable[[list[Value]], bool]] = {"AND": all, "OR": any, "NOT": lambda args: not args[0]}  # of BOOL, which most steps are made of


def result_node(call: Call, slot: int) -> int:
    """Under which node a result of a function stands: the call's own for the last one, what it gives itself, else a number below -1."""
    return call.at if slot == call.results[-1][1] else -2 - slot


class LoopPass(Struct, frozen=True):
    """What stood at the nodes of a step when a write in a loop of it was executed: ``values``, ``cells`` and ``raws`` as in ``Result``."""

    values: dict[int, Value]
    cells: dict[int, Cell]
    raws: dict[int, Value]


class Result(Struct):
    """What a step did, by node: ``values`` of what was computed, ``cells`` of what was read or would be written (``raws`` as it was read),
    ``stored`` what was written there, whether or not that changed it, ``done`` the copies and calls that were executed.

    ``rows``: the changes it made, as (cell, raw value), those of functions that it called included; ``own``: what it left in the cells
    that it wrote. ``inner``: by step, what the functions that it called did last; ``handed``: what the VAR_IN_OUT of the bodies that it
    called stood for, by their first step. ``halted``: it did not come to its end. ``passes``: by node of a write in a loop, the last 64
    passes that executed it. ``would``: what the values in a branch that was not taken would have been, where nothing in the branch
    writes before what they look at; ``would_cells``: what they would have been read from.
    """

    values: dict[int, Value] = field(default_factory=dict)
    cells: dict[int, Cell] = field(default_factory=dict)
    raws: dict[int, Value] = field(default_factory=dict)
    stored: dict[int, Value] = field(default_factory=dict)
    done: set[int] = field(default_factory=set)
    rows: list[tuple[int, int]] = field(default_factory=list)
    own: dict[int, int] = field(default_factory=dict)
    inner: dict[int, Result] = field(default_factory=dict)
    handed: dict[int, tuple[Reference, ...]] = field(default_factory=dict)
    halted: bool = False
    passes: dict[int, list[LoopPass]] = field(default_factory=dict)
    would: dict[int, Value] = field(default_factory=dict)
    would_cells: dict[int, Cell] = field(default_factory=dict)


class _Left(Exception):
    """A scope is left."""

    def __init__(self, depth: int) -> None:
        super().__init__(depth)
        self.depth = depth


class Execution:
    """Executes steps of one body.

    Args: called: takes over what a body that was called left.
    """

    def __init__(self, code: Code, body: Body, place: Place, sight: Sight, mode: Overflow, called: Callable[[Call, Place], None]) -> None:
        self.code, self.body, self.place, self.sight, self.mode, self.called = code, body, place, sight, mode, called
        self.slots: dict[int, Value] = {}
        self.result = Result()
        self.actions: tuple[Action, ...] = ()
        self._blocks: Counter[Spot] | None = None
        self._loops = 0
        self._firsts = (0, place.own, place.hidden, place.own)  # by base

    def step(self, number: int) -> Result:
        """Execute one step."""
        actions = self.actions = self.body.steps[number].actions
        try:
            self.all(actions)
        except (NoValue, RecursionError):
            self.result.halted = True
        if self.result.halted or not all(map(_ALWAYS.__contains__, map(type, actions))):
            self.name_targets(actions)
        self.result.rows, self.result.own = self.sight.rows, self.sight.own
        return self.result

    def all(self, actions: tuple[Action, ...]) -> None:
        for one in actions:
            _DO[type(one)](self, one)

    # cells

    def cell(self, target: Target) -> Cell:
        """The cell that a target is now. Raises: NoValue where a subscript is out of range, or nothing is wired."""
        number = target.cell
        bit = target.low if target.width else -1
        for term in target.terms:
            index = int(self.value(term.index))
            if not term.low <= index <= term.high:
                raise NoValue
            number += (index - term.low) * term.stride
        if target.base == Base.PARAM:
            ref = self.place.refs[target.param] if target.param < len(self.place.refs) else None
            if isinstance(ref, Cell):
                return Cell(ref.number + number, bit if bit >= 0 else ref.bit)
            if isinstance(ref, Instance):
                return Cell(ref.own + number, bit)
            raise NoValue
        return Cell(number + self._firsts[target.base], bit)

    def held(self, cell: Cell, type_: str) -> Value:
        """What a cell holds."""
        number = cell.number
        bits = self.sight.beyond.memory(number) if number >= self.code.tags and self._remembers(number) else self.sight.read(number)
        if type_ == "BOOL" and cell.bit < 0:
            return bits != 0
        return bool(bits >> cell.bit & 1) if cell.bit >= 0 else cooked(bits, ELEMENTARY[type_])

    def _remembers(self, number: int) -> bool:
        """Whether a cell is one of the body's hidden ones that have no rows, and not yet written in this step."""
        own = number - self.place.hidden - self.body.inner
        return number >= self.code.tags and 0 <= own < len(self.body.hidden) and self.body.hidden[own].kind == Kind.MEMORY \
            and number not in self.sight.own

    def put(self, target: Target, value: Value) -> Cell:
        """Write a value."""
        cell = self.cell(target)
        if cell.bit >= 0:
            type_ = self.type_of(cell, target)
            if cell.bit < max(1, type_.bits):
                old = self.sight.read(cell.number) & ((1 << 64) - 1)
                bits = old | 1 << cell.bit if value else old & ~(1 << cell.bit)
                width = max(1, type_.bits)
                bits &= (1 << width) - 1
                self.sight.write(cell.number, bits - (1 << width) if (type_.low < 0 or width == 64) and bits >> (width - 1) else bits)
        elif target.base == Base.HIDDEN and self.body.hidden[target.cell - self.body.inner].kind == Kind.MEMORY:
            self.sight.own[cell.number] = raw(value, ELEMENTARY[target.type])  # no rows
        else:
            self.sight.write(cell.number, raw(value, ELEMENTARY[target.type]))
        return cell

    def type_of(self, cell: Cell, target: Target) -> Elementary:
        """The type of the whole cell that a bit is of."""
        return self.sight.running.tags[cell.number].type if cell.number < len(self.sight.running.tags) else ELEMENTARY[target.type]

    # values

    def value(self, one: Expr) -> Value:
        """An expression's value; noted at its node."""
        if isinstance(one, Slot):
            if one.number not in self.slots:
                raise NoValue
            return self.slots[one.number]
        if isinstance(one, Load):
            cell = self.cell(one.target)
            found = self.held(cell, one.target.type)
            self.result.cells[one.at], self.result.raws[one.at] = cell, found
        elif isinstance(one, Const):
            return single(float(one.value)) if one.type == "REAL" else one.value
        elif isinstance(one, Op) and one.type == "BOOL" and one.code in _CIRCUIT:
            found = _CIRCUIT[one.code]([self.value(a) for a in one.args])
        elif isinstance(one, Op):
            args = [self.value(a) for a in one.args]
            of = one.type if one.code in ("SEL", "MUX", "TEXT_WHOLE", "TEXT_REAL") else one.args[0].type
            found = operation(one.code, args, ELEMENTARY[of], self.mode)
        else:
            inner = self.value(one.value)
            found = converted(one, inner, ELEMENTARY[one.value.type], ELEMENTARY[one.type], self.mode)
        self.result.values[one.at] = found
        return found

    # actions

    def let(self, one: Let) -> None:
        self.slots[one.slot] = self.result.values[one.at] = self.value(one.value)

    def store(self, one: Store) -> None:
        value = self.value(one.value)
        self.result.cells[one.at] = self.put(one.target, value)
        self.result.values[one.at] = self.result.stored[one.at] = value
        if self._loops:
            kept = self.result.passes.setdefault(one.at, [])
            kept.append(LoopPass(dict(self.result.values), dict(self.result.cells), dict(self.result.raws)))
            del kept[:-PASSES_KEPT]

    def copy(self, one: Copy) -> None:
        self.result.done.add(one.at)
        to, source = self.cell(one.target).number, self.cell(one.source).number
        values = [self.sight.read(source + n) for n in range(one.cells)]
        for n, bits in enumerate(values):
            self.sight.write(to + n, bits)

    def edge(self, one: Edge) -> None:
        value = bool(self.value(one.value))
        cell = self.cell(one.memory)
        before = self.sight.read(cell.number)
        self.slots[one.slot] = self.result.values[one.at] = before != 2 and bool(before) != value and value == one.rising
        self.sight.write(cell.number, int(value))

    def branch(self, one: If) -> None:
        taken, other = (one.then, one.other) if self.value(one.test) else (one.other, one.then)
        if other and not self._loops:
            self._look_into(other)
        self.all(taken)

    def _look_into(self, actions: tuple[Action, ...]) -> None:
        """Note what the values in a branch that is not taken would be."""
        result, slots, sight = self.result, self.slots, self.sight
        own, rows, was = sight.own, sight.rows, sight.supposed
        self.result, self.slots = Result(), dict(slots)
        sight.own, sight.rows, sight.supposed = dict(own), list(rows), True
        try:
            self._would(actions, set(), True)
        finally:
            result.would |= self.result.values | self.result.raws
            result.would_cells |= self.result.cells
            self.result, self.slots = result, slots
            sight.own, sight.rows, sight.supposed = own, rows, was

    def _would(self, actions: tuple[Action, ...], unknown: set[int], always: bool) -> bool:
        """Whether what stands behind some actions can still be told.

        Args: unknown: the cells that they would have written by then, nobody knows with what; always: none of them stands under a condition.
        """
        for one in actions:
            if isinstance(one, (Let, If, Store)):
                found = self._if_known(one.at, one.test if isinstance(one, If) else one.value, unknown)
                if isinstance(one, Let) and found is not None:
                    self.slots[one.slot] = found
                elif isinstance(one, Store):
                    with suppress(NoValue):
                        if always and found is not None:
                            self.put(one.target, found)
                        else:
                            unknown.add(self.cell(one.target).number)
                elif isinstance(one, If) and not (self._would(one.then, unknown, False) and self._would(one.other, unknown, False)):
                    return False
            elif isinstance(one, Scope):
                if not self._would(one.actions, unknown, always):
                    return False
            elif isinstance(one, Invoke):
                if not always or not self._would_give(one, unknown):
                    return False
            elif not isinstance(one, (Leave, Taken, Order, Edge, Pass)):
                return False
        return True

    def _if_known(self, at: int, asked: Expr, unknown: set[int]) -> Value | None:
        """A value in a branch that is not taken, noted at its node; None where nobody knows what it looks at."""
        with suppress(NoValue, RecursionError):
            if unknown and any(self.cell(load.target).number in unknown for load in loads(asked)):
                return None
            self.result.values[at] = found = self.value(asked)
            return found
        return None

    def _would_give(self, one: Invoke, unknown: set[int]) -> bool:
        """Whether it can be told what a block in a branch that is not taken would give; if so, it is as if it had."""
        with suppress(NoValue):
            first = self.spot(one.where).own
            inputs, _ = STANDARD_BLOCKS[one.block]
            if not self._often(one.where) and unknown.isdisjoint(range(first, first + len(inputs))):
                self.invoke(one)
                return True
        return False

    def loop(self, one: Loop) -> None:
        self._loops += 1
        try:
            for _ in range(MOST_PASSES):
                self.all(one.actions)
        finally:
            self._loops -= 1
        raise NoValue

    def scope(self, one: Scope) -> None:
        try:
            self.all(one.actions)
        except _Left as left:
            if left.depth:
                raise _Left(left.depth - 1) from None

    def leave(self, one: Leave) -> None:
        raise _Left(one.depth)

    def taken(self, one: Taken) -> None:
        value = bool(self.value(one.value))
        self.result.values[one.at] = value
        self.sight.write(self.cell(one.cell).number, int(value))

    def nothing(self, one: Action) -> None:
        """An order to the controller, or that a pass begins, leaves no value."""

    def invoke(self, one: Invoke) -> None:
        """A standard block: what it left stands in the journal."""
        self.result.done.add(one.at)
        inputs, outputs = STANDARD_BLOCKS[one.block]
        first = self.spot(one.where).own
        if self._often(one.where):
            self._invoke_once(frozenset(range(first + len(inputs), first + len(inputs) + len(outputs))))
            return
        if self.sight.supposed:
            names = [name for name, _ in (*inputs, *outputs)]
            taken = {name: self.sight.read(first + i) for i, name in enumerate(names[:len(inputs)])}
            for name, bits in self._supposed(one.block, first, names, taken).items():
                self.sight.write(first + names.index(name), bits)
            return
        for pin in range(len(inputs), len(inputs) + len(outputs)):
            bits = self.sight.left(first + pin)
            if bits != self.sight.read(first + pin):
                self.sight.write(first + pin, bits)

    def _supposed(self, block: str, first: int, names: list[str], taken: dict[str, int]) -> dict[str, int]:
        """What a block that is not executed would give. Args: first: its first pin; names: of its pins in order; taken: what they would take in."""
        before = {name: self.sight.before(first + i) for i, name in enumerate(names) if name != "ET"}
        sight = self.sight
        return supposed(block, taken, before, lambda: elapsed(family(block), sight.journal, first, sight.position, sight.beyond.now()))

    def _often(self, where: Spot) -> bool:
        """Whether a block may be executed more than once in this step."""
        if self._blocks is None:
            self._blocks = Counter(_invoked(self.actions, False))
        return self._blocks[where] > 1

    def _invoke_once(self, outputs: frozenset[int]) -> None:
        """One of several executions of a block in the step: what it left are the rows that come next."""
        rows, mine = self.sight.made(), self.sight.rows
        while len(mine) < len(rows) and rows[len(mine)][0] in outputs:
            count = len(mine)
            self.sight.write(*rows[count])
            if len(mine) == count:
                break

    def spot(self, where: Spot) -> Place:
        """Where an instance lies. Raises: NoValue where nothing is wired to a VAR_IN_OUT."""
        if where.base == Base.GLOBAL:
            one = self.code.instances[where.own]
            return Place(one.own, one.hidden, one.first)
        if where.base == Base.PARAM:
            ref = self.place.refs[where.param] if where.param < len(self.place.refs) else None
            if not isinstance(ref, Instance):
                raise NoValue
            return Place(ref.own + where.own, ref.hidden + where.hidden, ref.first + where.step)
        return Place(self.place.own + where.own, self.place.hidden + where.hidden, self.place.first + where.step)

    def call(self, one: Call) -> None:
        self.result.done.add(one.at)
        body = self.code.bodies[one.body]
        refs = tuple(self.reference(r) for r in one.refs)
        if body.frame < 0:
            place = self.spot(one.where)
            self.result.handed[place.first] = refs
            self.called(one, place)
            return
        given = [(cell, raw(self.value(v), ELEMENTARY[v.type])) for cell, v in one.inputs]
        frame = self.code.instances[body.frame]
        inner = Execution(self.code, body, Place(frame.own, frame.hidden, frame.first, refs), self.sight, self.mode, self.called)
        for target, bits in body.resets:
            self.sight.own[frame.own + target.cell] = bits
        for cell, bits in given:
            self.sight.own[frame.own + cell] = bits
        inner.run(self.result.inner)
        for cell, slot, type_ in one.results:
            value = self.slots[slot] = cooked(self.sight.read(frame.own + cell), ELEMENTARY[type_])
            self.result.values[result_node(one, slot)] = value

    def run(self, results: dict[int, Result]) -> None:
        """Execute all steps of a function, with their jumps; each leaves its result. Raises: NoValue where it does not come to its end."""
        at, passes = 0, 0
        while at < len(self.body.steps):
            step = self.body.steps[at]
            self.result = results[self.place.first + at] = Result(inner=results)
            self.slots = {}
            self.all(step.actions)
            self.name_targets(step.actions)
            self.result.own = dict(self.sight.own)
            at = next((e.step for e in step.exits if self.value(e.test)), at + 1)
            passes += 1
            if passes > MOST_PASSES:
                raise NoValue

    def reference(self, ref: Target | Spot | None) -> Reference:
        """What is handed over for a VAR_IN_OUT."""
        if isinstance(ref, Target):
            return self.cell(ref)
        if isinstance(ref, Spot):
            place = self.spot(ref)
            return Instance("", -1, place.own, place.hidden, place.first, place.first)
        return None

    def name_targets(self, actions: tuple[Action, ...]) -> None:
        """Which cells nodes name that were not come to: what would have been written, and handed over."""
        for one in actions:
            try:
                if isinstance(one, If):
                    self.name_targets(one.then)
                    self.name_targets(one.other)
                elif isinstance(one, (Loop, Scope)):
                    self.name_targets(one.actions)
                elif isinstance(one, Store) and one.at not in self.result.cells:
                    self.result.cells[one.at] = self.cell(one.target)
                elif isinstance(one, Call) and one.refs and self.code.bodies[one.body].frame < 0:
                    self.result.handed.setdefault(self.spot(one.where).first, tuple(self.reference(r) for r in one.refs))
            except NoValue:
                continue


def _invoked(actions: tuple[Action, ...], often: bool) -> Iterator[Spot]:
    """The blocks that actions execute, those in loops twice."""
    for one in actions:
        if isinstance(one, Invoke):
            yield one.where
            if often:
                yield one.where
        elif isinstance(one, If):
            yield from _invoked((*one.then, *one.other), often)
        elif isinstance(one, (Loop, Scope)):
            yield from _invoked(one.actions, often or isinstance(one, Loop))


_ALWAYS = frozenset((Let, Store, Edge, Invoke, Taken))  # of a step made of these alone each is executed, and hands nothing over
_DO: dict[type, Callable[[Execution, object], None]] = {
    Let: Execution.let, Store: Execution.store, Copy: Execution.copy, Edge: Execution.edge, If: Execution.branch, Loop: Execution.loop,  # type: ignore[dict-item]
    Scope: Execution.scope, Leave: Execution.leave, Taken: Execution.taken, Invoke: Execution.invoke, Call: Execution.call,  # type: ignore[dict-item]
    Order: Execution.nothing, Pass: Execution.nothing}  # type: ignore[dict-item]
