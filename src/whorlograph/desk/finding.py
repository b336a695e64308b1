"""Finding rungs by their words."""

from __future__ import annotations

from whorlograph.model.ladder import Block, Coil, Contact, InOutVariable, InVariable, Jump, Label, OutVariable
from whorlograph.model.steps import Step

from .session import Session


def step_words(step: Step) -> str:
    """All that can be read on a rung, in lower case: POU and number, comment, tags, blocks, labels."""
    words = [f"{step.pou} {step.rung.number}", step.rung.comment, *step.rung.labels]
    for element in step.rung.elements:
        if isinstance(element, (Contact, Coil)):
            words.append(element.variable)
        elif isinstance(element, (InVariable, OutVariable, InOutVariable)):
            words.append(element.expression)
        elif isinstance(element, Block):
            words += [element.type_name, element.instance]
        elif isinstance(element, (Jump, Label)):
            words.append(element.label)
    return " ".join(w for w in words if w).lower()


def steps_with(session: Session, text: str) -> list[int]:
    """The steps on whose rung every word of a text occurs, in order."""
    wanted = text.lower().split()
    if not wanted:
        return []
    if session.words is None:
        session.words = [step_words(s) for s in session.controller.steps.all]
    return [i for i, words in enumerate(session.words) if all(w in words for w in wanted)]
