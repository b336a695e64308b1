"""The compiled engine leaves what the plain interpreter leaves, row for row, run for run, on random programs and logs."""

from __future__ import annotations

import os
import unittest
from collections import Counter
from random import Random
from unittest import mock

from tests.engine.agreement import difference
from tests.strategies import dense_log, random_case, random_log, random_trial
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Trial
from whorlograph.engine.journal import Journal
from whorlograph.engine.wasm import module
from whorlograph.engine.wasm.machine import Machine
from whorlograph.model.log import Log

CASES = int(os.environ.get("WHORLOGRAPH_CASES", "60"))
FIRST = int(os.environ.get("WHORLOGRAPH_FIRST_CASE", "0"))


def both(seed: int, tasked: bool = False, forced: bool = False, dense: tuple[int, int] | None = None) -> tuple[Journal, Journal, list[str]]:
    """The journals of both engines on one random case, plain first, and the tags' names."""
    random = Random(seed)
    program, profile = random_case(random, tasked, large=True)
    plain, compiled = Controller(program, profile, plain=True), Controller(program, profile)
    log: Log = random_log(random, plain.running) if dense is None else dense_log(random, plain.running, *dense)
    trial: Trial | None = random_trial(random, plain.running, max(1, log.end)) if forced else None
    return plain.replay(log, trial), compiled.replay(log, trial), [t.name for t in plain.running.tags]


class EnginesAgree(unittest.TestCase):
    """One law on many programs."""

    def hold(self, seeds: range, **kinds: object) -> Counter[str]:
        """Hold the engines against each other; what happened in the cases, counted."""
        seen: Counter[str] = Counter()
        for seed in seeds:
            with self.subTest(seed=seed):
                plain, compiled, names = both(seed, **kinds)  # type: ignore[arg-type]
                self.assertEqual(difference(plain, compiled, names), "", f"random case {seed}")
                seen[plain.fault.code if plain.fault is not None else ""] += 1
                seen["held"] += len(plain.held)
                seen["missed"] += sum(len(t.missed) for t in plain.tasks.values())
                seen["waited"] += sum(t.waited for t in plain.tasks.values())
                seen["shadow"] += sum(len(part) for part in plain.shadow)
        return seen

    def test_on_programs_that_run_once_in_every_scan(self) -> None:
        seen = self.hold(range(FIRST, FIRST + CASES))
        self.assertGreater(seen[""], CASES // 2)
        if CASES >= 60:
            self.assertGreater(seen["division by zero"], 0)
            self.assertGreater(seen["watchdog"], 0)

    def test_on_programs_with_tasks_held_missed_and_preempted(self) -> None:
        seen = self.hold(range(FIRST, FIRST + CASES), tasked=True)
        for what in ("held", "missed", "waited", "watchdog"):
            self.assertGreater(seen[what], 0 if CASES >= 60 else -1, what)

    def test_with_inputs_held_and_tags_forced(self) -> None:
        seen = self.hold(range(FIRST, FIRST + CASES // 2), forced=True)
        self.assertGreater(seen["shadow"], 0)
        self.hold(range(FIRST, FIRST + CASES // 3), tasked=True, forced=True)

    def test_on_dense_logs_whose_scans_lie_across_pieces(self) -> None:
        for room in (1, 3, 7):
            with mock.patch.multiple(module, EVENTS_ROOM=room, JOURNAL_ROOM=64, NOTES_ROOM=room, LENGTHS_ROOM=room, RUNS_ROOM=room):
                self.hold(range(FIRST, FIRST + 5), dense=(600, 200_000_000))
                self.hold(range(FIRST, FIRST + 5), tasked=True, dense=(600, 200_000_000))

    def test_on_logs_of_no_row_one_row_and_few(self) -> None:
        for rows in (0, 1, 2):
            self.hold(range(FIRST, FIRST + 4), tasked=True, dense=(rows, 50_000_000))

    def test_a_log_longer_than_the_buffer_is_taken_whole(self) -> None:
        # Twice what the machine's buffer holds and more, several rows to a scan: a few cuts lie inside scans.
        random = Random(4)
        program, profile = random_case(random)
        small, large = Controller(program, profile), Controller(program, profile)
        log = dense_log(random, small.running, 40_000, 60_000_000_000)
        expected = large.replay(log)
        with mock.patch.object(module, "EVENTS_ROOM", 4096), mock.patch.object(module, "JOURNAL_ROOM", 1000):
            got = small.replay(log)
        with mock.patch.object(module, "EVENTS_ROOM", 1 << 16):
            whole = Controller(program, profile).replay(log)
        self.assertGreater(len(expected), 5_000)
        for one in (got, whole):
            self.assertEqual(difference(expected, one, []), "")


class TwoHundredThousandRows(unittest.TestCase):
    """Logs far longer than any buffer, against a machine that is handed every row at once."""

    def test_pieces_do_not_show(self) -> None:
        for seed in (1, 2):
            random = Random(seed)
            program, profile = random_case(random, tasked=seed == 2)
            controller = Controller(program, profile)
            log = dense_log(random, controller.running, 100_000, 200_000_000_000)
            pieces = controller.replay(log)
            with mock.patch.object(module, "EVENTS_ROOM", 200_000):
                other = Controller(program, profile)
                feed = other.feed(log)
                machine: Machine = other.machine(feed)
                machine.run(feed.end)
                whole = other.journal_of(machine, feed)
            with self.subTest(seed=seed):
                self.assertEqual(difference(whole, pieces, []), "")


if __name__ == "__main__":
    unittest.main()
