"""What stands beside a timer's contact and should take over before the time runs out: told, and true on random rungs by the plain interpreter."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import program_of, session_of
from tests.inquiry.test_everyday import asked, on
from tests.truth import Truth
from whorlograph.desk.session import Session
from whorlograph.model.parts import Ladder, Part, coil, either, nc, no, series, timer

TAGS = "X1 X2 X3 X4 X5 Y1 M1 M2"
ROWS = [(0, "X2", 1), (0, "X3", 0), (1000, "X1", 1), (1300, "X1", 0), (8000, "X3", 0)]
RUNS = 24


def random_session(random: Random) -> Session:
    """A motor that holds itself, with a time that bridges its start and random contacts beside that."""
    kind = random.choice(("TON", "TOF", "TP"))
    beside = [series(*(random.choice((no, nc))(f"X{n}") for n in random.sample((3, 4, 5), random.choice((1, 1, 2))))) for _ in range(random.choice((1, 2)))]
    memory = random.random() < 0.5

    def own() -> Part:
        at = "M1" if memory else "T1.Q"
        return nc(at) if kind == "TON" else no(at)

    def draw(ladder: Ladder) -> None:
        ladder.rung(no("Y1" if kind == "TON" else "X1"), timer(kind, "T1", "T#2s"), coil("M1"))
        ladder.rung(either(no("X1"), no("Y1")), no("X2"), either(*beside, own()), coil("Y1"))

    rows = [(0, "X2", 1)] + [(0, f"X{n}", random.randrange(2)) for n in (3, 4, 5)]
    for begin in range(1000, 31000, 6000):
        rows += [(begin, "X1", 1), (begin + random.choice((100, 400)), "X1", 0), (begin + 5000, "X2", 0), (begin + 5300, "X2", 1)]
        rows += [(begin + random.randrange(100, 5900, 50), f"X{random.choice((3, 4, 5))}", random.randrange(2)) for _ in range(random.randrange(5))]
    return session_of(program_of(draw, TAGS, f"T1:{kind}"), sorted(rows), 31000)


class WouldHaveKept(unittest.TestCase):
    """In ladder, through a memory too; what is no such thing; random ones."""

    def test_a_memory_of_the_timer(self) -> None:
        for kind, first, contact in (("TON", "Y1", nc), ("TOF", "X1", no), ("TP", "X1", no)):
            def draw(ladder: Ladder, kind: str = kind, first: str = first, contact: object = contact) -> None:
                ladder.rung(no(first), timer(kind, "T1", "T#3s"), coil("M1"))
                ladder.rung(no("M1"), coil("M2"))
                ladder.rung(either(no("X1"), no("Y1")), no("X2"), either(no("X3"), nc("M2") if contact is nc else no("M2")), coil("Y1"))

            with self.subTest(kind=kind):
                found = on(draw, TAGS, ROWS, "Y1", blocks=f"T1:{kind}")
                self.assertEqual(found.roots[0], ("field-input", "X3", True), found.text)
                self.assertIn("would have taken over when T1 ran out, and has not come", found.text)

    def test_another_way_beside_the_whole_is_none(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("Y1"), timer("TON", "T1", "T#3s"), coil("M1"))
            ladder.rung(either(series(either(no("X1"), no("Y1")), no("X2"), nc("M1")), series(no("X3"), no("X5"))), coil("Y1"))

        found = on(draw, TAGS, [*ROWS, (8100, "X5", 1)], "Y1", blocks="T1:TON")
        self.assertNotIn("taken over", found.text)

    def test_random_ones_are_true(self) -> None:
        told = 0
        for seed in range(RUNS):
            session = random_session(Random(seed))
            found = asked(session, "Y1")
            truth = Truth(session)
            self.assertEqual([truth.wrong_link(link) for _, link in found.answer.links()], ["" for _ in found.answer.links()], found.text)
            for root in found.answer.roots:
                if "taken over when" in root.text or "took over when" in root.text:
                    told += 1
                    with self.subTest(seed=seed, text=root.text):
                        self.assertTrue(root.proved, found.text)
                        self.assertTrue(truth.proves(found.answer, root), found.text)
        self.assertGreater(told, RUNS // 4)


if __name__ == "__main__":
    unittest.main()
