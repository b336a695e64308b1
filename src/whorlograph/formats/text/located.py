"""VAR_CONFIG: addresses of variables that their POU leaves open (``AT %I*``); VAR_ACCESS: names for others (IEC 61131-3:2013, 6.8.1, table 62)."""

from __future__ import annotations

from .tokens import Piece
from .unreadable import Unreadable


def without_paths(pieces: list[Piece]) -> tuple[list[Piece], list[tuple[str, str]]]:
    """The tokens of a configuration without these sections, and by path (in lower case) the address of each variable that gets one.

    Raises: Unreadable where an entry of VAR_CONFIG is none.
    """
    rest: list[Piece] = []
    placed: list[tuple[str, str]] = []
    at = 0
    while at < len(pieces):
        piece = pieces[at]
        if piece.kind != "SECTION" or piece.text.upper() not in ("VAR_CONFIG", "VAR_ACCESS"):
            rest.append(piece)
            at += 1
            continue
        end = next((i for i in range(at, len(pieces)) if pieces[i].kind == "END_VAR"), -1)
        if end < 0:
            raise Unreadable(piece.line, piece.column, f"a {piece.text} is not ended by END_VAR")
        if piece.text.upper() == "VAR_CONFIG":
            placed += _entries(pieces[at + 1:end])
        at = end + 1
    return rest, placed


def _entries(pieces: list[Piece]) -> list[tuple[str, str]]:
    """``Resource.Program.Variable AT %IX0.0 : BOOL;`` each; one without an address only has an initial value, which is not read."""
    found: list[tuple[str, str]] = []
    begin = 0
    for end in [i for i, piece in enumerate(pieces) if piece.kind == "SEMICOLON"]:
        entry = pieces[begin:end]
        begin = end + 1
        path = [p.text for p in entry[:next((i for i, p in enumerate(entry) if p.kind in ("AT", "COLON")), 0)] if p.kind != "DOT"]
        if not path:
            piece = (entry or pieces)[0]
            raise Unreadable(piece.line, piece.column, f"{piece.text!r} stands where the path of a variable was expected")
        address = next((entry[i + 1].text for i, p in enumerate(entry[:-1]) if p.kind == "AT"), "")
        if address:
            found.append((".".join(path).lower(), address))
    return found
