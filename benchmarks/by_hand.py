"""A scan by hand on the program of 2,000 rungs, in the middle of four hours and after ten minutes at the bench; against one replay of the log;
and two revisions of that program compared on it."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from benchmarks.generated import plan, write_log, write_program
from whorlograph.desk.bench import Bench
from whorlograph.desk.bench_page import Operator, bench_page
from whorlograph.desk.revisions import compare
from whorlograph.desk.session import Paths, load

SCANS = 40


def main() -> None:
    """Measure."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        write_program(plan(2000, 400), place / "program.xml")
        write_log(plan(2000, 400), place / "log.csv", 4 * 3600, 100)
        session = load(Paths(place / "program.xml", (place / "log.csv",)))
        began = time.perf_counter()
        whole = len(session.journal)
        replay = time.perf_counter() - began
        began = time.perf_counter()
        bench = Bench(session, session.log.end // 2)
        ready = time.perf_counter() - began
        for after in (0, 600):
            if after:
                bench.run(after * 1_000_000_000)
            took: list[float] = []
            for n in range(SCANS):
                tag = bench.inputs[n % len(bench.inputs)]
                began = time.perf_counter()
                bench.prepare(tag, 1 - bench.given(tag))
                bench.apply()
                bench.step()
                bench_page(bench, Operator(), 150)
                took.append(time.perf_counter() - began)
            worst, middle = max(took), sorted(took)[SCANS // 2]
            print(f"a scan by hand after {after} s at the bench: {middle * 1000:.1f} ms, worst {worst * 1000:.1f} ms; "
                  f"of one replay ({replay:.2f} s, {whole:,} changes): {middle / replay:.3f}")
        print(f"the bench stands ready in {ready * 1000:.0f} ms")
        text = (place / "program.xml").read_text(encoding="utf-8")
        at = text.index('negated="true"', len(text) // 2)
        (place / "other.xml").write_text(text[:at] + text[at:].replace("true", "false", 1), encoding="utf-8")
        other = load(Paths(place / "other.xml", (place / "log.csv",)))
        began = time.perf_counter()
        found = compare(session, other)
        print(f"another revision replayed and compared: {time.perf_counter() - began:.2f} s; {len(found.revision.changes)} changes, "
              f"{len(found.effects)} tags differ")


if __name__ == "__main__":
    main()
