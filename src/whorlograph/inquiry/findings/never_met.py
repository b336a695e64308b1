"""A comparison with a number that the program never gives its tag."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.model.literals import cooked

from ..numbered import given_by
from ..writers import Writer
from .facts import Compared, Facts, Finding

_MEETS = {"EQ": int.__eq__, "GT": int.__gt__, "GE": int.__ge__, "LT": int.__lt__, "LE": int.__le__}


def find(facts: Facts) -> Iterator[Finding]:
    """Equalities that no write brings about, and limits that a tag of one value never comes to; in all instances of their POU."""
    given = {tag: _values(facts, tag, writers) for tag, writers in facts.written()}
    asked: dict[tuple[str, int, int, int], list[Compared]] = {}
    for one in facts.comparisons:
        step = facts.tracer.steps.all[one.place.step]
        asked.setdefault((step.pou, step.rung.number, one.place.at, one.value), []).append(one)
    for places in asked.values():
        if all(_never(one, given.get(one.tag, set())) for one in places):
            first, tracer = places[0], facts.tracer
            made = facts.listed(tracer.called(first.tag, value) for value in sorted(given[first.tag])).replace(" and ", " or ")
            text = (f"{facts.place(first.place.step)} compares {facts.name(first.tag)} with {tracer.called(first.tag, first.value)}, "
                    f"and the program only ever makes it {made}")
            effect = "the comparison never holds, unless a panel or another controller writes the tag"
            yield facts.finding("never-met", first.place, first.tag, text, effect, 2)


def _never(one: Compared, values: set[int]) -> bool:
    """Whether no value meets a comparison. A limit that some values pass and others do not is a guard, however high it is."""
    meets = _MEETS.get(one.code)
    return meets is not None and bool(values) and (one.code == "EQ" or len(values) == 1) and not any(meets(value, one.value) for value in values)


def _values(facts: Facts, tag: int, writers: list[Writer]) -> set[int]:
    """All that a number can be, where only literals are written to it; nothing where that is not known."""
    tracer, one = facts.tracer, facts.tag(tag)
    if tracer.left_out or not one.type.whole or tag in facts.logged or tag in facts.handed or (one.address is not None and one.address.area == "I"):
        return set()
    found = {int(cooked(one.initial, one.type))}
    for writer in writers:
        given = given_by(tracer, writer) if writer.bit < 0 else None
        if given is None:
            return set()
        found.add(given)
    return found
