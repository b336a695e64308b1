"""Two coils that lock each other out and share what starts them: what started the one was no attempt at the other."""

from __future__ import annotations

import unittest
from random import Random

from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.model.question import Symptom

# X1 and X2 choose the direction, a delay common to both starts it; the contactors lock each other out.
HOIST = "T1(IN := X3 AND (X1 OR X2), PT := T#{}ms);\nY1 := T1.Q AND X1 AND NOT Y2;\nY2 := T1.Q AND X2 AND NOT Y1;"


def _asked(rows: list[tuple[int, str, int]], delay: int = 100, body: str = HOIST) -> Asked:
    start = [(0, name, 0) for name in ("X1", "X2", "X3") if all(row[:2] != (0, name) for row in rows)]
    last = max(row[0] for row in rows)
    return asked(text_session(body.format(delay), sorted([*start, *rows, (last + 500, "N1", 1)], key=lambda r: r[0]), "T1 : TON;"), "Y1",
                 symptom=Symptom.WILL_NOT_PULL_IN)


def ride_at(time: int) -> list[tuple[int, str, int]]:
    """A start, the brake's report, and both ended."""
    return [(time, "X1", 1), (time + 100, "X2", 1), (time + 2000, "X1", 0), (time + 2050, "X2", 0)]


class EitherOfTwo(unittest.TestCase):
    """A hoist that went up and down; at the end up is off."""

    UP_THEN_DOWN = ((0, "X3", 1), (1000, "X1", 1), (2000, "X1", 0), (3000, "X2", 1), (4000, "X2", 0), (5000, "X2", 1), (6000, "X2", 0))

    def test_rides_down_are_no_attempts_to_go_up(self) -> None:
        found = _asked([*self.UP_THEN_DOWN])
        self.assertIn("Y1 was never tried: no command of its rungs came while it was off; an attempt would be X1", found.text)

    def test_up_in_vain_is_one(self) -> None:
        found = _asked([*self.UP_THEN_DOWN, (6500, "X3", 0), (7000, "X1", 1), (7200, "X1", 0), (8000, "X1", 1)])
        self.assertIn("2 attempts, the last at 8.000 s: X1, which still stands", found.text)
        self.assertEqual(found.roots[0][1:], ("X3", True))

    def test_sealed_coils_that_share_their_start(self) -> None:
        body = "T1(IN := NOT X3, PT := T#{}ms);\nY1 := X1 AND (T1.Q OR Y1) AND NOT Y2;\nY2 := X2 AND (T1.Q OR Y2) AND NOT Y1;"
        down = [(0, "X3", 1), *((1000 + t, n, v) for t, n, v in ((0, "X1", 1), (200, "X3", 0), (900, "X3", 1), (950, "X1", 0),
                                                                 (1500, "X2", 1), (1700, "X3", 0), (2500, "X3", 1), (2600, "X2", 0)))]
        self.assertIn("Y1 was never tried", _asked(down, body=body).text)
        found = _asked([*down, (5000, "X1", 1)], body=body)
        self.assertIn("tried once, at 5.000 s: X1, which still stands", found.text)
        self.assertEqual(found.roots[0][1:], ("X3", True))

    def test_latches_that_share_their_start(self) -> None:
        body = ("T1(IN := X3 AND (X1 OR X2), PT := T#{}ms);\nIF T1.Q AND X1 AND NOT Y2 THEN Y1 := TRUE; END_IF;\nIF T1.Q AND X2 AND NOT Y1 THEN Y2 := TRUE; END_IF;\n"
                "IF NOT X1 THEN Y1 := FALSE; END_IF;\nIF NOT X2 THEN Y2 := FALSE; END_IF;")
        self.assertIn("Y1 was never tried", _asked([*self.UP_THEN_DOWN], body=body).text)
        found = _asked([*self.UP_THEN_DOWN, (6500, "X3", 0), (7000, "X1", 1)], body=body)
        self.assertIn("tried once, at 7.000 s: X1, which still stands", found.text)

    def test_a_direction_that_a_flag_chooses(self) -> None:
        """The brake's report starts either; what it started the other with was no attempt at this one, whatever stands in its way by now."""
        body = ("IF X1 AND NOT (A > 800) THEN Run := TRUE; END_IF;\nIF NOT X1 THEN Run := FALSE; END_IF;\nIF X3 THEN Back := TRUE; ELSIF Run THEN Back := Back; "
                "ELSE Back := FALSE; END_IF;\nY1 := Run AND X2 AND NOT Back;\nY2 := Run AND X2 AND Back;\nA := N1;")
        rows = [row for at, way in ((1000, 0), (5000, 1), (9000, 1)) for row in ((at - 200, "X3", way), *ride_at(at))]
        tail = [(13_000, "X3", 0), (13_500, "N1", 900), (14_000, "X1", 1)]
        session = text_session(body, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (0, "N1", 100), *rows, *tail, (20_000, "N1", 900)], "Run, Back : BOOL;")
        found = asked(session, "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("was never tried", found.text)
        self.assertIn("N1", [r[1] for r in found.roots][:2], found.text)
        self.assertNotIn("Back blocks", found.text)
        chosen = asked(text_session(body.replace("Run AND X2 AND NOT Back", "Run AND X2 AND NOT X3").replace("Run AND X2 AND Back", "Run AND X2 AND X3"),
                                    [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (0, "N1", 100), *rows], "Run, Back : BOOL;"), "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("the last at 9.100 s", chosen.text, "a switch chooses: it may be what is wrong")
        self.assertEqual(chosen.roots[0][1:], ("X3", True))
        held = text_session(body, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (0, "N1", 100), (1000, "X3", 0), *ride_at(2000), (6000, "X3", 1), *ride_at(7000)[:-2],
                                   (12_000, "N1", 100)], "Run, Back : BOOL;")
        self.assertIn("tried once", asked(held, "Y1", symptom=Symptom.WILL_NOT_PULL_IN).text, "it still stands")

    def test_counted_again_from_random_logs(self) -> None:
        tried = 0
        for seed in range(40):
            chance = Random(seed)
            rows, time = [(0, "X3", 1), (100, "X1", 1), (900, "X1", 0), (1000, "X2", 1), (1900, "X2", 0)], 2000
            state = {"X1": 0, "X2": 0, "X3": 1}
            for _ in range(chance.randint(1, 25)):
                time += 10 * chance.randint(3, 60)
                name = chance.choice(("X1", "X2", "X2", "X3"))
                state[name] ^= 1
                rows.append((time, name, state[name]))
            found = _asked(rows)
            journal = found.session.journal
            numbers = {t.name: t.index for t in found.session.running.tags}
            up, wanted = ([bool(journal.settled(numbers[name], scan)) for scan in range(journal.clock.last + 1)] for name in ("Y1", "X1"))
            if up[-1]:
                continue
            off = max((n for n in range(1, len(up)) if up[n - 1] and not up[n]), default=0)
            came = [n for n in range(off + 1, len(up)) if wanted[n] and not wanted[n - 1]]
            tried += len(came)
            with self.subTest(seed=seed):
                self.assertEqual(len(found.answer.attempts), len(came), found.text)
        self.assertGreater(tried, 20)


if __name__ == "__main__":
    unittest.main()
