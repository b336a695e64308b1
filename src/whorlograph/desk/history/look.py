"""One log: what stopped the machine in it. Nothing here knows in which process, or on which computer, it runs."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace as session_with
from functools import lru_cache
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.formats.logs import read_logs
from whorlograph.inquiry.odd import odd_ones
from whorlograph.inquiry.symptoms import course
from whorlograph.inquiry.tracer import Tracer
from whorlograph.inquiry.trail import Root
from whorlograph.inquiry.usual import ENOUGH, USUAL, drops
from whorlograph.model.errors import WhorlographError
from whorlograph.model.times import local_ns

from ..asking import inquiry
from ..session import Paths, Session, load


class Work(Struct, frozen=True):
    """What is asked of every log: the files it is replayed with (paths), and the outputs asked about; none: what was odd."""

    program: str
    iolist: str = ""
    profile: str = ""
    resource: str = ""
    libraries: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()


class Stop(Struct, frozen=True):
    """An output dropped out: which, its root (kind; tag as the cross-reference shows it, "" none; device), when (ns since 1970 where the log
    has a date, else since its start), for how long it was then off (ns), and whether that is how it ends as a rule in this log."""

    output: str
    kind: str
    tag: str
    device: str
    at: int
    off: int
    usual: bool = False


class Looked(Struct, frozen=True):
    """What a log gave: its stops; when it began (ns as above) and how long it is; ``why`` it could not be read, "" where it could."""

    stops: tuple[Stop, ...] = ()
    begun: int = 0
    length: int = 0
    why: str = ""


def look(work: Work, log: str) -> Looked:
    """Replay a log and ask. What is wrong with it is said in one line, never raised."""
    try:
        base = _base(work)
        loaded = read_logs([Path(log)], base.running, base.profile)
        session = session_with(base, log=loaded.value, paths=replace(base.paths, logs=(Path(log),)), _journal=None, inquiry=None, search=None,
                               answers={}, drops={}, xref=None)
        tracer = inquiry(session).tracer
        stops = _of_tags(session, tracer, work.tags) if work.tags else _odd(session, tracer)
        return Looked(tuple(sorted(stops, key=lambda s: s.at)), local_ns(session.log, 0), session.log.end)
    except WhorlographError as error:
        return Looked(why=error.line())
    except Exception as error:
        return Looked(why=f"a mistake of ours: {error!r}")


@lru_cache(maxsize=2)
def _base(work: Work) -> Session:
    """The program without a log, loaded once in a process."""
    return load(Paths(Path(work.program), (), Path(work.iolist) if work.iolist else None, Path(work.profile) if work.profile else None,
                      work.resource, "", tuple(Path(p) for p in work.libraries)))


def _of_tags(session: Session, tracer: Tracer, tags: tuple[str, ...]) -> list[Stop]:
    """Every drop-out of some tags."""
    found = []
    for name in tags:
        tag = session.tag(name)
        all_drops = drops(tracer, tag)
        counts = Counter(d.signature for d in all_drops)
        for drop in all_drops:
            usual = len(all_drops) >= ENOUGH and counts[drop.signature] >= USUAL * len(all_drops)
            found.append(_stop(session, tracer, tag, drop.scan, drop.root, usual))
    return found


def _odd(session: Session, tracer: Tracer) -> list[Stop]:
    """What was odd, each event once, with the output that it stopped for longest."""
    *_, odd = odd_ones(tracer)
    found = []
    for event in odd.events:
        stops = [_stop(session, tracer, d.tag, session.journal.clock.scan_at(d.time), event.root, False) for d in event.drops]
        found.append(max(stops, key=lambda s: s.off))
    return found


def _stop(session: Session, tracer: Tracer, tag: int, scan: int, root: Root, usual: bool) -> Stop:
    back = course(session.journal, tag).next_change(scan, True)
    clock = session.journal.clock
    until = clock.start(back) if back is not None else session.log.end
    point = session.iolist.get(root.tag) if root.tag is not None else None
    name = tracer.name(root.tag) if root.tag is not None else ""
    return Stop(tracer.name(tag), root.kind.value, name, point.device if point is not None else "", local_ns(session.log, clock.start(scan)),
                max(0, until - clock.start(scan)), usual)
