"""What is told of tasks: the survey, lanes, trails; each number counted from the log by hand."""

from __future__ import annotations

import json
import unittest

from tests.building import MS, Rows, session_of, tasked
from whorlograph.desk.asking import ask
from whorlograph.desk.lanes import lane_named, lane_of_task, lane_tag
from whorlograph.desk.session import Session
from whorlograph.desk.survey import survey
from whorlograph.desk.tables import json_text, task_lines
from whorlograph.drawing.timeline_layout import CellKind, TaskLane, Window
from whorlograph.model.parts import Ladder, call, coil, nc, no
from whorlograph.model.program import Task
from whorlograph.model.question import LinkKind

ROWS: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (100, "X2", 1), (155, "X1", 1), (165, "X1", 0), (175, "X1", 1), (205, "X3", 1), (405, "X2", 0),
              (500, "X3", 1)]


def _main(ladder: Ladder) -> None:
    ladder.rung(no("X2"), call("TASK_HOLD", ("NAME", "'Edge'")))
    ladder.rung(nc("X2"), call("TASK_RELEASE", ("NAME", "'Edge'")))


def _session(rows: Rows = ROWS, end: int | None = None) -> Session:
    program = tasked({"Main": _main, "Once": lambda ladder: ladder.rung(no("X3"), coil("Y1")), "Tick": lambda ladder: ladder.rung(no("X3"), coil("Y2")),
                      "Never": lambda ladder: ladder.rung(no("X3"), coil("Y3"))}, "X1 X2 X3 Y1 Y2 Y3",
                     {"Once": Task("Edge", 1, "", "X1"), "Tick": Task("Clock", 2, "T#100ms"), "Never": Task("Rest", 3, "", "X4")})
    return session_of(program, rows, end)


class SurveyOfTasks(unittest.TestCase):
    """Kind, interval or event, runs, missed, longest wait, held."""

    def test_what_a_task_did_is_counted(self) -> None:
        session = _session()
        lines = {t.name: t for t in survey(session).tasks}
        self.assertIsNone(lines["Edge"].runs, "nothing is replayed yet")
        session.journal  # noqa: B018  replays
        lines = {t.name: t for t in survey(session).tasks}
        edge, clock = lines["Edge"], lines["Clock"]
        self.assertEqual((edge.kind, edge.event, edge.priority, edge.programs), ("event", "X1 rises", 1, ("Once",)))
        # The edge of 155 ms waits until the scan of 410 ms releases the task; that of 175 ms is lost.
        self.assertEqual((edge.runs, edge.missed, edge.longest_wait, edge.held), (1, 1, 255 * MS, False))
        self.assertEqual((clock.kind, clock.interval, clock.runs, clock.missed, clock.longest_wait), ("interval", "100 ms", 6, 0, 0))
        self.assertEqual((lines["Rest"].kind, lines["Rest"].runs), ("never", 0))

    def test_each_program_says_what_triggers_it(self) -> None:
        triggers = {r.instance: r.trigger for r in survey(_session()).runs}
        self.assertEqual((triggers["Main"], triggers["Once"], triggers["Tick"]), ("every scan", "when X1 rises", "every 100 ms"))
        json.loads(json_text(survey(_session())))

    def test_held_at_the_end_is_told(self) -> None:
        session = _session([r for r in ROWS if r[0] < 400], 400)
        session.journal  # noqa: B018  replays
        edge = next(t for t in survey(session).tasks if t.name == "Edge")
        self.assertEqual((edge.held, edge.runs, edge.missed, edge.waiting_since), (True, 0, 1, 155 * MS))
        self.assertIn("one run waits since 155 ms after the start", "\n".join(task_lines(survey(session))))


class Lanes(unittest.TestCase):
    """Lanes of a task have names and numbers of their own."""

    def test_there_and_back(self) -> None:
        session = _session()
        for what, word in ((TaskLane.RUNS, "runs"), (TaskLane.WAITS, "waits"), (TaskLane.MISSED, "missed")):
            number = lane_of_task(1, what)
            self.assertEqual(lane_tag(session, number).name, f"Clock {word}")
            self.assertEqual(lane_named(session, f"clock {word}"), number)
        self.assertEqual(lane_named(session, "Y1"), session.tag("Y1"))
        self.assertIsNone(lane_named(session, "Nobody runs"))

    def cells(self, session: Session, what: TaskLane, unknown_from: int | None = None) -> str:
        """A lane of the task Edge over half a second in 10 cells of 50 ms: a letter each."""
        window = Window(session.journal, 0, 500 * MS, 10, unknown_from)
        signs = {CellKind.ON: "=", CellKind.OFF: ".", CellKind.SPIKE: "^", CellKind.UNKNOWN: "?"}
        return "".join(signs[c.kind] for c in window.cells(lane_tag(session, lane_of_task(0, what)))[0])

    def test_runs_waits_and_missed_stand_where_they_were(self) -> None:
        session = _session()
        self.assertEqual(self.cells(session, TaskLane.WAITS), "...^====..", "from 155 to 410 ms")
        self.assertEqual(self.cells(session, TaskLane.MISSED), "...^......")
        self.assertEqual(self.cells(session, TaskLane.RUNS), "........^.")
        held = _session([r for r in ROWS if r[0] < 400], 500)
        self.assertEqual(self.cells(held, TaskLane.WAITS), "...^======", "it still waits at the end")

    def test_what_is_not_replayed_yet_is_not_drawn_as_nothing(self) -> None:
        self.assertEqual(self.cells(_session(), TaskLane.RUNS, 300 * MS), "......????")


class Trails(unittest.TestCase):
    """Why a tag keeps still while its task does not run."""

    def kinds(self, session: Session, tag: str, scan: int) -> list[LinkKind]:
        return [link.kind for _, link in ask(session, tag, at=f"{(scan - 1) / 100}").links()]

    def test_held_and_not_due(self) -> None:
        self.assertIn(LinkKind.TASK_HELD, self.kinds(_session(), "Y1", 30))
        self.assertIn("held since 0.100 s and has not run; a run waits since 0.155 s, 1 more came in vain", ask(_session(), "Y1", "0.29").links()[0][1].text)
        self.assertIn(LinkKind.TASK_IDLE, self.kinds(_session(), "Y3", 30))
        self.assertIn(LinkKind.TASK_IDLE, self.kinds(_session(), "Y2", 26), "Clock ran last at 200 ms, before X3 came")
        self.assertNotIn(LinkKind.TASK_IDLE, self.kinds(_session(), "Y2", 16), "it comes on time")


if __name__ == "__main__":
    unittest.main()
