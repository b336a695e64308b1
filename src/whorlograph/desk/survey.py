"""The survey: what is in a program and what runs when, before anything has run."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.runs import TaskRuns
from whorlograph.engine.schedule import Task
from whorlograph.inquiry.languages import language_of
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.program import OpaqueBody, Pou, PouKind, written_name
from whorlograph.model.steps import units
from whorlograph.model.tags import Instance

from .lanes import loop_name
from .scan_times import ScanTimes, scan_times
from .session import Session


class PouSize(Struct, frozen=True):
    """A POU: how many rungs or lines and elements, in which language, how often it runs, what calls it."""

    name: str
    kind: PouKind
    language: str
    rungs: int
    elements: int
    variables: int
    instances: tuple[str, ...]
    called_by: tuple[str, ...]
    documentation: str
    line: int
    trigger: str = ""
    opaque: bool = False


class Run(Struct, frozen=True):
    """One program instance in the order of the scan. ``trigger``: what makes it run, in words."""

    instance: str
    pou: str
    task: str
    interval: str
    single: str
    priority: int
    rungs: int
    calls: tuple[str, ...]
    trigger: str = ""
    language: str = "LD"


class TaskLine(Struct, frozen=True):
    """A task: what makes it run and which programs are in it; of the replayed log how often it ran, how many runs were
    missed, how long (ns) one waited at most, whether it is held at the end (None: nothing was replayed), and since when (ns) a
    run waits there."""

    name: str
    kind: str
    interval: str
    event: str
    priority: int
    programs: tuple[str, ...]
    runs: int | None = None
    missed: int | None = None
    longest_wait: int | None = None
    held: bool | None = None
    waiting_since: int | None = None


class LoopLine(Struct, frozen=True):
    """A jump back: where it stands and goes to; how often it was taken in a scan at most, and in which."""

    name: str
    most: int
    most_scan: int


class Survey(Struct, frozen=True):
    """What the first look at a program shows. ``areas``: points at %I, %Q and %M; ``notices``: what was set aside."""

    program: str
    file: str
    date: str
    resource: str
    resources: tuple[str, ...]
    scan_time: int
    runs: tuple[Run, ...]
    pous: tuple[PouSize, ...]
    tags: int
    areas: dict[str, int]
    types: dict[str, int]
    listed: int
    log_files: tuple[str, ...]
    log_rows: int
    log_end: int
    set_aside: int
    notices: tuple[str, ...]
    tasks: tuple[TaskLine, ...] = ()
    scan_times: ScanTimes | None = None
    loops: tuple[LoopLine, ...] = ()


def survey(session: Session) -> Survey:
    """Look over a session's program."""
    program, running = session.program, session.running
    chosen, _ = program.chosen(session.controller.resource)
    tasks = {t.name.lower(): t for t in chosen.tasks}
    runs = []
    for one in running.programs:
        task = tasks.get(one.task.lower())
        runs.append(Run(one.name, one.type_name, one.task, task.interval if task else "", task.single if task else "",
                        task.priority if task else 0, len(session.controller.steps.of(one)), _calls(session, one), _trigger_of(session, one),
                        one.pou.body.language if one.pou is not None else "LD"))
    callers = _callers(session)
    instances: dict[str, list[str]] = {}
    for one in running.instances():
        if one.pou is not None:
            instances.setdefault(one.pou.name.lower(), []).append(one.name)
    triggers = {r.pou.lower(): r.trigger for r in reversed(runs)}
    pous = tuple(_size(p, tuple(instances.get(p.name.lower(), ())), callers.get(p.name.lower(), ()),
                       triggers.get(p.name.lower()) or ("only called" if callers.get(p.name.lower()) else "never"))
                 for p in program.pous.values())
    tags = [t for t in running.tags[:running.public] if t.listed]
    areas: dict[str, int] = dict.fromkeys("IQM", 0)
    types: dict[str, int] = {}
    for tag in tags:
        if tag.address is not None:
            areas[tag.address.area] = areas.get(tag.address.area, 0) + 1
        types[tag.type.name] = types.get(tag.type.name, 0) + 1
    log = session.log
    return Survey(program.name, session.paths.program.name, program.date, chosen.name,
                  tuple(r.name for c in program.configurations for r in c.resources), session.controller.scan_time, tuple(runs), pous,
                  len(tags), areas, dict(sorted(types.items(), key=lambda i: (-i[1], i[0]))), len(session.iolist.points),
                  tuple(p.name for p in session.paths.logs), log.rows, log.end, log.set_aside, tuple(str(n) for n in session.notices),
                  _task_lines(session), scan_times(session), _loops(session))


UNITS = {"LD": "rung", "FBD": "network", "ST": "statement", "IL": "statement", "SFC": "step"}


def size_text(count: int, language: str, opaque: bool = False) -> str:
    """How long a body is, in the words of its language."""
    return counted(count, "line" if opaque else UNITS.get(language, "line"))


def _size(pou: Pou, instances: tuple[str, ...], callers: tuple[str, ...], trigger: str) -> PouSize:
    body = pou.body
    if isinstance(body, OpaqueBody):
        return PouSize(pou.name, pou.kind, body.language, len(body.text.splitlines()), 0, len(pou.variables), instances, callers,
                       pou.documentation, pou.place.line, trigger, True)
    steps = units(body)
    return PouSize(pou.name, pou.kind, body.language, len(steps), sum(len(r.elements) for r in steps), len(pou.variables), instances,
                   callers, pou.documentation, pou.place.line, trigger)


def _trigger_of(session: Session, one: Instance) -> str:
    """What makes a program run, in words."""
    schedule = session.controller.schedule
    number = schedule.by_name.get(one.task.lower())
    return trigger_words(session, schedule.tasks[number]) if number is not None else "every scan"


def trigger_words(session: Session, task: Task) -> str:
    """What makes a task run, in words."""
    parts = []
    if task.periodic:
        parts.append(f"every {_interval_words(session, task)}")
    if task.at_start:
        parts.append("first scan")
    elif task.single is not None:
        parts.append(f"when {_event_words(session, task)}")
    return ", ".join(parts) if parts else "never"


def _interval_words(session: Session, task: Task) -> str:
    if task.interval_tag is not None:
        return session.running.tags[task.interval_tag].name
    return duration_text(task.interval) if task.interval is not None else ""


def _event_words(session: Session, task: Task) -> str:
    if task.single is None:
        return ""
    bit = f".{task.bit}" if task.bit >= 0 else ""
    return f"{session.running.tags[task.single].name}{bit} {'falls' if task.falling else 'rises'}"


def _task_lines(session: Session) -> tuple[TaskLine, ...]:
    """The tasks, with what they did where the log has been replayed."""
    found = []
    journal = session.journal if session.replayed else None
    for task in session.controller.schedule.tasks:
        interval, event = _interval_words(session, task), _event_words(session, task)
        kinds = [k for k, on in (("interval", task.periodic), ("event", task.single is not None)) if on]
        kind = "first scan" if task.at_start else " and ".join(kinds) or "never"
        line = TaskLine(task.name, kind, interval, event, task.priority, tuple(session.running.programs[i].name for i in task.programs))
        if journal is not None:
            runs = journal.tasks.get(task.number, TaskRuns())
            held = next((h.on for h in reversed(journal.held) if h.task == task.number), False)
            line = replace(line, runs=len(runs), missed=len(runs.missed), longest_wait=runs.longest_wait, held=held,
                           waiting_since=runs.waiting if runs.waiting >= 0 else None)
        found.append(line)
    return tuple(found)


def _loops(session: Session) -> tuple[LoopLine, ...]:
    """The jumps back that the replayed log took."""
    found = []
    for i, loop in enumerate(session.journal.loops if session.replayed else []):
        scans, times = session.journal.series(i + 1)
        most = int(times.argmax())
        found.append(LoopLine(loop_name(session, loop), int(times[most]), int(scans[most])))
    return tuple(found)


def _calls(session: Session, one: Instance) -> tuple[str, ...]:
    """The names of the file's own POUs that a body calls, in order."""
    return tuple(name for name in _named(session, one.pou) if name.lower() in session.program.pous)


def _named(session: Session, pou: Pou | None) -> list[str]:
    """The types of the blocks and functions that a POU names."""
    words = language_of(pou.body) if pou is not None else None
    return words.called(pou, session.program) if words is not None and pou is not None else []


def _callers(session: Session) -> dict[str, tuple[str, ...]]:
    found: dict[str, dict[str, None]] = {}
    for pou in session.program.pous.values():
        for name in _named(session, pou):
            if name.lower() in session.program.pous:
                found.setdefault(name.lower(), {})[pou.name] = None
    controller = session.controller
    types = {one.name.lower(): written_name(one.type_name).lower() for one in session.running.instances() if one.pou is not None}
    for number, callers in controller.calls.callers.items():
        name = types.get(controller.code.instances[number].name.lower(), "")
        for caller in callers if name in session.program.pous else ():
            found.setdefault(name, {})[controller.steps.all[caller.step].pou] = None
    return {name: tuple(callers) for name, callers in found.items()}
