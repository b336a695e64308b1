"""A machine that gives up after some attempts in vain: what was missing in those leads, not the sensor that came as it does each time."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session

# X1 sends an arm out; X2: it is out; X3: it has gripped; N1 is not used. Without grip it goes home (X4) and out again, three times at most.
BODY = """CASE N OF
0: IF X1 THEN N := 1; END_IF;
1: IF X2 THEN N := 2; END_IF;
2: IF X3 THEN N := 4; ELSIF T1.Q THEN N := 3; END_IF;
3: IF {home} THEN IF {given_up} THEN N := 9; ELSE N := 1; END_IF; END_IF;
4: IF {home} THEN N := 0; END_IF;
END_CASE;
T1(IN := N = 2, PT := T#500ms);
{counts}
Y1 := N = 9;"""
COUNTER = {"given_up": "C1.Q", "counts": "C1(CU := N = 3, R := N = 0, PV := 3);"}
NUMBER = {"given_up": "Tries >= 3", "counts": "IF N = 3 AND NOT Was THEN Tries := Tries + 1; END_IF; Was := N = 3; IF N = 0 THEN Tries := 0; END_IF;"}
TAGS = "N, Tries : INT; Was, Home : BOOL; T1 : TON; C1 : CTU;"


def _runs(good: int, tries: int) -> Rows:
    """Good runs, then one in which the grip does not come."""
    rows: list[tuple[int, str, int]] = [(0, "Main.X4", 1)]

    def out(time: int, grips: bool) -> int:
        rows.extend([(time + 100, "Main.X4", 0), (time + 400, "X2", 1)])
        gripped = time + (600 if grips else 1000)
        if grips:
            rows.append((gripped, "X3", 1))
        rows.extend([(gripped + 100, "X2", 0), (gripped + 400, "Main.X4", 1)])
        if grips:
            rows.append((gripped + 500, "X3", 0))
        return gripped + 400

    time = 1000
    for _ in range(good):
        rows.extend([(time, "X1", 1), (time + 50, "X1", 0)])
        time = out(time, True) + 1000
    rows.extend([(time, "X1", 1), (time + 50, "X1", 0)])
    for _ in range(tries):
        time = out(time, False)
    return sorted([(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), *rows, (time + 2000, "N1", 0)], key=lambda r: r[0])


def _asked(how: dict[str, str], good: int, home: str = "X4", before: str = "") -> Asked:
    body = before + BODY.format(home=home, **how)
    return asked(text_session(body, _runs(good, 3), f"X4 AT %IX9.4 : BOOL; {TAGS}"), "Y1")


class GivesUp(unittest.TestCase):
    """After three times without grip."""

    def test_what_was_missing_each_time_leads(self) -> None:
        for how in (COUNTER, NUMBER):
            for good in (2, 5):
                for home, before in (("X4", ""), ("Home", "Home := X4;\n")):
                    with self.subTest(how=how["given_up"], good=good, home=home):
                        found = _asked(how, good, home, before)
                        self.assertTrue(found.roots[0][1].endswith("X3"), found.text)
                        self.assertIs(found.roots[0][2], True, found.answer.roots[0].proof)

    def test_a_sensor_that_brings_it_about_each_time_leads_itself(self) -> None:
        body = "C1(CU := X3, R := X1, PV := 1);\nIF X2 AND C1.Q THEN A := 1; END_IF;\nIF X1 THEN A := 0; END_IF;\nY1 := A = 1;"
        rows: Rows = [row for n in range(4) for row in ((1000 + 2000 * n, "X3", 1), (1100 + 2000 * n, "X3", 0), (1500 + 2000 * n, "X2", 1), (1700 + 2000 * n, "X2", 0),
                                                        *(((2000 + 2000 * n, "X1", 1), (2100 + 2000 * n, "X1", 0)) if n < 3 else ()))]
        found = asked(text_session(body, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), *rows, (9500, "N1", 1)], "C1 : CTU;"), "Y1")
        self.assertEqual(found.roots[0][1], "X2", found.text)


if __name__ == "__main__":
    unittest.main()
