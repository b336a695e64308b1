"""A task that a rung holds: what held it, why nothing has released it, what its own rung lacks besides, and a tag that comes on once it runs again."""

from __future__ import annotations

import unittest

from tests.building import Draw, Rows, session_of, tasked
from tests.inquiry.test_everyday import Asked, asked
from whorlograph.desk.now import settled_now
from whorlograph.desk.scene import Scene
from whorlograph.drawing.shapes import plain
from whorlograph.model.parts import Ladder, call, coil, jump, nc, no
from whorlograph.model.program import Task
from whorlograph.model.question import LinkKind, Symptom

TASKS = {"Fast": Task("Quick", 1, "T#5ms", "")}


def _main(*releasing: str) -> Draw:
    """X1 off holds the task; a rung of the given contacts releases it, none where there are none."""
    def draw(p: Ladder) -> None:
        p.rung(nc("X1"), call("TASK_HOLD", ("NAME", "'Quick'")))
        if releasing:
            p.rung(*(no(n) for n in releasing), call("TASK_RELEASE", ("NAME", "'Quick'")))
    return draw


def _asked(main: Draw, rows: Rows, symptom: Symptom | None = None, end: int = 9000) -> Asked:
    """``Y1 := X3 AND NOT X4``, in the task."""
    program = tasked({"Main": main, "Fast": lambda p: p.rung(no("X3"), nc("X4"), coil("Y1"))}, "X1 X2 X3 X4 Y1", TASKS)
    start: Rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (0, "X4", 0)]
    return asked(session_of(program, [*start, *rows], end=end), "Y1", symptom=symptom)


HELD: list[tuple[int, str, int]] = [(2000, "X2", 0), (3000, "X1", 0), (3500, "X1", 1), (5000, "X3", 1)]


class Held(unittest.TestCase):
    """X1 went off for half a second and came back; the task has stood since."""

    def test_what_held_it_and_what_has_not_released_it(self) -> None:
        found = _asked(_main("X1", "X2"), HELD)
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X2", True)], found.text)
        self.assertIn("task Quick was not released after 3.000 s: no power in Main 2: X2 blocks", found.text)
        drawn = [" ".join(plain(line.runs).split()) for line in Scene(found.session, found.answer).trail(80)]
        self.assertTrue(any("task Quick not released" in line for line in drawn), drawn)

    def test_no_rung_releases_it(self) -> None:
        found = _asked(_main(), HELD)
        self.assertEqual(found.roots[0][:2], ("program", "Y1"), found.text)
        self.assertIn("task Quick is held by Main 1, and no rung outside it releases it", found.answer.roots[0].text)

    def test_what_its_rung_lacks_besides_proves_together_with_the_hold(self) -> None:
        found = _asked(_main("X1", "X2"), [*HELD, (4000, "X4", 1)])
        self.assertIn("Fast 1 would write Y1 off too if it ran: X4 (normally closed)", found.text)
        self.assertEqual({r[1:] for r in found.roots[:2]}, {("X1", True), ("X4", True)}, found.text)
        self.assertIn("together", found.answer.roots[0].proof)

    def test_the_rung_that_would_release_it_is_jumped_over(self) -> None:
        def main(p: Ladder) -> None:
            p.rung(nc("X1"), call("TASK_HOLD", ("NAME", "'Quick'")))
            p.rung(no("X4"), jump("End"))
            p.rung(no("X2"), call("TASK_RELEASE", ("NAME", "'Quick'")))
            p.label("End")
            p.rung(no("X1"), coil("Y2"))
        program = tasked({"Main": main, "Fast": lambda p: p.rung(no("X3"), coil("Y1"))}, "X1 X2 X3 X4 Y1 Y2", TASKS)
        rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (0, "X4", 0), (2000, "X4", 1), (3000, "X1", 0), (3500, "X1", 1), (5000, "X3", 1)]
        found = asked(session_of(program, rows, end=9000), "Y1")
        self.assertIn("task Quick was not released after 3.000 s: Main 2 jumps over Main 3 since 2.000 s", found.text)
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X4", True)], found.text)

    def test_a_task_that_would_have_to_release_itself(self) -> None:
        def fast(p: Ladder) -> None:
            p.rung(no("X2"), call("TASK_RELEASE", ("NAME", "'Quick'")))
            p.rung(no("X3"), coil("Y1"))
        program = tasked({"Main": _main(), "Fast": fast}, "X1 X2 X3 X4 Y1", TASKS)
        found = asked(session_of(program, [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), *HELD], end=9000), "Y1")
        self.assertIn("task Quick is held by Main 1, and no rung outside it releases it", found.text)

    def test_without_a_log_no_sentence_speaks_of_times_or_counts(self) -> None:
        program = tasked({"Main": _main("X1", "X2"), "Fast": lambda p: p.rung(no("X3"), nc("X4"), coil("Y1"))}, "X1 X2 X3 X4 Y1", TASKS)
        found = asked(settled_now(session_of(program, []), "X1=0,X2=0,X3=0,X4=0"), "Y1")
        self.assertIn("Y1 keeps its value off: task Quick is held", found.text.splitlines())
        self.assertIn("task Quick was not released: no power in Main 2: X1 and X2 block", found.text)

    def test_nothing_of_a_release_while_it_runs(self) -> None:
        found = _asked(_main("X1", "X2"), [(5000, "X1", 0), (5500, "X1", 1)])
        self.assertNotIn("released", found.text)


class Released(unittest.TestCase):
    """Y1 comes on with X3, as it did not while the task was held."""

    def said(self, rows: Rows) -> tuple[list[str], list[tuple[str, bool | None]]]:
        found = _asked(_main("X2"), rows, Symptom.WILL_NOT_DROP_OUT, 6400)
        texts = [link.text for _, link in found.answer.links() if link.kind is LinkKind.RESUMED]
        return texts, [(name, proved) for _, name, proved in found.roots]

    def test_what_let_it_run_leads_where_it_never_ran_before(self) -> None:
        rows = [(0, "X2", 0), (0, "X1", 0), *((t + d, "X3", v) for t in (1000, 2000, 3000) for d, v in ((0, 1), (500, 0))),
                (4000, "X1", 1), (4500, "X2", 1), (6000, "X3", 1)]
        texts, roots = self.said(rows)
        self.assertEqual(texts, ["task Quick runs since 4.500 s; X3 went on 3 times before while it was held"])
        self.assertEqual(roots[0], ("X2", True), roots)

    def test_it_comes_second_where_it_ran_at_times(self) -> None:
        rows = [*((t + d, n, v) for t in (1000, 3000) for d, n, v in ((0, "X3", 1), (300, "X3", 0), (500, "X2", 0), (510, "X1", 0), (800, "X3", 1), (
            1200, "X3", 0), (1500, "X1", 1), (1600, "X2", 1))), (5000, "X2", 0), (5010, "X1", 0), (5500, "X1", 1), (5600, "X2", 1), (6000, "X3", 1)]
        texts, roots = self.said(rows)
        self.assertEqual(texts, ["task Quick runs since 5.600 s; X3 went on 2 times before while it was held"])
        self.assertEqual(roots[:2], [("X3", True), ("X2", True)], roots)

    def test_not_where_it_came_on_since_it_runs(self) -> None:
        rows = [(0, "X2", 0), (0, "X1", 0), *((t + d, "X3", v) for t in (1000, 2000, 3000) for d, v in ((0, 1), (500, 0))),
                (4000, "X1", 1), (4500, "X2", 1), (5000, "X3", 1), (5500, "X3", 0), (6000, "X3", 1)]
        self.assertEqual(self.said(rows)[0], [])


if __name__ == "__main__":
    unittest.main()
