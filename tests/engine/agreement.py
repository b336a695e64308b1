"""Holds one journal against another: everything that a replay leaves."""

from __future__ import annotations

from random import Random

from tests.building import log_of
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal

Rows = list[tuple[int, int, int, int, int]]


def rows(journal: Journal) -> Rows:
    """(scan, step number, step, tag, value) of every row, in order."""
    return [(journal.scan(r), journal.moment(r).step, journal.step(r), journal.tag(r), journal.raw(r)) for r in range(len(journal))]


def runs(journal: Journal) -> dict[int, tuple[list[int], ...]]:
    """By task: the due instants of its runs, how long each waited, the instants missed, when the one that waits at the end came due."""
    return {k: (*(part.tolist() for part in v.written_out()), v.missed.tolist(), [v.waiting]) for k, v in journal.tasks.items()
            if len(v) or len(v.missed) or v.waiting >= 0}


def shadow(journal: Journal) -> list[tuple[int, ...]]:
    """What the program would have written to forced tags."""
    return [tuple(r) for part in journal.shadow for r in part.listed()]


def difference(plain: Journal, compiled: Journal, names: list[str]) -> str:
    """The first thing in which two journals differ, in words; "" where they are equal."""
    a, b = rows(plain), rows(compiled)
    if a != b:
        for x, y in zip(a, b, strict=False):
            if x != y:
                one, two = (names[r[3]] if r[3] < len(names) else "hidden" for r in (x, y))
                return f"plain {x} {one}, compiled {y} {two}"
        return f"{len(a)} rows plain, {len(b)} compiled; first extra {(a if len(a) > len(b) else b)[min(len(a), len(b))]}"
    mine, theirs = plain.fault, compiled.fault
    if (mine is None) != (theirs is None):
        return f"fault {mine} against {theirs}"
    if mine is not None and theirs is not None and (mine.scan, mine.number, mine.step, mine.code) != (
            theirs.scan, theirs.number, theirs.step, theirs.code):
        return f"fault {mine} against {theirs}"
    if mine is not None and theirs is not None and mine.code not in ("watchdog", "too many steps") and mine.element != theirs.element:
        return f"fault {mine} against {theirs}"
    if mine is not None and theirs is not None and (mine.loops, mine.text) != (theirs.loops, theirs.text):
        return f"what is told of the fault: {mine.loops} {mine.text} against {theirs.loops} {theirs.text}"
    for what, one, two in (("clock", plain.clock, compiled.clock), ("lengths of scans", plain.lengths.tolist(), compiled.lengths.tolist()),
                           ("passes of loops", sorted(plain.passes), sorted(compiled.passes)), ("runs of tasks", runs(plain), runs(compiled)), ("tasks held", plain.held, compiled.held),
                           ("shadow writes", shadow(plain), shadow(compiled)), ("forces", plain.forced, compiled.forced)):
        if one != two:
            return f"{what} differ: plain {str(one)[:300]}, compiled {str(two)[:300]}"
    return ""


def random_rows(chance: Random, times: range, values: dict[str, tuple[int, int]], share: float) -> list[tuple[int, str, int]]:
    """Rows of a log: (ms, tag, value). Args: values: by tag, from which to which they go; share: of the times that a tag changes at, the first always."""
    return [(t, name, chance.randint(*most)) for t in times for name, most in values.items() if t == times[0] or chance.random() < share]


def replayed_by(plain: Controller, compiled: Controller, rows: list[tuple[int, str, int]]) -> tuple[Journal, str]:
    """A log replayed by either engine: the plain one's journal, and the first difference."""
    journals = [one.replay(log_of(one, rows)) for one in (plain, compiled)]
    return journals[0], difference(*journals, [t.name for t in plain.running.tags])
