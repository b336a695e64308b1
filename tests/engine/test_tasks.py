"""Tasks as interrupts: each law of CONTROLLER.md, Scan and tasks, on a small program with rows written by hand; both engines keep them."""

from __future__ import annotations

import unittest
from pathlib import Path

from msgspec.structs import replace

from tests.building import MS, Draw, Rows, controller_of, log_of, tasked
from tests.engine.agreement import difference
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.engine.loops import loop_remedy
from whorlograph.engine.schedule import duration_of, make_schedule
from whorlograph.formats.programs.st import read
from whorlograph.model.parts import Ladder, call, coil, compare, jump, nc, no, rises, set_, timer
from whorlograph.model.program import Pou, PouKind, Program, Task, Variable, VariableKind
from whorlograph.model.types import BOOL


class Tasks(unittest.TestCase):
    """Replays on both engines; what they leave must be equal and as written here."""

    def replay(self, program: Program, rows: Rows, end: int | None = None, **profile: object) -> tuple[Journal, Controller]:
        compiled, plain = controller_of(program, **profile), controller_of(program, True, **profile)
        got, expected = compiled.replay(log_of(compiled, rows, end)), plain.replay(log_of(plain, rows, end))
        self.assertEqual(difference(expected, got, [t.name for t in plain.running.tags]), "")
        return got, compiled

    def course(self, made: tuple[Journal, Controller], tag: str) -> list[tuple[int, int]]:
        """(scan, raw value) of each row of a tag."""
        journal, controller = made
        scans, values = journal.history(controller.running.by_name[tag.lower()])
        return list(zip(scans.tolist(), values.tolist(), strict=True))

    def test_a_pattern_stays_while_its_task_does_not_come_and_the_number_moves_on(self) -> None:
        # The number makes a round in 1 s (four windows of 250 ms); the task samples it every 500 ms until it is held.
        def counting(ladder: Ladder) -> None:
            ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
            ladder.rung(compare("GE", "N1", "100"), call("MOVE", ("IN", "0"), out="N1"))
            ladder.rung(no("X1"), call("TASK_HOLD", ("NAME", "'T'")))

        def window(ladder: Ladder) -> None:
            ladder.rung(compare("LT", "N1", "25"), coil("Y1"))
            ladder.rung(compare("GE", "N1", "50"), coil("Y2"))

        made = self.replay(tasked({"Count": counting, "Show": window}, "X1 N1 Y1 Y2", {"Show": Task("T", 1, "T#500ms")}),
                           [(0, "X1", 0), (1600, "X1", 1), (4000, "X1", 1)])
        # Sampled at N1 = 0, 50, 0, 50: only ever two patterns. Held at 1.6 s with the pattern of 1.5 s.
        self.assertEqual(self.course(made, "Y1"), [(1, 1), (51, 0), (101, 1), (151, 0)])
        self.assertEqual(self.course(made, "Y2"), [(51, 1), (101, 0), (151, 1)])
        self.assertEqual(len(made[0].tasks[0].missed), 4, "one waits since 2.0 s, those of 2.5 to 4.0 s are missed")
        self.assertEqual([(h.scan, h.on) for h in made[0].held], [(161, True)])

    def test_a_timer_in_a_task_that_comes_too_seldom_never_elapses(self) -> None:
        def timing(ladder: Ladder) -> None:
            ladder.rung(no("X1"), timer("TON", "T1", "T#150ms"), coil("Y1"))

        program = tasked({"Slow": timing, "Main": lambda ladder: ladder.rung(no("X2"), coil("Y2"))}, "X1 X2 Y1 Y2",
                         {"Slow": Task("T", 1, "T#100ms")}, "T1:TON")
        # On for 180 ms, seen at 100 and 200 ms only: 100 ms have run when it goes off.
        made = self.replay(program, [(0, "X1", 0), (50, "X1", 1), (230, "X1", 0), (1000, "X1", 0)])
        self.assertEqual(self.course(made, "Y1"), [])
        longer = self.replay(program, [(0, "X1", 0), (50, "X1", 1), (330, "X1", 0), (1000, "X1", 0)])
        self.assertEqual(self.course(longer, "Y1"), [(31, 1), (41, 0)], "it elapses at the run at 300 ms, 200 ms after the one that saw the rise")

    def test_an_input_that_comes_and_goes_between_two_runs_is_missed(self) -> None:
        program = tasked({"Slow": lambda ladder: ladder.rung(no("X1"), set_("Y1")), "Main": lambda ladder: ladder.rung(no("X1"), set_("Y2"))},
                         "X1 Y1 Y2", {"Slow": Task("T", 1, "T#100ms")})
        made = self.replay(program, [(0, "X1", 0), (110, "X1", 1), (160, "X1", 0), (400, "X1", 0)])
        self.assertEqual((self.course(made, "Y1"), self.course(made, "Y2")), ([], [(12, 1)]))

    def test_an_event_while_held_waits_and_a_second_one_is_lost(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(no("X2"), call("TASK_HOLD", ("NAME", "'T'")))
            ladder.rung(nc("X2"), call("TASK_RELEASE", ("NAME", "'T'")))

        program = tasked({"Main": main, "Once": lambda ladder: ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))}, "X1 X2 N1",
                         {"Once": Task("T", 1, "", "X1")})
        made = self.replay(program, [(0, "X1", 0), (0, "X2", 0), (20, "X2", 1), (55, "X1", 1), (65, "X1", 0), (75, "X1", 1), (205, "X2", 0), (300, "X1", 1)])
        self.assertEqual(self.course(made, "N1"), [(23, 1)], "the run that waited begins after the scan that releases it, and settles in the next")
        dues, waits = made[0].tasks[0].written_out()
        self.assertEqual((dues.tolist(), waits.tolist(), made[0].tasks[0].missed.tolist()), ([55 * MS], [155 * MS], [75 * MS]))

    def test_what_a_task_writes_between_two_rungs_is_seen_by_the_second_only(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(no("M1"), coil("Y1"))
            ladder.rung(no("M1"), coil("Y2"))

        program = tasked({"Main": main, "Fast": lambda ladder: ladder.rung(no("X1"), coil("M1"))}, "X1 M1 Y1 Y2", {"Fast": Task("T", 1, "", "X1")})
        # Rungs take 1 ms: the edge at 20.5 ms lies in the first rung of the scan of 20 ms, the task runs when that rung ends.
        made = self.replay(program, [(0, "X1", 0), (20.5, "X1", 1), (60, "X1", 1)], rung_time=MS)
        self.assertEqual((self.course(made, "Y2"), self.course(made, "Y1")), ([(3, 1)], [(4, 1)]))
        self.assertEqual(made[0].tasks[0].longest_wait, MS // 2)

    def test_a_task_due_in_a_scans_last_step_runs_between_two_scans(self) -> None:
        program = tasked({"Main": lambda ladder: ladder.rung(no("X2"), coil("Y2")), "Fast": lambda ladder: ladder.rung(no("X1"), coil("Y1"))},
                         "X1 X2 Y1 Y2", {"Fast": Task("T", 1, "", "X1")})
        made = self.replay(program, [(0, "X1", 0), (20.5, "X1", 1), (60, "X1", 1)], rung_time=MS)
        self.assertEqual(self.course(made, "Y1"), [(4, 1)])

    def test_the_more_urgent_task_interrupts_the_other_between_its_steps(self) -> None:
        def low(ladder: Ladder) -> None:
            ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
            ladder.rung(call("MOVE", ("IN", "N1"), out="N2"))
            ladder.rung(call("MOVE", ("IN", "N1"), out="N3"))

        program = tasked({"Low": low, "High": lambda ladder: ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "100"), out="N1"))}, "N1 N2 N3 X1",
                         {"Low": Task("L", 5, "T#100ms"), "High": Task("H", 1, "T#101ms")})
        # Low runs at 100, 101, 102 ms; High is due at 101 ms: before Low's second rung.
        made = self.replay(program, [(0, "X1", 0), (150, "X1", 0)], rung_time=MS)
        self.assertEqual(self.course(made, "N1")[-2:], [(11, 102), (11, 202)])
        self.assertEqual((self.course(made, "N2")[-1], self.course(made, "N3")[-1]), ((11, 202), (11, 202)))

    def test_an_interval_from_a_tag_changes_while_it_runs_and_zero_stops_it(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(no("X1"), call("MOVE", ("IN", "T#30ms"), out="I1"))
            ladder.rung(nc("X1"), call("MOVE", ("IN", "T#0s"), out="I1"))

        program = tasked({"Main": main, "Tick": lambda ladder: ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))}, "X1 N1",
                         {"Tick": Task("T", 1, "I1")}, times="I1")
        made = self.replay(program, [(0, "X1", 0), (100, "X1", 1), (200, "X1", 0), (300, "X1", 0)])
        # The tag rises in the scan of 100 ms, is looked at again at 110; runs at 110, 140, 170, 200 ms; at 230 it is 0.
        self.assertEqual(self.course(made, "N1"), [(12, 1), (15, 2), (18, 3), (21, 4)])

    def test_a_task_waits_for_the_fall_where_the_profile_says_so(self) -> None:
        program = tasked({"Once": lambda ladder: ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))}, "X1 N1", {"Once": Task("T", 1, "", "X1")})
        rows = [(0, "X1", 1), (50, "X1", 0), (90, "X1", 1), (130, "X1", 0), (200, "X1", 0)]
        self.assertEqual(self.course(self.replay(program, rows), "N1"), [(10, 1)], "the row at 0 is no edge")
        self.assertEqual(self.course(self.replay(program, rows, falling_tasks=("T",)), "N1"), [(6, 1), (14, 2)])

    def test_a_tag_that_the_program_writes_starts_a_task_at_the_end_of_its_step(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("M1"))
            ladder.rung(no("Y1"), coil("Y2"))

        program = tasked({"Main": main, "Once": lambda ladder: ladder.rung(set_("Y1"))}, "X1 M1 Y1 Y2", {"Once": Task("T", 1, "", "M1")})
        self.assertEqual(self.course(self.replay(program, [(0, "X1", 0), (30, "X1", 1), (60, "X1", 1)]), "Y2"), [(4, 1)])

    def test_a_task_on_the_first_scan_runs_once(self) -> None:
        program = tasked({"Once": lambda ladder: ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))}, "X1 F1 N1", {"Once": Task("T", 1, "", "F1")})
        made = self.replay(program, [(0, "X1", 0), (60, "X1", 1)], first_scan="F1")
        self.assertEqual(self.course(made, "N1"), [(1, 1)])
        self.assertEqual(self.course(made, "F1"), [(1, 1), (2, 0)])

    def test_while_single_is_on_no_run_comes_by_the_interval(self) -> None:
        program = tasked({"Tick": lambda ladder: ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))}, "X1 N1", {"Tick": Task("T", 1, "T#20ms", "X1")})
        made = self.replay(program, [(0, "X1", 0), (45, "X1", 1), (95, "X1", 0), (140, "X1", 0)])
        self.assertEqual(made[0].tasks[0].written_out()[0].tolist(), [0, 20 * MS, 40 * MS, 45 * MS, 100 * MS, 120 * MS, 140 * MS])

    def test_a_fault_in_a_task_between_two_scans_settles_in_the_next(self) -> None:
        def bad(ladder: Ladder) -> None:
            ladder.rung(rises("X1"), call("DIV", ("IN1", "1"), ("IN2", "N2"), out="N1"))

        program = tasked({"Main": lambda ladder: ladder.rung(no("X2"), coil("Y1")), "Bad": bad}, "X1 X2 Y1 N1 N2", {"Bad": Task("T", 1, "T#25ms")})
        made = self.replay(program, [(0, "X1", 0), (0, "X2", 1), (22, "X1", 1), (60, "X2", 0), (90, "X2", 1)])
        self.assertEqual((made[0].fault.scan, made[0].fault.code) if made[0].fault else None, (4, "division by zero"))
        self.assertEqual(self.course(made, "Y1"), [(1, 1), (4, 0)])
        self.assertEqual(self.course(made, "X2"), [(1, 1), (7, 0), (10, 1)], "later scans copy their inputs")

    def test_the_watchdogs_measure_begins_anew_where_it_is_restarted(self) -> None:
        def looping(restart: bool) -> Draw:
            def draw(ladder: Ladder) -> None:
                ladder.rung(call("MOVE", ("IN", "0"), out="N1"))
                ladder.label("Again")
                ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
                if restart:
                    ladder.rung(compare("EQ", "N1", "6"), call("WATCHDOG_RESTART"))
                ladder.rung(compare("LT", "N1", "11"), jump("Again"))
                ladder.rung(no("X1"), coil("Y1"))
            return draw

        rows = [(0, "X1", 1), (200, "X1", 1)]
        without = self.replay(tasked({"Main": looping(False)}, "X1 Y1 N1", {}), rows, rung_time=MS, watchdog=20 * MS)
        self.assertEqual(without[0].fault.code if without[0].fault else "", "watchdog")
        self.assertEqual(without[0].fault.number if without[0].fault else 0, 21)
        fault = without[0].fault
        assert fault is not None
        # Step 1; then passes of two steps: the tenth jump ends step 21, the first one ended step 3.
        self.assertEqual([(p.step, p.target, p.times, p.steps) for p in fault.loops], [(2, 1, 9, 16)])
        self.assertIn("the jump in Main 3 went back to Main 2 (label Again) 9 times, about 18 ms of it", fault.text)
        with_it = self.replay(tasked({"Main": looping(True)}, "X1 Y1 N1", {}), rows, rung_time=MS, watchdog=20 * MS)
        self.assertIsNone(with_it[0].fault)

    def test_a_loop_that_took_little_of_the_time_is_not_blamed(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(call("MOVE", ("IN", "0"), out="N1"))
            ladder.label("Again")
            ladder.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
            ladder.rung(compare("LT", "N1", "2"), jump("Again"))
            for _ in range(20):
                ladder.rung(no("X1"), coil("Y1"))

        made = self.replay(tasked({"Main": main}, "X1 Y1 N1", {}), [(0, "X1", 1), (200, "X1", 1)], rung_time=MS, watchdog=20 * MS)
        fault = made[0].fault
        assert fault is not None
        self.assertEqual((fault.code, len(fault.loops)), ("watchdog", 1))
        self.assertNotIn("went back", fault.text)
        self.assertEqual(loop_remedy(fault, made[1].steps), "")

    def test_the_watchdog_bites_at_the_end_of_each_step_of_a_called_body(self) -> None:
        # Three steps take 30 ms; the third calls a body of two, of which the first ends at 40 ms: that is the fourth.
        inner = Ladder()
        inner.rung(no("In"), coil("Out"))
        inner.rung(no("In"), coil("Out"))
        own = tuple(Variable(n, BOOL, k) for n, k in (("In", VariableKind.INPUT), ("Out", VariableKind.OUTPUT)))

        def main(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))
            ladder.rung(no("X1"), coil("Y2"))
            ladder.rung(no("X1"), call("Sub", ("In", "X1"), instance="S1"))

        program = tasked({"Main": main}, "X1 Y1 Y2", {}, "S1:Sub")
        program = replace(program, pous={**program.pous, "sub": Pou("Sub", PouKind.FUNCTION_BLOCK, own, inner.body())})
        for watchdog, number in ((20, 4), (30, 4), (40, 5), (15, 2)):
            with self.subTest(watchdog=watchdog):
                made = self.replay(program, [(0, "X1", 1), (200, "X1", 1)], rung_time=10 * MS, watchdog=watchdog * MS)
                self.assertEqual((made[0].fault.code, made[0].fault.number) if made[0].fault else None, ("watchdog", number))

    def test_the_controller_gives_the_scans_time_to_the_tags_that_ask(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(no("X1"), jump("End"))
            ladder.rung(no("X1"), coil("Y1"))
            ladder.rung(no("X1"), coil("Y1"))
            ladder.label("End")
            ladder.rung(no("X1"), coil("Y2"))

        made = self.replay(tasked({"Main": main}, "X1 Y1 Y2 N1", {}, times="D1"), [(0, "X1", 0), (30, "X1", 1), (60, "X1", 0), (90, "X1", 0)],
                           rung_time=MS, scan_duration="D1", longest_scan="N1")
        self.assertEqual(self.course(made, "D1"), [(1, 4 * MS), (4, 2 * MS), (7, 4 * MS)])
        self.assertEqual(self.course(made, "N1"), [(1, 4)], "a number counts milliseconds")
        self.assertEqual(made[0].lengths.tolist(), [[1, 4 * MS], [4, 2 * MS], [7, 4 * MS]])


    def test_each_element_of_an_array_at_inputs_is_copied_for_the_task_that_reads_it(self) -> None:
        text = """PROGRAM Slow VAR_EXTERNAL Ins : ARRAY[1..4] OF BOOL; Y1, Y2, Y3 : BOOL; N : INT; END_VAR
Y1 := Ins[3];
Y2 := Ins[N];
END_PROGRAM
PROGRAM Cyclic VAR_EXTERNAL Ins : ARRAY[1..4] OF BOOL; Y3 : BOOL; END_VAR
Y3 := Ins[4];
END_PROGRAM
CONFIGURATION C VAR_GLOBAL Ins AT %IX0.0 : ARRAY[1..4] OF BOOL; Y1, Y2, Y3 : BOOL; N : INT := 2; END_VAR
RESOURCE R ON P TASK Fast(INTERVAL := T#7ms, PRIORITY := 1); PROGRAM S WITH Fast : Slow; PROGRAM Main : Cyclic; END_RESOURCE END_CONFIGURATION"""
        program = read(text.encode(), Path("x.st")).value
        rows = sorted((3 + 11 * k + late, f"Ins[{1 + (k + late) % 4}]", k // 4 % 2) for k in range(40) for late in (0, 5))
        made = self.replay(program, [(0, "Ins[1]", 0), *rows], 600, scan_time=50 * MS)
        self.assertGreater(len(self.course(made, "Y1")), 3)


class Intervals(unittest.TestCase):
    """How an interval is written."""

    def schedule(self, interval: str) -> tuple[int | None, list[str]]:
        program = tasked({"Main": lambda ladder: ladder.rung(no("X1"), coil("Y1"))}, "X1 Y1", {"Main": Task("T", 1, interval)})
        controller = controller_of(program)
        schedule, notices = make_schedule(program, controller.running, controller.profile)
        return schedule.tasks[0].interval, [str(n) for n in notices]

    def test_durations_of_the_standard_and_of_xml(self) -> None:
        for text, expected in (("T#20ms", 20 * MS), ("PT0.02S", 20 * MS), ("PT1M", 60_000 * MS), ("TIME#1s500ms", 1500 * MS), ("P1DT1H", 90_000_000 * MS),
                               ("20 ms", 20 * MS), ("1s500ms", 1500 * MS), ("00:00:00.020", 20 * MS), ("0:01:30", 90_000 * MS), ("P0Y0M0DT0H0M0.02S", 20 * MS)):
            with self.subTest(text):
                self.assertEqual(self.schedule(text), (expected, []))
        for text in ("PT", "P", "PT1", "1.5", "X1", "00:00", "20", "P1Y"):
            with self.subTest(text):
                self.assertIsNone(duration_of(text))

    def test_nonsense_is_a_notice_and_the_task_does_not_run(self) -> None:
        for text in ("20 x", "soon", "X1", "17"):
            with self.subTest(text):
                interval, notices = self.schedule(text)
                self.assertIsNone(interval)
                self.assertIn(f"interval {text} of task T is no duration", notices[0])

    def test_the_shortest_interval_is_the_scan_time_where_every_program_stands_on_a_task(self) -> None:
        program = tasked({"Main": lambda ladder: ladder.rung(no("X1"), coil("Y1"))}, "X1 Y1", {"Main": Task("T", 1, "PT0.02S")})
        self.assertEqual(controller_of(program, scan_time=None).scan_time, 20 * MS)


if __name__ == "__main__":
    unittest.main()
