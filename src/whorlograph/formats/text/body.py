"""A body in Structured Text that stands by itself, as in an XML file."""

from __future__ import annotations

from whorlograph.model.text import TextBody

from .tokens import tokens
from .tree import parse


def text_body(text: str, line: int = 1) -> TextBody:
    """A body from its text. Args: line: of the file on which it begins. Raises: Unreadable for a text that is none."""
    pieces = tokens(text)
    for piece in pieces:
        piece.line += line - 1
    return TextBody.of(parse(pieces, "body"), tuple(text.splitlines()), line)
