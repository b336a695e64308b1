"""Rows whose values the recorder itself calls bad: set aside, in CSV and in Parquet, and no row else."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from tests.texts import text_program
from whorlograph.engine.controller import Controller
from whorlograph.formats.logs import read_logs
from whorlograph.formats.logs.csv_table import SAMPLES
from whorlograph.formats.logs.parquet import BATCH
from whorlograph.model.profile import Profile

ROWS = [(0, "X1", 0), (1, "X2", 1), (2, "X1", 1), (3, "X1", 0), (4, "X2", 0), (5, "X1", 1)]


class Quality(unittest.TestCase):
    """The fourth and fifth row are bad in every way to say so."""

    def setUp(self) -> None:
        self.controller = Controller(text_program("Y1 := X1 AND X2;"), Profile())
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def read(self, name: str) -> tuple[list[tuple[int, str, int]], int, list[str]]:
        loaded = read_logs([self.folder / name], self.controller.running, Profile())
        log, tags = loaded.value, self.controller.running.tags
        rows = [(t // 10**9, tags[tag].name, v) for t, tag, v in zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True)]
        return rows, log.set_aside, [str(n) for n in loaded.notices]

    def both(self, header: str, cells: list[str]) -> list[tuple[list[tuple[int, str, int]], int, list[str]]]:
        text = "".join(f"{t},{tag},{v},{q}\n" for (t, tag, v), q in zip(ROWS, cells, strict=True))
        (self.folder / "log.csv").write_text(f"time,tag,value,{header}\n{text}")
        table = {"time": [float(t) for t, _, _ in ROWS], "tag": [n for _, n, _ in ROWS], "value": [bool(v) for _, _, v in ROWS], header: cells}
        pq.write_table(pa.table(table), self.folder / "log.parquet")  # type: ignore[no-untyped-call]
        return [self.read("log.csv"), self.read("log.parquet")]

    def test_bad_rows_are_set_aside(self) -> None:
        for header, good, bad, other in (("quality", "Good", "Bad", "Uncertain"), ("Quality", "GOOD (local override)", "BadNoCommunication", ""),
                                         ("StatusCode", "0", "2147483648", "1073741824"), ("status code", "0x00000000", "0x80310000", "0"),
                                         ("valid", "TRUE", "FALSE", "true"), ("Validity", "1", "0", "1"), ("is_valid", "valid", "invalid", ""),
                                         ("Gültig", "ja", "nein", "Ja"), ("status", "Good", "Bad", "ok"),
                                         ("Quality", "192", "24", "64"), ("Qualität", "Gut", "Schlecht", "gut"), ("quality", "0", "-2144731136", "0")):
            for rows, aside, notices in self.both(header, [good, good, other, bad, bad, good]):
                with self.subTest(header=header, bad=bad):
                    self.assertEqual((rows, aside), ([r for n, r in enumerate(ROWS) if n not in (3, 4)], 2))
                    self.assertIn(f"the recorder calls this value of X1 bad ({bad})", "\n".join(notices))

    def test_what_is_not_understood_is_said_and_counts(self) -> None:
        for cells in (["fine", "fine", "odd", "fine", "fine", "fine"], ["1", "1", "1", "0", "0", "1"], ["192.5", "0", "0", "0", "0", "0"]):
            for rows, aside, notices in self.both("quality", cells):
                self.assertEqual((rows, aside), (ROWS, 0))
                self.assertIn("what column quality says is not understood", "\n".join(notices))

    def test_nothing_is_bad_where_nothing_says_so(self) -> None:
        for header, cells in (("quality", ["Good"] * 6), ("quality", [""] * 6), ("quality", ["0"] * 6), ("comment", ["Bad"] * 6), ("status", ["Running", "Good", "Bad", "Bad", "Good", "Good"]),
                              ("status", [""] * 6), ("status", ["0", "1", "192", "0", "0", "0"])):
            for rows, aside, notices in self.both(header, cells):
                self.assertEqual((rows, aside, [n for n in notices if "column" in n or "bad" in n]), (ROWS, 0, []), (header, cells))

    def test_a_table_in_several_batches(self) -> None:
        for words, bad in ((["Good", "Good", "Bad"], 1), (["odd", "Good", "Bad"], 0), ([None, "Good", "Bad"], 1)):
            count = 2 * BATCH + 1
            said = [words[n // BATCH] for n in range(count)]
            table = {"time": [n / 100 for n in range(count)], "tag": ["X1"] * count, "value": [bool(n & 1) for n in range(count)], "quality": said}
            pq.write_table(pa.table(table), self.folder / "log.parquet")  # type: ignore[no-untyped-call]
            rows, aside, notices = self.read("log.parquet")
            self.assertEqual((len(rows), aside, "is not understood" in "\n".join(notices)), (count - bad, bad, words[0] == "odd"))

    def test_it_turns_bad_long_after_the_rows_that_were_looked_at(self) -> None:
        count = SAMPLES + 500
        lines = "".join(f"{n},X1,{n % 2},{'0x80000000' if n == count - 3 else '0'}\n" for n in range(count))
        (self.folder / "log.csv").write_text(f"time,tag,value,quality\n{lines}")
        rows, aside, _ = self.read("log.csv")
        self.assertEqual((len(rows), aside), (count - 1, 1))
        self.assertNotIn(count - 3, [t for t, _, _ in rows])


if __name__ == "__main__":
    unittest.main()
