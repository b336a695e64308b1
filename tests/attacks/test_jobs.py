"""Jobs that could be lost: another state of the program, a newer version, damage, two windows, a disk that is full."""

from __future__ import annotations

import json
import os
import tempfile
import threading
import unittest
from pathlib import Path
from random import Random
from unittest import mock

from tests.building import MS, program_of, session_of
from whorlograph.desk import job_files
from whorlograph.desk.job import Desk, open_desk
from whorlograph.desk.session import Paths
from whorlograph.model.parts import Ladder, coil, no


class Held(unittest.TestCase):
    """A folder with jobs in it."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.paths = Paths(self.folder / "kiln.xml", (self.folder / "kiln.csv",))
        self.jobs = self.folder / "jobs"

    def desk(self, digest: str = "abc") -> Desk:
        return open_desk(self.paths, digest, self.jobs)[0]

    def files(self) -> dict[str, bytes]:
        return {p.name: p.read_bytes() for p in sorted(self.jobs.iterdir())} if self.jobs.exists() else {}

    def marked(self, digest: str = "abc") -> Desk:
        desk = self.desk(digest)
        desk.mark("a", 5 * MS, "Y1 at 0.005 s")
        desk.note(7 * MS, "smells of oil")
        desk.change("lane Y1", lanes=("Y1", "Gone"))
        self.assertTrue(desk.save())
        return desk


class OtherStates(Held):
    """The program was exported again, the application was older or newer."""

    def test_a_job_on_another_state_stays_byte_for_byte_and_is_offered(self) -> None:
        self.marked("one state")
        before = self.files()
        desk, taken_up = open_desk(self.paths, "another state", self.jobs)
        self.assertEqual((taken_up, desk.kept.marks), (False, ()))
        assert desk.other is not None
        self.assertEqual(len(desk.other.kept.notes), 1)
        desk.mark("b", 9, "")
        self.assertTrue(desk.save())
        after = self.files()
        self.assertEqual({n: after[n] for n in before}, before)
        self.assertEqual(len(after), 2)
        again, taken_up = open_desk(self.paths, "one state", self.jobs)
        self.assertEqual((taken_up, [m.letter for m in again.kept.marks]), (True, ["a"]))

    def test_taking_over_keeps_what_fits_and_marks_what_does_not(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("Y1"))

        session = session_of(program_of(draw, "X1 Y1"), [(0, "X1", 1), (6, "X1", 0)])
        self.marked("one state")
        desk = self.desk("another state")
        said = desk.adopt(session)
        self.assertIn("1 mark and 1 note taken over", said)
        self.assertIn("1 lane", said)
        self.assertEqual([(m.letter, m.time, m.text) for m in desk.kept.marks], [("a", 5 * MS, "Y1 at 0.005 s")])
        self.assertEqual([(n.time, n.text) for n in desk.kept.notes], [(6 * MS, "(not within this log) smells of oil")])
        self.assertEqual(desk.kept.lanes, ("Y1",))
        self.assertEqual(desk.undo(), "taking over")
        self.assertEqual(desk.adopt(session), "")

    def test_a_job_of_a_newer_version_is_never_written(self) -> None:
        desk = self.marked()
        assert desk.path is not None
        newer = json.loads(desk.path.read_bytes()) | {"version": 99, "colour": {"of": "tomorrow"}}
        desk.path.write_text(json.dumps(newer))
        before = self.files()
        for turn in range(2):
            fresh = self.desk()
            if not turn:
                assert fresh.other is not None
                self.assertEqual(fresh.other.version, 99)
            self.assertEqual(len(fresh.kept.marks), turn)
            fresh.mark("z", 1, "")
            self.assertTrue(fresh.save())
            self.assertEqual({n: self.files()[n] for n in before}, before)
        self.assertEqual(len(self.files()), 2)

    def test_a_newer_version_that_takes_the_file_meanwhile_keeps_it(self) -> None:
        desk = self.marked()
        assert desk.path is not None
        taken = desk.path
        taken.write_text(json.dumps(json.loads(taken.read_bytes()) | {"version": 99}))
        before = taken.read_bytes()
        for _ in range(2):
            desk.note(1, "more")
            self.assertTrue(desk.save())
        self.assertEqual(taken.read_bytes(), before)
        self.assertEqual(len(self.desk().kept.notes), 3)

    def test_a_job_kept_by_the_first_version_is_taken_up(self) -> None:
        self.jobs.mkdir()
        path = job_files.job_path(self.jobs, self.paths, "abc")
        old = {"version": 1, "program": "abc", "saved": 5.0, "kept": {"marks": [{"letter": "q", "time": 3, "text": "old"}], "notes": [], "lanes": []},
               "walk": [{"at": 1.0, "what": "asked", "text": "x", "command": ""}], "history": {}, "place": None}
        (self.jobs / (path.stem.rsplit("-", 1)[0] + ".json")).write_text(json.dumps(old))
        desk, taken_up = open_desk(self.paths, "abc", self.jobs)
        self.assertEqual((taken_up, desk.marked("q") is not None, len(desk.job.walk)), (True, True, 1))
        for letter in "ab":
            desk.mark(letter, 5, "")
            self.assertTrue(desk.save())
            self.assertEqual(desk.news, "")
            self.assertEqual((len(desk.kept.marks), len(desk.job.walk)), (2 if letter == "a" else 3, 1))
        self.assertEqual([desk.undo(), desk.undo(), desk.undo()], ["mark b", "mark a", ""])
        self.assertEqual([m.letter for m in desk.kept.marks], ["q"])


class Damage(Held):
    """Files that power cuts and editors leave."""

    def test_damaged_jobs_are_put_aside_each_under_a_number_of_its_own(self) -> None:
        hurts = (b"", b"{", b"[1, 2]", b"\xff\xfe", b"[" * 100_000)
        for n, hurt in enumerate(hurts, 1):
            desk = self.marked()
            assert desk.path is not None
            desk.path.write_bytes(hurt)
            fresh, taken_up = open_desk(self.paths, "abc", self.jobs)
            self.assertFalse(taken_up)
            self.assertIn(f"damaged-{n}", fresh.said)
            self.assertEqual([p.read_bytes() for p in sorted(self.jobs.glob("*.damaged-*"))], list(hurts[:n]))

    def test_one_field_out_of_range_is_ignored_by_itself(self) -> None:
        desk = self.marked()
        desk.step("asked", "why", "cmd")
        desk.save()
        assert desk.path is not None
        good = json.loads(desk.path.read_bytes())
        bad: list[tuple[str, object]] = [
            ("kept.marks", [{"letter": "a", "time": 1e300}, {"letter": "b", "time": 4, "text": "kept"}]), ("kept.marks", {"a": 1}),
            ("kept.notes", [{"time": "x", "text": 3}]), ("kept.lanes", [1, None, "Y1"]), ("place", {"tag": "Y1", "line": -7}),
            ("place", {"tag": "Y1", "at": None, "time": 1, "strand": "nowhere", "line": 0, "start": 0, "end": 1}), ("saved", 1e300), ("saved", "now"),
            ("walk", [{"at": 1e300, "what": "", "text": ""}, 5]), ("history", {"search": [1, "Y1 falls"], "x": 3}), ("history", []), ("kept", 7),
            ("version", -3)]
        for where, value in bad:
            one = json.loads(json.dumps(good))
            part = one
            *above, last = where.split(".")
            for name in above:
                part = part[name]
            part[last] = value
            desk.path.write_text(json.dumps(one))
            with self.subTest(where=where, value=str(value)[:40]):
                fresh, taken_up = open_desk(self.paths, "abc", self.jobs)
                self.assertTrue(taken_up)
                if where != "kept" and not where.startswith("kept.notes"):
                    self.assertEqual(len(fresh.kept.notes), 1)
                if where == "kept.marks" and isinstance(value, list):
                    self.assertEqual([m.letter for m in fresh.kept.marks], ["b"])
                fresh.mark("n", 1, "")
                self.assertTrue(fresh.save())

    def test_texts_of_a_job_are_shown_not_obeyed(self) -> None:
        desk = self.marked()
        assert desk.path is not None
        desk.path.write_bytes(desk.path.read_bytes().replace(b"smells of oil", b"\\u001b[2J\\u202eoil"))
        self.assertEqual(self.desk().kept.notes[0].text, "\\x1b[2J\\u202eoil")


class NotSaved(Held):
    """No room, no folder, no name."""

    def test_why_a_job_is_not_saved_is_kept_until_it_is(self) -> None:
        blocker = self.folder / "file"
        blocker.write_text("")
        desk = open_desk(self.paths, "abc", blocker / "jobs")[0]
        desk.mark("a", 1, "")
        self.assertFalse(desk.save())
        self.assertTrue(desk.problem and desk.dirty)
        blocker.unlink()
        self.assertTrue(desk.save())
        self.assertEqual((desk.problem, desk.dirty), ("", False))

    def test_a_full_disk_leaves_the_old_job_and_no_empty_file(self) -> None:
        desk = self.marked()
        before = self.files()
        desk.mark("b", 2, "")
        with mock.patch.object(Path, "write_bytes", side_effect=OSError(28, "No space left on device")):
            self.assertFalse(desk.save())
        self.assertEqual((desk.problem, self.files()), ("No space left on device", before))
        self.assertTrue(desk.save_to(self.folder / "elsewhere.json"))
        self.assertEqual(desk.problem, "")
        self.assertIn(b'"b"', (self.folder / "elsewhere.json").read_bytes())

    def test_a_job_kept_in_a_file_of_its_own_is_taken_up_from_there(self) -> None:
        path = self.folder / "deep" / "own.json"
        desk = open_desk(self.paths, "abc", self.jobs, path)[0]
        desk.mark("q", 4, "")
        self.assertTrue(desk.save())
        again, taken_up = open_desk(self.paths, "abc", self.jobs, path)
        self.assertEqual((taken_up, again.marked("q") is not None, self.files()), (True, True, {}))
        other, taken_up = open_desk(self.paths, "another", None, path)
        before = path.read_bytes()
        other.mark("z", 1, "")
        self.assertTrue(other.save() and other.other is not None and not taken_up)
        self.assertEqual(path.read_bytes(), before)

    def test_names_as_long_as_a_system_allows_and_strange_ones(self) -> None:
        for stem in ("k" * 250, "窯" * 80, "a\nb\x1b", "kiln\udcff"):
            self.paths = Paths(self.folder / f"{stem}.xml")
            with self.subTest(stem=repr(stem)):
                self.assertTrue(self.marked())
                self.assertIsNotNone(self.desk().marked("a"))
                self.assertTrue(all(len(os.fsencode(n)) < 256 for n in self.files()))


class TwoWindows(Held):
    """Both work on one job; neither takes the other's work away."""

    def test_what_both_did_comes_together_whatever_the_order(self) -> None:
        for seed in range(60):
            random = Random(seed)
            self.jobs = self.folder / f"jobs{seed}"
            windows = [self.desk(), self.desk()]
            expected: dict[str, int] = {}  # texts of notes that must be there in the end, and by whom
            own: list[list[str]] = [[], []]
            for step in range(random.randint(1, 25)):
                who = random.randrange(2)
                desk = windows[who]
                what = random.choice(("note", "note", "undo", "save", "reopen"))
                if what == "note":
                    desk.note(step, f"{seed}.{step}")
                    expected[f"{seed}.{step}"] = who
                    own[who].append(f"{seed}.{step}")
                elif what == "undo" and own[who]:
                    if desk.undo() == "note":
                        expected.pop(own[who].pop(), None)
                elif what == "save":
                    desk.save()
                elif what == "reopen":
                    desk.save()
                    windows[who], own[who] = self.desk(), []
            for desk in (*windows, *windows):
                desk.dirty = True
                desk.save()
            with self.subTest(seed=seed):
                self.assertEqual({n.text for n in self.desk().kept.notes}, set(expected))

    def test_saved_at_the_same_instants_nothing_is_lost(self) -> None:
        def work(name: str) -> None:
            desk = self.desk()
            for n in range(25):
                desk.note(n, f"{name}{n}")
                self.assertTrue(desk.save())

        threads = [threading.Thread(target=work, args=(name,)) for name in "ab"]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual({n.text for n in self.desk().kept.notes}, {f"{name}{n}" for name in "ab" for n in range(25)})

    def test_marks_with_one_letter_both_stay_and_it_is_said(self) -> None:
        one, two = self.desk(), self.desk()
        one.mark("a", 1, "first")
        one.save()
        two.mark("a", 2, "second")
        two.save()
        self.assertEqual({m.text for m in self.desk().kept.marks}, {"first", "second"})
        self.assertEqual(len({m.letter for m in self.desk().kept.marks}), 2)
        self.assertEqual(two.news, "from another window: 1 mark")

    def test_what_one_window_removed_does_not_come_back_from_the_other(self) -> None:
        first = self.marked()
        one, two = self.desk(), self.desk()
        one.change("drop", marks=())
        one.save()
        two.note(3, "more")
        two.save()
        self.assertEqual([m.letter for m in self.desk().kept.marks], [])
        self.assertEqual({n.text for n in self.desk().kept.notes}, {"smells of oil", "more"})
        first.step("asked", "x")
        first.save()
        self.assertEqual([m.letter for m in self.desk().kept.marks], [])


if __name__ == "__main__":
    unittest.main()
