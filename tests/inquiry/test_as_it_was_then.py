"""A measured value is never still: it is tried as it was when the tag was last otherwise; and what stood in the way of an attempt, and what not."""

from __future__ import annotations

import unittest
from unittest import mock

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.desk.unusual import add_usual
from whorlograph.desk.words import answer_text, root_lines
from whorlograph.inquiry import will_not_pull_in
from whorlograph.inquiry.trail import Root
from whorlograph.model.question import Symptom

LATE = "Low(IN := N1 < 120, PT := T#1s);\nY1 := X1 AND NOT Low.Q;"
CHAIN = """IF X1 THEN Filling := TRUE; END_IF;
IF X2 THEN Filling := FALSE; END_IF;
Fit := N1 > 120;
CASE Mode OF
  0: Want := FALSE;
  1: Pre(IN := Fan AND Fit, PT := T#500ms);
     Want := Pre.Q AND Filling;
END_CASE;
IF X3 THEN Mode := 1; ELSE Mode := 0; END_IF;
Run(IN := Filling, PT := T#200ms);
Ready := Run.Q;
Blow := Ready;
Fan := Blow;
Y1 := Want;"""
TAGS = "Filling, Fit, Want, Fan, Ready, Blow : BOOL; Pre : TON; Run : TOF; Mode : INT;"


def _wavers(at: int, until: int, value: int) -> Rows:
    """A value that is read every 100 ms, some units up and down; from .. to in ms."""
    return [(t, "N1", value + (t // 100) % 3) for t in range(at, until, 100)]


def _whole(found: Asked) -> str:
    return answer_text(found.session, found.answer)


def _root(found: Asked, name: str) -> Root:
    return next(r for r in found.answer.roots if r.tag is not None and found.session.running.tags[r.tag].name == name)


def _of(body: str, rows: Rows, tags: str, symptom: Symptom | None = None) -> Asked:
    return asked(text_session(body, sorted(rows, key=lambda r: r[0]), tags), "Y1", symptom=symptom)


class AsThen(unittest.TestCase):
    """``N1`` as it was when ``Y1`` was last otherwise."""

    def test_a_drop_behind_a_delay(self) -> None:
        found = _of(LATE, [(0, "X1", 0), (500, "X1", 1), *_wavers(0, 3000, 240), *_wavers(3000, 6000, 90), (6000, "X2", 0)], "Low : TON;")
        root = found.answer.roots[0]
        self.assertEqual((root.tag is not None, root.proved), (True, True))
        self.assertRegex(root.proof, r"with N1 held at 24[012], as when Y1 last came on, Y1 stays on")

    def test_a_measured_value_is_never_still_and_nothing_rests_on_that(self) -> None:
        rows: Rows = [(0, "X1", 1), *((t, "N1", 240 - t // 15 % 3) for t in range(0, 2000, 15)), *((t, "N1", 90 + t // 15 % 3) for t in range(2000, 3000, 15))]
        self.assertIsNone(_of("Y1 := X1 AND N1 > 120;", rows, "").answer.phases)
        fell: Rows = [(0, "X1", 1), (0, "N1", 240), (500, "X1", 0), (2006, "N1", 90), (2012, "N1", 240), (3000, "X2", 0)]
        self.assertEqual(_of("Y1 := (X1 OR Y1) AND N1 > 120;", fell, "").answer.phases, (2, 4))

    def test_without_noise_its_former_value_tells(self) -> None:
        found = _of(LATE, [(0, "X1", 0), (0, "N1", 240), (500, "X1", 1), (3000, "N1", 90), (6000, "X2", 0)], "Low : TON;")
        self.assertIn("with N1 held at 240, Y1 stays on", found.answer.roots[0].proof)

    def test_one_that_is_no_reason_stays_disproved(self) -> None:
        rows = [(0, "X1", 0), (500, "X1", 1), *_wavers(0, 3000, 240), *_wavers(3000, 6000, 90), (4500, "X1", 0), (4500, "X2", 0), (6000, "X2", 0)]
        found = _of("Low(IN := N1 < 120, PT := T#10s);\nY1 := X1 AND NOT Low.Q;", rows, "Low : TON;")
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        self.assertNotIn("as when", _whole(found))

    def test_what_keeps_on(self) -> None:
        rows = [(0, "X1", 1), *_wavers(0, 2000, 90), *_wavers(2000, 4000, 240), *_wavers(4000, 5000, 90), *_wavers(5000, 9000, 150)]
        found = _of("Low(IN := N1 < 120, PT := T#500ms);\nY1 := Low.Q OR (Y1 AND N1 < 200);", rows, "Low : TON;")
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertRegex(found.answer.roots[0].proof, r"with N1 held at 24[012], as when Y1 last came off, Y1 does not come on")

    def test_never_otherwise_has_nothing_to_be_held_at(self) -> None:
        found = _of("Y1 := X1 AND N1 > 200;", [(0, "X1", 0), *_wavers(0, 3000, 90), (1000, "X1", 1)], "")
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_PULL_IN)
        self.assertNotIn("as when", _whole(found))


class InTheWay(unittest.TestCase):
    """The pressure falls in the second filling: the output does not come on again."""

    def _second(self) -> Asked:
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (500, "X1", 1), (2000, "X1", 0), (3000, "X2", 1), (3500, "X2", 0), (5000, "X1", 1)]
        values = [*_wavers(600, 3300, 240), *_wavers(3300, 5200, 10), *_wavers(5200, 5500, 150), *_wavers(5500, 9000, 90)]
        return _of(CHAIN, [*rows, *values], TAGS, Symptom.WILL_NOT_PULL_IN)

    def test_the_value_leads_and_proves(self) -> None:
        found = self._second()
        self.assertEqual(found.roots[0][:2], ("field-input", "N1"))
        self.assertRegex(found.answer.roots[0].proof, r"with N1 held at 24[012], as when Y1 last came on, Y1 pulls in")

    def test_what_only_lets_the_write_run_did_not_stand_in_the_way(self) -> None:
        found = self._second()
        selector = _root(found, "X3")
        self.assertEqual((selector.proved, selector.blocked), (False, 0))
        self.assertGreater(selector.attempts, 1)
        self.assertNotIn("stood in the way", "\n".join(root_lines(found.session, selector)))

    def test_of_a_number_all_attempts_count(self) -> None:
        for count in (1, 59, 61, 300):
            tries = [row for k in range(count) for row in ((1000 + 100 * k, "X1", 1), (1050 + 100 * k, "X1", 0))]
            rows: Rows = [(0, "X1", 0), *tries, *((t, "N1", 90 + t % 7) for t in range(0, 1000 + 100 * count, 30))]
            found = _of("Y1 := (X1 OR Y1) AND N1 > 120;", rows, "")
            self.assertEqual((len(found.answer.attempts), _root(found, "N1").blocked, _root(found, "N1").attempts), (count, count, count))

    def test_as_many_count_where_few_are_explained(self) -> None:
        """What the last attempts do not show: at the earlier ones X3 was off at every third."""
        count = 90
        tries = [row for k in range(count) for row in ((1000 + 100 * k, "X1", 1), (1050 + 100 * k, "X1", 0))]
        third: Rows = [(1000 + 100 * k - 20, "X3", int(k % 3 > 0 or k >= 60)) for k in range(count)]
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), *tries, *third]
        for least, most in ((12, 200), (3, 0), (1, 0), (1000, 1000)):
            with mock.patch.multiple(will_not_pull_in, LEAST_ATTEMPTS=least, MOST_LINKS=most, MOST_ATTEMPTS=max(60, least)):
                found = _of("Y1 := (X1 OR Y1) AND X2 AND X3;", rows, "")
                self.assertEqual((_root(found, "X2").blocked, _root(found, "X2").attempts), (count, count), least)
                if least == 1000:
                    self.assertEqual(_root(found, "X3").blocked, 20)

    def test_what_the_attempt_itself_ended_did_not_stand_in_the_way(self) -> None:
        self.assertNotIn("X2 was on", _whole(self._second()))
        self.assertNotIn("X1 was off", _whole(self._second()))

    def test_a_selector_the_other_way_did(self) -> None:
        """In the other mode the write would have been another: it is what has to be turned."""
        body = "IF X3 THEN Y1 := X1 AND X2; ELSE Y1 := X2; END_IF;"
        rows: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X2", 1), (1000, "X2", 0), (2000, "X3", 1), (3000, "X2", 1), (3500, "X2", 0), (4000, "X2", 1)]
        found = _of(body, [*rows, (5000, "N1", 1)], "", Symptom.WILL_NOT_PULL_IN)
        selector = _root(found, "X3")
        self.assertIs(selector.proved, True)
        self.assertIn(f"stood in the way of {selector.attempts} of {selector.attempts} attempts", root_lines(found.session, selector))


class TriedAgain(unittest.TestCase):
    """A drop-out behind which somebody tried again: it says so, and that the other question can be asked."""

    BODY = "Y1 := (X1 OR Y1) AND X2;"
    START: Rows = [(0, "X1", 0), (0, "X2", 1), (500, "X1", 1), (700, "X1", 0), (2000, "X2", 0)]

    def _said(self, *more: tuple[int, str, int], at: str | None = None) -> str:
        found = asked(text_session(self.BODY, [*self.START, *more, (9000, "X3", 1)]), "Y1", at, Symptom.DROPPED_OUT)
        add_usual(found.session, found.answer)
        self.assertEqual(found.answer.tried_again != "", "ask also why it does not pull in" in _whole(found))
        return found.answer.tried_again

    def test_in_vain(self) -> None:
        again = [(3000, "X1", 1), (3200, "X1", 0), (4000, "X1", 1), (4200, "X1", 0)]
        self.assertEqual(self._said(*again), "since then 2 attempts, the last at 4.000 s (X1), in vain: ask also why it does not pull in")
        self.assertIn("tried once, at 3.000 s (X1)", self._said(*again, at="3.5"))

    def test_not_tried_or_on_again(self) -> None:
        self.assertEqual(self._said(), "")
        self.assertEqual(self._said((3000, "X1", 1), (3200, "X1", 0), at="2.5"), "", "nobody had tried yet")
        self.assertEqual(self._said((3000, "X1", 1), (3200, "X1", 0), (3500, "X2", 1), (4000, "X1", 1)), "", "it is on again")


if __name__ == "__main__":
    unittest.main()
