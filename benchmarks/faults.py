"""Seeded faults in the shipped cases' machines or their wiring: at which rank the device stands that was faulty, by kind of fault.

Half of the seeds (even ones) were looked at while developing; the other half is what counts. ``WHORLOGRAPH_FAULTS`` faults (default 320).
``WHORLOGRAPH_PASSES``: how many times the machine goes through what its people do, the fault in the last (default ``1 4``: once with nothing
that went right before, once with three good passes in the log); ``WHORLOGRAPH_SEED`` behind which seed to begin (default 0).
"""

from __future__ import annotations

import os
import time
from collections import Counter
from pathlib import Path
from random import Random

import numpy as np
from msgspec.structs import replace

from whorlograph.desk.asking import answer_to, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.engine.coupling import Change, run_coupled
from whorlograph.inquiry.symptoms import course
from whorlograph.model.iolist import IoList, Wiring
from whorlograph.model.iolist import Point as Listed
from whorlograph.model.log import Log
from whorlograph.model.question import Question, Symptom
from whorlograph.plant.make import small_cases
from whorlograph.plant.small.kit import MS, Machine, SmallCase, profile_of, program_of

COUNT = int(os.environ.get("WHORLOGRAPH_FAULTS", "320"))
FIRST = int(os.environ.get("WHORLOGRAPH_SEED", "0"))
PASSES = tuple(map(int, os.environ.get("WHORLOGRAPH_PASSES", "1 4").split()))
KINDS = ("wire off", "stuck on", "held", "short opening", "bounce", "late contact", "misadjusted", "swapped pair")
_WIRING = {"NO": Wiring.NORMALLY_OPEN, "NC": Wiring.NORMALLY_CLOSED, "": Wiring.UNKNOWN}


def main() -> None:
    """Put faults in, ask of the first output that goes another way, count ranks."""
    for passes in PASSES:
        print(f"the machine goes through its work {passes} times, the fault in the last" if passes > 1 else "the machine goes through its work once")
        _counted(passes)


def _counted(passes: int) -> None:
    begun = time.monotonic()
    ranks: dict[tuple[str, bool], Counter[str]] = {}
    seed, tried = FIRST, 0
    cases = [c for c in small_cases() if not c.recorded and not c.unlogged]
    while tried < COUNT and seed < FIRST + 40 * COUNT:
        seed += 1
        random = Random(seed)
        case, kind = random.choice(cases), KINDS[seed % len(KINDS)]
        found = _one(random, case, kind, passes)
        if found is None:
            continue
        tried += 1
        symptom, rank, proved, text = found
        for counts in (ranks.setdefault((kind, bool(tried % 2)), Counter()), ranks.setdefault((symptom.value, bool(tried % 2)), Counter())):
            counts["all"] += 1
            counts["first"] += rank == 1
            counts["third"] += 0 < rank <= 3
            counts["proved"] += proved
        if rank != 1 and tried % 2:
            print(f"seed {seed}, {case.name}, {kind}: rank {rank or 'none'}; {text}")
    for held, title in ((True, "the half that counts"), (False, "the half that was developed on")):
        total: Counter[str] = Counter()
        print(title)
        for kind in KINDS:
            counts = ranks.get((kind, held), Counter())
            total += counts
            _told(kind, counts)
        _told("all", total)
        for symptom in Symptom:
            _told(symptom.value, ranks.get((symptom.value, held), Counter()))
    print(f"{tried} faults, {time.monotonic() - begun:.0f} s")


def _told(name: str, counts: Counter[str]) -> None:
    if counts["all"]:
        print(f"  {name:<18} {counts['all']:>4}: rank one {counts['first']} ({100 * counts['first'] / counts['all']:.0f} of 100), among three "
              f"{counts['third']}, proved {counts['proved']}")


class Faulty(Machine):
    """A machine one of whose inputs does not do what it should, from a time on (ms)."""

    def __init__(self, case: SmallCase, kind: str, tags: tuple[str, str], since: int, random: Random) -> None:
        super().__init__(case)
        self.kind, self.tags, self.since = kind, tags, since * MS
        self.opening = random.choice((40, 80, 160)) * MS
        self.state: dict[str, int] = {}
        if kind in ("wire off", "stuck on"):
            self._put(self.since, "", 0)
        elif kind in ("short opening", "bounce"):
            for n in range(1 if kind == "short opening" else 3):
                self._put(self.since + n * 2 * self.opening, "!", 0)
                self._put(self.since + n * 2 * self.opening + self.opening, "?", 0)

    def begin(self) -> list[Change]:  # type: ignore[override]
        """The inputs at time 0."""
        found = list(super().begin())
        self.state = {tag: value for _, tag, value in found}
        return found

    def advance(self, now: int) -> list[Change]:  # type: ignore[override]
        """What is due, as the faulty wiring lets it through."""
        found: list[Change] = []
        tag = self.tags[0]
        for at, name, value in super().advance(now):
            if name == "":  # it sticks from now on
                found.append((at, tag, int(self.kind == "stuck on")))
            elif name in ("!", "?"):
                found.append((at, tag, 1 - self.state[tag] if name == "!" else self.state[tag]))
            elif name == "^":  # a sensor set too far away sees it late, and not at all what has gone by then
                found += [(at, tag, 1)] if self.state[tag] else []
            else:
                self.state[name] = value
                mine = name == tag and at >= self.since
                if mine and (self.kind in ("wire off", "stuck on") or (self.kind == "held" and not value)):
                    continue
                if mine and self.kind == "misadjusted" and value:
                    self._put(at + 600 * MS, "^", 0)
                elif self.kind == "late contact" and name == tag and at >= self.since:
                    found.append((at + 1500 * MS, name, value))
                elif self.kind == "swapped pair" and name in self.tags and at >= self.since:
                    found.append((at, self.tags[1 - self.tags.index(name)], value))
                else:
                    found.append((at, name, value))
        return found


def _one(random: Random, case: SmallCase, kind: str, passes: int) -> tuple[Symptom, int, bool, str] | None:
    """(symptom, rank, proved, answer) of a fault; None where nothing goes another way, or the device's own rows are the same by then."""
    begin, case = (passes - 1) * case.end, _repeated(case, passes)
    controller = Controller(program_of(case), profile_of(case))
    running = controller.running
    inputs = [p.tag for p, address in case.points if address.startswith("%I") and p.tag not in ("Ack", "Lamp_Test")]
    tags = tuple(random.sample(inputs, 2))
    since = begin + random.randrange(1500, case.end - begin - 500)
    swapped = begin if kind == "swapped pair" else since
    healthy = run_coupled(controller, Machine(case), case.end * MS)
    faulty = run_coupled(controller, Faulty(case, kind, (tags[0], tags[1]), swapped, random), case.end * MS)
    logs = [_log(r.changes, running.by_name, case.end * MS) for r in (healthy, faulty)]
    journals = [controller.replay(log) for log in logs]
    clock, found = journals[1].clock, None
    for tag in running.tags[:running.public]:
        if tag.address is None or tag.address.area != "Q" or tag.name.startswith(("Lamp", "Horn")):
            continue
        before, after = (course(j, tag.index) for j in journals)
        scans = np.arange(1, min(j.clock.last for j in journals) + 1)
        differ = np.flatnonzero((before.at_all(scans) != 0) != (after.at_all(scans) != 0))
        if len(differ):
            scan = int(scans[differ[0]])
            if found is None or scan < found[0]:
                found = scan, tag.index, bool(after.at(scan)), bool(after.at(scan - 1))
    if found is None:
        return None
    scan, tag_number, on, was = found
    symptom = Symptom.WILL_NOT_DROP_OUT if on else Symptom.DROPPED_OUT if was else Symptom.WILL_NOT_PULL_IN
    # Asked three scans later, where it is still so.
    later = min(scan + 3, clock.last)
    asked = later if symptom is not Symptom.DROPPED_OUT and bool(course(journals[1], found[1]).at(later)) == on else scan
    at = clock.start(asked)
    numbers = {running.by_name[t.lower()] for t in (tags if kind == "swapped pair" else tags[:1])}
    if not any(_rows(logs[0], n, at) != _rows(logs[1], n, at) for n in numbers):
        return None
    points = {running.by_name[p.tag.lower()]: Listed(p.tag, address, p.device, p.location, p.terminal, _WIRING[p.wiring], p.description)
              for p, address in case.points}
    session = Session(controller, logs[1], IoList(points), [], Paths(Path("case.xml")))
    session.take(journals[1])
    answer = answer_to(session, Question(tag_number, at, symptom))
    prove_all(session, answer)
    rank = next((i for i, r in enumerate(answer.roots, 1) if r.tag in numbers), 0)
    first = running.tags[answer.roots[0].tag].name if answer.roots and answer.roots[0].tag is not None else "none"
    text = f"{answer.text}; faulty {tags[0]} since {swapped / 1000:.3f} s, first root {first}"
    return symptom, rank, bool(rank) and answer.roots[rank - 1].proved is True, text


def _repeated(case: SmallCase, passes: int) -> SmallCase:
    """A case whose people do the same several times, each time from the inputs of the beginning on."""
    following = {a.tag for a in case.answers}
    first = {p.tag: int(p.wiring == "NC") for p, address in case.points if address.startswith("%I") and p.tag not in following}
    first |= {tag: value for time, tag, value in case.script if time == 0 and tag not in following}
    begins = [n * case.end for n in range(passes)]
    again = [(at, tag, value) for at in begins[1:] for tag, value in first.items()]
    script = [*again, *((at + time, tag, value) for at in begins for time, tag, value in case.script if time or not at)]
    every = [(at + start, *rest) for at in begins for start, *rest in case.every]
    answers = tuple(replace(a, only=tuple((at + x, at + y) for at in begins for x, y in a.only)) for a in case.answers)
    return replace(case, script=tuple(script), every=tuple(every), answers=answers, end=passes * case.end)


def _log(changes: list[Change], names: dict[str, int], end: int) -> Log:
    changes = sorted(changes, key=lambda c: c[0])
    return Log(np.array([c[0] for c in changes], np.int64), np.array([names[c[1].lower()] for c in changes], np.int32),
               np.array([c[2] for c in changes], np.int64), end=end, rows=len(changes))


def _rows(log: Log, tag: int, until: int) -> list[tuple[int, int]]:
    rows = log.of(tag)
    return [(int(t), int(v)) for t, v in zip(log.times[rows].tolist(), log.values[rows].tolist(), strict=True) if t <= until]
