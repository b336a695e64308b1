"""``not-met``: a comparison does not hold; traced to the writes that would meet it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind, RootKind

from .. import amounts, numbered
from ..circuit import Circuit
from ..languages import words_of
from ..since_when import Side, side, side_behind, tell
from ..tracer import DEEPEST, Vantage
from ..trail import Link, Root
from ..writers import Writer
from . import came_in_vain, falls_short, frozen, wanted_bits
from .field_input import input_root
from .pins import explain_value
from .rung_false import unpowered
from .skipped import link as skipped_link

if TYPE_CHECKING:
    from ..tracer import Tracer


MOST_WRITES = 3  # that lead on, or would set a number back
_LEFT_OUT = (LinkKind.NOT_CALLED, LinkKind.HELD_BY_JUMP, LinkKind.TASK_IDLE, LinkKind.TASK_HELD)
MOST_GIVEN = 12  # writes that are looked through for one that gives what is wanted


def link(tracer: Tracer, compared: Op, seen: Seen, depth: int, change: bool) -> Link | None:
    """A comparison with its operands' values, and who would have to change them."""
    step, circuit = tracer.steps.all[seen.step], tracer.circuit(seen.step)
    words, origin = words_of(step), tracer.origin(seen.step, compared.at)
    element = origin.element
    held = bool(seen.result.values.get(compared.at, seen.result.would.get(compared.at, False)))  # in a branch that was not taken: as it would be
    loads = [one for one in circuit.loads(compared) if isinstance(one, Load)]
    values = [f"{_name(tracer, one, seen)} is {_state(tracer, one, seen)}"
              for one in loads if one.at in seen.result.raws]
    asked, place = words.gate(step, element, origin.what or "OUT", origin.passing), tracer.place(seen.step, element)
    stands = side(tracer, compared, seen, held)
    since = stands.since if stands is not None else None
    text = f"{asked} {'holds' if held else 'does not hold'} in {place}{f' since {tracer.at(since)}' if since is not None else ''}"
    text += f" ({', '.join(values)})" if values else ""
    found = Link(LinkKind.NOT_MET if not held else LinkKind.BLOCK, None, held, None, seen.step, seen.scan, text, element, about=asked)
    if not held and wanted_bits.add(tracer, found, circuit, compared, seen, depth, change):
        return found
    if not held and not change and _add_what_would_meet_it(tracer, found, circuit, compared, seen, depth):
        return found
    passed = _passed(tracer, circuit, compared, seen) if held else None
    if passed is not None and not change:
        _add_begin(tracer, found, passed, seen.scan, depth)
    if not found.children and passed is None:
        explain_value(tracer, found, compared, seen, depth, tracer.number, tracer.before(seen) if change else None, change)
        if not change and len(loads) > 1:
            _only_the_last(found)
        _tell_bit(tracer, found, circuit, compared, seen)
        _tell_sides(tracer, found, stands, compared, seen, held)
    if held and not change:
        _add_what_would_end_it(tracer, found, circuit, compared, seen, depth)
    for one in loads if not change and tracer.now is None else ():
        _add_kept(tracer, found, one, seen, held, depth)
    return found


def _add_kept(tracer: Tracer, found: Link, load: Load, seen: Seen, held: bool, depth: int) -> None:
    """Of a number that is handed on from one that keeps its value: why nothing writes that."""
    cell, view = tracer.cell(load, seen), tracer.view_of(seen.step, seen.scan)
    source = frozen.kept_source(tracer, cell.number, view) if cell is not None and not tracer.boolean(cell.number) else None
    child = tracer.explain(source, view, False, depth + 1) if source is not None else None
    if child is not None and child.kind in _LEFT_OUT:
        if held:
            child.mark_missing()
        found.children.append(child)


def _add_what_would_meet_it(tracer: Tracer, found: Link, circuit: Circuit, compared: Op, seen: Seen, depth: int) -> bool:
    """Of a comparison that does not hold: why the writes that would meet it did not come. Returns: whether the step that stands says all."""
    def add(tag: int, writer: Writer, what: str = "") -> None:
        child = _why_not_written(tracer, tag, writer, seen.scan, depth, what)
        found.children += [child] if child is not None else []

    for tag, wanted in numbered.asked_for(circuit, compared, seen):
        now = tracer.journal.value_at(tag, seen.position)
        leaving = [w for w in numbered.leading(tracer, tag, now, wanted) if _stood(tracer, tag, w, seen.scan, now)]
        for writer in leaving[:MOST_WRITES]:
            add(tag, writer, f"the write that leaves {tracer.called(tag, now)}")
        if found.children:
            found.text += f"; wanted {tracer.called(tag, wanted)}"
            return True
        for writer in tracer.writers.get(tag, [])[:MOST_GIVEN]:
            if numbered.given_by(tracer, writer) == wanted:
                add(tag, writer)
    if not found.children:
        falls_short.add(tracer, found, circuit, compared, seen, depth, add)
    for tag, writer, number in amounts.would_turn(tracer, circuit, compared, seen, held=False) if not found.children else ():
        add(tag, writer, f"what would give {tracer.name(tag)} {tracer.state_word(number, tag)}")
    for tag, writer in amounts.votes(tracer, circuit, compared, seen) if not found.children else ():
        found.children.append(falls_short.vote(tracer, tag, writer, seen, depth))
    return False


def _add_what_would_end_it(tracer: Tracer, found: Link, circuit: Circuit, compared: Op, seen: Seen, depth: int) -> None:
    """Of a comparison that holds: why the writes that would end it did not come, and where none would, that."""
    if compared.code == "EQ":
        _add_way_out(tracer, found, circuit, compared, seen, depth)
    _tell_one_way(tracer, found, circuit, compared, seen)
    for tag, writer, number in amounts.setting_back(tracer, circuit, compared, seen)[:MOST_WRITES]:
        child = _why_not_written(tracer, tag, writer, seen.scan, depth, f"what would set {tracer.name(tag)} back to {number}")
        if child is not None:
            child.mark_missing()
            found.children.append(child)
    for tag, writer, other in amounts.would_turn(tracer, circuit, compared, seen, held=True)[:MOST_WRITES]:
        child = _why_not_written(tracer, tag, writer, seen.scan, depth, f"what would give {tracer.name(tag)} {tracer.state_word(other, tag)}")
        if child is not None:
            child.mark_missing()
            found.children.append(child)


def _tell_sides(tracer: Tracer, found: Link, stands: Side | None, compared: Op, seen: Seen, held: bool) -> None:
    """Let the inputs below a comparison say since when they have been on their side of it."""
    for root in found.all_roots():
        if stands is not None and root.tag == stands.tag:
            tell(tracer, root, stands)
        elif root.tag is not None and root.kind is RootKind.FIELD_INPUT:
            behind = side_behind(tracer, compared, seen, held, root.tag)
            if behind is not None:
                tell(tracer, root, behind)


def _passed(tracer: Tracer, circuit: Circuit, compared: Op, seen: Seen) -> int | None:
    """The sequence on the trail that came from the step compared with, as each time, or two steps back: not the steps behind it in a row."""
    for tag, number in numbered.asked_for(circuit, compared, seen) if compared.code == "EQ" else ():
        back = tracer.coils.count(tag)
        if back and numbered.is_sequence(tracer, tag) and (back > 1 or numbered.runs_through(tracer, tag, number, seen.scan) >= numbered.AS_EVER):
            return tag
    return None


def _add_begin(tracer: Tracer, found: Link, tag: int, scan: int, depth: int) -> None:
    """What began the run of a sequence, in place of all steps between; it did so as each time, and brought nothing about."""
    row = numbered.begun(tracer, tag, scan)
    key = (tag, row or -1, -1, -2)
    if row is None or key in tracer.open:
        return
    tracer.open.add(key)
    child = tracer.change(row, depth + 1)
    tracer.open.discard(key)
    if child is not None:
        for root in child.all_roots():
            root.changed = False
        child.text += ": so the sequence began"
        found.children.append(child)


def _tell_bit(tracer: Tracer, found: Link, circuit: Circuit, compared: Op, seen: Seen) -> None:
    """Where a word is looked at through a mask of one bit: that bit is the root."""
    sides = [circuit.plain(arg) for arg in compared.args]
    masked = next((side for side in sides if isinstance(side, Op) and side.code == "AND" and len(side.args) == 2), None)
    if masked is None or compared.code not in ("EQ", "NE"):
        return
    masks = [int(one.value) for arg in masked.args if (one := circuit.literal(arg)) is not None and isinstance(one.value, int)]
    loads = [load for arg in masked.args if isinstance(load := circuit.plain(arg), Load) and load.at in seen.result.cells]
    if len(masks) != 1 or len(loads) != 1 or masks[0] <= 0 or masks[0] & (masks[0] - 1):
        return
    tag = seen.result.cells[loads[0].at].number
    for n, root in enumerate(found.roots):
        if root.tag == tag and root.kind is RootKind.FIELD_INPUT and not tracer.boolean(tag):
            found.roots[n] = input_root(tracer, tag, seen.position, masks[0].bit_length() - 1)
            found.roots[n].changed, found.roots[n].step = root.changed, root.step


def _only_the_last(found: Link) -> None:
    """Of several values that a comparison stands on only the one that changed last brought it about."""
    roots = list(found.all_roots())
    last = max((root.since or 0 for root in roots), default=0)
    for root in roots:
        root.changed = root.changed and (root.since or 0) == last


def _add_way_out(tracer: Tracer, found: Link, circuit: Circuit, compared: Op, seen: Seen, depth: int) -> None:
    """Of a number that stays where it is: the writes that would lead on, and what blocks them."""
    for tag, wanted in numbered.asked_for(circuit, compared, seen):
        for writer in [w for w in tracer.writers.get(tag, []) if wanted in numbered.left_by(tracer, tag, w)][:MOST_WRITES]:
            child = _why_not_written(tracer, tag, writer, seen.scan, depth, f"the write that leaves {tracer.called(tag, wanted)}")
            if child is not None:
                child.mark_missing()
                found.children.append(child)


def _tell_one_way(tracer: Tracer, found: Link, circuit: Circuit, compared: Op, seen: Seen) -> None:
    """Of a number that no write takes back: that, as a root of the program."""
    way = amounts.one_way(tracer, circuit, compared, seen)
    if way is None:
        return
    tag, verb = way
    name, first = tracer.name(tag), tracer.writers[tag][0]
    row = tracer.journal.last_row(tag, seen.position)
    found.roots.append(Root(RootKind.PROGRAM, tag, tracer.value(tag, tracer.journal.value_at(tag, seen.position)),
                            tracer.journal.time(row) if row is not None else None,
                            f"nothing in the program sets {name} back: all that writes it {verb} it",
                            f"see {tracer.place(first.step)}, and find out who should set {name} back", step=first.step, defect=True))


def _state(tracer: Tracer, load: Load, seen: Seen) -> str:
    """What an operand held, an enumerator by its name."""
    number, value = seen.result.cells[load.at].number, seen.result.raws[load.at]
    if number < len(tracer.running.tags) and tracer.tag(number).enumeration is not None:
        return tracer.called(number, int(value))
    return tracer.number_word(value, load.type)


def _name(tracer: Tracer, load: Load, seen: Seen) -> str:
    """An operand as it is written, else as the tag is called."""
    step, origin = tracer.steps.all[seen.step], tracer.origin(seen.step, load.at)
    return words_of(step).value(step, origin.element, origin.passing) or tracer.name(seen.result.cells[load.at].number)


def _stood(tracer: Tracer, tag: int, writer: Writer, scan: int, now: int) -> bool:
    """Whether a tag had its number already when a writer had its turn: what came of the same turn leaves nothing yet."""
    at_scan = tracer.ran(writer.step, Vantage(scan))
    return at_scan != scan or tracer.journal.value_at(tag, tracer.seen(writer.step, at_scan).position) == now


def _why_not_written(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, what: str = "") -> Link | None:
    at_scan = tracer.ran(writer.step, Vantage(scan))
    if tracer.paths.skipped(tracer.journal, writer.step, at_scan) is not None:
        return skipped_link(tracer, tag, writer, at_scan, depth + 1)
    tracer.spent += 1
    key = (tag, writer.step, writer.at, at_scan)  # from one step of a sequence to the next, and round again
    if writer.guard is None or key in tracer.open or tracer.spent > tracer.most or depth > DEEPEST:
        return None
    tracer.coils.append(tag)
    tracer.open.add(key)
    try:
        found = unpowered(tracer, tag, writer.step, writer.element, writer.guard, at_scan, depth + 1, LinkKind.NEVER_SET,
                          what or f"the step that would write {tracer.name(tag)}")
    finally:
        tracer.coils.pop()
        tracer.open.discard(key)
    if found is not None:
        since = tracer.since(tag, Vantage(scan))
        came_in_vain.add(tracer, found, writer, at_scan, since if since is not None else 0, depth + 1)
    if found is not None and not tracer.boolean(tag):
        found.value = tracer.value(tag, tracer.journal.value_at(tag, tracer.seen(writer.step, at_scan).after))
    return found
