"""The ways through a body with jumps and returns, held against all its runs, each decision taken either way."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import program_of, session_of
from tests.inquiry.test_findings import of
from tests.texts import text_session
from whorlograph.desk.session import Session
from whorlograph.model.parts import Ladder, coil, jump, leave, no

Item = tuple[str, int, bool]  # coil, jump or return; the output or the item jumped to; whether it has a condition


def _random_items(random: Random) -> list[Item]:
    count, items = random.randrange(2, 11), []
    for n in range(count):
        what = random.choice(("coil", "coil", "jump", "return"))
        items.append((what, random.randrange(2) if what == "coil" else random.randrange(n + 1, count + 1), random.random() < 0.6))
    return items


def _session(items: list[Item]) -> Session:
    def draw(ladder: Ladder) -> None:
        for n, (what, to, decided) in enumerate([*items, ("coil", 9, True)]):
            ladder.label(f"L{n}")
            end = coil(f"Y{to}") if what == "coil" else jump(f"L{to}") if what == "jump" else leave()
            ladder.rung(*([no(f"X{n}")] if decided else []), end)

    return session_of(program_of(draw, " ".join([*(f"X{n}" for n in range(len(items) + 1)), "Y0", "Y1", *(f"Y{n}" for n in range(2, 10))])),
                      [(0, "X0", 0), (1000, "X0", 0)])


def _runs(items: list[Item]) -> list[tuple[list[int], set[int]]]:
    """Of every run of a body: the items that run, in order, and the jumps and returns that are taken."""
    found: list[tuple[list[int], set[int]]] = []

    def go(n: int, ran: list[int], taken: set[int]) -> None:
        if n > len(items):
            found.append((ran, taken))
            return
        what, to, decided = items[n] if n < len(items) else ("coil", 9, True)
        if what == "coil" or decided:
            go(n + 1, [*ran, n], taken)
        if what != "coil":
            go(to if what == "jump" else len(items) + 1, [*ran, n], {*taken, n})

    go(0, [], set())
    return found


class Ways(unittest.TestCase):
    """Double coils and areas that are left out, on random bodies."""

    def test_what_may_run_together_and_what_keeps_its_state(self) -> None:
        double = stays = neither = 0
        for seed in range(100):
            items = _random_items(Random(seed))
            session, runs = _session(items), _runs(items)
            for output in (0, 1):
                mine = {n for n, (what, to, _) in enumerate(items) if what == "coil" and to == output}
                together = any(len(mine & set(ran)) > 1 for ran, _ in runs)
                told = [f for f in of(session, "double-coil") if f" Main.Y{output} " in f" {f.text} " or f.text.startswith(f"Y{output} ")]
                self.assertEqual(bool(told), together, (seed, items, output))
                double, neither = double + together, neither + (len(mine) > 1 and not together)
            said = {f.rung - 1 for f in of(session, "skipped-area") if "outputs" in f.text}
            for n, (what, to, _) in enumerate(items):
                over = range(n + 1, to if what == "jump" else len(items) + 1) if what != "coil" else range(0)
                left = {items[k][1] if k < len(items) else 9 for k in over if k == len(items) or items[k][0] == "coil"}
                kept = any(n in taken and not any(items[k][:2] == ("coil", y) if k < len(items) else y == 9 for k in ran)
                           for ran, taken in runs for y in left)
                self.assertEqual(n in said, kept, (seed, items, n))
                stays += kept
        self.assertGreater(min(double, stays, neither), 10, (double, stays, neither))

    def test_alternatives_of_an_instruction_list(self) -> None:
        body = "LD N1\nGE 3\nJMPC Full\nLD FALSE\nST Y1\nRET\nFull: LD TRUE\nST Y1"
        session = text_session(body, [(0, "X1", 0)])
        self.assertEqual([of(session, key) for key in ("double-coil", "skipped-area")], [[], []])
        self.assertNotIn("result_", " ".join(f.text for f in of(session, "never-read")), "nobody declared it")


if __name__ == "__main__":
    unittest.main()
