"""Declarations that cannot be read are left out one by one, so that the rest of their file lives (DESIGN section 6)."""

from __future__ import annotations

from collections.abc import Callable

from .tokens import Piece
from .unreadable import Unreadable

_OPENS, _CLOSES = ("STRUCT", "OPEN", "BEGIN"), ("END_STRUCT", "CLOSE", "END")
_QUALIFIERS = ("CONSTANT", "RETAIN", "NON_RETAIN", "PERSISTENT")


def without_wrong(pieces: list[Piece], read: Callable[[list[Piece]], object]) -> tuple[list[Piece], list[Unreadable]]:
    """Tokens without the declarations of their sections that cannot be read, and why each cannot.

    Args: read: raises Unreadable for the tokens of a section that cannot be read.
    """
    found: list[Piece] = []
    wrong: list[Unreadable] = []
    at = 0
    while at < len(pieces):
        end = next((i for i in range(at, len(pieces)) if pieces[i].kind == "END_VAR"), -1) if pieces[at].kind == "SECTION" else -1
        if end < 0:
            found.append(pieces[at])
            at += 1
            continue
        begin = at + 1
        while begin < end and pieces[begin].kind in _QUALIFIERS:
            begin += 1
        found += pieces[at:begin]
        for one in declarations_in(pieces[begin:end]):
            try:
                read([*pieces[at:begin], *one, pieces[end]])
                found += one
            except Unreadable as error:
                error.behind = []
                wrong.append(error)
        found.append(pieces[end])
        at = end + 1
    return found, wrong


def declarations_in(pieces: list[Piece]) -> list[list[Piece]]:
    """Each declaration with its semicolon; those inside a structure belong to it."""
    found: list[list[Piece]] = [[]]
    depth = 0
    for piece in pieces:
        found[-1].append(piece)
        depth += (piece.kind in _OPENS) - (piece.kind in _CLOSES)
        if piece.kind == "SEMICOLON" and depth <= 0:
            found.append([])
            depth = 0
    return [one for one in found if one]
