"""Shifts of the bridge, each replayed and asked for what was odd: twice as many, and two processors against one."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from whorlograph.desk.history.look import Work
from whorlograph.desk.history.spread import here
from whorlograph.plant.catalog import cases

SHIFTS = 16


def main() -> None:
    """Measure with one process and two, of half of the logs and all."""
    case = cases()["bridge"]
    work = Work(str(case.program), str(case.iolist), str(case.profile))
    with tempfile.TemporaryDirectory() as folder:
        logs = []
        for n in range(SHIFTS):
            logs.append(str(Path(folder) / f"shift{n}.csv"))
            Path(logs[-1]).write_bytes(Path(case.log).read_bytes())
        half, all_ = _seconds(work, logs[:SHIFTS // 2], 1), _seconds(work, logs, 1)
        two = _seconds(work, logs, 2)
    print(f"{SHIFTS // 2} shifts {half:.1f} s, {SHIFTS} shifts {all_:.1f} s: ratio {all_ / half:.2f} (goal at most 2); "
          f"two processes {two:.1f} s, {all_ / two:.2f} times as fast (goal 1.7)", flush=True)


def _seconds(work: Work, logs: list[str], processes: int) -> float:
    begun = time.monotonic()
    for _, found in here(work, logs, processes):
        assert not found.why, found.why
    return time.monotonic() - begun
