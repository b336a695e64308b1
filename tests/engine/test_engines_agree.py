"""The compiled engine leaves the same journal as the plain interpreter, row for row, on random programs."""

from __future__ import annotations

import os
import unittest
from random import Random

from tests.strategies import random_case, random_log
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal

CASES = int(os.environ.get("WHORLOGRAPH_CASES", "100"))
FIRST = int(os.environ.get("WHORLOGRAPH_FIRST_CASE", "0"))


def rows(journal: Journal) -> list[tuple[int, int, int, int, int]]:
    """(scan, step number, step, tag, value) of every row; input changes of a scan in order of tag."""
    found = [(journal.scan(r), journal.moment(r).step, journal.step(r), journal.tag(r), journal.raw(r)) for r in range(len(journal))]
    found.sort(key=lambda r: (r[0], r[1], r[3]) if r[1] == 0 else (r[0], r[1], 0))
    return found


def first_difference(a: list[tuple[int, ...]], b: list[tuple[int, ...]], names: list[str]) -> str:
    """The first row in which two journals differ, in words."""
    for x, y in zip(a, b, strict=False):
        if x != y:
            return f"plain {x} {names[x[3]] if x[3] < len(names) else 'mark'}, compiled {y} {names[y[3]] if y[3] < len(names) else 'mark'}"
    return f"{len(a)} rows plain, {len(b)} compiled; first extra {([*a, ()])[min(len(a), len(b))] if len(a) > len(b) else b[len(a)]}"


def compare(seed: int) -> tuple[str, str]:
    """What differs between the engines on one random case ("" nothing), and which fault it ended in."""
    random = Random(seed)
    program, profile = random_case(random)
    plain, compiled = Controller(program, profile, plain=True), Controller(program, profile)
    log = random_log(random, plain.running)
    expected, got = plain.replay(log), compiled.replay(log)
    names = [t.name for t in plain.running.tags]
    fault = expected.fault.code if expected.fault is not None else ""
    if rows(expected) != rows(got):
        return first_difference(rows(expected), rows(got), names), fault
    if (expected.clock.last, expected.clock.scans, expected.clock.starts, expected.clock.periods) != (
            got.clock.last, got.clock.scans, got.clock.starts, got.clock.periods):
        return f"clocks differ: {expected.clock} {got.clock}", fault
    mine, theirs = expected.fault, got.fault
    if (mine is None) != (theirs is None):
        return f"fault {mine} against {theirs}", fault
    if mine is not None and theirs is not None:
        if (mine.scan, mine.number, mine.code) != (theirs.scan, theirs.number, theirs.code):
            return f"fault {mine} against {theirs}", fault
        if mine.code not in ("watchdog", "too many steps") and (mine.step, mine.element) != (theirs.step, theirs.element):
            return f"fault {mine} against {theirs}", fault
    return "", fault


class EnginesAgree(unittest.TestCase):
    """One law on many programs."""

    def test_compiled_journal_equals_plain_on_random_programs(self) -> None:
        faults = set()
        for seed in range(FIRST, FIRST + CASES):
            with self.subTest(seed=seed):
                difference, fault = compare(seed)
                self.assertEqual(difference, "", f"random case {seed}")
                faults.add(fault)
        self.assertIn("", faults)
        if CASES >= 100:
            self.assertIn("division by zero", faults)
            self.assertIn("watchdog", faults)


if __name__ == "__main__":
    unittest.main()
