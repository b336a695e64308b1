"""Trails through sequential charts: what a step waits for, what it would wait for next, and what no transition leads to."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from tests.building import Rows, log_of
from tests.charts import random_chart
from whorlograph.desk.asking import ask, inquiry, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.desk.tables import xref_of
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.inquiry.charts import ChartTags
from whorlograph.inquiry.odd import candidates
from whorlograph.inquiry.trail import Answer
from whorlograph.inquiry.ways import ways
from whorlograph.model.chart import Chart, ChartBody, ChartStep, Transition
from whorlograph.model.iolist import IoList
from whorlograph.model.profile import Profile
from whorlograph.model.question import LinkKind, RootKind, Symptom

HEAD = "PROGRAM Main\nVAR X1 AT %IX0.0 : BOOL; X2 AT %IX0.1 : BOOL; X3 AT %IX0.2 : BOOL; Y1 AT %QX0.0 : BOOL; END_VAR\n"
LINE = ("INITIAL_STEP A: END_STEP STEP B: END_STEP STEP C: Y1(N); END_STEP\nTRANSITION FROM A TO B := X1; END_TRANSITION\n"
        "TRANSITION FROM B TO C := X2; END_TRANSITION\nTRANSITION FROM C TO A := X3; END_TRANSITION\n")


def session_of(chart: str, rows: Rows) -> Session:
    """A session on a program of one chart, 10 ms scans."""
    loaded = read((HEAD + chart + "END_PROGRAM\n").encode(), Path("x.st"))
    assert not loaded.notices, [str(n) for n in loaded.notices]
    controller = Controller(loaded.value, Profile(scan_time=10_000_000))
    return Session(controller, log_of(controller, [(t, f"Main.{name}", value) for t, name, value in rows]), IoList({}), [], Paths(Path("x.st")))


def texts(answer: Answer) -> str:
    """The sentences of a trail."""
    return " | ".join(link.text for _, link in answer.links())


class Waiting(unittest.TestCase):
    """A chart of three steps."""

    ROWS: Rows = ((0, "X1", 0), (0, "X2", 0), (0, "X3", 0))

    def test_in_a_step_for_the_condition_of_the_next_transition(self) -> None:
        session = session_of(LINE, [*self.ROWS, (100, "X1", 1), (300, "X1", 1)])
        answer = ask(session, "Main.Y1")
        self.assertIn("step C is not active: the chart waits in B since 0.100 s", texts(answer))
        prove_all(session, answer)
        self.assertEqual([(session.running.tags[r.tag or 0].name, r.proved) for r in answer.roots], [("Main.X2", True)])

    def test_in_the_scan_in_which_it_came_to_a_step_for_what_that_lacks(self) -> None:
        session = session_of(LINE, [*self.ROWS, (100, "X1", 1), (300, "X1", 1)])
        answer = ask(session, "Main.Y1", "0.105", Symptom.WILL_NOT_PULL_IN)
        self.assertIn("is not looked at yet, and its condition is FALSE so far", texts(answer))
        self.assertEqual(session.running.tags[answer.roots[0].tag or 0].name, "Main.X2")

    def test_past_a_transition_that_fires_next_for_what_the_one_behind_lacks(self) -> None:
        session = session_of(LINE, [*self.ROWS, (0, "X3", 1), (100, "X1", 1), (150, "X1", 0), (200, "X2", 1), (209, "X2", 1), (300, "X1", 0)])
        tags = session.running.by_name
        journal = session.controller.replay(session.log)
        came = journal.time(int(journal.rows(tags["main.c.x"])[-1])) if len(journal.rows(tags["main.c.x"])) else 0
        self.assertGreater(came, 0)
        answer = ask(session, "Main.Y1", "0.300", Symptom.WILL_NOT_PULL_IN)
        self.assertIn("the chart waits in A", texts(answer))
        self.assertEqual(session.running.tags[answer.roots[0].tag or 0].name, "Main.X1")

    def test_a_step_that_stays_names_what_would_end_it_also_before_that_was_looked_at(self) -> None:
        session = session_of(LINE, [*self.ROWS, (100, "X1", 1), (200, "X2", 1), (400, "X2", 1)])
        for at in ("0.205", "0.400"):
            answer = ask(session, "Main.Y1", at)
            self.assertEqual(answer.symptom, Symptom.WILL_NOT_DROP_OUT)
            self.assertIn("Main.X3", [session.running.tags[r.tag].name for r in answer.roots if r.tag is not None])

    def test_a_step_that_is_left_at_once_names_what_held_already(self) -> None:
        """X3 sticks from the run before: C, and with it Y1, is left in the scan behind the one in which it became active."""
        run = [(1000, "X1", 1), (1200, "X1", 0), (2000, "X2", 1), (2200, "X2", 0)]
        rows = [*self.ROWS, *run, (3000, "X3", 1), (3200, "X3", 0), *((t + 4000, n, v) for t, n, v in run[:2]), (5500, "X3", 1), (6000, "X2", 1), (6200, "X2", 0),
                (8000, "X2", 0)]
        session = session_of(LINE, rows)
        answer = ask(session, "Main.Y1")
        prove_all(session, answer)
        found = [(session.running.tags[r.tag or 0].name, r.proved) for r in answer.roots]
        self.assertEqual(found, [("Main.X3", True), ("Main.X2", False)])
        self.assertIn("fired at once, for its condition held already when C became active", texts(answer))
        self.assertIn("the condition of C_to_A is TRUE in Main", texts(answer))

    def test_what_stood_leads_where_that_is_not_as_always(self) -> None:
        """X2 lets B go on to C. On all the time, B is passed at once in each run, and X1 begins it; standing for once, it is X2."""
        def run(at: int) -> list[tuple[int, str, int]]:
            return [(at, "X1", 1), (at + 200, "X1", 0), (at + 2000, "X3", 1), (at + 2200, "X3", 0)]

        pulses = [row for t in (1000, 5000, 9000) for row in ((t + 1000, "X2", 1), (t + 1200, "X2", 0))]
        runs = [row for t in (1000, 5000, 9000, 13_000) for row in run(t)][:-2]
        for more, first in (([(500, "X2", 1)], "Main.X1"), ([*pulses, (12_000, "X2", 1)], "Main.X2")):
            session = session_of(LINE, [*self.ROWS, *sorted([*runs, *more]), (14_000, "X1", 0)])
            answer = ask(session, "Main.Y1")
            prove_all(session, answer)
            self.assertEqual(answer.symptom, Symptom.WILL_NOT_DROP_OUT)
            self.assertIn("fired at once", texts(answer))
            self.assertEqual((session.running.tags[answer.roots[0].tag or 0].name, answer.roots[0].proved), (first, True))

    def test_where_it_stood_when_the_tag_came_on_what_came_before_is_left_alone(self) -> None:
        """X3 lets B begin and ends C: held off since it came nothing comes to C at all; held off from where Y1 came on, it stays."""
        session = session_of(LINE.replace(":= X1;", ":= X1 AND X3;"), [*self.ROWS, (4500, "X3", 1), (5000, "X1", 1), (5200, "X1", 0), (6000, "X2", 1), (6200, "X2", 0),
                                                                      (8000, "X2", 0)])
        answer = ask(session, "Main.Y1")
        prove_all(session, answer)
        first = answer.roots[0]
        self.assertEqual((session.running.tags[first.tag or 0].name, first.proved), ("Main.X3", True))
        assert first.trial is not None
        self.assertEqual([(h.value, h.start) for h in first.trial.holds], [(0, 6_000_000_000)])

    def test_staying_on_from_the_run_before_is_no_pulling_in(self) -> None:
        """What X2 would bring goes on with X1, which the recording holds on: nothing proves, and no change of the run before is the reason."""
        chart = ("INITIAL_STEP A: END_STEP STEP B: END_STEP STEP C: END_STEP STEP D: Y1(N); END_STEP\nTRANSITION FROM A TO B := X1; END_TRANSITION\n"
                 "TRANSITION FROM B TO C := X2; END_TRANSITION\nTRANSITION FROM C TO D := NOT X1; END_TRANSITION\n"
                 "TRANSITION FROM D TO A := X3; END_TRANSITION\n")
        rows = [*self.ROWS, (1000, "X1", 1), (2000, "X2", 1), (2500, "X1", 0), (3000, "X2", 0), (4000, "X3", 1), (4200, "X3", 0), (6000, "X1", 1), (9000, "X1", 1)]
        session = session_of(chart, rows)
        answer = ask(session, "Main.Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        prove_all(session, answer)
        self.assertEqual([(session.running.tags[r.tag or 0].name, r.proved) for r in answer.roots], [("Main.X2", False)])
        self.assertTrue(answer.roots[0].proof.endswith("but B_to_C fires; then Main.X1 is in the way"), answer.roots[0].proof)


class Ways(unittest.TestCase):
    """Which steps can still become active."""

    def test_a_convergence_whose_other_step_cannot_come_is_no_way(self) -> None:
        chart = ("INITIAL_STEP A: END_STEP STEP B: END_STEP STEP C: END_STEP STEP D: Y1(N); END_STEP\nTRANSITION FROM A TO B := X1; END_TRANSITION\n"
                 "TRANSITION FROM (B, C) TO D := X2; END_TRANSITION\nTRANSITION FROM D TO C := X3; END_TRANSITION\n")
        answer = ask(session_of(chart, [*Waiting.ROWS, (100, "X1", 1), (300, "X1", 1)]), "Main.Y1")
        self.assertIn("only B is active, and no transition leads from there to it", texts(answer))
        self.assertEqual([r.kind for r in answer.roots], [RootKind.PROGRAM])

    def test_where_no_way_is_said_to_lead_none_does(self) -> None:
        none = some = 0
        for seed in range(90):
            chart = self.chart(Random(seed))
            names = [s.name for s in chart.steps]
            for target in names[1:]:
                way = ChartTags(chart, {}, {}).way([names[0]], target)
                if not way:
                    none += 1
                    self.assertNotIn(target, self.reached(chart, names[0]), seed)
                else:
                    some += 1
                    self.assertIn(target, way[-1].targets)
        self.assertGreater(none, 40)
        self.assertGreater(some, 60)

    def chart(self, random: Random) -> Chart:
        names = [f"S{n}" for n in range(5)]
        leads = []
        for _ in range(random.randint(3, 7)):
            sources, targets = random.sample(names, random.choice((1, 1, 1, 2))), random.sample(names, random.choice((1, 1, 1, 2)))
            leads.append(Transition(tuple(sources), tuple(targets), "X1"))
        return Chart(tuple(ChartStep(n, n == "S0", 0) for n in names), tuple(leads), (), ())

    def reached(self, chart: Chart, first: str) -> set[str]:
        """The steps that are active in any state that transitions, fired one by one, come to."""
        todo, seen = [frozenset([first])], {frozenset([first])}
        while todo:
            here = todo.pop()
            for one in chart.transitions:
                after = (here - set(one.sources)) | set(one.targets)
                if set(one.sources) <= here and after not in seen:
                    seen.add(after)
                    todo.append(after)
        return set().union(*seen)


class RandomCharts(unittest.TestCase):
    """Random charts and logs."""

    def test_a_condition_that_is_said_to_lack_something_is_false_when_it_is_looked_at(self) -> None:
        checked = 0
        for seed in range(20):
            random = Random(seed)
            loaded = read(random_chart(random).text().encode(), Path("x.st"))
            controller = Controller(loaded.value, Profile(scan_time=10_000_000))
            rows = [(random.randrange(0, 900), f"Main.I{random.randrange(4)}", random.randint(0, 1)) for _ in range(30)]
            session = Session(controller, log_of(controller, rows, 1000), IoList({}), [], Paths(Path("x.st")))
            journal = controller.replay(session.log)
            body = loaded.value.pous["main"].body
            assert isinstance(body, ChartBody)
            for step in body.chart.steps:
                flag = controller.running.by_name[f"main.{step.name}.x".lower()]
                answer = ask(session, controller.running.tags[flag].name, f"{random.uniform(0.05, 0.95):.3f}")
                for _, link in answer.links():
                    if link.kind is LinkKind.NOT_MET and link.tag is not None and "its condition is FALSE" in link.text and link.scan < journal.clock.last:
                        self.assertFalse(journal.settled(link.tag, link.scan), f"{seed} {link.text}")
                        checked += 1
        self.assertGreater(checked, 20)



BODIES = ("INITIAL_STEP A: END_STEP STEP B: Go(N); Y1(L, T#2s); END_STEP\nTRANSITION FROM A TO B := X1; END_TRANSITION\n"
          "TRANSITION FROM B TO A := X2; END_TRANSITION\nACTION Go: M := TRUE; K := NOT X3; END_ACTION\n")
MEMORY = HEAD.replace("END_VAR", "M, K : BOOL; END_VAR")


class Words(unittest.TestCase):
    """What charts are made of stands for steps, transitions and actions, nowhere for jumps and flags."""

    def setUp(self) -> None:
        loaded = read((MEMORY + BODIES + "END_PROGRAM\n").encode(), Path("x.st"))
        controller = Controller(loaded.value, Profile(scan_time=10_000_000))
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (200, "X1", 1), (300, "X1", 0), (900, "X2", 1), (950, "X2", 0), (1500, "X2", 0)]
        self.session = Session(controller, log_of(controller, [(t, f"Main.{n}", v) for t, n, v in rows]), IoList({}), [], Paths(Path("x.st")))

    def test_an_action_s_statements_need_its_step(self) -> None:
        for tag, wanted in (("Main.K", {"Main.B.X on", "Main.X3 off"}), ("Main.M", {"Main.B.X on"}), ("Main.Y1", {"Main.B.X on", "Main.Y1_action.Limit.Q off"})):
            found = ways(inquiry(self.session).tracer, self.session.tag(tag))
            self.assertEqual([{n.words() for n in one.needs} for one in found], [wanted], tag)

    def test_what_keeps_on_what_an_action_writes_is_its_step(self) -> None:
        answer = ask(self.session, "Main.M", "0.5")
        self.assertIn("step B is active since 0.200 s; it ends with B_to_A", texts(answer))
        self.assertIn("Main.B.X went on at 0.200 s: the step became active, A_to_B fired", texts(answer))
        self.assertEqual([self.session.running.tags[r.tag or 0].name for r in answer.roots], ["Main.X1", "Main.X2"])

    def test_an_action_that_does_not_run_is_no_jump(self) -> None:
        answer = ask(self.session, "Main.K", "0.1", Symptom.WILL_NOT_PULL_IN)
        self.assertIn("Main.K keeps its value off: action Go (Main 6) does not run from the start", texts(answer))
        self.assertNotIn("jump", texts(answer))
        self.assertEqual({link.kind for _, link in answer.links()} & {LinkKind.HELD_BY_JUMP}, set())
        self.assertEqual(self.session.running.tags[answer.roots[0].tag or 0].name, "Main.X1")

    def test_how_a_chart_uses_tags(self) -> None:
        entry = xref_of(self.session).entry(self.session.tag("Main.B.X"))
        said = {place.how for place in (*entry.reads, *entry.writes)}
        self.assertTrue({"condition of B_to_A", "lets run action Go", "step of the chart"} <= said, said)
        self.assertFalse(any("jump" in how or "IF" in how for how in said), said)

    def test_what_only_passes_on_what_steps_do_is_no_odd_one(self) -> None:
        names = {self.session.running.tags[t].name for t in candidates(inquiry(self.session).tracer)}
        self.assertTrue("Main.B.X" in names and not any(n.endswith(("_action.Q", "_action.A", "_to_B", "_to_A")) for n in names), names)


if __name__ == "__main__":
    unittest.main()
