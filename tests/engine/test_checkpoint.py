"""Trials from a checkpoint leave what a replay from the start leaves; the plain interpreter, which has no checkpoints, says what that is."""

from __future__ import annotations

import unittest
from random import Random

from msgspec.structs import replace

from tests.building import MS, controller_of, log_of, program_of
from tests.engine.agreement import rows
from tests.strategies import dense_log, random_case, random_log, random_trial
from whorlograph.engine.checkpoint import Trials
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.model.parts import Ladder, coil, no, timer


def _from(trial: Trial, since: int) -> Trial:
    """A trial whose changes are all from a time on."""
    def later(holds: tuple[Hold, ...]) -> tuple[Hold, ...]:
        return tuple(replace(h, start=max(since, h.start), until=None if h.until is None else max(since, h.start) + 1 + h.until // 3) for h in holds)

    return Trial(later(trial.holds), (), later(trial.forces))


class TrialsFromACheckpoint(unittest.TestCase):
    """One law, many programs."""

    def test_random_trials_equal_the_plain_interpreters_replay_from_the_start(self) -> None:
        compared = 0
        for seed in range(20):
            random = Random(seed)
            program, profile = random_case(random, tasked=seed % 2 == 1)
            compiled, plain = Controller(program, profile), Controller(program, profile, plain=True)
            log = random_log(random, plain.running) if seed % 3 else dense_log(random, plain.running, 400, 2000 * MS)
            since = random.choice((0, 1, max(1, log.end // 2), random.randrange(max(1, log.end) + 1)))
            trials = Trials(compiled, log, since)
            scan = trials.machine.scan
            for _ in range(3):
                until = random.randrange(since, max(since, log.end) + 1)
                trial = _from(random_trial(random, plain.running, max(1, log.end)), since)
                got, expected = trials.run(trial, until), plain.replay(log, trial, until)
                with self.subTest(seed=seed, since=since, until=until):
                    known = rows(expected)
                    mine = rows(got)
                    self.assertEqual(mine, known[len(known) - len(mine):])
                    cut = known[:len(known) - len(mine)]
                    self.assertTrue(all(r[0] <= scan + 1 for r in cut), "rows of later scans are missing")
                    self.assertEqual(got.fault and (got.fault.scan, got.fault.code), expected.fault and (expected.fault.scan, expected.fault.code))
                    compared += len(mine)
            trials.close()
        self.assertGreater(compared, 5000)

    def test_many_trials_from_one_checkpoint_do_not_see_each_other(self) -> None:
        controller = controller_of(program_of(lambda ladder: ladder.rung(no("X1"), timer("TON", "T1", "T#50ms"), coil("Y1")), "X1 Y1", "T1:TON"))
        log = log_of(controller, [(0, "X1", 0), (1000, "X1", 1), (2000, "X1", 0)])
        trials = Trials(controller, log, 900 * MS)
        x, y = controller.running.by_name["x1"], controller.running.by_name["y1"]
        untouched = rows(trials.run(Trial(), 2000 * MS))
        held = trials.run(Trial((Hold(x, 0, 900 * MS, None),)), 2000 * MS)
        self.assertEqual([len(held.history(t)[0]) for t in (x, y)], [0, 0])
        forced = trials.run(Trial((), (), (Hold(y, 1, 950 * MS, None),)), 2000 * MS)
        self.assertEqual(forced.history(y)[1].tolist(), [1])
        self.assertEqual(rows(trials.run(Trial(), 2000 * MS)), untouched)

    def test_what_is_changed_before_the_checkpoint_is_refused(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))

        controller = controller_of(program_of(draw, "X1 Y1"))
        trials = Trials(controller, log_of(controller, [(0, "X1", 0), (1000, "X1", 1)]), 500 * MS)
        with self.assertRaises(ValueError):
            trials.run(Trial((Hold(0, 1, 499 * MS, None),)), 1000 * MS)
        with self.assertRaises(ValueError):
            trials.run(Trial((), ((0, 1),)), 1000 * MS)


if __name__ == "__main__":
    unittest.main()
