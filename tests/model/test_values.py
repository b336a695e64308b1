"""Literals, times, addresses, names, shared bits, the scan clock: tables of what is read and written."""

from __future__ import annotations

import unittest

from msgspec.structs import replace

from whorlograph.engine.scope.overlap import changed, held, shared_bits
from whorlograph.model.address import parse_address
from whorlograph.model.errors import UsageError
from whorlograph.model.literals import cooked, duration, duration_text, literal, raw, value_text
from whorlograph.model.log import Clock, empty_log
from whorlograph.model.moment import ScanClock
from whorlograph.model.paths import Bit, Index, Member, parse_path
from whorlograph.model.tags import Tag
from whorlograph.model.times import clock_text, date_text, parse_time
from whorlograph.model.types import BOOL, DINT, ELEMENTARY, INT, LREAL, REAL, TIME

WORD = ELEMENTARY["WORD"]
MS, S = 1_000_000, 1_000_000_000


class Literals(unittest.TestCase):
    """IEC 61131-3:2013, 6.3."""

    def test_durations(self) -> None:
        for text, ns in (("10ms", 10 * MS), ("1s500ms", 1500 * MS), ("2m", 120 * S), ("1h30m", 5400 * S), ("-3s", -3 * S), ("0us", 0),
                         ("1.5s", 1500 * MS), ("1d", 86_400 * S), ("100us", 100_000), ("1_000ms", S)):
            with self.subTest(text):
                self.assertEqual(duration(text), ns)
        for text in ("", "10", "ms", "T#", "1 fortnight", "5x"):
            with self.subTest(text), self.assertRaises(ValueError):
                duration(text)

    def test_numbers_and_words(self) -> None:
        for text, value in (("TRUE", True), ("false", False), ("16#FF", 255), ("2#1010", 10), ("8#17", 15), ("-12", -12), ("1_000", 1000), ("2.5", 2.5),
                            ("1.0e3", 1000.0), ("INT#7", 7), ("BOOL#1", True), ("T#1s", S)):
            with self.subTest(text):
                found = literal(text)
                assert found is not None
                self.assertEqual(found[1], value)
        for text in ("Pump", "", "1.2.3", "16#GG"):
            with self.subTest(text):
                self.assertIsNone(literal(text))

    def test_durations_in_words(self) -> None:
        for ns, text in ((0, "0 s"), (9 * MS, "9 ms"), (1500 * MS, "1.5 s"), (3600 * S, "1 h"), (28_800 * S, "8 h"), (2 * S, "2 s")):
            with self.subTest(text):
                self.assertEqual(duration_text(ns), text)

    def test_values_go_into_memory_and_back(self) -> None:
        for value, type_, text in ((True, BOOL, "1"), (-7, INT, "-7"), (65535, WORD, "65535"), (0.1, REAL, "0.1"), (0.1, LREAL, "0.1"), (-0.0, LREAL, "0.0"),
                                   (5 * MS, TIME, "5000000")):
            with self.subTest(text, type=type_.name):
                bits = raw(value, type_)
                self.assertEqual(value_text(bits, type_), text)
                self.assertAlmostEqual(float(cooked(bits, type_)), float(value), 6)


class Times(unittest.TestCase):
    """What a person may write for an instant, and how instants are shown."""

    def test_on_a_dated_log(self) -> None:
        log = replace(empty_log(), origin=1_938_922_200 * S, clock=Clock.ZONED, zone=60, end=8 * 3600 * S)
        self.assertEqual((date_text(log, 0), clock_text(log, 1_234_567_891)), ("11 June 2031", "06:30:01.234"))
        for text, time in (("12.5", 12_500 * MS), ("06:30:10", 10 * S), ("14:00", 27_000 * S), ("2031-06-11T06:31:00+01:00", 60 * S),
                           ("2031-06-11T05:31:00Z", 60 * S), ("2031-06-11T06:31:00", 60 * S), ("1e1", 10 * S), ("06:30:00.000000001", 1)):
            with self.subTest(text):
                self.assertEqual(parse_time(text, log), time)

    def test_on_a_log_in_seconds(self) -> None:
        log = replace(empty_log(), origin=100 * S, end=10 * S)
        self.assertEqual((date_text(log, 0), clock_text(log, 1_999_999_999)), ("", "1.999 s"))
        self.assertEqual([parse_time(t, log) for t in ("3", "@103", "-1", ".5", "2s")], [3 * S, 3 * S, -S, S // 2, 2 * S])
        for text in ("soon", "14:00", "2031-06-11T06:31:00", "", "1e99999999", "nan"):
            with self.subTest(text), self.assertRaises(UsageError):
                parse_time(text, log)


class Places(unittest.TestCase):
    """Addresses and names."""

    def test_addresses(self) -> None:
        for text, shown, byte, element in (("%IX0.3", "%IX0.3", ("I()", 3, 1), ("I()", 3, 1)), ("%qw2", "%QW2", ("Q()", 16, 16), ("Q()", 32, 16)),
                                           ("%MD1", "%MD1", ("M()", 8, 32), ("M()", 32, 32)), ("%I0.3", "%IX0.3", ("I()", 3, 1), ("I()", 3, 1)),
                                           ("%MB7", "%MB7", ("M()", 56, 8), ("M()", 56, 8))):
            with self.subTest(text):
                found = parse_address(text)
                assert found is not None
                self.assertEqual((str(found), found.span("byte"), found.span("element")), (shown, byte, element))
        for text in ("%IZ9", "IX0.0", "%I*", "%QX", "%QX99999999.0"):
            with self.subTest(text):
                self.assertIsNone(parse_address(text))

    def test_names_of_parts(self) -> None:
        for text, base, steps in (("Pump", "Pump", ()), ("Axis.Pos", "Axis", (Member("Pos"),)), ("Word.3", "Word", (Bit(3),)), ("Word.%X3", "Word", (Bit(3),)),
                                  ("Table[3]", "Table", (Index((3,)),)), ("T[1,-2].A", "T", (Index((1, -2)), Member("A"))), ("%QX0.1", "%QX0.1", ())):
            with self.subTest(text):
                found = parse_path(text)
                assert found is not None
                self.assertEqual((found.base, found.steps), (base, steps))
        for text in ("", "3", "A[", "A..B", "A[]", "A B"):
            with self.subTest(text):
                self.assertIsNone(parse_path(text))

    def test_shared_bits(self) -> None:
        tags = [Tag(0, "W", WORD, address=parse_address("%MW0")), Tag(1, "B", BOOL, address=parse_address("%MX0.3")),
                Tag(2, "D", DINT, address=parse_address("%MD0")), Tag(3, "Far", BOOL, address=parse_address("%QX0.3"))]
        found = shared_bits(tags, "byte")
        self.assertEqual({t: sorted(s.other for s in shares) for t, shares in found.items()}, {0: [1, 2], 1: [0, 2], 2: [0, 1]})
        share = next(s for s in found[1] if s.other == 0)
        self.assertEqual([changed(1, 0, share, WORD), changed(0, 0xFF, share, WORD)], [8, 0xF7])
        back = next(s for s in found[0] if s.other == 2)
        self.assertEqual(changed(0xFFFF, 0x10000, back, DINT), 0x1FFFF)
        self.assertEqual((held(0xFFFF, INT), held(0xFFFF, WORD), held(3, BOOL)), (-1, 0xFFFF, 1))


class Clocks(unittest.TestCase):
    """Scans and times."""

    def test_stretches_of_scans_at_even_distance(self) -> None:
        clock = ScanClock([1, 4], [0, 35 * MS], [10 * MS, 20 * MS], 10)
        self.assertEqual([clock.start(s) for s in (0, 1, 3, 4, 5)], [0, 0, 20 * MS, 35 * MS, 55 * MS])
        self.assertEqual([clock.scan_at(t * MS) for t in (0, 9, 10, 34, 35, 54, 55, 9999)], [1, 1, 2, 3, 4, 4, 5, 10])
        self.assertEqual((clock.period(2), clock.period(9)), (10 * MS, 20 * MS))
        self.assertEqual((ScanClock([], [], [], 0).scan_at(5), ScanClock([], [], [], 0).start(3)), (0, 0))


if __name__ == "__main__":
    unittest.main()
