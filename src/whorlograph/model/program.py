"""A controller program as a file gives it: types, POUs, configurations (IEC 61131-3:2013, clause 6)."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct, field

from .chart import ChartBody
from .ladder import LadderBody
from .place import Place
from .text import Argument, TextBody
from .types import Initial, TypeRef


class VariableKind(StrEnum):
    """In which section a variable is declared, IEC 61131-3:2013, 6.5.2."""

    INPUT = "input"
    OUTPUT = "output"
    IN_OUT = "in-out"
    LOCAL = "local"
    TEMP = "temporary"
    EXTERNAL = "external"
    GLOBAL = "global"


class Variable(Struct, frozen=True):
    """A declaration."""

    name: str
    type: TypeRef
    kind: VariableKind
    address: str = ""
    initial: Initial | None = None
    retain: bool = False
    constant: bool = False
    documentation: str = ""
    line: int = 0
    made: bool = False  # by a chart, an instruction list, an edge, a wire that leads back: it stands in no declaration
    result: bool = False  # what an instruction of a list leaves for those behind it
    group: str = ""  # the name of the section that it stands in, where the file gives one: globals are called by it too, ``Group.Name``


class PouKind(StrEnum):
    """The three program organisation units."""

    PROGRAM = "program"
    FUNCTION_BLOCK = "function block"
    FUNCTION = "function"


class OpaqueBody(Struct, frozen=True, tag=True):
    """A body that is kept but not executed: its language, its text, and the tags it assigns."""

    language: str
    text: str
    assigns: tuple[str, ...] = ()


Body = LadderBody | TextBody | ChartBody | OpaqueBody


COPY_MARK = "\u02d0"  # stands in the name of a copy that was made of a POU, behind the name that the file gives it


def written_name(name: str) -> str:
    """The name that stands in the file, also of a copy of a POU."""
    return name.partition(COPY_MARK)[0]


class Pou(Struct, frozen=True):
    """A program organisation unit."""

    name: str
    kind: PouKind
    variables: tuple[Variable, ...]
    body: Body
    returns: TypeRef | None = None
    documentation: str = ""
    place: Place = field(default_factory=Place)


class Task(Struct, frozen=True):
    """A task: how often (``interval``, a duration or a tag), on which tag's rise (``single``), how urgent."""

    name: str
    priority: int = 0
    interval: str = ""
    single: str = ""


class ProgramInstance(Struct, frozen=True):
    """A program that runs, under a task or once in every scan. ``connected``: what goes into its parameters and comes out of them;
    ``source``: the lines that say so, the first of them ``line`` of the file."""

    name: str
    pou: str
    task: str = ""
    connected: tuple[Argument, ...] = ()
    line: int = 0
    source: tuple[str, ...] = ()


class Resource(Struct, frozen=True):
    """A resource: what one processing unit runs."""

    name: str
    instances: tuple[ProgramInstance, ...]
    tasks: tuple[Task, ...] = ()
    variables: tuple[Variable, ...] = ()


class Located(Struct, frozen=True):
    """What a configuration says of a variable by its path, the resource in front or not: its address, its initial value, on which line."""

    path: str
    address: str = ""
    initial: Initial | None = None
    line: int = 0


class Configuration(Struct, frozen=True):
    """A configuration with its resources and global variables. ``located``: what it says of single variables of its programs."""

    name: str
    resources: tuple[Resource, ...]
    variables: tuple[Variable, ...] = ()
    located: tuple[Located, ...] = ()


class Program(Struct, frozen=True):
    """All that one program file holds. ``types`` and ``pous`` are keyed by name in lower case, and so are ``defaults``, the initial values
    that types bring along."""

    name: str
    types: dict[str, TypeRef]
    pous: dict[str, Pou]
    configurations: tuple[Configuration, ...] = ()
    file: str = ""
    date: str = ""
    company: str = ""
    version: str = ""
    defaults: dict[str, Initial] = field(default_factory=dict)

    def chosen(self, resource: str = "") -> tuple[Resource, tuple[Variable, ...]]:
        """The resource that runs, and the global variables it sees.

        Without a configuration each program POU is one cyclic instance of its own name. Of several
        resources the named one runs, by default the first. Source: CONTROLLER.md, Scan and tasks.
        """
        found = [(c, r) for c in self.configurations for r in c.resources]
        for config, one in found:
            if not resource or one.name.lower() == resource.lower():
                return one, config.variables + one.variables
        programs = tuple(ProgramInstance(p.name, p.name) for p in self.pous.values() if p.kind is PouKind.PROGRAM)
        variables = tuple(v for c in self.configurations for v in c.variables)
        return Resource("", programs), variables
