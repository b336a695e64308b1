"""Example rungs: written in a line, drawn by the same renderer as a program's own."""

from __future__ import annotations

import re

from whorlograph.drawing.rung_layout import lay_out
from whorlograph.drawing.shapes import Run
from whorlograph.drawing.text import draw_rung, wrapped
from whorlograph.model.ladder import CoilKind, LadderBody
from whorlograph.model.program import Pou, PouKind
from whorlograph.model.steps import Step
from whorlograph.model.tags import Instance
from whorlograph.plant.rungs import Ladder, Part, call, coil, compare, counter, either, falls, jump, leave, nc, no, reset, rises, series, set_, timer

_TOKEN = re.compile(r"\s*(\[|\]|\||->\w+|<-|\((?:[SR]\s+|/)?\w+\)|\w+\([^()]*\)(?:>\w+)?|\w+:\w+:[\w#]+|[/^]?\w+)")
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
    if ":" in token:
        kind, name, preset = token.split(":")
        return timer(kind, name, preset) if kind.startswith("T") else counter(name, preset, no("Reset"))
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


def body_of(text: str) -> LadderBody:
    """Rungs, parted by semicolons, as a body."""
    ladder = Ladder()
    for one in text.split(";"):
        ladder.rung(*parsed(one.strip()))
    return ladder.body()


def example_lines(text: str, width: int) -> list[list[Run]]:
    """Rungs drawn as text."""
    body = body_of(text)
    instance = Instance("Example", "Example", Pou("Example", PouKind.PROGRAM, (), body))
    lines: list[list[Run]] = []
    for rung in body.rungs:
        drawn, _ = wrapped(draw_rung(lay_out(Step(rung.number - 1, instance, rung)), False, width - 2), width - 2)
        while drawn and not "".join(t for t, _ in drawn[-1]).strip():
            drawn.pop()
        lines += drawn
    return lines
