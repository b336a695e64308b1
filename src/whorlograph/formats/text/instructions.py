"""Instruction lists (IEC 61131-3:2013, 7.2): each line changes the result, stores it, or goes on elsewhere by it.

What comes out are the statements of Structured Text: from what loads to what stores is one of them (CONTROLLER.md, Other languages).
"""

from __future__ import annotations

from msgspec import Struct

from whorlograph.model.paths import Member
from whorlograph.model.text import (
    Apply,
    Argument,
    Assign,
    Binary,
    Branch,
    Choose,
    Constant,
    Do,
    Expression,
    Go,
    Keep,
    Kept,
    Leave,
    Statement,
    TextBody,
    Together,
    Unary,
    Var,
)

from .tokens import Piece
from .tree import parse_from
from .unreadable import Unreadable, together

_OPERATIONS = {"AND": "AND", "&": "AND", "OR": "OR", "XOR": "XOR", "ADD": "ADD", "SUB": "SUB", "MUL": "MUL", "DIV": "DIV", "MOD": "MOD", "GT": "GT",
               "GE": "GE", "EQ": "EQ", "NE": "NE", "LE": "LE", "LT": "LT"}
_INVERTED = {"ANDN": "AND", "&N": "AND", "ORN": "OR", "XORN": "XOR"}
_STORES = {"ST", "STN", "S", "R"}
_LEAVES = {f"{word}{condition}": (word, condition) for word in ("JMP", "RET", "CAL") for condition in ("", "C", "CN")}
_PINS = {"S1", "R1", "CLK", "CU", "CD", "PV", "IN", "PT"}  # of standard blocks, as operators
_OPERATORS = {*_OPERATIONS, *_INVERTED, *_STORES, *_LEAVES, *_PINS, "LD", "LDN", "NOT", ")"}


class _Instruction(Struct):
    """One of them: its label, operator, what stands behind it, and whether it opens a bracket that a later line closes."""

    label: str
    word: str
    line: int
    column: int
    rest: list[Piece]
    opens: bool = False

    @property
    def loads(self) -> bool:
        """Whether it begins a result without looking at the former one."""
        return self.word in ("LD", "LDN") or self.word == "CAL"

    @property
    def closes(self) -> bool:
        """Whether the bracket that it opens is closed on the same line."""
        return bool(self.rest) and self.rest[-1].kind == "CLOSE" and sum((p.kind == "OPEN") - (p.kind == "CLOSE") for p in self.rest) < 0

    @property
    def names_label(self) -> bool:
        """Whether what stands behind it is one name."""
        return len(self.rest) == 1 and self.rest[0].kind == "NAME"


def _wrong(one: _Instruction, what: str) -> Unreadable:
    return Unreadable(one.line, one.column, what)


def instruction_body(pieces: list[Piece], source: tuple[str, ...], line: int) -> TextBody:
    """A body from its tokens. Args: source: the lines that they came from, the first of them line ``line``. Raises: Unreadable for a text that
    is none."""
    made = _List(_instructions(pieces))
    made.translate()
    return TextBody.of(tuple(made.statements), source, line, "IL", tuple(made.labels.values()))


def instruction_value(pieces: list[Piece], number: int, name: str) -> tuple[list[Statement], Expression, int]:
    """What a list comes to at its end: what is done on the way, the value, the last number of a node.

    Args: number: nodes are numbered from one behind it; name: of what the value goes to, which the list may store itself.
    Raises: Unreadable for a text that is none, that loads nothing, or goes on elsewhere.
    """
    made = _List(_instructions(pieces))
    made.count = number
    made.translate()
    line = pieces[0].line if pieces else 1
    found = [p for s in made.statements for p in (s.statements if isinstance(s, Together) else (s,))]
    if any(isinstance(p, Go) for p in found):
        raise Unreadable(line, 0, "the condition of a transition is a list that jumps")
    if made.result is None:
        raise Unreadable(line, 0, "a condition is empty")
    own = [p for p in found if not (isinstance(p, Assign) and not p.target.steps and p.target.base.lower() == name.lower())]
    return own, made.result, made.count


def looks_like_instructions(pieces: list[Piece]) -> bool:
    """Whether a text that begins with these tokens can be an instruction list: it begins with an operator that is followed by no sign of ST."""
    at = 2 if len(pieces) > 2 and pieces[1].kind == "COLON" and pieces[0].kind == "NAME" else 0
    if len(pieces) <= at or pieces[at].text.upper() not in _OPERATORS - {")", "NOT"}:
        return False
    return len(pieces) == at + 1 or pieces[at + 1].kind not in ("GIVES", "DOT", "BEGIN", "OPEN")


def _instructions(pieces: list[Piece]) -> list[_Instruction]:
    """The lines; calls with their brackets may take several."""
    found: list[_Instruction] = []
    at, label = 0, ""
    while at < len(pieces):
        first = pieces[at]
        if first.kind == "SEMICOLON":
            at += 1
            continue
        if first.kind == "NAME" and at + 1 < len(pieces) and pieces[at + 1].kind == "COLON":
            if label:
                found.append(_Instruction(label, "", first.line, first.column, []))
            label, at = first.text, at + 2
            continue
        end = at + 1
        while end < len(pieces) and pieces[end].line == first.line and pieces[end].kind != "SEMICOLON":
            end += 1
        word = first.text.upper()
        opened = (end > at + 1 and pieces[at + 1].kind == "OPEN") or (end == at + 1 and end < len(pieces) and pieces[end].kind == "OPEN")
        if word == "CAL" or word in _LEAVES or (word not in _OPERATORS and opened):
            end = _balanced(pieces, at, end)
        rest = pieces[at + 1:end]
        one = _Instruction(label, word, first.line, first.column, rest)
        if word in {*_OPERATIONS, *_INVERTED} and rest and rest[0].kind == "OPEN":
            one.opens, one.rest = True, rest[1:]
        found.append(one)
        label, at = "", end
    if label:
        found.append(_Instruction(label, "", pieces[-1].line, pieces[-1].column, []))
    return found


def _balanced(pieces: list[Piece], at: int, end: int) -> int:
    """Behind the brackets that were opened between two tokens."""
    depth = sum((p.kind == "OPEN") - (p.kind == "CLOSE") for p in pieces[at:end])
    if end < len(pieces) and pieces[end].kind == "OPEN" and not any(p.kind == "OPEN" for p in pieces[at:end]):
        depth, end = 1, end + 1  # the bracket stands on a line of its own
    while depth > 0 and end < len(pieces):
        depth += (pieces[end].kind == "OPEN") - (pieces[end].kind == "CLOSE")
        end += 1
    return end


class _List:
    """A list on its way: ``result`` is what the instructions so far come to, None before the first."""

    def __init__(self, instructions: list[_Instruction]) -> None:
        self.instructions = instructions
        self.count = 0
        self.statements: list[Statement] = []
        self.labels: dict[str, tuple[str, int]] = {}
        self.group: list[Statement] = []
        self.result: Expression | None = None
        self.begun = 0  # the line on which the step at work begins
        self.held: list[tuple[str, bool, Expression, _Instruction]] = []  # brackets that wait: operation, inverted, the result before, what opened it
        self.errors: list[Unreadable] = []
        self.places = {one.label.lower(): n for n, one in reversed([*enumerate(instructions)]) if one.label}
        self.needed = self._needed()

    def number(self) -> int:
        self.count += 1
        return self.count

    def _needed(self) -> set[str]:
        """The labels behind which the result is read before it is loaded anew."""
        return {one.label.lower() for n, one in enumerate(self.instructions) if one.label and self._read_from(n)}

    def _read_from(self, n: int) -> bool:
        """Whether an instruction, or one that is executed behind it, reads the result before it is loaded anew.

        What stands behind JMP or RET without a label is never executed, and translated all the same.
        """
        passed, left = set[int](), [n]
        while left:
            at = left.pop()
            if at in passed or at >= len(self.instructions):
                continue
            passed.add(at)
            one = self.instructions[at]
            if one.word in ("JMP", "RET"):
                label = self.places.get(one.rest[0].text.lower()) if one.word == "JMP" and one.names_label else None
                following = self.instructions[at + 1] if at + 1 < len(self.instructions) else None
                left += ([label] if label is not None else []) + ([at + 1] if following is not None and not following.label else [])
            elif one.word in ("", "CAL"):
                left.append(at + 1)
            elif one.word not in ("LD", "LDN"):
                return True
        return False

    def translate(self) -> None:
        """Make the statements. Raises: Unreadable for the first error, with those behind it."""
        ended = True
        for n, one in enumerate(self.instructions):
            if not self.held and (one.label or ended or (one.loads and self.group)):
                self._close(n)
            ended = False
            self.begun = self.begun or one.line
            if one.label:
                self._label(one)
            if one.word:
                self._read(one, n)
            if not self.held and (one.word in _LEAVES or (one.word in _STORES and not self._followed(n, _STORES))):
                ended = True
        if self.held:
            self.errors.append(_wrong(self.held[-1][3], "a bracket is opened here and not closed"))
        self._close(len(self.instructions))
        self.errors += [_wrong(one, f"label {one.rest[0].text} stands nowhere") for one in self.instructions
                        if one.word.startswith("JMP") and one.names_label and one.rest[0].text.lower() not in self.labels]
        if self.errors:
            raise together(self.errors)

    def _read(self, one: _Instruction, n: int) -> None:
        """One instruction; after an error the list is read on as if it had given some result."""
        open_before = len(self.held)
        try:
            self._one(one, n)
        except Unreadable as error:
            self.errors.append(error)
            if self.result is None:
                self.result = Constant(self.number(), one.line, "FALSE", "BOOL", False)
            if one.opens and len(self.held) == open_before and not one.closes:
                self.held.append(("AND", False, self.result, one))

    def _label(self, one: _Instruction) -> None:
        key = one.label.lower()
        if key in self.labels:
            self.errors.append(_wrong(one, f"label {one.label} stands twice"))
        self.labels.setdefault(key, (one.label, len(self.statements)))

    def _followed(self, n: int, words: set[str]) -> bool:
        following = self.instructions[n + 1] if n + 1 < len(self.instructions) else None
        return following is not None and not following.label and following.word in words

    def _close(self, n: int) -> None:
        """A step ends before an instruction; what the steps below read of its result is kept."""
        if self.result is not None and self._read_from(n):
            self._lasting(self.instructions[n].line)
        if len(self.group) == 1 and self.group[0].line == self.begun:
            self.statements.append(self.group[0])
        elif self.group:
            self.statements.append(Together(self.number(), self.begun, tuple(self.group)))
        if self.group:
            self.group, self.begun = [], 0

    def _lasting(self, line: int) -> None:
        """Leave the result for other steps."""
        value = self.result
        if value is None or (isinstance(value, Kept) and value.lasting):
            return
        made = self.number()
        keep = Keep(made, value.line, value, True)
        leaving = self.group and isinstance(self.group[-1], (Go, Choose, Leave))
        self.group.insert(len(self.group) - 1 if leaving else len(self.group), keep)
        self.result = Kept(self.number(), line or value.line, value.value if isinstance(value, Kept) else value, made, True)

    def _once(self, n: int) -> Expression:
        """The result for an instruction that leaves it as it is: kept where another reads it too."""
        value = self.result
        if value is None:
            raise _wrong(self.instructions[n], f"{self.instructions[n].word} stands before anything is loaded")
        one = self.instructions[n]
        needed = self._read_from(n + 1)
        if one.word.startswith("JMP") and one.rest:
            needed = needed or one.rest[0].text.lower() in self.needed
        if needed and not isinstance(value, (Kept, Constant)):
            made = self.number()
            ends = one.word in _LEAVES or not self._followed(n, _STORES)
            self.group.append(Keep(made, value.line, value, ends))
            self.result = Kept(self.number(), one.line, value, made, ends)
            return Kept(self.number(), one.line, value, made, ends)
        if needed and isinstance(value, Kept) and not value.lasting and not self._followed(n, _STORES):
            made = self.number()
            self.group.append(Keep(made, one.line, value, True))
            self.result = Kept(self.number(), one.line, value.value, made, True)
        return value

    # instructions

    def _one(self, one: _Instruction, n: int) -> None:
        word = one.word
        if word in ("LD", "LDN"):
            value = self._operand(one)
            self.result = self._not(value, one.line) if word == "LDN" else value
        elif word == "NOT":
            self.result = self._not(self._now(one), one.line)
        elif word in _OPERATIONS or word in _INVERTED:
            self._operation(one)
        elif word == ")":
            self._closes(one)
        elif word in _STORES:
            self._store(one, n)
        elif word in _LEAVES:
            self._leave(one, n)
        elif word in _PINS and one.rest:
            target = self._target(one)
            value = self._once(n)
            self.group.append(Do(self.number(), one.line, Apply(self.number(), one.line, target, (Argument(word, value),))))
        else:
            self._function(one)

    def _now(self, one: _Instruction) -> Expression:
        if self.result is None:
            raise _wrong(one, f"{one.word} stands before anything is loaded")
        return self.result

    def _not(self, value: Expression, line: int) -> Expression:
        return Unary(self.number(), line, "NOT", value)

    def _operation(self, one: _Instruction) -> None:
        code = _OPERATIONS.get(one.word) or _INVERTED[one.word]
        inverted = one.word in _INVERTED
        if one.opens:
            self.held.append((code, inverted, self._now(one), one))
            self.result = None
            if one.rest:
                closed = one.closes
                one.rest = one.rest[:-1] if closed else one.rest
                self.result = self._operand(one)
                if closed:
                    self._closes(one)
            return
        value = self._operand(one)
        self.result = Binary(self.number(), one.line, code, self._now(one), self._not(value, one.line) if inverted else value)

    def _closes(self, one: _Instruction) -> None:
        if not self.held:
            raise _wrong(one, "a bracket is closed that was not opened")
        code, inverted, before, opened = self.held.pop()
        value = self._now(one)
        self.result = Binary(self.number(), opened.line, code, before, self._not(value, one.line) if inverted else value)

    def _store(self, one: _Instruction, n: int) -> None:
        target = self._target(one)
        value = self._once(n)
        if one.word in ("ST", "STN"):
            self.group.append(Assign(self.number(), one.line, target, self._not(value, one.line) if one.word == "STN" else value))
            return
        written = Constant(self.number(), one.line, "TRUE" if one.word == "S" else "FALSE", "BOOL", one.word == "S")
        self.group.append(Choose(self.number(), one.line, (Branch(value, (Assign(self.number(), one.line, target, written),)),)))

    def _leave(self, one: _Instruction, n: int) -> None:
        word, condition = _LEAVES[one.word]
        test = self._once(n) if condition else None
        if test is not None and condition == "CN":
            test = self._not(test, one.line)
        if word == "JMP":
            if not one.names_label:
                raise _wrong(one, f"{one.word} takes a label")
            if test is None and self.result is not None and one.rest[0].text.lower() in self.needed:
                self._lasting(one.line)
            self.group.append(Go(self.number(), one.line, test, one.rest[0].text))
            return
        if word == "CAL":
            if test is None and self.result is not None and self._read_from(n + 1):
                self._once(n)  # what is called may change what it was loaded from
            called = self._call(one)
            done: Statement = Do(self.number(), one.line, called if isinstance(called, Apply) else Apply(self.number(), one.line, called, ()))
        else:
            done = Leave(self.number(), one.line, "RETURN")
        self.group.append(done if test is None else Choose(self.number(), one.line, (Branch(test, (done,)),)))

    def _function(self, one: _Instruction) -> None:
        """A function: with brackets all that it takes stands in them, without the result is the first."""
        name = Var(self.number(), one.line, one.word)
        if one.rest and one.rest[0].kind == "OPEN":
            found = self._parsed([Piece("NAME", one.word, one.line, 1, 0), *one.rest], one)
            if isinstance(found, Apply):
                self.result = found
                return
        given: tuple[Argument, ...] = ()
        if one.rest:
            pieces = [Piece("NAME", one.word, one.line, 1, 0), Piece("OPEN", "(", one.line, 1, 0), *one.rest, Piece("CLOSE", ")", one.line, 1, 0)]
            found = self._parsed(pieces, one)
            given = found.arguments if isinstance(found, Apply) else ()
        self.result = Apply(self.number(), one.line, name, (Argument("", self._now(one)), *given))

    # operands

    def _parsed(self, pieces: list[Piece], one: _Instruction) -> Expression:
        if not pieces:
            raise _wrong(one, f"{one.word} takes something, and nothing stands behind it")
        made, self.count = parse_from(pieces, "operand", self.count)
        found: Expression = made
        return found

    def _operand(self, one: _Instruction) -> Expression:
        return self._parsed(one.rest, one)

    def _target(self, one: _Instruction) -> Var:
        found = self._parsed(one.rest, one)
        if not isinstance(found, Var):
            raise _wrong(one, f"{one.word} takes a variable")
        return found

    def _call(self, one: _Instruction) -> Apply | Var:
        found = self._parsed(one.rest, one)
        if not isinstance(found, (Apply, Var)) or (isinstance(found, Var) and not all(isinstance(s, Member) for s in found.steps)):
            raise _wrong(one, "CAL takes a block")
        return found
