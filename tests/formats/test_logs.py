"""Logs as recorders write them, whole and damaged; I/O lists; profiles."""

from __future__ import annotations

import gzip
import tempfile
import unittest
from pathlib import Path

import zstandard

from tests.building import program_of
from whorlograph.engine.scope.elaborate import elaborate
from whorlograph.formats.iolist import read_iolist
from whorlograph.formats.logs import read_logs
from whorlograph.formats.logs.times import Times
from whorlograph.formats.profile import read_profile
from whorlograph.model.errors import InputError, IoListError, LogError, ProfileError
from whorlograph.model.iolist import Wiring
from whorlograph.model.log import Clock, Log
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Overflow, Profile
from whorlograph.model.tags import Running

SECOND = 1_000_000_000


def _plant() -> Running:
    def draw(ladder: Ladder) -> None:
        ladder.rung(no("X1"), no("X2"), coil("Y1"))

    return elaborate(program_of(draw, "X1 X2 Y1 N1"))[0]


def read(*texts: str | bytes, profile: Profile | None = None, name: str = "log.csv") -> Loaded[Log]:
    """Read one or several logs from text."""
    with tempfile.TemporaryDirectory() as folder:
        paths = []
        for i, text in enumerate(texts):
            path = Path(folder) / (name if i == 0 else f"{i}{name}")
            path.write_bytes(text if isinstance(text, bytes) else text.encode())
            paths.append(path)
        return read_logs(paths, _plant(), profile or Profile())


def rows(log: Log) -> list[tuple[int, int, int]]:
    """(time in ms, tag, value)."""
    return [(t // 1_000_000, g, v) for t, g, v in zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True)]


X1_ON = [(0, 0, 0), (500, 0, 1)]

SAME = {
    "long, seconds": "time,tag,value\n10.0,X1,0\n10.5,X1,1\n",
    "long, by address": "time,tag,value\n10.0,%IX0.0,0\n10.5,%ix0.0,1\n",
    "long, words": "time,tag,value\n10,X1,FALSE\n10.5,x1,on\n",
    "long, negative seconds": "time,tag,value\n-0.25,X1,0\n0.25,X1,1\n",
    "long, exponents": "time,tag,value\n1e1,X1,0\n1.05e1,X1,1\n",
    "wide": "time,X1\n10.0,0\n10.5,1\n",
    "wide, empty cells": "time,X1,N1\n10.0,0,\n10.5,1,\n",
    "semicolons and decimal commas": "time;tag;value\n10,0;X1;0\n10,5;X1;1\n",
    "tabs": "time\ttag\tvalue\n10.0\tX1\t0\n10.5\tX1\t1\n",
    "ISO, zoned": "time,tag,value\n2031-06-11T06:30:00.000+01:00,X1,0\n2031-06-11T06:30:00.500+01:00,X1,1\n",
    "ISO, local": "time,tag,value\n2031-06-11 06:30:00,X1,0\n2031-06-11 06:30:00.5,X1,1\n",
    "day first": "time;tag;value\n11.06.2031 06:30:00,000;X1;0\n11.06.2031 06:30:00,500;X1;1\n",
    "month first": "time,tag,value\n06/21/2031 06:30:00.0,X1,0\n06/21/2031 06:30:00.5,X1,1\n",
    "other names of columns": "Timestamp,Signal,Wert\n10.0,X1,0\n10.5,X1,1\n",
    "a mark and Windows line ends": "\ufefftime,tag,value\r\n10.0,X1,0\r\n10.5,X1,1\r\n",
    "out of order": "time,tag,value\n10.5,X1,1\n10.0,X1,0\n",
    "date and time of day apart": "date,time,X1\n2031-06-11,06:30:00.0,0\n2031-06-11,06:30:00.5,1\n",
}

SET_ASIDE = {
    "a bad time": ("time,tag,value\n10,X1,0\nnan,X1,1\n10.5,X1,1\n", 1),
    "a huge time": ("time,tag,value\n10,X1,0\n1e300,X1,1\n10.5,X1,1\n", 1),
    "a time of another form": ("time,tag,value\n10,X1,0\n2031-06-11T00:00:00Z,X1,1\n10.5,X1,1\n", 1),
    "a bad value": ("time,tag,value\n10,X1,0\n10.2,X1,maybe\n10.5,X1,1\n", 1),
    "a short row": ("time,tag,value\n10,X1,0\n10.2,X1\n10.5,X1,1\n", 1),
    "a long row": ("time,tag,value\n10,X1,0\n10.2,X1,1,9,9\n10.5,X1,1\n", 1),
    "NUL bytes": ("time,tag,value\n10,X1,0\n\x00,X1,1\n10.5,X1,1\n", 1),
}

REFUSED = {
    "empty": ("", "empty"), "no time column": ("when,tag,value\n1,X1,0\n", 'no "time" column'),
    "an I/O list": ("tag,address,device\nX1,%IX0.0,S1\n", "looks like an I/O list"),
    "not one usable row": ("time,tag,value\nx,X1,0\ny,X1,1\n", "none of its 2 rows"), "binary": (bytes(range(1, 32)) * 60, "not a text file"),
}


class Logs(unittest.TestCase):
    """Forms of one and the same log."""

    def test_every_form_gives_the_same_rows(self) -> None:
        for name, text in SAME.items():
            with self.subTest(name):
                log = read(text).value
                self.assertEqual(rows(log), X1_ON)
                self.assertEqual(log.set_aside, 0)

    def test_rows_that_cannot_be_read_are_counted_with_their_line(self) -> None:
        for name, (text, count) in SET_ASIDE.items():
            with self.subTest(name):
                loaded = read(text)
                self.assertEqual(rows(loaded.value), X1_ON)
                self.assertEqual(loaded.value.set_aside, count)
                self.assertIn(":3: ", loaded.value.examples[0])
                self.assertTrue(any("set aside" in str(n) for n in loaded.notices))

    def test_what_cannot_be_read_at_all_is_one_line(self) -> None:
        for name, (text, said) in REFUSED.items():
            with self.subTest(name):
                with self.assertRaises(LogError) as caught:
                    read(text)
                self.assertIn(said, caught.exception.line())

    def test_a_header_alone_is_an_empty_log(self) -> None:
        loaded = read("time,tag,value\n")
        self.assertEqual(len(loaded.value.times), 0)
        self.assertTrue(loaded.notices)

    def test_rows_of_one_instant_keep_the_order_of_the_files(self) -> None:
        log = read("time,tag,value\n1,X1,1\n", "time,tag,value\n1,X1,0\n0,X1,1\n").value
        self.assertEqual([v for _, _, v in rows(log)], [1, 1, 0])

    def test_unknown_tags_count_for_start_and_end(self) -> None:
        loaded = read("time,tag,value\n5,Nobody,1\n10,X1,0\n10.5,X1,1\n20,Nobody,0\n")
        self.assertEqual(rows(loaded.value), [(5000, 0, 0), (5500, 0, 1)])
        self.assertEqual(loaded.value.end, 15 * SECOND)
        self.assertEqual(loaded.value.unknown, ("Nobody",))

    def test_a_zone_is_kept(self) -> None:
        log = read(SAME["ISO, zoned"]).value
        self.assertEqual((log.clock, log.zone), (Clock.ZONED, 60))

    def test_packed_files_are_read(self) -> None:
        self.assertEqual(rows(read(gzip.compress(SAME["wide"].encode()), name="log.csv.gz").value), X1_ON)
        self.assertEqual(rows(read(zstandard.compress(SAME["wide"].encode()), name="log.csv.zst").value), X1_ON)

    def test_a_blink_too_short_for_any_log_is_refused(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "profile.toml"
            path.write_text('[system]\nblink.Lamp = "1ns"\n')
            with self.assertRaisesRegex(ProfileError, "too short"):
                read_profile(path)

    def test_damaged_packing_is_one_line(self) -> None:
        for name, packed in (("log.csv.gz", gzip.compress(b"time,tag,value\n" * 100)), ("log.csv.zst", zstandard.compress(b"time,X1\n1,0\n" * 90))):
            for hurt in (packed[:20], packed[:8] + b"\xff" * 10 + packed[18:]):
                with self.subTest(name):
                    with self.assertRaises(LogError) as caught:
                        read(hurt, name=name)
                    self.assertIn("cannot be opened", caught.exception.line())

    def test_the_profile_names_the_time_column(self) -> None:
        self.assertEqual(rows(read("moment,tag,value\n10,X1,0\n10.5,X1,1\n", profile=Profile(log_time="moment")).value), X1_ON)

    def test_other_encodings_are_guessed_and_told(self) -> None:
        loaded = read("time,tag,value,Größe\n10,X1,0,\n10.5,X1,1,\n".encode("cp1252"))
        self.assertEqual(rows(loaded.value), X1_ON)
        self.assertTrue(any("Windows-1252" in str(n) for n in loaded.notices))

    def test_decimals_are_read_exactly(self) -> None:
        times = Times()
        self.assertEqual(times.read("86399.250000001"), 86_399_250_000_001)
        self.assertEqual(times.read("0.1"), 100_000_000)
        self.assertEqual(times.read("-1.5"), -1_500_000_000)
        self.assertIsNone(times.read("9223372037"))
        self.assertIsNone(times.read("3e99999999999999999999"))
        self.assertIsNone(times.read("3e-99999999999999999999"))


class IoLists(unittest.TestCase):
    """Points and their wiring."""

    def _read(self, text: str, profile: Profile | None = None) -> object:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "io.csv"
            path.write_text(text, encoding="utf-8")
            return read_iolist(path, _plant(), profile)

    def test_points_are_bound_by_name_or_address(self) -> None:
        loaded = self._read("tag,address,device,location,terminal,wiring\nX1,,S1,box,4,NC\n,%IX0.1,S2,box,5,NO\n")
        points = loaded.value.points  # type: ignore[attr-defined]
        self.assertEqual((points[0].device, points[0].wiring, points[1].device), ("S1", Wiring.NORMALLY_CLOSED, "S2"))

    def test_columns_come_in_any_order_and_number(self) -> None:
        for text in ("device,address\nS2,%IX0.1\n", "address,tag,device\n%IX0.1,,S2\n", "Device;TAG\nS2;X2\n"):
            self.assertEqual(self._read(text).value.points[1].device, "S2", text)  # type: ignore[attr-defined]

    def test_doubles_and_strange_wiring_are_told(self) -> None:
        loaded = self._read("tag,wiring\nX1,NC\nX1,NO\nX2,maybe\nNobody,NO\n")
        said = " ".join(str(n) for n in loaded.notices)  # type: ignore[attr-defined]
        for word in ("twice", "maybe", "Nobody"):
            self.assertIn(word, said)

    def test_an_address_that_is_not_the_program_s_is_said(self) -> None:
        head = "tag,address,device\n"
        for rows, told, device in (("X1,%IX0.0,S1\n", [], "S1"), ("X1,IX0.0,S1\nX2,%IX0.1,S2\n", [], "S1"), ("X1,E 4.5,S1\n", [], "S1"), ("X1,,S1\n", [], "S1"),
                                   ("X1,%IX4.5,S1\n", ["2: X1 is at %IX4.5 in the list, at %IX0.0 in the program"], "S1"),
                                   ("X1,%IX4.5,S1\nX2,%IX0.0,S2\n", ["2: X1 is at %IX4.5 in the list, at %IX0.0 in the program; so it is with 1 more"], "S1"),
                                   ("X1,%IX4.5,S1\nX1,%IX0.0,S2\n", ["3: X1 stands twice in the list; the line with the program's address counts"], "S2"),
                                   ("X1,%IX0.0,S1\nX1,%IX4.5,S2\n", ["3: X1 stands twice in the list; the first line counts"], "S1")):
            loaded = self._read(head + rows)
            said = [str(n).partition("io.csv:")[2].replace("; see which of them is out of date before you go by the list", "") for n in loaded.notices]  # type: ignore[attr-defined]
            self.assertEqual((said, loaded.value.points[0].device), (told, device), rows)  # type: ignore[attr-defined]

    def test_other_words_for_columns_and_wiring(self) -> None:
        text = "Symbol;Addr;Betriebsmittel;Clamp;Wiring;Comment\nX1;;S1;4;normally closed;stop\n;IX0.1;S2;5;Schliesser;start\n"
        profile = Profile(iolist_columns={"device": "Betriebsmittel"}, iolist_no=("schliesser",))
        loaded = self._read(text, profile)
        first, second = (loaded.value.points[n] for n in (0, 1))  # type: ignore[attr-defined]
        self.assertEqual((first.device, first.terminal, first.wiring, first.description), ("S1", "4", Wiring.NORMALLY_CLOSED, "stop"))
        self.assertEqual((second.device, second.wiring, loaded.notices), ("S2", Wiring.NORMALLY_OPEN, []))  # type: ignore[attr-defined]
        said = " ".join(str(n) for n in self._read(text).notices)  # type: ignore[attr-defined]
        self.assertIn('[iolist] no = ["Schliesser"]', said)
        for words, wiring in (("N.O.", Wiring.NORMALLY_OPEN), ("make", Wiring.NORMALLY_OPEN), ("n/c", Wiring.NORMALLY_CLOSED), ("Break contact", Wiring.NORMALLY_CLOSED)):
            self.assertIs(self._read(f"tag,wiring\nX1,{words}\n").value.points[0].wiring, wiring)  # type: ignore[attr-defined]
        with self.assertRaises(IoListError) as caught:
            self._read(text, Profile(iolist_columns={"device": "Geraet"}))
        self.assertIn('[iolist] device = "Geraet"', str(caught.exception))

    def test_a_title_above_the_columns(self) -> None:
        for title, sign in (("Points of the press\n\n", ","), ("Points, of the press; sheet 4\n", "\t"), ("Press;;;\nDrawn by;N.N.;;\n", ";"), ("# of 2031\n", ";")):
            loaded = self._read(title + sign.join(("Tag", "Device", "Wiring")) + "\n" + sign.join(("X1", "S1", "NC")) + "\n" + sign.join(("X2", "S2", "odd")) + "\n")
            points, lines = loaded.value.points, title.count("\n")  # type: ignore[attr-defined]
            self.assertEqual([(points[n].device, points[n].wiring) for n in (0, 1)], [("S1", Wiring.NORMALLY_CLOSED), ("S2", Wiring.UNKNOWN)], title)
            self.assertEqual([n.place.line for n in loaded.notices], [lines + 3], title)  # type: ignore[attr-defined]

    def test_without_columns_it_is_refused(self) -> None:
        with self.assertRaises(IoListError):
            self._read("a,b\n1,2\n")


class Profiles(unittest.TestCase):
    """Every key known, every value checked."""

    def _read(self, text: str) -> Profile:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.toml"
            path.write_text(text)
            return read_profile(path)

    def test_values_are_read(self) -> None:
        profile = self._read('scan_time = "2.5ms"\non_overflow = "wrap"\nexternal = ["A"]\n[system]\nblink.B = "100ms"\n[task.T]\nedge = "falling"\n')
        self.assertEqual((profile.scan_time, profile.on_overflow, profile.external), (2_500_000, Overflow.WRAP, ("A",)))
        self.assertEqual((profile.blink, profile.falling_tasks), ((("B", 100_000_000),), ("T",)))
        lists = self._read('[iolist]\ndevice = "Betriebsmittel"\nnc = ["Oeffner"]\n')
        self.assertEqual((lists.iolist_columns, lists.iolist_no, lists.iolist_nc), ({"device": "Betriebsmittel"}, (), ("Oeffner",)))

    def test_an_unknown_key_names_the_nearest(self) -> None:
        with self.assertRaises(ProfileError) as caught:
            self._read('scan_tiem = "2ms"\n')
        self.assertIn("did you mean scan_time?", caught.exception.line())

    def test_impossible_values_are_refused(self) -> None:
        for text in ('scan_time = "fast"', 'scan_time = "0ms"', 'on_overflow = "explode"', "external = 3", "scan_time = 5", "= 5"):
            with self.subTest(text), self.assertRaises(InputError):
                self._read(text)


if __name__ == "__main__":
    unittest.main()
