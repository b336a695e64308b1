"""Dates put together and taken apart, in either engine, against Python's calendar: at the seams of months, years, centuries and the whole."""

from __future__ import annotations

import random
import unittest
from datetime import date, datetime, timedelta
from pathlib import Path

from tests.texts import both_engines, settled, text_of
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.profile import Overflow, Profile

SEAMS = [date(1970, 1, 1), date(1970, 2, 28), date(1970, 3, 1), date(1972, 2, 29), date(1999, 12, 31), date(2000, 2, 29), date(2000, 3, 1), date(2023, 2, 28),
         date(2024, 2, 29), date(2024, 12, 31), date(2099, 12, 31), date(2100, 2, 28), date(2100, 3, 1), date(2200, 2, 28), date(2261, 12, 31)]
START = date(1970, 1, 1)


def listed(values: list[int]) -> str:
    return f"[{', '.join(map(str, values))}]"


class CalendarTest(unittest.TestCase):
    """Both engines compute with days of their own making; Python knows them."""

    def test_days_there_and_back(self) -> None:
        r = random.Random(20)
        days = SEAMS + [START + timedelta(r.randint(0, 106_000)) for _ in range(85)]
        last = len(days) - 1
        local = (f"YY, MM, DD : ARRAY[0..{last}] OF INT; I : INT; When : ARRAY[0..{last}] OF DATE; "
                 + "".join(f"{n} : ARRAY[0..{last}] OF INT := {listed(v)}; " for n, v in (("Ys", [d.year for d in days]), ("Ms", [d.month for d in days]),
                                                                                         ("Ds", [d.day for d in days]))))
        body = (f"FOR I := 0 TO {last} DO When[I] := CONCAT_DATE(Ys[I], Ms[I], Ds[I]);"
                " SPLIT_DATE(When[I], YEAR => YY[I], MONTH => MM[I], DAY => DD[I]); END_FOR;")
        for controller, journal in both_engines(body, [], local):
            with self.subTest(plain=controller.plain):
                self.assertIsNone(journal.fault)
                for k, day in enumerate(days):
                    got = [settled(controller, journal, f"Main.{n}[{k}]", 1) for n in ("When", "YY", "MM", "DD")]
                    self.assertEqual(got, [(day - START).days * 86_400_000_000_000, day.year, day.month, day.day], day)

    def test_moments_there_and_back(self) -> None:
        r = random.Random(21)
        moments = [datetime(1970, 1, 1), datetime(1999, 12, 31, 23, 59, 59, 999_000), *(
            datetime(1970, 1, 1) + timedelta(milliseconds=r.randrange(9_000_000_000_000)) for _ in range(20))]
        for moment in moments:
            given = [moment.year, moment.month, moment.day, moment.hour, moment.minute, moment.second, moment.microsecond // 1000]
            names = ["YEAR", "MONTH", "DAY", "HOUR", "MINUTE", "SECOND", "MILLISECOND"]
            body = (f"When := CONCAT_LDT({', '.join(map(str, given))}); SPLIT_LDT(IN := When, {', '.join(f'{n} => G{n}' for n in names)});"
                    f" Clock := CONCAT_LTOD({', '.join(map(str, given[3:]))}); SPLIT_LTOD(Clock, HOUR => HH, MILLISECOND => MS);")
            local = f"When : LDT; Clock : LTOD; HH, MS, {', '.join(f'G{n}' for n in names)} : INT;"
            for controller, journal in both_engines(body, [], local):
                with self.subTest(moment, plain=controller.plain):
                    got = [settled(controller, journal, f"Main.{n}", 1) for n in ("HH", "MS", *(f"G{n}" for n in names))]
                    self.assertEqual(got, [given[3], given[6], *given])
                    self.assertEqual(settled(controller, journal, "Main.When", 1), round((moment - datetime(1970, 1, 1)) / timedelta(milliseconds=1)) * 1_000_000)

    def test_a_month_that_is_none(self) -> None:
        for mode in Overflow:
            found = [(journal.fault.code if journal.fault else "", settled(controller, journal, "Main.When", 1))
                     for controller, journal in both_engines("When := CONCAT_DATE(2024, 13, 40);", [], "When : DATE;", on_overflow=mode)]
            self.assertEqual(found[0], found[1], mode)
            self.assertEqual(found[0][0], "overflow" if mode is Overflow.HALT else "", mode)

    def test_what_does_not_fit_is_said_and_left_out(self) -> None:
        for body, words in (("D1 := CONCAT_DATE(2024, 2);", "CONCAT_DATE takes YEAR, MONTH, DAY"), ("SPLIT_DATE(N1, DAY => A);", "SPLIT_DATE takes a date or a time of day"),
                            ("SPLIT_TOD(IN := T1, YEAR => A);", "SPLIT_TOD takes IN := and gives back HOUR =>, MINUTE =>, SECOND =>, MILLISECOND =>"),
                            ("F := TO_BIG_ENDIAN(F);", "TO_BIG_ENDIAN takes whole numbers and bit strings"), ("Y1 := AND(X1);", "AND takes two values or more"),
                            ("AND(X1, X2);", "AND is no statement: its result goes nowhere"), ("W := L.%W4;", "%W4 is behind the last part of the widest word")):
            with self.subTest(body):
                loaded = read(text_of(body, "D1 : DATE; T1 : TOD;").encode(), Path("x.st"))
                notices = [str(n) for n in (*loaded.notices, *Controller(loaded.value, Profile()).notices)]
                self.assertTrue(any(words in n for n in notices), notices)
