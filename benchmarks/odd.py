"""What was unusual in a log, and an answer with all its proofs: on 2,000 rungs with 85 outputs and four hours of log, and on the bridge's shift."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from benchmarks.generated import plan, write_log, write_program
from whorlograph.desk.asking import answer_to, inquiry, prove_all
from whorlograph.desk.session import Paths, Session, load
from whorlograph.desk.unusual import find_odd
from whorlograph.model.question import Question, Symptom
from whorlograph.plant.catalog import cases

OUTPUTS = 20  # every so manieth tag of the program is one
ASKED = 12


def main() -> None:
    """Measure each behind its replay, which is the measure."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        made = plan(2000, 400)
        write_program(made, place / "program.xml", OUTPUTS)
        write_log(made, place / "log.csv", 4 * 3600, 100)
        _measured("2,000 rungs", load(Paths(place / "program.xml", (place / "log.csv",))))
    case = cases()["bridge"]
    _measured("the bridge's shift", load(Paths(case.program, (case.log,), case.iolist, case.profile)))


def _measured(name: str, session: Session) -> None:
    began = time.perf_counter()
    changes = len(session.journal)
    replayed = time.perf_counter() - began
    began = time.perf_counter()
    inquiry(session)
    drop_outs = 0.0
    for found in find_odd(session):
        if found.looked < found.chosen:
            drop_outs = time.perf_counter() - began
    took = time.perf_counter() - began
    print(f"{name}: {changes:,} changes replayed in {replayed:.2f} s; {found.looked:,} of {found.of:,} drop-outs compared in {drop_outs:.2f} s, "
          f"with what does not pull in at the end {took:.2f} s, {took / replayed:.1f} replays")
    outputs = [t.index for t in session.running.tags if t.address is not None and t.address.area == "Q" and t.index in session.controller.written]
    times = []
    for tag in outputs[::max(1, len(outputs) // ASKED)]:
        began = time.perf_counter()
        prove_all(session, answer_to(session, Question(tag, session.log.end, Symptom.DROPPED_OUT)))
        times.append(time.perf_counter() - began)
    times.sort()
    print(f"{name}: {len(times)} drop-outs asked with all proofs: {times[len(times) // 2]:.2f} s each, the longest {times[-1]:.2f} s")
