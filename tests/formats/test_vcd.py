"""Logs as value change dumps hold what the same log in CSV holds; what is damaged is told with its line."""

from __future__ import annotations

import gzip
import io
import tempfile
import unittest
from pathlib import Path
from random import Random
from typing import TypeVar

from vcd import VCDWriter
from vcd.reader import TokenKind, VarDecl, tokenize

from tests.strategies import random_case, random_log
from tests.texts import text_program
from whorlograph.desk.results import replay_into
from whorlograph.desk.session import Paths, load
from whorlograph.engine.controller import Controller
from whorlograph.formats.logs import read_logs
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.errors import LogError
from whorlograph.model.literals import duration, value_text
from whorlograph.model.log import Log
from whorlograph.model.profile import Profile

Value = TypeVar("Value", str, float)

_KINDS = {"X1": ("wire", 1), "A": ("reg", 16), "D1": ("integer", 32), "B": ("integer", 32), "W": ("reg", 8), "R": ("real", 64)}
_LOCAL = "D1 : DINT; W : BYTE; R : REAL;"


class Dumps(unittest.TestCase):
    """One program, dumps of every kind of tag."""

    def setUp(self) -> None:
        self.controller = Controller(text_program("Y1 := X1 AND A > 3 AND D1 > 0 AND W > 1 AND R > 1.0;", _LOCAL), Profile())
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def read(self, name: str, data: bytes) -> Log:
        path = self.folder / name
        path.write_bytes(data)
        loaded = read_logs([path], self.controller.running, Profile())
        self.said = [str(n) for n in loaded.notices]
        return loaded.value

    def rows(self, log: Log) -> list[tuple[int, int, int]]:
        return list(zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True))

    def test_the_same_as_in_csv(self) -> None:
        for seed, count in ((1, 0), (2, 1), (3, 40), (4, 9000)):
            random, out, lines = Random(seed), io.StringIO(), ["time,tag,value", "0.000,R,0.0"]
            with VCDWriter(out, timescale="1 ms") as writer:
                known = {name: writer.register_var("works.cell", name, kind, size=size, init="x" if kind != "real" else 0.0) for name, (kind, size) in _KINDS.items()}
                last: dict[str, float] = {"R": 0.0}
                for n in range(1, count + 1):
                    name = random.choice(list(_KINDS))
                    value: float = {"X1": random.randint(0, 1), "A": random.randint(-30000, 30000), "D1": random.randint(-70000, 70000), "B": random.randint(-3000, 3000),
                                    "W": random.randint(0, 255), "R": random.randint(-40, 40) / 8}[name]
                    if last.get(name) != value:
                        last[name] = value
                        writer.change(known[name], n, value % 65536 if name == "A" else value % (1 << 32) if name in ("B", "D1") else value)
                        lines.append(f"{n / 1000:.3f},{name},{value}")
            dump = out.getvalue().encode()
            table = self.read("log.csv", "\n".join(lines).encode() + b"\n")
            for name, data in (("log.vcd", dump), ("log.vcd.gz", gzip.compress(dump))):
                log = self.read(name, data)
                self.assertEqual(self.rows(log), self.rows(table), (seed, name, self.said))
                self.assertEqual((log.set_aside, self.said), (0, []))

    def test_scales_scopes_and_what_is_not_known(self) -> None:
        head = "$scope module works $end $var wire 1 ! X1 $end $var wire 1 % Nobody $end $var reg 16 a A [15:0] $end $upscope $end $enddefinitions $end\n"
        for scale, ns in (("1 s", 1_000_000_000), ("10 us", 10_000), ("100ns", 100), ("1 ps", 0)):
            log = self.read("a.vcd", f"$timescale {scale} $end {head}#0\nx!\nbx a\n#1\n1!\nb11 a\n1%\n#2\n0!\n".encode())
            first = log.times[0]
            self.assertEqual([(t - first, v) for t, _, v in self.rows(log)], [(0, 1), (0, 3), (ns, 0)])
            self.assertTrue(any("works.Nobody is no tag" in s for s in self.said))
        log = self.read("a.vcd", f"{head}#5\n1!\nb11111111111111111 a\n".encode())
        self.assertEqual((len(log.times), log.set_aside), (1, 1))

    def test_damage_is_told(self) -> None:
        head = b"$var wire 1 ! X1 $end $enddefinitions $end\n#0\n1!\n"
        log = self.read("a.vcd", head + b"#1\n0!\n#zz\n1!\n")
        self.assertEqual(len(log.times), 2)
        self.assertTrue(any("cannot be read from its line 6 on" in s for s in self.said), self.said)
        for data in (b"time,tag,value\n0,X1,1\n", b"$enddefinitions $end\n#0\n", b"$var wire\n", b"\x00\x01\x02", b"$timescale 1 fs $end $var wire 1 ! X1 $end"):
            with self.assertRaises(LogError):
                self.read("b.vcd", data)


class Results(unittest.TestCase):
    """Settled values written as a dump hold what those in CSV hold."""

    def test_the_same_as_in_csv(self) -> None:
        total = 0
        for seed in range(6):
            random = Random(seed)
            program, profile = random_case(random, tasked=seed % 2 == 0)
            with self.subTest(seed=seed), tempfile.TemporaryDirectory() as folder:
                path = Path(folder)
                (path / "p.xml").write_bytes(write_xml(program))
                (path / "profile.toml").write_text(f'scan_time = "{profile.scan_time}ns"\nrung_time = "{profile.rung_time}ns"\non_overflow = "wrap"\n')
                running = Controller(program, profile).running
                log = random_log(random, running)
                lines = [f"{t / 1e9:.9f},{running.tags[n].name},{value_text(v, running.tags[n].type)}"
                         for t, n, v in zip(log.times.tolist(), log.tags.tolist(), log.values.tolist(), strict=True)]
                (path / "log.csv").write_text("\n".join(["time,tag,value", *lines]) + "\n")
                session = load(Paths(path / "p.xml", (path / "log.csv",), None, path / "profile.toml"))
                for name in ("out.csv", "out.vcd"):
                    replay_into(session, path / name)
                table, dump = self.table(path / "out.csv"), self.dump((path / "out.vcd").read_bytes())
                self.assertEqual(set(table), set(dump))
                for tag, rows in table.items():
                    self.assertEqual([(t, number(v)) for t, v in rows], [(t, v) for t, v in dump[tag]], tag)
                total += sum(len(r) for r in table.values())
        self.assertGreater(total, 300)

    def table(self, path: Path) -> dict[str, list[tuple[int, str]]]:
        found: dict[str, list[tuple[int, str]]] = {}
        for line in path.read_text().splitlines()[1:]:
            time, _, tag, value = line.split(",", 3)
            found.setdefault(tag, []).append((round(float(time) * 1e6), value))
        return {tag: last_of_each(rows) for tag, rows in found.items()}

    def dump(self, data: bytes) -> dict[str, list[tuple[int, float]]]:
        scopes: list[str] = []
        names: dict[str, tuple[str, VarDecl]] = {}
        found: dict[str, list[tuple[int, float]]] = {}
        now = 0
        for token in tokenize(io.BytesIO(data)):
            if token.kind is TokenKind.SCOPE:
                scopes.append(token.scope.ident)
            elif token.kind is TokenKind.UPSCOPE:
                scopes.pop()
            elif token.kind is TokenKind.VAR:
                path = [s for s in (*scopes, token.var.ref_str) if s != "program"]
                names[token.var.id_code] = ".".join(path), token.var
            elif token.kind is TokenKind.CHANGE_TIME:
                now = token.time_change
            elif token.kind in (TokenKind.CHANGE_SCALAR, TokenKind.CHANGE_VECTOR, TokenKind.CHANGE_REAL):
                name, declared = names[token.data.id_code]  # type: ignore[union-attr]
                value = float(token.data.value)  # type: ignore[union-attr]
                found.setdefault(name, []).append((now, signed(value, declared)))
        return {tag: last_of_each(rows) for tag, rows in found.items()}


def signed(value: float, declared: VarDecl) -> float:
    """A word of sixteen bits and more as two's complement: the random programs have INT, DINT and TIME."""
    return value - (1 << declared.size) if declared.type_.value == "reg" and value >= 1 << (declared.size - 1) else value


def number(text: str) -> float:
    """What a cell of the table says, a duration in ns."""
    return float(duration(text)) if text.upper().startswith(("T#", "-T#")) else float(text)


def last_of_each(rows: list[tuple[int, Value]]) -> list[tuple[int, Value]]:
    """The last row of each instant, changes only: what a dump keeps."""
    last = dict(rows)
    kept: list[tuple[int, Value]] = []
    for time in sorted(last):
        if not kept or kept[-1][1] != last[time]:
            kept.append((time, last[time]))
    return kept
