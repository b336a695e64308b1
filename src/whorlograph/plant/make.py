"""Makes the shipped cases again: ``python -m whorlograph.plant.make``. The same seed gives the same files."""

from __future__ import annotations

import csv
import datetime as dt
import json
from collections.abc import Callable, Iterable
from pathlib import Path

from whorlograph.engine.controller import Controller
from whorlograph.engine.coupling import Change, run_coupled
from whorlograph.engine.recorded import output_changes
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.profile import Profile

from .bridge.machine import SHIFT, Bridge
from .bridge.points import POINTS
from .bridge.program import bridge_program
from .small import charts, defects, drives, field, sequences
from .small.kit import SmallCase, log_of, program_of, text_of

CASES = Path(__file__).parent / "cases"
BRIDGE = CASES / "bridge"
START = dt.datetime(2031, 6, 11, 6, 30, tzinfo=dt.timezone(dt.timedelta(hours=1)))
RECORDED = ("Raise_Pump", "Raise_Valve", "Lower_Valve")


def stamp(ns: int) -> str:
    """A time of the shift as its recorder writes it."""
    return (START + dt.timedelta(milliseconds=ns // 1_000_000)).isoformat(timespec="milliseconds")


def write_log(path: Path, changes: list[Change], stamp: Callable[[int], str] = stamp) -> None:
    """A log in long form."""
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(("time", "tag", "value"))
        writer.writerows((stamp(t), tag, value) for t, tag, value in changes)


def write_points(path: Path, rows: Iterable[tuple[object, ...]]) -> None:
    """An I/O list."""
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(("tag", "address", "device", "location", "terminal", "wiring", "description", "drawing"))
        writer.writerows(rows)


def small_cases() -> list[SmallCase]:
    """All small cases."""
    return [c for module in (drives, sequences, charts, defects, field) for c in vars(module).values() if isinstance(c, SmallCase)]


def make_small(case: SmallCase, root: Path = CASES) -> None:
    """Program, I/O list, profile, log and story of a small case."""
    folder = root / case.name
    folder.mkdir(parents=True, exist_ok=True)
    program = program_of(case)
    if case.source:
        (folder / f"{case.name}.st").write_text(text_of(case), encoding="utf-8", newline="\n")
    else:
        (folder / f"{case.name}.xml").write_bytes(write_xml(program))
    points = [(p.tag, address, p.device, p.location, p.terminal, p.wiring, p.description, "") for p, address in case.points]
    write_points(folder / "io_list.csv", points)
    (folder / "profile.toml").write_text(case.profile, encoding="utf-8")
    begin = START + dt.timedelta(days=sum(case.name.encode()) % 90, minutes=7 * len(case.complaint) % 600)
    def stamped(ns: int) -> str:
        return (begin + dt.timedelta(milliseconds=ns // 1_000_000)).isoformat(timespec="milliseconds")

    write_log(folder / "log.csv", log_of(case, program), stamped)
    story = {"title": case.title, "complaint": case.complaint, "tag": case.tag, "symptom": case.symptom.value if case.symptom is not None else "",
             "at": case.at / 1000 if case.at is not None else -1, "root": [case.root[0], case.root[1] or ""], "links": list(case.links),
             "teach": list(case.teach)}
    (folder / "case.json").write_text(json.dumps(story, indent=1) + "\n", encoding="utf-8")


def make_bridge(folder: Path = BRIDGE) -> None:
    """Program, I/O list, profile and the shift's log."""
    folder.mkdir(parents=True, exist_ok=True)
    program = bridge_program()
    (folder / "skerrow_bridge.xml").write_bytes(write_xml(program))
    write_points(folder / "io_list.csv", [(p.tag, p.address, p.device, p.location, p.terminal, p.wiring, p.description, p.drawing) for p in POINTS])
    (folder / "profile.toml").write_text('scan_time = "10ms"\nwatchdog = "200ms"\n', encoding="utf-8")
    controller = Controller(program, Profile(scan_time=10_000_000))
    run = run_coupled(controller, Bridge(), SHIFT)
    recorded = output_changes(run.journal, controller.running, RECORDED)
    changes = sorted([*run.changes, *recorded], key=lambda c: c[0])
    changes.append((SHIFT, "Batt_OK", 1))
    write_log(folder / "shift.csv", changes)


if __name__ == "__main__":
    make_bridge()
    for one in small_cases():
        make_small(one)
