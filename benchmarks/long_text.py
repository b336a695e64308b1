"""A text of 52,000 lines as plants have them, loaded: stations of their own variables, comments, branches, a choice of steps, delays.
Against one pass of a regular expression that finds the words of the same text, and against half the text."""

from __future__ import annotations

import random
import re
import tempfile
from pathlib import Path

from benchmarks.loading import again_seconds, first_seconds
from benchmarks.timing import call_seconds
from whorlograph.formats.programs import read_program

WORDS = re.compile(r"\(\*.*?\*\)|[A-Za-z_]\w*|\d+|:=|\S", re.DOTALL)
INPUTS = [f"In_{i}" for i in range(800)]
OUTPUTS = [f"Out_{i}" for i in range(600)]
FLAGS = [f"Flag_{i}" for i in range(40)]
COUNTS = [f"Count_{i}" for i in range(12)]
DELAYS = [f"Delay_{i}" for i in range(10)]


def _statement(chance: random.Random, read: list[str], written: list[str]) -> list[str]:
    """One statement of a station with its comment, shape by weight."""

    def read_one() -> str:
        return chance.choice(read)

    number, kind = chance.choice(COUNTS), chance.random()
    if kind < 0.4:
        return [f"{chance.choice(written)} := ({read_one()} OR {read_one()}) AND NOT {read_one()}",
                f"    AND {read_one()} AND ({number} < {chance.randint(1, 90)});", ""]
    if kind < 0.6:
        return [f"IF {read_one()} AND NOT {read_one()} THEN", f"    {chance.choice(FLAGS)} := TRUE;", f"    {number} := {number} + 1;",
                f"ELSIF {read_one()} THEN", f"    {chance.choice(FLAGS)} := FALSE;", "END_IF;", ""]
    if kind < 0.75:
        delay = chance.choice(DELAYS)
        return [f"{delay}(IN := {read_one()} AND {read_one()}, PT := T#{chance.randint(1, 50)}00ms);", f"{chance.choice(written)} := {delay}.Q;", ""]
    if kind < 0.85:
        return ["CASE Step OF", "  0:", f"    IF {read_one()} THEN", "      Step := 10;", "    END_IF;", "  10:",
                f"    {chance.choice(FLAGS)} := {read_one()};", f"    IF {read_one()} THEN", "      Step := 20;", "    END_IF;", "  20:",
                "    Step := 0;", "END_CASE;", ""]
    return [f"{number} := {number} + {chance.choice(COUNTS)} * 2 - {chance.randint(1, 9)};", ""]


def _station(chance: random.Random, number: int) -> list[str]:
    inputs, outputs = chance.sample(INPUTS, 12), chance.sample(OUTPUTS, 10)
    lines = ["(* -----------------------------------", f"   Station {number}: feeds, clamps and presses", "   ----------------------------------- *)",
             f"PROGRAM Station_{number}", "VAR_EXTERNAL", *(f"  {name} : BOOL; (* field point *)" for name in inputs + outputs), "END_VAR", "VAR"]
    lines += [f"  {name} : BOOL := FALSE;   // memory {name}" for name in FLAGS]
    lines += [f"  {name} : INT;" for name in COUNTS] + [f"  {name} : TON;" for name in DELAYS] + ["  Step : INT := 0;", "END_VAR", ""]
    for statement in range(45):
        lines += [f"(* {statement}: what moves the clamp *)", *_statement(chance, inputs + FLAGS, outputs + FLAGS)]
    return [*lines, "END_PROGRAM", ""]


def text(length: int) -> str:
    """A program of at least ``length`` lines of stations."""
    chance, lines, stations = random.Random(7), list[str](), 0
    while len(lines) < length:
        lines += _station(chance, stations)
        stations += 1
    lines += ["CONFIGURATION Plant", "VAR_GLOBAL"]
    lines += [f"  {name} AT %IX{i // 8}.{i % 8} : BOOL;" for i, name in enumerate(INPUTS)]
    lines += [f"  {name} AT %QX{i // 8}.{i % 8} : BOOL;" for i, name in enumerate(OUTPUTS)]
    lines += ["END_VAR", "RESOURCE R ON P", *(f"PROGRAM S{i} : Station_{i};" for i in range(stations)), "END_RESOURCE", "END_CONFIGURATION"]
    return "\n".join(lines) + "\n"


def main() -> None:
    """Read alone; loaded with tags, steps and code made, nothing kept; opened again."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)

        def loaded(length: int) -> tuple[Path, float]:
            path = place / f"{length}.st"
            path.write_text(text(length))
            return path, first_seconds(path, place)

        path, whole = loaded(50_000)
        words = call_seconds(lambda: WORDS.findall(path.read_text()), 3)
        read = call_seconds(lambda: read_program(path), 3)
        again = again_seconds(path, place)
        half = loaded(25_000)[1]
        lines = path.read_text().count("\n")
        print(f"{lines:,} lines: words {words:.2f} s, read {read:.2f} s, loaded {whole:.2f} s (goal 3 s), again {again:.2f} s; "
              f"ratio {read / words:.1f} read, {whole / words:.1f} loaded, {whole / half:.1f} to half the text (goal 2)")
