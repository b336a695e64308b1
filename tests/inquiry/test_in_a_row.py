"""A number that counts what comes in a row at a recurring pulse leads to what the pulses have met since it was last set back."""

from __future__ import annotations

import unittest

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session

BODY = """Seen(CLK := X1);
IF Seen.Q THEN
  IF ABS(N1 - Goal) > 5 THEN A := A + 1; ELSE A := 0; END_IF;
END_IF;
IF X3 THEN Goal := 150; ELSE Goal := 100; END_IF;
IF A >= 3 THEN B := 1; END_IF;
Y1 := X2 AND B = 0;"""
TAGS = "Seen : R_TRIG; Goal : INT := 100;"
PLAIN = "Seen(CLK := X1);\nIF Seen.Q AND X3 THEN A := A + 1; END_IF;\nY1 := X2 AND A < 4;"


def _pieces(count: int, value: int = 101) -> Rows:
    """A pulse of 100 ms each second from 1 s on; the scale reads from 200 ms before."""
    return [row for n in range(1, count + 1) for row in ((1000 * n - 200, "N1", value + n % 2), (1000 * n, "X1", 1), (1000 * n + 100, "X1", 0))]


def _of(body: str, rows: Rows, tags: str) -> Asked:
    return asked(text_session(body, sorted([(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (0, "N1", 0), *rows], key=lambda r: r[0]), tags), "Y1")


class InARow(unittest.TestCase):
    """``Y1`` drops out when three pieces in a row are wrong."""

    def test_what_the_pulses_met_leads(self) -> None:
        found = _of(BODY, [*_pieces(20), (9500, "X3", 1)], TAGS)
        self.assertEqual(found.roots[0], ("field-input", "X3", True))
        self.assertIn(("field-input", "X1", True), found.roots)

    def test_the_scale_itself(self) -> None:
        rows = [(t, n, v if n != "N1" or t < 9500 else v + 30) for t, n, v in _pieces(20)]
        found = _of(BODY, rows, TAGS)
        self.assertEqual((found.answer.scan, [r[1] for r in found.roots][:2]), (1201, ["N1", "X1"]))

    def test_one_that_is_never_set_back_was_brought_there_by_its_pulses(self) -> None:
        found = _of(PLAIN, [*_pieces(9), (2500, "X3", 1)], "Seen : R_TRIG;")
        self.assertEqual(found.roots[0], ("field-input", "X1", True))

    def test_wrong_from_the_first_piece_on(self) -> None:
        found = _of(BODY, _pieces(9, 130), TAGS)
        self.assertEqual(found.answer.scan, 301)
        self.assertEqual(found.roots[0][:2], ("field-input", "X1"))


if __name__ == "__main__":
    unittest.main()
