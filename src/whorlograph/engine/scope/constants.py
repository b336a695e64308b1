"""What a name or text stands for where it is no variable: a literal, or an enumerator (IEC 61131-3:2013, 6.3.3, 6.4.4.2)."""

from __future__ import annotations

from whorlograph.model.literals import Literal, literal
from whorlograph.model.paths import parse_path
from whorlograph.model.tags import Instance, Running
from whorlograph.model.types import INT


def constant_of(text: str, instance: Instance, running: Running) -> Literal | None:
    """The type (None: untyped) and value of a literal or an enumerator; None where the text is a variable's name.

    A variable hides a bare enumerator of the same name.
    """
    read = literal(text)
    if read is not None:
        return read
    number = running.enumerators.get(text.strip().lower()) if running.enumerators else None
    if running.enumerators and instance.pou is not None:
        number = running.enumerators.get(in_pou(instance.pou.name, text), number)  # its own come first
    if number is None:
        return None
    path = parse_path(text)
    if path is not None and (path.base.lower() in instance.scope or path.base.lower() in running.scope.scope):
        return None
    return INT, number


def in_pou(pou: str, text: str) -> str:
    """The key of an enumerator that a POU's own variables list."""
    return f"{pou.lower()}\0{text.strip().lower()}"
