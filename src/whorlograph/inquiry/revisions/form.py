"""What a step does, apart from how and where it is drawn: two steps with one form do the same."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable

from msgspec import Struct

from whorlograph.model.literals import literal

Numbers = dict[Hashable, int]  # all that is alike in two programs bears one number


class Part(Struct, frozen=True):
    """One thing in a step, for telling what came and went: ``what`` it is, on which ``name``, and how (``state``)."""

    what: str
    name: str
    state: str


class Form(Struct, frozen=True):
    """``key``: equal for steps that do the same; ``parts``: what is in it; ``writes``: what it writes, in lower case; ``drawn``: how it is
    drawn, the place on the sheet apart; ``comment``; ``number``: its rung, or line."""

    key: Hashable
    parts: Counter[Part]
    writes: frozenset[str]
    drawn: Hashable
    comment: str
    number: int


def value_form(text: str) -> str:
    """A variable or literal as it counts: ``T#5000ms`` is ``T#5s``."""
    stripped = "".join(text.split())
    found = literal(stripped) if stripped[:1].isdigit() or "#" in stripped or stripped[:1] in "-'\"" else None
    if found is None:
        return stripped.lower()
    return repr(found)


def differences(old: Form, new: Form) -> tuple[str, ...]:
    """What came, went and changed between two forms of one step, each in a few words."""
    if any(p.what == "word" for p in (*old.parts, *new.parts)):
        return ()  # of a text the lines themselves are shown
    gone, came = old.parts - new.parts, new.parts - old.parts
    if not gone and not came:
        return ("wired otherwise",)
    said: list[str] = []
    for part in list(gone):
        other = next((p for p in came if (p.what, p.name.lower()) == (part.what, part.name.lower())), None)
        if other is not None and gone[part] and came[other]:
            gone[part] -= 1
            came[other] -= 1
            said.append(_turned(part, other))
    for parts, word in ((+gone, "gone"), (+came, "added")):
        said += [f"{_named(p)} {word}" + (f" {n} times" if n > 1 else "") for p, n in parts.items()]
    return tuple(said)


def _named(part: Part) -> str:
    if part.what == "contact":
        return f"{part.state} contact {part.name}"
    if part.what == "coil":
        return f"{part.state if 'coil' in part.state else part.state + ' coil'} {part.name}"
    if part.what == "block":
        return f"block {part.name}" + (f" ({part.state})" if part.state != part.name.upper() else "")
    if part.what in ("pin", "pin kind"):
        return f"{part.state} at {part.name}"
    if part.what == "written":
        return f"writing of {part.name}"
    if part.what == "jump":
        return f"jump to {part.name}"
    return f"{part.what} {part.name}".strip()


def _turned(old: Part, new: Part) -> str:
    if old.what == "contact":
        return f"contact {new.name}: {old.state} -> {new.state}"
    if old.what == "coil":
        return f"coil {new.name}: {_coil(old.state)} -> {_coil(new.state)}"
    return f"{new.name}: {old.state or 'plain'} -> {new.state or 'plain'}"


def _coil(state: str) -> str:
    return "plain" if state == "coil" else state.removesuffix(" coil")
