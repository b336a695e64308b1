"""A program brought to life: instances made, tags numbered, addresses bound (IEC 61131-3:2013, 6.8)."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from math import isfinite

from msgspec.structs import replace

from whorlograph.model.address import TYPES, address_behind, parse_address
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.chart import ChartBody
from whorlograph.model.ladder import Coil, Contact, InOutVariable, InVariable, LadderBody, OutVariable
from whorlograph.model.limits import DEEPEST, MOST_ELEMENTS, MOST_VARIABLES
from whorlograph.model.literals import cooked, literal, raw
from whorlograph.model.paths import parse_path
from whorlograph.model.place import Notice, Place
from whorlograph.model.program import Pou, PouKind, Program, Variable, VariableKind
from whorlograph.model.steps import segments
from whorlograph.model.tags import Aggregate, ByReference, Instance, Leaf, Ref, Running, Tag
from whorlograph.model.text import TextBody, Var
from whorlograph.model.texts import MOST_LETTERS
from whorlograph.model.types import (
    BOOL,
    ELEMENTARY,
    INT,
    ArrayOf,
    Elementary,
    Enumeration,
    Family,
    Initial,
    ListOf,
    Members,
    Named,
    Simple,
    Structure,
    Subrange,
    TypeRef,
)

from .characters import with_characters
from .chosen_calls import has_chosen, with_chosen
from .connected import connected
from .constants import enumerators, in_pou
from .feedback import feeds_back, with_feedback
from .located import LocatedNames
from .open_arrays import any_length, with_lengths
from .pin_values import names_at
from .results import leaves_results, with_results
from .starting_values import Constants, strangers
from .text_parts import parts
from .unfolding import Unfolding


class _Builder:
    """Numbers the tags while it walks declarations."""

    def __init__(self, program: Program, addressing: str, lengths: frozenset[str], located: LocatedNames, variables: Iterable[Variable]) -> None:
        self.program, self.addressing, self.any_length = program, addressing, lengths
        self.tags: list[Tag] = []
        self.notices: list[Notice] = []
        self.globals = Instance("", "", None)
        self.enumerators = enumerators(program)
        self.unfolding = Unfolding(program)
        self.located = located
        self.constants = Constants(variables)

    def say(self, what: str, effect: str, pou: str = "", line: int = 0) -> None:
        self.notices.append(Notice(Place(self.program.file, line, pou), what, effect))

    def leaf(self, name: str, type_: Elementary, initial: int = 0, **more: object) -> Leaf:
        tag = replace(Tag(len(self.tags), name, type_, initial), **more)
        self.tags.append(tag)
        return Leaf(tag.index)

    def value(self, initial: Initial | None, type_: Elementary, name: str) -> int:
        """Raw bits of an initial value; the type's default where none is given or it cannot be read."""
        if not isinstance(initial, Simple):
            if initial is not None:
                self.say(f"the initial value of {name} is a list", "it starts at its type's default")
            return 0
        text = initial.text
        found = literal(text)
        if found is None:
            number = self.enumerators.get(text.strip().lower(), self.enumerators.get(text.rpartition("#")[2].strip().lower()))
            if number is None:
                self.say(f"initial value {text} of {name} cannot be read", "it starts at its type's default")
                return 0
            return raw(number, type_)
        value = found[1]
        if isinstance(value, str) != (type_.family is Family.STRING):
            self.say(f"initial value {text} of {name} is {'a text' if isinstance(value, str) else 'no text'}", "it starts at its type's default")
            return 0
        if isinstance(value, str):
            return raw(value, type_)
        if type_ == BOOL:
            return int(bool(value))
        if type_.whole and not (isfinite(value) and type_.low <= int(value) <= type_.high):
            self.say(f"initial value {text} of {name} does not fit {type_.name}", "it starts at its type's default")
            return 0
        bits = raw(value if not type_.whole else int(value), type_)
        if type_.family is Family.REAL and not isfinite(float(cooked(bits, type_))):
            self.say(f"initial value {text} of {name} does not fit {type_.name}", "it starts at its type's default")
            return 0
        return bits

    def make(self, name: str, type_: TypeRef, variable: Variable, initial: Initial | None, depth: int = 0) -> Ref | None:
        """What a variable of a type stands for; None where it cannot be made (a notice says why)."""
        variable, initial = self.located.of(name, variable, initial)
        if not isinstance(type_, Named) or type_.name.lower() not in self.program.types:  # what that is decides what a name means
            initial = self.constants.meant(initial, type_)
        more = {"kind": variable.kind, "documentation": variable.documentation, "retain": variable.retain,
                "constant": variable.constant, "result": variable.result}
        if depth > DEEPEST:
            self.say(f"{name.partition('.')[0]} contains itself", "the inner one is left out")
            return None
        if isinstance(type_, Elementary):
            letters = {"low": 0, "high": 1 if type_.name in ("CHAR", "WCHAR") else MOST_LETTERS} if type_.family is Family.STRING else {}
            return self.leaf(name, type_, self.value(initial, type_, name), address=parse_address(variable.address), **more, **letters)
        if isinstance(type_, Subrange) and type_.base.family is not Family.STRING and (type_.low > type_.high or not type_.base.whole):
            what = "goes from more to less" if type_.base.whole else f"is none of {type_.base.name}"
            self.say(f"the range {type_.low}..{type_.high} of {name} {what}", f"it is a {type_.base.name} without limits")
            type_ = type_.base
        if isinstance(type_, Elementary):
            return self.make(name, type_, variable, initial, depth)
        if isinstance(type_, Subrange):
            return self.leaf(name, type_.base, self.value(initial, type_.base, name), low=type_.low, high=type_.high,
                             address=parse_address(variable.address), **more)
        if isinstance(type_, Enumeration):
            own = {one.lower(): number for one, number in type_.values}
            given = own.get(initial.text.rpartition("#")[2].strip().lower()) if isinstance(initial, Simple) else None
            start = given if given is not None else self.value(initial, INT, name) if initial else (type_.values[0][1] if type_.values else 0)
            return self.leaf(name, INT, start, enumeration=type_, address=parse_address(variable.address), **more)
        if isinstance(type_, ArrayOf):
            return self.array(name, type_, variable, initial, depth)
        if isinstance(type_, Structure):
            return self.structure(name, type_, variable, initial, depth)
        return self.named(name, type_, variable, initial, depth)

    def array(self, name: str, type_: ArrayOf, variable: Variable, initial: Initial | None, depth: int) -> Ref | None:
        size = 1
        for low, high in type_.bounds:
            size *= max(0, high - low + 1)
        if size == 0 or size > MOST_ELEMENTS:
            self.say(f"array {name} has {size} elements", "it is left out")
            return None
        starts: list[Initial | None] = []
        if isinstance(initial, ListOf):
            for times, item in initial.items:
                starts += [item] * min(times, size)
            if len(starts) > size:
                self.say(f"{name} has {size} elements and more initial values", "those beyond are passed over", line=variable.line)
        elif initial is not None:
            self.say(f"the initial value of array {name} is no list", "its elements start at their type's default", line=variable.line)
        made = Aggregate(len(self.tags), type_.bounds)
        places = self.places(name, type_, variable, size)
        for offset in range(size):
            subscripts, rest = [], offset
            for low, high in reversed(type_.bounds):
                subscripts.append(low + rest % (high - low + 1))
                rest //= high - low + 1
            label = f"{name}[{','.join(str(s) for s in reversed(subscripts))}]"
            before = len(self.tags)
            item_ref = self.make(label, type_.base, replace(variable, address=places[offset] if places else ""),
                                 starts[offset] if offset < len(starts) else None, depth + 1)
            if item_ref is None:
                return None
            made.items.append(item_ref)
            made.stride = max(1, len(self.tags) - before)
        made.cells = len(self.tags) - made.first
        return made

    def places(self, name: str, type_: ArrayOf, variable: Variable, size: int) -> list[str]:
        """The address of each element of an array at an address: one behind the other; [] without one."""
        first = parse_address(variable.address)
        if first is None:
            return []
        base, cells = self.plain(type_.base), 1
        while isinstance(base, ArrayOf):
            for low, high in base.bounds:
                cells *= max(0, high - low + 1)
            base = self.plain(base.base)
        held = base.base if isinstance(base, Subrange) else INT if isinstance(base, Enumeration) else base
        found = [address_behind(first, offset * cells, held.bits, self.addressing) for offset in range(size)] \
            if isinstance(held, Elementary) and held.family is not Family.STRING else [None]
        if None in found:
            self.say(f"array {name} lies at {first}, which is not of its elements' width", "its elements are tags without an address",
                     line=variable.line)
            return []
        return [str(one) for one in found]

    def plain(self, type_: TypeRef) -> TypeRef:
        """What a name of a type stands for."""
        for _ in range(DEEPEST):
            declared = self.program.types.get(type_.name.lower()) if isinstance(type_, Named) else None
            if declared is None:
                break
            type_ = declared
        return type_

    def structure(self, name: str, type_: Structure, variable: Variable, initial: Initial | None, depth: int) -> Ref:
        given = self.members(name, initial, {part.name.lower() for part in type_.fields}, variable.line)
        made = Aggregate(len(self.tags))
        if parse_address(variable.address) is not None:
            self.say(f"structure {name} lies at {variable.address}, and how its members lie there is nowhere said",
                     "its members are tags without an address", line=variable.line)
        for part in type_.fields:
            ref = self.make(f"{name}.{part.name}", part.type, replace(variable, address=""),
                            given.get(part.name.lower(), part.initial), depth + 1)
            if ref is not None:
                made.fields[part.name.lower()] = ref
        made.cells = len(self.tags) - made.first
        return made

    def named(self, name: str, type_: Named, variable: Variable, initial: Initial | None, depth: int) -> Ref | None:
        declared = self.program.types.get(type_.name.lower())
        if declared is not None:
            return self.make(name, declared, variable, initial if initial is not None else self.program.defaults.get(type_.name.lower()), depth + 1)
        standard = STANDARD_BLOCKS.get(type_.name.upper())
        pou = self.program.pous.get(type_.name.lower())
        if pou is not None and pou.kind is PouKind.FUNCTION_BLOCK:
            return self.instance(name, pou, depth + 1, given=initial)
        if standard is None:
            why = "takes an array of any length, and is not handed arrays of one" if type_.name.lower() in self.any_length else "is not known"
            self.say(f"{name} is of type {type_.name}, which {why}", "what uses it is left out", line=variable.line)
            return None
        made = Instance(name, type_.name.upper(), None, first=len(self.tags))
        start = self.members(name, initial, {pin.lower() for pins in standard for pin, _ in pins}, variable.line)
        for pins, kind in zip(standard, (VariableKind.INPUT, VariableKind.OUTPUT), strict=True):
            for pin, pin_type in pins:
                given = self.constants.meant(start.get(pin.lower()), pin_type)
                made.scope[pin.lower()] = self.leaf(f"{name}.{pin}", pin_type, self.value(given, pin_type, name), kind=kind, computed=pin == "ET")
        made.count = len(self.tags) - made.first
        return made

    def room_for(self, variable: Variable, pou: str = "") -> bool:
        """Whether what a variable unfolds to can be made; said where not."""
        count = self.unfolding.of(variable.type)
        if len(self.tags) + count <= MOST_VARIABLES:
            return True
        self.say(f"{variable.name} unfolds to {count if count < 10**15 else 'over 10^15'} variables, beyond the {MOST_VARIABLES:,} that can be run",
                 "it is left out", pou, variable.line)
        return False

    def instance(self, name: str, pou: Pou, depth: int = 0, given: Initial | None = None) -> Instance:
        """An instance of a program or of a function block of the file's own."""
        made = Instance(name, pou.name, pou, first=len(self.tags))
        start = self.members(name, given, {v.name.lower() for v in pou.variables}, 0)
        with self.constants.within(pou.variables):
            self.variables_of(made, name, pou, start, depth)
        made.count = len(self.tags) - made.first
        if isinstance(pou.body, ChartBody):
            self.step_times(made, pou.body)
        return made

    def members(self, name: str, initial: Initial | None, known: Collection[str], line: int) -> dict[str, Initial]:
        """Initial values by member in lower case; what is no member, and what is no such list, is said."""
        for stranger in strangers(initial, known):
            self.say(f"an initial value is given to {name}.{stranger}, which there is not", "it is passed over", line=line)
        if initial is not None and not isinstance(initial, Members):
            self.say(f"the initial value of {name} is no list of members", "they start as they are declared", line=line)
        return {m.lower(): v for m, v in initial.items} if isinstance(initial, Members) else {}

    def variables_of(self, made: Instance, name: str, pou: Pou, start: dict[str, Initial], depth: int) -> None:
        """Make the variables of an instance. Args: start: what they start with by the declaration of the instance."""
        for variable in pou.variables:
            key = variable.name.lower()
            if key in made.scope:
                self.say(f"{variable.name} is declared twice", "the first counts", pou.name, variable.line)
            elif variable.kind is VariableKind.EXTERNAL:
                ref = self.globals.scope.get(key)
                if ref is not None:
                    made.scope[key] = ref
                    made.outside.add(key)
            elif not depth and not self.room_for(variable, pou.name):
                continue
            elif variable.kind is VariableKind.IN_OUT:
                made.scope[key] = self.by_reference(variable, depth)
            else:
                ref = self.make(f"{name}.{variable.name}" if name else variable.name, variable.type, variable,
                                start.get(key, variable.initial), depth)
                if ref is not None:
                    made.scope[key] = ref

    def step_times(self, made: Instance, body: ChartBody) -> None:
        """The time since a chart's step became active, ``Step.T``, is what its timer has elapsed (IEC 61131-3:2013, 6.7.2)."""
        for step in body.chart.steps:
            ref = made.scope.get(step.name.lower())
            timer = ref.fields.get("timer") if isinstance(ref, Aggregate) else None
            elapsed = timer.scope.get("et") if isinstance(timer, Instance) else None
            if isinstance(ref, Aggregate) and isinstance(elapsed, Leaf):
                ref.fields["t"] = elapsed
                self.tags[elapsed.tag] = replace(self.tags[elapsed.tag], name=f"{made.name}.{step.name}.T")

    def by_reference(self, variable: Variable, depth: int) -> ByReference:
        """A VAR_IN_OUT with the shape of its type, whose leaves exist nowhere."""
        kept, self.tags = self.tags, []
        shape = self.make(variable.name, variable.type, variable, None, depth + 1)
        tags, self.tags = tuple(self.tags), kept
        return ByReference(variable.name, shape, tags)

    def make_globals(self, variables: Iterable[Variable]) -> dict[str, Aggregate]:
        """Tags for the globals. Returns: by the name of a section, in lower case, those that stand in it, which are called by it too."""
        groups: dict[str, Aggregate] = {}
        for variable in variables:
            key = variable.name.lower()
            twin = key in self.globals.scope
            group = groups.setdefault(variable.group.lower(), Aggregate(len(self.tags))) if variable.group else None
            if twin and (group is None or key in group.fields):
                self.say(f"global {variable.name} is declared twice", "the first counts", line=variable.line)
                continue
            if variable.address and parse_address(variable.address) is None:
                self.say(f"address {variable.address} of {variable.name} cannot be read", "it is a tag without an address", line=variable.line)
            name = f"{variable.group}.{variable.name}" if twin else variable.name  # the first of that name is called without its section too
            ref = self.make(name, variable.type, variable, variable.initial) if self.room_for(variable) else None
            if ref is not None:
                self.globals.scope.setdefault(key, ref)
                if group is not None:
                    group.fields[key] = ref
        for called, group in groups.items():
            self.globals.scope.setdefault(called, group)
        return groups

    def missing_globals(self, pous: list[Pou]) -> None:
        """Tags for externals that no global stands for, before any instance: instances of one POU are to lie alike in memory."""
        for pou in pous:
            for variable in pou.variables:
                key = variable.name.lower()
                if variable.kind is not VariableKind.EXTERNAL or key in self.globals.scope:
                    continue
                self.say(f"{variable.name} is external, but no global has that name", "taken as a tag of its own", pou.name, variable.line)
                if not self.room_for(variable, pou.name):
                    continue
                ref = self.make(variable.name, variable.type, replace(variable, kind=VariableKind.GLOBAL), variable.initial)
                if ref is not None:
                    self.globals.scope[key] = ref

    def loose_names(self, instances: list[Instance]) -> None:
        """Tags for direct addresses and undeclared names that bodies use."""
        declared = {str(t.address): t.index for t in self.tags if t.address is not None}
        done: set[str] = set()
        for one in instances:
            if one.pou is None or one.type_name in done:
                continue
            done.add(one.type_name)
            texts = [b for b in segments(one.pou.body) if isinstance(b, TextBody) and (b is not one.pou.body or b.may_hold("%"))]
            statements = [s for b in texts for s in b.statements]
            for base in dict.fromkeys(p.base for s in statements for p in parts(s) if isinstance(p, Var) and p.base.startswith("%")):
                self.direct(base, declared)
            own = _own_names(one)
            for text, guess in dict.fromkeys(n for b in segments(one.pou.body) if isinstance(b, LadderBody) for n in _names(b)):
                path = parse_path(text)
                if path is None:
                    continue
                if path.base.startswith("%"):
                    self.direct(path.base, declared)
                elif path.base.lower() not in own and path.base.lower() not in self.globals.scope:
                    if not path.steps and (text.strip().lower() in self.enumerators or in_pou(one.pou.name, text) in self.enumerators):
                        continue
                    if path.steps:
                        self.say(f"{text} is used, {path.base} is not declared", "the element has no effect", one.type_name)
                        continue
                    self.say(f"{text} is used but not declared", f"taken as a global {guess.name}", one.type_name)
                    self.globals.scope[path.base.lower()] = self.leaf(path.base, guess, kind=VariableKind.GLOBAL)

    def direct(self, text: str, declared: dict[str, int]) -> None:
        address = parse_address(text)
        if address is None or text.lower() in self.globals.scope:
            return
        key = str(address)
        if key in declared:
            self.globals.scope[text.lower()] = Leaf(declared[key])
            return
        leaf = self.leaf(key, ELEMENTARY[TYPES[address.size]], address=address, kind=VariableKind.GLOBAL)
        declared[key] = leaf.tag
        self.globals.scope[text.lower()] = leaf
        self.globals.scope.setdefault(key.lower(), leaf)


def _own_names(one: Instance) -> set[str]:
    own = set(one.scope)
    if one.pou is not None:
        own |= {v.name.lower() for v in one.pou.variables} | {one.pou.name.lower()}
    return own


def _names(body: LadderBody) -> list[tuple[str, Elementary]]:
    texts: dict[tuple[str, bool, Elementary], int] = {}
    for element in body.elements:
        if isinstance(element, (Contact, Coil)):
            texts.setdefault((element.variable, False, BOOL), element.id)
        elif isinstance(element, (InVariable, OutVariable, InOutVariable)):
            texts.setdefault((element.expression, isinstance(element, InVariable), INT), element.id)
    return [name for (text, value, guess), at in texts.items() if guess is BOOL or literal(text) is None for name in names_at(text, at, value, guess)]


def elaborate(program: Program, resource: str = "", addressing: str = "byte") -> tuple[Running, list[Notice]]:
    """Make the instances of the resource that runs, and number their tags.

    Args: addressing: how sized addresses follow one another, "byte" or "element".
    Returns: what runs, and what could not be made. Source: CONTROLLER.md, Memory; DESIGN section 7.
    """
    lengths = any_length(program)
    program = with_lengths(with_characters(program, resource), resource)
    running, notices = _elaborate(program, resource, addressing, lengths)
    for needed, changed in ((has_chosen, with_chosen), (leaves_results, with_results), (feeds_back, with_feedback)):
        if any(needed(p) for p in program.pous.values()):
            program = changed(program, running)
            running, notices = _elaborate(program, resource, addressing, lengths)
    return running, notices


def _elaborate(program: Program, resource: str, addressing: str, lengths: frozenset[str]) -> tuple[Running, list[Notice]]:
    resource_run, variables = program.chosen(resource)
    build = _Builder(program, addressing, lengths, LocatedNames(program, resource_run), variables)
    groups = build.make_globals(variables)
    build.missing_globals(list(program.pous.values()))
    programs = []
    for one in resource_run.instances:
        pou = program.pous.get(one.pou.lower())
        if pou is None:
            build.say(f"instance {one.name} is of {one.pou}, which is not in the file", "it does not run")
            continue
        if pou.kind is not PouKind.PROGRAM:
            build.say(f"instance {one.name} is of {pou.name}, a {pou.kind}", "it runs as if it were a program")
        made = build.instance(one.name, pou)
        made.task = one.task
        around = connected(one, made, pou, program.file, frozenset(build.globals.scope), len(build.tags))
        for what in around.refused:
            build.say(f"the configuration connects something to program {one.name}: {what}", "it is not connected", line=one.line)
        programs += [*around.before, made, *around.behind]
    running = Running(build.tags, build.globals, programs, any_length=lengths)
    functions = [p for p in program.pous.values() if p.kind is PouKind.FUNCTION]
    running.enumerators = build.enumerators
    build.loose_names([*running.instances(), *(Instance(p.name, p.name, p) for p in functions)])
    running.public = len(build.tags)
    for one_said in build.located.unknown():
        build.say(f"the configuration says something of {one_said.path}, which is no variable of what runs", "that is passed over",
                  line=one_said.line)
    names: dict[str, int] = {}
    for pou in functions:
        made = build.instance(pou.name, pou)
        if pou.returns is not None and pou.name.lower() not in made.scope:
            result = build.make(f"{pou.name}.{pou.name}", pou.returns, Variable(pou.name, pou.returns, VariableKind.OUTPUT), None)
            if result is not None:
                made.scope[pou.name.lower()] = result
        made.count = len(build.tags) - made.first
        running.functions[pou.name.lower()] = made
    for tag in build.tags[:running.public]:
        names.setdefault(tag.name.lower(), tag.index)
    for called, group in groups.items():
        for member, ref in group.fields.items():
            if isinstance(ref, Leaf):
                names.setdefault(f"{called}.{member}", ref.tag)
    running.by_name = names
    return running, build.notices
