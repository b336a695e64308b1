"""How each language names its parts: words for what the code was made of."""

from __future__ import annotations

from functools import cache
from typing import Protocol, cast

from whorlograph.engine.access import Use
from whorlograph.engine.code import Passing
from whorlograph.model.program import Body, OpaqueBody, Pou, Program
from whorlograph.model.registry import resolve
from whorlograph.model.steps import Step

_LANGUAGES = {"LD": "inquiry.languages.ladder:LADDER", "FBD": "inquiry.languages.ladder:DIAGRAM", "ST": "inquiry.languages.text:TEXT",
              "IL": "inquiry.languages.text:TEXT", "SFC": "inquiry.languages.text:TEXT"}


class Words(Protocol):
    """Names of one language."""

    def role(self, step: Step, use: Use) -> str:
        """How an element uses a tag, in the trade's words."""

    def gate(self, step: Step, element: int, what: str, passing: Passing = ()) -> str:
        """What passes or stops power at an element, or at a pin of it. Args: passing: in which pass of loops that are laid out, as below."""

    def powered(self, on: bool) -> str:
        """That something is decided on or off: before a place."""

    def lacking(self) -> str:
        """That it is decided off, behind a colon."""

    def giving(self) -> str:
        """What a condition would do that lets something be on."""

    def fell(self) -> str:
        """What the condition did that let something go."""

    def off(self) -> str:
        """What is off because of that, in a few letters."""

    def wanted(self, said: str, on: bool) -> str:
        """A gate's words on a path that wants it on, or off."""

    def enabled(self, name: str) -> str:
        """What decides whether a block or function is executed."""

    def writing(self, source: str, tag: str) -> str:
        """What would write a tag, where nothing executes it: before a place."""

    def block(self, step: Step, element: int, passing: Passing = ()) -> str:
        """A block: its instance, else the name of its function."""

    def source(self, step: Step, element: int, passing: Passing = ()) -> str:
        """The block whose output an element takes: its instance, else the name of its function; "" where there is none."""

    def value(self, step: Step, element: int, passing: Passing = ()) -> str:
        """What is wired to a pin: a name or a literal as it is written; "" where an element is none."""

    def called(self, pou: Pou, program: Program) -> list[str]:
        """The types of the blocks and functions that a POU's body names, in order, each once."""

    def line(self, step: Step, element: int) -> int:
        """The line of a text in which an element stands; 0 of what has none."""

    def labels(self, body: Body) -> list[tuple[str, int]]:
        """(name, rung) of each label of a body, in order."""

    def jumps(self, body: Body) -> list[tuple[str, int]]:
        """(label, rung) of each jump of a body, in order."""

    def areas(self, body: Body) -> list[tuple[str, int, int]]:
        """(title, first rung, last rung) of each area: a rung with words above it and those below without."""

    def explained(self, step: Step, element: int) -> str:
        """Under which word an element is explained."""

    def words(self, step: Step) -> list[str]:
        """All that can be read on a step: tags, blocks, labels, comments."""

    def condition(self, step: Step, element: int) -> str:
        """What the condition of an element decides: a jump and what it leaves out, a return; "" for others."""


def language_of(body: Body) -> Words | None:
    """The words of a body's language; None where it is kept only."""
    return _words(body.language) if not isinstance(body, OpaqueBody) and body.language in _LANGUAGES else None


def words_of(step: Step) -> Words:
    """The words of the language that a step is written in."""
    if step.rung.statement is not None:
        return _words("ST")
    return _words("FBD" if step.instance.pou is not None and step.instance.pou.body.language == "FBD" else "LD")


@cache
def _words(language: str) -> Words:
    return cast(Words, resolve(_LANGUAGES[language]))
