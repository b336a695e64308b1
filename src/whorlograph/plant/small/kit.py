"""What a small case is made of: points, rungs, people and machines that answer late."""

from __future__ import annotations

import heapq
import re
import tempfile
from collections.abc import Iterable, Mapping
from pathlib import Path

from msgspec import Struct, field

from whorlograph.engine.controller import Controller
from whorlograph.engine.coupling import Change, run_coupled
from whorlograph.engine.recorded import output_changes
from whorlograph.formats.profile import read_profile
from whorlograph.formats.programs.st import read
from whorlograph.formats.text.body import text_body
from whorlograph.model.ladder import Block, LadderBody
from whorlograph.model.literals import raw
from whorlograph.model.profile import Profile
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Task, Variable, VariableKind
from whorlograph.model.question import Symptom
from whorlograph.model.types import BOOL, ELEMENTARY, ArrayOf, ListOf, Named, Simple, TypeRef

from ..written import body_of

MS = 1_000_000
EVERYDAY = ("Fault_Long", "Test_Long", "Many_Faults")  # memory of what stands in every small program


class Point(Struct, frozen=True):
    """One point at %I or %Q: as a line ``tag, device, place/terminal, wiring, description``."""

    tag: str
    device: str
    location: str
    terminal: str
    wiring: str
    description: str

    @classmethod
    def of(cls, line: str) -> Point:
        """A point from its line."""
        tag, device, where, wiring, description = (p.strip() for p in line.split(",", 4))
        location, _, terminal = where.partition("/")
        return cls(tag, device, location, terminal, wiring, description)


class Answer(Struct, frozen=True):
    """An input that follows an output, later: a contactor's auxiliary, an end switch. ``only``: ms windows in which it works, all if empty."""

    output: str
    tag: str
    on: int
    off: int
    only: tuple[tuple[int, int], ...] = ()
    inverted: bool = False

    def works(self, now: int) -> bool:
        """Whether it works at a time (ns)."""
        return not self.only or any(a * MS <= now < b * MS for a, b in self.only)


class SmallCase(Struct, frozen=True):
    """A case: its rungs by POU, points, memory (``name`` or ``name: TYPE = value``), what people and machines do, and what must be found.

    ``texts``: programs in Structured Text: the blocks they need (``Name: TON``, apart by commas) and the body; they come before the rungs.
    ``source``: all POUs as a text file has them; the case ships as one.
    ``script``: (ms, tag, value); ``every``: (first ms, period, count, tag, ms on): pulses; ``root``: kind and tag that must rank first.
    """

    name: str
    title: str
    complaint: str
    tag: str
    root: tuple[str, str | None]
    links: tuple[str, ...]
    teach: tuple[str, str]
    pous: dict[str, tuple[str, ...]]
    inputs: tuple[str, ...]
    outputs: tuple[str, ...]
    script: tuple[tuple[int, str, int], ...]
    end: int
    memory: tuple[str, ...] = ()
    symptom: Symptom | None = None
    at: int | None = None
    answers: tuple[Answer, ...] = ()
    every: tuple[tuple[int, int, int, str, int], ...] = ()
    tasks: dict[str, Task] = field(default_factory=dict)
    blocks: tuple[str, ...] = ()
    recorded: tuple[tuple[int, str, int], ...] = ()
    record: tuple[str, ...] = ()
    profile: str = 'scan_time = "10ms"\n'
    unlogged: tuple[str, ...] = ()
    texts: dict[str, tuple[str, str]] = field(default_factory=dict)
    source: str = ""

    @property
    def points(self) -> list[tuple[Point, str]]:
        """The points with their addresses."""
        found = []
        for area, lines in (("I", self.inputs), ("Q", self.outputs)):
            found += [(Point.of(line), f"%{area}X{n // 8}.{n % 8}") for n, line in enumerate(lines)]
        return found


def text_of(case: SmallCase) -> str:
    """The case's program as a text file, with its points and memory."""
    declared = [(f"{p.tag} AT {address} : BOOL;", p.description) for p, address in case.points]
    declared += [(f"{v.name} : {getattr(v.type, 'name', '')};", v.documentation) for v in map(_memory, case.memory)]
    lines = [f"  {text}  // {said}" if said else f"  {text}" for text, said in declared]
    programs = [f"  PROGRAM {name} : {name};" for name in re.findall(r"^PROGRAM (\w+)", case.source, re.MULTILINE)]
    return "\n".join([case.source, "CONFIGURATION Plant", "VAR_GLOBAL", *lines, "END_VAR", "RESOURCE Controller ON Unit", *programs, "END_RESOURCE",
                      "END_CONFIGURATION", ""])


def program_of(case: SmallCase) -> Program:
    """The case's controller program."""
    if case.source:
        return read(text_of(case).encode(), Path(f"{case.name}.st")).value
    variables = [Variable(p.tag, BOOL, VariableKind.GLOBAL, address, None, documentation=p.description) for p, address in case.points]
    variables += [_memory(line) for line in (*case.memory, *EVERYDAY)]
    pous: dict[str, Pou] = {}
    instances: list[ProgramInstance] = []
    for name, (blocks, text) in case.texts.items():
        named = (one.split(":") for one in blocks.split(",") if one.strip())
        variables_of = tuple(Variable(i.strip(), Named(t.strip()), VariableKind.LOCAL) for i, t in named)
        pous[name.lower()] = Pou(name, PouKind.PROGRAM, variables_of, text_body(text))
        instances.append(ProgramInstance(name, name, ""))
    for name, lines in case.pous.items():
        body = body_of(*lines)
        own = [Variable(i, Named(t), VariableKind.LOCAL) for i, t in _blocks(body)]
        called = name in case.blocks
        external = [Variable(v.name, v.type, VariableKind.EXTERNAL) for v in variables] if called else []
        pous[name.lower()] = Pou(name, PouKind.FUNCTION_BLOCK if called else PouKind.PROGRAM, (*own, *external), body)
        if not called:
            instances.append(ProgramInstance(name, name, case.tasks[name].name if name in case.tasks else ""))
    tasks = tuple({t.name: t for t in case.tasks.values()}.values())
    resource = Resource("Controller", tuple(instances), tasks)
    return Program(case.title, {}, pous, (Configuration("Plant", (resource,), tuple(variables)),), f"{case.name}.xml")


def _memory(line: str) -> Variable:
    """``Name``, ``Name: INT``, ``Name: INT = 5``, ``Name: WORD[4] = 1 2 4 8``; behind ``#`` what it is."""
    declared, _, said = line.partition("#")
    name, _, rest = declared.partition(":")
    kind, _, start = rest.partition("=")
    kind = kind.strip() or "BOOL"
    base, _, size = kind.partition("[")
    type_: TypeRef = ELEMENTARY[base]
    initial: Simple | ListOf | None = Simple(start.strip()) if start.strip() else None
    if size:
        type_ = ArrayOf(((0, int(size.rstrip("]")) - 1),), ELEMENTARY[base])
        initial = ListOf(tuple((1, Simple(v)) for v in start.split()))
    return Variable(name.strip(), type_, VariableKind.GLOBAL, "", initial, documentation=said.strip())


def _blocks(body: LadderBody) -> list[tuple[str, str]]:
    """(instance, type) of the blocks that a body needs."""
    return list(dict.fromkeys((e.instance, e.type_name) for e in body.elements if isinstance(e, Block) and e.instance))


class Machine:
    """People at work by a script, and inputs that answer outputs late."""

    def __init__(self, case: SmallCase) -> None:
        self.case = case
        self.due: list[tuple[int, int, str, int]] = []
        self.known: dict[str, int] = {}
        self.count = 0
        for time, tag, value in case.script:
            # Nobody presses a button on the tick of a clock.
            self._put(time * MS + (self.count * 7919 % 9) * MS if time else 0, tag, value)
        for first, period, count, tag, lasting in case.every:
            for n in range(count):
                start = first + n * period + self.count * 7919 % 9
                self._put(start * MS, tag, 1)
                self._put((start + lasting) * MS, tag, 0)

    def _put(self, time: int, tag: str, value: int) -> None:
        self.count += 1
        heapq.heappush(self.due, (time, self.count, tag, value))

    def begin(self) -> Iterable[Change]:
        """The inputs at time 0: what the script says, contacts wired normally closed on, answers as if all outputs were off."""
        first = {t: v for time, t, v in self.case.script if time == 0}
        answering = {a.tag: int(a.inverted) for a in self.case.answers}
        start = {p.tag: int(p.wiring == "NC") for p, address in self.case.points if address.startswith("%I")} | answering | first
        self.due = [d for d in self.due if d[0] > 0]
        heapq.heapify(self.due)
        return [(0, tag, value) for tag, value in start.items() if tag not in self.case.unlogged]

    def next_time(self) -> int | None:
        """When something is due."""
        return self.due[0][0] if self.due else None

    def advance(self, now: int) -> Iterable[Change]:
        """What is due by a time."""
        found = []
        while self.due and self.due[0][0] <= now:
            time, _, tag, value = heapq.heappop(self.due)
            found.append((time, tag, value))
        return found

    def outputs(self, now: int, values: Mapping[str, int]) -> None:
        """Answers to outputs that turned."""
        for one in self.case.answers:
            value = int(bool(values.get(one.output, 0)))
            if self.known.get(one.output + one.tag) != value:
                self.known[one.output + one.tag] = value
                if one.works(now) or not value:
                    self._put(now + (one.on if value else one.off) * MS, one.tag, value ^ int(one.inverted))


def log_of(case: SmallCase, program: Program) -> list[Change]:
    """What a recorder would have written of the case: inputs, and the outputs that are recorded, in order of time."""
    profile = profile_of(case)
    controller = Controller(program, profile)
    run = run_coupled(controller, Machine(case), case.end * MS)
    changes = [*run.changes, *output_changes(run.journal, controller.running, case.record)]
    changes = [c for c in changes if c[1] not in {t for _, t, _ in case.recorded}]
    types = {t.name: t.type for t in controller.running.tags[:controller.running.public]}
    changes += [(time * MS, tag, raw(value, types[tag])) for time, tag, value in case.recorded]
    changes.sort(key=lambda c: c[0])
    last = next(c for c in reversed(changes) if c[1] not in case.record)
    return [*changes, (case.end * MS, last[1], last[2])]  # the recorder's last word


def profile_of(case: SmallCase) -> Profile:
    """The case's profile, as its file says."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "profile.toml"
        path.write_text(case.profile, encoding="utf-8")
        return read_profile(path)


def everyday(outputs: Iterable[str], faults: str = "Fault") -> tuple[str, ...]:
    """What stands in most small programs beside the point: a flasher, lamps, a fault that is acknowledged, hours of work."""
    lamps = tuple(f"[{o}|Lamp_Test] (Lamp_{o})  # lamp: {o}" for o in outputs)
    return ("/Flash_B TON:Flash_Ta:T#400ms (Flash)  # flasher", "Flash TON:Flash_Tb:T#400ms (Flash_B)", *lamps,
            f"{faults} TON:Fault_T:T#10s (Fault_Long)  # a fault that nobody looks at",
            f"{faults} [Flash|Fault_Long] (Horn)  # horn while a fault stands", f"Ack (R {faults})  # acknowledge",
            "Lamp_Test TON:Test_T:T#2s (Test_Long)", f"{faults} CTU:Faults:99:Test_Long (Many_Faults)  # faults since the last test")
