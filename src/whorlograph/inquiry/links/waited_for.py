"""What an on-delay that has elapsed waited for: what should have ended its input in time, and has not come, or came too late."""

from __future__ import annotations

from collections import Counter
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from whorlograph.engine.code import Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import RootKind

from ..auxiliary import reports
from ..circuit import Gate
from ..how_often import how_often
from ..trail import Link, Root
from ..writers import BlockCall
from .block_pins import pin_fell
from .field_input import input_link
from .gates import at_once, gate_tag
from .handed_as_it_is import copies, source
from .rung_false import first_out
from .too_late import LEAST, MOST_BEFORE, Waited, came, overdue

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_BEHIND = 8  # of which it is followed back what ended them


def add_waited_for(tracer: Tracer, found: Link, call: BlockCall, label: str, scan: int, row: int) -> None:
    """Say at the link of an on-delay, and at the roots below it, what it waited for. Args: row: in which its input came."""
    tags, journal = {n.lower(): t for n, t in call.tags.items()}, tracer.journal
    ran_out = journal.next_row(tags["q"], row)
    waited = (journal.time(row), journal.time(ran_out)) if ran_out is not None else None
    if not _add_usual(tracer, found, call, label, tags, row, waited):
        _add_feedback(tracer, found, call, label, scan, waited, _ended_once(tracer, call, tags, row))


def _ended_once(tracer: Tracer, call: BlockCall, tags: dict[str, int], row: int) -> set[int]:
    """Of an on-delay whose input came once before, and went in time: the tags that ended it then."""
    power, journal = call.pins.get("IN"), tracer.journal
    rows = journal.rows(tags["in"])
    falls = [r for r in rows[:int(np.searchsorted(rows, row))].tolist() if not journal.raw(r)]
    if power is None or len(falls) != 1 or journal.value_at(tags["q"], falls[0]):
        return set()
    scan = tracer.scan_of(falls[0])
    now = tracer.seen(call.step, scan)
    lost = first_out(tracer, power, now, tracer.seen(call.step, scan - 1))
    return {tag for gate in at_once(tracer, lost, now) if (tag := gate_tag(tracer, gate, now)) is not None}


def _add_feedback(tracer: Tracer, found: Link, call: BlockCall, label: str, scan: int, waited: Waited | None, once: set[int]) -> None:
    """Of an on-delay that has elapsed: the auxiliary contact in its input that should have followed a coil in there, whatever was before; of an input
    that never came beside an output alone it is taken to be one.

    Args: once: what ended it the only time before.
    """
    power, now = call.pins.get("IN"), tracer.seen(call.step, scan)
    for path in tracer.circuit(call.step).complete(power, now.result) if power is not None else ():
        gates = [(gate.negated, tag) for gate in path if (tag := gate_tag(tracer, gate, now)) is not None]
        for first, second in (*combinations(gates, 2), *(pair for gate in path for pair in _unlike(tracer, call, gate, now))):
            if first[0] == second[0]:
                continue
            for (negated, pin), (_, coil) in ((first, second), (second, first)):
                tag = source(tracer, pin) if tracer.boolean(pin) else None
                if tag is None or not tracer.writers.get(coil) or (not negated and source(tracer, coil) is not None):
                    continue  # nothing is to end: of two inputs the one that is not negated is the command
                same = (coil, *copies(tracer, coil))
                reported = next((one for one in same if reports(tracer, one, tag)), None)
                watched = len(gates) == 2 and any(tracer.tag(one).at_output for one in same) and _may_report(tracer, tag, now)
                if reported is None and pin not in once and not watched:
                    continue
                if all(root.tag != tag for root in found.all_roots()):
                    found.children.append(input_link(tracer, tag, now.after))
                how = f"reports {tracer.name(reported)} back" if reported is not None else \
                    f"ended the time of {label} the one time before" if pin in once else f"would have ended the time of {label}"
                said = f"{how}, and {came(tracer, tag, waited)}"
                if _leads(found, tag, waited, said):
                    found.text += f"; {tracer.name(tag)} {said}"
                    return


def _may_report(tracer: Tracer, tag: int, now: Seen) -> bool:
    """Whether nothing is known of an input: it has not changed in the log so far, and no list says whose it is."""
    point = tracer.iolist.get(tag)
    return tag in tracer.logged and tracer.changed_last(tag, tracer.time(now.scan)) is None and not (point is not None and point.device)


def _unlike(tracer: Tracer, call: BlockCall, gate: Gate, now: Seen) -> list[tuple[tuple[bool, int], tuple[bool, int]]]:
    """The two tags of which a gate says that they are unlike (XOR, or <> of BOOLs), one of them as if negated; none of another gate."""
    circuit = tracer.circuit(call.step)
    made = circuit.behind(circuit.leaves.get(gate.at))
    if not isinstance(made, Op) or made.code not in ("XOR", "NE") or len(made.args) != 2 or gate.negated:
        return []
    read = [circuit.behind(one) for one in made.args]
    cells = [tracer.cell(one, now) if isinstance(one, Load) and one.type == "BOOL" else None for one in read]
    first, second = (cell.number if cell is not None else None for cell in cells)
    return [((False, first), (True, second))] if first is not None and second is not None else []


def _add_usual(tracer: Tracer, found: Link, call: BlockCall, label: str, tags: dict[str, int], row: int, waited: Waited | None) -> bool:
    """Of an on-delay that has elapsed: what ended its input in time before, mostly, and has not come this time; whether anything is said of that.

    Args: row: in which its input came.
    """
    power, journal = call.pins.get("IN"), tracer.journal
    if power is None:
        return False
    rows = journal.rows(tags["in"])
    before = rows[:int(np.searchsorted(rows, row))].tolist()
    falls = [r for r in before if not journal.raw(r)]
    every = [r for r in falls if not journal.value_at(tags["q"], r)]
    if len(falls) > 2 * len(every):
        return False  # mostly it runs out: nothing was waited for
    fell = _of_the_same_way(tracer, call, power, every[-MOST_BEFORE:], row)
    cut = len(every) > MOST_BEFORE
    ended: Counter[int] = Counter()
    for one in fell:
        scan = tracer.scan_of(one)
        now = tracer.seen(call.step, scan)
        lost = first_out(tracer, power, now, tracer.seen(call.step, scan - 1))
        # That an output fell that is watched says nothing of what should have ended it.
        ended.update({tag for gate in at_once(tracer, lost, now) if (tag := gate_tag(tracer, gate, now)) is not None
                      and (gate.negated or not tracer.writers.get(tag))})
    often = {tag: times for tag, times in ended.items() if times >= LEAST and times * 2 > len(fell)}
    behind, unsure = fell[-MOST_BEHIND:], not often or any(tracer.writers.get(tag) for tag in often)
    if unsure and _add_missing(tracer, found, call, label, behind, cut or len(fell) > len(behind), waited):
        return True  # further back, what a device did
    said = False
    for tag, times in often.items():
        so = f"{how_often(times, len(fell), cut)}, and {came(tracer, tag, waited)}"
        if _leads(found, tag, waited, f"ended the time of {label} {so}"):
            said = True
            found.text += f"; {tracer.name(tag)} ended that {so}"
    return said


def _of_the_same_way(tracer: Tracer, call: BlockCall, power: Expr, fell: list[int], row: int) -> list[int]:
    """The falls of runs that began by a path by which this one began: one timer may watch one way and the other. All where these are too few."""
    circuit, journal = tracer.circuit(call.step), tracer.journal

    def begun(rise: int | None) -> set[frozenset[Gate]]:
        now = tracer.seen(call.step, tracer.scan_of(rise)) if rise is not None else None
        return {frozenset(path) for path in circuit.complete(power, now.result)} if now is not None else set()

    mine = begun(row)
    alike = [one for one in fell if begun(journal.last_row(journal.tag(one), one)) & mine]
    return alike if len(alike) >= LEAST else fell


def _leads(found: Link, tag: int, waited: Waited | None, said: str) -> bool:
    """Let what tells of a tag below a link lead: an input itself, or the trail of what the program writes. Returns: whether anything tells of it.

    Args: said: of an input, what is to be said of it.
    """
    root = next((r for r in found.all_roots() if r.tag == tag and r.kind is RootKind.FIELD_INPUT), None)
    if root is not None:
        overdue(root, waited)
        root.text += f"; it {said}"
        return True
    above, part = next(((one, c) for _, one in found.walk() for c in one.children if c.tag == tag), (None, None))
    if above is None or part is None:
        return False
    above.children.remove(part)
    above.children.insert(0, part)
    for one in part.all_roots():
        if one.value is not None:
            overdue(one, waited)
    return True


def _add_missing(tracer: Tracer, found: Link, call: BlockCall, label: str, fell: list[int], cut: bool, waited: Waited | None) -> bool:
    """Of a timer whose input a device ended in time before, mostly: that end, where it stands in the trail and has not come.

    Args: fell: those times; cut: there were earlier ones. Returns: whether there is one.
    """
    ends: list[set[tuple[object, ...]]] = []
    for row in fell:
        with tracer.aside(brief=True):
            link = pin_fell(tracer, call, "IN", "", tracer.scan_of(row), 0)
        ends.append({_come(root) for root in link.all_roots() if root.changed})
    # What ended it in a step that has been passed this time has come: it says nothing of this one.
    known = [root for root in found.all_roots() if isinstance(root.value, bool)]
    come = {_come(root) for root in known} - {_come(root, other=True) for root in known}
    others = [one for one in ends if not one or not one <= come]
    of, ends = len(ends) if len(others) == len(ends) else None, others
    ended = Counter(key for one in ends for key in one)
    _add_beside(tracer, found, ended, len(ends))
    said = False
    for root in found.all_roots():
        times, value = ended[_come(root, other=True)], root.value
        if root.kind is not RootKind.FIELD_INPUT or times < LEAST or times * 2 <= len(ends):
            continue
        overdue(root, waited)
        so = came(tracer, root.tag, waited) if isinstance(value, bool) else "has not now"
        root.text += f"; it ended the time of {label} {how_often(times, of, cut)}, and {so}"
        if not said:
            found.text += f"; {tracer.name(root.tag)} ended that {how_often(times, of, cut)}, and {so}"
        said = True
    return said


def _add_beside(tracer: Tracer, found: Link, ended: Counter[tuple[object, ...]], of: int) -> None:
    """Add the inputs that mostly ended a time, and have not come, where the trail does not tell of them: what stood already lies beside it."""
    told = {root.tag for root in found.all_roots()}
    position = tracer.journal.settled_position(found.scan)
    for (kind, tag, bit, value), times in list(ended.items()):
        if kind is not RootKind.FIELD_INPUT or not isinstance(tag, int) or not isinstance(value, bool) or bit != -1 or tag in told:
            continue
        if times >= LEAST and times * 2 > of and bool(tracer.journal.value_at(tag, position)) != value:
            found.children.append(input_link(tracer, tag, position))


def _come(root: Root, other: bool = False) -> tuple[object, ...]:
    """What came with a root: of a BOOL that it did so with its value. Args: other: that of its opposite, which has not come."""
    return *root.key, root.value != other if isinstance(root.value, bool) else None
