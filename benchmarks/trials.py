"""A hundred trials of ten seconds of log, each with another input held, going on from a checkpoint; against one replay of the whole log."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from benchmarks.generated import plan, write_log, write_program
from whorlograph.desk.session import Paths, load
from whorlograph.engine.checkpoint import Trials
from whorlograph.engine.feed import Hold, Trial

TRIALS, SPAN = 100, 10_000_000_000


def main() -> None:
    """Measure on the program of 2,000 rungs, in the middle of four hours."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        made = plan(2000, 400)
        write_program(made, place / "program.xml")
        write_log(made, place / "log.csv", 4 * 3600, 100)
        session = load(Paths(place / "program.xml", (place / "log.csv",)))
        began = time.perf_counter()
        journal = session.journal
        whole = time.perf_counter() - began
        since = session.log.end // 2
        began = time.perf_counter()
        trials = Trials(session.controller, session.log, since)
        made_ready = time.perf_counter() - began
        inputs = sorted(session.controller.feed(session.log).inputs)[:TRIALS]
        rows = 0
        restores: list[float] = []
        began = time.perf_counter()
        for tag in inputs:
            now = int(journal.value_at(tag, journal.settled_position(journal.clock.scan_at(since))))
            rows += len(trials.run(Trial((Hold(tag, 1 - now, since),)), since + SPAN))
        took = time.perf_counter() - began
        feed = session.controller.feed(session.log)
        for _ in range(50):
            began = time.perf_counter()
            trials.machine.restore(trials.checkpoint, feed)
            restores.append(time.perf_counter() - began)
        size = sum(len(data) for _, data in trials.checkpoint.parts)
        print(f"{len(inputs)} trials of 10 s of log: {took:.2f} s, {rows:,} changes; the whole log once: {whole:.2f} s; "
              f"ratio {took / whole:.2f}")
        print(f"to stand at the checkpoint: {made_ready:.2f} s once; restored in {sorted(restores)[25] * 1000:.3f} ms; {size / 1024:.0f} KB")
