"""The fast reader of long logs gives what the general reader gives."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from random import Random
from unittest.mock import patch

import numpy as np

from tests.building import program_with
from whorlograph.engine.scope.elaborate import elaborate
from whorlograph.formats import settled_csv
from whorlograph.formats.logs import csv_table, read_logs
from whorlograph.model.log import Log
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Profile
from whorlograph.model.program import Configuration, Program, Resource, Variable, VariableKind
from whorlograph.model.tags import Running
from whorlograph.model.types import DINT, LREAL, TIME


def _plant() -> Running:
    program = program_with({}, "X1 X2 Y1 N1")
    more = tuple(Variable(n, t, VariableKind.GLOBAL) for n, t in (("Level", LREAL), ("Total", DINT), ("Wait", TIME)))
    one = program.configurations[0]
    return elaborate(Program("p", {}, {}, (Configuration("c", (Resource("r", ()),), one.variables + more),)))[0]


def _line(random: Random, time: str, odd: float) -> str:
    tag, value = random.choice((("X1", "1"), ("x2", "0"), ("%QX0.0", "1"), ("N1", str(random.randint(-40000, 40000))), ("Level", "2.5"),
                                ("Total", str(random.randint(-10**6, 10**6))), ("Wait", "T#1s"), ("Ghost", "1"), ("Level", "-3e2")))
    line = f"{time},{tag},{value}"
    if random.random() < odd:
        line = random.choice((f" {line}", f"{line} ", f"{time},{tag},", f"{time},{tag}", f"{line},,", f"{line},x", "nan,X1,1", "1e300,X1,1",
                              f"{time},X1,TRUE", f"{time},X1,2", f"{time},X1,10", f"{time},N1,99999", f"{time},Level,much", ",X1,1",
                              f"{time},Total,1.0", "", f"{time},N1,-", f"{time}, X1 ,0", "12:00,X1,1", f"{time},X1,11111111111111111111"))
    return line


def _seconds(random: Random, at: float) -> str:
    return random.choice((f"{at:.3f}", f"{at:.6f}", f"{at:.10f}", f"{int(at)}", f"{int(at)}.", f"-{at:.1f}", f"+{at:.1f}", f"0000{at:.2f}"))


def _dated(random: Random, at: float) -> str:
    day, rest = 10 + int(at // 86400), at % 86400
    clock = f"{int(rest // 3600):02}:{int(rest // 60 % 60):02}:{int(rest % 60):02}"
    part = random.choice(("", ".5", f".{random.randint(0, 999999):06}"))
    zone = random.choice(("+02:00",) * 20 + ("Z", "+01:00", "", "+0200"))
    return f"2031-06-{day}{random.choice('TTTTTTTT ')}{clock}{part}{zone}"


def _fast(path: Path, running: Running) -> Loaded[Log]:
    """Read with the fast reader, which must not have stepped aside."""
    with patch.object(csv_table, "WORTH_IT", 0), patch.object(csv_table, "_generally", side_effect=AssertionError("read in general")):
        return read_logs([path], running, Profile())


class PlainLines(unittest.TestCase):
    """Random logs, read both ways."""

    def same(self, text: str) -> Log:
        running = _plant()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "log.csv"
            path.write_bytes(text.encode())
            fast = _fast(path, running)
            with patch.object(csv_table, "WORTH_IT", 1 << 60):
                general = read_logs([path], running, Profile())
        for name in ("times", "tags", "values"):
            ours, theirs = getattr(fast.value, name), getattr(general.value, name)
            self.assertEqual(len(ours), len(theirs), name)
            at = np.nonzero(ours != theirs)[0][:1]
            self.assertFalse(len(at), f"{name} {at}: {ours[at]} {theirs[at]}")
        for name in ("origin", "end", "clock", "rows", "set_aside", "unknown", "out_of_order"):
            self.assertEqual(getattr(fast.value, name), getattr(general.value, name), name)
        self.assertEqual(fast.value.examples, general.value.examples)
        return fast.value

    def test_random_logs_in_seconds_and_dates(self) -> None:
        for seed in range(40):
            random = Random(seed)
            write = _seconds if seed % 2 else _dated
            lines, at = [f"{'1.5' if seed % 2 else '2031-06-10T00:00:00.5+02:00'},X1,0"], 0.0
            for _ in range(random.choice((5, 300))):
                at += random.choice((0.0, 0.01, 7.5, 30_000.0 if seed % 4 == 2 else 1.0))
                at = min(at, 86400.0 * 15)
                lines.append(_line(random, write(random, at), 0.2 if seed % 3 else 0.0))
            end = "\r\n" if seed % 5 == 0 else "\n"
            with self.subTest(seed=seed):
                self.assertGreater(self.same("time,tag,value" + end + end.join(lines) + (end if seed % 2 else "")).rows, 0)

    def test_more_rows_than_a_block_holds(self) -> None:
        text = "time,tag,value\n" + "".join(f"{i},X1,{i & 1}\n" for i in range(700_000))
        running = _plant()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "log.csv"
            path.write_text(text)
            log = _fast(path, running).value
        self.assertEqual(len(log.times), 700_000)
        self.assertTrue(np.array_equal(log.times, np.arange(700_000) * 10**9))
        self.assertEqual(log.values.sum(), 350_000)

    def test_quotes_are_left_to_the_general_reader(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "log.csv"
            path.write_text('time,tag,value\n1,X1,0\n2,"X1","1"\n')
            with patch.object(csv_table, "WORTH_IT", 0):
                log = read_logs([path], _plant(), Profile()).value
        self.assertEqual(log.values.tolist(), [0, 1])

    def test_rows_are_written_alike_by_both_writers(self) -> None:
        running, random = _plant(), Random(5)
        whole = [t.index for t in running.tags if t.type is not LREAL and t.type.bits]
        scans = np.sort(np.array([random.choice((1, 9, 10, 123_456, 10**9)) for _ in range(500)], np.int64))
        numbers = np.array([random.choice(whole) for _ in scans], np.int32)
        wide = (0, 1, -1, 7, -(1 << 62), 10**18)
        values = np.array([random.choice(wide if running.tags[n].type in (DINT, TIME) else (0, 1)) for n in numbers], np.int64)
        written = []
        for least in (0, 1 << 60):
            with tempfile.TemporaryDirectory() as folder, patch.object(settled_csv, "WORTH_IT", least):
                path = Path(folder) / "out.csv"
                file = settled_csv.SettledCsv(path, running.tags)
                file.begin([])
                for part in (slice(0, 200), slice(200, 203), slice(203, None)):
                    file.add(scans[part], numbers[part], values[part], scans[part] * 1_234_567)
                written.append(path.read_bytes())
        self.assertEqual(written[0], written[1])
        self.assertEqual(written[0].count(b"\n"), 501)


if __name__ == "__main__":
    unittest.main()
