"""A replay with two periodic tasks beside 2,000 rungs against the same without, steps taking time and not."""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path

from msgspec.structs import replace

from benchmarks.generated import plan, write_log, write_program
from benchmarks.timing import call_seconds
from whorlograph.desk.session import Paths, load
from whorlograph.engine.controller import Controller
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Task


def with_tasks(program: Program) -> Program:
    """The program with two more, on tasks of 100 and 250 ms, which read inputs and write tags of their own names' rungs."""
    config = program.configurations[0]
    pous = dict(program.pous)
    for name, inputs in (("Fast", ("In000", "In001")), ("Slow", ("In002", "In003"))):
        ladder = Ladder()
        for tag in inputs:
            ladder.rung(no(tag), coil(f"M0{tag[-3:]}"))
        pous[name.lower()] = Pou(name, PouKind.PROGRAM, (), ladder.body())
    resource = config.resources[0]
    instances = (*resource.instances, ProgramInstance("Fast", "Fast", "T1"), ProgramInstance("Slow", "Slow", "T2"))
    tasked = Resource(resource.name, instances, (Task("T1", 1, "T#100ms"), Task("T2", 2, "T#250ms")))
    return replace(program, pous=pous, configurations=(Configuration(config.name, (tasked,), config.variables),))


def main() -> None:
    """Measure the replay alone, of four hours with a change every 100 ms."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        made = plan(2000, 400)
        write_program(made, place / "program.xml")
        write_log(made, place / "log.csv", 4 * 3600, 100)
        session = load(Paths(place / "program.xml", (place / "log.csv",)))
        for rung_time in (0, 1000):
            profile = replace(session.profile, rung_time=rung_time)
            controllers = [Controller(program, profile) for program in (session.program, with_tasks(session.program))]
            for controller in controllers:
                controller.prepare()
            # By turns: the machine's speed drifts.
            turns = [[call_seconds(lambda c=c: c.replay(session.log), 1) for c in controllers] for _ in range(9)]  # type: ignore[misc]
            seconds = [statistics.median(turn) for turn in zip(*turns, strict=True)]
            print(f"rung_time {rung_time} ns: {seconds[0]:.3f} s without tasks, {seconds[1]:.3f} s with two; "
                  f"ratio {seconds[1] / seconds[0]:.2f} (goal 1.3)", flush=True)
