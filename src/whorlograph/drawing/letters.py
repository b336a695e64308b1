"""Letters in PDF: the standard fonts have those of Western Europe; others come from an embedded font, or stand as their code point."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

_NAMES = {False: "Regular", True: "Bold"}


def lettered(text: str, bold: bool) -> tuple[str, str]:
    """A text as it can be printed, and the name of the font that has its letters."""
    if all(c.encode("cp1252", "ignore") for c in text):
        return text, "Helvetica-Bold" if bold else "Helvetica"
    name, known = _embedded(bold)
    return "".join(c if ord(c) in known else f"[U+{ord(c):04X}]" for c in text), name


@lru_cache(maxsize=2)
def _embedded(bold: bool) -> tuple[str, Any]:
    """The name of the embedded font, registered at first use, and the code points that it has."""
    from pathlib import Path

    import font_source_sans_pro
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    style = _NAMES[bold]
    name = f"SourceSansPro-{style}"
    font = TTFont(name, str(Path(font_source_sans_pro.__file__).parent / "files" / f"{name}.ttf"))
    pdfmetrics.registerFont(font)
    return name, font.face.charToGlyph
