"""Forty logs as recorders write them: each loads right, or is refused with one sentence that tells the remedy."""

from __future__ import annotations

import gzip
import io
import tempfile
import unittest
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import zstandard

from tests.texts import text_program
from whorlograph.engine.controller import Controller
from whorlograph.formats.logs import read_logs
from whorlograph.formats.profile import read_profile
from whorlograph.model.errors import LogError
from whorlograph.model.literals import cooked
from whorlograph.model.profile import Profile

# The same course in all that are right: X1 on from 1 s to 3 s, A goes 5, 7, R goes 0.5, 1.25.
_COURSE = ((0, "X1", False), (0, "A", 5), (0, "R1", 0.5), (1, "X1", True), (2, "A", 7), (3, "X1", False), (3, "R1", 1.25))


def _long(form: str, times: list[str], head: str, true: str = "1", false: str = "0", names: dict[str, str] | None = None, comma: bool = False) -> bytes:
    rows = []
    for t, name, value in _COURSE:
        shown = (true if value else false) if isinstance(value, bool) else str(value).replace(".", ",") if comma else str(value)
        rows.append(form.format(t=times[t], n=(names or {}).get(name, name), v=shown))
    return ("\n".join([head, *rows]) + "\n").encode()


_S = ["0", "1", "2", "3"]
_ISO = [f"2031-04-25T03:00:0{s}.000" for s in range(4)]
_WIDE = "{}X1,A,R1\n{},0,5,0.5\n{},1,,\n{},1,7,\n{},0,7,1.25\n"
_PLAIN = _long("{t},{n},{v}", _S, "time,tag,value")
_DUMP = """$date today $end $timescale 1 ms $end $scope module kiln $end $var wire 1 ! X1 $end $var integer 32 " A $end $var real 64 # R1 $end
$upscope $end $enddefinitions $end
#0
0!
b101 "
r0.5 #
#1000
1!
#2000
b111 "
#3000
0!
r1.25 #
"""


def _parquet(**columns: object) -> bytes:
    out = io.BytesIO()
    pq.write_table(pa.table(columns), out)  # type: ignore[no-untyped-call]
    return out.getvalue()


# (what it is, the file's name, its bytes, the profile)
RIGHT: list[tuple[str, str, bytes, str]] = [
    ("long, seconds", "a.csv", _PLAIN, ""),
    ("long, decimals of seconds", "a.csv", _long("{t}.000000,{n},{v}", _S, "Time,Tag,Value"), ""),
    ("long, a local date", "a.csv", _long("{t},{n},{v}", _ISO, "timestamp,name,value"), ""),
    ("long, a zone", "a.csv", _long("{t}+02:00,{n},{v}", _ISO, "timestamp,name,value"), ""),
    ("long, UTC with a blank", "a.csv", _long("{t}Z,{n},{v}", [t.replace("T", " ") for t in _ISO], "timestamp,tagname,value"), ""),
    ("semicolons, decimal commas, days first", "a.csv", _long("{t};{n};{v}", [f"25.04.2031 03:00:0{s}" for s in range(4)], "Zeitstempel;Kanal;Wert", comma=True), ""),
    ("tabs", "a.txt", _long("{t}\t{n}\t{v}", _S, "time\ttag\tvalue"), ""),
    ("months first, afternoon", "a.csv", _long("{t},{n},{v}", [f"4/25/2031 3:00:0{s} PM" for s in range(4)], "date/time,tag,value"), ""),
    ("quotes around everything", "a.csv", _long('"{t}","{n}","{v}"', _S, '"time","tag","value"'), ""),
    ("a byte order mark and other line ends", "a.csv", b"\xef\xbb\xbf" + _PLAIN.replace(b"\n", b"\r\n"), ""),
    ("UTF-16", "a.csv", _PLAIN.decode().encode("utf-16"), ""),
    ("true and false", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", "TRUE", "FALSE"), ""),
    ("on and off", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", "On", "Off"), ""),
    ("yes and no", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", "yes", "no"), ""),
    ("words of another language", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", "EIN", "Aus"), ""),
    ("no header, milliseconds since 1970", "a.csv", _long("{t},{n},{v}", [str(1_935_000_000_000 + 1000 * s) for s in range(4)], "")[1:], ""),
    ("BOOL as a decimal", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", "1.000", "0.000"), ""),
    ("words that the profile gives", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", "made", "broken"), '[log]\ntrue = ["made"]\nfalse = ["broken"]'),
    ("milliseconds since 1970", "a.csv", _long("{t},{n},{v}", [str(1_935_000_000_000 + 1000 * s) for s in range(4)], "ts,tag,value"), ""),
    ("seconds since 1970", "a.csv", _long("{t},{n},{v}", [str(1_935_000_000 + s) for s in range(4)], "ts,tag,value"), ""),
    ("milliseconds by the header's unit", "a.csv", _long("{t}000,{n},{v}", _S, "time [ms],tag,value").replace(b"\n0000", b"\n0"), ""),
    ("addresses", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", names={"X1": "%IX0.0", "R1": "%ID4"}), ""),
    ("addresses without the per cent sign", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", names={"X1": "IX0.0", "R1": "ID4"}), ""),
    ("dotted full paths", "a.csv", _long("{t},{n},{v}", _S, "time,tag,value", names={n: f"Kiln.Resource1.{n}" for n in ("X1", "A", "R1")}), ""),
    ("names in another case", "a.csv", _long("{t},{n},{v}", _S, "TIME,TAG,VALUE", names={"X1": "x1", "A": "a"}), ""),
    ("lines above the header", "a.csv", b"Recorder QX\nSerial;4711\nSite: kiln 3\n\n" + _PLAIN, ""),
    ("lines above, with commas of their own", "a.csv", b"Report,April,2031\nof,the,kiln\n" + _PLAIN, ""),
    ("as many lines left out as the profile says", "a.csv", b"time,is,money\n1,2,3\n" + _PLAIN, "[log]\nskip = 2"),
    ("remarks amid the rows", "a.csv", _PLAIN.replace(b"\n2,", b"\n# lunch\n2,") + b"# end\n", ""),
    ("a column of row numbers", "a.csv", _long("7,{t},{n},{v}", _S, "No.,time,tag,value"), ""),
    ("further columns", "a.csv", _long("{t},{n},good,{v},192", _S, "time,tag,quality,value,code"), ""),
    ("columns of names of their own", "a.csv", _long("{v};{n};{t}", _ISO, "how much;what;when"), ""),
    ("columns that the profile names", "a.csv", _long("{v},{n},{t}", _S, "x,y,z"), '[log]\ntime = "z"\ntag = "y"\nvalue = "x"'),
    ("wide", "a.csv", _WIDE.format("time,", *_S).encode(), ""),
    ("wide, units behind the names", "a.csv", _WIDE.format("time (s),", *_S).replace("A,R1", "A [cm],R1 [bar]").encode(), ""),
    ("wide, date and time of day apart", "a.csv", ("date,time,X1,A,R1\n" + "".join(f"2031-04-25,03:00:0{s},{v}\n" for s, v in enumerate(("0,5,0.5", "1,,", "1,7,", "0,7,1.25")))).encode(), ""),
    ("packed", "a.csv.gz", gzip.compress(_PLAIN), ""),
    ("packed, the newer way", "a.csv.zst", zstandard.compress(_PLAIN), ""),
    ("a value change dump", "a.vcd", _DUMP.encode(), ""),
    ("Parquet, wide, instants", "a.parquet", _parquet(when=pa.array([1_935_000_000 + s for s in range(4)], pa.timestamp("s", "UTC")), X1=[False, True, True, False],
                                                      A=pa.array([5, None, 7, 7], pa.int16()), R1=[0.5, None, None, 1.25]), ""),
    ("Parquet, long", "a.parquet", _parquet(time=[float(t) for t, _, _ in _COURSE], tag=[n for _, n, _ in _COURSE], value=[str(v) for _, _, v in _COURSE]), ""),
    ("rows out of order", "a.csv", b"\n".join([_PLAIN.split(b"\n")[0], *reversed(_PLAIN.strip().split(b"\n")[1:])]) + b"\n", ""),
]
# (what it is, name, bytes, what the sentence says)
REFUSED: list[tuple[str, str, bytes, str]] = [
    ("open and closed", "a.csv", _long("{t},X1,{v}", _S, "time,tag,value", "closed", "open").replace(b"5", b"open").replace(b"7", b"open").replace(b"0.open", b"open")
     .replace(b"1.2open", b"open"), "[log] true"),
    ("no column of time", "a.csv", b"idx,x,y\nx,a,3\ny,b,9\n", '[log] time = "..."'),
    ("nothing in it", "a.csv", b"\n\n", "the log is empty"),
    ("a picture", "a.csv", b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 30, "give a CSV file"),
    ("an I/O list", "a.csv", b"tag,address,device\nX1,%IX0.0,S1\n", "--io-list"),
    ("times that are none", "a.csv", b"time,tag,value\nsoon,X1,1\nlater,X1,0\n", "check the columns"),
    ("a torn pack", "a.csv.gz", gzip.compress(_PLAIN)[:12], "pack it again"),
    ("a torn Parquet file", "a.parquet", _parquet(time=[1.0], X1=[True])[:60], "export it again"),
]


class Forty(unittest.TestCase):
    """One program; each log by itself."""

    def setUp(self) -> None:
        self.controller = Controller(text_program("Y1 := X1 AND A > 3 AND R1 > 1.0;"), Profile())
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_there_are_forty(self) -> None:
        self.assertGreaterEqual(len(RIGHT), 40)

    def test_what_is_right_holds_the_same_course(self) -> None:
        tags = self.controller.running.tags
        for what, name, data, profile in RIGHT:
            with self.subTest(what):
                (self.folder / name).write_bytes(data)
                (self.folder / "p.toml").write_text(profile)
                loaded = read_logs([self.folder / name], self.controller.running, read_profile(self.folder / "p.toml"))
                log, last = loaded.value, {}
                found = []
                for t, tag, bits in zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True):
                    if last.get(tag) != bits:
                        last[tag] = bits
                        found.append((t / 1e9, tags[tag].name, cooked(bits, tags[tag].type)))
                self.assertEqual(sorted(found), sorted(_COURSE), [str(n) for n in loaded.notices])
                self.assertEqual((log.set_aside, log.end), (0, 3_000_000_000))

    def test_what_is_not_is_refused_in_one_sentence_with_its_remedy(self) -> None:
        for what, name, data, said in REFUSED:
            with self.subTest(what):
                (self.folder / name).write_bytes(data)
                with self.assertRaises(LogError) as caught:
                    read_logs([self.folder / name], self.controller.running, Profile())
                line = caught.exception.line()
                self.assertIn(said, line)
                self.assertIn(name, line)
                self.assertNotIn("\n", line)
                self.assertTrue(caught.exception.remedy)


if __name__ == "__main__":
    unittest.main()
