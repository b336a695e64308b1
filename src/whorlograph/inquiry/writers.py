"""What writes a tag, read off the code: coils, latches, values moved, pins and outputs of blocks."""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum
from functools import cached_property

from msgspec import Struct, field

from whorlograph.engine.access import How, placed
from whorlograph.engine.code import Action, Base, Call, Code, Const, Copy, Expr, If, Invoke, Let, Loop, Op, Order, Scope, Slot, Store, Taken
from whorlograph.engine.controller import Controller
from whorlograph.model.blocks import STANDARD_BLOCKS


class Kind(StrEnum):
    """How a step writes."""

    COIL = "coil"  # in every evaluation, on or off
    SET = "set"
    RESET = "reset"
    VALUE = "value"  # a number, or a BOOL only under a condition
    PIN = "pin"  # of a block, what goes in
    BLOCK = "block"  # a standard block its outputs


class Writer(Struct, frozen=True):
    """A node that writes a tag.

    ``power``: what decides, where the kind is COIL (``inverted``: the tag is on without it), SET or RESET; ``guards``: the conditions
    under which a value or pin is written; ``value``: what is written. ``bit``: of a number, -1 the whole.
    """

    step: int
    at: int
    element: int
    kind: Kind
    power: Expr | None = None
    inverted: bool = False
    guards: tuple[Expr, ...] = ()
    value: Expr | None = None
    bit: int = -1

    @property
    def guard(self) -> Expr | None:
        """The condition under which it is written; None where it always is."""
        return every_of(self.guards)


class BlockCall(Struct, frozen=True):
    """A standard block as a step executes it: the number of its first pin, what goes in by pin, and the conditions for it.

    ``kind`` names it without its type: TON, CTU.
    """

    step: int
    at: int
    element: int
    kind: str
    first: int
    pins: dict[str, Expr] = field(default_factory=dict)
    guards: tuple[Expr, ...] = ()

    @property
    def tags(self) -> dict[str, int]:
        """The number of each pin."""
        inputs, outputs = STANDARD_BLOCKS[self.kind]
        return {name: self.first + n for n, (name, _) in enumerate((*inputs, *outputs))}

    @property
    def guard(self) -> Expr | None:
        """The condition under which it is executed; None where it always is."""
        return every_of(self.guards)


def every_of(guards: tuple[Expr, ...]) -> Expr | None:
    """All conditions together."""
    if not guards:
        return None
    return guards[0] if len(guards) == 1 else Op("AND", "BOOL", guards, -1)


class Writers:
    """All writers of a program."""

    def __init__(self, controller: Controller) -> None:
        self.access, self.calls, self.order = controller.access, controller.calls, controller.calls.order
        self.code: Code = controller.code
        self._steps: dict[int, dict[int, tuple[Action, tuple[Expr, ...]]]] = {}
        self._turns: dict[int, tuple[int, ...]] = {}

    @cached_property
    def by_tag(self) -> dict[int, list[Writer]]:
        """By tag: what writes it, in order of execution."""
        found: dict[int, dict[Writer, None]] = {}
        for use in self.access.all:
            if use.writes and use.how is not How.HANDED:  # the called body has the node that writes
                writer = self.writer(use.step, use.at, use.element, use.how)
                for tag in use.tags() if writer is not None else ():
                    found.setdefault(tag, {})[writer] = None  # type: ignore[index]
        return {tag: sorted(self._without_takers(tag, list(writers)), key=self.turn) for tag, writers in found.items()}

    def turn(self, writer: Writer) -> tuple[int, ...]:
        """A writer's turn in one pass over the program: the step and node of each call down to its body, then its own; of several calls the first."""
        return *self._turn_of(writer.step), int(self.order[writer.step]), writer.at

    def _turn_of(self, step: int) -> tuple[int, ...]:
        number = self.calls.instance_of.get(step, -1)
        if number not in self._turns:
            callers = [(self._turn_of(c.step), int(self.order[c.step]), c.call.at) for c in self.calls.callers.get(number, ())]
            above, *call = min(callers, default=((),))
            self._turns[number] = (*above, *call)
        return self._turns[number]

    def _without_takers(self, tag: int, writers: list[Writer]) -> list[Writer]:
        """The writers of a tag but for a block that takes in what another step has written to its pin."""
        blocks = [w for w in writers if w.kind is Kind.BLOCK]
        if len(blocks) == len(writers):
            return writers
        steps = {w.step for w in writers if w.kind is not Kind.BLOCK}
        return [w for w in writers if w.kind is not Kind.BLOCK or w.step in steps or not self._takes(w, tag)]

    def _takes(self, writer: Writer, tag: int) -> bool:
        """Whether a tag is an input pin of the standard block that a writer executes."""
        call = self.block(writer.step, writer.at)
        return call is not None and 0 <= tag - call.first < len(STANDARD_BLOCKS[call.kind][0])

    def nodes(self, step: int) -> dict[int, tuple[Action, tuple[Expr, ...]]]:
        """The actions of a step by their node, each with the conditions around it."""
        if step not in self._steps:
            self._steps[step] = {one.at: (one, guards) for one, guards in _guarded(self.calls.code_of(step).actions, ())
                                 if isinstance(one, (Store, Invoke, Call, Copy))}
        return self._steps[step]

    def writer(self, step: int, at: int, element: int, how: How) -> Writer | None:
        """A use as a writer; None where a step that has no code only names the tag."""
        one, guards = self.nodes(step).get(at, (None, ()))
        if isinstance(one, (Invoke, Call)):
            return Writer(step, at, element, Kind.BLOCK, guards=guards)
        if isinstance(one, Copy):
            return Writer(step, at, element, Kind.VALUE, guards=guards)
        if not isinstance(one, Store):
            return None
        bit, value = one.target.low if one.target.width else -1, one.value
        if how is How.PIN:
            return Writer(step, at, element, Kind.PIN, None, False, guards, value, bit)
        if guards and isinstance(value, Const) and value.type == "BOOL":
            return Writer(step, at, element, Kind.SET if value.value else Kind.RESET, every_of(guards), False, guards, value, bit)
        if guards or value.type != "BOOL":
            return Writer(step, at, element, Kind.VALUE, None, False, guards, value, bit)
        if isinstance(value, Op) and value.code == "NOT" and value.at == at:
            return Writer(step, at, element, Kind.COIL, value.args[0], True, (), value, bit)
        return Writer(step, at, element, Kind.COIL, value, False, (), value, bit)

    def guards(self, step: int, store: Store) -> Expr | None:
        """The conditions around a write of a step; None where there are none."""
        return next((every_of(guards) for one, guards in _guarded(self.calls.code_of(step).actions, ()) if one is store), None)

    def flag_power(self, step: int, element: int) -> Expr | None:
        """What decides whether a jump, return or call is taken."""
        everything = list(_guarded(self.calls.code_of(step).actions, ()))
        found = next((one.value for one, _ in everything if isinstance(one, Taken) and self._element(step, one.at) == element), None)
        if not isinstance(found, Slot):
            return found
        # In a text it is noted where it is come to: the conditions around that decide.
        ways = [every_of(guards) or one.value for one, guards in everything
                if isinstance(one, Let) and one.slot == found.number and isinstance(one.value, Const) and one.value.value is True]
        return ways[0] if len(ways) == 1 else Op("OR", "BOOL", tuple(ways), -1) if ways else found

    def orders(self, what: str, task: int) -> list[Writer]:
        """The steps that order something for a task: hold or release."""
        found = []
        for step in range(len(self.calls.instance_of)):
            for one, guards in _guarded(self.calls.code_of(step).actions, ()):
                if isinstance(one, Order) and one.what == what and one.task == task:
                    found.append(Writer(step, one.at, self._element(step, one.at), Kind.VALUE, guards=guards))
        return found

    def block(self, step: int, at: int) -> BlockCall | None:
        """The standard block that a node executes."""
        one, guards = self.nodes(step).get(at, (None, ()))
        if not isinstance(one, Invoke):
            return None
        base, first = placed(one.where, self.code)
        inputs, outputs = STANDARD_BLOCKS[one.block]
        pins = {}
        # Where a block is executed in several places of the step, each has the pins that were written for it.
        behind = min((n for n, (a, _) in self.nodes(step).items() if isinstance(a, Invoke) and n > at and a.where == one.where), default=1 << 30)
        for node, (action, _) in self.nodes(step).items():
            if not isinstance(action, Store) or not ((node > at or behind == 1 << 30) and node < behind):
                continue
            if action.target.base == base and first <= action.target.cell < first + len(inputs) + len(outputs):
                pins[(*inputs, *outputs)[action.target.cell - first][0]] = action.value
        return BlockCall(step, at, self._element(step, at), one.block, self._own(step, base, first, at), pins, guards)

    def _own(self, step: int, base: int, first: int, at: int) -> int:
        if base == Base.GLOBAL:
            return first
        if base == Base.OWN:
            return self.calls.instance(step).own + first
        return next((u.tag for u in self.access.of_step(step) if u.at == at and u.how is How.BLOCK), -1)

    def _element(self, step: int, at: int) -> int:
        return self.code.bodies[self.calls.instance(step).body].origins[at].element

    def block_in(self, step: int, tag: int) -> BlockCall | None:
        """The standard block of a step that a tag is a pin of."""
        writer = next((w for w in self.by_tag.get(tag, ()) if w.kind is Kind.BLOCK and w.step == step), None)
        return self.block(step, writer.at) if writer is not None else None


def _guarded(actions: tuple[Action, ...], guards: tuple[Expr, ...]) -> Iterator[tuple[Action, tuple[Expr, ...]]]:
    """Every action, with the conditions around it."""
    for one in actions:
        yield one, guards
        if isinstance(one, If):
            yield from _guarded(one.then, (*guards, one.test))
            yield from _guarded(one.other, (*guards, Op("NOT", "BOOL", (one.test,), one.at)))
        elif isinstance(one, (Loop, Scope)):
            yield from _guarded(one.actions, guards)
