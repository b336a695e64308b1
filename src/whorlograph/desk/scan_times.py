"""How long scans took, where steps take time, and in which POU the time went."""

from __future__ import annotations

from msgspec import Struct

from .session import Session


class PouTime(Struct, frozen=True):
    """The time (ns) of a POU's own rungs in the last, the shortest and the longest scan."""

    name: str
    last: int
    least: int
    greatest: int


class ScanTimes(Struct, frozen=True):
    """How long scans took in the replayed log (ns): the last, the shortest, the longest, and which that was.

    ``pous``: the same scans by POU; ``exact``: their sum is the scan's time (a loop that leaves out rungs of its own now and then makes it
    an estimate).
    """

    last: int
    least: int
    greatest: int
    greatest_scan: int
    pous: tuple[PouTime, ...] = ()
    exact: bool = True


def scan_times(session: Session) -> ScanTimes | None:
    """How long scans took; None where steps take no time, or nothing has been replayed."""
    if not session.replayed or not session.profile.rung_time:
        return None
    journal = session.journal
    last = journal.clock.last if journal.fault is None else journal.fault.scan  # a controller that has halted takes no time
    lengths = [(scan, length) for scan, length in journal.lengths.tolist() if scan <= last]
    if not lengths:
        return None
    least, greatest = min(lengths, key=lambda x: x[1]), max(lengths, key=lambda x: x[1])
    scans = (last, least[0], greatest[0])
    counts = [steps_by_pou(session, s) for s in scans]
    rung = session.profile.rung_time
    exact = all(sum(c.values()) * rung == journal.length(s) for c, s in zip(counts, scans, strict=True))
    names = [p.name for p in session.program.pous.values() if any(p.name in c for c in counts)]
    pous = tuple(PouTime(n, *(c.get(n, 0) * rung for c in counts)) for n in names)
    return ScanTimes(lengths[-1][1], least[1], greatest[1], greatest[0], tuple(sorted(pous, key=lambda p: -p.greatest)), exact)


def steps_by_pou(session: Session, scan: int) -> dict[str, int]:
    """How many steps each POU took in a scan: each that ran once, and once more for each pass of a loop around it."""
    controller, journal = session.controller, session.journal
    calls, paths = controller.calls, controller.paths
    found: dict[str, int] = {}
    extra = {p.step: (p.target, p.times) for p in journal.passes if p.scan <= scan}
    for step, number in calls.instance_of.items():
        if paths.skipped(journal, step, scan) is not None:
            continue
        taken = 1 + sum(times for end, (target, times) in extra.items() if target <= step <= end and calls.instance_of.get(end) == number)
        name = controller.code.bodies[calls.instance(step).body].pou
        found[name] = found.get(name, 0) + taken
    return found
