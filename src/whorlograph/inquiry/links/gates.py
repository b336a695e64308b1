"""Gates on a path: when they changed, how they are called, and why they stand as they do."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Base, Edge, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.scope.widening import COMPARISONS
from whorlograph.model.iolist import Wiring
from whorlograph.model.question import LinkKind, RootKind

from ..circuit import Gate
from ..languages import words_of
from ..trail import Link, Root
from ..writers import Kind
from .field_input import input_root
from .pins import explain_operand, explain_read

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_GATES = 6  # of a path that are followed
MOST_NAMED = 3  # in a sentence


def gate_tag(tracer: Tracer, gate: Gate, seen: Seen) -> int | None:
    """The tag a gate looks at: a contact's, or a block's output."""
    cell = tracer.cell(tracer.circuit(seen.step).load(gate), seen)
    return cell.number if cell is not None else None


def gate_bit(tracer: Tracer, gate: Gate, seen: Seen) -> int:
    """The bit of it, -1 the whole."""
    cell = tracer.cell(tracer.circuit(seen.step).load(gate), seen)
    return cell.bit if cell is not None else -1


def is_output(tracer: Tracer, gate: Gate, seen: Seen) -> bool:
    """Whether it is an output of a block that the step itself executes."""
    load = tracer.circuit(seen.step).load(gate)
    if load is None or tracer.origin(seen.step, load.at).what not in ("", "gate"):
        return load is not None
    cell = tracer.cell(load, seen)  # read by its name, behind the block in the same step
    before, writers = tracer.circuit(seen.step).before, tracer.writers.get(cell.number, ()) if cell is not None else ()
    return any(w.step == seen.step and w.kind is Kind.BLOCK and before(w.at, load.at) for w in writers)


def gate_time(tracer: Tracer, gate: Gate, seen: Seen) -> tuple[int, int]:
    """(time in ns, row) of a gate's last change before the step saw it; (0, -1) where it never changed."""
    tag = gate_tag(tracer, gate, seen)
    if tag is None or tracer.now is not None:
        return 0, -1  # what is seen now has stood
    load = tracer.circuit(seen.step).load(gate)
    given = is_output(tracer, gate, seen) or (load is not None and tracer.view_at(tag, load.at, seen).behind >= 0)
    return time_of(tracer, tag, tracer.last_row(tag, seen.after if given else seen.position, gate_bit(tracer, gate, seen)))


def time_of(tracer: Tracer, tag: int, row: int | None) -> tuple[int, int]:
    """(time in ns, row) of a change of a tag in a row; (0, -1) where there is none."""
    if row is None:
        return 0, -1
    time = _exact_time(tracer, tag, row)
    return (time, row) if time > 0 or tracer.journal.step(row) >= 0 else (0, -1)  # with which the log begins is no change


def _exact_time(tracer: Tracer, tag: int, row: int) -> int:
    """When a change happened: an input's by the log, another's by its scan's clock."""
    clock = tracer.journal.time(row)
    if tracer.journal.step(row) < 0 and tag in tracer.logged:
        found = tracer.changed_at(tag, row)
        if found is not None:
            return found
    return clock


def at_once(tracer: Tracer, gates: list[Gate], seen: Seen) -> list[Gate]:
    """Of gates in the order in which they changed, the first with those that changed at the same instant of the log, or by what did."""
    found: dict[int | None, Gate] = {}
    first = None
    for gate in gates:
        tag, (_, row) = gate_tag(tracer, gate, seen), gate_time(tracer, gate, seen)
        instant = _instant(tracer, tag, row, seen.scan) if row >= 0 and len(gates) > 1 and (first is not None or not found) else None
        if not found:
            first = instant
        elif first is None or instant != first:
            continue
        found.setdefault(tag, gate)
    return list(found.values())


def _instant(tracer: Tracer, tag: int | None, row: int, scan: int) -> int | None:
    """When (ns) the log has the change by which a tag turned in a scan; None where it turned by something else, or in another scan."""
    if tag is None or tracer.journal.step(row) < 0:
        return _exact_time(tracer, tag, row) if tag in tracer.logged and tag is not None else None
    if tracer.scan_of(row) != scan or tracer.is_aside or not tracer.boolean(tag):
        return None
    if row not in tracer.instants:
        with tracer.aside():
            link = tracer.change(row, 0)
        root = next(iter(link.all_roots()), None) if link is not None else None
        since = root.since if root is not None and root.kind is RootKind.FIELD_INPUT else None
        tracer.instants[row] = since if since is not None and tracer.time(scan - 1) < since <= tracer.time(scan) else None
    return tracer.instants[row]


def element_of(tracer: Tracer, gate: Gate, step: int) -> int:
    """The element that a gate came from."""
    return tracer.origin(step, gate.at).element


def elements_of(tracer: Tracer, gates: list[Gate], step: int) -> tuple[int, ...]:
    """The elements that gates came from."""
    return tuple(dict.fromkeys(element_of(tracer, g, step) for g in gates))


def gate_words(tracer: Tracer, gate: Gate, seen: Seen) -> str:
    """A gate as a person calls it: the tag, or the block and its pin."""
    step = tracer.steps.all[seen.step]
    origin = tracer.origin(seen.step, gate.at)
    plain = words_of(step).gate(step, origin.element, origin.what, origin.passing)
    if not plain:
        tag = gate_tag(tracer, gate, seen)
        plain = tracer.name(tag) if tag is not None else "a condition"
    said = words_of(step).wanted(plain, not gate.negated)
    if _not_executed(tracer, gate, seen):
        return f"{said}, which is not executed,"
    return said


def gate_key(tracer: Tracer, gate: Gate, seen: Seen) -> tuple[object, ...]:
    """What makes two gates of a step one condition: the same tag or bit, looked at the same way."""
    leaf = tracer.circuit(seen.step).leaves.get(gate.at)
    cell = tracer.cell(tracer.circuit(seen.step).load(gate), seen) if not isinstance(leaf, Edge) else None
    return (cell, gate.negated) if cell is not None else (gate,)


def distinct(tracer: Tracer, gates: list[Gate], seen: Seen) -> list[Gate]:
    """Gates without those that only repeat the condition of an earlier one."""
    return list({gate_key(tracer, g, seen): g for g in reversed(gates)}.values())[::-1]


def several_words(tracer: Tracer, gates: list[Gate], seen: Seen) -> str:
    """What gates are called, three at most."""
    words = list(dict.fromkeys(gate_words(tracer, g, seen) for g in distinct(tracer, gates, seen)))
    return " and ".join(words[:MOST_NAMED]) + (f" and {len(words) - MOST_NAMED} more" if len(words) > MOST_NAMED else "")


def _not_executed(tracer: Tracer, gate: Gate, seen: Seen) -> bool:
    """Whether a gate is the kept result of a function that was not executed in a step."""
    circuit = tracer.circuit(seen.step)
    leaf = circuit.behind(circuit.leaves.get(gate.at))
    store = circuit.kept.get(leaf.target.cell) if isinstance(leaf, Load) and leaf.target.base == Base.HIDDEN else None
    guards = tracer.written.guards(seen.step, store) if store is not None else None
    return guards is not None and not circuit.on(guards, seen.result)


def _wrong_way_round(tracer: Tracer, link: Link, root: Root, gate: Gate) -> None:
    """Say of a stop wired normally closed that a reset reads it as if it were normally open."""
    if link.kind is LinkKind.RESET_BY and root.value is True and not gate.negated and root.point is not None \
            and root.point.wiring is Wiring.NORMALLY_CLOSED:
        root.text += f"; {tracer.place(root.step)} reads it as if it were wired normally open: its contact passes while nobody actuates it"


def explain_gate(tracer: Tracer, link: Link, gate: Gate, seen: Seen, depth: int, change: bool) -> None:
    """Add to a link why a gate stands as it does: a child link, or the roots at its end."""
    circuit = tracer.circuit(seen.step)
    load, leaf = circuit.load(gate), circuit.behind(circuit.leaves.get(gate.at))
    child: Link | None = None
    edge = circuit.leaves.get(gate.at)
    if isinstance(edge, Edge):
        child = tracer.links.edge(tracer, gate, edge, seen, depth + 1, change)
    elif load is not None and load.target.base == Base.HIDDEN:
        child = tracer.links.kept(tracer, load, seen, depth + 1, change)
    elif load is not None:
        tag = gate_tag(tracer, gate, seen)
        if tag is None:
            return
        if not tracer.writers.get(tag):
            root = input_root(tracer, tag, seen.position, gate_bit(tracer, gate, seen))
            root.changed = change and root.since is not None
            root.step = seen.step
            _wrong_way_round(tracer, link, root, gate)
            link.roots.append(root)
            _explain_chosen(tracer, link, load, seen, depth)
            return
        if is_output(tracer, gate, seen):
            child = tracer.links.output(tracer, tag, seen, depth + 1, change)
        else:
            child = explain_read(tracer, tag, load, seen, change, depth, gate_bit(tracer, gate, seen))
    elif isinstance(leaf, Op) and leaf.code in COMPARISONS:
        child = tracer.links.compared(tracer, leaf, seen, depth + 1, change)
    else:
        child = tracer.links.computed(tracer, gate.at, circuit.leaves.get(gate.at), seen, depth + 1, change)
    if child is not None:
        link.children.append(child)
    _explain_chosen(tracer, link, load, seen, depth)


def _explain_chosen(tracer: Tracer, link: Link, load: Load | None, seen: Seen, depth: int) -> None:
    """Of an element of a table: what chose it."""
    for term in load.target.terms if load is not None and load.target.base != Base.HIDDEN else ():
        for index in tracer.circuit(seen.step).loads(term.index):
            if isinstance(index, Load) and not _counts_in_loop(tracer, index, seen):
                explain_operand(tracer, link, index, seen, depth)


def _counts_in_loop(tracer: Tracer, index: Load, seen: Seen) -> bool:
    """Whether a subscript is what the step itself counts with: its passes are told already."""
    cell = tracer.cell(index, seen)
    return cell is not None and any(w.step == seen.step for w in tracer.writers.get(cell.number, ()))
