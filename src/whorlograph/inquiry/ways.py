"""Ways: each smallest set of contact states that brings a tag on, and what of it is missing at a moment (ANSWERS.md, Paths)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.engine.code import Call, Edge, Expr, Op
from whorlograph.engine.scope.widening import COMPARISONS
from whorlograph.model.blocks import TIMERS
from whorlograph.model.log import Ints

from .circuit import Circuit, Gate
from .commands import elements
from .languages import words_of
from .links import passes, step_inactive
from .symptoms import course
from .tracer import Tracer, is_fixed
from .writers import Kind, Writer

MOST = 50  # ways that are shown
MOST_BETWEEN = 400  # ways on the way down to inputs
MOST_COLUMNS = 10  # inputs of a truth table
DEEPEST = 12


class Need(Struct, frozen=True):
    """What one contact asks: a tag, or a bit of one, on or off; ``edge``: that it turns so; ``tag`` None: what ``name`` compares.

    ``step`` and ``at`` find the gate of what is no tag; ``compares``: that is a comparison, which holds or does not.
    """

    name: str
    on: bool
    tag: int | None = None
    bit: int = -1
    edge: bool = False
    step: int = -1
    at: int = -1
    compares: bool = False

    @property
    def variable(self) -> tuple[str, bool]:
        """What must be known to tell whether it is met; needs that ask the same of it in opposite ways contradict one another."""
        return self.name, self.edge

    def words(self) -> str:
        """As a person says it."""
        if self.edge:
            return f"{self.name} {'rises' if self.on else 'falls'}"
        if self.compares:
            return self.name if self.on else f"not {self.name}"
        return f"{self.name} {'on' if self.on else 'off'}"


class Way(Struct, frozen=True):
    """One smallest set of needs, in the order of the rung; which writer it powers; ``holds``: it needs the tag itself, so it only keeps it on."""

    needs: tuple[Need, ...]
    writer: Writer
    holds: bool = False


class Looked(Struct, frozen=True):
    """A way at a moment: which of its needs are met (None: not known), and whether the log ever had all of them at once (None: not known)."""

    way: Way
    met: tuple[bool | None, ...]
    tried: bool | None

    @property
    def missing(self) -> tuple[Need, ...]:
        """The needs that are not met."""
        return tuple(n for n, m in zip(self.way.needs, self.met, strict=True) if m is False)


def ways(tracer: Tracer, tag: int, down: bool = False, kinds: tuple[Kind, ...] = (Kind.COIL, Kind.SET, Kind.VALUE)) -> list[Way]:
    """All ways in which a tag's coils are powered so that it comes on, smallest first; contradictions and larger sets left out.

    Args: down: across rungs to what no rung computes; kinds: of writers.
    """
    found: dict[frozenset[Need], Way] = {}
    for writer in written(tracer, tag):
        power = writer.power if writer.power is not None else writer.guard if writer.kind is not Kind.VALUE else _both(writer)
        if writer.kind not in kinds or power is None:
            continue
        sets = needs_of(tracer, writer.step, power, not writer.inverted)
        if passes.in_loop(tracer, writer):
            sets = [one for each in sets for one in _in_passes(tracer, writer.step, each)][:MOST_BETWEEN]
        if writer.kind is Kind.COIL:
            sets = _left_on(tracer, tag, writer, sets)
        sets = _of_chart(tracer, writer.step, sets)
        if down:
            sets = _expanded(tracer, sets, {tag}, 0)
        for one in sets:
            found.setdefault(one, Way(_in_order(tracer, writer.step, one), writer, any(n.tag == tag and n.on for n in one)))
    return sorted(_smallest(found), key=lambda w: (w.holds, len(w.needs), w.writer.step))


def written(tracer: Tracer, tag: int) -> list[Writer]:
    """What writes a tag; where nothing does under its own name, what writes the same bit under another."""
    own = tracer.writers.get(tag)
    if own:
        return own
    shares = tracer.again.shares.get(tag, ())
    return [w for share in shares for w in tracer.writers.get(share.other, ()) if w.bit == (share.theirs if not tracer.boolean(share.other) else -1)]


def _of_chart(tracer: Tracer, step: int, sets: list[frozenset[Need]]) -> list[frozenset[Need]]:
    """Ways in a chart, with the steps that an action needs in place of the flags that pass them on."""
    flag = tracer.paths.lets_run(step) if tracer.charts else None
    action = step_inactive.action_of(tracer, flag) if flag is not None else None
    if action is not None:
        sets = [one | {Need(tracer.name(action[1].flag), True, action[1].flag)} for one in sets]
    found: list[frozenset[Need]] = []
    for one in sets:
        # That an action runs at all is no need beside that its flag is on.
        runs = {n for n in one if n.tag in tracer.of_charts and (place := tracer.charts.get(n.tag)) is not None and place.flag != n.tag
                and any(other.tag == place.flag for other in one)}
        partial: list[frozenset[Need]] = [frozenset()]
        for need in sorted(one - runs, key=_order):
            partial = [p | i for p in partial for i in _by_steps(tracer, need, 0) if sound(p | i)][:MOST_BETWEEN]
        found += partial
    return list(dict.fromkeys(found))


def _by_steps(tracer: Tracer, need: Need, depth: int) -> list[frozenset[Need]]:
    """What a need of a flag of a chart comes to, in terms of its steps; itself where it is none."""
    writers = [w for w in tracer.writers.get(need.tag, ()) if w.kind is Kind.COIL and w.power is not None] if need.tag is not None else []
    if need.tag not in tracer.of_charts or need.tag in tracer.charts or len(writers) != 1 or depth > DEEPEST:
        return [frozenset([need])]
    writer, found = writers[0], list[frozenset[Need]]()
    for one in needs_of(tracer, writer.step, writer.power, need.on != writer.inverted) if writer.power is not None else []:
        partial: list[frozenset[Need]] = [frozenset()]
        for inner in sorted(one, key=_order):
            partial = [p | i for p in partial for i in _by_steps(tracer, inner, depth + 1) if sound(p | i)][:MOST_BETWEEN]
        found += partial
    return found


def _both(writer: Writer) -> Expr | None:
    """What gives a BOOL that is written under conditions its value on: the conditions and the value."""
    if writer.guard is None or writer.value is None:
        return writer.value
    return Op("AND", "BOOL", (writer.guard, writer.value), -1)


def _in_passes(tracer: Tracer, step: int, needs: frozenset[Need]) -> list[frozenset[Need]]:
    """What a write in a loop needs, in one pass or another: an element of a table is each of them; that the loop goes on is no need."""
    circuit, seen = tracer.circuit(step), tracer.seen(step, 1)
    found: list[frozenset[Need]] = [frozenset()]
    for need in sorted(needs, key=_order):
        if need.tag is None and passes.is_end(tracer, step, need.at):
            continue
        load = circuit.load(Gate(need.at)) if need.tag is None else None
        cell = tracer.cell(load, seen) if load is not None and load.target.terms else None
        each = [need]
        if load is not None and cell is not None and tracer.boolean(cell.number):
            each = [Need(tracer.name(tag), need.on, tag) for tag in elements(tracer, load, cell.number, seen)]
        found = [one | {other} for one in found for other in each][:MOST_BETWEEN]
    return found


def _left_on(tracer: Tracer, tag: int, writer: Writer, sets: list[frozenset[Need]]) -> list[frozenset[Need]]:
    """The ways of a coil, with what keeps those behind it in the same program from writing off what it has written on."""
    order, mine = tracer.paths.order, tracer.controller.calls.instance_of[writer.step]
    for other in tracer.writers.get(tag, ()):
        guard, kept = other.guard, list[frozenset[Need]]()
        later = (int(order[other.step]), other.at) > (int(order[writer.step]), writer.at)
        if not later or guard is None or other.kind not in (Kind.RESET, Kind.VALUE) or tracer.controller.calls.instance_of[other.step] != mine:
            continue
        kept += needs_of(tracer, other.step, guard, False)
        both = _both(other)
        if other.kind is Kind.VALUE and both is not None:
            kept += needs_of(tracer, other.step, both, True)
        sets = list(dict.fromkeys(a | b for a in sets for b in kept if sound(a | b)))[:MOST_BETWEEN]
    return sets


def _in_order(tracer: Tracer, step: int, needs: frozenset[Need]) -> tuple[Need, ...]:
    """Needs in the order of their gates in the rung itself, those of other rungs behind."""
    circuit, places = tracer.circuit(step), dict[str, int]()
    for gate in (Gate(at) for at in sorted(circuit.leaves)):
        places.setdefault(need_of(tracer, circuit, step, gate).name, gate.at)
    return tuple(sorted(needs, key=lambda n: (n.name not in places, places.get(n.name, 0), n.name)))


def _order(need: Need) -> tuple[bool, str]:
    return need.tag is None, need.name


def needs_of(tracer: Tracer, step: int, power: Expr, on: bool) -> list[frozenset[Need]]:
    """The ways in which a value is on (or off), each as needs; those that contradict themselves left out."""
    circuit = tracer.circuit(step)
    found = []
    for path in circuit.paths(power, on):
        needs = frozenset(need_of(tracer, circuit, step, gate) for gate in circuit.told(path))
        if sound(needs):
            found.append(needs)
    return list(dict.fromkeys(found))


def need_of(tracer: Tracer, circuit: Circuit, step: int, gate: Gate) -> Need:
    """A gate as a need."""
    load, leaf = circuit.load(gate), circuit.leaves.get(gate.at)
    # Of an element that a computed subscript chooses the choice is named, not one of the elements.
    cell = None if load is None or (load.target.terms and not is_fixed(load)) else \
        tracer.fixed(load, step) if is_fixed(load) else tracer.cell(load, tracer.seen(step, 1))
    if cell is not None and (tracer.boolean(cell.number) or cell.bit >= 0):
        tag, bit = cell.number, cell.bit
        name = tracer.name(tag) + (f".{bit}" if bit >= 0 else "")
        edge = isinstance(leaf, Edge)
        return Need(name, leaf.rising if isinstance(leaf, Edge) else not gate.negated, tag, bit, edge)
    origin = tracer.origin(step, gate.at)
    name = words_of(tracer.steps.all[step]).gate(tracer.steps.all[step], origin.element, origin.what, origin.passing)
    made = circuit.made(leaf) if not isinstance(leaf, (Edge, Call)) else None
    return Need(name, not gate.negated, None, -1, False, step, gate.at, isinstance(made, Op) and made.code in COMPARISONS)


def sound(needs: Iterable[Need]) -> bool:
    """Whether no two of some needs ask opposite things."""
    wanted: dict[tuple[str, bool], bool] = {}
    return all(wanted.setdefault(n.variable, n.on) == n.on for n in needs)


def _smallest(found: dict[frozenset[Need], Way]) -> list[Way]:
    """Those of which no other is a part."""
    sets = sorted(found, key=len)
    kept: list[frozenset[Need]] = []
    for one in sets:
        if not any(k < one for k in kept):
            kept.append(one)
    return [found[k] for k in kept]


def _expanded(tracer: Tracer, sets: list[frozenset[Need]], open_: set[int], depth: int) -> list[frozenset[Need]]:
    """Ways with what rungs compute put in terms of what those rungs need."""
    found: dict[frozenset[Need], None] = {}
    for one in sets:
        partial: list[frozenset[Need]] = [frozenset()]
        for need in sorted(one, key=_order):
            inner = _below(tracer, need, open_, depth)
            partial = [p | i for p in partial for i in inner if sound(p | i)][:MOST_BETWEEN]
        for whole in partial:
            found[whole] = None
        if len(found) > MOST_BETWEEN:
            break
    return list(found)


def _below(tracer: Tracer, need: Need, open_: set[int], depth: int) -> list[frozenset[Need]]:
    """What must be so that one need is met; itself where no single plain coil or timer decides it."""
    leaf = [frozenset([need])]
    if need.tag is None or need.edge or need.bit >= 0 or need.tag in open_ or depth > DEEPEST:
        return leaf
    writers = tracer.writers.get(need.tag, [])
    if len(writers) != 1:
        return leaf
    writer = writers[0]
    if writer.kind is Kind.COIL and writer.power is not None:
        sets = needs_of(tracer, writer.step, writer.power, need.on != writer.inverted)
    elif writer.kind is Kind.BLOCK:
        call = tracer.written.block(writer.step, writer.at)
        pin = call.pins.get("IN") if call is not None and call.kind in TIMERS and call.kind != "TP" else None
        if pin is None:
            return leaf
        sets = needs_of(tracer, writer.step, pin, need.on)
    else:
        return leaf
    return _expanded(tracer, sets, open_ | {need.tag}, depth + 1) or leaf


# at a moment


def looked(tracer: Tracer, found: list[Way], scan: int | None) -> list[Looked]:
    """Ways at a moment, the nearest to the present state first; without one as they are."""
    if scan is None:
        return [Looked(w, (None,) * len(w.needs), None) for w in found]
    seen = [Looked(w, tuple(met(tracer, n, scan) for n in w.needs), tried(tracer, w.needs)) for w in found]
    return sorted(seen, key=lambda k: (k.way.holds, len(k.missing), len(k.way.needs)))


def met(tracer: Tracer, need: Need, scan: int) -> bool | None:
    """Whether a need is met at a scan's end; None where that cannot be told: an edge."""
    journal = tracer.journal
    if need.edge:
        return None
    if need.tag is not None:
        raw = journal.settled(need.tag, scan)
        return bool(raw >> need.bit & 1 if need.bit >= 0 else raw) == need.on
    result = tracer.again.now(journal, need.step, scan)
    circuit = tracer.circuit(need.step)
    return circuit.passes(Gate(need.at, not need.on), result)


def tried(tracer: Tracer, needs: tuple[Need, ...]) -> bool | None:
    """Whether the log ever had all of some needs at once; None where one of them has no course."""
    if any(n.tag is None for n in needs):
        return None
    courses = [course(tracer.journal, n.tag) for n in needs if n.tag is not None]
    scans = np.unique(np.concatenate([np.ones(1, np.int64), *(c.scans for c in courses)]))
    holds = np.ones(len(scans), bool)
    for need, path in zip(needs, courses, strict=True):
        holds &= _on(path.at_all(scans), need) == need.on
        if need.edge:
            holds &= np.isin(scans, path.scans)
    return bool(holds.any())


def _on(raws: Ints, need: Need) -> NDArray[np.bool_]:
    found: NDArray[np.bool_] = ((raws >> need.bit & 1) if need.bit >= 0 else raws) != 0
    return found


# tables


class Row(Struct, frozen=True):
    """One line of a truth table: a state for each column, the result, whether the log ever had it (None: not known)."""

    states: tuple[bool, ...]
    result: bool
    tried: bool | None


class Table(Struct, frozen=True):
    """A truth table: its columns, the tag's own former state first where it counts; rows counting up."""

    columns: tuple[Need, ...]
    rows: tuple[Row, ...]


def truth_table(tracer: Tracer, tag: int, down: bool, replayed: bool) -> Table | None:
    """The whole truth table of what a tag is after a scan; None where it has more than ten inputs."""
    net = circuit_of(tracer, tag, down)
    columns = net.columns
    if len(columns) > MOST_COLUMNS:
        return None
    numbers = np.arange(1 << len(columns))
    states = np.stack([(numbers >> (len(columns) - 1 - i) & 1) != 0 for i in range(len(columns))], 1) if columns else np.zeros((1, 0), bool)
    result = net.after({c.variable: states[:, i] for i, c in enumerate(columns)}, len(states))
    had = _had(tracer, columns) if replayed else None
    rows = tuple(Row(tuple(bool(v) for v in states[n]), bool(result[n]), None if had is None else n in had) for n in range(len(states)))
    return Table(columns, rows)


def _had(tracer: Tracer, columns: tuple[Need, ...]) -> set[int] | None:
    """The numbers of the lines that the log had."""
    if any(c.tag is None or c.edge for c in columns):
        return None
    courses = [course(tracer.journal, c.tag) for c in columns if c.tag is not None]
    scans = np.unique(np.concatenate([np.ones(1, np.int64), *(c.scans for c in courses)]))
    numbers = np.zeros(len(scans), np.int64)
    for need, path in zip(columns, courses, strict=True):
        # The own state counts as it was when the scan began.
        at = scans - 1 if need.step == -2 else scans
        numbers = numbers * 2 + _on(path.at_all(at), need)
    return set(numbers.tolist())


class Net(Struct, frozen=True):
    """What a tag is after a scan, from contacts and its own former state: a coil's power, or a latch's set and reset."""

    name: str
    own: Need
    on: tuple[frozenset[Need], ...]
    off: tuple[frozenset[Need], ...] = ()
    latch: bool = False
    set_wins: bool = False

    @property
    def columns(self) -> tuple[Need, ...]:
        """The variables, the own former state first where it counts."""
        found: dict[tuple[str, bool], Need] = {}
        for needs in (*self.on, *self.off):
            for need in needs:
                if need.variable != self.own.variable:
                    found.setdefault(need.variable, Need(need.name, True, need.tag, need.bit, need.edge, need.step, need.at))
        others = tuple(sorted(found.values(), key=_order))
        return (self.own, *others) if self.holds else others

    @property
    def holds(self) -> bool:
        """Whether the own former state counts."""
        return self.latch or any(n.variable == self.own.variable for needs in self.on for n in needs)

    def after(self, states: dict[tuple[str, bool], NDArray[np.bool_]], count: int) -> NDArray[np.bool_]:
        """bool[n]: the state after a scan, for columns of states."""
        power = _any(self.on, states, count)
        if not self.latch:
            return power
        own, taken = states[self.own.variable], _any(self.off, states, count)
        return power | (own & ~taken) if self.set_wins else (power | own) & ~taken


def _any(sets: tuple[frozenset[Need], ...], states: dict[tuple[str, bool], NDArray[np.bool_]], count: int) -> NDArray[np.bool_]:
    found = np.zeros(count, bool)
    for needs in sets:
        whole = np.ones(count, bool)
        for need in needs:
            whole &= states[need.variable] == need.on
        found |= whole
    return found


def circuit_of(tracer: Tracer, tag: int, down: bool = False) -> Net:
    """A tag's circuit: the coil that counts (the last one), or its set and reset coils."""
    writers = [w for w in tracer.writers.get(tag, ()) if w.power is not None]
    plain = [w for w in writers if w.kind is Kind.COIL]
    own = Need(tracer.name(tag), True, tag, -1, False, -2)

    def sets(chosen: Iterable[Writer]) -> tuple[frozenset[Need], ...]:
        found: list[frozenset[Need]] = []
        for w in chosen:
            assert w.power is not None
            part = needs_of(tracer, w.step, w.power, not w.inverted)
            found += _expanded(tracer, part, {tag}, 0) if down else part
        return tuple(dict.fromkeys(found))

    if plain:
        return Net(tracer.name(tag), own, sets(plain[-1:]))
    setters, resetters = [w for w in writers if w.kind is Kind.SET], [w for w in writers if w.kind is Kind.RESET]
    order = tracer.controller.calls.order
    last_set = max((int(order[w.step]), w.at) for w in setters) if setters else (-1, -1)
    last_reset = max((int(order[w.step]), w.at) for w in resetters) if resetters else (-1, -1)
    return Net(tracer.name(tag), own, sets(setters), sets(resetters), True, last_set > last_reset)


# two circuits


class Apart(Struct, frozen=True):
    """States in which two circuits differ: the columns' states, what each is then; ``cut``: the contact whose wire is cut, "" for none."""

    states: tuple[tuple[str, bool], ...]
    first: bool
    second: bool
    cut: str = ""


class Compared(Struct, frozen=True):
    """Two circuits held against each other: where they differ as they are, and with each wire cut while they are on; ``many`` contacts: not done."""

    first: str
    second: str
    columns: int
    apart: tuple[Apart, ...] = ()
    cut: tuple[Apart, ...] = ()
    many: bool = False


MOST_COMPARED = 16


def compare(one: Net, other: Net) -> Compared:
    """Whether two circuits are the same after a scan for every state of their contacts, and with each wire cut: its contact reads FALSE."""
    renamed = _renamed(other, one.own)
    variables = list(dict.fromkeys(c.variable for c in (*one.columns, *renamed.columns)))
    if one.own.variable not in variables:
        variables.insert(0, one.own.variable)
    if len(variables) > MOST_COMPARED:
        return Compared(one.name, other.name, len(variables), many=True)
    count = 1 << len(variables)
    numbers = np.arange(count)
    states = {v: (numbers >> (len(variables) - 1 - i) & 1) != 0 for i, v in enumerate(variables)}
    first, second = one.after(states, count), renamed.after(states, count)
    apart = tuple(_rows(variables, one.own.variable, states, first, second, first != second, ""))
    cut: list[Apart] = []
    for variable in variables:
        if variable == one.own.variable or variable[1]:
            continue
        # Both were on with the wire whole; then its contact reads FALSE.
        whole = {**states, variable: np.ones(count, bool)}
        broken = {**states, variable: np.zeros(count, bool)}
        running = states[one.own.variable] & one.after(whole, count) & renamed.after(whole, count) & states[variable]
        a, b = one.after(broken, count), renamed.after(broken, count)
        cut += list(_rows(variables, one.own.variable, states, a, b, running & (a != b), variable[0]))[:1]
    return Compared(one.name, other.name, len(variables), apart, tuple(cut))


def _renamed(net: Net, own: Need) -> Net:
    """A circuit whose own state goes by another's name."""
    def needs(sets: tuple[frozenset[Need], ...]) -> tuple[frozenset[Need], ...]:
        return tuple(frozenset(Need(own.name, n.on, own.tag, n.bit, n.edge, n.step, n.at) if n.variable == net.own.variable else n for n in s)
                     for s in sets)

    return Net(net.name, own, needs(net.on), needs(net.off), net.latch, net.set_wins)


def _rows(variables: list[tuple[str, bool]], own: tuple[str, bool], states: dict[tuple[str, bool], NDArray[np.bool_]], first: NDArray[np.bool_],
          second: NDArray[np.bool_], which: NDArray[np.bool_], cut: str) -> Iterator[Apart]:
    for n in np.flatnonzero(which)[:MOST].tolist():
        shown = ((f"{name} before" if (name, edge) == own else f"{name} (its edge)" if edge else name, bool(states[name, edge][n]))
                 for name, edge in variables)
        yield Apart(tuple(shown), bool(first[n]), bool(second[n]), cut)
