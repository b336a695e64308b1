"""Figure A: the whole command against C that evaluates every rung in every scan, on programs of four shapes and on a very long log."""

from __future__ import annotations

import filecmp
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.full_scan import write_full_scan
from benchmarks.generated import Plan, plan, write_c, write_log, write_program
from benchmarks.shapes import blocks, numbers, texts
from benchmarks.timing import command_seconds
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs import read_program
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.profile import Overflow, Profile

RUNGS, INPUTS, HOURS = 2000, 400, 4
LONG = int(os.environ.get("WHORLOGRAPH_LONG_ROWS", "10000000"))
PROFILE = 'on_overflow = "wrap"\n'


def main() -> None:
    """Measure at a change every 100 ms and every 10 ms; the rows must be the same."""
    compiler = found_compiler()
    if compiler is None:
        return
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        (place / "profile.toml").write_text(PROFILE)
        made = plan(RUNGS, INPUTS)
        write_program(made, place / "program.xml")
        write_c(made, place / "full.c")
        compiled(compiler, place)
        for change in (100, 10):
            rows = write_log(made, place / "log.csv", HOURS * 3600, change)
            _measured(place, f"flat, {change} ms between changes, {rows:,} log rows", f"flat{change}")
        for name, (program, inputs) in (("POUs and blocks", blocks()), ("numbers and timers", numbers())):
            (place / "program.xml").write_bytes(write_xml(program))
            controller = Controller(program, Profile(on_overflow=Overflow.WRAP))
            write_full_scan(controller, inputs, place / "full.c")
            compiled(compiler, place)
            rows = write_log(Plan(inputs, [], [], 0), place / "log.csv", HOURS * 3600, 100)
            _measured(place, f"{name}, {controller.code.steps:,} rungs, 100 ms between changes, {rows:,} log rows", name[:4])
        text, inputs = texts()
        (place / "program.st").write_text(text)
        controller = Controller(read_program(place / "program.st").value, Profile(on_overflow=Overflow.WRAP))
        write_full_scan(controller, inputs, place / "full.c")
        compiled(compiler, place)
        rows = write_log(Plan(inputs, [], [], 0), place / "log.csv", HOURS * 3600, 100)
        shape = f"texts, lists and charts, {controller.code.steps:,} steps"
        _measured(place, f"{shape}, 100 ms between changes, {rows:,} log rows", "text", program="program.st")
        write_program(made, place / "program.xml")
        write_c(made, place / "full.c")
        compiled(compiler, place)
        rows = write_log(made, place / "log.csv", LONG / 200, 5)
        _measured(place, f"flat, 5 ms between changes, {rows:,} log rows", "long", 1)


def found_compiler() -> str | None:
    """The C compiler; said where there is none."""
    found = shutil.which("gcc") or shutil.which("cc")
    if found is None:
        print("no C compiler here: left out")
    return found


def compiled(compiler: str, place: Path) -> None:
    """Compile the C program that evaluates every rung in every scan."""
    subprocess.run([compiler, "-O2", "-w", "-o", str(place / "full"), str(place / "full.c")], check=True)


def _measured(place: Path, what: str, cache: str, runs: int = 3, program: str = "program.xml") -> None:
    """Both on the program and log at hand, ours with nothing kept and again."""
    ours = ["env", f"XDG_CACHE_HOME={place / cache}", sys.executable, "-m", "whorlograph.cli.main", "replay", str(place / program),
            str(place / "log.csv"), "--profile", str(place / "profile.toml"), "--out", str(place / "ours.csv")]
    c = command_seconds([str(place / "full"), str(place / "log.csv"), str(place / "c.csv")], runs)
    fresh = command_seconds(ours, 1)
    again = command_seconds(ours, runs)
    same = filecmp.cmp(place / "ours.csv", place / "c.csv", shallow=False)
    memory = _memory(ours)
    print(f"{what}: C {c:.2f} s, ours {fresh:.2f} s first, {again:.2f} s again; ratio {fresh / c:.3f} first, {again / c:.3f} again; "
          f"{memory} MB; rows {'the same' if same else 'DIFFER'}", flush=True)


def _memory(command: list[str]) -> int:
    """The most memory (MB) that a command takes."""
    script = ("import resource, subprocess, sys; subprocess.run(sys.argv[1:], check=True, capture_output=True); "
              "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss // 1024)")
    return int(subprocess.run([sys.executable, "-c", script, *command], check=True, capture_output=True, text=True).stdout)
