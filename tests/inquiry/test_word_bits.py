"""A word that is an input, looked at bit by bit: the bit is the root, and is tried by itself while the others go on as they were recorded."""

from __future__ import annotations

import json
import re
import unittest
from collections.abc import Callable
from random import Random
from unittest.mock import patch

import numpy as np

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.desk.words import answer_json
from whorlograph.engine.feed import Hold, Trial
from whorlograph.inquiry.pulses import Stays, bit_stays
from whorlograph.inquiry.trials import bits
from whorlograph.model.question import Symptom

TAGS = "Stat AT %IW8 : WORD; Num AT %IW10 : INT; On : BOOL;"
BY_NAME = "Y1 := Stat.0 AND NOT Stat.7 AND X1;"
BY_MASK = "Y1 := (Stat AND 16#0001) <> 0 AND (Stat AND 16#80) = 0 AND X1;"


def _of(body: str, rows: Rows, symptom: Symptom | None = None, at: str | None = None) -> Asked:
    return asked(text_session(body, sorted([(0, "X1", 1), *rows], key=lambda r: r[0]), TAGS), "Y1", at, symptom)


class Words(unittest.TestCase):
    """``Stat`` is a status word: bit 0 ready, bit 7 fault, bit 3 toggles all the time."""

    ROWS: Rows = [(t, "Main.Stat", (1 if t < 4000 or t >= 6000 else 0) | (t // 500 % 2) << 3) for t in range(0, 8000, 500)]

    def test_the_bit_that_dropped_it(self) -> None:
        for body in (BY_NAME, BY_MASK):
            with self.subTest(body=body):
                found = _of(body, self.ROWS, Symptom.DROPPED_OUT, "5")
                root = found.answer.roots[0]
                self.assertEqual((found.roots[0], root.bit, root.since), (("field-input", "Main.Stat", True), 0, 4_000_000_000))
                self.assertIn("bit 0 of Main.Stat off since 4.000 s", root.text)
                self.assertIn("%IW8), its bit 0", root.what_to_check)
                self.assertIn("with bit 0 of Main.Stat held on, Y1 stays on", root.proof)
                assert root.trial is not None
                values = {hold.value for hold in root.trial.holds}
                self.assertTrue(values <= {1, 9} and len(values) == 2, "bit 3 goes on as it was recorded")
                told = json.loads(answer_json(found.session, found.answer))["roots"][0]
                self.assertEqual((told["tag"], told["value"], told["address"]), ("Main.Stat", 0, "%IW8"))

    def test_a_bit_that_should_be_off(self) -> None:
        rows = [(t, "Main.Stat", 0x81 if t >= 3000 else 1) for t in (0, 1000, 3000)]
        for body in (BY_NAME, BY_MASK):
            found = _of(body, [*rows, (5000, "X3", 0)])
            self.assertEqual((found.roots[0], found.answer.roots[0].bit), (("field-input", "Main.Stat", True), 7))

    def test_two_bits_of_one_word_are_two_roots(self) -> None:
        found = _of("Y1 := Stat.0 AND Stat.4 AND X1;", [(0, "Main.Stat", 8), (1000, "X1", 0), (2000, "X1", 1), (5000, "X3", 0)], Symptom.WILL_NOT_PULL_IN)
        self.assertEqual([(r.bit, r.proved, r.blocked) for r in found.answer.roots][:2], [(0, True, 1), (4, True, 1)])
        self.assertIn("together", found.answer.roots[0].proof)

    def test_the_sign_bit(self) -> None:
        found = _of("Y1 := X1 AND NOT Num.15;", [(0, "Main.Num", 5), (2000, "Main.Num", -5), (4000, "X3", 0)])
        self.assertEqual((found.roots[0], found.answer.roots[0].bit), (("field-input", "Main.Num", True), 15))
        assert found.answer.roots[0].trial is not None
        self.assertEqual(found.answer.roots[0].trial.holds[0].value, -5 & 0x7FFF)

    def test_stretches_of_a_bit(self) -> None:
        for seed in range(40):
            chance = Random(seed)
            count, bit = chance.choice((0, 1, 2, 40)), chance.randint(0, 15)
            lengths = [chance.randint(1, 9) for _ in range(count)]
            values = [chance.getrandbits(16) - (1 << 15) for _ in range(count)]
            starts = [sum(lengths[:i]) for i in range(count)]
            whole = Stays(np.array(starts, np.int64), np.array(lengths, np.int64), np.array(values, np.int64), np.array([i < count - 1 for i in range(count)], np.bool_))
            found = bit_stays(whole, bit)
            told = [(s.value, t) for s in found for t in range(s.start, s.start + s.length)]
            self.assertEqual(told, [(v >> bit & 1, t) for v, s, n in zip(values, starts, lengths, strict=True) for t in range(s, s + n)])
            self.assertTrue(all(a.value != b.value for a, b in zip(found, list(found)[1:], strict=False)))
            self.assertEqual([s.ended for s in found], [True] * (len(found) - 1) + [False] * bool(count))

    def test_a_held_bit_leaves_the_others_as_recorded(self) -> None:
        """A word that never stands still, in the replay itself, across the most rows that are rewritten: behind them it is let go."""
        for changes in (0, 1, 39, 40, 41, 400):
            chance = Random(changes)
            rows = [(10 * (n + 1), "Main.Stat", chance.getrandbits(16) & ~8) for n in range(changes)]
            session = text_session("Y1 := Stat.3;", [(0, "Main.Stat", 0), *rows, (10 * (changes + 9), "X1", 1)], TAGS)
            tag = session.tag("Main.Stat")
            for until in (None, 20_000_000 * changes // 3 + 1_000_000):
                with patch.object(bits, "MOST_ROWS", 40):
                    trial = bits.of_bits([(3, Trial((Hold(tag, 1, 15_000_000, until),)))], session.log, session.running.tags[tag])
                journal = session.controller.replay(session.log, trial)
                inside = [t * 1_000_000 for t, _, _ in rows if t > 15 and (until is None or t * 1_000_000 < until)]
                last = min(until or 1 << 62, inside[40] if len(inside) > 40 else 1 << 62)
                for scan in range(1, journal.clock.last + 1):
                    at = journal.clock.start(scan)
                    recorded = next((v for t, _, v in reversed(rows) if t * 1_000_000 <= at), 0)
                    self.assertEqual(journal.settled(tag, scan), recorded | (8 if 15_000_000 <= at < last else 0), (changes, until, scan))


class PartsTold(unittest.TestCase):
    """A part of a word is told by the name it has in the text, not as the shifts that it is computed by."""

    def test_read_and_written(self) -> None:
        rows: Rows = [(0, "N1", 9), (0, "X1", 1), (500, "N1", 1), (900, "X1", 1)]
        found = asked(text_session("W.%B1 := INT_TO_BYTE(N1); L.%W2 := W; Y1 := W.%B1 > 3 AND L.%D1 <> 0;", rows), "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertIn("W.%B1 > 3 does not hold", found.text)
        self.assertIn("W was written by W.%B1 := INT_TO_BYTE(N1) in", found.text)
        self.assertNotIn("SH", found.text)
        self.assertEqual(found.roots[0][:2], ("field-input", "N1"))
        found = asked(text_session("L.%W2 := N1; Y1 := L.%D1 < 3;", rows), "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("L was written by L.%W2 := N1 in", found.text)
        self.assertIn("L.%D1 < 3 holds", found.text)


class Decided(unittest.TestCase):
    """A word made of parts of others, shifted, masked and joined: the bits that are named decide the one that is looked at."""

    def test_with_all_that_are_named_turned_the_bit_turns(self) -> None:
        """Worked out here from the words' values alone: 16 bits, each word once."""
        named, fixed = 0, 0
        for seed in range(80):
            random = Random(seed)
            words = {name: random.getrandbits(16) for name in ("P1", "P2", "P3", "P4")}
            text, count = _value(random, [*words], 2)
            bit = random.randrange(16)
            body = "".join(f"{name} := WORD#{value};\n" for name, value in words.items()) + f"W := ({text}) OR SHL(WORD#0, 1);\nY1 := W.{bit};"
            session = text_session(body, [(0, "X1", 0), (100, "X1", 1)], "P1, P2, P3, P4 : WORD;")
            on = bool(count(words) >> bit & 1)
            found = asked(session, "Y1", symptom=Symptom.WILL_NOT_DROP_OUT if on else Symptom.WILL_NOT_PULL_IN)
            said = next((line for line in found.text.splitlines() if line.startswith("W was written")), "")
            self.assertIn(f"; its bit {bit} is {'on' if on else 'off'}", said, (seed, text))
            told = re.findall(r"bit (\d+) of Main\.(P\d)", said)
            turned = {name: value ^ sum(1 << int(b) for b, n in told if n == name) for name, value in words.items()}
            self.assertEqual(bool(count(turned) >> bit & 1) != on, bool(told), (seed, text, bit, said))
            named, fixed = named + bool(told), fixed + (not told)
        self.assertGreater(min(named, fixed), 15, (named, fixed))

    def test_a_part_leads_to_its_own_bit(self) -> None:
        session = text_session("W.0 := X1;\nW.5 := X2;\nD1.%W1 := W;\nB1 := D1.%B2;\nY1 := B1.5;", [(0, "X1", 1), (0, "X2", 1), (3000, "X2", 0), (5000, "X1", 0)],
                               "D1 : DWORD; B1 : BYTE;")
        found = asked(session, "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)


class WantedBits(unittest.TestCase):
    """A word that is compared through a mask: each bit that is otherwise is told, and they are the roots."""

    def test_each_bit_that_lacks(self) -> None:
        random, told = Random(27), set[int]()
        for _ in range(70):
            mask, values = random.randrange(1, 8), [random.randrange(2) for _ in range(3)]
            wanted = random.randrange(8) & mask
            lacking = {n for n in range(3) if mask >> n & 1 and values[n] != wanted >> n & 1}
            body = f"W.0 := X1; W.1 := X2; W.2 := X3; Y1 := (W AND 16#{mask:X}) = 16#{wanted:X};"
            rows: Rows = [(0, f"X{n + 1}", value) for n, value in enumerate(values)]
            found = asked(text_session(body, [*rows, (2000, "X1", values[0])], "W : WORD;"), "Y1")
            self.assertEqual(found.answer.symptom is Symptom.WILL_NOT_PULL_IN, bool(lacking))
            if lacking:
                self.assertEqual({name for _, name, _ in found.roots}, {f"X{n + 1}" for n in lacking}, (body, values, found.text))
                self.assertTrue(all(proved for _, _, proved in found.roots), (body, values, found.text))
                off = sorted(n for n in lacking if wanted >> n & 1)
                said = f"its bits {' and '.join(map(str, off))} are off" if len(off) > 1 else f"its bit {off[0]} is off" if off else " on"
                self.assertIn(said, found.text)
                told.add(len(lacking))
        self.assertEqual(told, {1, 2, 3})


class RoundAndRound(unittest.TestCase):
    """A running light: a word that one write turns round in each scan."""

    def test_it_is_told_once(self) -> None:
        for body, local, alone in (("Ring := ROL(Ring, 1); Y1 := Ring.3;", "Ring : WORD := 16#00FF;", True), ("Ring := ROR(Ring, 3); Y1 := Ring.3;", "Ring : WORD := 16#00FF;", True),
                                   ("IF X1 THEN Ring := ROL(Ring, 1); END_IF; Y1 := Ring.3;", "Ring : WORD := 16#00FF;", False),
                                   ("Ring := ROL(Ring, 1); IF X2 THEN Ring.2 := FALSE; END_IF; Y1 := Ring.3;", "Ring : WORD := 16#00FF;", False)):
            with self.subTest(body=body):
                found = asked(text_session(body, [(0, "X1", 1), (1000, "X1", 0), (3000, "X1", 1), (3200, "X1", 0)], local), "Y1", "0.9", Symptom.DROPPED_OUT)
                self.assertEqual("alone writes it, and moves it on" in found.text, alone, found.text)
                self.assertEqual(len(list(found.answer.links())) <= 2, alone, found.text)


def _value(random: Random, words: list[str], depth: int) -> tuple[str, Callable[[dict[str, int]], int]]:
    """An expression of 16 bits as text and as a function of the words; each word stands in it once at the most."""
    kind = random.random()
    if depth == 0 or not words or kind < 0.1:
        if words and random.random() < 0.8:
            name = words.pop(random.randrange(len(words)))
            return name, lambda w: w[name]
        mask = random.getrandbits(16)
        return f"WORD#{mask}", lambda w: mask
    one, first = _value(random, words, depth - 1)
    if kind < 0.25:
        return f"NOT ({one})", lambda w: ~first(w) & 0xFFFF
    if kind < 0.5:
        by = random.randint(0, 15)
        left = random.random() < 0.5
        return f"{'SHL' if left else 'SHR'}({one}, {by})", lambda w: first(w) << by & 0xFFFF if left else first(w) >> by
    other, second = _value(random, words, depth - 1)
    if kind < 0.75:
        return f"({one} AND {other})", lambda w: first(w) & second(w)
    return f"({one} OR {other})", lambda w: first(w) | second(w)


if __name__ == "__main__":
    unittest.main()
