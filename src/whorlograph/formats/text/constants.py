"""Numbers that a text declares constant, put where a declaration needs a number: bounds of arrays and subranges, lengths, initial values
(IEC 61131-3:2013, 6.5.2)."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from itertools import takewhile

from whorlograph.model.literals import literal
from whorlograph.model.types import Simple

from .declarations import Section
from .tokens import Piece
from .unreadable import Unreadable

Known = dict[str, str]  # by name in lower case: the number as it is written
_BEFORE = {"BEGIN", "UPTO", "GIVES", "PLUS", "MINUS", "TIMES", "OPEN"}  # behind these a name in a declaration stands for a value


def sections_of(pieces: list[Piece]) -> list[list[Piece]]:
    """The sections of declarations among tokens, each from its keyword to END_VAR."""
    found: list[list[Piece]] = []
    for at, piece in enumerate(pieces):
        if piece.kind == "SECTION":
            end = next((i for i in range(at, len(pieces)) if pieces[i].kind == "END_VAR"), -1)
            found += [pieces[at:end + 1]] if end > 0 else []
    return found


def constants_of(sections: Iterable[list[Piece]], read: Callable[[list[Piece]], list[Section]], outer: Known) -> Known:
    """What sections declare constant, those known from outside included; a name that they declare otherwise means nothing outside.

    Args: read: makes a section of tokens, Unreadable where it cannot.
    """
    found = dict(outer)
    for pieces in sections:
        if not any(p.kind == "CONSTANT" for p in pieces):
            for part in _split(pieces[1:-1]) if pieces[0].text.upper() != "VAR_EXTERNAL" else ():
                for name in takewhile(lambda p: p.kind != "COLON", part):
                    found.pop(name.text.lower(), None)
            continue
        first = next(i for i, p in enumerate(pieces) if p.kind == "CONSTANT") + 1
        for part in _split(pieces[first:-1]):  # one after the other: they may name those before
            try:
                declared = [d for s in read([*pieces[:first], *with_numbers(part, found, starts=True), pieces[-1]]) for d in s.declared]
            except Unreadable:
                continue  # told where the section is read for good
            for one in declared:
                # A duration stays what it is: an interval is told by its name.
                value = literal(one.initial.text) if isinstance(one.initial, Simple) else None
                if value is not None and type(value[1]) is int and (value[0] is None or value[0].of_bits):
                    found |= {name.lower(): str(value[1]) for name, _ in one.names}
    return found


def _split(pieces: list[Piece]) -> list[list[Piece]]:
    """Declarations, each with its semicolon."""
    found: list[list[Piece]] = [[]]
    for piece in pieces:
        found[-1].append(piece)
        if piece.kind == "SEMICOLON":
            found.append([])
    return [part for part in found if part]


def with_numbers(pieces: list[Piece], known: Known, starts: bool = False) -> list[Piece]:
    """Declarations with the numbers in place of the constants' names; columns and lines stay as they are.

    Args: starts: also where a name alone is an initial value: of an enumeration it may be one of its own.
    """
    if not known:
        return pieces
    found: list[Piece] = []
    depth, before = 0, ""
    for n, piece in enumerate(pieces):
        depth += (piece.kind == "BEGIN") - (piece.kind == "END")
        number = known.get(piece.text.lower()) if piece.kind == "NAME" else None
        behind = pieces[n + 1].kind if n + 1 < len(pieces) else ""
        named = behind in ("DOT", "GIVES", "COLON") or (behind == "BEGIN" and before != "BEGIN")  # a member, what is given a value, a declaration
        alone = before == "GIVES" and behind == "SEMICOLON" and not starts
        if number is not None and not named and not alone and (before in _BEFORE or (before == "COMMA" and depth)):
            if number.startswith("-"):
                found.append(Piece("MINUS", "-", piece.line, piece.column, piece.start))
            found.append(Piece("NUMBER", number.lstrip("-"), piece.line, piece.column, piece.start))
        else:
            found.append(piece)
        before = piece.kind
    return found
