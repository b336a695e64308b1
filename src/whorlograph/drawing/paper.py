"""Pictures written as SVG and PDF by reportlab's graphics: one drawing, two files."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from whorlograph.formats.beside import written
from whorlograph.model.errors import UsageError
from whorlograph.model.shown import visible

from .letters import lettered
from .picture import Bar, Picture, Stroke, Words, wrapped_words

A4 = (595.0, 842.0)
MARGIN = 44.0


def _drawing(picture: Picture, svg: bool) -> Any:
    from reportlab.graphics.shapes import Drawing, Line, Rect, String
    from reportlab.lib.colors import Color

    height = picture.height
    drawing = Drawing(picture.width, height)
    for item in picture.items:
        ink = Color(item.grey, item.grey, item.grey)
        if isinstance(item, Stroke):
            drawing.add(Line(item.x1, height - item.y1, item.x2, height - item.y2, strokeColor=ink, strokeWidth=item.width,
                             strokeDashArray=[2, 2] if item.dashed else None, strokeLineCap=0 if item.dashed else 1))
        elif isinstance(item, Bar):
            drawing.add(Rect(item.x, height - item.y - item.height, item.width, item.height, fillColor=ink, strokeColor=None))
        else:
            text, font = visible(item.text), "Helvetica-Bold" if item.bold else "Helvetica"
            if not svg:
                text, font = lettered(text, item.bold)
            drawing.add(String(item.x, height - item.y, text, fontName=font, fontSize=item.size, textAnchor=item.anchor, fillColor=ink))
    return drawing


def write_picture(pages: list[Picture], path: Path, title: str, inputs: Iterable[Path] = ()) -> None:
    """Write pages: as PDF one under the other on sheets of their own, as SVG on one long sheet.

    Args: inputs: files that must not be written.
    Raises: UsageError for another ending than .svg and .pdf, or a file that cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix not in (".svg", ".pdf"):
        raise UsageError(str(path), f"{suffix or 'no suffix'} is no format of pictures", "end the name in .svg or .pdf")
    with written(path, inputs) as fresh:
        if suffix == ".svg":
            _svg(pages, fresh)
        else:
            _pdf(pages, fresh, title)


def _svg(pages: list[Picture], path: Path) -> None:
    from reportlab.graphics import renderSVG

    whole = Picture(max(p.width for p in pages), sum(p.height for p in pages))
    y = 0.0
    for page in pages:
        whole.add(page, 0, y)
        y += page.height
    whole.items.insert(0, Bar(0, 0, whole.width, whole.height, 1.0))  # a ground of its own: a viewer's may be dark
    path.write_text(renderSVG.drawToString(_drawing(whole, True)), encoding="utf-8")


def _pdf(pages: list[Picture], path: Path, title: str) -> None:
    from reportlab.graphics import renderPDF
    from reportlab.pdfgen.canvas import Canvas

    canvas = Canvas(str(path), pagesize=A4, invariant=True)
    canvas.setTitle(visible(title))
    canvas.setCreator("Whorlograph")
    for page in pages:
        canvas.setPageSize((page.width, page.height))
        renderPDF.draw(_drawing(page, False), canvas, 0, 0)
        canvas.showPage()
    canvas.save()


class Sheets:
    """Sheets of A4 filled from top to bottom."""

    def __init__(self, foot: str) -> None:
        self.foot = foot
        self.pages: list[Picture] = []
        self.y = 0.0
        self._new()

    @property
    def room(self) -> float:
        """Width between the margins."""
        return A4[0] - 2 * MARGIN

    def _new(self) -> None:
        page = Picture(*A4)
        page.items.append(Words(MARGIN, A4[1] - 26, self.foot, 6.5, grey=0.35))
        self.pages.append(page)
        self.y = MARGIN

    def numbered(self) -> list[Picture]:
        """The sheets, each with its number and how many there are."""
        for n, page in enumerate(self.pages, 1):
            page.items.append(Words(A4[0] - MARGIN, A4[1] - 26, f"sheet {n} of {len(self.pages)}", 6.5, False, "end", 0.35))
        return self.pages

    def words(self, text: str, size: float = 9.0, bold: bool = False, indent: float = 0.0, after: float = 3.0, grey: float = 0.0) -> None:
        """A paragraph."""
        for line in wrapped_words(text, self.room - indent, size) or [""]:
            if self.y + size * 1.35 > A4[1] - 44:
                self._new()
            self.y += size * 1.35
            self.pages[-1].items.append(Words(MARGIN + indent, self.y, line, size, bold, grey=grey))
        self.y += after

    def heading(self, text: str) -> None:
        """A heading with room above it; never the last line of a sheet."""
        if self.y > A4[1] - 130:
            self._new()
        self.y += 8
        self.words(text, 11, True, after=4)

    def picture(self, picture: Picture, after: float = 8.0) -> None:
        """A picture; on the next sheet where it does not fit on this one."""
        if self.y + picture.height > A4[1] - 44 and self.y > MARGIN + 1:
            self._new()
        self.pages[-1].add(picture, MARGIN, self.y)
        self.y += picture.height + after
