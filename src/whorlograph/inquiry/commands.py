"""Commands: what somebody or something switches to bring a tag on (ANSWERS.md, Will not pull in)."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable
from itertools import islice

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.code import Edge, Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.journal import Journal
from whorlograph.model.blocks import STANDARD_BLOCKS, TIMERS
from whorlograph.model.program import VariableKind

from . import auxiliary
from .alone import each_way_asks
from .circuit import Circuit, Gate, Path
from .generators import runs_freely
from .links.block_pins import is_fed
from .links.gates import gate_bit, gate_tag, gate_time, gate_words, is_output, time_of
from .links.handed_as_it_is import source
from .numbered import asked_for, starts
from .rests import is_rest
from .rivals import of_its_own
from .round_about import Place, Way, ways_round
from .since_when import Limit, limit_of
from .tracer import Tracer, is_fixed
from .writers import Kind, Writer

DEEPEST = 6  # rungs between a tag and its command
MOST_PATHS = 20  # of a rung that are complete at one of them
PULL_INS = 50  # of a tag that are looked at for what came last
MOST_ELEMENTS = 64  # of a table that are tried as commands
_MOST_AT_ONCE = 5_000  # rows of a tag that are listed instead of looked up
_TAKES_BACK = ("R", "R1", "LD")  # pins by which nobody tries to bring something on
_SEES_EDGES = {"R_TRIG": ("CLK",), "F_TRIG": ("CLK",), "TP": ("IN",)}


class Command(Struct, frozen=True):
    """A condition that somebody or something switches to bring a tag on; ``edge``: only its change counts.

    ``seen_by``: the step that looks at it, where several write it; -1 where what it is at a scan's end counts. ``bit``: of a number that the
    program writes: it makes no attempts itself, what is switched to bring it on does. ``limit``: of a number that passes it.
    """

    tag: int
    on: bool
    edge: bool = False
    seen_by: int = -1
    bit: int = -1
    limit: Limit | None = None

    def words(self, tracer: Tracer) -> str:
        """What comes, in words."""
        if self.limit is not None:
            return self.limit.words if self.on else f"{self.limit.words} no more"
        return tracer.name(self.tag) + ("" if self.on else " off")


class Asks(Struct, frozen=True):
    """Which commands are asked for. ``meant``: only what was meant to bring the tag on: what starts the time of a supervision was not, nor what
    goes off; ``sequences``: also what lets a sequence leave its rest whose step is waited for.
    """

    meant: bool = False
    sequences: bool = False


ANY = Asks()


def all_commands(tracer: Tracer, tag: int, seen: set[tuple[int, int, int]], depth: int, asks: Asks, by: int = -1,
              looked_at: dict[int, list[Writer]] | None = None, bit: int = -1, way: frozenset[int] = frozenset()) -> list[Command]:
    """The commands of all that writes a tag; of coils that write one after another those of the one that a step (``by``) sees.

    Args: looked_at: where to add, by command's tag, what is written where it is looked at; bit: of a number; way: the tags between it and the
        one that is tried: they are off, so nothing tries by a rung that asks one of them to be on.
    """
    writers = _seen_writers(tracer, tag, by) if bit < 0 else [w for w in tracer.writers.get(tag, []) if w.bit == bit]
    key = tag, bit, writers[0].step if len(writers) == 1 else -1
    if key in seen or depth > DEEPEST or tag in tracer.charts:
        return []  # what a chart waits for on its way is nobody's command
    seen.add(key)
    found: dict[Command, None] = {}
    for writer in writers:
        if writer.kind is Kind.RESET or (way and each_way_asks(tracer, writer, way.__contains__)):
            continue
        for one in start_conditions(tracer, tag, writer, asks) if writer.kind is not Kind.BLOCK else _of_block(tracer, writer, asks):
            if one.bit < 0 and runs_freely(tracer, one.tag):
                continue
            if one.bit < 0:
                found.setdefault(one)
            if looked_at is not None and one.bit < 0:
                looked_at.setdefault(one.tag, []).append(writer)
            if tracer.writers.get(one.tag) and one.on and one.limit is None:
                deeper = depth if _only_handed_on(tracer, writer) else depth + 1
                for inner in all_commands(tracer, one.tag, seen, deeper, asks, one.seen_by, looked_at, one.bit, way | {tag}):
                    found.setdefault(inner)
    return list(found)


def _only_handed_on(tracer: Tracer, writer: Writer) -> bool:
    """Whether a write gives a tag nothing but what another is: into a block, or out of one."""
    value = writer.power if writer.power is not None else writer.value
    return not writer.guards and not writer.inverted and isinstance(tracer.circuit(writer.step).plain(value), Load)


def commands_of(tracer: Tracer, step: int, power: Expr) -> list[Command]:
    """The commands among the conditions of a value, and of what the program computes them from, through the sequences that it waits for."""
    asks = Asks(sequences=True)
    found = _of_value(tracer, power, tracer.seen(step, 1), -1, asks)
    made = [one for one in found if one.on and one.limit is None]
    behind = [inner for one in made for inner in all_commands(tracer, one.tag, set(), 1, asks, one.seen_by, bit=one.bit)]
    return [*(one for one in found if one.bit < 0), *behind]


def looked_at_by(tracer: Tracer, step: int, value: Expr) -> list[tuple[Command, int]]:
    """The commands of a value that are no numbers, and of what the program computes them from, each with a step that looks at it."""
    found = {one: step for one in _of_value(tracer, value, tracer.seen(step, 1), -1, ANY) if one.bit < 0 and one.limit is None}
    for made in [one for one in found if one.on and tracer.writers.get(one.tag)]:
        looked_at = dict[int, list[Writer]]()
        for inner in all_commands(tracer, made.tag, set(), 1, ANY, made.seen_by, looked_at):
            for writer in looked_at.get(inner.tag, ())[:1] if inner.limit is None else ():
                found.setdefault(inner, writer.step)
    return list(found.items())


def reached(tracer: Tracer, tag: int) -> list[Command]:
    """The commands of a tag, also those that let a sequence leave its rest whose step is waited for."""
    return all_commands(tracer, tag, set(), 0, Asks(sequences=True))


def _starts(tracer: Tracer, gates: set[Gate], seen: Seen, known: set[tuple[int, int]]) -> list[Command]:
    """What lets the sequences leave their rest for whose steps gates ask: conditions that come, where there are any."""
    circuit, found = tracer.circuit(seen.step), list[Command]()
    for gate in gates:
        made = circuit.made(circuit.behind(circuit.leaves.get(gate.at)))
        for asked in asked_for(circuit, made, seen) if isinstance(made, Op) and made.code == "EQ" and not gate.negated else ():
            if asked in known:
                continue
            known.add(asked)
            for step, guard in starts(tracer, *asked):
                inner, there = tracer.circuit(step), tracer.seen(step, 1)
                ways = {g for path in inner.paths(guard) for g in path if not g.negated}
                found += [*_conditions(tracer, inner, ways, there, -1), *_starts(tracer, ways, there, known)]
    return found


def _seen_writers(tracer: Tracer, tag: int, by: int) -> list[Writer]:
    """The writers of a tag whose values a step sees: of plain coils the last before it, else the last of a scan."""
    writers, order = tracer.writers.get(tag, []), tracer.paths.order
    if by < 0 or any(w.kind is not Kind.COIL for w in writers):
        return writers
    return ([w for w in writers if order[w.step] < order[by]] or writers)[-1:]


def start_conditions(tracer: Tracer, tag: int, writer: Writer, asks: Asks = ANY) -> list[Command]:
    """The commands of one rung: the gates beside its seal-in, else those that came last at its pull-ins, else all of them.

    Of two coils that lock each other out, as those of two directions, what starts either is a command of neither where something else
    tells them apart.
    Of what was meant, what starts a timer does not start the rung.
    """
    holding = {tag, *(a.tag for a in auxiliary.of_tag(tracer, tag))}
    beside = _beside_a_way_round(tracer, tag, writer, holding, asks)
    if beside:
        return beside
    circuit, seen = tracer.circuit(writer.step), tracer.seen(writer.step, 1)
    power = writer.power if writer.power is not None else writer.value
    paths = circuit.paths(power, not writer.inverted) if power is not None else []
    sealed = [p for p in paths if any(not g.negated and gate_tag(tracer, g, seen) in holding for g in p)]
    others = [p for p in paths if p not in sealed]
    shared = set.intersection(*(set(p) for p in sealed)) if sealed else set()
    everything = {g for p in paths for g in p}
    comes = {g for g in everything if not g.negated} or everything  # what has to be off seldom is what somebody switches
    beside_own = {g for p in others for g in p if g not in shared and _is_pressed(tracer, g, seen)} if sealed else set()
    ways = (beside_own, _came_last(tracer, tag, writer), comes)
    known = [gates for way in ways if (gates := _without_rests(tracer, way, seen, tag))]
    gates = of_its_own(tracer, tag, known[0] if known else everything, everything, seen)
    found = _begun_by(tracer, writer, gates, seen, tag, asks)
    if not found and not sealed and len(known) > 1:  # a limit came last each time: then whatever else comes
        found = _begun_by(tracer, writer, of_its_own(tracer, tag, known[-1], everything, seen), seen, tag, asks)
    return _in_order(found)


def _in_order(found: Iterable[Command]) -> list[Command]:
    """Each command once."""
    return sorted(set(found), key=lambda c: (c.tag, c.bit, c.on, c.edge, c.seen_by, c.limit.words if c.limit is not None else ""))


def _beside_a_way_round(tracer: Tracer, tag: int, writer: Writer, holding: set[int], asks: Asks) -> list[Command]:
    """Of a tag that keeps itself on through other rungs: the commands beside its contact there."""
    def own(place: Place) -> bool:
        return not place.gate.negated and gate_tag(tracer, place.gate, tracer.seen(place.step, 1)) in holding

    ways = ways_round(tracer, tag, writer)
    sealed = [way for way in ways if any(map(own, way))]
    shared: Way = frozenset.intersection(*sealed) if sealed else frozenset()
    beside = {place for way in ways if sealed and way not in sealed for place in way - shared
              if _is_pressed(tracer, place.gate, tracer.seen(place.step, 1))}
    found: list[Command] = []
    for step in sorted({place.step for place in beside}):
        seen = tracer.seen(step, 1)
        gates = _without_rests(tracer, {place.gate for place in beside if place.step == step}, seen, tag)
        found += _begun_by(tracer, replace(writer, step=step), gates, seen, tag, asks)
    return _in_order(found)


def _is_pressed(tracer: Tracer, gate: Gate, seen: Seen) -> bool:
    """Whether a gate beside a seal-in can be what somebody starts by: that something which the program makes is off is no such thing."""
    number = gate_tag(tracer, gate, seen) if gate.negated else None
    return number is None or source(tracer, number) is not None


def _begun_by(tracer: Tracer, writer: Writer, gates: set[Gate], seen: Seen, tag: int, asks: Asks) -> list[Command]:
    """The commands among a rung's gates, and what starts the timers that stand in it."""
    found = _of_gates(tracer, gates, seen, tag, asks)
    for gate in gates:
        number = gate_tag(tracer, gate, seen)
        call = tracer.written.block_in(writer.step, number) if number is not None else None
        if call is None or (asks.meant and call.kind in TIMERS):
            continue
        for name, pin in call.pins.items():  # what starts a timer starts the rung
            if pin.type == "BOOL" and name not in _TAKES_BACK:
                found += _of_pin(call.kind, name, _of_value(tracer, pin, seen, tag, asks))
    return found


def _without_rests(tracer: Tracer, gates: set[Gate], seen: Seen, tag: int) -> set[Gate]:
    """Gates without the pauses that the tag's own drop starts: that such a one is over is nobody's command."""
    return {g for g in gates if (number := gate_tag(tracer, g, seen)) is None or not is_rest(tracer, number, frozenset((tag,)))}


def _of_value(tracer: Tracer, value: Expr, seen: Seen, tag: int, asks: Asks) -> list[Command]:
    """The commands among the conditions of a value."""
    return _of_gates(tracer, {g for path in tracer.circuit(seen.step).paths(value) for g in path}, seen, tag, asks)


def _of_gates(tracer: Tracer, gates: set[Gate], seen: Seen, tag: int, asks: Asks) -> list[Command]:
    """The commands among gates, and those of the sequences for whose steps they ask where these are wanted."""
    found = _conditions(tracer, tracer.circuit(seen.step), gates, seen, tag)
    return [*found, *_starts(tracer, gates, seen, set())] if asks.sequences else found


def _of_block(tracer: Tracer, writer: Writer, asks: Asks) -> list[Command]:
    """What starts, counts or sets a standard block: conditions of its pins, or pins that are written elsewhere."""
    call = tracer.written.block(writer.step, writer.at)
    if call is None or (asks.meant and call.kind in TIMERS):
        return []
    seen = tracer.seen(writer.step, 1)
    found: list[Command] = []
    for name, _ in STANDARD_BLOCKS[call.kind][0]:
        pin, tag = call.pins.get(name), call.tags[name]
        if name in _TAKES_BACK or not tracer.boolean(tag):
            continue
        if pin is not None:
            found += _of_pin(call.kind, name, _of_value(tracer, pin, seen, tag, asks))
        elif is_fed(tracer, call, name):
            found += _of_pin(call.kind, name, _fed(tracer, tag, asks)) or [Command(tag, True)]
    return _in_order(found)


def _fed(tracer: Tracer, pin: int, asks: Asks) -> list[Command]:
    """The commands among the conditions of what is written to a pin elsewhere."""
    given = [(w.step, w.power if w.power is not None else w.value) for w in tracer.writers.get(pin, ()) if w.kind is not Kind.BLOCK]
    return [one for step, value in given if value is not None for one in _of_value(tracer, value, tracer.seen(step, 1), pin, asks)]


def _of_pin(kind: str, pin: str, found: list[Command]) -> list[Command]:
    """Commands as a pin takes them: some see only that they come, or go."""
    if pin not in _SEES_EDGES.get(kind, ()):
        return found
    return [replace(one, edge=True, on=one.on != (kind == "F_TRIG")) for one in found]


def _came_last(tracer: Tracer, tag: int, writer: Writer) -> set[Gate]:
    """The gates that closed last when the rung switched its tag on."""
    key = tag, writer.step, writer.at
    known = tracer.came_last.get(key)
    if known is None:
        known = tracer.came_last[key] = _gates_that_came_last(tracer, tag, writer)
    return known


def _gates_that_came_last(tracer: Tracer, tag: int, writer: Writer) -> set[Gate]:
    journal, circuit = tracer.journal, tracer.circuit(writer.step)
    power = writer.power if writer.power is not None else writer.value
    rows = journal.rows(tag)
    if power is None or writer.bit >= 0 or not len(rows):
        return set()
    rows = rows[journal.raws(rows) != 0]
    own = [row for row in rows[-PULL_INS:].tolist() if journal.step(row) == writer.step and tracer.scan_of(row) >= 2]
    paths = circuit.paths(power, not writer.inverted)
    contacts = _contacts(tracer, circuit, writer, tag, paths)
    if contacts is not None:
        return _contacts_that_came_last(tracer, writer.step, paths, contacts, own)
    found: set[Gate] = set()
    for row in own:
        now = tracer.seen(writer.step, tracer.scan_of(row))
        before = tracer.seen(writer.step, now.scan - 1)
        for path in circuit.complete(power, now.result, not writer.inverted)[:MOST_PATHS]:
            fresh = [g for g in path if not circuit.passes(g, before.result)]
            if fresh:
                found.add(max(fresh, key=lambda g: gate_time(tracer, g, now)))
    return found


def _contacts(tracer: Tracer, circuit: Circuit, writer: Writer, tag: int, paths: list[Path]) -> dict[int, tuple[int, bool]] | None:
    """What the contacts of a rung look at, by node, and whether a standard block of the rung gives it; None where the rung is made of more than
    contacts of BOOL tags, or it or what it calls writes one of them otherwise."""
    found: dict[int, tuple[int, bool]] = {}
    calls = tracer.controller.calls
    if circuit.cut:
        return None
    for gate in {gate for path in paths for gate in path}:
        load = circuit.leaves.get(gate.at)
        cell = tracer.fixed(load, writer.step) if isinstance(load, Load) and is_fixed(load) else None
        if cell is None or cell.bit >= 0 or not tracer.boolean(cell.number):
            return None
        writers = tracer.writers.get(cell.number, ())
        given = len(writers) == 1 and (writers[0].kind, writers[0].step) == (Kind.BLOCK, writer.step)
        if given and not is_output(tracer, gate, tracer.seen(writer.step, 1)):
            return None
        if cell.number != tag and not given and any(writer.step in (w.step, *calls.above(w.step)) for w in writers):
            return None
        found[gate.at] = cell.number, given
    return found


def _contacts_that_came_last(tracer: Tracer, step: int, paths: list[Path], contacts: dict[int, tuple[int, bool]], rows: list[int]) -> set[Gate]:
    """The gates that closed last in a rung of contacts when it switched its tag on, from the rows of what they look at.

    Args: contacts: the tag of each, by node, and whether a block of the rung gives it; rows: those in which the tag came on.
    """
    journal, paths_of, found = tracer.journal, tracer.paths, set[Gate]()
    last_rows = {tag: (_last_rows(journal, tag), given) for tag, given in contacts.values()}
    for row in rows:
        now = {tag: of(row) for tag, (of, _) in last_rows.items()}
        former = paths_of.last_run(journal, step, tracer.scan_of(row) - 1)
        since = paths_of.seen(journal, step, former)
        done = paths_of.done(journal, step, former) if any(given for _, given in last_rows.values()) else since
        fresh = {tag: time_of(tracer, tag, now[tag][0]) for tag, (of, given) in last_rows.items() if of(done if given else since)[1] != now[tag][1]}
        complete = (path for path in paths if all(now[contacts[gate.at][0]][1] != gate.negated for gate in path))
        for path in islice(complete, MOST_PATHS):
            last = max((gate for gate in path if contacts[gate.at][0] in fresh), key=lambda gate: fresh[contacts[gate.at][0]], default=None)
            if last is not None:
                found.add(last)
    return found


def _last_rows(journal: Journal, tag: int) -> Callable[[int], tuple[int | None, bool]]:
    """What gives a BOOL tag's last row before a position (None where there is none), and whether it was on there."""
    rows = journal.rows(tag)
    if len(rows) > _MOST_AT_ONCE:
        return lambda position: (journal.last_row(tag, position), bool(journal.value_at(tag, position)))
    places, values = rows.tolist(), [journal.value_at(tag, 0) != 0, *(journal.raws(rows) != 0).tolist()]

    def found(position: int) -> tuple[int | None, bool]:
        count = bisect_left(places, position)
        return (places[count - 1] if count else None), values[count]

    return found


def _conditions(tracer: Tracer, circuit: Circuit, gates: set[Gate], seen: Seen, tag: int) -> list[Command]:
    """The commands among gates: those that look at a BOOL tag outside the step's own standard blocks."""
    found: list[Command] = []
    for gate in gates:
        number, load = gate_tag(tracer, gate, seen), circuit.load(gate)
        bit = gate_bit(tracer, gate, seen)
        if number is not None and bit >= 0 and not gate.negated and any(w.bit == bit for w in tracer.writers.get(number, ())):
            found.append(Command(number, True, bit=bit))
        made = circuit.made(circuit.behind(circuit.leaves.get(gate.at))) if load is None else None
        passed = limit_of(tracer, made, seen, gate_words(tracer, Gate(gate.at), seen)) if isinstance(made, Op) else None
        if passed is not None and passed[0] != tag and all(w.kind is not Kind.BLOCK for w in tracer.writers.get(passed[0], ())):
            found.append(Command(passed[0], not gate.negated, limit=passed[1]))
        if number is None or number == tag or load is None or not tracer.boolean(number):
            continue
        writers = tracer.writers.get(number, ())
        own = bool(writers) and all(w.kind is not Kind.BLOCK for w in writers)  # what a block of the program's own gives
        if own or tracer.origin(seen.step, load.at).what in ("", "gate"):
            leaf = circuit.leaves.get(gate.at)
            edge = isinstance(leaf, Edge)
            on = leaf.rising if isinstance(leaf, Edge) else not gate.negated
            given = [_input_behind(tracer, one) for one in elements(tracer, load, number, seen)]
            found += [Command(one, on, edge, seen.step if len(tracer.writers.get(one, ())) > 1 or one in tracer.external else -1) for one in given]
    return found


def _input_behind(tracer: Tracer, tag: int) -> int:
    """The input that the pin of a block is handed as it is; else the tag itself."""
    found = source(tracer, tag) if tracer.tag(tag).kind is VariableKind.INPUT else None
    return found if found is not None else tag


def elements(tracer: Tracer, load: Load, number: int, seen: Seen) -> list[int]:
    """All elements of an array that a computed subscript may choose; else the tag alone."""
    if not load.target.terms:
        return [number]
    element = tracer.origin(seen.step, load.at).element
    uses = [use for use in tracer.controller.access.of_step(seen.step) if not use.writes and use.element == element and use.may_be(number)]
    return list(islice(uses[0].tags(), MOST_ELEMENTS)) if uses else [number]
