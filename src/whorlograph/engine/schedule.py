"""Tasks: when each comes due and which programs it runs, read off the program before anything runs (CONTROLLER.md, Scan and tasks)."""

from __future__ import annotations

import re
from collections.abc import Callable
from contextlib import suppress
from decimal import Decimal

from msgspec import Struct
from msgspec.structs import replace

from whorlograph.engine.scope.constants import constant_of
from whorlograph.model.literals import duration
from whorlograph.model.paths import parse_path
from whorlograph.model.place import Notice, Place
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program
from whorlograph.model.program import Task as Declared
from whorlograph.model.tags import BitOf, Leaf, Running, resolve_path
from whorlograph.model.types import Family

Say = Callable[[str, str], None]
MOST_STEPS = 1_000_000  # in one scan; more halt the controller (CONTROLLER.md, Faults)
_XML = re.compile(r"(-?)P(?:0+Y)?(?:0+M)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?$")
_CLOCK = re.compile(r"()()(\d{1,2}):(\d\d):(\d\d(?:\.\d+)?)$")


class Task(Struct, frozen=True):
    """A task that runs programs.

    ``interval`` ns, None where it has none; ``interval_tag`` the tag that gives it instead (in ``unit`` ns);
    ``single`` the tag whose edge it waits for, ``bit`` of it (-1: the whole); ``at_start``: that edge is the first scan.
    ``programs``: numbers of the program instances, in order of declaration.
    """

    number: int
    name: str
    priority: int
    programs: tuple[int, ...]
    interval: int | None = None
    interval_tag: int | None = None
    unit: int = 1
    single: int | None = None
    bit: int = -1
    falling: bool = False
    at_start: bool = False

    @property
    def periodic(self) -> bool:
        """Whether it comes by itself."""
        return self.interval is not None or self.interval_tag is not None


class Schedule(Struct, frozen=True):
    """The tasks in order of declaration, and the numbers of the cyclic programs."""

    tasks: tuple[Task, ...]
    cyclic: tuple[int, ...]

    @property
    def of_program(self) -> dict[int, int]:
        """The task of each program that stands on one, by the program's number."""
        return {i: t.number for t in self.tasks for i in t.programs}

    @property
    def by_name(self) -> dict[str, int]:
        """The number of each task, by name in lower case."""
        return {t.name.lower(): t.number for t in self.tasks}


def duration_of(text: str) -> int | None:
    """Nanoseconds of a duration of XML (``PT0.02S``), with units alone (``20 ms``) or as a clock shows it (``00:00:00.020``); None where the text is
    none. Source: W3C XML Schema, 3.2.6.
    """
    match = _XML.match(text.strip()) or _CLOCK.match(text.strip())
    if match is None or text.strip() in ("P", "-P") or text.strip().endswith("T"):
        with suppress(ValueError):
            return duration("".join(text.split()))
        return None
    sign, days, hours, minutes, seconds = match.groups()
    total = Decimal(int(days or 0) * 86_400 + int(hours or 0) * 3600 + int(minutes or 0) * 60) + Decimal(seconds or 0)
    return (-1 if sign else 1) * int(total * 1_000_000_000)


def make_schedule(program: Program, running: Running, profile: Profile, resource: str = "") -> tuple[Schedule, list[Notice]]:
    """Read the tasks of the resource that runs.

    Returns: the schedule, and what of it cannot be read.
    """
    chosen, _ = program.chosen(resource)
    notices: list[Notice] = []

    def say(what: str, effect: str) -> None:
        notices.append(Notice(Place(program.file), what, effect))

    falling = {n.lower() for n in profile.falling_tasks}
    tasks: list[Task] = []
    known: dict[str, int] = {}
    for declared in chosen.tasks:
        if declared.name.lower() in known:
            say(f"task {declared.name} is declared twice", "the first counts")
            continue
        known[declared.name.lower()] = len(tasks)
        members = tuple(i for i, p in enumerate(running.programs) if p.task.lower() == declared.name.lower())
        task = Task(len(tasks), declared.name, declared.priority, members, falling=declared.name.lower() in falling)
        tasks.append(_timed(task, declared, running, profile, say))
    cyclic = []
    written = {p.name.lower() for p in chosen.instances}  # not what hands parameters to it
    for i, one in enumerate(running.programs):
        if one.task and one.task.lower() not in known and one.name.lower() in written:
            say(f"{one.name} stands on task {one.task}, which is not declared", "it runs once in every scan")
        if one.task.lower() not in known:
            cyclic.append(i)
    for name in falling - set(known):
        say(f"the profile names task {name}, which is not declared", "the setting has no effect")
    return Schedule(tuple(tasks), tuple(cyclic)), notices


def _timed(task: Task, declared: Declared, running: Running, profile: Profile, say: Say) -> Task:
    if declared.interval:
        task = _interval(task, declared.interval, running, say)
    if declared.single:
        found = _tag(declared.single, running)
        if found is None or (found[1] < 0 and running.tags[found[0]].type.family is not Family.BOOL):
            say(f"task {task.name} waits for {declared.single}, which is no BOOL tag", "it never comes due by it")
        else:
            first = running.find(profile.first_scan) if profile.first_scan else None
            task = replace(task, single=found[0], bit=found[1], at_start=first is not None and found[0] == first and not task.falling)
    if task.single is None and not task.periodic and task.programs and not declared.interval and not declared.single:
        say(f"task {task.name} has neither an interval nor a tag to wait for", "its programs never run")
    return task


def _interval(task: Task, text: str, running: Running, say: Say) -> Task:
    xml = duration_of(text)
    read = constant_of(text, running.scope, running)
    if xml is not None:
        interval: int | None = xml
    elif read is not None and read[0] is not None and read[0].family is Family.TIME and not isinstance(read[1], str):
        interval = int(read[1])
    else:
        interval = None
    if interval is not None:
        return replace(task, interval=interval if interval > 0 else None)
    found = _tag(text, running) if read is None else None
    if found is not None and found[1] < 0:
        type_ = running.tags[found[0]].type
        if type_.whole:
            # A number that is no TIME counts milliseconds, as conversions do.
            return replace(task, interval_tag=found[0], unit=1 if type_.family is Family.TIME else 1_000_000)
    say(f"interval {text} of task {task.name} is no duration: write it like T#20ms or PT0.02S", "the task does not run by it")
    return task


def _tag(text: str, running: Running) -> tuple[int, int] | None:
    path = parse_path(text)
    target = resolve_path(path, running.scope, running.scope) if path is not None else None
    if isinstance(target, Leaf):
        return target.tag, -1
    if isinstance(target, BitOf):
        return target.tag, target.bit
    found = running.find(text)
    return (found, -1) if found is not None else None
