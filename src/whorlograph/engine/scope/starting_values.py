"""Initial values that are given by the names of constants (IEC 61131-3:2013, 6.5.2), and what is given to members that there are not."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from contextlib import contextmanager

from whorlograph.model.limits import DEEPEST
from whorlograph.model.literals import literal
from whorlograph.model.program import Variable, VariableKind
from whorlograph.model.types import Enumeration, Initial, Members, Simple, TypeRef

Known = dict[str, Initial | None]


def constants(variables: Iterable[Variable]) -> Known:
    """The initial values of those that are declared constant, by name in lower case; None of all others but what is known from outside."""
    own = [v for v in variables if v.kind is not VariableKind.EXTERNAL]
    found = {f"{v.group}.{v.name}".lower(): v.initial if v.constant else None for v in own if v.group}
    for one in own:
        found.setdefault(one.name.lower(), one.initial if one.constant else None)
    return found


class Constants:
    """What names mean as initial values: those of the POU at work, else the global ones."""

    def __init__(self, globals_: Iterable[Variable]) -> None:
        self._global = constants(globals_)
        self._own: Known = {}

    @contextmanager
    def within(self, variables: Iterable[Variable]) -> Iterator[None]:
        """While the variables of a POU are made: what it declares hides what is declared outside."""
        before = self._own
        self._own = constants(variables)
        try:
            yield
        finally:
            self._own = before

    def meant(self, initial: Initial | None, type_: TypeRef) -> Initial | None:
        """An initial value, in place of a constant's name the value of that."""
        if isinstance(type_, Enumeration) and isinstance(initial, Simple) and any(initial.text.lower() == name.lower() for name, _ in type_.values):
            return initial
        for _ in range(DEEPEST):
            if not isinstance(initial, Simple):
                break
            minus, name = initial.text[:1] == "-", initial.text.lstrip("-").lower()
            found = self._own.get(name, self._global.get(name))
            if found is None or (minus and not isinstance(found, Simple)):
                break
            initial = Simple(_negated(found.text)) if minus and isinstance(found, Simple) else found
        return initial


def _negated(text: str) -> str:
    """What a literal or a name is with the sign turned."""
    if text.startswith("-"):
        return text[1:]
    named, mark, rest = text.rpartition("#")
    return f"{named}#-{rest}" if mark and literal(text) is not None and not named.isdigit() else f"-{text}"


def strangers(initial: Initial | None, known: Collection[str]) -> list[str]:
    """The members that an initial value names and that there are not. Args: known: those that there are, in lower case."""
    return [name for name, _ in initial.items if name.lower() not in known] if isinstance(initial, Members) else []
