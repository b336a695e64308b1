"""The compiled machine: stop, checkpoint, feeding piece by piece, and the fallback where wasmtime is missing."""

from __future__ import annotations

import unittest
from random import Random
from unittest import mock

import numpy as np
from msgspec.structs import replace

from tests.building import MS, all_rows, controller_of, course_of, log_of, program_of
from tests.engine.agreement import difference
from tests.strategies import dense_log, random_case, random_log
from whorlograph.engine import controller as controllers
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.wasm.status import Status
from whorlograph.model.log import Log
from whorlograph.model.parts import Ladder, coil, no, timer
from whorlograph.model.program import Variable, VariableKind
from whorlograph.model.types import ELEMENTARY


def _blinking(ladder: Ladder) -> None:
    ladder.rung(no("X1"), timer("TON", "T1", "T#30ms"), coil("Y1"))
    ladder.rung(no("Y1"), coil("Y2"))


class MachineRuns(unittest.TestCase):
    """One machine, driven in pieces."""

    def test_running_in_pieces_equals_running_at_once(self) -> None:
        for seed in range(8):
            program, profile = random_case(Random(seed))
            controller = Controller(program, profile)
            log = random_log(Random(seed), controller.running)
            feed = controller.feed(log)
            whole, pieces = controller.machine(feed), controller.machine(feed)
            whole.run(feed.end)
            for part in range(1, 8):
                pieces.run(feed.end * part // 7)
            with self.subTest(seed=seed):
                self.assertEqual(all_rows(controller.journal_of(whole, feed)), all_rows(controller.journal_of(pieces, feed)))

    def test_going_on_from_a_checkpoint_equals_not_stopping(self) -> None:
        for seed in range(8):
            program, profile = random_case(Random(seed + 50))
            controller = Controller(program, profile)
            log = random_log(Random(seed), controller.running)
            feed = controller.feed(log)
            machine = controller.machine(feed)
            machine.run(feed.end // 2)
            before = len(all_rows(controller.journal_of(machine, feed)))
            checkpoint = machine.checkpoint()
            machine.run(feed.end)
            rest = all_rows(controller.journal_of(machine, feed))[before:]
            machine.restore(checkpoint, feed)
            machine.run(feed.end)
            with self.subTest(seed=seed):
                self.assertEqual(all_rows(controller.journal_of(machine, feed)), rest)

    def test_stop_comes_back_before_the_next_scan_and_the_run_can_go_on(self) -> None:
        controller = controller_of(program_of(_blinking, "X1 Y1 Y2", "T1:TON"))
        feed = controller.feed(log_of(controller, [(0, "X1", 1), (1000, "X1", 1)]))
        machine = controller.machine(feed)
        machine.run(0)
        machine.stop()
        self.assertEqual(machine.run(feed.end), Status.STOPPED)
        self.assertEqual(machine.scan, 1)
        self.assertEqual(machine.run(feed.end), Status.DONE)
        self.assertEqual(machine.value(controller.running.by_name["y2"]), 1)

    def test_output_changes_break_a_run_where_asked(self) -> None:
        controller = controller_of(program_of(_blinking, "X1 Y1 Y2", "T1:TON"))
        feed = controller.feed(log_of(controller, [(0, "X1", 1), (1000, "X1", 1)]))
        machine = controller.machine(feed)
        machine.break_on_outputs(True)
        self.assertEqual(machine.run(feed.end), Status.OUTPUT_CHANGED)
        self.assertEqual(machine.start, 30 * MS)

    def test_inputs_fed_later_are_taken(self) -> None:
        controller = controller_of(program_of(_blinking, "X1 Y1 Y2", "T1:TON"))
        feed = controller.feed(log_of(controller, [(0, "X1", 0)], end=1000))
        machine = controller.machine(feed)
        machine.run(500 * MS)
        machine.feed_more(np.array([600 * MS], np.int64), np.array([controller.running.by_name["x1"]], np.int32), np.array([1], np.int64))
        machine.run(1000 * MS)
        self.assertEqual(machine.value(controller.running.by_name["y1"]), 1)

    def test_a_hold_replaces_the_log_from_its_start_to_its_end(self) -> None:
        controller = controller_of(program_of(_blinking, "X1 Y1 Y2", "T1:TON"))
        log = log_of(controller, [(0, "X1", 1), (500, "X1", 1)])
        x1, y1 = controller.running.by_name["x1"], controller.running.by_name["y1"]
        journal = controller.replay(log, Trial((Hold(x1, 0, 100 * MS, 200 * MS),)))
        self.assertEqual([(r[0], r[3]) for r in all_rows(journal) if r[2] == y1], [(4, 1), (11, 0), (24, 1)])

    def test_a_hold_holds_against_a_word_of_the_log_that_has_the_same_bits(self) -> None:
        program = program_of(lambda ladder: ladder.rung(no("X1"), coil("Y1")), "X1 Y1")
        config = program.configurations[0]
        word = Variable("Card", ELEMENTARY["WORD"], VariableKind.GLOBAL, "%IW0")
        program = replace(program, configurations=(replace(config, variables=(*config.variables, word)),))
        rows = [(0, "Card", 0), (50, "Card", 1), (100, "Card", 0), (150, "Card", 1), (200, "Card", 0)]
        for plain in (False, True):
            controller = controller_of(program, plain)
            log, x = log_of(controller, rows), controller.running.by_name["x1"]
            for until, expected in ((None, [(6, 1), (7, 0)]), (160 * MS, [(6, 1), (7, 0), (17, 1), (21, 0)]),
                                    (130 * MS, [(6, 1), (7, 0), (16, 1), (21, 0)])):
                hold = Hold(x, 0, 60 * MS, until)
                for trial in (Trial((hold,)), Trial((), (), (hold,))):
                    journal = controller.replay(log, trial)
                    with self.subTest(plain=plain, until=until, forced=bool(trial.forces)):
                        self.assertEqual(course_of(journal, controller, "Y1"), expected)
                        self.assertEqual(course_of(journal, controller, "X1"), expected)
            forced = controller.replay(log, Trial((), (), (Hold(x, 1, 0, 90 * MS),)))
            self.assertEqual([(f.tag, f.scan, f.value) for f in forced.forced], [(x, 1, 1), (x, 10, None)])

    def test_where_wasmtime_does_not_load_the_plain_engine_answers(self) -> None:
        controller = controller_of(program_of(_blinking, "X1 Y1 Y2", "T1:TON"))
        log = log_of(controller, [(0, "X1", 1), (500, "X1", 0)])
        expected = all_rows(controller.replay(log))
        other = controller_of(program_of(_blinking, "X1 Y1 Y2", "T1:TON"))
        with mock.patch.object(Controller, "machine", side_effect=ImportError("no wasmtime")):
            self.assertEqual(all_rows(other.replay(log)), expected)
        self.assertTrue(other.plain)

    def test_progress_is_told_and_work_can_be_closed(self) -> None:
        controller = controller_of(program_of(_blinking, "X1 Y1 Y2", "T1:TON"))
        log = log_of(controller, [(0, "X1", 1)], end=1_000_000)
        work = controller.replaying(log)
        first = next(work)
        self.assertEqual(first.total, log.end)
        self.assertLess(first.done, log.end)
        work.close()

    def test_a_quiet_log_that_becomes_dense_is_told_of_stopped_and_kept_checkpoints_of(self) -> None:
        # A piece grows while nothing happens: it used to swallow all that came then.
        controller = controller_of(program_of(_blinking, "X1 Y1 Y2", "T1:TON"))
        times = np.arange(80_000, dtype=np.int64) * 50 * MS + 1_000_000 * MS
        log = Log(times, np.full(len(times), controller.running.by_name["x1"], np.int32), np.arange(len(times), dtype=np.int64) & 1,
                  end=int(times[-1]), rows=len(times))
        whole = controller.replay(log)
        with mock.patch.multiple(controllers, MOST_SECONDS=0.003, CHECKPOINT_SECONDS=0.003):
            told: list[int] = []
            self.assertEqual(difference(whole, controller.replay(log, told=lambda p: told.append(p.done)), []), "")
            inside = [t for t in told if log.times[0] < t < log.end]
            self.assertGreater(len(inside), 3)
            self.assertIsNotNone(found := controller.checkpoint_before(log, log.end))
            self.assertGreater(found.start if found is not None else 0, log.times[0])
            cut: list[int] = []
            work = controller.replaying(log, stop=lambda: len(cut) > 0)
            for progress in work:
                if progress.done > log.times[0]:
                    cut.append(progress.done)
            self.assertLess(cut[-1], log.end)

    def test_runs_that_are_cut_short_leave_the_same_journal(self) -> None:
        cut = 0
        for seed in range(8):
            random = Random(seed)
            controller = Controller(*random_case(random, tasked=seed % 2 == 1))
            log = dense_log(random, controller.running, 20_000, 100_000_000_000)
            whole = controller.replay(log)
            with mock.patch.object(controllers, "MOST_SECONDS", 0.001):
                told: list[int] = []
                self.assertEqual(difference(whole, controller.replay(log, told=lambda p, told=told: told.append(p.done)), []), "", seed)  # type: ignore[misc]
            cut += len(told)
        self.assertGreater(cut, 12)


if __name__ == "__main__":
    unittest.main()
