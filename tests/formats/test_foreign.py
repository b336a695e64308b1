"""Files of other kinds given as logs, lists and programs: one sentence that tells what they are."""

from __future__ import annotations

import bz2
import tempfile
import unittest
import zipfile
from pathlib import Path

import pyarrow as arrow
from pyarrow import parquet

from tests.building import program_of
from whorlograph.engine.controller import Controller
from whorlograph.formats.foreign import foreign
from whorlograph.formats.iolist import read_iolist
from whorlograph.formats.logs import read_logs
from whorlograph.formats.programs import read_program
from whorlograph.model.errors import InputError
from whorlograph.model.parts import coil, no
from whorlograph.model.profile import Profile


class Foreign(unittest.TestCase):
    """Each is refused by what it is, whatever it is called."""

    def test_what_begins_like_something_else(self) -> None:
        running = Controller(program_of(lambda ladder: ladder.rung(no("X1"), coil("Y1")), "X1 Y1"), Profile()).running
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            with zipfile.ZipFile(place / "sheet.csv", "w") as packed:
                packed.writestr("xl/workbook.xml", "<workbook/>")
            (place / "paper.csv").write_bytes(b"%PDF-1.7 ...")
            (place / "page.csv").write_bytes(b"\xef\xbb\xbf \n<!doctype HTML><html></html>")
            (place / "short.csv").write_bytes(b"PK")
            (place / "packed.csv").write_bytes(bz2.compress(b"time,tag,value\n0,X1,1\n", 3))
            parquet.write_table(arrow.table({"time": [0.0], "X1": [1]}), place / "columns.csv")
            for name, said in (("packed", "a packed file (bzip2)"), ("columns", "a Parquet file"), ("sheet", "a zip archive or a spreadsheet"), ("paper", "a PDF document"), ("page", "a web page")):
                path = place / f"{name}.csv"
                for read in (lambda path: read_logs([path], running, Profile()), lambda path: read_iolist(path, running), read_program):
                    with self.subTest(name=name), self.assertRaises(InputError) as caught:
                        read(path)
                    self.assertEqual((caught.exception.place, caught.exception.what), (str(path), f"is {said}"))
            with self.assertRaises(InputError) as caught:
                read_logs([place / "short.csv"], running, Profile())
            self.assertNotIn("archive", caught.exception.what)

    def test_ours_are_none_of_them(self) -> None:
        for start in (b"time,tag,value\n", b"<?xml version", b"\xef\xbb\xbf<project", b"PROGRAM Main", b"$date", b"\x1f\x8b\x08", b"\xff\xfet\0i\0", b"", b"P", b"BZh1;BZh2", b"bzh_Temp,X1", b"PAR1,PAR2",
                      b"Rar! said", b"<project><html"):
            self.assertIsNone(foreign(start), start)


if __name__ == "__main__":
    unittest.main()
