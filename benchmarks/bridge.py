"""The shipped shift: eight hours, 2.9 million scans."""

from __future__ import annotations

from benchmarks.timing import call_seconds
from whorlograph.desk.session import Paths, load
from whorlograph.plant.catalog import cases


def main() -> None:
    """Replay it, module kept."""
    case = cases()["bridge"]
    session = load(Paths(case.program, (case.log,), case.iolist, case.profile))
    session.controller.replay(session.log)
    seconds = call_seconds(lambda: session.controller.replay(session.log))
    scans = session.journal.clock.last
    print(f"{scans:,} scans, {len(session.journal):,} changes: {seconds:.2f} s, {scans / seconds / 1e6:.1f} million scans a second "
          f"(goal: within 1.5 s)")
