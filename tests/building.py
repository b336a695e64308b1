"""Small programs and logs for tests."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.model.iolist import IoList
from whorlograph.model.ladder import LadderBody
from whorlograph.model.literals import raw
from whorlograph.model.log import Log
from whorlograph.model.parts import Ladder
from whorlograph.model.profile import Profile
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Task, Variable, VariableKind
from whorlograph.model.types import BOOL, INT, TIME, Named, Simple, TypeRef

MS = 1_000_000
SHARED = Path(__file__).resolve().parents[2] / "shared"
Rows = Iterable[tuple[int, str, int]]
Draw = Callable[[Ladder], None]


def program_of(draw: Callable[[Ladder], None], tags: str, blocks: str = "", initial: dict[str, str] | None = None) -> Program:
    """A program of one POU. ``tags``: names with blanks between; X... at %IX0, Y... at %QX0, N... INT, others memory.

    ``blocks``: NAME:TYPE with blanks between.
    """
    ladder = Ladder()
    draw(ladder)
    return program_with({"Main": ladder.body()}, tags, blocks, initial)


def program_with(bodies: dict[str, LadderBody], tags: str, blocks: str = "", initial: dict[str, str] | None = None) -> Program:
    """A program of several POUs that run in order."""
    given = initial or {}
    variables = []
    counts = {"X": 0, "Y": 0}
    for name in tags.split():
        address = ""
        if name[0] in counts:
            address = f"%{'I' if name[0] == 'X' else 'Q'}X{counts[name[0]] // 8}.{counts[name[0]] % 8}"
            counts[name[0]] += 1
        type_: TypeRef = INT if name[0] == "N" else BOOL
        variables.append(Variable(name, type_, VariableKind.GLOBAL, address, Simple(given[name]) if name in given else None))
    own = tuple(Variable(b.split(":")[0], Named(b.split(":")[1]), VariableKind.LOCAL) for b in blocks.split())
    pous = {n.lower(): Pou(n, PouKind.PROGRAM, own if i == 0 else (), b) for i, (n, b) in enumerate(bodies.items())}
    resource = Resource("R", tuple(ProgramInstance(n, n) for n in bodies))
    return Program("Test", {}, pous, (Configuration("C", (resource,), tuple(variables)),), "test.xml")


def tasked(bodies: dict[str, Draw], tags: str, tasks: dict[str, Task], blocks: str = "", times: str = "") -> Program:
    """A program of several POUs; ``tasks``: by POU. ``times``: TIME tags. Blocks are the first POU's."""
    drawn = {}
    for name, draw in bodies.items():
        ladder = Ladder()
        draw(ladder)
        drawn[name] = ladder.body()
    program = program_with(drawn, tags, blocks)
    config = program.configurations[0]
    instances = tuple(ProgramInstance(n, n, tasks[n].name if n in tasks else "") for n in bodies)
    unique = {t.name: t for t in tasks.values()}
    variables = config.variables + tuple(Variable(n, TIME, VariableKind.GLOBAL) for n in times.split())
    return replace(program, configurations=(Configuration("C", (Resource("R", instances, tuple(unique.values())),), variables),))


def log_of(controller: Controller, rows: Rows, end: int | None = None) -> Log:
    """A log of (time in ms, tag, value)."""
    listed = sorted(((int(t * MS), controller.running.by_name[n.lower()], v) for t, n, v in rows), key=lambda r: r[0])
    last = listed[-1][0] if listed else 0
    return Log(np.array([r[0] for r in listed], np.int64), np.array([r[1] for r in listed], np.int32),
               np.array([raw(r[2], controller.running.tags[r[1]].type) for r in listed], np.int64),
               end=last if end is None else end * MS, rows=len(listed))


def controller_of(program: Program, plain: bool = False, **profile: object) -> Controller:
    """A controller with 10 ms scans."""
    return Controller(program, Profile(**{"scan_time": 10 * MS, **profile}), plain=plain)  # type: ignore[arg-type]


def session_of(program: Program, rows: Rows, end: int | None = None, iolist: IoList | None = None, **profile: object) -> Session:
    """A session on a program in memory."""
    controller = controller_of(program, **profile)
    return Session(controller, log_of(controller, rows, end), iolist or IoList({}), [], Paths(Path("test.xml")))


def course_of(journal: Journal, controller: Controller, tag: str) -> list[tuple[int, int]]:
    """(scan, settled value) at each change of a tag."""
    from whorlograph.inquiry.symptoms import course

    path = course(journal, controller.running.by_name[tag.lower()])
    return list(zip(path.scans.tolist(), path.values.tolist(), strict=True))


def all_rows(journal: Journal) -> list[tuple[int, int, int, int]]:
    """(scan, step, tag, value) of every row."""
    return [(journal.scan(r), journal.step(r), journal.tag(r), journal.raw(r)) for r in range(len(journal))]
