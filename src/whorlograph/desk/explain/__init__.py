"""Explanations: one page in plain words for every symptom, link, root, fault, finding, block and contact (ANSWERS.md, Explain)."""

from __future__ import annotations

import textwrap
import tomllib
from difflib import get_close_matches
from functools import cache
from pathlib import Path

import msgspec

from whorlograph.drawing.rung_layout import lay_out
from whorlograph.drawing.shapes import Ink, Run
from whorlograph.drawing.text import draw_rung, wrapped
from whorlograph.formats.decoding import converted
from whorlograph.model.program import Pou, PouKind
from whorlograph.model.steps import Step
from whorlograph.model.tags import Instance
from whorlograph.plant.written import body_of

HEADINGS = {"symptom": "Symptoms", "link": "Links of a trail", "root": "Roots", "fault": "Faults of the controller",
            "contact": "Contacts, coils, jumps", "block": "Blocks", "finding": "Findings", "together": "What comes together",
            "trying": "Trying it out"}


class Page(msgspec.Struct, frozen=True):
    """One page: what a thing is, what usually causes it, what to check first, what not to do, an example rung."""

    name: str
    kind: str
    title: str
    what: str
    words: tuple[str, ...] = ()
    causes: str = ""
    check: str = ""
    avoid: str = ""
    example: str = ""


@cache
def pages() -> dict[str, Page]:
    """All pages by name, in order."""
    raw = tomllib.loads((Path(__file__).parent / "pages.toml").read_text("utf-8"))
    return {name: converted({"name": name, **page}, Page) for name, page in raw.items()}


def look_up(word: str) -> list[Page]:
    """The pages that a word means, the best first: by name, by title or synonym, by what they say; else by names alike; [] for none."""
    wanted = " ".join(word.lower().replace("_", "-").split())
    if not wanted:
        return []
    scores: dict[str, int] = {}
    for name, page in pages().items():
        plain = [name.lower().replace("_", "-"), name.lower().replace("_", "-").replace("-", " ")]
        words = [w.lower() for w in page.words]
        title = page.title.lower()
        score = 100 if wanted in plain else 80 if wanted in words or wanted == title else 60 if any(wanted in w for w in (*plain, *words)) else \
            50 if wanted in title else 20 if wanted in page.what.lower() else 0
        if score:
            scores[name] = score
    if not scores:
        near = get_close_matches(wanted, [n.lower() for n in pages()], 3, 0.6)
        scores = {n: 1 for n in pages() if n.lower() in near}
    return [pages()[n] for n in sorted(scores, key=lambda n: -scores[n])]


def page_lines(page: Page, width: int) -> list[list[Run]]:
    """A page in lines of text with their inks, its example rung drawn."""
    lines: list[list[Run]] = [[(page.title, Ink.STRONG)], [("", Ink.TEXT)]]

    def part(heading: str, text: str) -> None:
        if not text:
            return
        if heading:
            lines.append([(heading, Ink.QUIET)])
        lines.extend([(line, Ink.TEXT)] for line in textwrap.wrap(text, max(20, width)))
        lines.append([("", Ink.TEXT)])

    part("", page.what)
    part("usual causes", page.causes)
    part("check first", page.check)
    part("better not", page.avoid)
    if page.example:
        lines.append([("an example", Ink.QUIET)])
        lines += example_lines(page.example, width)
    return lines


def example_lines(text: str, width: int) -> list[list[Run]]:
    """Rungs written in a line, drawn by the renderer of a program's own."""
    body = body_of(text)
    instance = Instance("Example", "Example", Pou("Example", PouKind.PROGRAM, (), body))
    lines: list[list[Run]] = []
    for rung in body.rungs:
        drawn, _ = wrapped(draw_rung(lay_out(Step(rung.number - 1, instance, rung)), False, width - 2), width - 2)
        while drawn and not "".join(t for t, _ in drawn[-1]).strip():
            drawn.pop()
        lines += drawn
    return lines


def page_text(page: Page, width: int = 96) -> str:
    """A page for reading."""
    return "\n".join("".join(t for t, _ in line).rstrip() for line in page_lines(page, width)).rstrip()


def list_text() -> str:
    """All pages by kind."""
    lines = []
    for kind, heading in HEADINGS.items():
        names = [p for p in pages().values() if p.kind == kind]
        lines += [heading, *(f"  {p.name:<22}{p.title}" for p in names), ""]
    return "\n".join([*lines, "whorlograph explain WORD prints one; a word of your own finds the nearest"])
