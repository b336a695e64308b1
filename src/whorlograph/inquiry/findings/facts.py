"""What findings are made of: a program's writers, paths and points, asked in the words of the trade."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import TypeVar

from msgspec import Struct

from whorlograph.engine.calls import Exit
from whorlograph.engine.code import Expr, Load, Op, Target, Term
from whorlograph.engine.scope.widening import COMPARISONS
from whorlograph.model.chart import ChartBody
from whorlograph.model.iolist import Point
from whorlograph.model.literals import cooked
from whorlograph.model.program import VariableKind
from whorlograph.model.tags import Tag

from ..circuit import MIRRORED, Circuit, Gate
from ..commands import MOST_ELEMENTS, elements
from ..passage import Passage
from ..tracer import Tracer
from ..ways import Need, needs_of
from ..writers import Kind, Writer

MOST_WAYS = 50  # of a coil, that are held against those of another
_FLAGS = 2  # BOOLs that stand for a comparison, one behind another
_Part = TypeVar("_Part", bound=Struct)


class Finding(Struct, frozen=True):
    """Something suspicious: its key, where (POU, rung; step and element, -1 and 0: none), which tag, a sentence, what it can cause.

    ``weight``: 1 may stop or move something, 2 is suspicious, 3 is good to know.
    """

    key: str
    pou: str
    rung: int
    step: int
    element: int
    tag: int | None
    text: str
    effect: str
    weight: int

    @property
    def place(self) -> str:
        """POU and rung."""
        return f"{self.pou} {self.rung}" if self.rung else self.pou


class Compared(Struct, frozen=True):
    """A comparison of a number with a literal: where, how (``tag code value``)."""

    place: Writer
    code: str
    tag: int
    value: int


class Facts:
    """One program. ``replayed``: whether there is a log to take rates from."""

    def __init__(self, tracer: Tracer, replayed: bool) -> None:
        self.tracer, self.replayed = tracer, replayed
        self.logged = tracer.logged
        self._needs: dict[Writer, list[frozenset[Need]]] = {}
        self._passages: dict[int, Passage] = {}

    # words

    def name(self, tag: int | None) -> str:
        """A tag's name."""
        return self.tracer.name(tag)

    def place(self, step: int) -> str:
        """POU and rung of a step."""
        return self.tracer.place(step)

    def listed(self, names: Iterable[str]) -> str:
        """Names in a row, four at most."""
        all_names = list(dict.fromkeys(names))
        if len(all_names) > 4:
            return f"{', '.join(all_names[:4])} and {len(all_names) - 4} more"
        return " and ".join([", ".join(all_names[:-1]), all_names[-1]] if len(all_names) > 1 else all_names)

    def where(self, writers: Iterable[Writer]) -> str:
        """The places of writers."""
        return self.listed(self.place(w.step) for w in writers)

    def finding(self, key: str, writer: Writer | None, tag: int | None, text: str, effect: str, weight: int) -> Finding:
        """A finding at a writer's place."""
        if writer is None:
            return Finding(key, "", 0, -1, 0, tag, text, effect, weight)
        step = self.tracer.steps.all[writer.step]
        return Finding(key, step.pou, step.rung.number, writer.step, writer.element, tag, text, effect, weight)

    # tags

    def tag(self, number: int) -> Tag:
        """A tag by number."""
        return self.tracer.tag(number)

    def point(self, tag: int | None) -> Point | None:
        """A tag's line in the I/O list."""
        return self.tracer.iolist.get(tag) if tag is not None else None

    def from_outside(self, tag: int) -> bool:
        """Whether a tag comes from a card or the log: no rung writes it."""
        address = self.tag(tag).address
        return not self.tracer.writers.get(tag) and ((address is not None and address.area == "I") or tag in self.logged)

    def is_output(self, tag: int) -> bool:
        """Whether a tag is a BOOL point at %Q."""
        address = self.tag(tag).address if tag < self.tracer.running.public else None
        return address is not None and address.area == "Q" and self.tracer.boolean(tag)

    @cached_property
    def outputs(self) -> list[int]:
        """The BOOL points at %Q that are written."""
        return [t for t, _ in self.written() if self.is_output(t)]

    def same_device(self, one: int, other: int) -> bool:
        """Whether the I/O list gives two tags one device."""
        mine, theirs = self.point(one), self.point(other)
        return mine is not None and theirs is not None and bool(mine.device) and mine.device.strip().lower() == theirs.device.strip().lower()

    # writers

    @cached_property
    def _written(self) -> list[tuple[int, list[Writer]]]:
        tracer = self.tracer
        return [(tag, writers) for tag, writers in sorted(tracer.writers.items())
                if tag < tracer.running.public and tag not in tracer.of_charts and not all(w.kind in (Kind.BLOCK, Kind.PIN) for w in writers)
                and self.tag(tag).kind is not VariableKind.INPUT]

    @cached_property
    def charts(self) -> set[str]:
        """The instances of POUs that are charts."""
        return {one.name for one in self.tracer.running.instances() if one.pou is not None and isinstance(one.pou.body, ChartBody)}

    @cached_property
    def uncalled(self) -> list[str]:
        """The instances of the program's own blocks that nothing calls, though what they stand in is executed."""
        calls, program = self.tracer.controller.calls, self.tracer.controller.program
        handed = {str(v.type).lower() for pou in program.pous.values() for v in pou.variables if v.kind is VariableKind.IN_OUT}
        executed = {one.name for number, one in enumerate(calls.code.instances) if one.body >= 0 and (one.runs or calls.callers.get(number))}
        arrays = {name.rpartition("[")[0] for name in executed if name.endswith("]")}  # of which one is called, others are spare
        types = {one.name: one.pou.name for one in self.tracer.running.instances() if one.pou is not None}

        def spare(name: str) -> bool:
            outer = name.rpartition(".")[0]
            return types[name].lower() in handed or name.rpartition("[")[0] in arrays - {""} or bool(outer and outer not in executed)

        return [one.name for one in calls.code.instances if one.body >= 0 and one.name in types and one.name not in executed and not spare(one.name)]

    def written(self) -> Iterator[tuple[int, list[Writer]]]:
        """Every tag that rungs write, with its writers in order of execution; pins and outputs of blocks left out."""
        yield from self._written

    def writers_of(self, tag: int) -> list[Writer]:
        """A tag's writers."""
        return self.tracer.writers.get(tag, [])

    def places(self, writers: list[Writer]) -> list[Writer]:
        """One writer for each place: instances of one POU have theirs in common."""
        found: dict[tuple[str, int, int], Writer] = {}
        for one in writers:
            step = self.tracer.steps.all[one.step]
            found.setdefault((step.pou, step.rung.number, one.element), one)
        return list(found.values())

    def order(self, writer: Writer) -> tuple[int, ...]:
        """A writer's place in the order of execution."""
        return self.tracer.written.turn(writer)

    def needs(self, writer: Writer) -> list[frozenset[Need]]:
        """The ways in which a coil has power, as needs; those that contradict themselves left out."""
        if writer not in self._needs:
            self._needs[writer] = needs_of(self.tracer, writer.step, writer.power, not writer.inverted) if writer.power is not None else []
        return self._needs[writer]

    def exclusive(self, one: Writer, other: Writer) -> bool:
        """Whether two coils never have power in one scan: alternatives of one statement, or rungs that ask a tag in opposite ways."""
        if one.power is None or other.power is None:
            return False
        if one.step == other.step:
            circuit = self.tracer.circuit(one.step)
            ways = [circuit.paths(w.power) for w in (one, other) if w.power is not None]
            return max(len(w) for w in ways) <= MOST_WAYS and all(circuit.exclude(a, b) for a in ways[0] for b in ways[1])
        mine, theirs = self.needs(one), self.needs(other)
        return max(len(mine), len(theirs)) <= MOST_WAYS and all(self._opposites(a, b, one.step, other.step) for a in mine for b in theirs)

    def _opposites(self, one: frozenset[Need], other: frozenset[Need], *steps: int) -> bool:
        """Whether one way asks a tag to be on and another to be off, which nothing can write between the two steps."""
        asked = {n.variable: n.on for n in one if n.tag is not None and not n.edge and not self._may_turn(n.tag, *steps)}
        return any(asked.get(n.variable, n.on) != n.on for n in other)

    def _may_turn(self, tag: int, *steps: int) -> bool:
        """Whether something may write a tag between two steps, from one to the other or in a task of its own."""
        paths, writing = self.tracer.paths, [w.step for w in self.writers_of(tag)]
        first, last = sorted(int(paths.order[step]) for step in steps)
        tasks = {paths.task_of(step) for step in (*steps, *writing)}
        return len(tasks) > 1 or tag in self.tracer.again.shares or any(first <= int(paths.order[step]) < last for step in writing)

    def asked_off(self, tag: int) -> set[int]:
        """The tags that every way of a tag's coils asks to be off."""
        sets = [{n.tag for n in needs if not n.on and n.tag is not None} for w in self.writers_of(tag) if w.kind in (Kind.COIL, Kind.SET)
                for needs in self.needs(w)]
        return set.intersection(*sets) if sets else set()

    def is_read(self, tag: int) -> bool:
        """Whether something reads a tag, or it is a point."""
        return self.tag(tag).address is not None or any(not use.writes for use in self.tracer.controller.access.of_tag(tag))

    def drives(self, tag: int) -> bool:
        """Whether a tag is an output, or some output's coil asks it to be on."""
        return self.is_output(tag) or tag in self._feeding

    @cached_property
    def _feeding(self) -> set[int]:
        return self._asked_by_outputs(on=True)

    @cached_property
    def locking(self) -> set[int]:
        """The tags that some output's coil asks to be off: what stays on there is on the safe side."""
        return self._asked_by_outputs(on=False)

    def _asked_by_outputs(self, on: bool) -> set[int]:
        return {n.tag for output in self.outputs for w in self.writers_of(output) if w.kind in (Kind.COIL, Kind.SET)
                for needs in self.needs(w) for n in needs if n.on == on and n.tag is not None}

    def read_on_elsewhere(self, tag: int | None, step: int) -> bool:
        """Whether another rung's coil asks an input to be on."""
        return any(n.tag == tag and n.on for _, writers in self.written() for w in writers if w.step != step and w.kind is Kind.COIL
                   for needs in self.needs(w) for n in needs)

    # values

    def computed(self, circuit: Circuit, gate: Gate) -> Expr | None:
        """What a gate is computed from, itself or kept while its block is not executed."""
        leaf = circuit.leaves.get(gate.at)
        return circuit.made(circuit.behind(leaf)) if leaf is not None else None

    def load_tag(self, step: int, load: Load) -> int | None:
        """The tag that a value is read from, where it always is the same."""
        cell = self.tracer.cell(load, self.tracer.seen(step, 1))
        return cell.number if cell is not None else None

    def loaded(self, step: int, load: Load) -> list[int]:
        """The tags that a value may be read from: of a computed subscript all elements, none where they are too many."""
        tag = self.load_tag(step, load)
        found = elements(self.tracer, load, tag, self.tracer.seen(step, 1)) if tag is not None else []
        return found if len(found) < MOST_ELEMENTS else []

    def plain_load(self, circuit: Circuit, value: Expr) -> Load | None:
        """The tag that a value is, maybe brought to a wider type."""
        made = circuit.plain(value)
        return made if isinstance(made, Load) else None

    def fixed(self, circuit: Circuit, step: int, value: Expr) -> int | None:
        """The whole number that a value always is: a literal's, or the declared one of a tag that nothing writes."""
        literal, load = circuit.literal(value), self.plain_load(circuit, value)
        if literal is not None:
            return literal.value if isinstance(literal.value, int) else None
        tag = self.load_tag(step, load) if load is not None else None
        if tag is None or tag in self.tracer.writers or tag in self.logged or self.from_outside(tag) or not self.tag(tag).type.whole:
            return None
        return int(cooked(self.tag(tag).initial, self.tag(tag).type))

    def load_name(self, step: int, load: Load) -> str:
        """Its name."""
        tag = self.load_tag(step, load)
        return self.name(tag) if tag is not None else ""

    def guards_of(self, step: int) -> tuple[Expr, ...]:
        """All conditions in a step."""
        return tuple(dict.fromkeys(g for _, guards in self.tracer.written.nodes(step).values() for g in guards))

    def guarded(self, writer: Writer, tags: list[int]) -> bool:
        """Whether the conditions around a writer compare one of some tags with something, themselves or by a BOOL that does."""
        return any(self._compares(writer.step, guard, tags, 0) for guard in writer.guards)

    def _compares(self, step: int, condition: Expr, tags: list[int], depth: int) -> bool:
        circuit = self.tracer.circuit(step)
        for gate in {gate for path in circuit.paths(condition) for gate in path}:
            made = self.computed(circuit, gate)
            if getattr(made, "code", "") in COMPARISONS and any(isinstance(x, Load) and self.load_tag(step, x) in tags for x in circuit.loads(made)):
                return True
            load = circuit.load(gate)
            flag = self.load_tag(step, load) if load is not None and depth < _FLAGS else None
            values = [(w.step, w.power if w.power is not None else w.value) for w in self.writers_of(flag)] if flag is not None else []
            if any(value is not None and self._compares(at, value, tags, depth + 1) for at, value in values):
                return True
        return False

    @cached_property
    def subscripts(self) -> list[tuple[Writer, Target, Term]]:
        """Where elements of arrays are read or written: the place with its conditions, what is chosen from, and the term of the index."""
        found, calls = list[tuple[Writer, Target, Term]](), self.tracer.controller.calls
        for step in sorted(calls.instance_of):
            for target in dict.fromkeys(_parts(calls.code_of(step), Target)):
                for term in target.terms:
                    element = self.tracer.origin(step, term.at).element
                    found.append((Writer(step, term.at, element, Kind.VALUE, guards=self.guards_of(step)), target, term))
        return found

    @cached_property
    def comparisons(self) -> list[Compared]:
        """Where a number is compared with a literal, one for each place and instance."""
        found, calls = list[Compared](), self.tracer.controller.calls
        for step in sorted(calls.instance_of):
            circuit = self.tracer.circuit(step)
            for made in dict.fromkeys(_parts(calls.code_of(step), Op)):
                if made.code not in COMPARISONS or len(made.args) != 2:
                    continue
                code, first, second = made.code, made.args[0], made.args[-1]
                if circuit.literal(first) is not None:
                    code, first, second = MIRRORED.get(code, code), second, first
                literal, load = circuit.literal(second), self.plain_load(circuit, first)
                tag = self.load_tag(step, load) if load is not None else None
                if tag is not None and literal is not None and isinstance(literal.value, int) and not self.tracer.boolean(tag):
                    place = Writer(step, made.at, self.tracer.origin(step, made.at).element, Kind.VALUE)
                    found.append(Compared(place, code, tag, int(literal.value)))
        return found

    @cached_property
    def handed(self) -> dict[int, list[tuple[int, Expr | None]]]:
        """What the calls of the file's functions hand over, by the input's tag: (the step of the call, the value; None where it is left out)."""
        calls, found = self.tracer.controller.calls, dict[int, list[tuple[int, Expr | None]]]()
        for frame in {body.frame for body in calls.code.bodies if body.frame >= 0}:
            given = [(caller.step, dict(caller.call.inputs)) for caller in calls.callers.get(frame, ())]
            for cell in {cell for _, inputs in given for cell in inputs}:
                found[calls.code.instances[frame].own + cell] = [(step, inputs.get(cell)) for step, inputs in given]
        return found

    # ways through a body

    def exits(self) -> Iterator[Exit]:
        """The jumps and returns of each body, of one instance each; those by which a chart passes over actions left out."""
        calls, done = self.tracer.controller.calls, set[int]()
        for number, exits in calls.exits.items():
            body = calls.code.instances[number].body
            if body not in done and calls.code.instances[number].name not in self.charts:
                done.add(body)
                yield from exits

    def passage(self, step: int) -> Passage:
        """The ways through the body of a step."""
        number = self.tracer.controller.calls.instance_of[step]
        if number not in self._passages:
            self._passages[number] = Passage(self.tracer, number)
        return self._passages[number]

    def both_run(self, one: int, other: int) -> bool:
        """Whether two steps may both run in one run of their body; True where they stand in different ones."""
        calls = self.tracer.controller.calls
        if calls.instance_of[one] != calls.instance_of[other] or not calls.exits[calls.instance_of[one]]:
            return True
        return one == other or self.passage(one).both_run(one, other)

    def flag_place(self, one: Exit) -> Writer:
        """A jump or return as a place."""
        element = next((f.element for f in self.tracer.steps.flags.values() if f.number == one.flag), 0)
        return Writer(one.step, 0, element, Kind.VALUE)


def _parts(one: object, kind: type[_Part]) -> Iterator[_Part]:
    """All of a kind that stands in a part of the code, also inside one another."""
    if isinstance(one, tuple):
        for part in one:
            yield from _parts(part, kind)
    elif isinstance(one, Struct):
        if isinstance(one, kind):
            yield one
        for name in one.__struct_fields__:
            yield from _parts(getattr(one, name), kind)
