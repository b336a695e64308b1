"""The bench: going on by hand is the replay of the log it writes."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from msgspec.structs import replace

from tests.building import MS, program_of
from tests.strategies import random_case, random_log
from whorlograph.desk.bench import PRESS, Bench
from whorlograph.desk.session import Paths, Session, load
from whorlograph.engine.controller import Controller
from whorlograph.engine.coupling import run_coupled
from whorlograph.engine.feed import Trial
from whorlograph.engine.settled import settle
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.iolist import IoList
from whorlograph.model.literals import raw
from whorlograph.model.log import empty_log
from whorlograph.model.parts import Ladder, coil, nc, no, set_
from whorlograph.model.profile import Profile
from whorlograph.model.types import BOOL
from whorlograph.plant.bridge.machine import Bridge
from whorlograph.plant.catalog import cases
from whorlograph.plant.hands_on import machines


def session_of(program: object, profile: Profile, log: object = None) -> Session:
    """A session without files."""
    controller = Controller(program, profile)  # type: ignore[arg-type]
    return Session(controller, log if log is not None else empty_log(), IoList({}), [], Paths(Path("p.xml")))  # type: ignore[arg-type]


def courses(session: Session, journal: object, since: int) -> dict[str, list[tuple[int, int]]]:
    """Settled changes after a time."""
    found: dict[str, list[tuple[int, int]]] = {}
    done = settle(journal, session.running)  # type: ignore[arg-type]
    for tag, start, value in zip(done.tags.tolist(), done.starts.tolist(), done.values.tolist(), strict=True):
        if start > since:
            found.setdefault(session.running.tags[tag].name, []).append((start, value))
    return found


def two_contactors() -> Session:
    """Each holds the other off, one scan late; two buttons in one scan get both in."""
    def draw(one: Ladder) -> None:
        one.rung(no("X0"), nc("Y1"), coil("M0"))
        one.rung(no("X1"), nc("Y0"), coil("M1"))
        one.rung(no("M0"), coil("Y0"))
        one.rung(no("M1"), coil("Y1"))
        one.rung(no("X2"), set_("Y2"))

    return session_of(program_of(draw, "X0 X1 X2 Y0 Y1 Y2 M0 M1"), Profile())


class ByHand(unittest.TestCase):
    """One step after the other."""

    def test_two_buttons_in_the_very_same_scan(self) -> None:
        session = two_contactors()
        x0, x1, y0, y1 = (session.tag(n) for n in ("X0", "X1", "Y0", "Y1"))
        apart = Bench(session)
        for tag in (x0, x1):
            apart.prepare(tag, 1)
            apart.apply()
            apart.step()
        self.assertEqual([apart.value(t) for t in (x0, x1, y0, y1)], [1, 1, 1, 0])
        together = Bench(session)
        together.prepare(x0, 1)
        together.prepare(x1, 1)
        together.step(3)
        self.assertEqual([together.value(t) for t in (x0, x1)], [0, 0])  # prepared is not applied
        self.assertEqual(together.apply(), sorted((x0, x1)))
        before = together.scan
        together.step()
        self.assertEqual(together.scan, before + 1)
        self.assertEqual([together.value(t) for t in (x0, x1, y0, y1)], [1, 1, 1, 1])

    def test_what_springs_back_does_and_another_hand_overtakes_it(self) -> None:
        session = two_contactors()
        x2 = session.tag("X2")
        bench = Bench(session)
        bench.prepare(x2, 1)
        bench.apply(frozenset((x2,)))
        bench.step()
        self.assertEqual(bench.value(x2), 1)
        bench.run(PRESS + 20 * MS)
        self.assertEqual(bench.value(x2), 0)
        bench.prepare(x2, 1)
        bench.apply(frozenset((x2,)))
        bench.step()
        bench.prepare(x2, 1)
        bench.apply()
        bench.run(3 * PRESS)
        self.assertEqual(bench.value(x2), 1)

    def test_back_to_where_it_began_and_on_again(self) -> None:
        session = two_contactors()
        x2, y2 = session.tag("X2"), session.tag("Y2")
        bench = Bench(session)
        bench.step(4)
        bench.prepare(x2, 1)
        bench.apply()
        bench.step(3)
        self.assertEqual(bench.value(y2), 1)
        self.assertTrue(bench.back(3))
        self.assertEqual(bench.value(y2), 0)
        bench.step()
        self.assertEqual(bench.value(y2), 1)  # what was done is still to come
        bench.back(2)
        bench.prepare(session.tag("X0"), 1)
        bench.apply()
        bench.step(5)
        self.assertEqual(bench.value(y2), 0)  # done otherwise, it is not
        while bench.back(7):
            pass
        self.assertEqual((bench.now, bench.scan), (0, 1))

    def test_a_program_without_inputs_goes_on_too(self) -> None:
        def draw(one: Ladder) -> None:
            one.rung(nc("Y0"), coil("Y0"))

        with TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "p.xml").write_bytes(write_xml(program_of(draw, "Y0")))
            session = load(Paths(folder / "p.xml"))
            bench = Bench(session)
            bench.step(4)
            self.assertEqual((bench.inputs, bench.scan, bench.value(session.tag("Y0"))), ([], 5, 1))
            bench.save(folder / "b.csv")
            again = load(Paths(folder / "p.xml", (folder / "b.csv",)))
            self.assertEqual((again.journal.clock.last, again.notices), (5, []))
            self.assertEqual(courses(session, bench.journal, 0), courses(again, again.journal, 0))

    def test_inputs_and_several_forces_in_one_scan_and_all_released_in_one(self) -> None:
        session = two_contactors()
        x2, y0, y1, y2 = (session.tag(n) for n in ("X2", "Y0", "Y1", "Y2"))
        bench = Bench(session)
        bench.prepare(x2, 1)
        bench.apply(forces={y0: 1, y1: 1})
        scan = bench.scan
        bench.step()
        self.assertEqual((bench.scan, [bench.value(t) for t in (x2, y0, y1, y2)]), (scan + 1, [1, 1, 1, 1]))
        self.assertEqual([bench.would_write(t) for t in (y0, y1, y2)], [0, 0, None])
        bench.prepare(x2, 0)
        bench.release()
        bench.step()
        self.assertEqual((bench.forced(), [bench.value(t) for t in (x2, y0, y1)]), ({}, [1, 0, 0]))  # what is prepared waits
        bench.back()
        bench.step(2)
        self.assertEqual([bench.value(t) for t in (y0, y1)], [0, 0])
        bench.apply()
        bench.force(y0, 1)
        bench.force(y1, 1)
        bench.step()
        self.assertEqual([bench.value(t) for t in (x2, y0, y1)], [0, 1, 1])

    def test_until_something_changes(self) -> None:
        session = two_contactors()
        x2, y2 = session.tag("X2"), session.tag("Y2")
        bench = Bench(session)
        self.assertIsNone(bench.until_change([y2]))
        self.assertEqual(bench.now, 0)
        bench.prepare(x2, 1)
        bench.apply()
        self.assertEqual(bench.until_change([y2]), y2)
        self.assertEqual(bench.value(y2), 1)

    def test_before_a_release_it_is_shown_what_turns(self) -> None:
        session = two_contactors()
        x0, y0, y1, m0 = (session.tag(n) for n in ("X0", "Y0", "Y1", "M0"))
        bench = Bench(session)
        bench.prepare(x0, 1)
        bench.apply()
        bench.step(2)
        bench.force(y0, 0)
        bench.step(3)
        self.assertEqual((bench.value(y0), bench.would_write(y0)), (0, 1))
        shown = {r.tag: (r.value, r.after) for r in bench.released()}
        self.assertEqual(shown, {y0: (0, 1)})
        bench.force(y0, None)
        bench.step(3)
        self.assertEqual({t: bench.value(t) for t in shown}, {t: after for t, (_, after) in shown.items()})
        self.assertEqual((bench.forced(), bench.would_write(y0), bench.value(m0), bench.value(y1)), ({}, None, 1, 0))


class Laws(unittest.TestCase):
    """Operated at random."""

    def test_it_is_the_replay_of_the_log_it_writes(self) -> None:
        pressed = forced = edited = 0
        with TemporaryDirectory() as name:
            folder = Path(name)
            for seed in range(36):
                random = Random(seed)
                program, profile = random_case(random, tasked=seed % 3 == 0)
                profile = replace(profile, start=Profile().start)
                (folder / "p.xml").write_bytes(write_xml(program))
                session = load(Paths(folder / "p.xml"))
                session.controller = Controller(session.program, profile)
                session.log = random_log(random, session.running) if seed % 2 else empty_log()
                bench = Bench(session, random.randrange(session.log.end + 1) if seed % 2 else None)
                began = bench.now
                for _ in range(random.randint(3, 14)):
                    kind = random.random()
                    if kind < 0.5:
                        for tag in random.sample(bench.inputs, min(len(bench.inputs), random.randint(1, 3))):
                            one = session.running.tags[tag]
                            bench.prepare(tag, random.randint(0, 1) if one.type == BOOL else raw(random.choice((0, 1, 5, 100)), one.type))
                        pressed += len(bench.apply(frozenset(random.sample(bench.inputs, 1))))
                    elif kind < 0.6 and seed % 4 == 0:
                        bench.force(session.tag("M0"), random.choice((0, 1, None)))
                        forced += 1
                    elif kind < 0.66 and seed % 4 == 1 and bench.numbers:
                        tag = random.choice(bench.numbers)
                        bench.edit(tag, raw(random.choice((0, 1, 5, 100)), session.running.tags[tag].type))
                        edited += 1
                    elif kind < 0.7:
                        bench.back(random.randint(1, 5))
                    elif kind < 0.8:
                        bench.run(random.randrange(1, 60) * MS)
                    else:
                        bench.step(random.randint(1, 6))
                with self.subTest(seed=seed):
                    path = folder / "bench.csv"
                    bench.save(path)
                    again = load(Paths(folder / "p.xml", (path,)))
                    profile = bench.controller.profile
                    for plain in (False, True):
                        controller = Controller(again.program, profile, plain=plain)
                        journal = controller.replay(again.log, Trial((), (), tuple(bench.forces)))
                        self.assertEqual(courses(session, bench.journal, began), courses(again, journal, began))
                        self.assertEqual(journal.clock.last, bench.scan)
                    self.assertEqual(courses(session, bench.whole().journal, began), courses(session, bench.journal, began))
                bench.close()
        self.assertTrue(pressed > 100 and forced > 5 and edited > 5, (pressed, forced, edited))

    def test_coupled_machines_answer_late_and_alike_after_going_back(self) -> None:
        answered = 0
        with TemporaryDirectory() as name:
            for case, machine in machines().items():
                random = Random(case)
                one = cases()[case]
                session = load(Paths(one.program, (), one.iolist, one.profile))
                bench = Bench(session, None, machine)
                operated = [t for t in bench.inputs if session.running.tags[t].type == BOOL]
                for _ in range(14):
                    for tag in random.sample(operated, min(len(operated), 2)):
                        bench.prepare(tag, 1 - bench.given(tag))
                    bench.apply(frozenset(random.sample(operated, 1)))
                    bench.run(random.choice((30, 400, 2_000)) * MS)
                    if random.random() < 0.4:
                        bench.back(random.randint(1, 30))
                bench.run(300 * MS)
                answered += len(bench.answers)
                with self.subTest(case):
                    path = Path(name) / f"{case}.csv"
                    bench.save(path)
                    again = load(Paths(one.program, (path,), one.iolist, one.profile))
                    self.assertEqual(courses(session, bench.journal, 0), courses(again, again.journal, 0))
                    here, rows = bench.now, [r for r in bench.answers if r[0] <= bench.now]
                    bench.back(5)
                    bench.run(here - bench.now)
                    self.assertEqual([r for r in bench.answers if r[0] <= here], rows)
                bench.close()
        self.assertGreater(answered, 12)

    def test_the_machine_answers_as_it_does_without_a_hand(self) -> None:
        one = cases()["bridge"]
        session = load(Paths(one.program, (), one.iolist, one.profile))
        bench = Bench(session, None, lambda: Bridge(alone=False))
        bench.run(90_000 * MS)
        coupled = run_coupled(session.controller, Bridge(), bench.now)
        names = {t.index: t.name for t in session.running.tags}
        mine = sorted((t, names[n], v) for t, n, v in bench.answers if t <= bench.now)
        self.assertEqual(mine, sorted(c for c in coupled.changes if 0 < c[0] <= bench.now))
        self.assertGreater(len(mine), 5)


if __name__ == "__main__":
    unittest.main()
