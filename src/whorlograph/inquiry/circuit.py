"""A step as a circuit: BOOL and, or, not, followed through slots, are the paths; any other BOOL value is a gate on them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property

from msgspec import Struct

from whorlograph.engine.calls import every
from whorlograph.engine.code import Base, Body, Call, Const, Convert, Copy, Edge, Expr, Invoke, Let, Load, Op, Slot, Step, Store, Taken, Target
from whorlograph.engine.evaluate.again import Result, result_node
from whorlograph.engine.nodes import loads, may_write, nodes
from whorlograph.engine.scope.widening import COMPARISONS

from .handed_over import read_through

MOST_PATHS = 3_000


MIRRORED = {"LT": "GT", "LE": "GE", "GT": "LT", "GE": "LE", "EQ": "EQ", "NE": "NE"}  # a comparison read from the other side
NEGATED = {"GT": "LE", "GE": "LT", "LT": "GE", "LE": "GT", "EQ": "NE", "NE": "EQ"}  # one that holds where it does not


class Gate(Struct, frozen=True):
    """A place on a path that passes power or not: the node of a value, and whether the path wants it off."""

    at: int
    negated: bool = False


Path = tuple[Gate, ...]
Leaf = Expr | Edge | Call


class Circuit:
    """The paths of one step's values."""

    def __init__(self, step: Step, bodies: Sequence[Body] = ()) -> None:
        self.step, self.bodies = step, bodies
        self.slots: dict[int, Let | Edge | Call] = {}
        self.leaves: dict[int, Leaf] = {}
        self._paths: dict[tuple[Expr, bool], list[Path]] = {}
        self._all = _Ways(self, None)
        self.handed: set[int] = set()  # the nodes of what is handed over by reference
        self.kept: dict[int, Store] = {}  # by hidden cell: the result that is kept there while its block is not executed
        for action in every(step.actions):
            if isinstance(action, (Let, Edge)):
                self.slots[action.slot] = action
            elif isinstance(action, Call):
                self.slots |= {slot: action for _, slot, _ in action.results}
                self.handed |= {*(action.nodes or (action.at,))} if action.refs else set()
            elif isinstance(action, Store) and action.target.base == Base.HIDDEN:
                self.kept[action.target.cell] = action

    @cached_property
    def _reads(self) -> dict[int, int]:
        """By node that reads a cell: the number of its action."""
        return {one.at: n for n, action in enumerate(every(self.step.actions)) for one in loads(action)}

    @cached_property
    def _does(self) -> dict[int, int]:
        """By node that writes or executes something: the number of its action. Of a statement its node comes before those of its value."""
        return {action.at: n for n, action in enumerate(every(self.step.actions)) if isinstance(action, (Store, Copy, Call, Invoke, Taken))}

    def before(self, done: int, other: int) -> bool:
        """Whether a node that writes or executes something does so before another one reads, or does something itself."""
        one, behind = self._does.get(done), self._reads.get(other, self._does.get(other))
        return one < behind if one is not None and behind is not None else done < other

    @property
    def cut(self) -> bool:
        """Whether paths were left out because there are too many."""
        return self._all.cut

    def paths(self, power: Expr, on: bool = True) -> list[Path]:
        """All ways in which a value is on (or off), each once, those of fewest gates first; at most 3,000."""
        key = (power, on)
        if key not in self._paths:
            self._paths[key] = self._all.fewest(power, not on)
        return self._paths[key]

    def never(self, power: Expr, result: Result, on: bool = True) -> bool:
        """Whether nothing makes a value on (or off): each way asks one tag to be on and off at once. False where the ways are too many to list."""
        paths = self.paths(power, on)
        return bool(paths) and not self.cut and all(self.contradicts(p, result) for p in paths)

    def gate(self, leaf: Leaf, at: int, off: bool) -> Gate:
        """A leaf as a gate."""
        self.leaves[at] = leaf
        return Gate(at, off)

    def open_gates(self, path: Path, result: Result) -> list[Gate]:
        """The gates of a path that do not pass; of what was not come to because others do not, nothing is said where it is not known."""
        found = [g for g in path if not self.passes(g, result)]
        return [g for g in found if self.known(g, result)] or found

    def complete(self, power: Expr, result: Result, on: bool = True) -> list[Path]:
        """The paths on which every gate passes."""
        paths = self.paths(power, on)
        if self.cut:  # among those that were left out there may be one
            return _Ways(self, result).fewest(power, not on)
        known: dict[Gate, bool] = {}
        found = []
        for path in paths:
            for gate in path:
                passes = known.get(gate)
                if passes is None:
                    passes = known[gate] = self.passes(gate, result)
                if not passes:
                    break
            else:
                found.append(path)
        return found

    def on(self, power: Expr, result: Result) -> bool:
        """Whether a value is on, by what was computed."""
        if isinstance(power, Const):
            return bool(power.value)
        if isinstance(power, Slot):
            made = self.slots.get(power.number)
            return self.on(made.value, result) if isinstance(made, Let) else made is not None and bool(result.values.get(node_of(made, power), False))
        if isinstance(power, Op) and power.type == "BOOL" and power.code in ("AND", "OR", "NOT"):
            parts = [self.on(a, result) for a in power.args]
            return not parts[0] if power.code == "NOT" else all(parts) if power.code == "AND" else any(parts)
        value = result.raws.get(power.at) if isinstance(power, Load) else result.values.get(power.at)
        return bool(value)

    def passes(self, gate: Gate, result: Result) -> bool:
        """Whether a gate passes power, whatever comes in; one that was not come to as it would have, where that is known."""
        value = result.raws.get(gate.at) if isinstance(self.leaves.get(gate.at), Load) else result.values.get(gate.at)
        if value is None:
            value = result.would.get(gate.at)
        return value is not None and bool(value) != gate.negated

    def known(self, gate: Gate, result: Result) -> bool:
        """Whether it is known of a gate whether it passes, or would have."""
        values = result.raws if isinstance(self.leaves.get(gate.at), Load) else result.values
        return gate.at in values or gate.at in result.would

    def behind(self, one: Leaf | None) -> Expr | None:
        """What a value is computed from, through slots; of an edge, what it looks at."""
        while isinstance(one, (Slot, Edge)):
            made = self.slots.get(one.number) if isinstance(one, Slot) else one
            one = made.value if isinstance(made, (Let, Edge)) else None
        return one if not isinstance(one, Call) else None

    def made(self, value: Expr | None) -> Expr | None:
        """What a value is computed from, itself or kept while its block is not executed."""
        found = self.behind(value)
        while isinstance(found, Load) and found.target.base == Base.HIDDEN and found.target.cell in self.kept:
            found = self.behind(self.kept[found.target.cell].value)
        return found

    def plain(self, value: Expr | None) -> Expr | None:
        """What a value is computed from, whatever type it is brought to."""
        found = self.made(value)
        while isinstance(found, Convert):
            found = self.made(found.value)
        return found

    def load(self, gate: Gate) -> Load | None:
        """The tag that a gate looks at itself: a contact's, an edge's, a block's output."""
        leaf = self.leaves.get(gate.at)
        if isinstance(leaf, Load):
            return leaf
        found = self.behind(leaf)
        while isinstance(found, (Op, Convert)) and found.type == "BOOL" and (isinstance(found, Convert) or found.code == "NOT"):
            found = self.behind(found.value if isinstance(found, Convert) else found.args[0])
        return found if isinstance(found, Load) else None

    def contradicts(self, path: Path, result: Result) -> bool:
        """Whether a path asks one tag to be on and off at once: not where the step may write it in between, nor of elements that are computed."""
        asked: dict[tuple[int, int], Gate] = {}
        for gate in path:
            leaf = self.leaves.get(gate.at)
            cell = result.cells.get(gate.at) if isinstance(leaf, Load) and not leaf.target.terms else None
            if cell is not None and isinstance(leaf, Load):
                other = asked.setdefault((cell.number, cell.bit), gate)
                if other.negated != gate.negated and not self._written_between(leaf.target, other.at, gate.at):
                    return True
        return False

    def exclude(self, one: Path, other: Path) -> bool:
        """Whether two paths of the step are never complete together: they ask one node for opposites, or one value for two numbers."""
        wanted = {gate.at: gate.negated for gate in one}
        if any(wanted.get(gate.at, gate.negated) != gate.negated for gate in other):
            return True
        asked = {asks[0]: asks[1] for gate in one if (asks := self._number_asked(gate)) is not None}
        return any(asks is not None and asked.get(asks[0], asks[1]) != asks[1] for asks in map(self._number_asked, other))

    def told(self, path: Path) -> Path:
        """A path without what its other gates say already: a value that has to be one number is none of the others."""
        asked = {asks[0]: asks[1] for gate in path if (asks := self._number_asked(gate)) is not None}
        others = {gate: self._number_asked(Gate(gate.at)) for gate in path if gate.negated}
        return tuple(g for g in path if (other := others.get(g)) is None or asked.get(other[0], other[1]) == other[1])

    def _number_asked(self, gate: Gate) -> tuple[int, object] | None:
        """The node of a value that a gate wants to be one literal, and that; None of other gates."""
        leaf = self.leaves.get(gate.at)
        made = self.made(leaf) if not isinstance(leaf, (Edge, Call)) else None
        if gate.negated or not isinstance(made, Op) or made.code != "EQ":
            return None
        literal = next((c for c in map(self.literal, made.args) if c is not None), None)
        load = next((found for arg in made.args if isinstance(found := self.behind(arg), Load)), None)
        return (load.at, literal.value) if literal is not None and load is not None else None

    def _written_between(self, target: Target, one: int, other: int) -> bool:
        """Whether the step may write a cell between the reading of two nodes."""
        first, last = sorted(self._reads.get(at, -1) for at in (one, other))
        between = list(every(self.step.actions))[max(0, first):last]
        return any(may_write(action, target) for action in between)

    def loads(self, one: Expr | Edge | None) -> Iterator[Load | Const]:
        """The tags and literals that a value is computed from, in order."""
        if isinstance(one, Load) and one.target.base == Base.HIDDEN and one.target.cell in self.kept:
            yield from self.loads(self.kept[one.target.cell].value)
        elif isinstance(one, (Load, Const)):
            yield one
        elif isinstance(one, Edge):
            yield from self.loads(one.value)
        elif isinstance(one, Slot):
            made = self.slots.get(one.number)
            yield from self.loads(made.value if isinstance(made, Let) else made) if not isinstance(made, Call) else self.inputs(made)
        elif isinstance(one, Op):
            for arg in one.args:
                yield from self.loads(arg)
        elif isinstance(one, Convert):
            yield from self.loads(one.value)

    def literal(self, one: Expr | None) -> Const | None:
        """The literal that a value is, brought to another type or kept at most."""
        found = self.behind(one)
        while isinstance(found, Convert) or (isinstance(found, Load) and found.target.base == Base.HIDDEN and found.target.cell in self.kept):
            found = self.behind(found.value if isinstance(found, Convert) else self.kept[found.target.cell].value)
        return found if isinstance(found, Const) else None

    def inputs(self, call: Call) -> Iterator[Load | Const]:
        """The tags and literals that go into a function of the file."""
        for _, value in call.inputs:
            yield from self.loads(value)
        if self.bodies:
            yield from read_through(self.bodies, call)


def node_of(made: Edge | Call, slot: Slot) -> int:
    """The node under which a slot's value stands."""
    return result_node(made, slot.number) if isinstance(made, Call) else made.at


def comparisons(step: Step) -> Iterator[Op]:
    """All comparisons that a step makes, those in branches and loops too."""
    return (one for action in every(step.actions) for one in nodes(action) if isinstance(one, Op) and one.code in COMPARISONS and len(one.args) == 2)


class _Ways:
    """The ways in which values are on or off: all, or with a result the complete ones alone; what is open is left out on the way, so that
    they are few."""

    def __init__(self, circuit: Circuit, result: Result | None) -> None:
        self.circuit, self.result = circuit, result
        self.known: dict[tuple[int, bool], list[Path]] = {}
        self.cut = False  # some were left out, being too many

    def fewest(self, power: Expr, off: bool) -> list[Path]:
        """Each way once, those of fewest gates first."""
        return sorted(dict.fromkeys(tuple(dict.fromkeys(p)) for p in self._ways(power, off)), key=len)

    def _ways(self, one: Expr, off: bool) -> list[Path]:
        if isinstance(one, Const):
            return [()] if bool(one.value) != off else []
        if isinstance(one, Slot):
            key = (one.number, off)
            if key not in self.known:
                made = self.circuit.slots.get(one.number)
                self.known[key] = self._ways(made.value, off) if isinstance(made, Let) else \
                    self._leaf(made, node_of(made, one), off) if made is not None else []
            return self.known[key]
        if isinstance(one, Op) and one.type == "BOOL" and one.code in ("AND", "OR", "NOT"):
            if one.code == "NOT":
                return self._ways(one.args[0], not off)
            parts = [self._ways(a, off) for a in one.args]
            return self._side_by_side(parts) if (one.code == "OR") != off else self._in_series(parts)
        chosen = isinstance(one, Op) and (one.code in ("XOR", "SEL") or (one.code in ("EQ", "NE") and len(one.args) == 2))
        if isinstance(one, Op) and chosen and all(a.type == "BOOL" for a in one.args):
            return self._chosen(one, off)
        return self._leaf(one, one.at, off)

    def _chosen(self, one: Op, off: bool) -> list[Path]:
        """The ways of what two BOOLs give that differ or are the same, and of the one of two that a third chooses."""
        if one.code == "SEL":
            by, first, second = one.args
            return self._side_by_side([self._in_series([self._ways(by, True), self._ways(first, off)]),
                                       self._in_series([self._ways(by, False), self._ways(second, off)])])
        ways = {state: self._ways(one.args[0], not state) for state in (True, False)}
        for other in one.args[1:]:
            with_, without = self._ways(other, False), self._ways(other, True)
            ways = {differ: self._side_by_side([self._in_series([ways[True], without if differ else with_]),
                                                self._in_series([ways[False], with_ if differ else without])]) for differ in (True, False)}
        return ways[(one.code != "EQ") != off]

    def _leaf(self, leaf: Leaf, at: int, off: bool) -> list[Path]:
        gate = self.circuit.gate(leaf, at, off)
        return [(gate,)] if self.result is None or self.circuit.passes(gate, self.result) else []

    def _side_by_side(self, parts: list[list[Path]]) -> list[Path]:
        found = list(dict.fromkeys(path for part in parts for path in part))
        self.cut = self.cut or len(found) > MOST_PATHS
        return found[:MOST_PATHS]

    def _in_series(self, parts: list[list[Path]]) -> list[Path]:
        found: list[Path] = [()]
        for part in parts:
            most = max(1, MOST_PATHS // max(1, len(found)))
            self.cut = self.cut or len(part) > most
            found = [tuple(dict.fromkeys(before + path)) for before in found for path in part[:most]]
        return found
