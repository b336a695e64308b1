"""Long logs in the application: when something is to be seen, when all is replayed, and the memory it takes (TERMINAL.md, rows 2 to 5)."""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from whorlograph.plant.catalog import cases

from .screen import Terminal

SIGNALS = 40


def write_log(path: Path, changes: int, names: list[str]) -> None:
    """Write a log of changes of BOOL inputs, 3 ms apart on the average, from a fixed seed."""
    random = np.random.default_rng(7)
    states = np.zeros(len(names), np.int64)
    start = 0
    with path.open("w") as file:
        file.write("time,tag,value\n")
        for begin in range(0, changes, 100_000):
            count = min(100_000, changes - begin)
            times = start + np.cumsum(random.integers(1, 60, count))
            start = int(times[-1])
            lines = []
            for time_, which in zip(times.tolist(), random.integers(0, len(names), count).tolist(), strict=True):
                states[which] ^= 1
                lines.append(f"{time_ // 10000}.{time_ % 10000:04},{names[which]},{states[which]}\n")
            file.write("".join(lines))


def memory(terminal: Terminal) -> tuple[int, int]:
    """(resident now, at the most) of the application, MB."""
    pane = terminal.run("list-panes", "-F", "#{pane_pid}").strip()
    found = (0, 0)
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            status = dict(line.split(":", 1) for line in (folder / "status").read_text().splitlines() if ":" in line)
        except OSError:
            continue
        if status.get("PPid", "").strip() == pane or folder.name == pane:
            sizes = tuple(int(status.get(k, "0 kB").split()[0]) // 1024 for k in ("VmRSS", "VmHWM"))
            found = max(found, (sizes[0], sizes[1]))
    return found


def main() -> None:
    """One million changes, then ten."""
    if not shutil.which("tmux"):
        print("tmux is not here: left out")
        return
    case = cases()["bridge"]
    from whorlograph.desk.session import Paths, load

    running = load(Paths(case.program, (), case.iolist, case.profile)).running
    names = [t.name for t in running.tags[:running.public] if t.address is not None and t.address.area == "I" and t.type.name == "BOOL"][:SIGNALS]
    command = [sys.executable, "-m", "whorlograph.cli.main", "open", str(case.program)]
    more = ["--io-list", str(case.iolist), "--profile", str(case.profile), "--tag", case.tag]
    with tempfile.TemporaryDirectory() as home:
        for changes in (1_000_000, 10_000_000):
            log = Path(home) / f"{changes}.csv"
            write_log(log, changes, names)
            terminal = Terminal([*command, str(log), *more], home)
            frame = terminal.until(log.name)
            rows = terminal.until("trail ─")
            answer = terminal.until(" Why ")
            while "Ctrl+C stops" in terminal.run("capture-pane", "-p"):
                time.sleep(0.02)
            done = time.perf_counter() - terminal.started
            now, most = memory(terminal)
            print(f"{changes:,} changes: frame {frame:.2f} s, rungs and trail {rows:.2f} s, an answer so far {answer:.2f} s, all {done:.1f} s; "
                  f"memory {now} MB, at the most {most} MB (goal 500)")
            terminal.close()
            log.unlink()
