"""Texts read by the grammar: what their tokens make, and what was expected where they make nothing."""

from __future__ import annotations

from functools import cache, partial
from threading import Lock
from typing import Any

from .behind import errors_behind
from .declarations import Declarations
from .driver import Driver, Refused
from .statements import Statements
from .tables import tables
from .tokens import COMMENTS, Piece
from .unreadable import Unreadable

_WORDS = {"GIVES": ":=", "GOES": "=>", "UPTO": "..", "COMPARE": "a comparison", "EQUAL": "=", "POWER": "**", "PLUS": "+", "MINUS": "-",
          "TIMES": "'*' or '/'", "OPEN": "(", "CLOSE": ")",
          "BEGIN": "[", "END": "]", "COMMA": ",", "SEMICOLON": ";", "COLON": ":", "DOT": ".", "NAME": "a name", "NUMBER": "a number",
          "LITERAL": "a literal", "DIRECT": "an address", "$END": "the end", "SECTION": "VAR"}
# What ends a part: named first of what could stand where something else does.
_TELLING = {"SEMICOLON", "CLOSE", "END", "COLON", "THEN", "DO", "OF", "TO", "UNTIL", "NAME"}
_OF_CONFIGURATIONS = {"ON", "WITH", "TASK", "RESOURCE", "END_RESOURCE"}  # words there, names everywhere else


class _Maker(Statements, Declarations):
    """Makes all that the grammar knows, by the names of its nodes."""


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
