"""Times that a recorder got wrong: a stray row, an hour that occurs twice, spans and presets beyond 64 bits."""

from __future__ import annotations

import datetime as dt
import tempfile
import unittest
from pathlib import Path
from random import Random

import numpy as np

from tests.building import controller_of, course_of, log_of, program_of, session_of
from whorlograph.desk.asking import ask
from whorlograph.engine.controller import Controller
from whorlograph.formats.logs import read_logs
from whorlograph.formats.logs.outliers import far_outside, put_back
from whorlograph.model.limits import RHYTHM
from whorlograph.model.log import Log
from whorlograph.model.parts import Ladder, coil, no, timer
from whorlograph.model.place import Notice
from whorlograph.model.profile import Profile

SECOND = 1_000_000_000
DAY = 86_400 * SECOND


def _plain(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("Y1"))


def read(rows: list[str], header: str = "time,tag,value") -> tuple[Log, list[Notice], Controller]:
    return read_all([rows], header)


def read_all(files: list[list[str]], header: str = "time,tag,value") -> tuple[Log, list[Notice], Controller]:
    """Several files of one log, given as rows."""
    controller = controller_of(program_of(_plain, "X1 X2 Y1"))
    with tempfile.TemporaryDirectory() as folder:
        paths = [Path(folder) / f"log{n}.csv" for n in range(len(files))]
        for path, rows in zip(paths, files, strict=True):
            path.write_text("\n".join([header, *rows]) + "\n")
        loaded = read_logs(paths, controller.running, Profile())
    return loaded.value, loaded.notices, controller


def shift(rows: int = 2000) -> list[str]:
    """Eight hours of a switch."""
    begin = dt.datetime(2031, 6, 11, 6)
    return [f"{(begin + dt.timedelta(seconds=28_800 / rows * i)).isoformat()},X1,{i % 2}" for i in range(rows)]


class StrayRows(unittest.TestCase):
    """One row of another year on a shift's log."""

    def test_a_stray_row_is_set_aside_and_said_and_the_rest_is_as_without_it(self) -> None:
        for rows in (20, 200, 2000, 20_000):
            clean, _, _ = read(shift(rows))
            for stray in ("1970-01-01T00:00:00", "2099-01-01T00:00:00", "2032-06-11T08:00:00", "2031-05-01T00:00:00"):
                for at in (0, rows // 2, rows):
                    for tag in ("X2", "Nobody"):
                        given = shift(rows)
                        given.insert(at, f"{stray},{tag},1")
                        log, notices, _ = read(given)
                        with self.subTest(rows=rows, stray=stray, at=at, tag=tag):
                            self.assertEqual((log.origin, log.end), (clean.origin, clean.end))
                            self.assertEqual(log.times.tolist(), clean.times.tolist())
                            if tag == "X2":
                                self.assertIn(stray.replace("T", " "), " ".join(map(str, notices)))
                                self.assertEqual(log.set_aside, 1)

    def test_weekends_few_rows_and_slow_logs_lose_nothing(self) -> None:
        monday = [f"2031-06-09T0{i}:00:00,X1,{i % 2}" for i in range(10)]
        week = monday + [f"2031-06-13T0{i}:30:00,X1,{i % 2}" for i in range(10)]
        monthly = [f"2031-{m:02}-01T00:00:00,X1,{m % 2}" for m in range(1, 13)]
        for rows in (week, monthly, ["0,X1,0", "3000000,X1,1", "3000001,X1,0"]):
            log, notices, _ = read(rows)
            self.assertEqual((len(log.times), log.set_aside), (len(rows), 0))
            self.assertIn("nothing is logged for", " ".join(map(str, notices)))

    def test_what_is_kept_is_one_stretch_and_nothing_of_an_even_log_goes(self) -> None:
        random = Random(5)
        for _ in range(300):
            n = random.choice((0, 1, 9, 10, 11, 500))
            times = np.cumsum(np.array([random.randrange(1, 10 * SECOND) for _ in range(n)], np.int64)) if n else np.zeros(0, np.int64)
            self.assertEqual(far_outside(times), (0, n))
            if n >= 10:
                far = random.randrange(30, 10_000) * DAY
                self.assertEqual(far_outside(np.append(times, times[-1] + far)), (0, n))
                self.assertEqual(far_outside(np.insert(times, 0, times[0] - far)), (1, n + 1))

    def test_a_span_beyond_64_bits_loses_rows_with_a_word(self) -> None:
        log, notices, controller = read(["-9200000000,X1,0", "1,X1,1", "2,X1,0", "9200000000,X1,1"])
        self.assertEqual((len(log.times), log.set_aside), (3, 1))
        self.assertIn("9200000000 s", " ".join(map(str, notices)))
        journal = controller.replay(log)
        self.assertEqual([v for _, v in course_of(journal, controller, "Y1")][-2:], [1, 0])


class DoubledHour(unittest.TestCase):
    """Clocks that were put back."""

    def autumn(self, every: int, hours: int = 4) -> list[dt.datetime]:
        begin, change = dt.datetime(2031, 10, 26, 1), dt.datetime(2031, 10, 26, 3)
        true = [begin + dt.timedelta(seconds=every * i) for i in range(hours * 3600 // every)]
        return [t if t < change else t - dt.timedelta(hours=1) for t in true]

    def test_rows_keep_the_order_and_distance_in_which_they_were_logged(self) -> None:
        for every in (10, 61, 600):
            log, notices, _ = read([f"{t.isoformat()},X1,{i % 2}" for i, t in enumerate(self.autumn(every))])
            self.assertEqual(set(np.diff(log.times).tolist()), {every * SECOND})
            self.assertEqual(log.end, int(log.times[-1]))
            self.assertIn("an hour occurs twice", " ".join(map(str, notices)))

    def test_local_forms_and_whole_logs_beyond_the_fast_reader_s_threshold(self) -> None:
        stamps = self.autumn(2)
        log, _, _ = read([f"{t:%d.%m.%Y %H:%M:%S};X1;{i % 2}" for i, t in enumerate(stamps)], "time;tag;value")
        self.assertEqual(set(np.diff(log.times).tolist()), {2 * SECOND})

    def test_few_rows_in_a_night_in_which_clocks_are_put_back(self) -> None:
        for day, found in (("2031-10-26", True), ("2031-11-02", True), ("2031-04-06", True), ("2031-10-27", False), ("2031-10-19", False)):
            rows = [f"{day} 02:59:59,X1,1", f"{day} 02:00:00,X1,0", f"{day} 02:00:02,X1,1"]
            log, notices, _ = read(rows)
            self.assertEqual("occurs twice" in " ".join(map(str, notices)), found, day)
            self.assertEqual(log.values.tolist(), [1, 0, 1] if found else [0, 1, 1], day)
        for rows in ([f"{day} 05:59:59,X1,1", f"{day} 05:00:00,X1,0"], ["2031-10-26 02:59:59,X1,1", "2031-10-26 02:00:00,X1,0", "2031-10-26 01:59:59,X1,1"]):
            self.assertNotIn("occurs twice", " ".join(map(str, read(rows)[1])))

    def test_a_log_that_ends_before_the_hour_is_over(self) -> None:
        for before, behind in ((1, 2), (8, 2), (9, 3), (200, 2), (200, 100)):
            true = [dt.datetime(2031, 10, 26, 2, 59, 59) + dt.timedelta(seconds=5 * i) for i in range(1 - before, behind + 1)]
            rows = [f"{t - dt.timedelta(hours=t.hour - 2):%Y-%m-%d %H:%M:%S},X1,{i % 2}" for i, t in enumerate(true)]
            log, notices, _ = read(rows)
            self.assertEqual(set(np.diff(log.times).tolist()), {5 * SECOND}, (before, behind))
            self.assertIn("an hour occurs twice", " ".join(map(str, notices)))
            ordinary = [row.replace("2031-10-26", "2031-10-27") for row in rows]
            self.assertNotIn("occurs twice", " ".join(map(str, read(ordinary)[1])))
            late = [*rows[:before], rows[before]]  # one row, late
            if len(late) >= RHYTHM:
                self.assertNotIn("occurs twice", " ".join(map(str, read(late)[1])))

    def test_a_log_that_begins_in_the_hour_that_occurs_twice_lasts_as_long_as_it_did(self) -> None:
        for every, count in ((61, 8), (61, 100)):
            true = [dt.datetime(2031, 10, 26, 2, 57) + dt.timedelta(seconds=every * i) for i in range(count)]
            change = dt.datetime(2031, 10, 26, 3)
            log, notices, _ = read([f"{(t if t < change else t - dt.timedelta(hours=1)).isoformat()},X1,{i % 2}" for i, t in enumerate(true)])
            self.assertIn("an hour occurs twice", " ".join(map(str, notices)))
            self.assertEqual((log.times.tolist(), log.end), ([every * SECOND * i for i in range(count)], every * SECOND * (count - 1)))

    def test_two_tables_that_both_go_over_the_hour(self) -> None:
        first, second = self.autumn(20), self.autumn(30)
        rows = [[f"{t.isoformat()},{tag},{i % 2}" for i, t in enumerate(stamps)] for tag, stamps in (("X1", first), ("X2", second))]
        for files in (rows, rows[::-1]):
            log, notices, _ = read_all(files)
            self.assertEqual(" ".join(map(str, notices)).count("occurs twice"), 2)
            true = [20 * SECOND * i for i in range(len(first))], [30 * SECOND * i for i in range(len(second))]
            self.assertEqual(sorted([*true[0], *true[1]]), log.times.tolist())
            self.assertEqual([log.times[log.tags == tag].tolist() for tag in sorted(set(log.tags.tolist()))], list(true))

    def test_a_list_of_events_beside_a_table_is_moved_behind_the_hour_only_and_what_lies_in_it_is_said(self) -> None:
        begin, table = dt.datetime(2031, 10, 26, 1), [f"{t.isoformat()},X1,{i % 2}" for i, t in enumerate(self.autumn(20))]
        local = [begin, dt.datetime(2031, 10, 26, 1, 59, 59), dt.datetime(2031, 10, 26, 2), dt.datetime(2031, 10, 26, 2, 59, 59), dt.datetime(2031, 10, 26, 3)]
        for count in range(1, len(local) + 1):
            events = [f"{t.isoformat()},X2,{i % 2}" for i, t in enumerate(local[:count])]
            for files in ([table, events], [events, table]):
                log, notices, _ = read_all(files)
                times = log.times[np.bincount(log.tags)[log.tags] == count]  # those of X2
                self.assertEqual(times.tolist(), [0, 3599 * SECOND, 3600 * SECOND, 7199 * SECOND, 10_800 * SECOND][:count])
                said = [str(n) for n in notices if "may be of either of the two hours" in str(n)]
                self.assertEqual(len(said), int(count > 2))
                self.assertTrue(count < 3 or "1 row " in said[0] or "2 rows " in said[0])

    def test_the_next_file_of_a_recorder_comes_behind_it_whole(self) -> None:
        stamps = self.autumn(30)
        rows = [f"{t.isoformat()},X1,{i % 2}" for i, t in enumerate(stamps)]
        for at in (242, 300, 359, 360, 420):  # from the second hour's third row to 03:30
            log, notices, _ = read_all([rows[:at], rows[at:]])
            self.assertEqual((set(np.diff(log.times).tolist()), log.end), ({30 * SECOND}, 30 * SECOND * (len(rows) - 1)), at)
            self.assertNotIn("may be of either", " ".join(map(str, notices)))

    def test_times_with_a_zone_late_rows_and_two_steps_back_are_no_doubled_hour(self) -> None:
        late = [f"2031-10-26T0{i // 60}:{i % 60:02}:00,X1,{i % 2}" for i in range(240)]
        late.insert(200, late.pop(150))  # one row that came 50 minutes late
        log, notices, _ = read(late)
        self.assertNotIn("occurs twice", " ".join(map(str, notices)))
        self.assertEqual(set(np.diff(log.times).tolist()), {60 * SECOND})
        zoned = [f"{t.isoformat()}+01:00,X1,{i % 2}" for i, t in enumerate(self.autumn(60))]
        self.assertNotIn("occurs twice", " ".join(map(str, read(zoned)[1])))
        twice = np.array([*range(60), *range(20, 90), *range(50, 120)], np.int64) * 60 * SECOND
        self.assertIsNone(put_back(twice))


class FarPresets(unittest.TestCase):
    """Timers and inputs beyond what a TIME holds."""

    def drawn(self, preset: str) -> Controller:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), timer("TON", "T1", preset), coil("Y1"))
            ladder.rung(no("X1"), coil("Y2"))

        return controller_of(program_of(draw, "X1 Y1 Y2", "T1:TON"))

    def test_an_input_that_cannot_be_read_leaves_out_its_rung_and_the_rest_runs(self) -> None:
        for preset in ("T#106752d", "T#99999999999d", "1e400", "A + ", "Nope.Path.X", "9" * 5000, "-" + "9" * 30, "T#", "T#1e5s", "16#" + "F" * 5000):
            courses = []
            for plain in (False, True):
                controller = self.drawn(preset)
                controller.plain = plain
                log = log_of(controller, [(0, "X1", 0), (100, "X1", 1), (100, "Y1", 1), (300, "X1", 0)], end=400)
                journal = controller.replay(log)
                courses.append([course_of(journal, controller, t) for t in ("Y1", "Y2")])
            with self.subTest(preset=preset[:20]):
                self.assertEqual(courses[0], courses[1])
                self.assertEqual([v for _, v in courses[0][1]][-2:], [1, 0])
                self.assertEqual([v for _, v in courses[0][0]][-1:], [1])  # from the log
                said = [str(n) for n in controller.notices if "not executed" in str(n)]
                self.assertEqual(len(said), 1)
                self.assertIn("Main 1", said[0])

    def test_an_answer_about_what_such_a_rung_writes_says_so(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), timer("TON", "T1", "A +"), coil("Y1"))
            ladder.rung(no("Y1"), coil("Y2"))

        for rows, source in (([(0, "X1", 1), (50, "X1", 0)], "declared"), ([(0, "Y1", 1), (0, "X1", 1), (50, "Y1", 0)], "comes from the log")):
            answer = ask(session_of(program_of(draw, "X1 Y1 Y2", "T1:TON"), rows, end=90), "Y2")
            self.assertEqual(len(answer.roots), 1)
            for word in ("Y1 is written in Main 1, which is not executed", "'A +'", source):
                self.assertIn(word, answer.roots[0].text)
            self.assertIn("Main 1 is not executed", " ".join(answer.rests_on))

    def test_the_longest_time_never_runs_out_in_both_engines(self) -> None:
        for preset in ("LTIME#106751d23h47m16s854ms", "T#106751d", "T#-5s"):
            for plain in (False, True):
                controller = self.drawn(preset)
                controller.plain = plain
                log = log_of(controller, [(0, "X1", 0), (100, "X1", 1), (5000, "X1", 0)], end=6000)
                on = [t for t, v in course_of(controller.replay(log), controller, "Y1") if v]
                self.assertEqual(on, [11] if preset == "T#-5s" else [], (preset, plain))


if __name__ == "__main__":
    unittest.main()
