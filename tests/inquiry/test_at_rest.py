"""What a sequence switches, asked for while that is at rest: its last run, or the start that came in vain, is the attempt."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.texts import text_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Session
from whorlograph.inquiry.trail import Answer
from whorlograph.model.question import Symptom

CHART = """FUNCTION_BLOCK Mixer
VAR_INPUT Start, Stop, Door, Full : BOOL; END_VAR
VAR_OUTPUT Fill, Stir : BOOL; END_VAR
INITIAL_STEP Rest: END_STEP
STEP Filling: Fill(N); END_STEP
STEP Stirring: Stir(N); END_STEP
TRANSITION FROM Rest TO Filling := Start AND Door; END_TRANSITION
TRANSITION FROM Filling TO Stirring := Full; END_TRANSITION
TRANSITION FROM Filling TO Rest := Stop; END_TRANSITION
TRANSITION FROM Stirring TO Rest := Stop OR NOT Door; END_TRANSITION
END_FUNCTION_BLOCK
"""
CALL = "Mx(Start := X1, Stop := X2, Door := X3, Full := N1 > 50);\nY1 := Mx.Stir; Y2 := Mx.Fill;"
NUMBERS = ("CASE A OF\n0: IF X1 AND X3 THEN A := 10; END_IF;\n10: IF N1 > 50 THEN A := 20; ELSIF X2 THEN A := 0; END_IF;\n"
           "20: IF X2 OR NOT X3 THEN A := 0; END_IF;\nEND_CASE;\nY1 := A = 20; Y2 := A = 10;")
BODIES = (("chart", CALL, "Mx : Mixer;", CHART), ("numbers", NUMBERS, "", ""))
REST: Rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (0, "N1", 20)]


def asked(body: tuple[str, str, str, str], rows: Rows, tag: str = "Y1") -> tuple[Answer, list[str], str]:
    """The answer why a tag does not pull in at the log's end, the tags of its roots, and all its sentences."""
    session: Session = text_session(body[1], rows, body[2], body[3])
    answer = ask(session, tag, symptom=Symptom.WILL_NOT_PULL_IN)
    prove_all(session, answer)
    text = "\n".join([answer.text, *(link.text for _, link in answer.links()), *(r.text for r in answer.roots)])
    return answer, [session.running.tags[r.tag].name for r in answer.roots if r.tag is not None], text


class AtRest(unittest.TestCase):
    """In charts and with step numbers alike."""

    def test_its_last_run_is_the_attempt(self) -> None:
        run: Rows = [(200, "X1", 1), (300, "X1", 0), (700, "N1", 40), (2000, "X2", 1), (2100, "X2", 0), (4000, "X2", 0)]
        for body in BODIES:
            answer, roots, text = asked(body, REST + run)
            self.assertEqual(roots[0], "N1", text)
            self.assertIn("the sequence came as far as " + ("Filling" if body[0] == "chart" else "10"), answer.text)
            self.assertTrue("tried once, begun at 0.20" in answer.text and "until 2.000 s" in answer.text, answer.text)
            self.assertTrue("N1 is 40" in text and "X2" in roots, "what was missing there, and what took it back")
            self.assertEqual((answer.roots[0].blocked, answer.roots[0].attempts), (1, 1))

    def test_what_took_it_back_too_early_is_proved(self) -> None:
        run: Rows = [(200, "X1", 1), (300, "X1", 0), (700, "N1", 40), (900, "X2", 1), (950, "X2", 0), (1500, "N1", 60), (4000, "X2", 0)]
        for body in BODIES:
            answer, roots, text = asked(body, REST + run)
            proved = [name for name, root in zip(roots, answer.roots, strict=False) if root.proved]
            self.assertEqual(proved, ["X2"], text)

    def test_a_start_in_vain(self) -> None:
        run: Rows = [(200, "X1", 1), (300, "X1", 0), (700, "X2", 1), (800, "X2", 0), (1000, "X3", 0), (2000, "X1", 1), (2100, "X1", 0), (3000, "X3", 0)]
        for body in BODIES:
            for rows in (REST + run, [*(r for r in REST if r[1] != "X3"), (0, "X3", 0), *run[5:]]):
                answer, roots, text = asked(body, rows)
                self.assertEqual(roots[0], "X3", text)
                self.assertTrue("at 2.000 s: X1)" in answer.text, answer.text)

    def test_a_run_that_went_another_way_is_no_attempt(self) -> None:
        # From rest X1 leads one way and N1 the other: a run of the one tries nothing of the other, and does not hide what was tried.
        way = "CASE A OF\n0: IF X1 THEN A := 10; ELSIF N1 > 50 AND X3 THEN A := 5; END_IF;\n5: IF N1 < 10 THEN A := 0; END_IF;\n" \
              "10: IF X2 THEN A := 0; END_IF;\nEND_CASE;\nY1 := A = 5; Y2 := A = 10;"
        chart = CHART.replace("STEP Stirring", "STEP Away: END_STEP\nSTEP Stirring").replace(
            "FROM Rest TO Filling := Start AND Door;", "FROM Rest TO Filling := Full AND Door; END_TRANSITION\nTRANSITION FROM Rest TO Away := Start; "
            "END_TRANSITION\nTRANSITION FROM Away TO Rest := Stop;")
        rows: Rows = [*REST[:2], (0, "X3", 0), REST[3], (1000, "N1", 60), (2000, "N1", 20), (3000, "X1", 1), (3100, "X1", 0), (5000, "N1", 20)]
        for body in (("numbers", way, "", ""), ("chart", CALL, "Mx : Mixer;", chart)):
            for more in ([], [(6000, "X2", 1), (6100, "X2", 0), (8000, "N1", 20)]):
                answer, roots, text = asked(body, [*rows, *more], "Y1" if body[0] == "numbers" else "Y2")
                self.assertNotIn("3.000 s", answer.text, text)
                self.assertEqual([scan for scan in answer.attempts if 295 < scan < 305], [], text)
                self.assertEqual(roots[0], "X2" if not more else "X3" if body[0] == "numbers" else roots[0], text)

    def test_nobody_began_it(self) -> None:
        for body in BODIES:
            answer, roots, text = asked(body, [*REST, (3000, "N1", 20)])
            self.assertIn("was never tried", answer.text)
            self.assertIn("X1", roots, text)

    def test_what_came_on_in_its_last_run_asks_for_runs_since(self) -> None:
        run: Rows = [(200, "X1", 1), (300, "X1", 0), (700, "N1", 60), (900, "X2", 1), (950, "X2", 0), (960, "N1", 20), (4000, "X2", 0)]
        for body in BODIES:
            answer, _, text = asked(body, REST + run)
            self.assertIn("was never tried", answer.text, text)
            more: Rows = [(2000, "X1", 1), (2100, "X1", 0), (3000, "X2", 1), (3100, "X2", 0)]
            answer, roots, text = asked(body, sorted(REST + run + more, key=lambda r: r[0]))
            self.assertIn("tried once, begun at 2.00", answer.text)
            self.assertEqual(roots[0], "N1", text)


if __name__ == "__main__":
    unittest.main()
