"""Survey and cross-reference as text, JSON and CSV."""

from __future__ import annotations

import csv
import io
import textwrap
from collections.abc import Iterable
from typing import Any

from whorlograph.inquiry.xref import Entry, Usage, Xref
from whorlograph.model.cells import cells, padded
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.log import tags_logged
from whorlograph.model.shown import json_visible, no_formula, visible
from whorlograph.model.times import clock_text

from .disagreeing import count_text, stretches
from .finding import Found, values_found
from .scan_times import ScanTimes
from .session import Session
from .survey import Survey, size_text

COLUMNS = ("tag", "address", "type", "device", "location", "terminal", "wiring", "description", "marks", "access", "how", "pou", "instance",
           "rung", "task", "comment")


def xref_of(session: Session) -> Xref:
    """The session's cross-reference, made once."""
    if session.xref is None:
        session.xref = Xref(session.controller, session.iolist, frozenset(tags_logged(session.log)))
    return session.xref


def names(session: Session, tags: Iterable[int]) -> list[str]:
    """Tags' names."""
    return [session.running.tags[t].name for t in tags]


def spot(place: Usage) -> str:
    """Where a use stands: POU and rung, or the task."""
    if place.use.step < 0:
        return f"task {place.task}"
    return f"{place.pou} {place.rung}" + (f" ({place.instance})" if place.instance else "")


def wiring_text(entry: Entry) -> str:
    """Device, location, terminal, wiring, drawing."""
    point = entry.point
    if point is None:
        return ""
    wiring = {"NO": "wired normally open", "NC": "wired normally closed"}.get(point.wiring.value, "")
    drawing = f"drawing {point.drawing}" if point.drawing else ""
    return ", ".join(p for p in (point.whereabouts, wiring, drawing) if p)


def source_text(entry: Entry) -> str:
    """Who gives a tag its value when the program does not write it."""
    if entry.writes:
        return ""
    if entry.tag.address is not None and entry.tag.address.area == "I":
        return "by the field"
    return "by the log or a panel" if "never written" not in entry.oddities and not entry.tag.constant else "nowhere"


def entry_text(session: Session, entry: Entry) -> str:
    """One tag's cross-reference for reading."""
    xref, tag = xref_of(session), entry.tag
    lines = ["  ".join(p for p in (tag.name, str(tag.address or ""), tag.type.name, entry.description) if p)]
    if wiring_text(entry):
        lines.append(f"  {wiring_text(entry)}")
    if entry.oddities:
        lines.append(f"  ! {', '.join(entry.oddities)}")
    if entry.shares:
        lines.append(f"  shares bits with {', '.join(names(session, entry.shares))}")
    for title, places in (("written", entry.writes), ("read", entry.reads)):
        count = f"in {len(places)} place{'s' * (len(places) != 1)}" if places else source_text(entry) if title == "written" else "nowhere"
        lines.append(f"  {title} {count}")
        wide = max((len(p.told) for p in places), default=0)
        lines += [f"    {padded(spot(p), 24)} {p.told:<{wide}}  {p.comment}".rstrip() for p in places]
    for title, tags in (("decided by", xref.decided_by(tag.index)), ("from the inputs", xref.inputs(tag.index)),
                        ("decides", xref.decides(tag.index)), ("up to the outputs", xref.outputs(tag.index))):
        if tags:
            lines += textwrap.wrap(f"{title} {', '.join(names(session, tags))}", 110, initial_indent="  ", subsequent_indent="      ")
    return "\n".join(lines)


def entries_text(entries: list[Entry]) -> str:
    """All tags as a table."""
    width = max((cells(e.tag.name) for e in entries), default=4)
    lines = [f"{'tag':<{width}}  {'address':<9} {'type':<7} reads writes  what it is"]
    for entry in entries:
        marks = f"  ! {', '.join(entry.oddities)}" if entry.oddities else ""
        where = f"  [{entry.point.whereabouts}]" if entry.point is not None and entry.point.whereabouts else ""
        lines.append(f"{padded(entry.tag.name, width)}  {entry.tag.address or ''!s:<9} {entry.tag.type.name:<7} {len(entry.reads):>5} "
                     f"{len(entry.writes):>6}  {entry.description}{where}{marks}".rstrip())
    return "\n".join(lines)


def _place_dict(place: Usage) -> dict[str, object]:
    return {"access": "write" if place.writes else "read", "how": place.how, "pou": place.pou, "instance": place.instance, "rung": place.rung,
            "task": place.task, "comment": place.comment}


def entry_dict(session: Session, entry: Entry) -> dict[str, object]:
    """One tag's cross-reference for JSON."""
    xref, tag, point = xref_of(session), entry.tag, entry.point
    return {
        "tag": tag.name, "address": str(tag.address) if tag.address is not None else None, "type": tag.type.name,
        "description": entry.description,
        "device": point.device if point else None, "location": point.location if point else None,
        "terminal": point.terminal if point else None, "wiring": point.wiring.value if point else None,
        "drawing": point.drawing if point else None, "shares": names(session, entry.shares), "marks": list(entry.oddities),
        "uses": [_place_dict(p) for p in (*entry.writes, *entry.reads)],
        "decides": names(session, xref.decides(tag.index)), "decided_by": names(session, xref.decided_by(tag.index)),
        "outputs": names(session, xref.outputs(tag.index)), "inputs": names(session, xref.inputs(tag.index)),
    }


def json_text(value: object) -> str:
    """Anything as JSON, indented."""
    import msgspec

    try:
        encoded = msgspec.json.encode(value)
    except UnicodeEncodeError:  # a file's name with a byte that is no UTF-8
        encoded = msgspec.json.encode(_encodable(msgspec.to_builtins(value)))
    return json_visible(msgspec.json.format(encoded, indent=2).decode())


def _encodable(value: Any) -> Any:
    if isinstance(value, dict):
        return {k: _encodable(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [_encodable(v) for v in value]
    return visible(value) if isinstance(value, str) else value


def _text_cells(row: dict[str, Any]) -> dict[str, Any]:
    return {k: no_formula(v) if isinstance(v, str) else v for k, v in row.items()}


def entries_csv(entries: list[Entry]) -> str:
    """One line a use; a tag without any has one line too."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    for entry in entries:
        point = entry.point
        head = {"tag": entry.tag.name, "address": str(entry.tag.address or ""), "type": entry.tag.type.name, "description": entry.description,
                "device": point.device if point else "", "location": point.location if point else "",
                "terminal": point.terminal if point else "", "wiring": point.wiring.value if point else "", "marks": "; ".join(entry.oddities)}
        for place in (*entry.writes, *entry.reads):
            writer.writerow(_text_cells({**head, **_place_dict(place)}))
        if not entry.reads and not entry.writes:
            writer.writerow(_text_cells(head))
    return out.getvalue()


def task_lines(found: Survey) -> list[str]:
    """The tasks of a survey for reading, and how long scans took."""
    lines: list[str] = []
    if found.tasks:
        lines += ["", "Tasks, priority 0 before all others:"]
    for task in found.tasks:
        when = " and ".join(p for p in (f"every {task.interval}" if task.interval else "", f"when {task.event}" if task.event else "") if p)
        done = "" if task.runs is None else f"; ran {task.runs} times, missed {task.missed}, waited {duration_text(task.longest_wait or 0)} at most"
        done += "; held at the end" if task.held else ""
        done += f"; one run waits since {duration_text(task.waiting_since)} after the start" if task.waiting_since is not None else ""
        lines.append(f"  {padded(task.name, 16)} priority {task.priority:<3} {when or task.kind}: {', '.join(task.programs) or 'no program'}{done}")
    if found.scan_times is not None:
        times = found.scan_times
        lines.append(f"scans took {duration_text(times.least)} to {duration_text(times.greatest)} (the longest: scan {times.greatest_scan}), "
                     f"the last one {duration_text(times.last)}")
        lines += [f"  {words}" for words in pou_time_lines(times)]
    if found.loops:
        lines.append("Loops, and how often they went back in one scan at most:")
        lines += [f"  {loop.name}: {loop.most} times, in scan {loop.most_scan}" for loop in found.loops]
    return lines


def pou_time_lines(times: ScanTimes) -> list[str]:
    """Where the time of scans went, by POU."""
    about = "" if times.exact else "about "
    return [f"{p.name}: {about}{duration_text(p.greatest)} of the longest scan, {duration_text(p.least)} of the shortest, "
            f"{duration_text(p.last)} of the last" for p in times.pous]


def survey_text(session: Session, found: Survey) -> str:
    """The survey for reading."""
    lines = [f"{found.program} ({found.file} of {found.date.replace('T', ' ')[:16]})"]
    if len(found.resources) > 1:
        lines.append(f"resource {found.resource} of {', '.join(found.resources)}")
    lines += ["", f"What runs, {'as declared; a scan' if found.tasks else 'in order,'} every {duration_text(found.scan_time)}:"]
    for number, run in enumerate(found.runs, 1):
        name = run.instance if run.instance == run.pou else f"{run.instance} ({run.pou})"
        when = f", {run.trigger} (task {run.task})" if run.task else ""
        lines.append(f"  {number:>2}. {padded(name, 24)} {size_text(run.rungs, run.language):>14}{when}")
    if not found.runs:
        lines.append("  nothing: no program is instantiated")
    lines += task_lines(found)
    lines += ["", "Program organisation units:"]
    for pou in found.pous:
        used = f"called by {', '.join(pou.called_by)}" if pou.called_by else pou.trigger if pou.trigger != "never" else "never called"
        size = size_text(pou.rungs, pou.language, pou.opaque)
        lines.append(f"  {padded(pou.name, 20)} {pou.kind:<14} {pou.language:<4} {size:>14}  {used} {pou.documentation}".rstrip())
    points = ", ".join(f"{n} at %{area}" for area, n in found.areas.items() if n)
    lines += ["", f"{counted(found.tags, 'tag')} ({', '.join(f'{n} {name}' for name, n in found.types.items())})",
              f"points: {points or 'none has an address'}; {found.listed} in the I/O list"]
    if found.log_files:
        lines.append(f"log: {', '.join(found.log_files)}, {counted(found.log_rows, 'row')}, {duration_text(found.log_end)} from "
                     f"{clock_text(session.log, 0)}, {found.set_aside} set aside")
    if session.replayed and (apart := count_text(session, stretches(session))):
        lines.append(apart)
    lines += ["", "Set aside or noted:" if found.notices else "Nothing was set aside."]
    lines += [f"  {n}" for n in found.notices]
    return "\n".join(lines)


def found_text(session: Session, found: Found) -> str:
    """Where a condition holds, one line a place: since when, in which scan, how long."""
    clock, values = session.journal.clock, values_found(session, found)
    lines = [found.what]
    for n, (start, end) in enumerate(zip(found.starts, found.ends, strict=True)):
        lasting = f"for {duration_text(end - start)}" if end >= 0 else "to the log's end"
        value = f"{values[n]:>3}  " if values else ""
        lines.append(f"  {clock_text(session.log, start, 6)}  scan {max(1, clock.scan_at(start))}  {value}{lasting}")
    return "\n".join(lines)
