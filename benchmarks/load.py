"""Figure C: a program of 5,000 rungs, loaded; against lxml's parse of the same file."""

from __future__ import annotations

import tempfile
from pathlib import Path

from lxml import etree

from benchmarks.generated import plan, write_program
from benchmarks.timing import call_seconds
from whorlograph.desk.session import Paths, load
from whorlograph.formats.programs import read_program


def main() -> None:
    """Read alone, and loaded with tags and steps made."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "program.xml"
        write_program(plan(5000, 400), path)
        parse = call_seconds(lambda: etree.parse(path), 5)
        read = call_seconds(lambda: read_program(path), 5)
        whole = call_seconds(lambda: load(Paths(path)), 5)
        print(f"{path.stat().st_size / 1e6:.1f} MB: lxml {parse:.3f} s, read {read:.3f} s, loaded {whole:.3f} s; "
              f"ratio {read / parse:.1f} read, {whole / parse:.1f} loaded (goal 8)")
