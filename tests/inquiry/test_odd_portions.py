"""What was unusual in a log with more drop-outs than are explained in a short while."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import program_with, session_of
from whorlograph.desk.asking import inquiry
from whorlograph.desk.question_pages import asking_page
from whorlograph.desk.session import Session
from whorlograph.inquiry.odd import OddOnes, left_text, looked_text, odd_ones
from whorlograph.inquiry.portions import CAPS, FAIR, portions
from whorlograph.inquiry.usual import MOST, drops
from whorlograph.plant.written import body_of


class Portions(unittest.TestCase):
    """How many of each tag are compared."""

    def test_of_any_tags(self) -> None:
        for seed in range(400):
            random = Random(seed)
            counts = {tag: random.choice((0, 1, 4, 30, 700, 5000)) for tag in range(random.choice((0, 1, 3, 40)))}
            outputs = {tag for tag in counts if random.random() < 0.4}
            most, free = random.choice((0, 7, 300, 2000, 10**9)), {tag for tag in counts if random.random() < 0.1}
            found, without = portions(counts, outputs, most, free.__contains__)
            with self.subTest(seed=seed):
                self.assertLessEqual(sum(found.values()), most)
                self.assertFalse(free & set(found))
                self.assertEqual({tag for tag in counts if counts[tag]}, set(found) | set(without) | {tag for tag in free if counts[tag]})
                self.assertTrue(all(0 < n <= min(MOST, counts[tag]) for tag, n in found.items()))
                cap = max(found.values(), default=0)
                self.assertTrue(all(n == min(counts[tag], cap) for tag, n in found.items()), "each as many as the others, or all of its own")
                if most >= 10**9:
                    self.assertEqual(found, {tag: min(MOST, n) for tag, n in counts.items() if n and tag not in free})

    def test_outputs_come_first(self) -> None:
        counts = {**dict.fromkeys(range(100), 1000), **dict.fromkeys(range(100, 104), 80)}
        found, without = portions(counts, set(range(100, 104)), 330, lambda tag: False)
        self.assertEqual((len(found), len(without)), (6, 98))
        self.assertEqual({found[tag] for tag in range(100, 104)}, {FAIR})
        self.assertTrue(set(found.values()) <= set(CAPS))


class Odd(unittest.TestCase):
    """A fan that its float stops, but for one time; a lamp beside it, and what feeds both."""

    def session(self) -> Session:
        rows = [(0, "X2", 1)]
        for n in range(60):
            rows += [(1000 * n + 100, "X1", 1), *(((1000 * n + 500, "X2", 0), (1000 * n + 520, "X2", 1)) if n == 55 else ()), (1000 * n + 700, "X1", 0)]
        return session_of(program_with({"Main": body_of("X1 X2 (M1)", "M1 (Y1)", "M1 X2 (Y2)")}, "X1 X2 Y1 Y2 M1"), rows)

    def last(self, most: tuple[int, ...]) -> OddOnes:
        *_, found = odd_ones(inquiry(self.session()).tracer, most=most)
        return found

    def test_what_is_left_is_said(self) -> None:
        found = self.last((50,))
        self.assertEqual((found.looked, found.of, found.tags, found.left), (40, 183, 2, 1))
        self.assertTrue(found.more)
        self.assertEqual(looked_text(found), "40 of 183 drop-outs compared")
        self.assertEqual(left_text(found), "the last ones of 2 tags, outputs first; none of 1 other tag")
        self.assertTrue(found.events and all(d.text.startswith("once in the last 20; 19 of the last 20 times ") for e in found.events for d in e.drops))

    def test_then_more_is_the_same_as_all_at_once(self) -> None:
        more, whole = self.last((50, 10_000)), self.last((10_000,))
        self.assertEqual((more.looked, more.of, more.left), (whole.of, whole.of, 0))
        self.assertEqual((left_text(more), more.more), ("", False))
        self.assertEqual([(e.root.key, e.root.since, e.drops) for e in more.events], [(e.root.key, e.root.since, e.drops) for e in whole.events])
        self.assertTrue(all(d.text.startswith("only this time; ") for e in whole.events for d in e.drops))

    def test_while_it_is_under_way_nothing_is_said_of_what_is_left(self) -> None:
        for found in odd_ones(inquiry(self.session()).tracer, most=(50, 10_000)):
            self.assertEqual(left_text(found) == "", found.looked < found.chosen or found.looked == found.of)

    def test_the_list_of_drop_outs_knows_that_there_were_earlier_ones(self) -> None:
        session = self.session()
        tag, scan = session.tag("Y1"), session.journal.clock.last
        for most, word in ((20, "once in 20"), (MOST, "only this time")):
            session.drops[tag] = drops(inquiry(session).tracer, tag, most=most)
            page = asking_page(session, scan, 100, 0, tag)
            self.assertEqual(sum(word in "".join(text for text, _ in line.runs) for line in page.lines), 1)

    def test_nothing_is_lost_of_a_few(self) -> None:
        session = self.session()
        tracer, tag = inquiry(session).tracer, session.tag("Y1")
        every = drops(tracer, tag)
        few = drops(tracer, tag, most=7, known=every[-3:])
        self.assertEqual([d.scan for d in few], [d.scan for d in every[-7:]])
        self.assertEqual([d.signature for d in few], [d.signature for d in every[-7:]])


if __name__ == "__main__":
    unittest.main()
