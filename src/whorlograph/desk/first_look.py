"""What can be shown of a question before anything is replayed: the rungs that write its tag, and what was loaded."""

from __future__ import annotations

from whorlograph.drawing.rung_layout import lay_out
from whorlograph.drawing.shapes import Ink, Run, fitted
from whorlograph.drawing.statement import draw_statement
from whorlograph.drawing.text import draw_rung, wrapped
from whorlograph.model.question import Question

from .session import Session
from .summary import loaded_lines

MOST = 6


def first_rungs(session: Session, question: Question | None, width: int) -> list[list[Run]]:
    """The rungs that write the tag of a question, without power flow."""
    if question is None:
        return []
    steps = dict.fromkeys(use.step for use in session.controller.access.of_tag(question.tag) if use.writes)
    lines: list[list[Run]] = []
    for number in list(steps)[:MOST]:
        step = session.controller.steps.all[number]
        title: list[Run] = [(f" {step.pou} {step.rung.number}", Ink.STRONG)]
        if step.rung.comment:
            title.append((f"  {fitted(step.rung.comment, max(8, width - len(step.pou) - 8))}", Ink.QUIET))
        if step.rung.statement is not None:
            drawn = draw_statement(step.source, step.rung.statement, None, frozenset(), width - 2).lines
        else:
            drawn, _ = wrapped(draw_rung(lay_out(step, None, frozenset()), False, width - 2), width - 2)
        lines += [title, *([(" ", Ink.TEXT), *line] for line in drawn), []]
    return lines


def first_words(session: Session) -> list[list[Run]]:
    """What was loaded, and what comes next."""
    lines: list[list[Run]] = [[(f" {line}", Ink.TEXT)] for line in loaded_lines(session)]
    return [*lines, [], [(" the log is being replayed; the trail of causes comes next", Ink.QUIET)]]
