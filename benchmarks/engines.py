"""The compiled engine against the plain one that evaluates every rung in every scan."""

from __future__ import annotations

import tempfile
from pathlib import Path

from benchmarks.generated import plan, write_log, write_program
from benchmarks.timing import call_seconds
from whorlograph.desk.session import Paths, load


def main() -> None:
    """200 rungs, 40 inputs, ten seconds."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        made = plan(200, 40)
        write_program(made, place / "p.xml")
        write_log(made, place / "l.csv", 10, 100)
        paths = Paths(place / "p.xml", (place / "l.csv",))
        compiled, plain = load(paths), load(paths, plain=True)
        compiled.controller.replay(compiled.log)
        fast = call_seconds(lambda: compiled.controller.replay(compiled.log))
        slow = call_seconds(lambda: plain.controller.replay(plain.log), 1)
        print(f"1,000 scans of 200 rungs: plain {slow:.2f} s, compiled {fast:.4f} s, ratio {fast / slow:.5f}")
