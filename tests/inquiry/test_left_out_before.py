"""What opened had opened before too, each time while the rung was jumped over: that it runs now is told, and what lets it."""

from __future__ import annotations

import unittest

from tests.building import Rows, program_of, session_of
from tests.inquiry.test_everyday import Asked, asked
from whorlograph.model.parts import Ladder, coil, jump, no
from whorlograph.model.question import LinkKind


def _asked(rows: Rows) -> Asked:
    """``Y1 := X1 AND X2``, jumped over while X3 is on."""
    def draw(p: Ladder) -> None:
        p.rung(no("X3"), jump("End"))
        p.rung(no("X1"), no("X2"), coil("Y1"))
        p.label("End")
        p.rung(no("X1"), coil("Y2"))
    start: Rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0)]
    return asked(session_of(program_of(draw, "X1 X2 X3 Y1 Y2 N1"), [*start, *rows]), "Y1")


def _falls(*times: int) -> list[tuple[int, str, int]]:
    return [row for t in times for row in ((t, "X2", 0), (t + 500, "X2", 1))]


class LeftOutBefore(unittest.TestCase):
    """X2 falls again and again; X3 keeps the rung from seeing it, until it does not."""

    def said(self, found: Asked) -> list[str]:
        return [link.text for _, link in found.answer.links() if link.kind is LinkKind.RESUMED]

    def test_what_lets_it_run_is_the_second_thing_to_look_at(self) -> None:
        found = _asked([(1000, "X3", 1), *_falls(2000, 4000, 6000), (7000, "X3", 0), (9000, "X2", 0), (9900, "X1", 1)])
        self.assertEqual([r[1:3] for r in found.roots], [("X2", True), ("X3", True)])
        self.assertEqual(self.said(found), ["Main 2 runs since 7.000 s; X2 went off 3 times before while it did not"])

    def test_not_where_it_ran_once_or_fell_once(self) -> None:
        for rows in ([*_falls(500), (1100, "X3", 1), *_falls(2000, 4000), (7000, "X3", 0), (9000, "X2", 0), (9900, "X1", 1)],
                     [(1000, "X3", 1), *_falls(2000), (7000, "X3", 0), (9000, "X2", 0), (9900, "X1", 1)],
                     [*_falls(2000, 4000, 6000), (9000, "X2", 0), (9900, "X1", 1)]):
            self.assertEqual(self.said(_asked(rows)), [])

    def test_what_lets_it_run_leads_of_what_came_on(self) -> None:
        rises = [row for t in (2000, 4000, 6000) for row in ((t, "X2", 1), (t + 500, "X2", 0))]
        rows: list[tuple[int, str, int]] = [(0, "X2", 0), (0, "X3", 1), *rises, (7000, "X3", 0), (9000, "X2", 1), (9900, "N1", 1)]
        found = _asked(rows)
        self.assertEqual([r[1:3] for r in found.roots[:2]], [("X3", True), ("X2", True)], found.text)
        self.assertEqual(self.said(found), ["Main 2 runs since 7.000 s; X2 went on 3 times before while it did not"])
        came_since = [*rows[:-2], (8000, "X2", 1), (8200, "X2", 0), *rows[-2:]]
        self.assertEqual(self.said(_asked(came_since)), [])


if __name__ == "__main__":
    unittest.main()
