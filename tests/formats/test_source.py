"""Log files as bytes and lines: packed and cut, in any encoding, with any line ends, from pipes; read until told to stop."""

from __future__ import annotations

import gzip
import os
import tempfile
import unittest
from pathlib import Path
from random import Random
from threading import Thread
from unittest.mock import patch

import zstandard

from tests.building import program_of
from whorlograph.engine.scope.elaborate import elaborate
from whorlograph.formats.logs import csv_table, plain_lines, read_logs
from whorlograph.formats.logs.source import Source, cells
from whorlograph.formats.logs.table import read_table
from whorlograph.formats.profile import profile_table, read_profile
from whorlograph.model.errors import LogError
from whorlograph.model.log import Log, narrowed, tags_logged
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Profile
from whorlograph.model.tags import Running

HEADER = "time,tag,value\n"


def running() -> Running:
    """Two inputs, an output, a number."""
    def draw(ladder: Ladder) -> None:
        ladder.rung(no("X1"), no("X2"), coil("Y1"))

    return elaborate(program_of(draw, "X1 X2 Y1 N1"))[0]


def many_rows(count: int) -> str:
    """Rows of a long log, one a second."""
    return HEADER + "".join(f"{i},X1,{i & 1}\n" for i in range(count))


class WithFolder(unittest.TestCase):
    """A folder for files."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def file(self, name: str, data: bytes) -> Path:
        """Write a file."""
        path = self.folder / name
        path.write_bytes(data)
        return path

    def lines(self, name: str, data: bytes) -> list[str]:
        """A file's lines."""
        with Source(self.file(name, data)) as source:
            return list(source.lines())

    def log(self, name: str, data: bytes) -> Loaded[Log]:
        """Read a file as a log."""
        return read_logs([self.file(name, data)], running(), Profile())


class Lines(WithFolder):
    """Bytes to lines."""

    def test_any_line_end_ends_a_line(self) -> None:
        for end in ("\n", "\r\n", "\r"):
            with self.subTest(repr(end)):
                self.assertEqual(self.lines("a.csv", end.join(["one", "two", "", "three"]).encode()), ["one", "two", "", "three"])

    def test_encodings_are_found(self) -> None:
        text = "time,tag,value\n1,Tür,1\n"
        for encoding in ("utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "cp1252"):
            with self.subTest(encoding), Source(self.file("a.csv", text.encode(encoding))) as source:
                self.assertEqual(list(source.lines()), ["time,tag,value", "1,Tür,1"])
                self.assertEqual(source.guessed, encoding == "cp1252")

    def test_of_a_profile_too(self) -> None:
        text = '# Türme\r\nscan_time = "20ms"\r\n'
        for encoding in ("utf-8", "utf-8-sig", "utf-16", "utf-16-be", "cp1252"):
            self.assertEqual(profile_table(self.file("p.toml", text.encode(encoding))), {"scan_time": "20ms"}, encoding)
            self.assertEqual(read_profile(self.file("p.toml", text.encode(encoding))).scan_time, 20_000_000, encoding)

    def test_of_letters_of_two_bytes_none_is_lost_where_a_piece_ends(self) -> None:
        text = "time,tag,value\n" + "".join(f"{n},Tür,{n % 2}\n" for n in range(9000))
        for encoding in ("utf-16-le", "utf-16-be"):
            for mark in ("\ufeff", ""):
                self.assertEqual(self.lines("a.csv", (mark + text).encode(encoding)), text.splitlines(), (encoding, mark))

    def test_one_line_in_another_encoding_leaves_the_others_alone(self) -> None:
        data = "a,Größe\n".encode() + "b,Größe\n".encode("cp1252") + "c,Größe\n".encode()
        self.assertEqual(self.lines("a.csv", data), ["a,Größe", "b,Größe", "c,Größe"])

    def test_several_packed_parts_are_one_file(self) -> None:
        parts = [b"time,X1\n1,0\n", b"2,1\n", b"3,0\n"]
        whole = b"".join(parts).decode().splitlines()
        self.assertEqual(self.lines("a.csv.gz", b"".join(gzip.compress(p) for p in parts)), whole)
        self.assertEqual(self.lines("a.csv.zst", b"".join(zstandard.compress(p) for p in parts)), whole)
        self.assertEqual(self.lines("a.csv", gzip.compress(b"".join(parts))), whole, "packed under a plain name")

    def test_a_quote_that_is_not_closed_ends_with_its_line(self) -> None:
        self.assertEqual(cells('1,"X1",0', ","), ["1", "X1", "0"])
        self.assertEqual(cells('1,"a,b",0', ","), ["1", "a,b", "0"])
        self.assertEqual(len(cells('1,"X1,0', ",")), 2)
        loaded = self.log("a.csv", (HEADER + '1,X1,0\n2,"X1,1\n3,X1,1\n4,X1,0\n').encode())
        self.assertEqual(loaded.value.values.tolist(), [0, 1, 0])
        self.assertEqual(loaded.value.set_aside, 1)
        self.assertIn(":3: ", loaded.value.examples[0])

    def test_lines_are_counted_from_the_file_s_first(self) -> None:
        loaded = self.log("a.csv", b"\n\ntime,tag,value\n1,X1,0\n\n2,X1,maybe\n3,X1,1\n")
        self.assertIn(":6: ", loaded.value.examples[0])
        self.assertEqual(loaded.value.values.tolist(), [0, 1])

    def test_a_damaged_io_list_is_not_used_in_part(self) -> None:
        packed = gzip.compress(b"tag,description\n" + os.urandom(4000).hex().encode() + b",x\n" * 50)
        with self.assertRaisesRegex(LogError, "damaged"):
            read_table(self.file("io.csv.gz", packed[:len(packed) * 2 // 3]), "I/O list")

    def test_a_cell_of_an_io_list_may_hold_a_line_end(self) -> None:
        table = read_table(self.file("io.csv", b'tag,description\nX1,"above\nthe door"\nX2,b\n'), "I/O list")
        self.assertEqual([row for _, row in table.rows], [["X1", "above\nthe door"], ["X2", "b"]])

    def test_how_much_is_read_is_told(self) -> None:
        path = self.file("a.csv", many_rows(200_000).encode())
        with Source(path) as source:
            lines = source.lines()
            for _ in range(100):
                next(lines)
            self.assertLess(source.done(), source.size)
            for _ in lines:
                pass
            self.assertEqual(source.done(), source.size)


class Damage(WithFolder):
    """What is damaged is told, and what is before the damage is used."""

    def test_a_packed_log_that_is_cut_off_is_used_up_to_there(self) -> None:
        random = Random(3)
        text = (HEADER + "".join(f"{i}.{random.randrange(10**9):09},X1,{i & 1}\n" for i in range(60_000))).encode()
        for name, packed in (("a.csv.gz", gzip.compress(text)), ("a.csv.zst", zstandard.compress(text))):
            with self.subTest(name):
                loaded = self.log(name, packed[:len(packed) // 2])
                self.assertGreater(len(loaded.value.times), 10_000)
                self.assertLess(len(loaded.value.times), 60_000)
                self.assertGreaterEqual(loaded.value.set_aside, 1)
                self.assertTrue(any("the packed file is damaged behind its" in str(n) for n in loaded.notices))
                self.assertTrue(any("set aside" in str(n) for n in loaded.notices))

    def test_what_is_no_log_at_all_is_one_line(self) -> None:
        for name, data, said in (("a.csv", b"", "empty"), ("a.csv", b"\n \n", "empty"), ("a.csv.gz", gzip.compress(b""), "empty"),
                                 ("a.csv.gz", b"\x1f\x8bnonsense", "cannot be opened"), ("a.csv", os.urandom(5) + bytes(range(32)) * 50, "not a text file")):
            with self.subTest(name=name, said=said):
                with self.assertRaises(LogError) as caught:
                    self.log(name, data)
                self.assertIn(said, caught.exception.line())
        with self.assertRaises(LogError) as caught:
            read_logs([self.folder / "nowhere.csv"], running(), Profile())
        self.assertIn("cannot be opened", caught.exception.line())

    def test_a_log_comes_through_a_pipe(self) -> None:
        path = self.folder / "pipe"
        os.mkfifo(path)
        writer = Thread(target=lambda: path.write_text(many_rows(50_000)))
        writer.start()
        log = read_logs([path], running(), Profile()).value
        writer.join()
        self.assertEqual(len(log.times), 50_000)


class Stopping(WithFolder):
    """Reading is told about and stopped."""

    def test_both_readers_stop_and_keep_what_they_have(self) -> None:
        path = self.file("a.csv", many_rows(150_000).encode())
        for least in (0, 1 << 60):
            with self.subTest(plain=least == 0), patch.object(csv_table, "WORTH_IT", least), patch.object(plain_lines, "BLOCK", 1 << 18):
                told: list[tuple[int, int]] = []

                def watch(done: int, size: int) -> bool:
                    told.append((done, size))  # noqa: B023
                    return done > size // 3

                log = read_logs([path], running(), Profile(), watch).value
                self.assertFalse(log.complete)
                self.assertLess(40_000, len(log.times))
                self.assertLess(len(log.times), 120_000)
                self.assertEqual(log.values.tolist(), [i & 1 for i in range(len(log.times))])
                self.assertEqual([t[0] for t in told], sorted(t[0] for t in told))
                self.assertTrue(all(size == path.stat().st_size for _, size in told))
                whole = read_logs([path], running(), Profile()).value
                self.assertTrue(whole.complete)
                self.assertEqual(len(whole.times), 150_000)

    def test_of_several_files_none_is_begun_after_a_stop(self) -> None:
        first, second = self.file("a.csv", many_rows(20_000).encode()), self.file("b.csv", b"when\n")
        log = read_logs([first, second], running(), Profile(), lambda done, size: True).value
        self.assertFalse(log.complete)
        with self.assertRaises(LogError):
            read_logs([first, second], running(), Profile())

    def test_wide_logs_are_read_in_pieces(self) -> None:
        rows = "".join(f"{i},{i & 1},{i % 7},x\n" for i in range(30_000))
        loaded = self.log("wide.csv", ("time,X1,N1,Strange\n" + rows).encode())
        log = loaded.value
        self.assertEqual(len(log.times), 60_000)
        n1 = running().by_name["n1"]
        self.assertEqual(log.values[log.tags == n1].tolist(), [i % 7 for i in range(30_000)])
        self.assertIn("Strange is no tag of the program (30,000 rows)", " ".join(str(n) for n in loaded.notices))


class Narrow(unittest.TestCase):
    """Columns as narrow as they can be."""

    def test_the_narrowest_type_that_holds_all(self) -> None:
        import numpy as np

        for values, kind in (([0, 1], np.uint8), ([-1, 127], np.int8), ([0, 256], np.uint16), ([-129, 0], np.int16), ([1 << 16], np.uint32),
                             ([-(1 << 20)], np.int32), ([1 << 40], np.int64), ([], np.uint8)):
            found = narrowed(np.array(values, np.int64))
            self.assertEqual((found.dtype, found.tolist()), (np.dtype(kind), values))

    def test_tags_of_a_long_log_are_all_found(self) -> None:
        import numpy as np

        tags = np.zeros(2_500_000, np.uint16)
        tags[[5, 1_200_000, 2_499_999]] = 7, 300, 9
        log = Log(np.zeros(len(tags), np.int64), tags, np.zeros(len(tags), np.uint8))
        self.assertEqual(tags_logged(log), {0, 7, 9, 300})
        self.assertEqual(tags_logged(Log(np.zeros(0, np.int64), tags[:0], tags[:0])), set())


if __name__ == "__main__":
    unittest.main()
