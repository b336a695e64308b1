"""What the third edition adds for objects: methods, classes, interfaces, namespaces (IEC 61131-3:2013, 6.6.4 to 6.6.6 and 6.9).

Methods are left out (CONTROLLER.md, Other languages): each is named, and what stands around it is read as if it were not there. A namespace only
lends its name: what it holds is called with and without it.
"""

from __future__ import annotations

import re

from msgspec import Struct, field

from .tokens import Piece
from .unreadable import Unreadable

_HINT = re.compile(r"\b(?:END_METHOD|END_NAMESPACE|END_CLASS|END_INTERFACE|EXTENDS|IMPLEMENTS|FINAL|ABSTRACT)\b", re.IGNORECASE)
_MODIFIERS = ("PUBLIC", "PRIVATE", "PROTECTED", "INTERNAL", "FINAL", "ABSTRACT", "OVERRIDE")
_LEFT_OUT = {"CLASS": "END_CLASS", "INTERFACE": "END_INTERFACE", "METHOD": "END_METHOD"}  # the last where a body stands by itself
_POUS = {"PROGRAM": "END_PROGRAM", "FUNCTION_BLOCK": "END_FUNCTION_BLOCK", "FUNCTION": "END_FUNCTION"}


class Objects(Struct):
    """A file's tokens without all that; what was left out, with what comes of it; by function block in lower case, that it extends another."""

    pieces: list[Piece]
    said: list[tuple[Unreadable, str]] = field(default_factory=list)
    extends: dict[str, Unreadable] = field(default_factory=dict)


def without_objects(pieces: list[Piece], text: str) -> Objects:
    """The tokens of a file without what only objects need. Args: text: the file, which they came from."""
    return _Gathered(pieces).found if _HINT.search(text) else Objects(pieces)


class _Gathered:
    """Goes through a file once."""

    def __init__(self, pieces: list[Piece]) -> None:
        self.pieces, self.spaces = pieces, set[str]()
        self.found = Objects([])
        at = 0
        while at < len(pieces):
            at = self._outside(at)
        if self.spaces:
            self.found.pieces = [one for unit in _units(self.found.pieces) for one in _bare(unit, self.spaces)]

    def _word(self, at: int) -> str:
        """A token's word, in capitals; "" where it is none that begins something here."""
        one = self.pieces[at] if at < len(self.pieces) else None
        return one.text.upper() if one is not None and one.kind in ("NAME", *_POUS) else ""

    def _end(self, at: int, word: str) -> int:
        """Where a word stands from a token on; -1 where it does not."""
        return next((i for i in range(at, len(self.pieces)) if self.pieces[i].text.upper() == word), -1)

    def _outside(self, at: int) -> int:
        """A token outside of all that is read. Returns: the next one."""
        word, named = self._word(at), self._word(at + 1) and self.pieces[at + 1].kind == "NAME"
        if word in _POUS:
            end = self._end(at, _POUS[word])
            return self._pou(at, end + 1 if end >= 0 else len(self.pieces))
        if word in _LEFT_OUT and named and (end := self._end(at, _LEFT_OUT[word])) >= 0:
            self._leave_out(at, f"{word} {self._name(at + 1)[1]}")
            return end + 1
        if word == "NAMESPACE" and named:
            at = at + 1
            while at < len(self.pieces) and self.pieces[at].kind in ("NAME", "DOT") and self.pieces[at].line == self.pieces[at - 1].line:
                self.spaces |= {self.pieces[at].text.lower()} if self.pieces[at].kind == "NAME" and self._word(at) != "INTERNAL" else set()
                at += 1
            return at
        if word == "USING" and named:
            while at < len(self.pieces) and self.pieces[at].kind != "SEMICOLON":
                at += 1
            return at + 1
        if word != "END_NAMESPACE" and not (word == "INTERNAL" and self._word(at + 1) in _POUS):
            self.found.pieces.append(self.pieces[at])
        return at + 1

    def _name(self, at: int) -> tuple[int, str]:
        """The name behind modifiers, and where it stands."""
        while self._word(at) in _MODIFIERS and self._word(at + 1):
            at += 1
        return at, self.pieces[at].text if at < len(self.pieces) else ""

    def _leave_out(self, at: int, what: str) -> None:
        one = self.pieces[at]
        self.found.said.append((Unreadable(one.line, one.column, f"{what} is not read"), "what uses it is not executed"))

    def _pou(self, at: int, end: int) -> int:
        """A POU, up to before ``end``. Returns: that."""
        self.found.pieces.append(self.pieces[at])
        at, name = self._name(at + 1)
        if at < end:
            self.found.pieces.append(self.pieces[at])
        at += 1
        if self._word(at) == "EXTENDS":
            base, begin = list[str](), self.pieces[at]
            at += 1
            while at < end and self.pieces[at].kind in ("NAME", "DOT") and (not base or "DOT" in (self.pieces[at].kind, self.pieces[at - 1].kind)):
                base.append(self.pieces[at].text)
                at += 1
            what = f"{name} extends {''.join(base)}: what it takes over from there is not read"
            self.found.extends[name.lower()] = Unreadable(begin.line, begin.column, what)
        if self._word(at) == "IMPLEMENTS":
            at += 2
            while at < end and (self.pieces[at].kind in ("COMMA", "DOT") or self.pieces[at - 1].kind in ("COMMA", "DOT")):
                at += 1
        while at < end:
            stop = self._end(at, "END_METHOD") if self._word(at) == "METHOD" and self._word(at + 1) else -1
            if 0 <= stop < end:
                self._leave_out(at, f"METHOD {self._name(at + 1)[1]} of {name}")
                at = stop + 1
            else:
                self.found.pieces.append(self.pieces[at])
                at += 1
        return end


def _units(pieces: list[Piece]) -> list[list[Piece]]:
    """The tokens, POU by POU, and what stands between."""
    found: list[list[Piece]] = [[]]
    for piece in pieces:
        if piece.kind in _POUS:
            found.append([])
        found[-1].append(piece)
        if piece.kind in _POUS.values():
            found.append([])
    return found


def _declared(pieces: list[Piece]) -> set[str]:
    """What stands in front of a colon, in lower case: a variable hides a namespace of its name."""
    found: set[str] = set()
    names: set[str] = set()
    for piece in pieces:
        if piece.kind == "NAME":
            names.add(piece.text.lower())
        elif piece.kind != "COMMA":
            found |= names if piece.kind in ("COLON", "AT") else set()
            names = set()
    return found


def _bare(pieces: list[Piece], spaces: set[str]) -> list[Piece]:
    """Tokens of a POU without the names of namespaces in front of names; where only a type can stand, no variable hides one."""
    found: list[Piece] = []
    hidden = _declared(pieces)
    declares = True
    at = 0
    while at < len(pieces):
        one = pieces[at]
        if one.kind in ("SECTION", "END_VAR"):
            declares = one.kind == "SECTION"
        if one.kind == "NAME" and one.text.lower() in spaces and (not found or found[-1].kind != "DOT") and (last := _last(pieces, at)) > at:
            of_type = "#" in pieces[last].text or (declares and bool(found) and found[-1].kind in ("COLON", "OF"))
            if of_type or one.text.lower() not in hidden:
                at += 2
                continue
        found.append(one)
        at += 1
    return found


def _last(pieces: list[Piece], at: int) -> int:
    """The last of the names that dots join to one."""
    while at + 2 < len(pieces) and pieces[at + 1].kind == "DOT" and pieces[at + 2].kind == "NAME":
        at += 2
    return at
