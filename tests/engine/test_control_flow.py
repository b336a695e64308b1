"""Loops, choices and what leaves them, nested at random, in both engines against a walk through the statements."""

from __future__ import annotations

import os
import unittest
from contextlib import suppress
from pathlib import Path
from random import Random
from typing import Any

from tests.building import log_of
from tests.engine.agreement import difference
from tests.texts import settled
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.profile import Profile

CASES = int(os.environ.get("WHORLOGRAPH_CASES", "100"))
FIRST = int(os.environ.get("WHORLOGRAPH_FIRST_CASE", "0"))
Node = tuple[Any, ...]
_COUNTERS = ("I", "J", "K")


class _Exit(Exception):
    pass


class _Continue(Exception):
    pass


class _Return(Exception):
    pass


class _Maker:
    """Makes statements, each a tuple: its kind and its parts."""

    def __init__(self, random: Random) -> None:
        self.r = random
        self.loops = 0  # around what is made

    def test(self) -> Node:
        r = self.r
        return r.choice((("x", r.randint(0, 2)), ("less", self.value(), self.value()), ("odd", self.value()), ("x", r.randint(0, 2))))

    def value(self) -> Node:
        r = self.r
        counter = ("counter", r.randrange(self.loops)) if self.loops else ("n",)
        return r.choice((("number", r.randint(-3, 6)), ("n",), ("sum",), counter, ("a", r.choice((("number", r.randint(0, 4)), counter)))))

    def block(self, depth: int) -> list[Node]:
        found = [self.statement(depth) for _ in range(self.r.randint(1, 3))]
        if self.loops and self.r.random() < 0.15:
            found.append((self.r.choice(("exit", "continue")),))
        return found

    def statement(self, depth: int) -> Node:
        r, kind = self.r, self.r.random()
        if depth <= 0 or kind < 0.3:
            return r.choice((("add", self.value()), ("put", self.value(), self.value()), ("times", r.randint(2, 3))))
        if kind < 0.55:
            leaves = r.choice(("exit", "continue", "exit", "continue", "return" if r.random() < 0.2 else "continue")) if self.loops else "return"
            return "if", [(self.test(), [*([("add", self.value())] if r.random() < 0.5 else []), (leaves,)])], []
        if kind < 0.65:
            return "if", [(self.test(), self.block(depth - 1)) for _ in range(r.randint(1, 2))], self.block(depth - 1) if r.random() < 0.5 else []
        if kind < 0.72:
            return "case", self.value(), [([n], self.block(depth - 1)) for n in r.sample(range(-2, 6), 2)], self.block(depth - 1) if r.random() < 0.5 else []
        if self.loops == len(_COUNTERS):
            return "add", self.value()
        head: Node
        if kind < 0.9:
            first, last, by = r.choice(((0, 4, 1), (4, 0, -1), (0, 4, 2), (1, 3, 1), (3, 1, 1), ("n", 4, 1), (0, "n", 1)))
            head = "for", self.loops, first, last, by
        else:
            head = r.choice(("while", "repeat")), self.loops, r.randint(1, 4)
        self.loops += 1
        body = self.block(depth - 1)
        self.loops -= 1
        return *head, body


def _text(nodes: list[Node], margin: str = "") -> str:
    return "".join(f"{margin}{line}\n" for one in nodes for line in _lines(one))


def _value(one: Node) -> str:
    kind = one[0]
    if kind == "a":
        return f"A[ABS({_value(one[1])}) MOD 5]"
    return {"number": str(one[1]) if len(one) > 1 else "", "n": "N", "sum": "Sum"}.get(kind) or _COUNTERS[one[1]]


def _test(one: Node) -> str:
    if one[0] == "x":
        return f"X{one[1]}"
    return f"{_value(one[1])} < {_value(one[2])}" if one[0] == "less" else f"{_value(one[1])} MOD 2 <> 0"


def _lines(one: Node) -> list[str]:
    kind = one[0]
    if kind in ("exit", "continue", "return"):
        return [f"{kind.upper()};"]
    if kind == "add":
        return [f"Sum := (Sum + {_value(one[1])}) MOD 1000;"]
    if kind == "times":
        return [f"Sum := Sum * {one[1]} MOD 1000;"]
    if kind == "put":
        return [f"A[ABS({_value(one[1])}) MOD 5] := {_value(one[2])} MOD 100;"]
    if kind == "if":
        lines = [line for n, (test, body) in enumerate(one[1]) for line in (f"{'IF' if n == 0 else 'ELSIF'} {_test(test)} THEN", *_inner(body))]
        return [*lines, *(["ELSE", *_inner(one[2])] if one[2] else []), "END_IF;"]
    if kind == "case":
        lines = [line for numbers, body in one[2] for line in (f"{', '.join(map(str, numbers))}:", *_inner(body))]
        return [f"CASE {_value(one[1])} OF", *lines, *(["ELSE", *_inner(one[3])] if one[3] else []), "END_CASE;"]
    name = _COUNTERS[one[1]]
    if kind == "for":
        first, last = (_value((b,)) if b == "n" else str(b) for b in one[2:4])
        return [f"FOR {name} := {first} TO {last} BY {one[4]} DO", *_inner(one[5]), "END_FOR;"]
    count = f"{name} := {name} + 1;"
    if kind == "while":
        return [f"{name} := 0;", f"WHILE {name} < {one[2]} DO", f"  {count}", *_inner(one[3]), "END_WHILE;"]
    return [f"{name} := 0;", "REPEAT", f"  {count}", *_inner(one[3]), f"UNTIL {name} >= {one[2]} END_REPEAT;"]


def _inner(body: list[Node]) -> list[str]:
    return [f"  {line}" for one in body for line in _lines(one)]


class _Walk:
    """Executes the statements."""

    def __init__(self) -> None:
        self.sum, self.a, self.counters = 0, [0] * 5, [0, 0, 0]

    def scan(self, nodes: list[Node], xs: list[bool], n: int) -> None:
        self.xs, self.n = xs, n
        with suppress(_Return):
            self.all(nodes)

    def all(self, nodes: list[Node]) -> None:
        for one in nodes:
            self.one(one)

    def value(self, one: Node) -> int:
        kind = one[0]
        if kind == "a":
            return self.a[abs(self.value(one[1])) % 5]
        return int(one[1]) if kind == "number" else self.n if kind == "n" else self.sum if kind == "sum" else self.counters[one[1]]

    def test(self, one: Node) -> bool:
        if one[0] == "x":
            return self.xs[one[1]]
        return self.value(one[1]) < self.value(one[2]) if one[0] == "less" else self.value(one[1]) % 2 != 0

    def one(self, one: Node) -> None:
        kind = one[0]
        if kind in ("exit", "continue", "return"):
            raise {"exit": _Exit, "continue": _Continue, "return": _Return}[kind]
        if kind == "add":
            self.sum = _cut(self.sum + self.value(one[1]), 1000)
        elif kind == "times":
            self.sum = _cut(self.sum * one[1], 1000)
        elif kind == "put":
            self.a[abs(self.value(one[1])) % 5] = _cut(self.value(one[2]), 100)
        elif kind == "if":
            self.all(next((body for test, body in one[1] if self.test(test)), one[2]))
        elif kind == "case":
            chosen = self.value(one[1])
            self.all(next((body for numbers, body in one[2] if chosen in numbers), one[3]))
        elif kind == "for":
            first, last = (self.n if b == "n" else b for b in one[2:4])
            self.loop(one[1], range(first, last + (1 if one[4] > 0 else -1), one[4]), one[5])
        else:
            self.loop(one[1], range(1, max(one[2], 1) + 1), one[3])

    def loop(self, counter: int, numbers: range, body: list[Node]) -> None:
        for number in numbers:
            self.counters[counter] = number
            try:
                self.all(body)
            except _Continue:
                continue
            except _Exit:
                break


def _cut(value: int, by: int) -> int:
    return value % by if value >= 0 else -(-value % by)


class ControlFlow(unittest.TestCase):
    """Random programs of one statement after another."""

    def test_random(self) -> None:
        moved = 0
        for seed in range(FIRST, FIRST + CASES):
            random = Random(seed)
            nodes = [_Maker(random).statement(4) for _ in range(3)]
            # Counters mean nothing behind their loop: what is outside of all does not read them.
            source = ("PROGRAM Main\nVAR X0, X1, X2 : BOOL; N : INT; Sum, I, J, K : INT; A : ARRAY[0..4] OF INT; END_VAR\n"
                      f"{_text(nodes)}END_PROGRAM\n")
            program = read(source.encode(), Path("x.st"))
            self.assertEqual(program.notices, [], source)
            plain, compiled = (Controller(program.value, Profile(scan_time=10_000_000), plain=p) for p in (True, False))
            scans = [([random.random() < 0.5 for _ in range(3)], random.randint(0, 5)) for _ in range(6)]
            log = log_of(plain, [(10 * n, name, value) for n, (xs, number) in enumerate(scans)
                                 for name, value in (*((f"Main.X{i}", int(on)) for i, on in enumerate(xs)), ("Main.N", number))])
            journals = [one.replay(log) for one in (plain, compiled)]
            self.assertEqual(difference(*journals, [t.name for t in plain.running.tags]), "", (seed, source))
            walk = _Walk()
            for n, (xs, number) in enumerate(scans):
                before = walk.sum, [*walk.a]
                walk.scan(nodes, xs, number)
                found = settled(compiled, journals[1], "Main.Sum", n + 1), [settled(compiled, journals[1], f"Main.A[{i}]", n + 1) for i in range(5)]
                self.assertEqual(found, (walk.sum, walk.a), (seed, n, source))
                moved += before != (walk.sum, walk.a)
        self.assertGreater(moved, CASES)


if __name__ == "__main__":
    unittest.main()
