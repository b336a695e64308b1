"""Figure C: a program of 5,000 rungs, loaded; against lxml's parse of the same file. And how the time grows with the rungs."""

from __future__ import annotations

import tempfile
from pathlib import Path

from lxml import etree

from benchmarks.generated import plan, write_program
from benchmarks.loading import again_seconds, first_seconds
from benchmarks.timing import call_seconds
from whorlograph.formats.programs import read_program


def main() -> None:
    """Read alone, and loaded with tags, steps and code made; nothing kept, then opened again."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)

        def loaded(rungs: int) -> tuple[Path, float]:
            path = place / f"{rungs}.xml"
            write_program(plan(rungs, 400), path)
            return path, first_seconds(path, place)

        path, whole = loaded(5000)
        parse = call_seconds(lambda: etree.parse(path), 5)
        read = call_seconds(lambda: read_program(path), 5)
        again = again_seconds(path, place)
        print(f"{path.stat().st_size / 1e6:.1f} MB: lxml {parse:.3f} s, read {read:.3f} s, loaded {whole:.3f} s, again {again:.3f} s; "
              f"ratio {read / parse:.1f} read, {whole / parse:.1f} loaded (goal 8), {again / parse:.1f} again")
        small, large = loaded(2500)[1], loaded(10_000)[1]
        print(f"2,500 rungs {small:.2f} s, 10,000 rungs {large:.2f} s; ratio {large / small:.1f} (goal 4)")
