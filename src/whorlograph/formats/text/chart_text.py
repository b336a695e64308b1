"""Sequential charts as text: STEP, TRANSITION, ACTION (IEC 61131-3:2013, 6.7 and annex A)."""

from __future__ import annotations

from whorlograph.model.chart import QUALIFIERS, Action, Association, Chart, ChartStep, Transition
from whorlograph.model.text import TextBody

from .instructions import instruction_body, looks_like_instructions
from .tokens import Piece
from .tree import parse
from .unreadable import Unreadable, together

_BEGINS = {"INITIAL_STEP": "END_STEP", "STEP": "END_STEP", "TRANSITION": "END_TRANSITION", "ACTION": "END_ACTION"}


def looks_like_chart(pieces: list[Piece]) -> bool:
    """Whether a body that begins with these tokens is a chart."""
    return len(pieces) > 1 and pieces[0].text.upper() in _BEGINS and pieces[1].kind == "NAME"


def chart_of(pieces: list[Piece], text: str) -> Chart:
    """A chart from its tokens. Args: text: the whole file's, which they index. Raises: Unreadable for a text that is none,
    with the errors behind the first."""
    steps: list[ChartStep] = []
    transitions: list[tuple[int, Transition]] = []
    associations: list[Association] = []
    actions: list[Action] = []
    errors: list[Unreadable] = []
    at = 0
    while at < len(pieces):
        first = pieces[at]
        closing = _BEGINS.get(first.text.upper())
        if closing is None:
            errors.append(Unreadable(first.line, first.column, f"{first.text!r} stands here, STEP, TRANSITION or ACTION was expected"))
            at = next((i for i in range(at + 1, len(pieces)) if pieces[i].text.upper() in _BEGINS), len(pieces))
            continue
        end = next((i for i in range(at + 1, len(pieces)) if pieces[i].text.upper() == closing), -1)
        if end < 0:
            errors.append(Unreadable(first.line, first.column, f"{first.text} is not ended by {closing}"))
            break
        inside = pieces[at + 1:end]
        try:
            if closing == "END_STEP":
                steps.append(ChartStep(_name(inside, first), first.text.upper() == "INITIAL_STEP", first.line))
                associations += _associations(inside, steps[-1].name)
            elif closing == "END_TRANSITION":
                transitions.append(_transition(inside, first, text))
            else:
                actions.append(_action(inside, first, text))
        except Unreadable as error:
            errors.append(error)
        at = end + 1
        if at < len(pieces) and pieces[at].kind == "SEMICOLON":
            at += 1
    if errors:
        raise together(errors)
    ordered = [t for _, t in sorted(transitions, key=lambda t: t[0])]
    return Chart(tuple(steps), tuple(ordered), tuple(associations), tuple(actions))


def _name(inside: list[Piece], first: Piece) -> str:
    if not inside or inside[0].kind != "NAME":
        raise Unreadable(first.line, first.column, f"{first.text} has no name")
    return inside[0].text


def _associations(inside: list[Piece], step: str) -> list[Association]:
    """``Name: Pump(N); Alarm(L, T#5s);``"""
    found: list[Association] = []
    at = 2 if len(inside) > 1 and inside[1].kind == "COLON" else 1
    while at < len(inside):
        name, at = inside[at], at + 1
        if name.kind == "SEMICOLON":
            continue
        if name.kind != "NAME":
            raise Unreadable(name.line, name.column, f"{name.text!r} stands here, an action's name was expected")
        given: list[Piece] = []
        if at < len(inside) and inside[at].kind == "OPEN":
            end = next((i for i in range(at, len(inside)) if inside[i].kind == "CLOSE"), len(inside) - 1)
            given, at = [p for p in inside[at + 1:end] if p.kind != "COMMA"], end + 1
        qualifier = given[0].text.upper() if given else "N"
        if qualifier not in QUALIFIERS:
            raise Unreadable(name.line, name.column, f"{qualifier} is no qualifier of an action ({', '.join(QUALIFIERS)})")
        found.append(Association(step, name.text, qualifier, given[1].text if len(given) > 1 else "", name.line))
    return found


def _transition(inside: list[Piece], first: Piece, text: str) -> tuple[int, Transition]:
    """``Name (PRIORITY := 1) FROM A TO (B, C) := condition;``"""
    at, name, priority = 0, "", 0
    if inside and inside[0].kind == "NAME" and inside[0].text.upper() != "FROM":
        name, at = inside[0].text, 1
    if at < len(inside) and inside[at].kind == "OPEN":
        end = next((i for i in range(at, len(inside)) if inside[i].kind == "CLOSE"), at)
        priority = next((int(p.text) for p in inside[at:end] if p.text.isdigit()), 0)
        at = end + 1
    sources, at = _names(inside, at, "FROM", first)
    targets, at = _names(inside, at, "TO", first)
    rest = inside[at:]
    language = "IL" if rest and rest[0].kind == "COLON" else "ST"
    if rest and rest[0].kind in ("GIVES", "COLON"):
        rest = rest[1:]
    while rest and rest[-1].kind == "SEMICOLON":
        rest = rest[:-1]
    if not rest:
        raise Unreadable(first.line, first.column, "the transition has no condition")
    return priority, Transition(sources, targets, text[rest[0].start:rest[-1].end], name, max(1, rest[0].line - 1), language=language)


def _names(inside: list[Piece], at: int, word: str, first: Piece) -> tuple[tuple[str, ...], int]:
    if at >= len(inside) or inside[at].text.upper() != word:
        raise Unreadable(first.line, first.column, f"the transition has no {word}")
    at += 1
    if at < len(inside) and inside[at].kind == "OPEN":
        end = next((i for i in range(at, len(inside)) if inside[i].kind == "CLOSE"), len(inside) - 1)
        return tuple(p.text for p in inside[at:end] if p.kind == "NAME"), end + 1
    if at >= len(inside) or inside[at].kind != "NAME":
        raise Unreadable(first.line, first.column, f"behind {word} stands no step")
    return (inside[at].text,), at + 1


def _action(inside: list[Piece], first: Piece, text: str) -> Action:
    name = _name(inside, first)
    rest = inside[2:] if len(inside) > 1 and inside[1].kind == "COLON" else inside[1:]
    if not rest:
        return Action(name, TextBody((), (), first.line), first.line)
    begin = rest[0]
    source = tuple(" " * (begin.column - 1 if n == 0 else 0) + line for n, line in enumerate(text[begin.start:rest[-1].end].splitlines()))
    if looks_like_instructions(rest):
        return Action(name, instruction_body(rest, source, begin.line), first.line)
    return Action(name, TextBody.of(parse(rest, "body"), source, begin.line), first.line)
