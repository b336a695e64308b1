"""What statements and expressions are made of, in the order in which it is evaluated, and whether one of these is a RETURN."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from whorlograph.model.text import (
    Apply,
    Assign,
    Binary,
    Case,
    Choose,
    Do,
    Expression,
    For,
    Go,
    Keep,
    Kept,
    Leave,
    Statement,
    Sub,
    Together,
    Unary,
    Until,
    Var,
    While,
)


def parts(one: Statement | Expression) -> Iterator[Statement | Expression]:
    """A statement or expression and all that it is made of; names of functions and blocks are no parts."""
    todo = [one]
    while todo:
        part = todo.pop()
        yield part
        make = _INNER.get(type(part))
        if make is not None:
            found = make(part)
            if found:
                todo += reversed(found)


def inner(one: Statement | Expression) -> Sequence[Statement | Expression]:
    """What a statement or expression is made of directly, in the order in which it is evaluated."""
    make = _INNER.get(type(one))
    return make(one) if make is not None else ()


def subscripts(one: Var) -> Sequence[Expression]:
    """What chooses the elements of the arrays that a name goes through, in order."""
    return [v for step in one.steps if isinstance(step, Sub) for v in step.values] if one.steps else ()


def _of_call(one: Apply) -> Sequence[Expression]:
    return [v for given in one.arguments for v in (given.value, given.output) if v is not None]


def _of_choice(one: Choose) -> Sequence[Statement | Expression]:
    return [p for branch in one.branches for p in (branch.test, *branch.statements)] + [*one.other]


def _of_case(one: Case) -> Sequence[Statement | Expression]:
    found: list[Statement | Expression] = [one.selector]
    for labelled in one.branches:
        found += [v for label in labelled.labels for v in (label.low, label.high) if v is not None]
        found += labelled.statements
    return [*found, *one.other]


def _of_count(one: For) -> Sequence[Statement | Expression]:
    return (one.first, one.last, *([one.by] if one.by is not None else []), one.variable, *one.statements)


_INNER: dict[type, Callable[[Any], Sequence[Statement | Expression]]] = {
    Var: subscripts, Apply: _of_call, Choose: _of_choice, Case: _of_case, For: _of_count,
    Unary: lambda one: (one.value,), Binary: lambda one: (one.left, one.right), Assign: lambda one: (one.value, one.target),
    Do: lambda one: (one.call,), While: lambda one: (one.test, *one.statements), Until: lambda one: (*one.statements, one.test),
    Keep: lambda one: (one.value,), Kept: lambda one: (), Together: lambda one: one.statements,
    Go: lambda one: (one.test,) if one.test is not None else ()}


def leaves_early(statement: Statement) -> bool:
    """Whether a RETURN stands in a statement."""
    return any(isinstance(p, Leave) and p.kind == "RETURN" for p in parts(statement))
