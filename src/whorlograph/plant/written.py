"""Rungs written in a line of text, for examples and for the programs that ship.

``A`` a contact, ``/A`` normally closed, ``^A`` rising, ``vA`` falling, ``[A B|C]`` side by side, ``TON:T1:T#1s`` a timer, ``CTU:C1:3:R`` a
counter that ``R`` sets back, ``RS:B1:R`` a bistable that ``R`` resets, ``ADD(A,1)>B`` a function, ``GE(A,5)`` a comparison, ``!Pou`` a call,
``(A)`` a coil, ``(/A)`` negated, ``(S A)`` set, ``(R A)`` reset, ``->End`` a jump, ``<-`` a return, ``End:`` at the start of a line a label.
"""

from __future__ import annotations

import re

from whorlograph.model.ladder import CoilKind, LadderBody
from whorlograph.model.parts import Ladder, Part, call, coil, compare, counter, either, falls, jump, leave, nc, no, reset, rises, series, set_, timer

_TOKEN = re.compile(r"\s*(\[|\]|\||->\w+|<-|!\w+|\((?:[SR]\s+|/)?[\w.%]+\)|\w+\([^()]*\)(?:>[\w\[\]]+)?|\w+:\w+:[\w#:]+|[/^]?[\w.%]+)")
_COMPARISONS = ("EQ", "NE", "GT", "GE", "LT", "LE")


def parsed(text: str) -> list[Part]:
    """A rung as its parts. Raises: ValueError for what cannot be read."""
    tokens, place = [], 0
    while place < len(text.rstrip()):
        found = _TOKEN.match(text, place)
        if found is None:
            raise ValueError(f"{text[place:]!r} is no part of a rung")
        tokens.append(found.group(1))
        place = found.end()
    parts, rest = _series(tokens)
    if rest:
        raise ValueError(f"{rest} is left over in {text!r}")
    return parts


def _series(tokens: list[str]) -> tuple[list[Part], list[str]]:
    parts: list[Part] = []
    while tokens and tokens[0] not in ("]", "|"):
        token, tokens = tokens[0], tokens[1:]
        if token == "[":
            branches = []
            while True:
                inner, tokens = _series(tokens)
                branches.append(series(*inner))
                if not tokens:
                    raise ValueError("a branch is not closed")
                closing, tokens = tokens[0], tokens[1:]
                if closing == "]":
                    break
            parts.append(either(*branches))
        else:
            parts.append(_part(token))
    return parts, tokens


def _part(token: str) -> Part:
    if token.startswith("("):
        inner = token[1:-1].split()
        if len(inner) == 2:
            return set_(inner[1]) if inner[0] == "S" else reset(inner[1])
        return coil(inner[0][1:], CoilKind.NEGATED) if inner[0].startswith("/") else coil(inner[0])
    if token == "<-":
        return leave()
    if token.startswith("->"):
        return jump(token[2:])
    if token.startswith("!"):
        return call(token[1:], instance=f"{token[1:]}_1")
    if ":" in token:
        kind, name, *pins = token.split(":")
        if kind in ("RS", "SR"):
            return Part("block", name, block=kind, power=("S" if kind == "RS" else "S1", "Q1"), extra=(("R1" if kind == "RS" else "R", no(pins[0])),))
        return timer(kind, name, pins[0]) if kind.startswith("T") else counter(name, pins[0], no(pins[1] if len(pins) > 1 else "Reset"))
    if "(" in token:
        name, _, rest = token.partition("(")
        given, _, out = rest.partition(")")
        pins = given.split(",")
        if name in _COMPARISONS:
            return compare(name, pins[0], pins[1])
        names = ("IN",) if len(pins) == 1 else ("IN1", "IN2")
        return call(name, *zip(names, pins, strict=True), out=out.lstrip(">"))
    if token.startswith("/"):
        return nc(token[1:])
    return rises(token[1:]) if token.startswith("^") else falls(token[1:]) if re.match(r"v[A-Z]", token) else no(token)


def body_of(*lines: str) -> LadderBody:
    """Rungs, a line each, or parted by semicolons, as a body; behind ``#`` a line's comment."""
    ladder = Ladder()
    for line in (part for text in lines for part in text.split(";")):
        rung, _, comment = line.partition("#") if not re.search(r"T#", line) else _commented(line)
        label = re.match(r"\s*(\w+):\s", rung + " ")
        if label is not None:
            ladder.label(label.group(1))
            rung = rung[label.end():]
        if rung.strip():
            ladder.rung(*parsed(rung.strip()), comment=comment.strip())
    return ladder.body()


def _commented(line: str) -> tuple[str, str, str]:
    """A line with times in it, whose comment stands behind two blanks and a sign."""
    return line.partition("  #")
