"""Small programs in Structured Text for tests."""

from __future__ import annotations

from pathlib import Path

from tests.building import Rows, log_of
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.formats.programs.st import read
from whorlograph.model.iolist import IoList
from whorlograph.model.literals import cooked
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program

NAMES = ("X1 AT %IX0.0 : BOOL; X2 AT %IX0.1 : BOOL; X3 AT %IX0.2 : BOOL; N1 AT %IW2 : INT; R1 AT %ID4 : REAL;"
         " Y1 AT %QX0.0 : BOOL; Y2 AT %QX0.1 : BOOL; A : INT; B : INT; C : DINT; D : UINT; F : REAL; G : LREAL; W : WORD; L : LWORD; T : TIME; S : SINT; U : USINT;")
EXTERNAL = "X1, X2, X3, Y1, Y2 : BOOL; N1, A, B : INT; C : DINT; D : UINT; F, R1 : REAL; G : LREAL; W : WORD; L : LWORD; T : TIME; S : SINT; U : USINT;"


def text_of(body: str, local: str = "", before: str = "") -> str:
    """A file with one program ``Main``; its body begins on a line of its own."""
    return f"{before}\nPROGRAM Main\nVAR_EXTERNAL {EXTERNAL} END_VAR\nVAR {local} END_VAR\n{body}\nEND_PROGRAM\n" \
           f"CONFIGURATION C VAR_GLOBAL {NAMES} END_VAR RESOURCE R ON P PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION\n"


def text_program(body: str, local: str = "", before: str = "") -> Program:
    """The program that it makes, which is read without a notice."""
    loaded = read(text_of(body, local, before).encode(), Path("x.st"))
    assert not loaded.notices, [str(n) for n in loaded.notices]
    return loaded.value


def text_session(body: str, rows: Rows, local: str = "", before: str = "") -> Session:
    """A session on a program and a log in memory, 10 ms scans."""
    controller = Controller(text_program(body, local, before), Profile(scan_time=10_000_000))
    return Session(controller, log_of(controller, rows), IoList({}), [], Paths(Path("x.st")))


def both_engines(body: str, rows: Rows, local: str = "", before: str = "", **profile: object) -> list[tuple[Controller, Journal]]:
    """The program replayed by either engine, the plain one first."""
    program, found = text_program(body, local, before), []
    for plain in (True, False):
        controller = Controller(program, Profile(**{"scan_time": 10_000_000, **profile}), plain=plain)  # type: ignore[arg-type]
        found.append((controller, controller.replay(log_of(controller, rows, 30))))
    return found


def settled(controller: Controller, journal: Journal, name: str, scan: int | None = None) -> bool | int | float:
    """A tag's value at a scan's end, by default the last one."""
    tag = controller.running.tags[controller.running.by_name[name.lower()]]
    return cooked(journal.settled(tag.index, journal.clock.last if scan is None else scan), tag.type)
