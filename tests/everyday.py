"""Random programs of everyday circuits, logs of somebody at work on them, and short faults put into one input."""

from __future__ import annotations

from random import Random

import numpy as np
from msgspec import Struct

from tests.building import MS, program_of, session_of
from whorlograph.desk.asking import answer_to, prove_all
from whorlograph.desk.session import Session
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.inquiry.symptoms import course
from whorlograph.inquiry.trail import Answer
from whorlograph.model.log import Log
from whorlograph.model.parts import Ladder, Part, coil, counter, either, falls, jump, nc, no, reset, rises, set_, timer
from whorlograph.model.program import Program
from whorlograph.model.question import Question, Symptom

INPUTS = tuple(f"X{i}" for i in range(8))
SCAN = 10


SCRATCH = ("S0", "S1")


class Maker:
    """Draws rungs as an electrician would: seal-ins, latches, timers, interlocks, jumps over an area.

    Args: scratch: with two bits that serve one circuit after another.
    """

    def __init__(self, random: Random, scratch: bool = False) -> None:
        self.random, self.ladder, self.scratch = random, Ladder(), scratch
        self.bits: list[str] = []
        self.outputs: list[str] = []
        self.blocks: list[str] = []

    def contact(self, fresh: bool = False) -> Part:
        """A contact of an input, or of something that an earlier rung writes."""
        name = self.random.choice(self.bits) if self.bits and not fresh and self.random.random() < 0.4 else self.random.choice(INPUTS)
        return (nc if self.random.random() < 0.35 else no)(name)

    def target(self) -> str:
        """The tag of a new coil."""
        if self.random.random() < 0.4:
            self.outputs.append(f"Y{len(self.outputs)}")
            return self.outputs[-1]
        self.bits.append(f"M{len(self.bits)}")  # scratch bits count: names only have to differ
        return self.bits[-1]

    def some(self, low: int, high: int) -> list[Part]:
        """Contacts in series."""
        return [self.contact() for _ in range(self.random.randint(low, high))]

    def rung(self) -> None:
        """One circuit of one kind."""
        if self.scratch and self.random.random() < 0.5:
            self._through_scratch()
            return
        kind, ladder = self.random.choice("sspplltteoc"), self.ladder
        if kind == "s":
            stops, start = self.some(1, 3), self.contact(True)
            name = self.target()
            ladder.rung(either(start, no(name)), *stops, coil(name))
        elif kind == "p":
            parts = [either(self.contact(), self.contact())] if self.random.random() < 0.4 else []
            ladder.rung(*parts, *self.some(1, 3), coil(self.target()))
        elif kind == "l":
            first, second = self.some(1, 2), self.some(1, 2)
            name = self.target()
            order = [(first, set_), (second, reset)]
            if self.random.random() < 0.3:
                order.reverse()
            for parts, of in order:
                ladder.rung(*parts, of(name))
        elif kind in "to":
            block = f"T{len(self.blocks)}"
            type_ = "TON" if kind == "t" else self.random.choice(("TOF", "TP"))
            self.blocks.append(f"{block}:{type_}")
            ladder.rung(*self.some(1, 2), timer(type_, block, f"T#{self.random.choice((50, 100, 300, 1000))}ms"), coil(self.target()))
        elif kind == "e":
            name = self.target()
            ladder.rung(self.random.choice((rises, falls))(self.random.choice(INPUTS)), *self.some(0, 1), set_(name))
            ladder.rung(*self.some(1, 2), reset(name))
        else:
            block = f"C{len(self.blocks)}"
            self.blocks.append(f"{block}:CTU")
            ladder.rung(self.contact(True), counter(block, str(self.random.randint(1, 3)), self.contact(True)), coil(self.target()))

    def _through_scratch(self) -> None:
        """A scratch bit is written, and read by the circuit behind it."""
        name, ladder = self.random.choice(SCRATCH), self.ladder
        ladder.rung(*self.some(1, 2), coil(name))
        if name not in self.bits:
            self.bits.append(name)
        kind, target = self.random.choice("ppsl"), self.target()
        if kind == "p":
            ladder.rung(no(name), *self.some(0, 1), coil(target))
        elif kind == "s":
            ladder.rung(either(no(name), no(target)), self.contact(), coil(target))
        else:
            ladder.rung(no(name), set_(target))
            ladder.rung(*self.some(1, 1), reset(target))

    def program(self) -> Program:
        """The whole program."""
        for i in range(self.random.randint(6, 14)):
            if i and self.random.random() < 0.06:
                self.ladder.rung(*self.some(1, 1), jump(f"L{i}"))
                self.rung()
                self.ladder.label(f"L{i}")
            self.rung()
        made, tags = self.ladder.body(), " ".join((*INPUTS, *self.bits, *self.outputs))
        assert made.rungs
        return program_of(lambda ladder: _copied(ladder, self.ladder), tags, " ".join(self.blocks))


def _copied(ladder: Ladder, drawn: Ladder) -> None:
    ladder.elements[:] = drawn.elements


class Fault(Struct, frozen=True):
    """A short fault of one input and the question that it makes somebody ask; times in ns."""

    tag: int
    start: int
    until: int
    symptom: Symptom
    asked: int
    at: int


def everyday(seed: int, seconds: int = 30, scratch: bool = False) -> tuple[Random, Session]:
    """A program, and a log in which each input has a rhythm of its own; not replayed yet."""
    random = Random(seed)
    program = Maker(random, scratch).program()
    rows: list[tuple[int, str, int]] = []
    for name in INPUTS:
        value, time = random.randint(0, 1), 0
        pace = random.choice((300, 1500, 4000, 12000))
        while time < seconds * 1000:
            rows.append((time, name, value))
            stay = random.expovariate(1 / pace) + 40
            time, value = time + (int(stay) if value or pace > 2000 else int(stay * 1.5)), 1 - value
    return random, session_of(program, rows, end=seconds * 1000)


def with_fault(random: Random, session: Session) -> tuple[Session, Fault] | None:
    """A log with a short fault in one input, and what comes of it within three seconds at an output; None where nothing does."""
    controller, log = session.controller, session.log
    healthy = controller.replay(log)
    running = controller.running
    for _ in range(12):
        tag = running.by_name[random.choice(INPUTS).lower()]
        start = random.randrange(3000, log.end // MS - 3500) * MS
        until = start + random.choice((30, 50, 80)) * MS
        faulty = _held(log, tag, start, until, controller)
        if faulty is None:
            continue
        journal = controller.replay(faulty)
        found = _consequence(controller, healthy, journal, start, until)
        if found is not None:
            symptom, asked, at = found
            other = Session(controller, faulty, session.iolist, [], session.paths)
            other.take(journal)
            return other, Fault(tag, start, until, symptom, asked, at)
    return None


def answered_fault(seed: int) -> tuple[Session, Fault, Answer] | None:
    """A short fault in a random program, and the answer to what came of it, all its roots tried; None where nothing came of it."""
    made = with_fault(*everyday(seed))
    if made is None:
        return None
    session, fault = made
    answer = answer_to(session, Question(fault.asked, fault.at, fault.symptom))
    prove_all(session, answer)
    return session, fault, answer


def _held(log: Log, tag: int, start: int, until: int, controller: Controller) -> Log | None:
    """The log with an input the other way for a while in which it was quiet; None where it was not."""
    mine = log.tags == tag
    if (mine & (log.times > start - 100 * MS) & (log.times < until + 100 * MS)).any():
        return None
    before = np.nonzero(mine & (log.times <= start))[0]
    value = int(log.values[before[-1]]) if len(before) else controller.running.tags[tag].initial
    times = np.append(log.times, [start, until])
    tags = np.append(log.tags, [tag, tag]).astype(np.int32)
    values = np.append(log.values, [1 - value, value])
    order = np.argsort(times, kind="stable")
    return Log(times[order], tags[order], values[order], end=log.end, rows=len(times))


def _consequence(controller: Controller, healthy: Journal, faulty: Journal, start: int, until: int) -> tuple[Symptom, int, int] | None:
    """The first output that is off within three seconds where the healthy run has it on: symptom, tag, time to ask for."""
    clock = faulty.clock
    best: tuple[Symptom, int, int] | None = None
    for tag in controller.running.tags[:controller.running.public]:
        if tag.address is None or tag.address.area != "Q":
            continue
        before, after = course(healthy, tag.index), course(faulty, tag.index)
        first, last = clock.scan_at(start) + 1, clock.scan_at(until + 3_000 * MS)
        scans = np.arange(first, last)
        worse = scans[(before.at_all(scans) != 0) & (after.at_all(scans) == 0)]
        if not len(worse):
            continue
        scan = int(worse[0])
        dropped = bool(after.at(scan - 1))
        asked = Symptom.DROPPED_OUT if dropped else Symptom.WILL_NOT_PULL_IN
        at = clock.start(scan) if dropped else clock.start(int(worse[min(len(worse) - 1, 4)]))
        if best is None or at < best[2]:
            best = asked, tag.index, at
    return best
