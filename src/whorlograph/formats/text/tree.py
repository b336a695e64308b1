"""What the grammar of the text languages makes: statements, expressions, declarations."""

from __future__ import annotations

import re
from functools import cache, partial
from threading import Lock
from typing import Any

from msgspec import Struct

from whorlograph.model.calendar import date_splits
from whorlograph.model.literals import literal
from whorlograph.model.paths import Bit, Member
from whorlograph.model.program import ProgramInstance, Task
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
)
from whorlograph.model.types import (
    ELEMENTARY,
    ArrayOf,
    Elementary,
    Enumeration,
    Family,
    Field,
    Initial,
    ListOf,
    Members,
    Named,
    Simple,
    Structure,
    Subrange,
    TypeRef,
)

from .behind import errors_behind
from .driver import Driver, Refused
from .tables import tables
from .tokens import COMMENTS, Piece
from .unreadable import Unreadable

CODES = {"OR": "OR", "XOR": "XOR", "AND": "AND", "&": "AND", "=": "EQ", "<>": "NE", "<": "LT", "<=": "LE", ">": "GT", ">=": "GE", "+": "ADD",
         "-": "SUB", "*": "MUL", "/": "DIV", "MOD": "MOD", "**": "EXPT"}
_WORDS = {"GIVES": ":=", "GOES": "=>", "UPTO": "..", "COMPARE": "a comparison", "EQUAL": "=", "POWER": "**", "PLUS": "+", "MINUS": "-",
          "TIMES": "'*' or '/'", "OPEN": "(", "CLOSE": ")",
          "BEGIN": "[", "END": "]", "COMMA": ",", "SEMICOLON": ";", "COLON": ":", "DOT": ".", "NAME": "a name", "NUMBER": "a number",
          "LITERAL": "a literal", "DIRECT": "an address", "$END": "the end", "SECTION": "VAR"}


# What ends a part: named first of what could stand where something else does.
_OPERAND = re.compile(r"IN\d*", re.IGNORECASE)
_PARTS = {"B": ("BYTE", 8), "W": ("WORD", 16), "D": ("DWORD", 32)}
_TELLING = {"SEMICOLON", "CLOSE", "END", "COLON", "THEN", "DO", "OF", "TO", "UNTIL", "NAME"}
_OF_CONFIGURATIONS = {"ON", "WITH", "TASK", "RESOURCE", "END_RESOURCE"}  # words there, names everywhere else


class Declared(Struct, frozen=True):
    """A declaration: names with their lines, address, type, initial value; ``edge``: R_EDGE, F_EDGE or ""."""

    names: tuple[tuple[str, int], ...]
    address: str
    type: TypeRef
    initial: Initial | None
    edge: str = ""


class Section(Struct, frozen=True):
    """A section of declarations: its keyword, qualifiers, and what it declares."""

    kind: str
    qualifiers: frozenset[str]
    declared: tuple[Declared, ...]


class TypeNamed(Struct, frozen=True):
    """A data type with its initial value."""

    name: str
    line: int
    type: TypeRef
    initial: Initial | None


class ResourceRead(Struct, frozen=True):
    """A resource, or what stands in a configuration without one."""

    name: str
    parts: tuple[Section | Task | ProgramInstance, ...]


class ConfigurationRead(Struct, frozen=True):
    """A configuration."""

    name: str
    parts: tuple[Section | Task | ProgramInstance | ResourceRead, ...]


class _Labels(Struct, frozen=True):
    """Labels of CASE, before what they lead to is gathered."""

    labels: tuple[Range, ...]


def _rid(children: list[Any]) -> list[Any]:
    """What stands between words and signs."""
    return [c for c in children if not isinstance(c, Piece)]


class _Maker:
    """Makes trees; nodes are numbered in the order in which they end."""

    def __init__(self) -> None:
        self.count = 0

    def number(self) -> int:
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
        return self._with(children[0], Sub(tuple(_rid(children[1:]))))

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
        found = _rid(children)
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
        """``Word.%B1``: some of a word's bits (6.5.2.2)."""
        var, _, part = children
        name, _, low = _part(part)
        return self._apply(f"TO_{name}", self._apply("SHR", var, self._part_at(part, low)))

    def _apply(self, name: str, *values: Expression) -> Apply:
        line = values[0].line
        return Apply(self.number(), line, Var(self.number(), line, name), tuple(Argument("", v) for v in values))

    def _whole(self, value: int, line: int) -> Constant:
        return Constant(self.number(), line, str(value), "", value)

    def arguments(self, children: list[Any]) -> tuple[Argument, ...]:
        return tuple(a for a in _rid(children) if a is not None)

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
        target, value = _rid(children)
        return Assign(self.number(), target.line, target, value)

    def _part_at(self, part: Piece, low: int) -> Constant:
        """How far a part is shifted, by the part's name: so it is called again where it is told."""
        return Constant(self.number(), part.line, part.text.upper(), "", low)

    def assign_part(self, children: list[Any]) -> Statement:
        """``Word.%B1 := value``: the word's other bits stay."""
        var, _, part, _, value = children[:5]
        name, width, low = _part(part)
        line, number = var.line, self.number

        def word() -> Var:
            return Var(number(), line, var.base, var.steps)

        others = Binary(number(), line, "AND", word(), Unary(number(), line, "NOT", self._whole(((1 << width) - 1) << low, line)))
        # Of the word's own type before it is shifted.
        wide = Binary(number(), line, "OR", Binary(number(), line, "AND", word(), self._whole(0, line)), self._apply(f"TO_{name}", value))
        return Assign(number(), line, var, Binary(number(), line, "OR", others, self._apply("SHL", wide, self._part_at(part, low))))

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
        return Together(self.number(), call.line, tuple(Assign(self.number(), call.line, target, self._apply(f"{name}.{piece}", source))
                                                         for piece, target in taken.items() if target is not None))

    def choose(self, children: list[Any]) -> Statement:
        parts = _rid(children)
        pairs = [Branch(parts[i], parts[i + 1]) for i in range(0, len(parts) - 1, 2)]
        return Choose(self.number(), children[0].line, tuple(pairs), parts[-1] if len(parts) % 2 else ())

    def label(self, children: list[Any]) -> Range:
        parts = _rid(children)
        return Range(parts[0], parts[1] if len(parts) > 1 else None)

    def labels(self, children: list[Any]) -> _Labels:
        return _Labels(tuple(_rid(children)))

    def case(self, children: list[Any]) -> Statement:
        parts = _rid(children)
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
        parts = _rid(children)
        variable, first, last = parts[:3]
        return For(self.number(), children[0].line, variable, first, last, parts[3] if len(parts) > 4 else None, parts[-1])

    def while_(self, children: list[Any]) -> Statement:
        test, statements = _rid(children)
        return While(self.number(), children[0].line, test, statements)

    def until(self, children: list[Any]) -> Statement:
        statements, test = _rid(children)
        return Until(self.number(), children[0].line, test, statements)

    def leave(self, children: list[Any]) -> Statement:
        return Leave(self.number(), children[0].line, children[0].text.upper())

    # declarations

    def qualifier(self, children: list[Any]) -> str:
        word: str = children[0].text
        return word.upper()

    def names(self, children: list[Any]) -> tuple[tuple[str, int], ...]:
        return tuple((t.text, t.line) for t in children if t.kind == "NAME")

    def place(self, children: list[Any]) -> str:
        word: str = children[1].text
        return word

    def declaration(self, children: list[Any]) -> Declared:
        names, *parts = _rid(children) if not isinstance(children[1], str) else [children[0], *_rid(children[2:])]
        address = children[1] if isinstance(children[1], str) else ""
        edge = next((c.text.upper() for c in children if isinstance(c, Piece) and c.kind == "EDGE"), "")
        return Declared(names, address, parts[0], _initial(parts[1]) if len(parts) > 1 else None, edge)

    def section(self, children: list[Any]) -> Section:
        qualifiers = frozenset(c for c in children[1:] if isinstance(c, str))
        return Section(children[0].text.upper(), qualifiers, tuple(c for c in children if isinstance(c, Declared)))

    def sections(self, children: list[Any]) -> list[Section]:
        return children

    def types(self, children: list[Any]) -> list[TypeNamed]:
        return children

    def type(self, children: list[Any]) -> TypeNamed:
        parts = _rid(children)
        return TypeNamed(children[0].text, children[0].line, parts[0], _initial(parts[1]) if len(parts) > 1 else None)

    def named(self, children: list[Any]) -> TypeRef:
        bounds, base = _rid(children), named_type(children[0].text)
        if bounds and isinstance(base, Elementary):
            return Subrange(base, _whole(bounds[0]), _whole(bounds[1]))
        return base

    def sized(self, children: list[Any]) -> TypeRef:
        base, length = named_type(children[0].text), _rid(children)
        return Subrange(base, 0, _whole(length[0])) if isinstance(base, Elementary) and base.family is Family.STRING else base

    def bound(self, children: list[Any]) -> tuple[int, int]:
        low, high = _rid(children)
        return _whole(low), _whole(high)

    def array(self, children: list[Any]) -> TypeRef:
        *bounds, base = _rid(children)
        return ArrayOf(tuple(bounds), base)

    def field(self, children: list[Any]) -> list[Field]:
        names, type_, *initial = _rid(children)
        return [Field(n, type_, _initial(initial[0]) if initial else None) for n, _ in names]

    def struct(self, children: list[Any]) -> TypeRef:
        return Structure(tuple(f for fields in _rid(children) for f in fields))

    def enumerator(self, children: list[Any]) -> tuple[str, int | None]:
        given = _rid(children)
        return children[0].text, _whole(given[0]) if given else None

    def enumeration(self, children: list[Any]) -> TypeRef:
        values, following = [], 0
        for name, number in _rid(children):
            following = number if number is not None else following
            values.append((name, following))
            following += 1
        return Enumeration(tuple(values))

    def listed(self, children: list[Any]) -> Initial:
        return ListOf(tuple(c if isinstance(c, tuple) else (1, _initial(c)) for c in _rid(children)))

    def repeated(self, children: list[Any]) -> tuple[int, Initial | None]:
        inner = _rid(children)
        return int(children[0].text.replace("_", "")), _initial(inner[0]) if inner else None

    def member(self, children: list[Any]) -> tuple[str, Initial]:
        return children[0].text, _initial(children[2])

    def members(self, children: list[Any]) -> Initial:
        return Members(tuple(_rid(children)))

    # configurations

    def setting(self, children: list[Any]) -> tuple[str, str]:
        return children[0].text.upper(), _text(children[2])

    def task(self, children: list[Any]) -> Task:
        settings = dict(_rid(children))
        priority = settings.get("PRIORITY", "0")
        return Task(children[1].text, int(priority) if priority.isdigit() else 0, settings.get("INTERVAL", ""), settings.get("SINGLE", ""))

    def instance(self, children: list[Any]) -> ProgramInstance:
        names = [c for c in children if isinstance(c, Piece) and c.kind == "NAME"]
        given = [a.name for part in children if isinstance(part, (list, tuple)) for a in part if isinstance(a, Argument) and a.name]
        return ProgramInstance(names[0].text, names[-1].text, names[1].text if len(names) > 2 else "", tuple(given), names[0].line)

    def resource(self, children: list[Any]) -> ResourceRead:
        return ResourceRead(children[1].text, tuple(_rid(children)))

    def configuration(self, children: list[Any]) -> ConfigurationRead:
        return ConfigurationRead(children[1].text, tuple(_rid(children)))


def _part(piece: Piece) -> tuple[str, int, int]:
    """(type, bits, lowest bit) of ``%B1``. Raises: Unreadable behind the widest word's last one."""
    name, width = _PARTS[piece.text[1].upper()]
    low = int(piece.text[2:]) * width if len(piece.text) < 6 else 64
    if low >= 64:
        raise Unreadable(piece.line, piece.column, f"{piece.text} is behind the last part of the widest word")
    return name, width, low


def named_type(name: str) -> TypeRef:
    """A type by its name."""
    return ELEMENTARY.get(name.upper(), Named(name))


def _whole(value: Expression) -> int:
    """A whole number that is written down. Raises: Unreadable where it is none."""
    if isinstance(value, Constant) and isinstance(value.value, int):
        return int(value.value)
    if isinstance(value, Unary) and value.code == "NEG":
        return -_whole(value.value)
    if isinstance(value, Binary) and value.code in ("ADD", "SUB", "MUL"):
        left, right = _whole(value.left), _whole(value.right)
        return left + right if value.code == "ADD" else left - right if value.code == "SUB" else left * right
    raise Unreadable(value.line, 0, f"{_text(value)} is no number that is written down")


def _text(value: Expression) -> str:
    return value.text if isinstance(value, Constant) else value.base if isinstance(value, Var) else "an expression"


def _initial(value: Any) -> Initial:
    """An initial value as the model keeps it."""
    if isinstance(value, (ListOf, Members, Simple)):
        return value
    if isinstance(value, (Constant, Var)):
        return Simple(_text(value))
    if isinstance(value, Unary) and value.code == "NEG" and isinstance(value.value, Constant):
        named, _, rest = value.value.text.rpartition("#")
        return Simple(f"{named}#-{rest}" if named else f"-{rest}")
    return Simple(str(_whole(value)))


_MAKER = _Maker()
_READING = Lock()  # its nodes are numbered in one go, and a proof may read pins while the screen does


@cache
def _driver(start: str) -> Driver:
    return Driver(tables(), start, partial(getattr, _MAKER))


def _said(kind: str) -> str:
    """A kind of token for a person: signs in quotes."""
    word = _WORDS.get(kind, kind)
    return word if word[0].isalpha() or " " in word else f"'{word}'"


def parse(pieces: list[Piece], start: str) -> Any:
    """What tokens make, read as one of ``tables.STARTS``.

    Raises: Unreadable for a text that is none, with the errors behind the first.
    """
    try:
        return parse_from(pieces, start, 0)[0]
    except Unreadable as error:
        error.behind = errors_behind(pieces, error, lambda rest: parse_from(rest, start, 0))
        raise


def parse_from(pieces: list[Piece], start: str, number: int) -> tuple[Any, int]:
    """The same, its nodes numbered from one behind ``number``; and the last number."""
    if start != "configuration" and any(p.kind in _OF_CONFIGURATIONS for p in pieces):
        pieces = [Piece("NAME", p.text, p.line, p.column, p.start) if p.kind in _OF_CONFIGURATIONS else p for p in pieces]
    try:
        with _READING:
            _MAKER.count = number
            return _driver(start).parse(pieces), _MAKER.count
    except Refused as error:
        known = list(dict.fromkeys(_said(e) for e in sorted(error.expected, key=lambda e: e not in _TELLING)))
        wanted = ", ".join(known[:6]) + (" ..." if len(known) > 6 else "")
        piece = error.piece
        here = "the end" if piece is None else f"{piece.text!r}"
        at = piece or (pieces[-1] if pieces else Piece("", "", 1, 1, 0))
        if piece is not None and piece.kind == "STRAY" and piece.text in COMMENTS:
            raise Unreadable(at.line, at.column, "a comment begins here and is not ended", ends=True) from None
        raise Unreadable(at.line, at.column, f"{here} stands here, {wanted} was expected", ends=piece is None) from None
