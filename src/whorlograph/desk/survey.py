"""The survey: what is in a program and what runs when, before anything has run."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.model.ladder import Block, LadderBody
from whorlograph.model.program import OpaqueBody, Pou, PouKind
from whorlograph.model.tags import Instance

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


class Run(Struct, frozen=True):
    """One program instance in the order of the scan."""

    instance: str
    pou: str
    task: str
    interval: str
    single: str
    priority: int
    rungs: int
    calls: tuple[str, ...]


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


def survey(session: Session) -> Survey:
    """Look over a session's program."""
    program, running = session.program, session.running
    chosen, _ = program.chosen(session.controller.resource)
    tasks = {t.name.lower(): t for t in chosen.tasks}
    runs = []
    for one in running.programs:
        task = tasks.get(one.task.lower())
        runs.append(Run(one.name, one.type_name, one.task, task.interval if task else "", task.single if task else "",
                        task.priority if task else 0, len(session.controller.steps.of(one)), _calls(one)))
    callers = _callers(session)
    instances: dict[str, list[str]] = {}
    for one in running.instances():
        if one.pou is not None:
            instances.setdefault(one.pou.name.lower(), []).append(one.name)
    pous = tuple(_size(p, tuple(instances.get(p.name.lower(), ())), callers.get(p.name.lower(), ())) for p in program.pous.values())
    tags = [t for t in running.tags[:running.public] if not t.computed]
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
                  tuple(p.name for p in session.paths.logs), log.rows, log.end, log.set_aside, tuple(str(n) for n in session.notices))


def _size(pou: Pou, instances: tuple[str, ...], callers: tuple[str, ...]) -> PouSize:
    body = pou.body
    if isinstance(body, OpaqueBody):
        return PouSize(pou.name, pou.kind, body.language, len(body.text.splitlines()), 0, len(pou.variables), instances, callers,
                       pou.documentation, pou.place.line)
    return PouSize(pou.name, pou.kind, "LD", len(body.rungs), sum(len(r.elements) for r in body.rungs), len(pou.variables), instances,
                   callers, pou.documentation, pou.place.line)


def _calls(one: Instance) -> tuple[str, ...]:
    """The names of the file's own POUs that a body calls, in order."""
    body = one.pou.body if one.pou is not None else None
    if not isinstance(body, LadderBody):
        return ()
    found = [e.type_name for r in body.rungs for e in r.elements if isinstance(e, Block)]
    return tuple(dict.fromkeys(found))


def _callers(session: Session) -> dict[str, tuple[str, ...]]:
    found: dict[str, dict[str, None]] = {}
    for pou in session.program.pous.values():
        if isinstance(pou.body, LadderBody):
            for rung in pou.body.rungs:
                for element in rung.elements:
                    if isinstance(element, Block) and element.type_name.lower() in session.program.pous:
                        found.setdefault(element.type_name.lower(), {})[pou.name] = None
    return {name: tuple(callers) for name, callers in found.items()}
