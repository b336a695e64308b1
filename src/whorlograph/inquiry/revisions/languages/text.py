"""What a statement does, apart from blanks, comments, and capitals."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Hashable
from typing import Any

from msgspec import Struct

from whorlograph.inquiry.revisions.form import Form, Part
from whorlograph.model.text import Statement, TextBody

_WORD = re.compile(r"[A-Za-z_%][A-Za-z0-9_.%\[\]]*")


def jumped(part: TextBody) -> set[str]:
    """The labels that are jumped to, in lower case: others mean nothing."""
    found: set[str] = set()
    _labels(part.statements, found)
    return found


def _labels(node: Any, found: set[str]) -> None:
    if isinstance(node, Struct):
        label = getattr(node, "label", None)
        if isinstance(label, str):
            found.add(label.lower())
        for name in node.__struct_fields__:
            _labels(getattr(node, name), found)
    elif isinstance(node, tuple):
        for one in node:
            _labels(one, found)


def form(part: TextBody, index: int) -> Form:
    """The form of a statement, ``index`` (from 0) within its part of a body."""
    statement, comment = part.statements[index], part.comments[index] if index < len(part.comments) else ""
    text = " ".join(line.strip() for line in part.lines(index)) if part.source else ""
    parts: Counter[Part] = Counter(Part("word", w, "") for w in _WORD.findall(text))
    return Form(plain(statement), parts, frozenset(_written(statement)), (), comment, statement.line)


def plain(node: Any) -> Hashable:
    """A piece of syntax without its places, names in lower case."""
    if isinstance(node, Struct):
        if type(node).__name__ == "Constant":
            return "constant", node.named, type(node.value).__name__, node.value  # type: ignore[attr-defined]
        return (type(node).__name__, *(plain(getattr(node, name)) for name in node.__struct_fields__ if name not in ("at", "line", "made")))
    if isinstance(node, tuple):
        return tuple(plain(one) for one in node)
    return node.lower() if isinstance(node, str) else node


def _written(statement: Statement) -> set[str]:
    """The names left of ``:=`` in a statement, in lower case."""
    found: set[str] = set()

    def visit(node: Any) -> None:
        if isinstance(node, Struct):
            target = getattr(node, "target", None)
            if target is not None and hasattr(target, "base"):
                found.add(target.base.lower())
            called = getattr(node, "called", None)
            if called is not None:
                found.add(called.base.lower())
            for name in node.__struct_fields__:
                visit(getattr(node, name))
        elif isinstance(node, tuple):
            for one in node:
                visit(one)

    visit(statement)
    return found
