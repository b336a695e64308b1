"""Arithmetic on 64-bit types, rounding and conversions at the edges of their types: either engine the same, and few calls out of the module."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random
from unittest import mock

from tests.building import log_of
from tests.engine.agreement import difference
from whorlograph.engine.controller import Controller
from whorlograph.engine.wasm import host
from whorlograph.formats.programs.st import read
from whorlograph.model.profile import Overflow, Profile
from whorlograph.model.program import Program

WHOLE = ("SINT", "INT", "DINT", "LINT", "USINT", "UINT", "UDINT", "ULINT")
LOW, HIGH, MOST = -(1 << 63), (1 << 63) - 1, (1 << 64) - 1
SIGNED = (0, 1, -1, 2, -2, 7, LOW, LOW + 1, HIGH, HIGH - 1, 1 << 31, -(1 << 31), (1 << 31) - 1, 1 << 32, 3_037_000_500, -3_037_000_500, 1 << 53, 127, 128, -129, 32_768)
UNSIGNED = (0, 1, 2, 7, MOST, MOST - 1, HIGH, HIGH + 1, 1 << 32, (1 << 32) - 1, 255, 256, 65_536)
REALS = (0.0, -0.0, 0.5, 1.5, 2.5, -0.5, -1.5, 127.5, 128.0, 255.4, 255.5, -128.5, 2.0 ** 31, 2.0 ** 53 + 2, 2.0 ** 62, 9.3e18, -9.3e18, 1.8e19, 1e30, -1e30)
SUMS = {"ADD": "+", "SUB": "-", "MUL": "*", "DIV": "/", "MOD": "MOD"}


def _program(body: str, results: list[tuple[str, str]]) -> Program:
    inputs = "L1, L2 : LINT; U1, U2 : ULINT; D1, D2 : UDINT; G1, G2 : LREAL; R1 : REAL; T1, T2 : TIME;"
    declared = "".join(f"{name} : {type_};" for name, type_ in results)
    text = (f"PROGRAM Main VAR_EXTERNAL {inputs} {declared} END_VAR\n{body}\nEND_PROGRAM\n"
            f"CONFIGURATION C VAR_GLOBAL {inputs} {declared} END_VAR RESOURCE R ON P PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION")
    loaded = read(text.encode(), Path("x.st"))
    assert not loaded.notices, [str(n) for n in loaded.notices]
    return loaded.value


def _sums(*, times: bool) -> Program:
    lines, results = [], []
    for kind, type_ in (("T", "TIME"),) if times else (("L", "LINT"), ("U", "ULINT"), ("D", "UDINT")):
        for name, sign in SUMS.items():
            if times and name in ("MUL", "DIV", "MOD"):
                continue
            test = f"IF {kind}2 <> 0 THEN " if name in ("DIV", "MOD") else ""
            lines.append(f"{test}{kind}_{name} := {kind}1 {sign} {kind}2;{' END_IF;' if test else ''}")
            results.append((f"{kind}_{name}", type_))
    if times:
        lines += ["T_MUL := T1 * G1;", "IF G2 <> 0.0 THEN T_DIV := T1 / G2; END_IF;"]
        results += [("T_MUL", "TIME"), ("T_DIV", "TIME")]
    else:
        lines.append("L_NEG := -L1;")
        results.append(("L_NEG", "LINT"))
    return _program("\n".join(lines), results)


def _conversions() -> Program:
    lines, results = [], []
    for type_ in WHOLE:
        for source, name in (("LREAL", "G1"), ("REAL", "R1"), ("LINT", "L1"), ("ULINT", "U1")):
            lines.append(f"{type_}_{source} := {source}_TO_{type_}({name});")
            results.append((f"{type_}_{source}", type_))
    lines.append("DINT_TRUNC := TRUNC(G1);\nROOT := SQRT(G2 * G2);")
    return _program("\n".join(lines), [*results, ("DINT_TRUNC", "DINT"), ("ROOT", "LREAL")])


class Wide(unittest.TestCase):
    """The compiled engine against the plain one, on numbers at the edges."""

    def _held(self, program: Program, mode: Overflow, rows: list[tuple[int, str, object]], what: object) -> Controller:
        journals = []
        for plain in (True, False):
            controller = Controller(program, Profile(scan_time=10_000_000, on_overflow=mode), plain=plain)
            journals.append(controller.replay(log_of(controller, rows, rows[-1][0] + 10)))  # type: ignore[arg-type]
        self.assertEqual(difference(*journals, [t.name for t in controller.running.tags]), "", what)
        return controller

    def _rows(self, random: Random, *, times: bool, halts: bool) -> list[tuple[int, str, object]]:
        rows: list[tuple[int, str, object]] = []
        for n in range(6 if halts else 60):
            small = times or random.random() < 0.3
            given = {"L1": random.choice(SIGNED), "L2": random.choice(SIGNED), "U1": random.choice(UNSIGNED), "U2": random.choice(UNSIGNED),
                     "D1": random.choice(UNSIGNED) & 0xFFFFFFFF, "D2": random.choice(UNSIGNED) & 0xFFFFFFFF,
                     "G1": random.uniform(-9, 9) if small else random.choice(REALS), "G2": random.choice((0.0, -2.0, 0.25, 3.0, random.uniform(-99, 99))),
                     "R1": random.choice(REALS), "T1": random.randrange(-10 ** 15, 10 ** 15), "T2": random.randrange(-10 ** 15, 10 ** 15)}
            if halts and random.random() < 0.2:
                given |= {"T1": random.choice(SIGNED), "T2": random.choice(SIGNED)}
            rows += [(n * 10, name, value) for name, value in given.items()]
        return rows

    def test_sums_and_conversions_held_in_their_types(self) -> None:
        for seed in range(5):
            random = Random(seed)
            for mode in (Overflow.WRAP, Overflow.SATURATE):
                for program in (_sums(times=False), _conversions(), _sums(times=True)):
                    rows = self._rows(random, times=program.pous["main"].variables[-1].name == "T_DIV", halts=False)
                    self._held(program, mode, rows, (seed, mode))

    def test_what_does_not_fit_halts_at_the_same_place(self) -> None:
        for seed in range(30):
            random = Random(seed)
            program = (_sums(times=False), _conversions(), _sums(times=True))[seed % 3]
            self._held(program, Overflow.HALT, self._rows(random, times=False, halts=True), seed)

    def test_what_fits_is_computed_within_the_module(self) -> None:
        program = _program("L1S := L1 + L2 * 3 - L1 / 7;\nN := LREAL_TO_DINT(G1);\nT := T1 + T2 - T#5ms;\nW := T1 * 2.5;\nQ := SQRT(G2);",
                           [("L1S", "LINT"), ("N", "DINT"), ("T", "TIME"), ("W", "TIME"), ("Q", "LREAL")])
        rows: list[tuple[int, str, object]] = [(n * 10, name, value + n) for n in range(50)
                                               for name, value in (("L1", 10 ** 12), ("L2", -55), ("G1", 0.5), ("G2", 9.0), ("T1", 10 ** 9), ("T2", 77))]
        with mock.patch.object(host, "whole", side_effect=AssertionError("called out")), \
                mock.patch.object(host, "real", side_effect=AssertionError("called out")):
            controller = Controller(program, Profile(scan_time=10_000_000))
            journal = controller.replay(log_of(controller, rows, 600))  # type: ignore[arg-type]
        self.assertIsNone(journal.fault)
        self.assertEqual(journal.settled(controller.running.by_name["n"], journal.clock.last), 50)


if __name__ == "__main__":
    unittest.main()
