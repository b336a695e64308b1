"""A body in one of the text languages that stands by itself, as in an XML file."""

from __future__ import annotations

from whorlograph.model.text import TextBody

from .instructions import instruction_body, looks_like_instructions
from .objects import without_objects
from .tokens import Piece, tokens
from .tree import parse


def text_body(text: str, line: int = 1, language: str = "ST") -> TextBody:
    """A body from its text. Args: line: of the file on which it begins; language: ST or IL. Raises: Unreadable for a text that is none."""
    pieces = without_objects(tokens(text), text).pieces
    for piece in pieces:
        piece.line += line - 1
    source = tuple(text.splitlines())
    return instruction_body(pieces, source, line) if language == "IL" else TextBody.of(parse(pieces, "body"), source, line)


def body_of(pieces: list[Piece], source: tuple[str, ...], line: int) -> TextBody:
    """A body from its tokens, in the language that it begins like. Raises: Unreadable for a text that is none."""
    if looks_like_instructions(pieces):
        return instruction_body(pieces, source, line)
    return TextBody.of(parse(pieces, "body"), source, line)
