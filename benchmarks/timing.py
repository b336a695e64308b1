"""Times of commands and calls: the median of a few."""

from __future__ import annotations

import statistics
import subprocess
import time
from collections.abc import Callable


def command_seconds(command: list[str], runs: int = 3, first: bool = False) -> float:
    """Wall time of a command, median of some runs; with ``first`` one unmeasured run goes before."""
    if first:
        subprocess.run(command, check=True, capture_output=True)
    found = []
    for _ in range(runs):
        start = time.perf_counter()
        subprocess.run(command, check=True, capture_output=True)
        found.append(time.perf_counter() - start)
    return statistics.median(found)


def call_seconds(work: Callable[[], object], runs: int = 3) -> float:
    """Wall time of a call, median of some runs."""
    found = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return statistics.median(found)
