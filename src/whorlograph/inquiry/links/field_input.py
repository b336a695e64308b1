"""The end of most trails: a value that no rung writes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.literals import duration_text
from whorlograph.model.question import LinkKind, RootKind

from ..now import given_root
from ..pace import pace
from ..pulses import BOUNCE, Stay, Stays, bit_stays
from ..trail import Link, Root
from ..wiring import meaning, readings, where
from ..writers import Kind

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


A_MOMENT = 100_000_000  # ns that a contact which bounces, or a loose wire, is otherwise


def input_link(tracer: Tracer, tag: int, position: int, bit: int = -1) -> Link:
    """A link without a rung that carries the root: input, never-written value, or a gap in the log."""
    root = input_root(tracer, tag, position, bit)
    scan = tracer.journal.clock.scan_at(root.since) if root.since is not None else 0
    return Link(LinkKind.BLOCK, tag, root.value, root.since, -1, scan, root.text, roots=[root])


def not_run_yet(tracer: Tracer, tag: int, view: Vantage) -> Link:
    """A tag whose rungs come later in the first scan: it has its declared value."""
    value = tracer.value(tag, tracer.journal.value_at(tag, tracer.position(view)))
    name = tracer.name(tag)
    text = f"{name} has its declared value {tracer.state_word(value, tag)}: no rung that writes it has run yet"
    root = Root(RootKind.INITIAL_VALUE, tag, value, None, text, f"see whether {name} should begin otherwise")
    return Link(LinkKind.BLOCK, tag, value, None, -1, 0, text, roots=[root])


def input_root(tracer: Tracer, tag: int, position: int, bit: int = -1) -> Root:
    """The root for a tag, or a bit of a number, that no rung writes."""
    one, journal = tracer.tag(tag), tracer.journal
    bits = journal.value_at(tag, position)
    row = journal.last_row(tag, position)
    value = tracer.value(tag, bits)
    point = tracer.iolist.get(tag)
    if tracer.now is not None:
        return given_root(tracer, tag, bits)
    at_input = one.address is not None and one.address.area == "I"
    if bit >= 0 and tracer.writers.get(tag):
        state = "on" if bits >> bit & 1 else "off"
        return Root(RootKind.INITIAL_VALUE, tag, value, None, f"bit {bit} of {one.name} is never written: it is {state}",
                    f"find out who should write bit {bit} of {one.name}", point)
    if tag in tracer.left_out:
        since = journal.time(row) if row is not None and journal.time(row) > 0 else None
        source = "comes from the log" if tag in tracer.logged else "is the declared one"
        text = f"{one.name} is written in {tracer.left_out[tag]}; its value, {tracer.state_word(value, tag)}, {source}"
        rung = tracer.left_out[tag].partition(",")[0]
        return Root(RootKind.PROGRAM, tag, value, since, text, f"look at {rung} by hand: what it writes is not known here", point)
    if bit >= 0 and tag in tracer.recorded_bits and not tracer.recorded_bits[tag] >> bit & 1:
        text = f"bit {bit} of {one.name} has no row in the log: it is taken as {'on' if bits >> bit & 1 else 'off'}, its declared value"
        check = f"read bit {bit} of {one.name} at its input and record it"
        return Root(RootKind.LOG_GAP, tag, value, None, text, check, point, bit=bit, unrecorded=True)
    if tag in tracer.logged:
        seen = journal.time(row) if row is not None else 0
        found = tracer.changed_at(tag, row) if row is not None else None
        since = found if found is not None else (seen if row is not None and seen > 0 else None)
        found_root = Root(RootKind.FIELD_INPUT, tag, value, since, point=point)
        return _described(tracer, found_root) if bit < 0 or tracer.boolean(tag) else _bit_described(tracer, found_root, bit)
    if at_input:
        text = f"{one.name} has no row in the log: it is taken as {tracer.state_word(value, tag)}, its declared value"
        return Root(RootKind.LOG_GAP, tag, value, None, text, f"read {one.name} at its input and record it", point, unrecorded=True)
    if tag in tracer.driven:
        since = journal.time(row) if row is not None else None
        text = f"{one.name} is driven by the controller itself and is {tracer.state_word(value, tag)}" + (f" since {tracer.at(since)}" if row else "")
        return Root(RootKind.PROGRAM, tag, value, since, text, f"see the profile: it names {one.name}", point)
    kind = RootKind.CONSTANT if one.constant else RootKind.INITIAL_VALUE
    words = "is a constant" if one.constant else _unwritten(tracer, tag)
    of_bit = f" (bit {bit} is {'on' if bits >> bit & 1 else 'off'})" if bit >= 0 else ""
    return Root(kind, tag, value, None, f"{one.name} {words}: it has its declared value {tracer.state_word(value, tag)}{of_bit}",
                f"find out who should write {one.name}", point, unrecorded=kind is RootKind.INITIAL_VALUE)


def _unwritten(tracer: Tracer, tag: int) -> str:
    """What there is to a tag that has its declared value: nothing that writes it, only what resets it, or nothing that has."""
    by = tracer.writers.get(tag, ())
    if by and all(w.kind is Kind.RESET for w in by):
        return f"is only reset, in {tracer.place(by[0].step)}, and never set"
    return "has not been written" if by else "is never written"


def _described(tracer: Tracer, root: Root) -> Root:
    """Put a field input into words: what it did, how often, what to check where."""
    assert root.tag is not None
    one = tracer.tag(root.tag)
    point = root.point
    if not tracer.boolean(root.tag):
        stay = tracer.stretches(root.tag).at(root.since) if root.since is not None else None
        value, over = tracer.state_word(root.value, root.tag), _over(tracer, stay)
        begun = f"from the log's start{_ended(tracer, tracer.stretches(root.tag)) or ' on'}"
        since = f"since {tracer.at(root.since)}" if root.since is not None else begun
        root.text = f"{one.name} read {value} {over}" if over else f"{one.name} reads {value} {since}"
        root.what_to_check = where(point, one)
        return root
    on = bool(root.value)
    now = _unseen_joined(tracer, tracer.stretches(root.tag), root.since) if root.since is not None else None
    if now is not None:
        root.since = now.start
    if root.since is None:
        happened = f"{one.name} was {'on' if on else 'off'} from the log's start{_ended(tracer, tracer.stretches(root.tag))}"
    elif now is not None and now.ended and now.length < 2_000_000_000:
        happened = f"{one.name} went {'on' if on else 'off'} for {duration_text(now.length)} at {tracer.at(root.since)}"
    elif over := _over(tracer, now):
        happened = f"{one.name} was {'on' if on else 'off'} {over}"
    else:
        happened = f"{one.name} {'on' if on else 'off'} since {tracer.at(root.since)}"
    root.short, told = tracer.short(root.tag, int(on))
    said = (point.description if point is not None else "") or one.documentation
    label = f" ({said})" if said else ""
    within = tracer.recorded_as.get(root.tag)
    if within is not None:
        told = "; ".join(filter(None, (told, f"the log has it as bit {within.theirs} of {tracer.name(within.other)}")))
    root.text = f"{happened}{_bounced(tracer.stretches(root.tag), root.since)}{label}" + (f"; {told}" if told else "") + _paced(tracer, root)
    wired = point is not None or (one.address is not None and one.address.area == "I")
    means = meaning(point, on) if wired else ""
    root.what_to_check = where(point, one) + (f"; {means}" if means else "")
    root.readings = readings(point, on) if wired else ""
    return root


def _bounced(found: Stays, since: int | None) -> str:
    """That an input was otherwise only for a moment before; "" where it was for longer, or all the time before."""
    here = found.number_at(since) if since is not None else None
    before = found[here - 1] if here is not None and here >= 2 else None
    return f", after {duration_text(before.length)} {'on' if before.value else 'off'}" if before is not None and before.length <= A_MOMENT else ""


def _paced(tracer: Tracer, root: Root) -> str:
    """Of an input that pulses: that it does so too slowly by the time in question, or no more; "" of any other."""
    if root.tag is None or root.since is None:
        return ""
    return _pace_words(tracer, root.tag, -1, tracer.stretches(root.tag), root.since)


def _pace_words(tracer: Tracer, tag: int, bit: int, stretches: Stays, since: int) -> str:
    """How the pace of an input has fallen by an instant, or by the moment asked for; "" where it has not. Worked out once."""
    key = tag, bit, since, tracer.asked
    if key not in tracer.paces:
        found = pace(stretches, since) or pace(stretches, tracer.asked)
        tracer.paces[key] = f"; {found.text.format(tracer.at(found.since))}" if found is not None else ""
    return tracer.paces[key]


def _bit_described(tracer: Tracer, root: Root, bit: int) -> Root:
    """Put a bit of a word that is an input into words."""
    assert root.tag is not None
    one, found = tracer.tag(root.tag), bit_stays(tracer.stretches(root.tag), bit)
    stay = found.at(root.since) if root.since is not None else None
    state = "on" if isinstance(root.value, int) and root.value >> bit & 1 else "off"
    root.bit, root.since = bit, stay.start if stay is not None and stay.start > 0 else None
    over = _over(tracer, stay)
    since = f"{state} since {tracer.at(root.since)}" if root.since is not None else f"was {state} from the log's start{_ended(tracer, found)}"
    when = f"was {state} {over}" if over else since
    root.text = f"bit {bit} of {one.name} {when}; the word reads {tracer.state_word(root.value, root.tag)}"
    root.text += _pace_words(tracer, root.tag, bit, found, root.since) if root.since is not None else ""
    root.what_to_check = f"{where(root.point, one)}, its bit {bit}"
    return root


def _ended(tracer: Tracer, stretches: Stays) -> str:
    """Until when an input had the value with which the log begins, where it has another one by the moment asked for; "" where it has not."""
    stay = stretches.at(0)
    return f" to {tracer.at(stay.start + stay.length)}" if stay is not None and stay.ended and stay.start + stay.length <= tracer.asked else ""


def _over(tracer: Tracer, stay: Stay | None) -> str:
    """From when to when an input had its value, where it has another one by the moment asked for; "" where it has not."""
    if stay is None or not stay.ended or stay.start + stay.length > tracer.asked:
        return ""
    return f"from {tracer.at(stay.start)} to {tracer.at(stay.start + stay.length)}"


def _unseen_joined(tracer: Tracer, found: Stays, time: int) -> Stay | None:
    """The stretch that a time falls into, with those beside it that a bounce parts from it which no scan, or run of a task, saw."""
    here = found.number_at(time)
    if here is None:
        return None
    clock, journal = tracer.journal.clock, tracer.journal

    def unseen(i: int) -> bool:
        stay = found[i]
        end = stay.start + max(1, stay.length)
        last = clock.scan_at(end - 1)
        brief = stay.ended and stay.length <= BOUNCE and (last <= 0 or clock.start(last) < stay.start)
        return brief and not any(journal.ran_between(task, stay.start, end) for task in journal.tasks)

    first = last = here
    while first >= 2 and unseen(first - 1):
        first -= 2
    while last + 2 < len(found) and unseen(last + 1):
        last += 2
    start, end = found[first], found[last]
    return Stay(start.start, end.start + end.length - start.start, start.value, end.ended)
