"""What the grammar of the text languages makes of expressions and statements."""

from __future__ import annotations

import re
from typing import Any

from msgspec import Struct

from whorlograph.model.calendar import date_splits
from whorlograph.model.literals import literal
from whorlograph.model.paths import Bit, Member
from whorlograph.model.text import (
    Apply,
    Argument,
    Assign,
    Binary,
    Branch,
    Case,
    Choose,
    Constant,
    Do,
    Expression,
    For,
    Labelled,
    Leave,
    Range,
    Statement,
    Sub,
    Together,
    Unary,
    Until,
    Var,
    While,
    applied,
)
from whorlograph.model.word_parts import part_assigned, part_read

from .tokens import Piece
from .unreadable import Unreadable

CODES = {"OR": "OR", "XOR": "XOR", "AND": "AND", "&": "AND", "=": "EQ", "<>": "NE", "<": "LT", "<=": "LE", ">": "GT", ">=": "GE", "+": "ADD",
         "-": "SUB", "*": "MUL", "/": "DIV", "MOD": "MOD", "**": "EXPT"}
_ENABLES = ("EN", "ENO")
_OPERAND = re.compile(r"IN\d*", re.IGNORECASE)


class _Labels(Struct, frozen=True):
    """Labels of CASE, before what they lead to is gathered."""

    labels: tuple[Range, ...]


def between(children: list[Any]) -> list[Any]:
    """What stands between words and signs."""
    return [c for c in children if not isinstance(c, Piece)]


class Statements:
    """Makes expressions and statements; nodes are numbered in the order in which they end."""

    def __init__(self) -> None:
        self.count = 0

    def number(self) -> int:
        """The number of the next node."""
        self.count += 1
        return self.count

    # expressions

    def literal(self, children: list[Any]) -> Expression:
        token = children[0]
        return self._constant(token.text, token.line)

    def negative(self, children: list[Any]) -> Expression:
        return self._constant(f"-{children[1].text}", children[1].line)

    def named_constant(self, children: list[Any]) -> Expression:
        return Var(self.number(), children[0].line, children[0].text)

    def _constant(self, text: str, line: int) -> Expression:
        read = literal(text)
        if read is None:
            raise Unreadable(line, 0, f"{text} is no literal")
        type_, value = read
        return Constant(self.number(), line, text, type_.name if type_ is not None else "", value)

    def variable(self, children: list[Any]) -> Expression:
        token = children[0]
        return Var(self.number(), token.line, token.text)

    def member_of(self, children: list[Any]) -> Var:
        return self._with(children[0], Member(children[2].text))

    def bit_of(self, children: list[Any]) -> Var:
        return self._with(children[0], Bit(int(re.sub(r"\D", "", children[2].text))))

    def element_of(self, children: list[Any]) -> Var:
        return self._with(children[0], Sub(tuple(between(children[1:]))))

    def _with(self, var: Var, step: Member | Bit | Sub) -> Var:
        return Var(var.at, var.line, var.base, (*var.steps, step))

    def inside(self, children: list[Any]) -> Expression:
        found: Expression = children[1]
        return found

    def plus(self, children: list[Any]) -> Expression:
        found: Expression = children[1]
        return found

    def unary(self, children: list[Any]) -> Expression:
        sign, value = children
        plain = isinstance(value, Constant) and not value.named and not isinstance(value.value, (bool, str)) and value.text[:1] not in "-+"
        if sign.text == "-" and plain:
            return Constant(value.at, value.line, f"-{value.text}", "", -value.value)
        return Unary(self.number(), sign.line, "NEG" if sign.text == "-" else "NOT", value)

    def binary(self, children: list[Any]) -> Expression:
        left, sign, right = children
        return Binary(self.number(), left.line, CODES[sign.text.upper()], left, right)

    def call(self, children: list[Any]) -> Apply:
        found = between(children)
        return Apply(self.number(), found[0].line, found[0], found[1] if len(found) > 1 else ())

    def gate(self, children: list[Any]) -> Expression:
        """``AND(a, b, c)``: operators called like functions."""
        word, given = children[0], children[2]
        code = CODES[word.text.upper()]
        plain = [a.value for a in given if a.value is not None and (not a.name or _OPERAND.fullmatch(a.name))]
        if len(plain) < 2 or len(plain) < len(given) or (code == "MOD" and len(plain) > 2):
            raise Unreadable(word.line, word.column, f"{word.text} takes two values" + ("" if code == "MOD" else " or more"))
        found: Expression = plain[0]
        for value in plain[1:]:
            found = Binary(self.number(), word.line, code, found, value)
        return found

    def part_of(self, children: list[Any]) -> Expression:
        """``Word.%B1`` read."""
        word, _, part = children
        try:
            return part_read(word, part.text, self.number)
        except ValueError as error:
            raise Unreadable(part.line, part.column, str(error)) from None

    def arguments(self, children: list[Any]) -> tuple[Argument, ...]:
        return tuple(a for a in between(children) if a is not None)

    def given(self, children: list[Any]) -> Argument:
        return Argument(children[0].text, children[2])

    def left_out(self, children: list[Any]) -> None:
        return None

    def output(self, children: list[Any]) -> Argument:
        return Argument(children[0].text, None, children[2])

    def inverted_output(self, children: list[Any]) -> Argument:
        return Argument(children[1].text, None, children[3], True)

    def positional(self, children: list[Any]) -> Argument:
        return Argument("", children[0])

    # statements

    def body(self, children: list[Any]) -> tuple[Statement, ...]:
        return tuple(c for c in children if c is not None)

    def nothing(self, children: list[Any]) -> None:
        return None

    def assign(self, children: list[Any]) -> Statement:
        target, value = between(children)
        if isinstance(value, Apply) and any(a.name.upper() in _ENABLES for a in value.arguments):
            return self._enabled(target, value)
        return Assign(self.number(), target.line, target, value)

    def _enabled(self, target: Var, call: Apply) -> Statement:
        """``Y := F(EN := Go, .., ENO => Done)``: without EN it is not executed, Y keeps its value, and ENO is FALSE."""
        enable = next((a.value for a in call.arguments if a.name.upper() == "EN" and a.value is not None), None)
        plain = Apply(call.at, call.line, call.called, tuple(a for a in call.arguments if a.name.upper() not in _ENABLES))
        done = next((a for a in call.arguments if a.name.upper() == "ENO" and a.output is not None), None)

        def told(executed: bool) -> tuple[Statement, ...]:
            if done is None or done.output is None:
                return ()
            value = executed != done.negated
            return (Assign(self.number(), call.line, done.output, Constant(self.number(), call.line, str(value).upper(), "BOOL", value)),)

        executed = (Assign(self.number(), target.line, target, plain), *told(True))
        if enable is None:
            return Together(self.number(), target.line, executed)
        return Choose(self.number(), target.line, (Branch(enable, executed),), told(False))

    def assign_part(self, children: list[Any]) -> Statement:
        """``Word.%B1 := value``."""
        word, _, part, _, value = children[:5]
        try:
            return part_assigned(word, part.text, value, self.number)
        except ValueError as error:
            raise Unreadable(part.line, part.column, str(error)) from None

    def do(self, children: list[Any]) -> Statement:
        call = children[0]
        if isinstance(call, Binary):
            raise Unreadable(call.line, 0, f"{call.code} is no statement: its result goes nowhere")
        pieces = date_splits(call.called.base.upper())
        if pieces and not call.called.steps:
            return self._split(call, pieces)
        return Do(self.number(), call.line, call)

    def _split(self, call: Apply, pieces: tuple[str, ...]) -> Statement:
        """``SPLIT_DATE(IN := D, YEAR => Y)``: each piece that is taken, by a value of its own."""
        source = next((a.value for a in call.arguments if a.value is not None and a.name.upper() in ("", "IN")), None)
        taken = {a.name.upper(): a.output for a in call.arguments if a.output is not None and not a.negated}
        if source is None or not taken or len(taken) != len(call.arguments) - 1 or not taken.keys() <= set(pieces):
            raise Unreadable(call.line, 0, f"{call.called.base} takes IN := and gives back {' =>, '.join(pieces)} =>")
        name = call.called.base.upper()
        return Together(self.number(), call.line, tuple(Assign(self.number(), call.line, target, applied(self.number, f"{name}.{piece}", source))
                                                         for piece, target in taken.items() if target is not None))

    def choose(self, children: list[Any]) -> Statement:
        parts = between(children)
        pairs = [Branch(parts[i], parts[i + 1]) for i in range(0, len(parts) - 1, 2)]
        return Choose(self.number(), children[0].line, tuple(pairs), parts[-1] if len(parts) % 2 else ())

    def label(self, children: list[Any]) -> Range:
        parts = between(children)
        return Range(parts[0], parts[1] if len(parts) > 1 else None)

    def labels(self, children: list[Any]) -> _Labels:
        return _Labels(tuple(between(children)))

    def case(self, children: list[Any]) -> Statement:
        parts = between(children)
        other = parts.pop() if isinstance(parts[-1], tuple) else ()
        branches: list[tuple[_Labels, list[Statement]]] = []
        for part in parts[1:]:
            if isinstance(part, _Labels):
                branches.append((part, []))
            elif part is not None and branches:
                branches[-1][1].append(part)
            elif part is not None:
                raise Unreadable(part.line, 0, "a label of CASE was expected")
        found = tuple(Labelled(labels.labels, tuple(statements)) for labels, statements in branches)
        return Case(self.number(), children[0].line, parts[0], found, other)

    def for_(self, children: list[Any]) -> Statement:
        parts = between(children)
        variable, first, last = parts[:3]
        return For(self.number(), children[0].line, variable, first, last, parts[3] if len(parts) > 4 else None, parts[-1])

    def while_(self, children: list[Any]) -> Statement:
        test, statements = between(children)
        return While(self.number(), children[0].line, test, statements)

    def until(self, children: list[Any]) -> Statement:
        statements, test = between(children)
        return Until(self.number(), children[0].line, test, statements)

    def leave(self, children: list[Any]) -> Statement:
        return Leave(self.number(), children[0].line, children[0].text.upper())
