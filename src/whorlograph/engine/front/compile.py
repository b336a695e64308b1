"""A whole program as code: each POU's body once, each instance with where it lies."""

from __future__ import annotations

from whorlograph.engine.code import Body, Code, Instance
from whorlograph.engine.scope.unreadable import Reading
from whorlograph.model.profile import Profile
from whorlograph.model.program import OpaqueBody
from whorlograph.model.registry import resolve
from whorlograph.model.tags import Instance as Declared
from whorlograph.model.tags import Running

from .builder import Builder
from .languages import LANGUAGES
from .layout import Regions


class _Front:
    """Lowers bodies when they are first asked for: what calls a body comes after it."""

    def __init__(self, running: Running, profile: Profile, tasks: dict[str, int], reading: Reading, as_written: bool, constants: bool) -> None:
        self.reading, self.as_written, self.constants = reading, as_written, constants
        self.running, self.profile, self.tasks = running, profile, tasks
        self.bodies: list[Body] = []
        self.laid_out = 0
        self.number: dict[str, int | None] = {}
        self.regions = Regions(running, self._own_hidden)
        self.declared: dict[str, Declared] = {}
        for one in self.regions.all:
            if one.pou is not None:
                self.declared.setdefault(one.type_name.lower(), one)

    def _own_hidden(self, one: Declared) -> int:
        number = self.get(one.type_name.lower())
        return len(self.bodies[number].hidden) if number is not None else 0

    def get(self, name: str) -> int | None:
        """The number of a POU's body; None where it is not executed."""
        if name not in self.number:
            self.number[name] = None
            one = self.declared.get(name)
            if one is not None and one.pou is not None and not isinstance(one.pou.body, OpaqueBody):
                build = Builder(self.running, one, self.profile, self.regions, self, self.reading, self.as_written, self.constants)
                resolve(LANGUAGES[one.pou.body.language])(build, one.pou.body, self.tasks)
                self.bodies.append(build.body())
                self.number[name] = len(self.bodies) - 1
        return self.number[name]

    def code(self) -> Code:
        """Everything."""
        for one in self.regions.all:
            self.get(one.type_name.lower())
        places = self.regions.place(len(self.running.tags))
        instances = []
        for one in self.regions.all:
            hidden, first, inner = places[id(one)]
            number = self.number.get(one.type_name.lower()) if one.pou is not None else None
            runs = id(one) in self.regions.programs
            instances.append(Instance(one.name, number if number is not None else -1, one.first, hidden, first, inner, runs, one.task))
        cells = len(self.running.tags) + sum(self.regions.hidden(one) for one in self._tops())
        steps = max((i.first + len(self.bodies[i.body].steps) for i in instances if i.body >= 0), default=0)
        return Code(tuple(self.bodies), tuple(instances), self.running.public, len(self.running.tags), cells, steps)

    def _tops(self) -> list[Declared]:
        return [*self.running.programs, *self.running.scope.inner(), *self.running.functions.values()]


def compile_code(running: Running, profile: Profile, tasks: dict[str, int], reading: Reading, as_written: bool = False,
                 constants: bool = True) -> Code:
    """The code of a program.

    Args: tasks: the number of each task, by name in lower case; reading: knows what of it cannot be executed;
        as_written: without laying out any loop, for what is held from outside while it counts one (steps, nodes and cells are the same);
        constants: whether what is declared constant tells how many passes there are.
    Source: docs/decisions/004; CONTROLLER.md.
    """
    return _Front(running, profile, tasks, reading, as_written, constants).code()
