"""Figure A: the whole command against C that evaluates every rung in every scan."""

from __future__ import annotations

import filecmp
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.generated import plan, write_c, write_log, write_program
from benchmarks.timing import command_seconds

RUNGS, INPUTS, HOURS = 2000, 400, 4


def main() -> None:
    """Measure at a change every 100 ms and every 10 ms; the rows must be the same."""
    compiler = shutil.which("gcc") or shutil.which("cc")
    if compiler is None:
        print("no C compiler here: left out")
        return
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        made = plan(RUNGS, INPUTS)
        write_program(made, place / "program.xml")
        write_c(made, place / "full.c")
        subprocess.run([compiler, "-O2", "-w", "-o", str(place / "full"), str(place / "full.c")], check=True)
        for change in (100, 10):
            rows = write_log(made, place / "log.csv", HOURS * 3600, change)
            ours = [sys.executable, "-m", "whorlograph.cli.main", "replay", str(place / "program.xml"), str(place / "log.csv"),
                    "--out", str(place / "ours.csv")]
            c = command_seconds([str(place / "full"), str(place / "log.csv"), str(place / "c.csv")], 3)
            cache = place / f"cache{change}"
            fresh = command_seconds(["env", f"XDG_CACHE_HOME={cache}", *ours], 1)
            again = command_seconds(["env", f"XDG_CACHE_HOME={cache}", *ours], 3)
            same = filecmp.cmp(place / "ours.csv", place / "c.csv", shallow=False)
            print(f"{change:>4} ms between changes, {rows:,} log rows: C {c:.2f} s, ours {fresh:.2f} s first, {again:.2f} s again; "
                  f"ratio {fresh / c:.3f} first, {again / c:.3f} again; rows {'the same' if same else 'DIFFER'}")
