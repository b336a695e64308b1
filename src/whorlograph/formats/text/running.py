"""What a configuration says of what runs: programs and tasks that cannot be read are left out one by one; tasks of single blocks are said.

``PROGRAM Line WITH Slow : Main (Guard WITH Fast)``: the block Guard under a task of its own (IEC 61131-3:2013, 6.8.2).
"""

from __future__ import annotations

from collections.abc import Callable

from .tokens import Piece
from .unreadable import Unreadable

_ENDS = {"TASK": "SEMICOLON", "PROGRAM": "SEMICOLON", "SECTION": "END_VAR"}  # by what a part begins with
_CLOSING = ("END_RESOURCE", "END_CONFIGURATION")


def without_block_tasks(pieces: list[Piece]) -> tuple[list[Piece], list[Unreadable]]:
    """The tokens of a configuration without tasks of single blocks, and what is said of each."""
    found: list[Piece] = []
    said: list[Unreadable] = []
    at = 0
    while at < len(pieces):
        end = at + 1
        while end + 1 < len(pieces) and pieces[end].kind == "DOT" and pieces[end + 1].kind == "NAME":
            end += 2
        named = pieces[at].kind == "NAME" and bool(found) and found[-1].kind in ("OPEN", "COMMA")
        if not named or end + 1 >= len(pieces) or pieces[end].kind != "WITH" or pieces[end + 1].kind != "NAME":
            found.append(pieces[at])
            at += 1
            continue
        name = "".join(p.text for p in pieces[at:end])
        said.append(Unreadable(pieces[at].line, pieces[at].column, f"{name} is to run under task {pieces[end + 1].text} by itself: that is not done"))
        at = end + 2
        if at < len(pieces) and pieces[at].kind == "COMMA":
            at += 1
        elif found[-1].kind == "COMMA":
            found.pop()
        if found[-1].kind == "OPEN" and at < len(pieces) and pieces[at].kind == "CLOSE":
            found.pop()
            at += 1
    return found, said


def without_wrong_parts(pieces: list[Piece], read: Callable[[list[Piece]], object]) -> tuple[list[Piece], list[Unreadable]]:
    """The tokens of a configuration without the programs, tasks and all else that cannot be read, and why each cannot.

    Args: read: raises Unreadable for a configuration that cannot be read.
    """
    found = pieces[:2]
    wrong: list[Unreadable] = []
    at = 2
    while at < len(pieces):
        one, end = pieces[at], at
        if one.kind == "RESOURCE":
            end = min(at + 3, len(pieces) - 1)  # its name, ON, what it is of
        elif one.kind in _ENDS:
            end = next((i for i in range(at, len(pieces)) if pieces[i].kind == _ENDS[one.kind]), len(pieces) - 1)
        elif one.kind not in _CLOSING:
            end = next((i for i in range(at, len(pieces)) if pieces[i].kind in (*_ENDS, "RESOURCE", *_CLOSING)), len(pieces)) - 1
        try:
            if one.kind in _ENDS:
                read([*pieces[:2], *pieces[at:end + 1], pieces[-1]])
            elif one.kind not in ("RESOURCE", *_CLOSING):
                raise Unreadable(one.line, one.column, f"{one.text!r} begins nothing that stands in a configuration")
            found += pieces[at:end + 1]
        except Unreadable as error:
            error.behind = []
            wrong.append(error)
        at = end + 1
    return found, wrong
