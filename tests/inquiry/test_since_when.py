"""Since when a comparison has been as it is, against the log's own rows."""

from __future__ import annotations

import operator
import re
import unittest
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from tests.building import Rows
from tests.inquiry.test_everyday import asked
from tests.texts import text_session
from whorlograph.desk.asking import ask
from whorlograph.desk.session import Paths, load
from whorlograph.model.question import Symptom

SIGNS = {"<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge, "=": operator.eq, "<>": operator.ne}


def _told(condition: str, rows: Rows) -> list[tuple[float, str]]:
    """(seconds that it speaks of, text) of the links that tell of a comparison, asked at the log's end."""
    found = asked(text_session(f"Y1 := X1 AND {condition};", rows), "Y1")
    clock = found.session.journal.clock
    return [(clock.start(link.scan) / 1e9, link.text) for _, link in found.answer.links() if re.search("(does not hold|holds) in Main", link.text)]


def _since(values: list[tuple[int, float]], sign: str, limit: float) -> float | None:
    """Seconds from which on all values are on one side; None where all are."""
    now = SIGNS[sign](values[-1][1], limit)
    last = None
    for t, value in values:
        if SIGNS[sign](value, limit) != now:
            last = None
        elif last is None:
            last = t
    return last / 1000 if last else None


class SinceWhen(unittest.TestCase):
    """One value that goes up and down, one row in each scan of 10 ms at most."""

    def test_whole_numbers_and_reals_of_random_logs(self) -> None:
        count_told = 0
        for seed in range(40):
            chance = Random(seed)
            name, sign, limit = chance.choice(("N1", "R1")), chance.choice(list(SIGNS)), chance.choice((-2, 0, 3))
            count = chance.choice((1, 2, 40, 400))
            values = [(t * 20, chance.randint(-4, 6)) for t in range(count)]
            written = f"{limit}.0" if name == "R1" else str(limit)
            condition = f"{name} {sign} {written}" if seed % 2 else f"{written} {self._turned(sign)} {name}"
            rows: Rows = [(0, "X1", 1), *((t, name, value) for t, value in values), (count * 20 + 50, "X2", 1)]
            with self.subTest(seed=seed, condition=condition):
                for at, text in _told(condition, rows):
                    said = re.search(r"since (\S+) s \(", text)
                    known = [one for one in values if one[0] / 1000 <= at]
                    self.assertEqual(float(said[1]) if said else None, _since(known, sign, limit), text)
                    count_told += 1
        self.assertGreater(count_told, 20)

    def test_what_a_root_says_of_its_side_of_the_limit(self) -> None:
        words = {"above": ">", "at or above": ">=", "below": "<", "at or below": "<=", "at": "=", "off": "<>"}
        told = 0
        for seed in range(40):
            chance = Random(seed + 500)
            sign, limit, count = chance.choice(list(SIGNS)), chance.choice((0, 3)), chance.choice((2, 40, 400))
            values = [(t * 20, chance.randint(-4, 6)) for t in range(count)]
            rows: Rows = [(0, "X1", 1), *((t, "N1", value) for t, value in values), (count * 20 + 50, "X2", 1)]
            found = asked(text_session(f"Y1 := X1 AND N1 {sign} {limit};", rows), "Y1")
            text = next((root.text for root in found.answer.roots if root.text.startswith("N1 ")), "")
            known = re.match(r"N1 (?:was )?(above|below|at|off) -?(\d+)( or \w+)? (?:since|from) (\S+) s(?: to (\S+) s)?; it (?:read|reads) (-?\d+)", text)
            if known is None:
                continue
            side = words[f"{known[1]}{known[3] or ''}" if known[1] != "at" or known[3] is None else f"at{known[3]}"]
            since, until = float(known[4]), float(known[5]) if known[5] else float("inf")
            inside = [value for t, value in values if since <= t / 1000 < until]
            before = [value for t, value in values if t / 1000 < since]
            behind = [value for t, value in values if t / 1000 >= until]
            self.assertTrue(all(SIGNS[side](value, int(known[2])) for value in inside) and int(known[6]) in inside, (seed, text))
            self.assertFalse(SIGNS[side](before[-1], int(known[2])) or (behind and SIGNS[side](behind[0], int(known[2]))), (seed, text))
            self.assertTrue(known[5] is not None or int(known[6]) == values[-1][1], (seed, text))
            told += 1
        self.assertGreater(told, 10)

    @staticmethod
    def _turned(sign: str) -> str:
        return {"<": ">", ">": "<", "<=": ">=", ">=": "<="}.get(sign, sign)

    def test_of_every_type_what_is_said_is_so(self) -> None:
        """Of a type whose values it cannot compare nothing is said: times of day had been over their limit *from the log's start*."""
        for type_, low, limit, high in (("TOD", "TOD#21:59:58", "TOD#22:00:00", "TOD#22:00:01"), ("DATE", "D#2031-01-01", "D#2031-02-01", "D#2031-03-01"),
                                        ("LTIME", "LT#1s", "LT#2s", "LT#3s"), ("LINT", "16", "32", "48"), ("ULINT", "16", "32", "48"),
                                        ("LWORD", "16", "32", "48"), ("BYTE", "16", "32", "48"), ("LREAL", "1.5", "2.0", "2.5")):
            text = (f"PROGRAM Main\nVAR_EXTERNAL V : {type_}; Y, Req : BOOL; END_VAR\nY := Req AND V < {limit};\nEND_PROGRAM\nCONFIGURATION C\nVAR_GLOBAL "
                    f"V AT %IL8 : {type_}; Y AT %QX0.0 : BOOL; Req AT %IX0.0 : BOOL; END_VAR\nRESOURCE R ON P\nPROGRAM Main : Main;\nEND_RESOURCE\n"
                    "END_CONFIGURATION\n")
            with TemporaryDirectory() as folder, self.subTest(type_):
                place = Path(folder)
                (place / "p.st").write_text(text)
                (place / "l.csv").write_text(f"time,tag,value\n0,Req,1\n0,V,{low}\n2,V,{high}\n3,V,{high}\n5,Req,1\n")
                found = asked(load(Paths(place / "p.st", (place / "l.csv",))), "Y")
                self.assertEqual(found.roots, [("field-input", "V", True)], found.text)
                self.assertNotIn("from the log's start", found.text)
                self.assertIn("since 2.000 s", found.answer.roots[0].text)

    def test_what_is_computed_or_compared_with_another_tag_says_nothing(self) -> None:
        rows: Rows = [(0, "X1", 1), (0, "N1", 1), (100, "N1", 9), (200, "N1", 1), (400, "X2", 1)]
        for condition in ("N1 + 1 > 5", "N1 > A + 5", "A + N1 > 5"):
            with self.subTest(condition):
                told = _told(condition, rows)
                self.assertTrue(told)
                self.assertFalse([text for _, text in told if "since" in text])

    def test_the_value_of_the_moment_asked_for_counts(self) -> None:
        rows: Rows = [(0, "X1", 1), (0, "N1", 9), (1000, "N1", 2), (2000, "N1", 9), (3000, "N1", 2), (3500, "N1", 1), (4000, "X2", 1)]
        session = text_session("Y1 := X1 AND N1 > 5;", rows)
        self.assertIn("does not hold in Main 5 since 1.000 s (N1 is 2)", asked(session, "Y1", "1.5").text)


class Now(unittest.TestCase):
    """A heater with a dead band whose element has failed: switched on at 210, it reads 82 and falls."""

    def test_what_switched_it_on_and_what_it_reads_now(self) -> None:
        rows = [(0, "N1", 220), (1000, "N1", 210), *((2000 + 100 * n, "N1", 208 - n) for n in range(127))]
        session = text_session("IF N1 < Goal - 3 THEN Y1 := TRUE; ELSIF N1 > Goal + 3 THEN Y1 := FALSE; END_IF;", rows, "Goal : DINT := 215;")
        root = ask(session, "Y1", None, Symptom.WILL_NOT_DROP_OUT).roots[0]
        self.assertIn("N1 read 210 from 1.000 s to 2.000 s; it reads 82 now", root.text)
        early = ask(session, "Y1", "1.5", Symptom.WILL_NOT_DROP_OUT).roots[0]
        self.assertNotIn("82", early.text)


if __name__ == "__main__":
    unittest.main()
