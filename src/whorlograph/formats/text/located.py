"""VAR_CONFIG: addresses and initial values of variables by their path; VAR_ACCESS: names for others (IEC 61131-3:2013, 6.8.1, table 62)."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.model.program import Located

from .declarations import Section
from .tokens import Piece
from .unreadable import Unreadable

Read = Callable[[list[Piece]], list[Section]]


def without_paths(pieces: list[Piece], read: Read) -> tuple[list[Piece], list[Located], list[Unreadable]]:
    """The tokens of a configuration without these sections, what they say of variables, and what of that cannot be read.

    Args: read: reads sections of declarations. Raises: Unreadable where a section is not ended.
    """
    rest: list[Piece] = []
    located: list[Located] = []
    wrong: list[Unreadable] = []
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
            begin = at + 1
            for last in [i for i in range(begin, end) if pieces[i].kind == "SEMICOLON"]:
                try:
                    located.append(_entry(piece, pieces[begin:last + 1], pieces[end], read))
                except Unreadable as error:
                    wrong.append(error)
                begin = last + 1
        at = end + 1
    return rest, located, wrong


def _entry(section: Piece, pieces: list[Piece], end: Piece, read: Read) -> Located:
    """``Resource.Program.Variable AT %IX0.0 : BOOL := TRUE;``: a declaration but for its path."""
    said = next((i for i, p in enumerate(pieces) if p.kind in ("AT", "COLON")), 0)
    if not said:
        raise Unreadable(pieces[0].line, pieces[0].column, f"{pieces[0].text!r} stands where the path of a variable was expected")
    first = pieces[0]
    named = Piece("NAME", first.text, first.line, first.column, first.start)
    declared = read([section, named, *pieces[said:], end])[0].declared[0]
    return Located("".join(p.text for p in pieces[:said]), declared.address, declared.initial, first.line)
