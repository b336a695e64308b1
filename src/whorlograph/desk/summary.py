"""What a replay came to, in a few lines."""

from __future__ import annotations

from whorlograph.engine.journal import Journal
from whorlograph.engine.loops import loop_remedy
from whorlograph.inquiry.mismatch import disagreements
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.program import OpaqueBody
from whorlograph.model.times import clock_text, date_text

from .disagreeing import count_text
from .session import Session


def fault_text(session: Session, journal: Journal) -> str:
    """The fault that halted the controller, with its place; "" where none did."""
    fault = journal.fault
    if fault is None:
        return ""
    place = ""
    if 0 <= fault.step < len(session.controller.steps.all):
        step = session.controller.steps.all[fault.step]
        place = f" in {step.pou} {'line' if step.rung.statement is not None else 'rung'} {step.rung.number}"
    tag = f", {session.running.tags[fault.tag].name}" if fault.tag is not None else ""
    at = clock_text(session.log, journal.clock.start(fault.scan))
    remedy = loop_remedy(fault, session.controller.steps)
    mend = f"; {remedy}" if remedy else ""
    return f"halted at {at} (scan {fault.scan}){place}{tag}: {fault.text}{mend}"


def loaded_lines(session: Session) -> list[str]:
    """What was loaded, a line each: program, log, rows set aside."""
    log = session.log
    day = date_text(log, 0)
    start = "" if log.complete else ", the start of a longer one"
    drawn = all(p.body.language == "LD" for p in session.program.pous.values() if not isinstance(p.body, OpaqueBody))
    unit = "rung" if drawn else "step"
    lines = [
        f"{session.program.name}: {counted(len(session.controller.steps.all), unit)}, {counted(session.running.public, 'tag')}",
        f"log: {counted(log.rows, 'row')}, {duration_text(log.end)} from {clock_text(log, 0)}{f' on {day}' if day else ''}{start}",
    ]
    if log.set_aside:
        lines.append(f"{counted(log.set_aside, 'row')} of the log {'was' if log.set_aside == 1 else 'were'} set aside")
    return lines


def replay_summary(session: Session, journal: Journal) -> str:
    """Scans, changes, and what must not be overlooked."""
    lines = loaded_lines(session)
    lines.insert(2, f"replayed: {counted(journal.clock.last, 'scan')}, {counted(len(journal), 'change')}")
    if journal.fault is not None:
        lines.append(fault_text(session, journal))
    apart = count_text(session, disagreements(session.controller, journal, session.log))
    if apart:
        lines.append(apart)
    return "\n".join(lines)
