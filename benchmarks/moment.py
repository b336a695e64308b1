"""Figure B: a value at a moment, and the power flow of a rung, from the journal."""

from __future__ import annotations

import time
from random import Random

from whorlograph.desk.asking import inquiry
from whorlograph.desk.session import Paths, load
from whorlograph.model.moment import Moment
from whorlograph.plant.catalog import cases


def main() -> None:
    """Random tags, rungs and moments of the bridge's shift."""
    case = cases()["bridge"]
    session = load(Paths(case.program, (case.log,), case.iolist, case.profile))
    journal, random = session.journal, Random(1)
    tracer = inquiry(session).tracer
    asked = [(random.randrange(session.running.public), Moment(random.randint(1, journal.clock.last), random.randint(1, 70))) for _ in range(4000)]
    for tag in range(session.running.public):
        journal.rows(tag)  # the index of rows by tag is made once
    start = time.perf_counter()
    for tag, moment in asked:
        journal.value_at(tag, journal.position(moment))
    value = (time.perf_counter() - start) / len(asked)
    steps = len(session.controller.steps.all)
    rungs = [(random.randrange(steps), random.randint(1, journal.clock.last)) for _ in range(600)]
    start = time.perf_counter()
    for step, scan in rungs:
        tracer.flow(step, scan)
    flow = (time.perf_counter() - start) / len(rungs)
    print(f"{len(journal):,} rows: a value {value * 1e6:.1f} us (goal 50), power flow of a rung {flow * 1e3:.2f} ms (goal 2)")
