"""Expressions at the pins of drawn rungs: ``Level * 2 + 1`` where a name or a literal mostly stands (IEC 61131-3:2013, 8.1.3, 7.3.2)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import Any

from msgspec import Struct
from msgspec.structs import asdict, replace

from whorlograph.formats.text.tokens import tokens
from whorlograph.formats.text.tree import parse_from
from whorlograph.formats.text.unreadable import Unreadable
from whorlograph.model.ladder import Element, InVariable
from whorlograph.model.literals import literal
from whorlograph.model.paths import parse_path
from whorlograph.model.tags import ByReference
from whorlograph.model.text import Apply, Expression, Node, Var
from whorlograph.model.types import INT, Elementary

from .text_parts import parts
from .text_types import Scope

LONGEST = 400  # letters of an expression at a pin


def expression_at(text: str, element: int) -> Expression | None:
    """What a pin's text computes; None of a name, a literal, and of what is none of them.

    Args: element: the element that it stands at, whose number all its nodes have.
    """
    return _expression_at(text, element) if _expression(text) is not None else None


@lru_cache(maxsize=20_000)
def _expression(text: str) -> Expression | None:
    """What a text computes, wherever it stands: most are names, and stand at many elements."""
    text = text.strip()
    if not text or len(text) > LONGEST or parse_path(text) is not None or literal(text) is not None:
        return None
    try:
        found: Expression = parse_from(tokens(text), "operand", 0)[0]
    except Unreadable:
        return None
    return found


@lru_cache(maxsize=20_000)
def _expression_at(text: str, element: int) -> Expression:
    numbered: Expression = _numbered(_expression(text), element)
    return numbered


def why_not(one: Expression, scope: Scope) -> str:
    """Why an expression at a pin cannot be computed, where its parts can be: what is called there gives a value and writes nothing."""
    for part in parts(one):
        if not isinstance(part, Apply):
            continue
        called = scope.function(part)
        if called is None and scope.block(part) is not None:
            return f"calls {part.called.base} at a pin, which only a text can"
        by_reference = called is not None and any(isinstance(r, ByReference) for r in called.scope.values())
        if by_reference or any(a.output is not None for a in part.arguments):
            return f"calls {part.called.base} at a pin, where it would write: only a text can"
    return ""


def calls_at(elements: Iterable[Element]) -> Iterator[Apply]:
    """What expressions at the pins of a drawing call."""
    for one in elements:
        found = expression_at(one.expression, one.id) if isinstance(one, InVariable) and "(" in one.expression else None
        yield from (p for p in parts(found) if isinstance(p, Apply)) if found is not None else ()


def element_at(text: str, element: int) -> Var | None:
    """A variable with computed subscripts, ``Flags[i + 1]``, where a drawing names one; None of anything else."""
    found = expression_at(text, element) if "[" in text else None
    return found if isinstance(found, Var) else None


def names_at(text: str, element: int, value: bool, guess: Elementary) -> list[tuple[str, Elementary]]:
    """The names in what stands at an element, and the type they are taken for where nothing declares them: ``guess``, subscripts and parts INT.

    Args: value: any expression may stand there, not only a name.
    """
    found = expression_at(text, element) if value else element_at(text, element)
    if found is None:
        return [(text, guess)]
    return [(f"{p.base}[0]" if p.steps else p.base, guess if p is found else INT) for p in parts(found) if isinstance(p, Var)]


def computed_at(text: str, element: int) -> Expression | None:
    """An expression that is more than one element: what has to be computed where it stands."""
    found = expression_at(text, element)
    return found if not isinstance(found, Var) else None


def _numbered(one: Any, element: int) -> Any:
    """A tree with one number for all its nodes."""
    if isinstance(one, tuple):
        return tuple(_numbered(part, element) for part in one)
    if not isinstance(one, Struct):
        return one
    found = replace(one, **{name: _numbered(part, element) for name, part in asdict(one).items() if isinstance(part, (Struct, tuple))})
    return replace(found, at=element) if isinstance(found, Node) else found
