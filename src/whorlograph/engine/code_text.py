"""Code as a person reads it, one action a line: for tests, and for looking at what the front has made."""

from __future__ import annotations

from collections.abc import Iterator

from .code import (
    Action,
    Base,
    Body,
    Call,
    Code,
    Const,
    Convert,
    Copy,
    Edge,
    Expr,
    If,
    Invoke,
    Leave,
    Let,
    Load,
    Loop,
    Op,
    Order,
    Pass,
    Slot,
    Spot,
    Store,
    Taken,
    Target,
)

_BASES = {Base.GLOBAL: "g", Base.OWN: "own", Base.HIDDEN: "hid", Base.FRAME: "frame", Base.PARAM: "ref"}


def code_text(code: Code) -> str:
    """All bodies, each step under its number."""
    return "\n".join(line for body in code.bodies for line in body_lines(body))


def body_lines(body: Body) -> Iterator[str]:
    """One body."""
    yield f"{body.pou}({', '.join(p.name for p in body.params)})"
    for number, step in enumerate(body.steps, 1):
        yield f"  {number}:"
        yield from (f"    {line}" for line in _lines(step.actions))
        yield from (f"    go to {e.step + 1} if {expr_text(e.test)}" for e in step.exits)


def _lines(actions: tuple[Action, ...]) -> Iterator[str]:
    for one in actions:
        yield from _line(one)


def _line(one: Action) -> Iterator[str]:
    if isinstance(one, Let):
        yield f"s{one.slot} = {expr_text(one.value)}"
    elif isinstance(one, Store):
        yield f"{target_text(one.target)} := {expr_text(one.value)}"
    elif isinstance(one, Taken):
        yield f"{target_text(one.cell)} taken {expr_text(one.value)}"
    elif isinstance(one, Edge):
        yield f"s{one.slot} = {'rise' if one.rising else 'fall'} of {expr_text(one.value)} since {target_text(one.memory)}"
    elif isinstance(one, Copy):
        yield f"{target_text(one.target)} := {one.cells} cells from {target_text(one.source)}"
    elif isinstance(one, Leave):
        yield f"leave {one.depth}"
    elif isinstance(one, Pass):
        yield "pass"
    elif isinstance(one, Order):
        yield f"{one.what} task {one.task}"
    elif isinstance(one, Invoke):
        yield f"{one.block} at {_spot(one.where)}"
    elif isinstance(one, Call):
        inputs = "".join(f", {cell} = {expr_text(v)}" for cell, v in one.inputs)
        refs = "".join(", " + (_spot(r) if isinstance(r, Spot) else target_text(r) if r is not None else "nothing") for r in one.refs)
        yield f"call body {one.body} at {_spot(one.where)}{inputs}{refs}" + "".join(f" -> s{slot}" for _, slot, _ in one.results)
    elif isinstance(one, If):
        yield f"if {expr_text(one.test)}:"
        yield from (f"  {line}" for line in _lines(one.then))
        if one.other:
            yield "else:"
            yield from (f"  {line}" for line in _lines(one.other))
    else:
        yield "loop:" if isinstance(one, Loop) else "scope:"
        yield from (f"  {line}" for line in _lines(one.actions))


def _spot(spot: Spot) -> str:
    return f"instance {spot.own}" if spot.base == Base.GLOBAL else f"{_BASES[Base(spot.base)]}{spot.own}"


def target_text(target: Target) -> str:
    """A cell."""
    base = _BASES[Base(target.base)] + (f"{target.param}." if target.param >= 0 else "")
    subscripts = "".join(f"[{expr_text(t.index)}]" for t in target.terms)
    return f"{base}{target.cell}{subscripts}" + (f".{target.low}" if target.width else "")


def expr_text(one: Expr) -> str:
    """An expression."""
    if isinstance(one, Const):
        return {True: "on", False: "off"}[one.value] if isinstance(one.value, bool) else str(one.value)
    if isinstance(one, Load):
        return target_text(one.target)
    if isinstance(one, Slot):
        return f"s{one.number}"
    if isinstance(one, Convert):
        return f"{one.rule.lower()}:{one.type}({expr_text(one.value)})"
    assert isinstance(one, Op)
    return f"{one.code.lower()}({', '.join(expr_text(a) for a in one.args)})"
