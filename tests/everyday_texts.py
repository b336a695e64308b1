"""Everyday programs in Structured Text, made at random: seal-ins, defaults and what is set behind them, choices, sequences, timers, loops over
alarms, counters, bistables, a watched movement, sums."""

from __future__ import annotations

from pathlib import Path
from random import Random

import numpy as np

from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.iolist import IoList
from whorlograph.model.log import Log
from whorlograph.model.profile import Profile
from whorlograph.model.tags import Running

INPUTS = tuple(f"X{n}" for n in range(8))
CHOSEN = ("chosen", "chosen", "seal", "nested", "timer")  # conditions behind a loop within a condition
NESTED = ("inside", "inside", "seal", "timer")  # statements that read what others of the same IF have just written
KINDS = ("seal", "default", "choice", "timer", "sequence", "loop", "count", "bistable", "watched", "nested", "sum")
MS = 1_000_000


class Maker:
    """Writes one program."""

    def __init__(self, random: Random, kinds: tuple[str, ...] = KINDS) -> None:
        self.random, self.kinds = random, kinds
        self.outputs: list[str] = []
        self.declared = [f"{x} AT %IX0.{n} : BOOL;" for n, x in enumerate(INPUTS)]
        self.blocks: list[str] = []
        self.body: list[str] = []

    def condition(self, deep: bool = True, outputs: bool = False) -> str:
        """Contacts, in series and side by side."""
        random = self.random
        if not deep or random.random() < 0.4:
            return random.choice(("", "", "NOT ")) + random.choice((*INPUTS, *(self.outputs[:-1] if outputs else ())))
        joined = random.choice((" AND ", " AND ", " OR "))
        return f"({joined.join(self.condition(random.random() < 0.4, outputs) for _ in range(random.choice((2, 2, 3))))})"

    def text(self) -> str:
        """The whole file."""
        for number in range(self.random.randint(3, 7)):
            self.outputs.append(f"Y{number}")
            self.declared.append(f"Y{number} AT %QX0.{number} : BOOL;")
            self.body += getattr(self, f"_{self.random.choice(self.kinds)}")(f"Y{number}", str(number))
        lines = [*self.blocks, "PROGRAM Main", "VAR", *self.declared, "END_VAR", *self.body, "END_PROGRAM", ""]
        return "\n".join(lines)

    def _seal(self, y: str, n: str) -> list[str]:
        return [f"{y} := ({self.condition(False)} OR {y}) AND {self.condition(False, True)} AND NOT {self.random.choice(INPUTS[:2])};"]

    def _default(self, y: str, n: str) -> list[str]:
        first = self.random.choice(("FALSE", "TRUE", self.condition()))
        return [f"{y} := {first};", *(f"IF {self.condition(outputs=True)} THEN {y} := {self.random.choice(('TRUE', 'FALSE', self.condition(False)))}; END_IF;"
                                      for _ in range(self.random.randint(1, 3)))]

    def _choice(self, y: str, n: str) -> list[str]:
        last = [f"ELSE {y} := FALSE;"] if self.random.random() < 0.6 else []
        return [f"IF {self.condition()} THEN {y} := {self.condition()};", f"ELSIF {self.condition()} THEN {y} := {self.random.choice(('TRUE', 'FALSE'))};",
                *last, "END_IF;"]

    def _timer(self, y: str, n: str) -> list[str]:
        self.declared.append(f"T{n} : {self.random.choice(('TON', 'TOF', 'TP'))};")
        return [f"T{n}(IN := {self.condition(outputs=True)}, PT := T#{self.random.choice((50, 200, 500))}ms);", f"{y} := T{n}.Q AND {self.condition(False)};"]

    def _sequence(self, y: str, n: str) -> list[str]:
        self.declared.append(f"S{n} : INT;")
        return [f"CASE S{n} OF", f"  0: IF {self.condition()} THEN S{n} := 10; END_IF;",
                f"  10: IF {self.condition()} THEN S{n} := 20; ELSIF {self.condition()} THEN S{n} := 0; END_IF;",
                f"  20: IF {self.condition()} THEN S{n} := 0; END_IF;", f"ELSE S{n} := 0;", "END_CASE;",
                f"{y} := S{n} = {self.random.choice((10, 20))} AND {self.condition(False)};"]

    def _loop(self, y: str, n: str) -> list[str]:
        self.declared.append(f"A{n} : ARRAY[1..4] OF BOOL; I{n} : INT; B{n} : BOOL;")
        leaves = self.random.choice(("", "", " EXIT;"))
        return [*(f"A{n}[{i}] := {self.condition(False)};" for i in range(1, 5)), f"B{n} := FALSE;", f"FOR I{n} := 1 TO 4 DO",
                f"  IF A{n}[I{n}] THEN B{n} := TRUE;{leaves} END_IF;", "END_FOR;", f"{y} := {self.random.choice(('', 'NOT '))}B{n} AND {self.condition(False)};"]

    def _count(self, y: str, n: str) -> list[str]:
        self.declared.append(f"C{n} : CTU;")
        return [f"C{n}(CU := {self.condition(False)}, R := {self.condition(False)}, PV := {self.random.randint(1, 4)});",
                f"{y} := {self.random.choice(('', 'NOT '))}C{n}.Q;"]

    def _bistable(self, y: str, n: str) -> list[str]:
        kind, pins = self.random.choice((("SR", ("S1", "R")), ("RS", ("S", "R1"))))
        self.declared.append(f"F{n} : {kind};")
        return [f"F{n}({pins[0]} := {self.condition(outputs=True)}, {pins[1]} := {self.condition(False)});", f"{y} := F{n}.Q1;"]

    def _watched(self, y: str, n: str) -> list[str]:
        self.blocks += [f"FUNCTION_BLOCK Watched{n}", "VAR_INPUT Go : BOOL; There : BOOL; Reset : BOOL; END_VAR VAR_OUTPUT Out : BOOL; END_VAR",
                        "VAR Fault : BOOL; Watch : TON; END_VAR", "Watch(IN := Go AND NOT There, PT := T#200ms);",
                        "IF Watch.Q THEN Fault := TRUE; END_IF;", "IF Reset THEN Fault := FALSE; END_IF;", "Out := Go AND NOT Fault;", "END_FUNCTION_BLOCK"]
        self.declared.append(f"W{n} : Watched{n};")
        return [f"W{n}(Go := {self.condition(False)}, There := {self.condition(False)}, Reset := {self.condition(False)});", f"{y} := W{n}.Out;"]

    def _nested(self, y: str, n: str) -> list[str]:
        return [f"IF {self.condition()} THEN", f"  IF {self.condition()} THEN {y} := TRUE; END_IF;", f"  IF {self.condition()} THEN {y} := FALSE; END_IF;",
                "END_IF;"]

    def _sum(self, y: str, n: str) -> list[str]:
        self.declared.append(f"N{n} : INT;")
        return [f"N{n} := 0;", *(f"IF {self.condition(False)} THEN N{n} := N{n} + {self.random.randint(1, 3)}; END_IF;" for _ in range(3)),
                f"{y} := N{n} >= {self.random.randint(1, 5)};"]


    def _chosen(self, y: str, n: str) -> list[str]:
        """The first of three that is not full, looked for in a loop within a condition, and a condition behind it."""
        self.declared.append(f"L{n} : ARRAY[1..3] OF INT; K{n} : INT;")
        return [*(f"L{n}[{i}] := SEL({self.condition(False)}, 1, 9);" for i in range(1, 4)), f"{y} := FALSE;", f"IF {self.condition(outputs=True)} THEN",
                f"  K{n} := 1;", f"  WHILE K{n} < 3 AND L{n}[K{n}] > 5 DO K{n} := K{n} + 1; END_WHILE;",
                f"  IF L{n}[K{n}] <= 5 THEN", f"    IF {self.condition(False)} THEN {y} := {self.random.choice(('TRUE', self.condition(False)))}; END_IF;",
                "  END_IF;", "END_IF;"]

    def _inside(self, y: str, n: str) -> list[str]:
        random, a, b, number = self.random, f"A{n}", f"B{n}", f"N{n}"
        self.declared.append(f"{a}, {b} : BOOL; {number} : INT; D{n} : TON;")
        inner = [f"{a} := {self.condition()};"]
        for _ in range(random.randint(1, 4)):
            kind = random.choice("bisntl")
            if kind == "b":
                inner.append(f"{b} := {a} {random.choice(('AND', 'OR'))} {self.condition(False)};")
            elif kind == "i":
                inner.append(f"IF {b} THEN {a} := {self.condition(False)}; END_IF;")
            elif kind == "s":
                inner += [f"{number} := 0;", f"IF {a} THEN {number} := {number} + {random.randint(1, 3)}; END_IF;",
                          f"IF {self.condition(False)} THEN {number} := {number} + 2; END_IF;", f"{b} := {number} >= {random.randint(1, 4)};"]
            elif kind == "n":
                inner.append(f"{a} := NOT {b};")
            elif kind == "t":
                inner += [f"D{n}(IN := {a}, PT := T#{random.choice((50, 200))}ms);", f"{b} := D{n}.Q;"]
            else:
                inner.append(f"IF {a} THEN {b} := TRUE; ELSIF {self.condition(False)} THEN {b} := FALSE; END_IF;")
        last = f"{y} := {random.choice((b, f'{a} AND NOT {b}', f'{b} OR {a}'))};"
        return random.choice(([f"IF {self.condition(False)} THEN", *inner, last, "END_IF;"], [*inner, last], ["IF TRUE THEN", *inner, last, "END_IF;"],
                              [f"IF {self.condition(False)} THEN", *inner, "ELSE", f"{b} := {self.condition(False)};", "END_IF;", last]))


def log_of_inputs(random: Random, running: Running, inputs: tuple[str, ...] = INPUTS) -> Log:
    """Four seconds in which one input after another changes, some for a moment only."""
    time, value = 0, {x: random.randint(0, 1) for x in inputs}
    rows = [(0, x, v) for x, v in value.items()]
    while time < 4000:
        time += random.choice((30, 70, 150, 400))
        x = random.choice(inputs)
        value[x] ^= 1
        rows.append((time, x, value[x]))
        if random.random() < 0.2:
            value[x] ^= 1
            rows.append((time + random.choice((20, 40, 60)), x, value[x]))
    rows.sort(key=lambda row: row[0])
    return Log(np.array([t * MS for t, _, _ in rows], np.int64), np.array([running.by_name[f"main.{x}".lower()] for _, x, _ in rows], np.int32),
               np.array([v for _, _, v in rows], np.int64), end=(time + 300) * MS, rows=len(rows))


def everyday_text(seed: int, kinds: tuple[str, ...] = KINDS) -> tuple[Random, Session]:
    """A program with its log, not yet replayed."""
    random = Random(seed)
    controller = Controller(read(Maker(random, kinds).text().encode(), Path("x.st")).value, Profile(scan_time=10 * MS))
    return random, Session(controller, log_of_inputs(random, controller.running), IoList({}), [], Paths(Path("x.st")))
