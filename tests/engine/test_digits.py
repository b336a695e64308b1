"""Numbers in binary coded decimal, and angles: conversions of thumbwheels and displays (IEC 61131-3:2013, tables 24 and 29)."""

from __future__ import annotations

import math
import unittest

from tests.engine.agreement import difference
from tests.texts import both_engines, settled
from whorlograph.engine.scope.widening import bcd
from whorlograph.model.profile import Overflow

DECLARED = "X : BYTE; V : ULINT; O : LWORD; Q : LREAL;"


class Digits(unittest.TestCase):
    """Against Python's own hexadecimal and decimal texts."""

    def test_to_and_fro(self) -> None:
        for bits, number, values in (("BYTE", "USINT", (0, 7, 42, 99)), ("WORD", "UINT", (0, 9, 1234, 9999)), ("DWORD", "UDINT", (0, 12345678, 99999999)),
                                     ("LWORD", "ULINT", (0, 1234567890123456, 9999999999999999)), ("WORD", "INT", (0, 805))):
            for value in values:
                body = f"N := {value}; Coded := {number}_TO_BCD_{bits}(N); Back := {bits}_BCD_TO_{number}(Coded); Short := BCD_TO_{number}(Coded);"
                declared = f"N, Back, Short : {number}; Coded : {bits};"
                (one, plain), (two, compiled) = both_engines(body, [], declared)
                self.assertEqual(difference(plain, compiled, []), "")
                for controller, journal in ((one, plain), (two, compiled)):
                    found = [settled(controller, journal, f"Main.{n}") for n in ("Coded", "Back", "Short")]
                    self.assertEqual(found, [int(str(value), 16), value, value], (bits, number, value))

    def test_digits_above_nine_count_as_what_they_are(self) -> None:
        for controller, journal in both_engines("A := WORD_BCD_TO_INT(16#0A1F);", []):
            self.assertEqual(settled(controller, journal, "A"), 10 * 100 + 10 + 15)

    def test_what_does_not_fit_the_digits(self) -> None:
        for mode, expected in ((Overflow.SATURATE, 0x9999), (Overflow.WRAP, 0x2345)):
            journals = both_engines("D := 12345; W := UINT_TO_BCD_WORD(D);", [], on_overflow=mode)
            self.assertEqual([settled(c, j, "W") for c, j in journals], [expected, expected], mode)
        (_, plain), (_, compiled) = both_engines("D := 12345; W := UINT_TO_BCD_WORD(D);", [])
        assert plain.fault is not None and compiled.fault is not None
        self.assertEqual((plain.fault.text, compiled.fault.text), ("12345 is more than 9999, the most that its digits have room for",) * 2)
        self.assertEqual(difference(*[j for _, j in both_engines("A := -5; W := INT_TO_BCD_WORD(A);", [])], []), "")

    def test_names_that_mean_such_a_conversion(self) -> None:
        self.assertTrue(all(bcd(name) is not None for name in ("WORD_BCD_TO_UINT", "BCD_TO_INT", "uint_to_bcd_word", "TO_BCD_BYTE", "DWORD_BCD_TO_UDINT")))
        self.assertTrue(all(bcd(name) is None for name in ("BCD", "BCD_TO_REAL", "REAL_TO_BCD_WORD", "BOOL_BCD_TO_INT", "INT_TO_BCD_BOOL", "TO_BCD", "INT_TO_WORD",
                                                           "X_BCD_TO_INT")))

    def test_the_angle_of_two_sides(self) -> None:
        for y, x in ((1.0, 1.0), (-2.0, 0.5), (0.0, -1.0), (3.0, 0.0), (0.0, 0.0)):
            body = f"G := ATAN2(LREAL#{y}, LREAL#{x}); Q := ATAN2(Y := LREAL#{y}, X := {x}); F := ATAN2({y}, {x});"
            (one, plain), (two, compiled) = both_engines(body, [], DECLARED)
            self.assertEqual(difference(plain, compiled, []), "")
            for controller, journal in ((one, plain), (two, compiled)):
                self.assertEqual([settled(controller, journal, n) for n in ("G", "Main.Q")], [math.atan2(y, x)] * 2)
                self.assertAlmostEqual(float(settled(controller, journal, "F")), math.atan2(y, x), 6)


if __name__ == "__main__":
    unittest.main()
