"""Where the elements of an XML file stand in its bytes: so that one of them can be changed and all the rest stays (IEC 61131-10)."""

from __future__ import annotations

import re
import xml.parsers.expat
from xml.parsers.expat import ExpatError

from msgspec import Struct, field

from whorlograph.model.errors import ProgramError

_TAG = re.compile(rb"<(?:[^\"'>]|\"[^\"]*\"|'[^']*')*>")


class Piece(Struct):
    """An element: its local name, attributes, and the bytes from ``start`` to before ``end``; inside it is from ``open`` to before ``close``."""

    name: str
    attributes: dict[str, str]
    start: int
    open: int = 0
    close: int = 0
    end: int = 0
    parent: Piece | None = None
    children: list[Piece] = field(default_factory=list)

    def child(self, name: str) -> Piece | None:
        """The first child of a name."""
        return next((c for c in self.children if c.name == name), None)

    @property
    def empty(self) -> bool:
        """Whether it is written as one tag that closes itself."""
        return self.open == self.end


class Pieces:
    """An XML document in UTF-8 as pieces. Raises: ProgramError where it is not well-formed."""

    def __init__(self, data: bytes, file: str) -> None:
        self.data = data
        self.root: Piece | None = None
        self._open: list[Piece] = []
        parser = xml.parsers.expat.ParserCreate()
        parser.StartElementHandler = self._begin
        parser.EndElementHandler = self._end
        parser.ordered_attributes = False
        self._parser = parser
        try:
            parser.Parse(data, True)
        except ExpatError as error:
            raise ProgramError(f"{file}:{error.lineno}", f"not well-formed XML ({error})", "export the program again") from error

    def _begin(self, name: str, attributes: dict[str, str]) -> None:
        start = self._parser.CurrentByteIndex
        piece = Piece(name.rpartition(":")[2], attributes, start, self._tag_end(start), parent=self._open[-1] if self._open else None)
        if piece.parent is not None:
            piece.parent.children.append(piece)
        else:
            self.root = piece
        self._open.append(piece)

    def _end(self, name: str) -> None:
        piece = self._open.pop()
        if self.data[piece.open - 2:piece.open] == b"/>":
            piece.close = piece.end = piece.open
            return
        piece.close = self._parser.CurrentByteIndex
        piece.end = self.data.index(b">", piece.close) + 1

    def _tag_end(self, at: int) -> int:
        """Behind the start tag that begins at a byte; a ``>`` between quotes does not end it."""
        found = _TAG.match(self.data, at)
        return found.end() if found is not None else len(self.data)
