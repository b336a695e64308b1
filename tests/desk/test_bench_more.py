"""What is done less often at the bench: things once more, ramps, numbers written, power that fails and returns, outputs by hand."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from msgspec.structs import replace

from tests.building import program_of
from tests.building import session_of as logged
from tests.desk.test_bench import courses, session_of
from tests.strategies import random_case
from whorlograph.desk.bench import PRESS, Bench
from whorlograph.desk.bench_again import again, deeds, ramp
from whorlograph.desk.bench_page import Operator, bench_page, bits_words, current_rows
from whorlograph.desk.bench_restart import AWAY, after_power, log_goes_on, with_changes
from whorlograph.desk.changing import Changing, without_rungs
from whorlograph.desk.session import Paths, Session, load
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.edit.declarations import shifted
from whorlograph.model.parts import Ladder, call, coil, compare, either, nc, no, rises, set_
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program
from whorlograph.model.tags import Tag
from whorlograph.model.types import BOOL, ELEMENTARY
from whorlograph.plant.moving import Contactor, MovingMachine, Travel

MS = 1_000_000


def latch() -> Program:
    """A button sets a latch, another counts, a number decides."""
    def draw(one: Ladder) -> None:
        one.rung(either(no("X0"), no("Y0")), nc("X1"), coil("Y0"))
        one.rung(rises("X2"), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
        one.rung(compare("GE", "N1", "50"), coil("Y1"))
        one.rung(no("X3"), set_("M0"))

    return program_of(draw, "X0 X1 X2 X3 Y0 Y1 M0 N1 N2")


def retained(program: Program, *names: str) -> Program:
    """The program with some tags kept while power is away."""
    config = program.configurations[0]
    variables = tuple(replace(v, retain=True) if v.name in names else v for v in config.variables)
    return replace(program, configurations=(replace(config, variables=variables),))


class Again(unittest.TestCase):
    """What was done, once more."""

    def done(self) -> tuple[Session, Bench]:
        session = session_of(latch(), Profile())
        bench = Bench(session)
        bench.step(5)
        for tag, wait, springs in (("X0", 400, True), ("X2", 200, True), ("X1", 100, False)):
            number = session.tag(tag)
            bench.prepare(number, 1)
            bench.apply(frozenset((number,)) if springs else frozenset())
            bench.run(wait * MS)
        return session, bench

    def test_everything_comes_again_as_it_was(self) -> None:
        session, bench = self.done()
        first = deeds(bench)
        self.assertEqual([len(d.rows) for d in first], [2, 2, 1])
        begun, before = bench.next_start, list(bench.rows)
        self.assertEqual(again(bench), max(d.at - first[0].at + r[0] for d in first for r in d.rows))
        mine = [r for r in sorted(bench.rows) if r not in before]
        wanted = sorted((begun + d.at - first[0].at + offset, tag, value) for d in first for offset, tag, value in d.rows)
        self.assertEqual(mine, wanted)
        bench.run(2000 * MS)
        self.assertEqual(bench.value(session.tag("N1")), 2)

    def test_slower_and_in_the_opposite_order(self) -> None:
        session, bench = self.done()
        first, begun = deeds(bench), bench.next_start
        again(bench, 10)
        starts = {r[1]: r[0] - begun for r in sorted(bench.rows, reverse=True) if r[0] >= begun and r[2] == 1}
        self.assertEqual(starts[session.tag("X2")], 10 * (first[1].at - first[0].at))
        session, bench = self.done()
        begun = bench.next_start
        again(bench, 1, turned=True)
        order = [session.running.tags[r[1]].name for r in sorted(bench.rows) if r[0] >= begun and r[2] == 1]
        self.assertEqual(order, ["X1", "X2", "X0"])
        pressed = {r[1]: r[0] for r in bench.rows if r[0] >= begun and r[2] == 1}
        let = {r[1]: r[0] for r in bench.rows if r[0] >= begun and r[2] == 0}
        self.assertEqual({let[t] - pressed[t] for t in let}, {PRESS}, "a press stays a press")
        self.assertEqual(again(Bench(session)), -1)

    def test_a_number_runs_to_a_value(self) -> None:
        session = session_of(program_of(lambda one: one.rung(compare("GE", "N1", "30"), coil("Y0")), "N1 Y0"), Profile())
        bench, tag = Bench(session), session.tag("N1")
        self.assertIn(tag, bench.inputs)
        ramp(bench, tag, 50, 5_000 * MS)
        bench.run(2_500 * MS)
        self.assertAlmostEqual(bench.value(tag), 25, delta=1)
        self.assertEqual(bench.value(session.tag("Y0")), 0)
        bench.run(3_000 * MS)
        self.assertEqual([bench.value(session.tag(n)) for n in ("N1", "Y0")], [50, 1])


class Numbers(unittest.TestCase):
    """Numbers that the program writes too."""

    def test_written_by_hand_the_program_goes_on_with_them(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "p.xml").write_bytes(write_xml(latch()))
            session = load(Paths(folder / "p.xml"))
            n1, y1, x2 = (session.tag(n) for n in ("N1", "Y1", "X2"))
            bench = Bench(session)
            self.assertIn(n1, bench.numbers)
            bench.step(3)
            for value in (49, 49, 10, 49):
                bench.edit(n1, value)
                bench.step()
                self.assertEqual((bench.value(n1), bench.value(y1)), (value, 0))
                bench.prepare(x2, 1 - bench.given(x2))
                bench.apply()
                bench.step(2)
            self.assertEqual(bench.value(n1), 49, "of two turns of the button one is a rise: 49 and 1, and once more 10 and none")
            bench.edit(n1, 20)
            bench.step()
            bench.save(folder / "done.csv")
            self.assertIn('external = ["N1"]', (folder / "done.toml").read_text())
            found = load(Paths(folder / "p.xml", (folder / "done.csv",), None, folder / "done.toml"))
            self.assertEqual(courses(session, bench.journal, 0), courses(found, found.journal, 0))

    def test_hex_bits_and_the_row_that_is_chosen(self) -> None:
        one = Tag(0, "N", ELEMENTARY["INT"], 0)
        self.assertEqual([bits_words(one, v) for v in (5, -1)], ["16#0005  0000 0000 0000 0101", "16#FFFF  1111 1111 1111 1111"])
        self.assertEqual(bits_words(Tag(0, "N", ELEMENTARY["DINT"], 0), 70_000), "16#00011170  0001 0001 0001 0111 0000")
        self.assertEqual(bits_words(Tag(0, "N", ELEMENTARY["REAL"], 0), 5), "")
        from whorlograph.plant.catalog import cases

        case = cases()["glasshouse"]
        session = load(Paths(case.program, (), case.iolist, case.profile))
        bench = Bench(session)
        bench.step(3)
        masked = 0
        for _ in range(4):
            before = int(bench.value(session.tag("Step")))
            rows = [session.running.tags[t].name for t in current_rows(bench)]
            self.assertEqual(rows, [f"Table[{before}]"])
            lines = [line.text for line in bench_page(bench, Operator(), 160).lines]
            self.assertEqual([line.split()[0] for line in lines if "this row" in line], [f"Table[{before}]"])
            pattern, mask = (bench.value(session.tag(n)) for n in ("Pattern", "Mask"))
            gone = [str(n) for n in range(16) if (pattern & ~mask) >> n & 1]
            said = [line for line in lines if "takes away" in line]
            self.assertEqual(bool(said), bool(gone), said)
            self.assertTrue(not said or f"Mask takes away bit{'s' * (len(gone) > 1)} {', '.join(gone)} of Pattern" in said[0], said)
            masked += bool(gone)
            button = session.tag("Next_PB")
            bench.prepare(button, 1)
            bench.apply(frozenset((button,)))
            bench.run(500 * MS)
        self.assertGreater(masked, 0)


class Power(unittest.TestCase):
    """Power is away for a second."""

    def test_warm_keeps_what_is_retained_and_cold_nothing(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "p.xml").write_bytes(write_xml(retained(latch(), "M0", "N1")))
            session = load(Paths(folder / "p.xml"))
            tags = [session.tag(n) for n in ("Y0", "M0", "N1", "X1")]
            for warm, wanted in ((True, [0, 1, 7, 1]), (False, [0, 0, 0, 1])):
                bench = Bench(session)
                for tag, value in (("X0", 1), ("X3", 1)):
                    bench.prepare(session.tag(tag), value)
                bench.apply(frozenset(bench.inputs))
                bench.step(2)
                bench.edit(session.tag("N1"), 7)
                bench.run(500 * MS)
                bench.prepare(session.tag("X1"), 1)
                bench.apply()
                bench.step()
                fresh = after_power(bench, warm)
                fresh.step()
                self.assertEqual([fresh.value(t) for t in tags], wanted)
                fresh.run(100 * MS)
                fresh.save(folder / "after.csv")
                found = load(Paths(folder / "p.xml", (folder / "after.csv",), None, folder / "after.toml"))
                self.assertEqual(courses(session, fresh.journal, 0), courses(found, found.journal, 0))

    def test_of_random_programs_as_a_replay_from_the_values_that_stood(self) -> None:
        kept = 0
        for seed in range(20):
            random = Random(seed)
            program, profile = random_case(random)
            names = [v.name for v in program.configurations[0].variables]
            session = session_of(retained(program, *random.sample(names, min(6, len(names)))), profile)
            bench = Bench(session)
            for _ in range(6):
                for tag in random.sample(bench.inputs, min(2, len(bench.inputs))):
                    if session.running.tags[tag].type == BOOL:
                        bench.prepare(tag, random.randint(0, 1))
                bench.apply()
                bench.run(random.randrange(1, 80) * MS)
            if bench.journal.fault is not None:
                continue
            fresh = after_power(bench, warm=True)
            replay = Controller(session.controller.program, fresh.controller.profile, plain=True).replay(fresh.log())
            shared = {s.other for t in session.running.tags for s in session.controller.again().shares.get(t.index, ())}
            for tag in session.running.tags[:session.running.public]:
                if tag.index not in shared and tag.index not in bench.inputs:
                    value = replay.value_at(tag.index, 0)
                    self.assertEqual(value, bench.value(tag.index) if tag.retain else tag.initial, (seed, tag.name))
                    kept += tag.retain
            bench.close()
        self.assertGreater(kept, 20)

    def test_the_machine_loses_its_outputs_and_goes_on_where_it_stands(self) -> None:
        def draw(one: Ladder) -> None:
            one.rung(no("X0"), coil("Y0"))
            one.rung(no("X1"), coil("Y1"))
            one.rung(no("X2"), coil("Y2"))

        session = session_of(program_of(draw, "X0 X1 X2 Y0 Y1 Y2"), Profile())
        parts = (Contactor("Y0", "X1", 20, 30), Travel((("Y0", 0.5),), (("X2", 0.9, True),), 0.0, -0.1))
        bench = Bench(session, None, lambda: MovingMachine(("X0", "X1", "X2"), (), parts))
        bench.step()
        bench.prepare(session.tag("X0"), 1)
        bench.apply()
        bench.run(1_000 * MS)
        self.assertEqual([bench.value(session.tag(n)) for n in ("X1", "X2")], [1, 0])
        fresh = after_power(bench, warm=False)
        fresh.step()
        self.assertEqual([fresh.value(session.tag(n)) for n in ("X0", "X1", "Y0")], [0, 0, 0], "the contactor has let go, the button sprung back")
        # It had come to 0.4 of its way, and slid back by 0.1 while power was away: 0.6 are left, at 0.4 a second.
        fresh.prepare(session.tag("X0"), 1)
        fresh.apply()
        begun = fresh.next_start
        fresh.until_change([session.tag("X2")])
        took = (fresh.now - begun) / 1e9
        self.assertAlmostEqual(took, (0.9 - (0.4 - 0.1 * AWAY / 1e9)) / 0.4, delta=0.1)


class Changed(unittest.TestCase):
    """A changed program takes over at the bench."""

    def test_memory_is_kept_or_not(self) -> None:
        session = session_of(latch(), Profile())
        changing = Changing(session)
        step = session.controller.steps.all[3]
        changing.apply(next(c for c in changing.choices(step, step.rung.elements[0].id, "") if c.label.startswith("a new rung below")), "M0 N1 >= 3 (Y9)")
        bench = Bench(session)
        for _ in range(3):
            for value in (1, 0):
                bench.prepare(session.tag("X2"), value)
                bench.prepare(session.tag("X3"), 1)
                bench.apply()
                bench.step(2)
        bench.prepare(session.tag("X3"), 0)
        bench.apply()
        bench.step()
        self.assertEqual([bench.value(session.tag(n)) for n in ("M0", "N1")], [1, 3])
        for kept, wanted in ((True, [1, 3, 1]), (False, [0, 0, 0])):
            fresh = with_changes(bench, changing.session(), kept)
            fresh.step()
            self.assertEqual([fresh.value(fresh.session.tag(n)) for n in ("M0", "N1", "Y9")], wanted)


    def test_the_log_goes_on_through_the_changed_program_as_through_the_old_one(self) -> None:
        rows = [(0, "X0", 0), (0, "X1", 0), (500, "X0", 1), (900, "X0", 0), (2000, "X2", 1), (2300, "X2", 0), (3000, "X1", 1), (3100, "X1", 0), (4000, "X2", 1)]
        session = logged(latch(), rows)
        changing = Changing(session)
        step = session.controller.steps.all[3]
        changing.apply(next(c for c in changing.choices(step, step.rung.elements[0].id, "") if c.label.startswith("a new rung below")), "Y0 N1 >= 1 (Y9)")
        bench = Bench(session, 1500 * MS)
        fresh = with_changes(bench, changing.session(), kept=True)
        self.assertEqual(log_goes_on(bench, fresh), 5)
        fresh.run(session.log.end - bench.now + 50 * MS)
        # Nothing of what was there before is changed: each old tag does from here on what it did in the log, a scan at the most apart.
        for name in ("Y0", "Y1", "N1"):
            mine = [(t + bench.now, v) for t, v in courses(fresh.session, fresh.journal, 0).get(name, [])]
            theirs = courses(session, session.journal, bench.now).get(name, [])
            self.assertEqual([v for _, v in mine], [v for _, v in theirs], name)
            self.assertTrue(all(abs(a[0] - b[0]) <= 20 * MS for a, b in zip(mine, theirs, strict=True)), (mine, theirs))
        self.assertEqual([v for _, v in courses(fresh.session, fresh.journal, 0)["Y9"]], [1, 0])


class Without(unittest.TestCase):
    """No program: outputs by hand; and addresses moved."""

    def test_outputs_are_operated_and_the_machine_answers(self) -> None:
        def draw(one: Ladder) -> None:
            one.rung(no("X0"), coil("Y0"))
            one.rung(no("X1"), coil("Y1"))

        session = without_rungs(session_of(program_of(draw, "X0 X1 Y0 Y1"), Profile()))
        self.assertIn("without its program", session.paths.title)
        bench = Bench(session, None, lambda: MovingMachine(("X0", "X1"), (), (Contactor("Y0", "X1", 20, 30),)))
        y0 = session.tag("Y0")
        self.assertIn(y0, bench.inputs)
        bench.step()
        bench.prepare(y0, 1)
        bench.apply()
        bench.run(100 * MS)
        self.assertEqual([bench.value(session.tag(n)) for n in ("Y0", "X1", "Y1")], [1, 1, 0])
        with_it = Bench(session_of(program_of(draw, "X0 X1 Y0 Y1"), Profile()))
        self.assertNotIn(y0, with_it.inputs)

    def test_an_address_and_all_behind_it(self) -> None:
        program = latch()
        config = program.configurations[0]
        places = {"X0": "%IX0.0", "X1": "%IX1.2", "X2": "%IX1.7", "X3": "%IX2.0", "Y0": "%QX1.2", "N1": "%MW4", "N2": "%MW6"}
        variables = tuple(replace(v, address=places.get(v.name, "")) for v in config.variables)
        program = replace(program, configurations=(replace(config, variables=variables),))

        def placed(changed: Program) -> dict[str, str]:
            return {v.name: v.address for v in changed.configurations[0].variables if v.address}

        self.assertEqual(placed(shifted(program, "%IX1.2", 3)), places | {"X1": "%IX4.2", "X2": "%IX4.7", "X3": "%IX5.0"})
        self.assertEqual(placed(shifted(program, "%MW6", -2)), places | {"N2": "%MW4"})
        with self.assertRaises(ValueError):
            shifted(program, "%IX0.0", -1)


if __name__ == "__main__":
    unittest.main()
