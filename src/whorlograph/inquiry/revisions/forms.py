"""The steps of a body as forms, whatever its language."""

from __future__ import annotations

from collections import Counter

from whorlograph.model.program import Body, OpaqueBody
from whorlograph.model.steps import segments, units
from whorlograph.model.text import TextBody

from .form import Form, Numbers, Part
from .languages import ladder, text


def forms(body: Body, numbers: Numbers) -> list[Form]:
    """The forms of all steps of a body; of one that is not executed a single one. Forms made with the same ``numbers`` can be compared."""
    if isinstance(body, OpaqueBody):
        said = " ".join(body.text.split())
        return [Form(said, Counter([Part("text", said, "")]), frozenset(a.lower() for a in body.assigns), (), "", 1)] if said else []
    found: list[Form] = []
    for part in segments(body):
        jumped = text.jumped(part) if isinstance(part, TextBody) else ladder.jumped(part)
        at = {index: tuple(sorted(name for name, i in part.targets.items() if i == index + 1 and name in jumped)) for index in range(part.count + 1)}
        for index, rung in enumerate(units(part)):
            one = text.form(part, index) if isinstance(part, TextBody) else ladder.form(rung, numbers)
            found.append(Form((one.key, at[index]), one.parts + Counter(Part("label", n, "") for n in at[index]), one.writes, one.drawn,
                              one.comment, one.number))
        if at[part.count]:
            found.append(Form(("end", at[part.count]), Counter(Part("label", n, "") for n in at[part.count]), frozenset(), (), "", 0))
    return found
