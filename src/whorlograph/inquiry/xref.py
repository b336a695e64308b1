"""The cross-reference: where every tag is read and written, how, what decides it and what it decides."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

from msgspec import Struct

from whorlograph.engine.access import How, Use
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import system_tags
from whorlograph.engine.scope.overlap import shared_bits
from whorlograph.engine.scope.text_parts import parts
from whorlograph.model.iolist import IoList, Point
from whorlograph.model.paths import parse_path
from whorlograph.model.program import written_name
from whorlograph.model.steps import Step
from whorlograph.model.tags import Leaf, Tag, resolve_path
from whorlograph.model.text import Assign
from whorlograph.model.word_parts import own_reads

from .languages import words_of

PLAIN_WRITES = frozenset(("coil", "negated coil", "rising coil", "falling coil", "block output"))


class Usage(Struct, frozen=True):
    """One use of a tag for a person: where it stands, how it is used.

    ``step`` -1: in a task's declaration. ``role`` is the trade's word; ``leads`` names the jump or return that
    hangs on it ("" where none does); ``line``: of a text, where it is another than the statement's own, else 0.
    """

    use: Use
    pou: str
    instance: str
    rung: int
    task: str
    role: str
    comment: str
    leads: str = ""
    line: int = 0

    @property
    def writes(self) -> bool:
        """Whether it writes."""
        return self.use.writes

    @property
    def how(self) -> str:
        """The role with what hangs on it."""
        return f"{self.role}, {self.leads}" if self.leads else self.role

    @property
    def told(self) -> str:
        """The same with the line."""
        return f"{self.how}, line {self.line}" if self.line else self.how


class Entry(Struct, frozen=True):
    """All about one tag. ``oddities`` are what looks odd: "never written", "never read", "written in 2 places"."""

    tag: Tag
    point: Point | None
    reads: tuple[Usage, ...]
    writes: tuple[Usage, ...]
    shares: tuple[int, ...]
    oddities: tuple[str, ...]

    @property
    def description(self) -> str:
        """In words: the I/O list's, else the program's."""
        return (self.point.description if self.point is not None else "") or self.tag.documentation


@dataclass
class Xref:
    """The cross-reference of a program."""

    controller: Controller
    iolist: IoList
    logged: frozenset[int] = frozenset()
    _decided: dict[int, list[tuple[str, list[Use]]]] = field(default_factory=dict)
    _known: dict[int, Entry] = field(default_factory=dict)
    _kept: dict[int, frozenset[int]] = field(default_factory=dict)

    def uses(self, tag: int) -> list[Use]:
        """The uses of a tag, in order of steps."""
        return self.controller.access.of_tag(tag)

    @cached_property
    def shares(self) -> dict[int, tuple[int, ...]]:
        """The tags that share bits with each tag."""
        running = self.controller.running
        found = shared_bits(running.tags[:running.public], self.controller.profile.addressing)
        return {tag: tuple(dict.fromkeys(s.other for s in shares)) for tag, shares in found.items()}

    @cached_property
    def _triggers(self) -> dict[int, list[Usage]]:
        """Uses in the declarations of tasks."""
        running = self.controller.running
        chosen, _ = self.controller.program.chosen(self.controller.resource)
        found: dict[int, list[Usage]] = {}
        for task in chosen.tasks:
            for text, role in ((task.single, "task trigger"), (task.interval, "task interval")):
                path = parse_path(text) if text else None
                target = resolve_path(path, running.scope, running.scope) if path is not None else None
                if isinstance(target, Leaf):
                    place = Usage(Use(target.tag, -1, 0, How.READ, False), "", "", 0, task.name, role, f"of task {task.name}")
                    found.setdefault(target.tag, []).append(place)
        return found

    def place(self, use: Use) -> Usage:
        """A use for a person."""
        step = self.controller.steps.all[use.step]
        leads = "" if use.writes else next((said for said, reads in self._conditions(step) if use in reads), "")
        instance = step.instance.name if written_name(step.instance.name) != step.pou else ""
        line = words_of(step).line(step, use.element)
        return Usage(use, step.pou, instance, step.rung.number, self._tasks.get(step.instance.name.partition(".")[0].lower(), ""),
                     words_of(step).role(step, use), step.rung.comment, leads, line if line > step.rung.number else 0)

    @cached_property
    def _tasks(self) -> dict[str, str]:
        """The task of each program, by its instance's name in lower case."""
        return {p.name.lower(): p.task for p in self.controller.running.programs}

    def _conditions(self, step: Step) -> list[tuple[str, list[Use]]]:
        """The jumps and returns of a step, in words, with the reads that decide them."""
        if step.index not in self._decided:
            words = words_of(step)
            found = ((words.condition(step, element), reads) for element, reads in self.controller.access.conditions(step.index).items())
            self._decided[step.index] = [(said, reads) for said, reads in found if said]
        return self._decided[step.index]

    def entry(self, tag: int) -> Entry:
        """All about one tag, found out once."""
        if tag not in self._known:
            self._known[tag] = self._found_out(tag)
        return self._known[tag]

    def description(self, tag: int) -> str:
        """A tag in words: the I/O list's, else the program's."""
        point = self.iolist.get(tag)
        return (point.description if point is not None else "") or self.controller.running.tags[tag].documentation

    def _found_out(self, tag: int) -> Entry:
        running = self.controller.running
        used = [u for u in self.uses(tag) if u.writes or u.element not in self._keeping(u.step)]
        found = {(p.use.step, p.use.element, p.role, p.writes): p for p in reversed([self.place(u) for u in used])}
        places = list(reversed(found.values()))
        reads = tuple(p for p in places if not p.writes) + tuple(self._triggers.get(tag, ()))
        writes = tuple(p for p in places if p.writes)
        shares = self.shares.get(tag, ())
        return Entry(running.tags[tag], self.iolist.get(tag), reads, writes, shares, self._oddities(tag, reads, writes, shares))

    def _keeping(self, step: int) -> frozenset[int]:
        """The nodes of a step by which a word keeps its other bits where a part of it is written."""
        if step not in self._kept:
            statement = self.controller.steps.all[step].rung.statement
            found = (part for part in parts(statement) if isinstance(part, Assign)) if statement is not None else ()
            self._kept[step] = frozenset(at for one in found for at in own_reads(one))
        return self._kept[step]

    def _oddities(self, tag: int, reads: tuple[Usage, ...], writes: tuple[Usage, ...], shares: tuple[int, ...]) -> tuple[str, ...]:
        one = self.controller.running.tags[tag]
        area = one.address.area if one.address is not None else ""
        marks = []
        written = bool(writes) or any(u.writes for s in shares for u in self.uses(s))
        if not written and area != "I" and tag not in self.logged and not one.constant and tag not in self.driven:
            marks.append("never written")
        if not reads and area != "Q" and not any(p.use.how is How.BLOCK for p in writes) and not any(self.uses(s) for s in shares):
            marks.append("never read")
        spots = {(p.use.step, p.use.element) for p in writes if p.role in PLAIN_WRITES}
        if len(spots) > 1 or (spots and any(p.role in ("set", "reset") for p in writes)):
            marks.append(f"written in {len({(p.use.step, p.use.element) for p in writes})} places")
        return tuple(marks)

    def entries(self) -> list[Entry]:
        """All tags that a person declared, by name; pins of blocks only where the program names them."""
        return [self.entry(tag) for tag in self.declared]

    @cached_property
    def declared(self) -> list[int]:
        """The numbers of the same tags: at hand at once, also of a large program."""
        running = self.controller.running
        shown = [t for t in running.tags[:running.public] if t.listed and (t.index not in self._pins or self._named_pin(t.index))]
        return [t.index for t in sorted(shown, key=lambda t: (t.name.lower(), t.name))]

    @cached_property
    def driven(self) -> set[int]:
        """The tags that the controller itself drives."""
        return system_tags(self.controller.running, self.controller.profile)

    @cached_property
    def _pins(self) -> frozenset[int]:
        return self.controller.running.block_pins()

    def _named_pin(self, tag: int) -> bool:
        """Whether the program reads or writes a block's pin by its name."""
        return any(u.how is not How.BLOCK for u in self.uses(tag))

    def decides(self, tag: int) -> list[int]:
        """The tags that some step writes by what it reads of this one; those too that are written where it lets steps run."""
        found: dict[int, None] = {}
        for step in dict.fromkeys(u.step for u in self.uses(tag) if not u.writes):
            for write, reads in self.controller.access.hangs_on(step):
                if any(r.may_be(tag) for r in reads):
                    found |= dict.fromkeys(t for t in write.tags() if t != tag)
            for element, reads in self.controller.access.conditions(step).items():
                if any(r.may_be(tag) for r in reads):
                    for led in self.led(step, element):
                        found |= dict.fromkeys(t for u in self.controller.access.of_step(led) if u.writes for t in u.tags() if t != tag)
        return self._named(found)

    def led(self, step: int, element: int) -> list[int]:
        """The steps that a jump, return or call lets run, or leaves out."""
        calls, flag = self.controller.calls, self.controller.steps.flags.get((step, element))
        if flag is None:
            return []
        number = calls.instance_of[step]
        for leaving in calls.exits[number]:
            if leaving.flag == flag.number:
                low, high = sorted((leaving.step + 1, leaving.target))
                return list(range(low, high))
        return [inner for called in self._called.get(flag.number, ()) for inner in self._steps_of.get(called, ())]

    @cached_property
    def _called(self) -> dict[int, list[int]]:
        """By the flag of a call: the instances that it executes."""
        found: dict[int, list[int]] = {}
        for called, callers in self.controller.calls.callers.items():
            for flag in dict.fromkeys(c.flag for c in callers):
                found.setdefault(flag, []).append(called)
        return found

    @cached_property
    def _steps_of(self) -> dict[int, list[int]]:
        """By instance: its steps."""
        found: dict[int, list[int]] = {}
        for step, number in self.controller.calls.instance_of.items():
            found.setdefault(number, []).append(step)
        return found

    @cached_property
    def _leading(self) -> dict[int, list[tuple[int, int]]]:
        """By step: the jumps, returns and calls (step, element) that let it run or leave it out."""
        found: dict[int, list[tuple[int, int]]] = {}
        for step, element in self.controller.steps.flags:
            for led in self.led(step, element):
                found.setdefault(led, []).append((step, element))
        return found

    def decided_by(self, tag: int) -> list[int]:
        """The tags that steps read which write this one by them."""
        found: dict[int, None] = {}
        for step in dict.fromkeys(u.step for u in self.uses(tag) if u.writes):
            for write, reads in self.controller.access.hangs_on(step):
                if write.may_be(tag):
                    found |= dict.fromkeys(t for r in reads for t in r.tags() if t != tag)
            for leading, element in self._leading.get(step, ()):
                reads = self.controller.access.conditions(leading).get(element, [])
                found |= dict.fromkeys(t for r in reads for t in r.tags() if t != tag)
        return self._named(found)

    def _named(self, tags: dict[int, None]) -> list[int]:
        """Without functions' own variables, and without pins of blocks that nothing reads by name."""
        return [t for t in tags if t < self.controller.running.public
                and (t not in self._pins or self._named_pin(t))]

    def outputs(self, tag: int) -> list[int]:
        """The points at %Q that hang on this tag, however many rungs away."""
        return self._far(tag, self.decides, "Q")

    def inputs(self, tag: int) -> list[int]:
        """The points at %I that this tag hangs on, however many rungs away."""
        return self._far(tag, self.decided_by, "I")

    def _far(self, tag: int, near: Callable[[int], list[int]], area: str) -> list[int]:
        seen, todo, found = {tag}, [tag], []
        tags = self.controller.running.tags
        while todo:
            one = todo.pop(0)
            address = tags[one].address
            if one != tag and address is not None and address.area == area:
                found.append(one)
            for other in near(one):
                if other not in seen:
                    seen.add(other)
                    todo.append(other)
        return found
