"""What comes and goes by itself: what runs freely has nothing that lets it; all else leads to the devices that do (ANSWERS.md, Chatters)."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random
from unittest.mock import patch

import numpy as np

from tests.building import MS, program_of, session_of, tasked
from tests.charts import INPUTS, random_chart
from tests.everyday_texts import log_of_inputs
from tests.texts import text_session
from tests.truth import Truth
from whorlograph.desk.asking import answer_to, ask, inquiry, prove_all
from whorlograph.desk.now import settled_now
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.formats.programs.st import read
from whorlograph.inquiry.generators import runs_freely
from whorlograph.inquiry.links import generator
from whorlograph.inquiry.odd import odd_ones
from whorlograph.inquiry.symptoms import course
from whorlograph.inquiry.trail import Answer
from whorlograph.inquiry.usual import drops, usual_of
from whorlograph.model.iolist import IoList
from whorlograph.model.log import Log
from whorlograph.model.parts import Ladder, coil, nc, no, timer
from whorlograph.model.profile import Profile
from whorlograph.model.program import Task
from whorlograph.model.question import Question, RootKind, Symptom

TEXT = """PROGRAM Main
VAR Alarm AT %IX0.0 : BOOL; Enable AT %IX0.1 : BOOL; Other AT %IX0.2 : BOOL;
Lamp AT %QX0.0 : BOOL; Beacon AT %QX0.1 : BOOL; Horn AT %QX0.2 : BOOL; T1, T2, T3, T4 : TON; END_VAR
T1(IN := NOT T2.Q, PT := T#200ms); T2(IN := T1.Q, PT := T#200ms);
Lamp := T1.Q AND Alarm;
T3(IN := NOT T4.Q AND Enable, PT := T#200ms); T4(IN := T3.Q, PT := T#200ms);
Beacon := T3.Q;
Horn := Beacon AND Other;
END_PROGRAM
"""


def of_text(text: str, rows: list[tuple[int, str, int]], end: int) -> Session:
    """A session of a text; rows: ms, last name, value."""
    controller = Controller(read(text.encode(), Path("x.st")).value, Profile(scan_time=10 * MS))
    known = controller.running.by_name
    log = Log(np.array([t * MS for t, _, _ in rows], np.int64), np.array([known[f"main.{x}".lower()] for _, x, _ in rows], np.int32),
              np.array([v for _, _, v in rows], np.int64), end=end * MS, rows=len(rows))
    return Session(controller, log, IoList({}), [], Paths(Path("x.st")))


def roots(session: Session, answer: Answer) -> list[tuple[RootKind, str, bool | None]]:
    prove_all(session, answer)
    return [(r.kind, session.running.tags[r.tag].name.rpartition(".")[2] if r.tag is not None else "", r.proved) for r in answer.roots]


class Flashing(unittest.TestCase):
    """An input beside the blink, an input in the ring, both; none."""

    def setUp(self) -> None:
        rows = [(0, "Alarm", 0), (0, "Enable", 0), (0, "Other", 0), (1000, "Alarm", 1), (1500, "Enable", 1), (2000, "Other", 1)]
        self.session = of_text(TEXT, rows, 6000)

    def test_what_flashes_leads_to_what_lets_it(self) -> None:
        for tag, names, since in (("Lamp", ["Alarm"], "1.040"), ("Beacon", ["Enable"], "1.700"), ("Horn", ["Other", "Enable"], "2.120")):
            answer = ask(self.session, tag, None, None)
            self.assertIs(answer.symptom, Symptom.CHATTERS)
            self.assertEqual(roots(self.session, answer), [(RootKind.FIELD_INPUT, n, True) for n in names], tag)
            self.assertIn(f"comes and goes, 210 ms on, 210 ms off, as the program has it, since {since} s, with Main.", answer.text)
            for name in names:
                self.assertIn(f"Main.{name} on", answer.text)

    def test_what_nothing_lets_runs_freely(self) -> None:
        answer = ask(self.session, "T1.Q", None, None)
        self.assertEqual(roots(self.session, answer), [(RootKind.PROGRAM, "Q", None)])
        self.assertIn("T1.Q runs freely, 210 ms on, 210 ms off, as the program has it", answer.text)
        self.assertNotIn(" with ", answer.text)

    def test_without_a_log_what_flashes_does_not_stay_on(self) -> None:
        for tag, said in (("Lamp", "comes and goes, 210 ms on, 210 ms off, as the program has it, with Main.Alarm on"),
                          ("T1.Q", "runs freely, 210 ms on, 210 ms off, as the program has it")):
            now = settled_now(self.session, "Alarm=1,Enable=0,Other=0")
            answer = ask(now, tag, None, None)
            self.assertEqual(answer.text, f"Main.{tag} {said}")
            self.assertEqual([r.kind for r in answer.roots], [RootKind.FIELD_INPUT if tag == "Lamp" else RootKind.PROGRAM])
            self.assertFalse([line for line in answer.rests_on if "T1.Q" in line])
        self.assertIn("is off and stays off", ask(settled_now(self.session, "Alarm=0"), "Lamp", None, None).text)

    def test_what_has_stopped_is_no_generator_any_more(self) -> None:
        body = ("T1(IN := X1 AND NOT T2.Q, PT := T#200ms);\nT2(IN := T1.Q, PT := T#200ms);\nY1 := T1.Q AND X2;\nY2 := X2 AND NOT T1.Q;")
        rows = [(0, "X1", 0), (0, "X2", 1), (1000, "X1", 1), (5100, "X1", 0), (9000, "X2", 1)]
        for tag, at, symptom in (("Y1", "8", Symptom.DROPPED_OUT), ("Y1", "8", Symptom.WILL_NOT_PULL_IN), ("Y2", "8", Symptom.WILL_NOT_DROP_OUT),
                                 ("Y1", "0.8", Symptom.WILL_NOT_PULL_IN)):
            session = text_session(body, rows, "T1, T2 : TON;")
            answer = ask(session, tag, at, symptom)
            found = roots(session, answer)
            self.assertEqual(found[0], (RootKind.FIELD_INPUT, "X1", True), answer.text)
            self.assertFalse([link.text for _, link in answer.links() if "runs freely" in link.text or "comes and goes" in link.text], answer.text)
            self.assertNotIn("found by trying", " ".join(link.text for _, link in answer.links()))
        self.assertIn("comes and goes", ask(text_session(body, rows, "T1, T2 : TON;"), "Y1", "3", None).text)

    def test_an_input_that_only_reports_the_flash_does_not_make_it_flash(self) -> None:
        # The lamp's current comes back 30 ms later, each time, and is watched: the flasher runs by itself all the same.
        body = ("T1(IN := X1 AND NOT T2.Q AND NOT Fault, PT := T#400ms);\nT2(IN := T1.Q, PT := T#400ms);\nY1 := T1.Q;\n"
                "T3(IN := Y1 AND NOT X3, PT := T#200ms);\nIF T3.Q THEN Fault := {}; END_IF;")
        local = "T1, T2, T3 : TON; Fault : BOOL;"
        rows: list[tuple[int, str, object]] = [(0, "X1", 0), (0, "X3", 0), (1000, "X1", 1), (60_000, "X2", 1)]
        free = text_session(body.format("FALSE"), rows, local)
        lamp = course(free.journal, free.running.by_name["y1"])
        rows += [(scan * 10 + 20, "X3", int(value)) for scan, value in zip(lamp.scans.tolist(), lamp.values.tolist(), strict=True)]
        session = text_session(body.format("TRUE"), sorted(rows, key=lambda r: r[0]), local)
        tracer = inquiry(session).tracer
        number = session.running.by_name
        self.assertFalse(session.journal.settled(number["main.fault"], session.journal.clock.last))
        self.assertTrue(runs_freely(tracer, number["y1"]))
        found = list(odd_ones(tracer))[-1]
        self.assertEqual(([e.root.tag for e in found.events], found.looked), ([], 0))
        answer = answer_to(session, Question(number["y1"], 30 * 1000 * MS, Symptom.DROPPED_OUT))
        prove_all(session, answer)
        self.assertIn("X1", [name for _, name, _ in roots(session, answer)])
        self.assertNotIn("by trying", " ".join(link.text for _, link in answer.links()))
        self.assertIsNone(usual_of(tracer, answer, drops(tracer, number["y1"])), "no device stops it each time")

    def test_what_an_input_brings_on_evenly_is_no_generator(self) -> None:
        rows: list[tuple[int, str, object]] = [(0, "X1", 0)]
        rows += [(1000 + 5000 * n + at, "X1", v) for n in range(9) for at, v in ((0, 1), (300, 0))]
        session = text_session("Y1 := X1;", [*rows, (50_000, "X2", 1)])
        self.assertFalse(runs_freely(inquiry(session).tracer, session.running.by_name["y1"]))

    def test_what_lets_it_is_told_with_what_it_does(self) -> None:
        """A pulse that drives a drum to and fro: below it no bare condition stands, but what comes of that."""
        text = """PROGRAM Main
VAR Run AT %IX0.0 : BOOL; Turn AT %IX0.1 : BOOL; Back AT %QX0.0 : BOOL; T1 : TON; Down, Stop : BOOL; Pos : INT; END_VAR
T1(IN := Run AND NOT T1.Q AND NOT Stop, PT := T#500ms);
IF T1.Q THEN IF Down THEN Pos := Pos - 1; ELSE Pos := Pos + 1; END_IF; END_IF;
IF Pos >= 4 OR Turn THEN Down := TRUE; END_IF;
IF Pos <= 0 THEN Down := FALSE; END_IF;
Stop := Pos = 7;
Back := Down AND Pos > 0;
END_PROGRAM
"""
        session = of_text(text, [(0, "Run", 0), (0, "Turn", 0), (1000, "Run", 1)], 25_000)
        answer = ask(session, "Back", None, Symptom.DROPPED_OUT)
        free = [one for _, one in answer.links() if "runs freely" in one.text]
        below = [child.text for one in free for child in one.children]
        self.assertTrue(any(text.startswith("Main.Down was set by Main 5") and "Pos >= 4" in text for text in below), below)

    def test_two_tasks_that_write_one_tag_in_turn_are_no_generator(self) -> None:
        program = tasked({"Quick": lambda ladder: ladder.rung(no("X1"), coil("Y1")), "Slow": lambda ladder: ladder.rung(no("X2"), coil("Y1"))}, "X1 X2 Y1",
                         {"Quick": Task("T1", 1, "T#20ms"), "Slow": Task("T2", 2, "T#100ms")})
        session = session_of(program, [(0, "X1", 1), (0, "X2", 1), (2000, "X2", 0), (5000, "X1", 1)])
        answer = ask(session, "Y1", None, None)
        prove_all(session, answer)
        self.assertIn("chatters since 2.000 s: every 100 ms", answer.text)
        self.assertEqual(roots(session, answer)[:2], [(RootKind.FIELD_INPUT, "X2", True), (RootKind.FIELD_INPUT, "X1", True)])

    def test_a_ladder_does_too(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(nc("M2"), no("X1"), timer("TON", "B1", "T#300ms"), coil("M1"))
            ladder.rung(no("M1"), timer("TON", "B2", "T#300ms"), coil("M2"))
            ladder.rung(no("M1"), nc("X2"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 1), (700, "X1", 1), (1500, "X2", 0), (6000, "X2", 0)]
        session = session_of(program_of(draw, "X1 X2 Y1 M1 M2", "B1:TON B2:TON"), rows)
        found = roots(session, ask(session, "Y1", None, None))
        self.assertEqual({(k, n, p) for k, n, p in found}, {(RootKind.FIELD_INPUT, "X2", True), (RootKind.FIELD_INPUT, "X1", True)})


class Charts(unittest.TestCase):
    """A chart goes round as long as its transitions' inputs let it; one that waits, waits in the transition that needs no other step."""

    def test_what_is_said_to_run_freely_no_single_input_stops(self) -> None:
        free = led = 0
        for seed in range(304, 307):
            random = Random(seed)
            controller = Controller(read(random_chart(random).text().encode(), Path("x.st")).value, Profile(scan_time=10 * MS))
            session = Session(controller, log_of_inputs(random, controller.running, INPUTS), IoList({}), [], Paths(Path("x.st")))
            truth, tags = Truth(session), controller.running.tags
            for tag in [t for t in tags[:controller.running.public] if t.name.endswith((".X", ".Y0", ".Y1")) and t.index in controller.written]:
                at = random.randrange(1, session.log.end)
                answer = answer_to(session, Question(tag.index, at))
                if answer.symptom is not Symptom.CHATTERS or answer.trail is None:
                    continue
                prove_all(session, answer)
                self.assertEqual([truth.wrong_link(link) for _, link in answer.links() if link.value is not None and truth.wrong_link(link)], [])
                if answer.roots[0].kind is not RootKind.PROGRAM:
                    led += 1
                    continue
                free += 1
                for held in INPUTS:
                    number = controller.running.by_name[f"main.{held}".lower()]
                    now = truth.journal.value_at(number, truth.journal.settled_position(answer.asked))
                    since = max(0, at - 500 * MS)
                    after = truth.course(truth.tried(Trial((Hold(number, 1 - now, since, None),)), answer.asked), tag.index)
                    inside = {after[s] for s in range(1, answer.asked + 1) if truth.journal.clock.start(s) > since + 60 * MS}
                    self.assertNotEqual(len(inside), 1, f"seed {seed}: {answer.text}; {held} stops it")
        self.assertGreater(led, 3)
        self.assertLess(free, led)

    def test_questions_beside_the_trail_leave_out_what_lets_it_go_round(self) -> None:
        """Of each of the last turns only what changed is wanted: one answer had asked hundreds of times what lets the chart run."""
        random = Random(308)
        controller = Controller(read(random_chart(random).text().encode(), Path("x.st")).value, Profile(scan_time=10 * MS))
        session = Session(controller, log_of_inputs(random, controller.running, INPUTS), IoList({}), [], Paths(Path("x.st")))
        number = controller.running.by_name["main.s0.x"]
        ends = [r for r in session.journal.rows(number).tolist() if not session.journal.raw(r)]
        self.assertGreater(len(ends), 20)
        at = session.journal.time(ends[len(ends) // 2]) - 1
        with patch.object(generator, "_add_lets", wraps=generator._add_lets) as asked:
            answer = answer_to(session, Question(number, at, Symptom.WILL_NOT_DROP_OUT))
        self.assertIs(answer.value, True)
        self.assertLess(asked.call_count, 12)

    def test_a_chart_waits_in_the_transition_that_needs_no_other_step(self) -> None:
        text = ("PROGRAM Main\nVAR I0 AT %IX0.0 : BOOL; I1 AT %IX0.1 : BOOL; END_VAR\nINITIAL_STEP A: END_STEP\nSTEP B: END_STEP\nSTEP C: END_STEP\n"
                "TRANSITION FROM (A, B) TO C := I0; END_TRANSITION\nTRANSITION FROM A TO C := I1; END_TRANSITION\n"
                "TRANSITION FROM C TO B := I0; END_TRANSITION\nTRANSITION FROM B TO A := I0; END_TRANSITION\nEND_PROGRAM\n")
        session = of_text(text, [(0, "I0", 1), (0, "I1", 0), (2000, "I0", 1)], 3000)
        found = roots(session, ask(session, "C.X", None, None))
        self.assertEqual(found[0], (RootKind.FIELD_INPUT, "I1", True))

    def test_an_action_ends_one_scan_after_its_step(self) -> None:
        text = ("PROGRAM Main\nVAR I0 AT %IX0.0 : BOOL; N : INT; END_VAR\nINITIAL_STEP A: Count(N); END_STEP\nSTEP B: END_STEP\n"
                "TRANSITION FROM A TO B := I0; END_TRANSITION\nTRANSITION FROM B TO A := FALSE; END_TRANSITION\n"
                "ACTION Count: N := N + 1; END_ACTION\nEND_PROGRAM\n")
        session = of_text(text, [(0, "I0", 0), (1000, "I0", 1)], 2000)
        name = next(t.name for t in session.running.tags if t.name.endswith("Count.A"))
        answer = ask(session, name, None, None)
        truth = Truth(session)
        self.assertEqual([truth.wrong_link(link) for _, link in answer.links()], ["" for _ in answer.links()])
        self.assertEqual(roots(session, answer)[0], (RootKind.FIELD_INPUT, "I0", True))


if __name__ == "__main__":
    unittest.main()
