"""Logs as Parquet hold what the same log in CSV holds, whatever their columns are; results written so hold what those in CSV hold."""

from __future__ import annotations

import csv
import datetime as dt
import tempfile
import unittest
from pathlib import Path
from random import Random
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq

from tests.texts import text_program
from whorlograph.desk.results import replay_into
from whorlograph.desk.session import Paths, load
from whorlograph.engine.controller import Controller
from whorlograph.formats.logs import read_logs
from whorlograph.formats.logs.parquet import BATCH
from whorlograph.model.errors import LogError
from whorlograph.model.log import Log
from whorlograph.model.profile import Profile

_LOCAL = "D1 : DINT; W : BYTE; R : REAL; Word : STRING; M : Mode;"
_BEFORE = "TYPE Mode : (Idle, Run, Trip); END_TYPE"
_START = dt.datetime(2031, 4, 25, 3, 0, tzinfo=dt.UTC)


class Tables(unittest.TestCase):
    """One program, tables of every kind of column."""

    def setUp(self) -> None:
        body = "Y1 := X1 AND A > 3 AND D1 > 0 AND W > 1 AND R > 1.0 AND Word = 'go' AND M = Run;"
        self.controller = Controller(text_program(body, _LOCAL, _BEFORE), Profile())
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def read(self, name: str) -> tuple[Log, list[tuple[int, int, int]], list[str]]:
        loaded = read_logs([self.folder / name], self.controller.running, Profile())
        log = loaded.value
        return log, list(zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True)), [str(n) for n in loaded.notices]

    def table(self, name: str, columns: dict[str, Any]) -> None:
        pq.write_table(pa.table(columns), self.folder / name)  # type: ignore[no-untyped-call]

    def test_long_and_wide_the_same_as_in_csv(self) -> None:
        for seed, count in ((1, 0), (2, 1), (3, 60), (4, BATCH + 3)):
            random = Random(seed)
            wide: dict[str, list[Any]] = {n: [] for n in ("X1", "A", "D1", "W", "R", "Word", "M")}
            for _ in range(count):
                for name, value in (("X1", random.random() < 0.5), ("A", random.randint(-30000, 30000)), ("D1", random.randint(-70000, 70000)), ("W", random.randint(0, 255)),
                                    ("R", random.randint(-40, 40) / 8), ("Word", random.choice(["go", "stop it", "x,y"])), ("M", random.choice(["Run", "Trip"]))):
                    wide[name].append(None if random.random() < (0.4 if count < BATCH else 0.97) else value)
            times = [n * 7 for n in range(count)]
            with (self.folder / "log.csv").open("w", newline="") as file:
                writer = csv.writer(file)
                writer.writerow(["time", *wide])
                writer.writerows([f"{t / 1000:.3f}", *("" if (v := wide[n][i]) is None else int(v) if n == "X1" else v for n in wide)] for i, t in enumerate(times))
            log, rows, _ = self.read("log.csv")
            types = {"X1": pa.bool_(), "A": pa.int16(), "D1": pa.int64(), "W": pa.uint8(), "R": pa.float32(), "Word": pa.string(), "M": pa.dictionary(pa.int8(), pa.string())}
            self.table("wide.parquet", {"time": pa.array([t / 1000 for t in times], pa.float64()), **{n: pa.array(v, types[n]) for n, v in wide.items()}})
            self.table("ms.parquet", {"time [ms]": pa.array(times, pa.int32()), **{n: pa.array(v, types[n]) for n, v in wide.items()}})
            listed = [(t, n, "1" if v is True else "0" if v is False else str(v)) for i, t in enumerate(times) for n in wide if (v := wide[n][i]) is not None]
            if count:  # of a log without a row nobody knows how long it lasts
                listed += [(times[-1], "Nobody", "1")]
            self.table("long.parquet", {"tag": [n for _, n, _ in listed], "time": pa.array([t / 1000 for t, _, _ in listed], pa.float64()), "value": [v for _, _, v in listed]})
            for name in ("wide.parquet", "ms.parquet", "long.parquet"):
                other, found, _ = self.read(name)
                self.assertEqual(found, rows, (seed, name))
                self.assertEqual((other.end, other.set_aside), (log.end, 0), (seed, name))

    def test_instants_with_and_without_a_zone_need_no_name(self) -> None:
        for unit in ("s", "ms", "us", "ns"):
            for zone in (None, "UTC", "Europe/Oslo"):
                stamps = [_START + dt.timedelta(seconds=n) for n in (0, 2, 3)]
                self.table("a.parquet", {"when": pa.array([s if zone else s.replace(tzinfo=None) for s in stamps], pa.timestamp(unit, zone)), "X1": [True, None, False]})
                _, rows, said = self.read("a.parquet")
                self.assertEqual([(t, v) for t, _, v in rows], [(0, 1), (3_000_000_000, 0)], (unit, zone))
                self.assertTrue(any("when is taken as time" in s for s in said))

    def test_what_cannot_be_used_is_set_aside_or_refused(self) -> None:
        self.table("a.parquet", {"time": ["0", "soon", None, "3"], "X1": ["1", "0", "0", "perhaps"], "Nobody": [1, 2, 3, 4]})
        log, rows, said = self.read("a.parquet")
        self.assertEqual((len(rows), log.set_aside), (1, 3))
        self.assertTrue(any("Nobody is no tag" in s for s in said))
        self.table("b.parquet", {"x": [1], "y": [2]})
        whole = (self.folder / "a.parquet").read_bytes()
        for name, data in (("c.parquet", b""), ("d.parquet", b"time,tag,value\n"), ("e.parquet", whole[:-20]), ("b.parquet", None), ("f.parquet", whole[:40] + b"\0" * 60 + whole[100:])):
            if data is not None:
                (self.folder / name).write_bytes(data)
            with self.assertRaises(LogError, msg=name) as caught:
                self.read(name)
            self.assertNotIn("\n", str(caught.exception))

    def test_a_polled_table_and_a_list_of_events_go_together(self) -> None:
        (self.folder / "polled.csv").write_text("time,A,X1\n0,1,0\n1,5,0\n2,5,1\n3,7,0\n")
        (self.folder / "events.csv").write_text("time,tag,value\n0.25,X1,1\n0.5,X1,0\n1.75,X1,1\n2.25,X1,0\n")
        for order in (("polled.csv", "events.csv"), ("events.csv", "polled.csv")):
            log = read_logs([self.folder / n for n in order], self.controller.running, Profile()).value
            x1 = self.controller.running.by_name["x1"]
            self.assertEqual([(t // 10**6, v) for t, n, v in zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True) if n == x1],
                             [(0, 0), (250, 1), (500, 0), (1000, 0), (1750, 1), (2000, 1), (2250, 0), (3000, 0)])


class Results(unittest.TestCase):
    """``replay --out F.parquet``."""

    def test_the_same_as_in_csv(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder)
            (path / "p.st").write_text("PROGRAM P VAR X AT %IX0.0 : BOOL; N : INT; R : REAL; S : STRING; END_VAR\nIF X THEN N := N + 1; R := R + 0.25; S := CONCAT('n, ', INT_TO_STRING(N)); "
                                       "END_IF;\nEND_PROGRAM\n")
            (path / "log.csv").write_text("time,X\n" + "".join(f"{n / 10},{n % 2}\n" for n in range(200)))
            for name in ("out.csv", "out.parquet"):
                replay_into(load(Paths(path / "p.st", (path / "log.csv",))), path / name)
            with (path / "out.csv").open(newline="") as file:
                wanted = [(float(r["time"]), int(r["scan"]), r["tag"], r["value"]) for r in csv.DictReader(file)]
            found = [(r["time"], r["scan"], r["tag"], r["value"]) for r in pq.read_table(path / "out.parquet").to_pylist()]  # type: ignore[no-untyped-call]
            self.assertEqual(found, wanted)
            self.assertGreater(len(found), 1000)


if __name__ == "__main__":
    unittest.main()
