"""What a block in a branch that is not taken would give, against the plain interpreter on a log in which the branch is taken in that scan."""

from __future__ import annotations

import os
import unittest
from random import Random

from tests.building import log_of
from tests.texts import settled, text_program
from whorlograph.engine.controller import Controller
from whorlograph.inquiry.writers import Writers
from whorlograph.model.profile import Profile

CALLS = {
    "TON": "B1(IN := X2, PT := T#50ms); Y1 := B1.Q;", "TOF": "B1(IN := X2, PT := T#50ms); Y1 := B1.Q;", "TP": "B1(IN := X2, PT := T#50ms); Y1 := B1.Q;",
    "SR": "B1(S1 := X2, R := X3); Y1 := B1.Q1;", "RS": "B1(S := X2, R1 := X3); Y1 := B1.Q1;",
    "R_TRIG": "B1(CLK := X2); Y1 := B1.Q;", "F_TRIG": "B1(CLK := X2); Y1 := B1.Q;",
    "CTU": "B1(CU := X2, R := X3, PV := 2); Y1 := B1.Q;", "CTD": "B1(CD := X2, LD := X3, PV := 2); Y1 := B1.Q;",
    "CTUD": "B1(CU := X2, CD := NOT X2, R := X3, PV := 2); Y1 := B1.QU;",
}
SCAN = 10


def _rows(random: Random) -> list[tuple[int, str, int]]:
    """X1 lets the block run, off at the end; a change of an input every few scans."""
    rows = [(0, n, random.randint(0, 1)) for n in ("X1", "X2", "X3")]
    time = 0
    for _ in range(random.randint(3, 14)):
        time += random.randint(1, 5) * SCAN
        rows.append((time, random.choice(("X1", "X2", "X2", "X3")), random.randint(0, 1)))
    return [*rows, (time + SCAN, "X1", 0), (time + random.randint(2, 8) * SCAN, random.choice(("X2", "X3")), random.randint(0, 1))]


class Supposed(unittest.TestCase):
    def test_as_the_plain_interpreter_has_it(self) -> None:
        told = both = 0
        for seed in range(int(os.environ.get("WHORLOGRAPH_CASES", "180"))):
            random = Random(seed)
            kind, rows = random.choice(list(CALLS)), _rows(random)
            # Behind a branch of a branch, and with what is handed on before.
            body = random.choice(("IF X1 THEN {} END_IF;", "IF X1 THEN A := A + 1; IF A > 3 THEN Y2 := X2; END_IF; {} END_IF;"))
            program = text_program(body.format(CALLS[kind]), f"B1 : {kind};")
            end = rows[-1][0] + random.randint(0, 6) * SCAN
            controller = Controller(program, Profile(scan_time=SCAN * 1_000_000))
            journal = controller.replay(log_of(controller, rows, end))
            scan = journal.clock.last
            written = Writers(controller)
            step, at = next((w.step, w.at) for w in written.by_tag[controller.running.by_name["y1"]])
            would = controller.again().seen(journal, step, scan).result.would.get(at)
            plain = Controller(program, Profile(scan_time=SCAN * 1_000_000), plain=True)
            taken = plain.replay(log_of(plain, [*rows, ((scan - 1) * SCAN, "X1", 1)], end))
            with self.subTest(seed=seed, kind=kind):
                told += would is not None
                both += bool(would)
                if would is not None:
                    self.assertEqual(would, settled(plain, taken, "Y1", scan))
        self.assertGreater(told, 100)
        self.assertGreater(both, 20)


if __name__ == "__main__":
    unittest.main()
