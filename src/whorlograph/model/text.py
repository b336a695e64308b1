"""Structured Text as a tree: statements and expressions (IEC 61131-3:2013, 7.3). Plain data."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec import Struct

from .paths import Bit, Member


class Node(Struct, frozen=True, tag=True):
    """A piece of text: ``at`` numbers it within its body, from 1; ``line`` is the one of the file it begins on."""

    at: int
    line: int


class Constant(Node, frozen=True):
    """A literal as it is written; ``named`` is the elementary type that it names, "" where it takes that of what stands around it."""

    text: str
    named: str
    value: bool | int | float | str


class Sub(Struct, frozen=True, tag=True):
    """``[i, j]``: subscripts."""

    values: tuple[Expression, ...]


class Var(Node, frozen=True):
    """A variable, a direct address or an enumerator by name, with what follows it."""

    base: str
    steps: tuple[Member | Bit | Sub, ...] = ()


class Unary(Node, frozen=True):
    """``NEG`` or ``NOT`` of a value."""

    code: str
    value: Expression


class Binary(Node, frozen=True):
    """An operation on two values, by its function's name: ADD, GE, AND ..."""

    code: str
    left: Expression
    right: Expression


class Argument(Struct, frozen=True, tag=True):
    """What is handed over: ``name`` "" where it is by position; ``output``: what comes back goes there (inverted where ``negated``)."""

    name: str
    value: Expression | None = None
    output: Var | None = None
    negated: bool = False


class Apply(Node, frozen=True):
    """A function or a block called: as a value, or as a statement."""

    called: Var
    arguments: tuple[Argument, ...]


def applied(number: Callable[[], int], name: str, *values: Expression) -> Apply:
    """A function of the standard called with values by position. Args: number: numbers the nodes."""
    line = values[0].line
    return Apply(number(), line, Var(number(), line, name), tuple(Argument("", v) for v in values))


class Kept(Node, frozen=True):
    """What an instruction list's result was when ``Keep`` number ``made`` kept it: that of ``value`` then; ``lasting``: by another step."""

    value: Expression
    made: int
    lasting: bool


Expression = Constant | Var | Unary | Binary | Apply | Kept


class Assign(Node, frozen=True):
    """``Target := Value;``"""

    target: Var
    value: Expression


class Do(Node, frozen=True):
    """A call as a statement."""

    call: Apply


class Branch(Struct, frozen=True, tag=True):
    """A condition and what it leads to."""

    test: Expression
    statements: tuple[Statement, ...]


class Choose(Node, frozen=True):
    """IF, ELSIF, ELSE."""

    branches: tuple[Branch, ...]
    other: tuple[Statement, ...] = ()


class Range(Struct, frozen=True, tag=True):
    """A label of CASE: one value, or from one to another."""

    low: Expression
    high: Expression | None = None


class Labelled(Struct, frozen=True, tag=True):
    """Labels of CASE and what they lead to."""

    labels: tuple[Range, ...]
    statements: tuple[Statement, ...]


class Case(Node, frozen=True):
    """CASE, ELSE."""

    selector: Expression
    branches: tuple[Labelled, ...]
    other: tuple[Statement, ...] = ()


class For(Node, frozen=True):
    """FOR: ``by`` None means 1."""

    variable: Var
    first: Expression
    last: Expression
    by: Expression | None
    statements: tuple[Statement, ...]


class While(Node, frozen=True):
    """WHILE: the test comes before each pass."""

    test: Expression
    statements: tuple[Statement, ...]


class Until(Node, frozen=True):
    """REPEAT: the test comes behind each pass."""

    test: Expression
    statements: tuple[Statement, ...]


class Leave(Node, frozen=True):
    """EXIT, CONTINUE or RETURN."""

    kind: str


class Keep(Node, frozen=True):
    """An instruction list's result, computed once for all that reads it later; ``lasting``: steps below read it too."""

    value: Expression
    lasting: bool


class Together(Node, frozen=True):
    """Statements that are one step: of an instruction list, from what loads to what stores."""

    statements: tuple[Statement, ...]


class Go(Node, frozen=True):
    """Go on at a label of the body, the last statement of its step; ``test`` None: always."""

    test: Expression | None
    label: str


Statement = Assign | Do | Choose | Case | For | While | Until | Leave | Keep | Together | Go


def remade(part: Any, change: Callable[[Any], Any]) -> Any:
    """A part of a tree, or several, made anew of what its own parts are changed to."""
    if isinstance(part, tuple):
        return tuple(change(p) for p in part)
    return type(part)(*(change(getattr(part, f)) for f in part.__struct_fields__)) if isinstance(part, Struct) else part


class TextBody(Struct, frozen=True, tag=True):
    """A body in Structured Text or an instruction list. ``source``: its lines as they are written, the first of them line ``first`` of the
    file; ``comments``: by statement, what is written above it; ``language``: ST or IL; ``labels``: (name, statement counted from 0)."""

    statements: tuple[Statement, ...]
    source: tuple[str, ...] = ()
    first: int = 1
    comments: tuple[str, ...] = ()
    language: str = "ST"
    labels: tuple[tuple[str, int], ...] = ()

    @classmethod
    def of(cls, statements: tuple[Statement, ...], source: tuple[str, ...], first: int, language: str = "ST",
           labels: tuple[tuple[str, int], ...] = ()) -> TextBody:
        """A body with the comments found above its statements."""
        return cls(statements, source, first, tuple(" ".join(_above(source, one.line - first)) for one in statements), language, labels)

    def may_hold(self, letters: str) -> bool:
        """Whether some letters can stand in what it was read as: surely not where its source is known and has none, in capitals or not."""
        return self.language != "ST" or self.says(letters)

    def says(self, letters: str) -> bool:
        """Whether some letters, given in capitals, stand in its source, or that is not known."""
        return not self.source or any(letters in line or letters in line.upper() for line in self.source)

    @property
    def count(self) -> int:
        """How many steps it is executed in."""
        return len(self.statements)

    @property
    def targets(self) -> dict[str, int]:
        """The statement (from 1) at which each label stands, by name in lower case."""
        return {name.lower(): index + 1 for name, index in reversed(self.labels)}

    def lines(self, index: int) -> tuple[str, ...]:
        """The lines of a statement at the top level, without what stands above the next."""
        begin = self.statements[index].line - self.first
        end = self.statements[index + 1].line - self.first if index + 1 < len(self.statements) else len(self.source)
        while end > begin + 1 and (not self.source[end - 1].strip() or _comment(self.source[end - 1])):
            end -= 1
        return self.source[begin:max(begin + 1, end)]


def _comment(line: str) -> str:
    """The words of a line that is a comment; "" for another."""
    text = line.strip()
    if text.startswith("//") or (text.startswith("(*") and text.endswith("*)") and len(text) >= 4):
        return text.removeprefix("//").removeprefix("(*").removesuffix("*)").strip()
    return ""


def _above(source: tuple[str, ...], line: int) -> list[str]:
    """The comments on the lines right above one."""
    found: list[str] = []
    while 0 < line <= len(source) and (said := _comment(source[line - 1])):
        found.insert(0, said)
        line -= 1
    return found
