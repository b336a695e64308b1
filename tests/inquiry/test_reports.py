"""Reports, supervision, delays, numbers that go on changing: which device leads, and what is said of when it was so."""

from __future__ import annotations

import unittest

from tests.building import MS, Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.desk.asking import answer_to, inquiry
from whorlograph.inquiry.trials.rows import _candidates
from whorlograph.inquiry.trials.runs import TrialRuns
from whorlograph.inquiry.usual import drops, usual_of
from whorlograph.model.question import Question, RootKind, Symptom


def _starts(*, broken: bool) -> Rows:
    """X1 brings Y1 three times, X3 reports it 30 ms later; last X1 goes off, or X3 opens by itself while X1 stays."""
    rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
    for k in range(4):
        at = 1000 + 2000 * k
        rows += [(at, "X1", 1), (at + 30, "X3", 1)]
        rows += [(at + 1000, "X1", 0), (at + 1030, "X3", 0)] if k < 3 or not broken else [(at + 1000, "X3", 0)]
    return [*rows, (12_000, "X2", 1), (13_000, "X2", 1)]


def _of(body: str, rows: Rows, local: str = "", tag: str = "Y2") -> Asked:
    return asked(text_session(body, rows, local), tag)


class Reports(unittest.TestCase):
    """An input that reports an output that is off is no cause of its own, unless it opened first."""

    BODY = "Y1 := X1;\nY2 := X2 AND X3 AND X1;"
    WATCHED = "T1(IN := Y1 AND NOT X3, PT := T#300ms); IF T1.Q THEN Fault := TRUE; END_IF;\nY1 := X1 AND NOT Fault;\nY2 := X3 AND NOT Fault;"

    def test_it_stands_behind_what_keeps_that_off(self) -> None:
        found = _of(self.BODY, _starts(broken=False))
        self.assertEqual([r[1] for r in found.roots][:2], ["X1", "X3"])
        self.assertIn("it reports Y1, which went off at 8.000 s because of X1", found.answer.roots[1].text)
        self.assertNotIn("it reports", found.answer.roots[0].text)

    def test_alone_it_says_when_its_output_went_off_and_because_of_what(self) -> None:
        rows = [(t, n, v) for t, n, v in _starts(broken=False) if n != "X2"]
        found = asked(text_session("Y1 := X1 AND NOT X2;\nY2 := X3;", [*rows, (0, "X2", 0), (7500, "X2", 1), (7600, "X2", 0), (7530, "X3", 0), (7640, "X3", 1)]), "Y2",
                      symptom=Symptom.DROPPED_OUT, at="7.9")
        self.assertEqual(found.roots[0][:2], ("field-input", "X3"))
        self.assertIn("it reports Y1, which went off at 7.500 s because of X2", found.answer.roots[0].text)

    def test_one_that_opened_first_is_the_fault(self) -> None:
        found = _of(self.BODY, _starts(broken=True))
        self.assertEqual(found.roots[0], ("field-input", "X3", True))
        self.assertNotIn("it reports", found.text)

    def test_one_that_is_on_because_its_output_is(self) -> None:
        """Star and delta: the star's auxiliary keeps the delta out as long as the star is on, which the first auxiliary should have ended."""
        body = "Y1 := X1 AND NOT T1.Q;\nT1(IN := X1 AND X2, PT := T#2s);\nY2 := T1.Q AND NOT X3;"
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
        for at in (1000, 8000):
            rows += [(at, "X1", 1), (at + 30, "X2", 1), (at + 40, "X3", 1), (at + 2070, "X3", 0), (at + 5000, "X1", 0), (at + 5030, "X2", 0)]
        rows += [(15_000, "X1", 1), (15_040, "X3", 1), (25_000, "X1", 1)]
        found = asked(text_session(body, rows, "T1 : TON;"), "Y2", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertEqual([r[1] for r in found.roots][:2], ["X2", "X3"], found.text)
        self.assertIn("it reports Y1, which is on", found.answer.roots[1].text)

    def test_one_whose_supervision_took_the_output_away_is_the_fault(self) -> None:
        found = _of(self.WATCHED, _starts(broken=True), "T1 : TON; Fault : BOOL;")
        self.assertEqual(found.roots[0][:2], ("field-input", "X3"))
        self.assertNotIn("which is off", found.text, "Y1 went off because of it")


class Elapsed(unittest.TestCase):
    """Of a path to an on-delay that has elapsed what closed last began it."""

    def test_what_completed_the_path_comes_before_what_stood_for_long(self) -> None:
        body = "T1(IN := X1 AND X2 AND NOT X3, PT := T#1s);\nY2 := NOT T1.Q;"
        for first, last in (("X1", "X2"), ("X2", "X1")):
            found = _of(body, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (2000, first, 1), (5000, last, 1), (9000, "X3", 0)], "T1 : TON;")
            self.assertEqual(found.roots[0], ("field-input", last, True))
            changed = {found.session.running.tags[r.tag or 0].name: r.changed for r in found.answer.roots}
            self.assertTrue(changed[last])
            self.assertFalse(changed[first])

    def test_an_off_delay_whose_input_stands_is_kept_on_by_what_stands_now(self) -> None:
        body = "T1(IN := X1 OR X2, PT := T#1s);\nY2 := X3 AND NOT T1.Q;"
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (1000, "X1", 1), (2000, "X2", 1), (3000, "X1", 0), (6000, "X3", 1), (7000, "X3", 1)]
        found = _of(body, rows, "T1 : TOF;")
        self.assertEqual(found.roots[0], ("field-input", "X2", True))
        self.assertNotIn("X1", {r[1] for r in found.roots})
        self.assertIn("its input has been on since 1.000 s", found.text)

    def test_what_ended_it_before_and_has_not_come_leads(self) -> None:
        rows = [(0, "X1", 0), (0, "X3", 0)]
        for at in (1000, 4000, 7000):
            rows += [(at, "X1", 1), *([(at + 300, "X3", 1)] if at < 7000 else []), (at + 1500, "X1", 0), (at + 1600, "X3", 0)]
        found = _of("T1(IN := X1 AND NOT X3, PT := T#1s);\nY2 := X1 AND NOT T1.Q;", [*rows, (9000, "X1", 0)], "T1 : TON;")
        self.assertEqual((found.roots[0][:2], found.answer.roots[0].overdue), (("field-input", "X3"), True))
        self.assertIn("X3 ended that 2 of 2 times before, and has not come", found.text)

    def test_in_the_first_run_what_began_it_stands_behind_what_did_not_come(self) -> None:
        body = "T1(IN := X1 AND NOT X2, PT := T#2s);\nIF T1.Q THEN Late := TRUE; END_IF;\nY2 := X1 AND NOT Late;"
        found = _of(body, [(0, "X1", 0), (0, "X2", 0), (2000, "X1", 1), (9000, "X2", 0)], "T1 : TON; Late : BOOL;")
        self.assertEqual(found.roots, [("field-input", "X2", True), ("field-input", "X1", False)], found.text)
        self.assertEqual(found.answer.roots[1].proof, "with X1 held off, Y2 does not come on at 2.000 s at all")

    def test_what_ended_it_before_leads_also_where_something_else_let_it_begin(self) -> None:
        """X3 lets go and the movement begins: that is on the trail, and what should have ended it stood already."""
        body = "Y2 := X2 AND NOT X1 AND NOT X3 AND NOT Late;\nT1(IN := Y2, PT := T#2s);\nIF T1.Q THEN Late := TRUE; END_IF;"
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
        for at in (1000, 5000):
            rows += [(at, "X2", 1), (at + 900, "X1", 1), (at + 1500, "X2", 0), (at + 1600, "X1", 0)]
        rows += [(9000, "X3", 1), (9500, "X2", 1), (10_000, "X3", 0), (16_000, "X2", 1)]
        found = _of(body, rows, "T1 : TON; Late : BOOL;")
        self.assertEqual((found.answer.symptom, found.roots[0][:2]), (Symptom.DROPPED_OUT, ("field-input", "X1")), found.text)
        self.assertIn("X1 ended that 2 of 2 times before, and has not come", found.text)
        usual = usual_of(inquiry(found.session).tracer, found.answer, drops(inquiry(found.session).tracer, found.answer.tag))
        self.assertEqual(usual.text if usual is not None else "", "only this time; 2 of 3 times X1 stops it")

    def test_one_that_watches_two_ways_is_compared_with_runs_of_its_own(self) -> None:
        # Up until X1, down until X2, watched by one timer: half of its runs were ended by the one, half by the other.
        body = ("T1(IN := (X3 AND NOT X1) OR (NOT X3 AND NOT X2), PT := T#2s);\nIF T1.Q THEN Fault := TRUE; END_IF;\n"
                "Y2 := X3 AND NOT X1 AND NOT Fault;")
        rows: Rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0)]
        for at in (1000, 8000, 15_000, 22_000):
            rows += [(at, "X3", 1), (at + 100, "X2", 0)]
            rows += [(at + 1000, "X1", 1), (at + 4000, "X3", 0), (at + 4100, "X1", 0), (at + 5000, "X2", 1)] if at < 22_000 else [(at + 4000, "X3", 1)]
        found = _of(body, rows, "T1 : TON; Fault : BOOL;")
        self.assertEqual((found.answer.symptom, found.roots[0][:2], found.answer.roots[0].overdue), (Symptom.DROPPED_OUT, ("field-input", "X1"), True))
        self.assertIn("X1 ended that 3 of 3 times before, and has not come", found.text)

    def test_what_set_a_latch_is_told_before_what_it_is_by_now(self) -> None:
        body = ("T1(IN := X1 XOR X2, PT := T#500ms);\nIF T1.Q THEN Y2 := TRUE; END_IF;\n"
                "IF X3 AND NOT X1 AND NOT X2 THEN Y2 := FALSE; END_IF;")
        rows: Rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (2000, "X2", 0), (4000, "X2", 1), (6000, "X3", 1), (6500, "X3", 0)]
        found = _of(body, rows, "T1 : TON;")
        self.assertEqual(found.roots[0], ("field-input", "X2", True))
        self.assertIn("X2 was off from 2.000 s to 4.000 s", found.answer.roots[0].text)

    def test_two_that_start_one_another_come_to_an_end(self) -> None:
        body = "T1(IN := T2.Q AND X1, PT := T#1s);\nT2(IN := T1.Q OR X2, PT := T#1s);\nY2 := NOT (T1.Q AND T2.Q);"
        found = _of(body, [(0, "X1", 0), (0, "X2", 0), (1000, "X1", 1), (2000, "X2", 1), (9000, "X2", 0), (12_000, "X1", 1)], "T1, T2 : TON;")
        self.assertLess(len(found.links), 40)
        self.assertEqual({r[1] for r in found.roots}, {"X1", "X2"})


class Changed(unittest.TestCase):
    """Of what a function is computed from only what changed is a cause of a change."""

    def test_of_xor_and_a_selection(self) -> None:
        for body, changed, rows in (("Y1 := X1 XOR X2;", "X2", [(2000, "X2", 1)]), ("Y1 := SEL(X3, X1, X2);", "X3", [(2000, "X3", 1)]),
                                    ("Y1 := SEL(X3, X1, X2);", "X1", [(2000, "X1", 0)])):
            found = _of(body, [(0, "X1", 1), (0, "X2", 0), (0, "X3", 0), *rows, (3000, "N1", 1)], tag="Y1")
            self.assertEqual((found.answer.symptom, [r[1] for r in found.roots]), (Symptom.DROPPED_OUT, [changed]))
            self.assertTrue(found.answer.roots[0].changed)


    def test_what_a_pulse_met_that_comes_as_always(self) -> None:
        # X1 marks each turn, X2 counts within it; in the last turn two counts are missing.
        body = ("E1(CLK := X1);\nE2(CLK := X2);\nIF E1.Q THEN\n  IF A < 3 AND B > 0 THEN Fault := TRUE; END_IF;\n  A := 0; B := B + 1;\nEND_IF;\n"
                "IF E2.Q THEN A := A + 1; END_IF;\nY2 := Fault;")
        rows: Rows = [(0, "X1", 0), (0, "X2", 0)]
        for turn in range(5):
            rows += [(1000 + 1000 * turn, "X1", 1), (1050 + 1000 * turn, "X1", 0)]
            rows += [(1000 + 1000 * turn + at, "X2", v) for n in range(4 if turn < 3 else 2) for at, v in ((200 + 200 * n, 1), (250 + 200 * n, 0))]
        found = _of(body, rows, "E1, E2 : R_TRIG; Fault : BOOL;")
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("A < 3 holds in Main 7, line 8 (A is 2)", found.text)
        self.assertLessEqual({"X1", "X2"}, {r[1] for r in found.roots})
        held = [text for text in found.text.splitlines() if text.startswith("A < 3 ")]
        self.assertFalse(any("does not hold" in text for text in held), held)


class Watched(unittest.TestCase):
    """An output whose own running time is watched: what should have ended it is the fault, not the output that went on."""

    BODY = ("IF X1 AND NOT Late THEN Run := TRUE; END_IF;\nIF X2 OR Late THEN Run := FALSE; END_IF;\nY2 := Run;\n"
            "T1(IN := Y2, PT := T#2s);\nIF T1.Q THEN Late := TRUE; END_IF;")

    def rows(self) -> Rows:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0)]
        for at in (1000, 4000, 7000):
            rows += [(at, "X1", 1), (at + 300, "X1", 0)]
            rows += [(at + 1000, "X2", 1), (at + 1200, "X2", 0)] if at < 7000 else [(12_000, "X1", 0)]
        return rows

    def test_a_measured_value_that_should_have_come_is_told_as_far_as_it_came(self) -> None:
        body = ("IF X1 THEN Run := TRUE; END_IF;\nIF N1 >= 50 OR Late THEN Run := FALSE; END_IF;\nY2 := Run;\nT1(IN := Y2, PT := T#2s);\n"
                "IF T1.Q THEN Late := TRUE; END_IF;")
        rows: Rows = [(0, "X1", 0), (0, "N1", 0)]
        for at in (1000, 5000, 9000, 13_000):
            rows += [(at, "X1", 1), (at + 100, "X1", 0), *((at + 200 * n, "N1", 10 * n) for n in range(1, 7 if at < 13_000 else 4))]
            rows += [(at + 3000, "N1", 0)] if at < 13_000 else [(at + 3000, "X1", 0)]
        found = _of(body, rows, "T1 : TON; Run, Late : BOOL;")
        self.assertEqual((found.answer.symptom, found.roots[0][:2]), (Symptom.DROPPED_OUT, ("field-input", "N1")))
        self.assertIn("N1 below 50 since 12.000 s; it reads 30 now", found.answer.roots[0].text)
        self.assertNotIn("by trying", found.text)

    def test_a_stretch_that_is_left_out_is_told_as_that(self) -> None:
        # Each of five values alone is one of many: what counts them says nothing of which.
        body = "E1(CLK := X1);\nIF N1 <> B THEN A := A + 1; END_IF;\nB := N1;\nY2 := X3 AND A MOD 8 < 5;"
        rows: Rows = [(0, "X1", 0), (0, "X3", 1), (0, "N1", 0), *((2000 + 100 * n, "N1", 10 * n) for n in range(1, 6)), (9000, "X3", 1)]
        session = text_session(body, rows, "E1 : R_TRIG;")
        number = session.running.by_name
        answer = answer_to(session, Question(number["y2"], 8000 * MS, Symptom.DROPPED_OUT))
        with TrialRuns(answer, session.controller, session.log, session.journal, lambda: False, whole=True, now=session.now) as runs:
            found = [c for c in _candidates(runs, frozenset()) if c[4] > 1]
        self.assertEqual([(c[0], c[1] // MS, c[2], c[3].value, c[4], c[5] // MS) for c in found][:1], [(number["n1"], 2100, 10, 0, 5, 2500)])

    def test_what_was_otherwise_only_before_the_last_time_does_not_lead(self) -> None:
        found = _of(self.BODY + "\nY1 := NOT Run AND NOT X3;", self.rows(), "T1 : TON; Run, Late : BOOL;", "Y1")
        self.assertIs(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        names = [r[1] for r in found.roots]
        self.assertLess(names.index("X3"), names.index("X2"))
        root = next(r for r in found.answer.roots if r.earlier)
        self.assertEqual((found.session.running.tags[root.tag or 0].name, root.proved), ("X2", True))
        self.assertRegex(root.proof, r"does not come on at 5.0\d\d s, and is on all the same at 1\d\.\d+ s")

    def test_the_end_that_did_not_come_leads(self) -> None:
        found = _of(self.BODY, self.rows(), "T1 : TON; Run, Late : BOOL;")
        self.assertIs(found.answer.symptom, Symptom.DROPPED_OUT)
        self.assertEqual(found.roots[0][:2], ("field-input", "X2"))
        self.assertTrue(found.answer.roots[0].ended)
        self.assertIn("X2 ended that 2 of 2 times before, and has not come", found.text)
        self.assertNotIn("program", [r[0] for r in found.roots])


class Flashes(unittest.TestCase):
    """A lamp beside a blink that never ends: what lets it flash came last, not the blink."""

    BODY = "B1(IN := NOT B2.Q, PT := T#200ms);\nB2(IN := B1.Q, PT := T#200ms);\nIF B1.Q AND X1 AND NOT X3 THEN Alarm := TRUE; END_IF;\nY2 := NOT Alarm;"

    def test_what_was_set_by_a_flash_leads_to_what_let_it(self) -> None:
        found = _of(self.BODY, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (5000, "X1", 1), (8000, "X3", 0)], "B1, B2 : TON; Alarm : BOOL;")
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        self.assertTrue(found.answer.roots[0].changed)


class Over(unittest.TestCase):
    """What an input was when it brought something about is told as over where it is otherwise by the moment asked for."""

    def test_a_number_that_has_gone_on_changing(self) -> None:
        body = "IF N1 > 50 THEN Hot := TRUE; ELSIF N1 < 20 THEN Hot := FALSE; END_IF;\nT1(IN := Hot, PT := T#1s);\nY2 := X1 AND NOT T1.Q;"
        rows = [(0, "X1", 0), (0, "N1", 10), (500, "X1", 1), (2000, "N1", 40), (4000, "N1", 60), (4500, "N1", 70), (6000, "N1", 80), (9000, "X1", 1)]
        found = _of(body, rows, "T1 : TON; Hot : BOOL;")
        root = found.answer.roots[0]
        self.assertEqual((root.value, root.since, root.proved), (60, 4_000_000_000, True))
        self.assertEqual(root.text, "N1 above 50 since 4.000 s; it reads 80 now")
        self.assertIn("with N1 held at 40", root.proof)
        self.assertNotIn("found by trying", found.text)

    def test_a_bounce_that_no_scan_saw_does_not_end_it(self) -> None:
        session = text_session("IF X3 THEN Late := TRUE; END_IF;\nY2 := X1 AND NOT Late;",
                               [(0, "X1", 1), (0, "X3", 0), (5000, "X3", 1), (8002, "X3", 0), (8004, "X3", 1), (9000, "X1", 1)], "Late : BOOL;")
        self.assertIn("X3 on since 5.000 s", [r.text.partition(";")[0] for r in asked(session, "Y2").answer.roots])

    def test_an_input(self) -> None:
        session = text_session("IF X3 THEN Late := TRUE; END_IF;\nY2 := X1 AND NOT Late;",
                               [(0, "X1", 1), (0, "X3", 0), (5000, "X3", 1), (8000, "X3", 0), (9000, "X1", 1)], "Late : BOOL;")
        for at, text in ((None, "X3 was on from 5.000 s to 8.000 s"), ("7", "X3 on since 5.000 s"), ("7.9", "X3 on since 5.000 s")):
            self.assertIn(text, [r.text for r in asked(session, "Y2", at).answer.roots])


class Numbers(unittest.TestCase):
    """Of what a comparison reads the latest brought it about; a measured value that ended an output before, and has not now, leads."""

    def test_what_was_set_long_before_did_not_bring_it_about(self) -> None:
        body = "IF X2 THEN B := 30; ELSE B := 20; END_IF;\nT1(IN := N1 >= B, PT := T#1s);\nY2 := T1.Q;"
        found = _of(body, [(0, "X2", 0), (0, "N1", 10), (500, "X2", 1), (3000, "N1", 40), (6000, "N1", 40)], "T1 : TON;")
        changed = {found.session.running.tags[r.tag or 0].name: r.changed for r in found.answer.roots if r.kind is RootKind.FIELD_INPUT}
        self.assertEqual(changed, {"N1": True, "X2": False})

    def test_a_delayed_limit_is_tried_where_the_value_crossed_it(self) -> None:
        """The value has gone on rising: what it was before its last change says nothing. Also through tags that take it on, and a limit in a tag."""
        bodies = {"T1(IN := N1 > 90, PT := T#2s);\nIF T1.Q THEN Al := TRUE; END_IF;\nIF X1 THEN Al := FALSE; END_IF;\nY2 := Al;": "T1 : TON; Al : BOOL;",
                  "Lv[2] := N1;\nB := 90;\nT1(IN := Lv[2] > B, PT := T#2s);\nY2 := T1.Q;": "T1 : TON; Lv : ARRAY[1..3] OF INT;",
                  "B := 90;\nT1(IN := N1 > B, PT := T#2s);\nY2 := T1.Q;": "T1 : TON;",
                  "IF X3 THEN A := 5; ELSE A := N1; END_IF;\nT1(IN := 90 < A, PT := T#2s);\nY2 := T1.Q;": "T1 : TON;"}
        rows: Rows = [(0, "X1", 0), (0, "X3", 0), *((6000 + 500 * k, "N1", 80 + k) for k in range(30)), (25_000, "X1", 0)]
        for body, local in bodies.items():
            with self.subTest(body):
                found = _of(body, rows, local)
                root = found.answer.roots[0]
                self.assertEqual((found.roots[0], root.text), (("field-input", "N1", True), "N1 above 90 since 11.500 s; it reads 109 now"))
                self.assertEqual(root.proof, "with N1 held at 90 from 11.500 s on, Y2 does not come on at 13.500 s")
        found = _of("A := N1 * 2;\nT1(IN := A > 180, PT := T#2s);\nY2 := T1.Q;", rows, "T1 : TON;")
        self.assertNotIn("above", found.text, "N1 itself is not what is compared")

    def test_what_would_set_a_count_back(self) -> None:
        """Hours that have come to their limit: they are counted on, and nobody has pressed what sets them back."""
        body = "E1(CLK := X1);\nIF E1.Q THEN A := A + 1; END_IF;\nE2(CLK := X2);\nIF E2.Q THEN A := 0; END_IF;\nY2 := A >= 3;"
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), *((1000 * n + t, "X1", v) for n in range(1, 6) for t, v in ((0, 1), (300, 0))), (9000, "X1", 0)]
        found = _of(body, rows, "E1, E2 : R_TRIG;")
        self.assertIs(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("what would set A back to 0 is FALSE in Main 8: E2.Q blocks", found.text)
        self.assertIn(("field-input", "X2", True), found.roots)
        counted = _of(body.replace("A := 0", "A := 5"), rows, "E1, E2 : R_TRIG;")
        self.assertNotIn("set A back", counted.text, "5 does not end it")

    def test_a_measured_value_that_has_not_come(self) -> None:
        body = "IF N1 >= 50 THEN Hot := TRUE; ELSIF N1 < 20 THEN Hot := FALSE; END_IF;\nY2 := X1 AND NOT Hot;"
        rows = [(0, "X1", 0), (0, "N1", 10)]
        for at in (1000, 5000, 9000):
            rows += [(at, "X1", 1), (at + 1000, "N1", 60 if at < 9000 else 40), *([(at + 1500, "X1", 0), (at + 1600, "N1", 10)] if at < 9000 else [])]
        found = _of(body, [*rows, (14_000, "X1", 1)], "Hot : BOOL;")
        self.assertIs(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual((found.roots[0][:2], found.answer.roots[0].overdue), (("field-input", "N1"), True))
        self.assertIn("it ended Y2 2 of 2 times before, and has not now", found.answer.roots[0].text)


if __name__ == "__main__":
    unittest.main()
