"""The tags of a running program: every leaf that holds a value, by number, and the tree they hang in."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct, field

from .address import Address, parse_address
from .paths import Bit, Index, Member, Path
from .program import Pou, VariableKind
from .shown import visible
from .types import Elementary, Enumeration


class Tag(Struct, frozen=True):
    """A leaf. ``name`` is qualified (globals bare); ``initial`` holds raw bits as memory keeps them.

    ``computed`` marks what the journal leaves out (a timer's ET), ``result`` what an instruction of a list leaves for those behind it.
    """

    index: int
    name: str
    type: Elementary
    initial: int = 0
    address: Address | None = None
    kind: VariableKind = VariableKind.LOCAL
    documentation: str = ""
    retain: bool = False
    constant: bool = False
    computed: bool = False
    result: bool = False
    enumeration: Enumeration | None = None
    low: int | None = None
    high: int | None = None

    @property
    def listed(self) -> bool:
        """Whether lists and result files name it: a person declared it, or could, and the journal has its rows."""
        return not (self.computed or self.result)

    @property
    def at_output(self) -> bool:
        """Whether it stands at an output address (%Q)."""
        return self.address is not None and self.address.area == "Q"

    @property
    def silent(self) -> bool:
        """Whether the journal has no rows of it: a timer's ET, a temporary."""
        return self.computed or self.kind is VariableKind.TEMP


class Aggregate(Struct):
    """An array or structure of ``cells`` leaves: its parts in order, each of ``stride`` leaves where it is an array."""

    first: int
    bounds: tuple[tuple[int, int], ...] = ()
    stride: int = 1
    items: list[Ref] = field(default_factory=list)
    fields: dict[str, Ref] = field(default_factory=dict)
    cells: int = 0


class Instance(Struct):
    """A running program, or an instance of a block: what its names stand for.

    ``name`` is qualified, "" for the globals; ``pou`` is None for a standard block. Its tags, those of instances inside it
    included, are ``count`` from ``first`` on, in the same order in every instance of a POU. ``outside``: the names, in lower case, of what it only
    knows from outside.
    """

    name: str
    type_name: str
    pou: Pou | None
    scope: dict[str, Ref] = field(default_factory=dict)
    first: int = 0
    task: str = ""
    count: int = 0
    outside: set[str] = field(default_factory=set)

    def inner(self) -> Iterator[Instance]:
        """The instances declared in it, in order, those in arrays and structures too; not what it only knows from outside."""
        for name, ref in self.scope.items():
            if type(ref) is not Leaf and name not in self.outside:
                yield from _instances_in(ref)


class ByReference(Struct, frozen=True):
    """A VAR_IN_OUT: what it stands for is known at each call.

    ``shape`` is a variable of its type that exists nowhere, its leaves counted from 0 in ``tags``.
    """

    name: str
    shape: Ref | None = None
    tags: tuple[Tag, ...] = ()


class Leaf(Struct, frozen=True):
    """A leaf: the number of a tag."""

    tag: int


Ref = Leaf | Aggregate | Instance | ByReference


def _instances_in(ref: Ref) -> Iterator[Instance]:
    if isinstance(ref, Instance):
        yield ref
    elif isinstance(ref, Aggregate):
        for part in (*ref.items, *ref.fields.values()):
            yield from _instances_in(part)


class BitOf(Struct, frozen=True):
    """One bit of a bit string or integer tag."""

    tag: int
    bit: int


class Element(Struct, frozen=True):
    """An array's leaf chosen while running: ``first`` plus, for each term, (subscript - low) * step."""

    first: int
    terms: tuple[tuple[Path, int, int, int], ...]  # subscript, lowest, highest, leaves a step


class Chosen(Struct, frozen=True):
    """An array or structure within an array, chosen while running: the one where all subscripts are lowest, and the terms as of an element."""

    ref: Aggregate
    terms: tuple[tuple[Path, int, int, int], ...]


Target = Leaf | BitOf | Element | Chosen | Instance | Aggregate | ByReference


class Running(Struct):
    """What runs: tags by number, the globals' scope, the program instances in order of declaration.

    ``functions``: one instance for each function of the file, its variables numbered like tags, by name in
    lower case; ``public``: how many tags there are without these. ``enumerators``: the value of each, by ``type#name`` and,
    where only one type has it, by name, in lower case. ``any_length``: the POUs, by name in lower case, that take arrays of any length: what runs
    are copies of them.
    """

    tags: list[Tag]
    scope: Instance
    programs: list[Instance]
    by_name: dict[str, int] = field(default_factory=dict)
    functions: dict[str, Instance] = field(default_factory=dict)
    public: int = 0
    enumerators: dict[str, int] = field(default_factory=dict)
    any_length: frozenset[str] = frozenset()

    def find(self, text: str) -> int | None:
        """The tag that a person means: qualified name, address, or an unambiguous last name, without case."""
        key = visible(text.strip()).lower()
        if key in self.by_name:
            return self.by_name[key]

        address = parse_address(text)
        if address is not None:
            return next((t.index for t in self.tags if t.address == address), None)
        hits = self.alike(key)
        return hits[0] if len(hits) == 1 else None

    def alike(self, key: str) -> list[int]:
        """The tags whose last name is the one given."""
        end = "." + key.lower()
        return [t.index for t in self.tags if t.name.lower().endswith(end)]

    def instances(self) -> Iterator[Instance]:
        """All instances: each followed by those inside it; programs, what is global, functions."""
        todo = [*self.programs, self.scope, *self.functions.values()]
        seen: set[int] = set()
        while todo:
            one = todo.pop(0)
            if id(one) in seen:
                continue
            seen.add(id(one))
            yield one
            todo[:0] = list(one.inner())

    def block_pins(self) -> frozenset[int]:
        """The numbers of the tags inside standard blocks."""
        blocks = (one for one in self.instances() if one.pou is None and one.type_name)
        return frozenset(ref.tag for one in blocks for ref in one.scope.values() if isinstance(ref, Leaf))


def member(ref: object, name: str) -> Ref | None:
    """A part of a structure or block by name, without case; None where it has none."""
    if isinstance(ref, Instance):
        return ref.scope.get(name.lower())
    return ref.fields.get(name.lower()) if isinstance(ref, Aggregate) else None


def resolve_path(path: Path, instance: Instance, globals_: Instance) -> Target | None:
    """What a name stands for in an instance; the globals are asked after its own names. None: unknown."""
    base = path.base.lower()
    ref: Target | None = instance.scope.get(base)
    if ref is None:
        ref = globals_.scope.get(base)
    if not path.steps:
        return ref
    terms: list[tuple[Path, int, int, int]] = []
    for step in path.steps:
        if isinstance(step, Bit):
            if not isinstance(ref, Leaf) or terms:
                return None
            return BitOf(ref.tag, step.number)
        if isinstance(step, Member):
            ref = member(ref, step.name)
        else:
            if not isinstance(ref, Aggregate) or len(step.subscripts) != len(ref.bounds):
                return None
            ref = _indexed(step, ref, terms)
    if terms:
        return Element(ref.tag, tuple(terms)) if isinstance(ref, Leaf) else Chosen(ref, tuple(terms)) if isinstance(ref, Aggregate) else None
    return ref


def _indexed(step: Index, ref: Aggregate, terms: list[tuple[Path, int, int, int]]) -> Ref | None:
    offset, weight = 0, 1
    for subscript, (low, high) in reversed(list(zip(step.subscripts, ref.bounds, strict=True))):
        if isinstance(subscript, Path):
            terms.append((subscript, low, high, weight * ref.stride))
        elif low <= subscript <= high:
            offset += (subscript - low) * weight
        else:
            return None
        weight *= high - low + 1
    return ref.items[offset]
