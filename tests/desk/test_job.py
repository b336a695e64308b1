"""The job: changed, undone, saved, taken up again."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from whorlograph.desk.job import Desk, Job, Kept, Spot, age_text, open_desk
from whorlograph.desk.session import Paths


class Jobs(unittest.TestCase):
    """Marks, notes, lanes, the walk."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.paths = Paths(self.folder / "kiln.xml", (self.folder / "kiln.csv",))

    def desk(self, digest: str = "abc") -> Desk:
        return open_desk(self.paths, digest, self.folder)[0]

    def test_what_is_saved_is_taken_up_again(self) -> None:
        desk = self.desk()
        desk.mark("b", 2000, "fan trips")
        desk.mark("a", 1000, "door opens")
        desk.note(1500, "smells of oil")
        desk.change("lane Fan", lanes=("Fan",))
        desk.step("asked", "Fan dropped out", "whorlograph why ...")
        desk.stand(Spot("Fan", None, 1500, "trail", 2, 0, 3000))
        desk.typed("search", "Fan falls")
        self.assertTrue(desk.save())
        again, taken_up = open_desk(self.paths, "abc", self.folder)
        self.assertTrue(taken_up)
        self.assertEqual([m.letter for m in again.kept.marks], ["a", "b"])
        self.assertEqual(again.kept, desk.kept)
        self.assertEqual(again.job.walk, desk.job.walk)
        self.assertEqual(again.job.place, desk.job.place)
        self.assertEqual(again.history("search"), ["Fan falls"])

    def test_a_mark_set_again_moves(self) -> None:
        desk = self.desk()
        desk.mark("a", 1000, "")
        desk.mark("a", 3000, "")
        self.assertEqual([(m.letter, m.time) for m in desk.kept.marks], [("a", 3000)])
        self.assertIsNone(desk.marked("b"))

    def test_undo_and_redo_walk_over_every_change_and_name_it(self) -> None:
        desk = self.desk()
        states = [desk.kept]
        for act in (lambda: desk.mark("a", 1, ""), lambda: desk.note(2, "n"), lambda: desk.change("lane Fan", lanes=("Fan",))):
            act()
            states.append(desk.kept)
        self.assertEqual([desk.undo(), desk.undo(), desk.undo(), desk.undo()], ["lane Fan", "note", "mark a", ""])
        self.assertEqual(desk.kept, Kept())
        self.assertEqual([desk.redo(), desk.redo()], ["mark a", "note"])
        self.assertEqual(desk.kept, states[2])
        desk.mark("z", 9, "")
        self.assertEqual(desk.redo(), "")

    def test_another_revision_of_the_program_begins_anew(self) -> None:
        desk = self.desk()
        desk.mark("a", 1, "")
        desk.save()
        other, taken_up = open_desk(self.paths, "another digest", self.folder)
        self.assertFalse(taken_up)
        self.assertEqual(other.kept.marks, ())

    def test_nothing_is_written_without_a_change_or_a_folder(self) -> None:
        self.assertFalse(self.desk().save())
        desk = Desk(None, Job())
        desk.mark("a", 1, "")
        self.assertFalse(desk.save())
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_folder_that_cannot_be_written_is_no_disaster(self) -> None:
        blocker = self.folder / "file"
        blocker.write_text("")
        desk = open_desk(self.paths, "abc", blocker / "jobs")[0]
        desk.mark("a", 1, "")
        self.assertFalse(desk.save())
        self.assertTrue(desk.dirty)

    def test_saving_leaves_one_whole_file(self) -> None:
        desk = self.desk()
        for i in range(5):
            desk.mark("a", i, "")
            desk.save()
        self.assertEqual([p.suffix for p in self.folder.iterdir()], [".json"])

    def test_ages_are_told_in_words(self) -> None:
        self.assertEqual([age_text(s) for s in (3, 61, 7200, 90_000)], ["a moment ago", "1 minute ago", "2 hours ago", "1 day ago"])


if __name__ == "__main__":
    unittest.main()
