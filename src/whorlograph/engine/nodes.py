"""What actions are made of, and which cells they may write."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import astuple

from whorlograph.model.blocks import STANDARD_BLOCKS

from .code import Action, Base, Call, Copy, If, Invoke, Load, Loop, Node, Scope, Store, Target


def nodes(one: object) -> Iterator[Node]:
    """An action or expression and all nodes that it is made of itself: subscripts too, but not the actions within it."""
    if isinstance(one, Node):
        yield one
    if isinstance(one, If):
        yield from nodes(one.test)
    elif isinstance(one, Node) and not isinstance(one, (Loop, Scope)):
        for part in astuple(one):
            yield from nodes(part)
    elif isinstance(one, tuple):
        for part in one:
            yield from nodes(part)


def loads(one: object) -> Iterator[Load]:
    """The reads of cells in an action or expression itself, those of subscripts too."""
    return (part for part in nodes(one) if isinstance(part, Load))


def may_write(action: Action, target: Target) -> bool:
    """Whether an action may write a cell: of what it calls the standard blocks alone are known to write nothing but their pins."""
    if isinstance(action, Store):
        return Base.PARAM in (action.target.base, target.base) or (action.target.base, action.target.cell) == (target.base, target.cell)
    if isinstance(action, Invoke):
        pins = sum(map(len, STANDARD_BLOCKS[action.block]))
        return action.where.base == target.base and (target.base != Base.OWN or 0 <= target.cell - action.where.own < pins)
    return isinstance(action, (Call, Copy))
