"""Random instruction lists, and an oracle that shares nothing with the product: it executes one instruction after another."""

from __future__ import annotations

import operator
from collections.abc import Callable
from random import Random

from msgspec import Struct

INPUTS = ("I0", "I1", "I2")
FLAGS = ("Q0", "Q1", "M0", "M1")
NUMBERS = ("N0", "N1", "N2")
HEAD = ("PROGRAM Main\nVAR I0 AT %IX0.0 : BOOL; I1 AT %IX0.1 : BOOL; I2 AT %IX0.2 : BOOL; Q0 AT %QX0.0 : BOOL; Q1 AT %QX0.1 : BOOL;\n"
        "M0, M1 : BOOL; N0, N1, N2 : DINT; E : R_TRIG; END_VAR\n")
_COMPARE: dict[str, Callable[[int, int], bool]] = {"GT": operator.gt, "GE": operator.ge, "EQ": operator.eq, "NE": operator.ne, "LE": operator.le, "LT": operator.lt}
_COUNT: dict[str, Callable[[int, int], int]] = {"ADD": operator.add, "SUB": operator.sub}


class Line(Struct):
    """An instruction: its label, operator, operand."""

    word: str
    operand: str = ""
    label: str = ""

    def text(self) -> str:
        """As it is written."""
        return f"{self.label + ': ' if self.label else '    '}{self.word} {self.operand}"


def random_list(random: Random) -> list[Line]:
    """Chains of Booleans and numbers, brackets, stores, jumps ahead, a block, perhaps a return."""
    lines: list[Line] = []
    wanted = ""
    for n in range(random.randint(3, 9)):
        begin = len(lines)
        lines += _numbers(random) if random.random() < 0.4 else _booleans(random)
        if wanted and random.random() < 0.5:
            lines[begin].label, wanted = wanted, ""
        if random.random() < 0.3 and not wanted:
            wanted = f"L{n}"
            lines.append(Line(random.choice(["JMPC", "JMPCN", "JMP"]) if lines[-1].word in ("ST", "S", "R") and lines[-1].operand in FLAGS else "JMP", wanted))
            if lines[-1].word != "JMP" and random.random() < 0.5:  # the result goes on behind the jump
                lines += [Line(random.choice(["AND", "ORN"]), _flag(random)), Line("ST", random.choice(FLAGS))]
        elif random.random() < 0.1 and lines[-1].operand in FLAGS:
            lines.append(Line(random.choice(["RETC", "RETCN"])))
    lines.append(Line("LD", _flag(random), wanted))
    lines.append(Line("ST", "Q1"))
    return lines


def _flag(random: Random) -> str:
    return random.choice(INPUTS + FLAGS)


def _booleans(random: Random) -> list[Line]:
    if random.random() < 0.15:
        return [Line("LD", _flag(random)), Line("ST", "E.CLK"), Line("CAL", "E"), Line("LD", "E.Q"), Line("ST", random.choice(FLAGS))]
    found = [Line(random.choice(["LD", "LDN"]), _flag(random))]
    deep = 0
    for _ in range(random.randint(0, 5)):
        word = random.choice(["AND", "OR", "XOR", "ANDN", "ORN", "XORN"])
        if random.random() < 0.25 and deep < 2:
            found += [Line(f"{word}(", _flag(random) if random.random() < 0.6 else "")]
            if not found[-1].operand:
                found.append(Line("LDN", _flag(random)))
            deep += 1
        elif deep and random.random() < 0.4:
            found.append(Line(")"))
            deep -= 1
        elif random.random() < 0.1:
            found.append(Line("NOT"))
        else:
            found.append(Line(word, _flag(random)))
    found += [Line(")")] * deep
    return found + [Line(random.choice(["ST", "ST", "STN", "S", "R"]), random.choice(FLAGS)) for _ in range(random.randint(1, 3))]


def _numbers(random: Random) -> list[Line]:
    def number() -> str:
        return random.choice([*NUMBERS, str(random.randint(-9, 9))])

    found = [Line("LD", random.choice(NUMBERS))]
    found += [Line(random.choice(["ADD", "SUB"]), number()) for _ in range(random.randint(0, 3))]
    found += [Line("LIMIT", "50, 100"), Line("SUB", "75")]  # held between -25 and 25: LIMIT takes the result as its least
    if random.random() < 0.5:
        found.append(Line("ST", random.choice(NUMBERS)))
    if random.random() < 0.5:
        return [*found, Line(random.choice(list(_COMPARE)), number()), Line("ST", random.choice(FLAGS))]
    return [*found, Line("ST", random.choice(NUMBERS)), *([Line("ADD", "1"), Line("ST", random.choice(NUMBERS))] if random.random() < 0.3 else [])]


def text(lines: list[Line]) -> str:
    """The file."""
    return HEAD + "\n".join(one.text() for one in lines) + "\nEND_PROGRAM\n"


class Oracle:
    """Executes a list, scan by scan."""

    def __init__(self, lines: list[Line]) -> None:
        self.lines = lines
        self.values: dict[str, int] = dict.fromkeys((*INPUTS, *FLAGS, *NUMBERS, "E.CLK", "E.Q"), 0)
        self.before = 0
        self.result = 0

    def scan(self, inputs: dict[str, int]) -> dict[str, int]:
        """One pass; the values behind it."""
        self.values.update(inputs)
        waiting: list[tuple[str, int]] = []
        at = 0
        while at < len(self.lines):
            one = self.lines[at]
            at += 1
            if one.word in ("JMP", "JMPC", "JMPCN"):
                if one.word == "JMP" or bool(self.result) == (one.word == "JMPC"):
                    at = next(i for i, other in enumerate(self.lines) if other.label == one.operand)
            elif one.word in ("RETC", "RETCN"):
                if bool(self.result) == (one.word == "RETC"):
                    break
            else:
                self._one(one, waiting)
        return dict(self.values)

    def _one(self, one: Line, waiting: list[tuple[str, int]]) -> None:
        word, values = one.word, self.values
        if word in ("ST", "STN"):
            values[one.operand] = self.result if word == "ST" else 1 - self.result
        elif word in ("S", "R"):
            if self.result:
                values[one.operand] = int(word == "S")
        elif word == "CAL":
            values["E.Q"] = int(values["E.CLK"] and not self.before)
            self.before = values["E.CLK"]
        elif word == "NOT":
            self.result = 1 - self.result
        elif word == ")":
            kind, before = waiting.pop()
            self.result = self._logic(kind, before, self.result)
        elif word.endswith("("):
            waiting.append((word[:-1], self.result))
            self.result = self._value(one.operand) if one.operand else 0
        elif word in ("LD", "LDN"):
            self.result = self._value(one.operand) if word == "LD" else 1 - self._value(one.operand)
        elif word in _COMPARE:
            self.result = int(_COMPARE[word](self.result, self._value(one.operand)))
        elif word in _COUNT:
            self.result = _COUNT[word](self.result, self._value(one.operand))
        elif word == "LIMIT":
            self.result = min(max(self.result, 50), 100)
        else:
            self.result = self._logic(word, self.result, self._value(one.operand))

    def _value(self, text: str) -> int:
        return self.values[text] if text in self.values else int(text)

    @staticmethod
    def _logic(word: str, one: int, two: int) -> int:
        two = 1 - two if word.endswith("N") else two
        return one & two if word.startswith("AND") else one | two if word.startswith("OR") else one ^ two
