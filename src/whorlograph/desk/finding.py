"""Finding: rungs by their words, instants by a tag or a condition."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.inquiry.languages import words_of
from whorlograph.inquiry.search import Search
from whorlograph.model.errors import UsageError
from whorlograph.model.literals import cooked, said_value
from whorlograph.model.steps import Step
from whorlograph.model.types import Family

from .session import Session


def step_words(step: Step) -> str:
    """All that can be read on a rung, in lower case: POU and number, comment, tags, blocks, labels."""
    return " ".join([f"{step.pou} {step.rung.number}", *words_of(step).words(step)]).lower()


def steps_with(session: Session, text: str) -> list[int]:
    """The steps on whose rung every word of a text occurs, in order."""
    wanted = text.lower().split()
    if not wanted:
        return []
    if session.words is None:
        session.words = [step_words(s) for s in session.controller.steps.all]
    return [i for i, words in enumerate(session.words) if all(w in words for w in wanted)]


class Found(Struct, frozen=True):
    """What a search text gave: instants (``starts``, ``ends`` in ns, -1: to the log's end), or ``steps``; ``what`` in words.

    ``wrong`` says why a text that looks like a condition is none.
    """

    text: str
    starts: tuple[int, ...] = ()
    ends: tuple[int, ...] = ()
    steps: tuple[int, ...] = ()
    what: str = ""
    wrong: str = ""
    times: bool = False


def search_of(session: Session) -> Search:
    """The session's search, made once a replay."""
    if session.search is None:
        session.search = Search(session.controller, session.journal, session.log, session.tag)
    return session.search


def find(session: Session, text: str) -> Found:
    """Search for a text: a tag (its changes), a condition (where it holds), else words on rungs."""
    text = text.strip()
    if not text:
        return Found("")
    condition = f"{text} changes" if session.running.find(text) is not None else text
    try:
        hits = search_of(session).hits(condition)
        count = len(hits)
        unit = "change" if condition != text else "place"
        what = f"{count:,} {unit}{'s' * (count != 1)} in the log".replace(",", " ") + ("" if session.journal.complete else ", so far")
        return Found(text, tuple(hits.starts.tolist()), tuple(hits.ends.tolist()), (), what, times=True)
    except UsageError as error:
        steps = tuple(steps_with(session, text))
        wrong = f"{error.what}; {error.remedy}" if _is_condition(text) else ""
        return Found(text, steps=steps, what=f"{len(steps)} rung{'s' * (len(steps) != 1)}", wrong=wrong)


def values_found(session: Session, found: Found) -> list[str]:
    """Of a tag's changes what it became each time, in words; [] where the text was no tag."""
    tag = session.running.find(found.text)
    if tag is None or not found.times:
        return []
    one, clock = session.running.tags[tag], session.journal.clock
    if one.type.family is Family.BOOL:
        rises = set(search_of(session).hits(f"{found.text} rises").starts.tolist())
        return ["on" if start in rises else "off" for start in found.starts]
    return [said_value(cooked(session.journal.settled(tag, max(1, clock.scan_at(start))), one.type), one.type) for start in found.starts]


def _is_condition(text: str) -> bool:
    """Whether a text was meant as a condition."""
    words = text.lower().split()
    return any(c in text for c in "=<>()") or any(w in ("and", "or", "not", "rises", "falls", "changes", "for") for w in words)
