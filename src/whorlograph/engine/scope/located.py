"""What a configuration says of variables by their path: addresses that their POU leaves open, initial values (IEC 61131-3:2013, 6.8.1)."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import replace

from whorlograph.model.program import Located, Program, Resource, Variable
from whorlograph.model.types import Initial


def said_of(program: Program, running: Resource) -> Iterator[tuple[Located, tuple[str, ...], bool | None]]:
    """What configurations say of variables; by which names in lower case, the shortest last; and whether they mean the resource that runs.

    None: they do not say of which resource, and there are others.
    """
    others = {r.name.lower() for one in program.configurations for r in one.resources} - {running.name.lower()}
    for configuration in program.configurations:
        for one in configuration.located:
            names = [one.path.lower()]
            for prefix in (f"{configuration.name.lower()}.", f"{running.name.lower()}."):
                if names[-1].startswith(prefix):
                    names.append(names[-1].removeprefix(prefix))
            if not others or (len(names) > 1 and names[-2].startswith(f"{running.name.lower()}.")):
                yield one, tuple(names), True
            else:
                yield one, tuple(names), False if names[-1].partition(".")[0] in others else None


class LocatedNames:
    """By the full name of a variable of the resource that runs, in lower case: what the configuration says of it."""

    def __init__(self, program: Program, running: Resource) -> None:
        self._said: dict[str, Located] = {}
        self._asked: list[tuple[Located, tuple[str, ...]]] = []
        self._met: set[str] = set()
        for one, names, ours in said_of(program, running):
            self._said |= dict.fromkeys(names, one)
            if ours:
                self._asked.append((one, names))

    def of(self, name: str, variable: Variable, initial: Initial | None) -> tuple[Variable, Initial | None]:
        """A variable and its initial value as the configuration has them."""
        one = self._said.get(name.lower()) if self._said else None
        if one is None:
            return variable, initial
        self._met.add(name.lower())
        return replace(variable, address=one.address or variable.address), one.initial if one.initial is not None else initial

    def unknown(self) -> Iterator[Located]:
        """What it says of variables that there are not."""
        return (one for one, names in self._asked if self._met.isdisjoint(names))
