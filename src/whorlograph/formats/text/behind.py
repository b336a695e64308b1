"""Errors behind the first: reading goes on behind the next semicolon, inside what was open there, so that all can be mended at once."""

from __future__ import annotations

from collections.abc import Callable

from .tokens import Piece
from .unreadable import MOST, Unreadable

_ENDS = {"END_IF": "IF", "END_CASE": "CASE", "END_FOR": "FOR", "END_WHILE": "WHILE", "END_REPEAT": "REPEAT", "END_STRUCT": "STRUCT"}
# What each statement is begun with, so that what stands inside it can be read by itself.
_BEGUN = {"IF": ("IF", "NAME", "THEN"), "CASE": ("CASE", "NAME", "OF", "NUMBER", "COLON"), "WHILE": ("WHILE", "NAME", "DO"), "REPEAT": ("REPEAT",),
          "FOR": ("FOR", "NAME", "GIVES", "NUMBER", "TO", "NUMBER", "DO")}
_TEXTS = {"NAME": "x", "NUMBER": "0", "GIVES": ":=", "COLON": ":"}


def errors_behind(pieces: list[Piece], first: Unreadable, read: Callable[[list[Piece]], object]) -> list[Unreadable]:
    """The further errors of a text whose first is known, in order, at most 20.

    That the text ends too soon cannot be told from what an earlier error brought about: it is told as the first only.
    Args: read: raises Unreadable for tokens that cannot be read.
    """
    found: list[Unreadable] = []
    error, rest = first, pieces
    while len(found) < MOST and not error.ends:
        rest = _rest(rest, error)
        if not rest:
            break
        try:
            read(rest)
            break
        except Unreadable as another:
            if (another.line, another.column) <= (error.line, error.column) or another.ends:
                break
            found.append(another)
            error = another
    return found


def _rest(pieces: list[Piece], error: Unreadable) -> list[Piece]:
    """What stands behind the semicolon that follows an error, inside what was open there; nothing where none follows."""
    opened: list[str] = []
    section: Piece | None = None
    behind = False
    for n, piece in enumerate(pieces):
        behind = behind or (piece.line, piece.column) >= (error.line, error.column)
        if piece.kind in _BEGUN or piece.kind == "STRUCT":
            opened.append(piece.kind)
        elif piece.kind in _ENDS:
            if not opened or opened.pop() != _ENDS[piece.kind]:
                return []
        elif piece.kind in ("SECTION", "END_VAR"):
            section = piece if piece.kind == "SECTION" else None
        elif behind and piece.kind == "SEMICOLON" and "STRUCT" not in opened:
            rest = pieces[n + 1:]
            if not rest:
                return []
            made = [Piece(kind, _TEXTS.get(kind, kind), piece.line, piece.column, piece.start) for one in opened for kind in _BEGUN[one]]
            return [*([section] if section is not None else []), *made, *rest]
    return []
