"""Programs changed: each change does what it says, is taken back, and is written back."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from msgspec.structs import replace

from tests.building import program_of
from tests.inquiry.test_revisions import course
from tests.strategies import random_case, random_log
from whorlograph.desk.asking import ask
from whorlograph.desk.bench import Bench
from whorlograph.desk.changing import Changing, judged
from whorlograph.desk.read_back import refuse_unlike
from whorlograph.desk.session import Paths, load
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs import read_program
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.inquiry.revisions.change import Verdict
from whorlograph.inquiry.revisions.programs import compare_programs
from whorlograph.model.edit import declarations, rungs
from whorlograph.model.errors import UsageError
from whorlograph.model.ladder import Coil, CoilKind, Contact, ContactKind, LadderBody
from whorlograph.model.parts import Ladder, coil, nc, no
from whorlograph.model.profile import Profile
from whorlograph.model.program import Pou, Program, Variable, VariableKind
from whorlograph.model.question import Symptom
from whorlograph.model.types import BOOL, Simple
from whorlograph.plant.catalog import cases
from whorlograph.plant.moving import Contactor, MovingMachine


def with_constants(program: Program) -> Program:
    """The program with a tag that is always on and one that is always off."""
    config = program.configurations[0]
    more = (Variable("Always", BOOL, VariableKind.GLOBAL, "", Simple("TRUE")), Variable("Never_On", BOOL, VariableKind.GLOBAL))
    return replace(program, configurations=(replace(config, variables=(*config.variables, *more)), *program.configurations[1:]))


def bodies(program: Program) -> list[tuple[Pou, LadderBody]]:
    """The POUs that are drawn."""
    return [(p, p.body) for p in program.pous.values() if isinstance(p.body, LadderBody) and p.body.rungs]


def with_body(program: Program, pou: Pou, body: LadderBody) -> Program:
    """The program with another body of a POU."""
    return replace(program, pous=program.pous | {pou.name.lower(): replace(pou, body=body)})


class Laws(unittest.TestCase):
    """On random programs, by the plain interpreter."""

    def test_a_contact_that_always_conducts_in_series_or_never_beside_changes_nothing_and_is_taken_out_again(self) -> None:
        tried = dict.fromkeys(("series", "beside", "out"), 0)
        for seed in range(9):
            random = Random(seed)
            program, profile = random_case(random)
            program = with_constants(program)
            log = random_log(random, Controller(program, profile).running)
            before = course(program, profile, log)
            pou, body = random.choice(bodies(program))
            contacts = [e for r in body.rungs if not r.fault for e in r.elements if isinstance(e, (Contact, Coil))]
            if not contacts:
                continue
            one = random.choice(contacts)
            with self.subTest(seed=seed, element=one.id):
                series = rungs.in_series(body, one.id, "Always")
                changed = with_body(program, pou, series)
                self.assertEqual(before, course(changed, profile, log))
                self.assertIs(compare_programs(program, changed).verdict, Verdict.ACTS)
                tried["series"] += 1
                fresh = max(e.id for e in series.elements)
                again = compare_programs(program, with_body(program, pou, rungs.taken_out(series, fresh)))
                self.assertEqual(again.changes, ())
                tried["out"] += 1
                if isinstance(one, Contact):
                    wider = rungs.beside(body, one.id, "Never_On")
                    self.assertEqual(before, course(with_body(program, pou, wider), profile, log))
                    tried["beside"] += 1
                    if one.kind is ContactKind.NORMALLY_OPEN and len(one.wires) == 1:
                        narrower = rungs.taken_out(wider, max(e.id for e in wider.elements))
                        self.assertEqual(compare_programs(program, with_body(program, pou, narrower)).changes, ())
        self.assertTrue(all(n > 3 for n in tried.values()), tried)

    def test_a_coil_behind_a_contact_that_never_conducts_stays_off(self) -> None:
        tried = 0
        for seed in range(12):
            random = Random(seed)
            program = with_constants(random_case(random)[0])
            pou, body = random.choice(bodies(program))
            plain = [(r, e) for r in body.rungs if not r.fault for e in r.elements if isinstance(e, Coil) and e.kind is CoilKind.PLAIN]
            writers = [e.variable.lower() for _, b in bodies(program) for e in b.elements if isinstance(e, Coil)]
            chosen = [(r, e) for r, e in plain if writers.count(e.variable.lower()) == 1 and e.variable.lower().startswith("q")]
            if not chosen or "%" in chosen[0][1].variable:
                continue
            coil = chosen[0][1]
            changed = with_body(program, pou, rungs.in_series(body, coil.id, "Never_On"))
            log = random_log(random, Controller(changed, Profile()).running)
            values = {v for _, v in course(changed, Profile(), log).get(coil.variable.lower(), [])}
            with self.subTest(seed=seed, coil=coil.variable):
                if len(values) > 1:  # another name of the same bit may write it
                    continue
                self.assertEqual(values, {0})
                tried += 1
        self.assertGreater(tried, 0)

    def test_every_change_offered_is_made_written_back_and_taken_back(self) -> None:
        made = 0
        for seed in range(4):
            random = Random(seed)
            data = write_xml(random_case(random)[0])
            program = read(data, Path("p.xml")).value
            pou, body = random.choice(bodies(program))
            element = random.choice([e for r in body.rungs for e in r.elements])
            for choice in rungs.choices(body, element.id):
                text = {"the tag": "X1", "its tag": "X2", "the label": "L9"}.get(choice.asks, "said" if "words" in choice.asks else "X0")
                with self.subTest(seed=seed, choice=choice.label):
                    try:
                        changed = with_body(program, pou, choice.make(text if choice.asks else ""))
                    except ValueError as error:
                        self.assertTrue(str(error))
                        continue
                    fresh = splice(data, program, changed)
                    self.assertNotIn(compare_programs(changed, read(fresh, Path("p.xml")).value).verdict, (Verdict.ACTS, Verdict.MISSING))
                    refuse_unlike(fresh, Path("p.xml"), changed, program)
                    self.assertEqual(splice(data, program, program), data)
                    made += 1
        self.assertGreater(made, 25)

    def test_rungs_are_swapped_and_swapped_back(self) -> None:
        tried = 0
        for seed in range(15):
            program = random_case(Random(seed))[0]
            for pou, body in bodies(program):
                for number in range(1, len(body.rungs)):
                    low, high = body.rungs[number - 1], body.rungs[number]
                    if max(e.y + e.height for e in low.elements) > high.top or low.labels or high.labels:
                        continue
                    there = rungs.swapped(body, number)
                    kinds = [[type(e) for e in sorted(r.elements, key=lambda e: e.id)] for r in (there.rungs[number - 1], there.rungs[number])]
                    if len(there.rungs) == len(body.rungs):
                        self.assertEqual({e.id for e in there.rungs[number - 1].elements}, {e.id for e in high.elements}, (seed, pou.name, number, kinds))
                        tried += 1
        self.assertGreater(tried, 8)


class OnTheBridge(unittest.TestCase):
    """The complaint of the demo, tried away."""

    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.case = cases()["bridge"]
        self.session = load(Paths(self.case.program, (self.case.log,), self.case.iolist, self.case.profile))

    def choice(self, changing: Changing, label: str, rung: tuple[str, int], wanted: str) -> tuple[Changing, object]:
        step = next(s for s in self.session.controller.steps.all if (s.pou, s.rung.number) == rung)
        element = next(e.id for e in step.rung.elements if wanted in (getattr(e, "variable", ""), getattr(e, "instance", ""), getattr(e, "expression", "")))
        return changing, next(c for c in changing.choices(step, element, "") if c.label.startswith(label))

    def test_a_longer_bridging_time_mends_it_and_is_written_under_a_new_name(self) -> None:
        changing = Changing(self.session)
        changing.apply(self.choice(changing, "another PT", ("Permits", 1), "East_Down_T")[1], "T#60ms")  # type: ignore[arg-type]
        answer = ask(self.session, "Raise_Pump", None, None)
        found = changing.compared()
        said = judged(found, answer)
        self.assertIn("the complaint is gone: Raise_Pump stays on", said[0])
        self.assertEqual(found.revision.changes[0].details, ("East_Down_T.PT: T#25ms -> T#60ms",))
        path = self.folder / "mine.xml"
        changing.written(path)
        old, new = self.case.program.read_bytes(), path.read_bytes()
        self.assertEqual(old.replace(b"T#25ms", b"T#60ms", 1), new)
        with self.assertRaises(UsageError):
            changing.written(path)
        changing.written(path, replaces=True)
        self.assertEqual(path.read_bytes(), new)
        with self.assertRaises(UsageError):
            changing.written(self.case.program, replaces=True)
        with self.assertRaises(UsageError):
            changing.written(self.folder / "mine.st")

    def test_a_bypass_is_told_from_a_cure_by_what_stands_still(self) -> None:
        changing = Changing(self.session)
        changing.apply(self.choice(changing, "a normally open contact before it", ("Leaf_Drive", 7), "Raise_Pump")[1], "Fresh_Lock")  # type: ignore[arg-type]
        found = changing.compared()
        said = judged(found, ask(self.session, "Raise_Pump", None, None))
        self.assertIn("it no longer comes on as it did", said[0])
        self.assertTrue(any(s.startswith("no longer change") and "Raise_Pump" in s for s in said), said)
        self.assertIsNotNone(found.new.running.by_name.get("fresh_lock"))
        self.assertEqual(changing.undo().partition(":")[0], "a normally open contact before it")
        self.assertEqual(changing.program, self.session.program)
        self.assertEqual(changing.redo().partition(":")[0], "a normally open contact before it")

    def test_a_log_is_bound_by_name_where_tags_are_numbered_otherwise(self) -> None:
        changing = Changing(self.session)
        changing.apply(self.choice(changing, "a normally open contact before it", ("Permits", 1), "East_Down")[1], "Aaa_First")  # type: ignore[arg-type]
        one, other = self.session, changing.session()
        for row in range(0, len(one.log.times), 997):
            self.assertEqual(one.running.tags[int(one.log.tags[row])].name, other.running.tags[int(other.log.tags[row])].name)
        self.assertEqual(len(one.iolist.points), len(other.iolist.points))

    def test_declarations(self) -> None:
        program = self.session.program
        before = compare_programs(program, program)
        self.assertIs(before.verdict, Verdict.SAME)
        by_label = {c.label: c for c in declarations.choices(program, "Permits", "East_Down_LS")}
        moved = by_label["East_Down_LS: another address"].make("%IX9.1")
        self.assertEqual([(c.what.value, c.new) for c in compare_programs(program, moved).changes], [("tag", "%IX9.1")])
        for label, text in (("another address", "no place"), ("another type", "NOTYPE"), ("what it starts with", "much")):
            with self.assertRaises(ValueError):
                by_label[f"East_Down_LS: {label}"].make(text)

    def test_a_statement_is_edited_as_text(self) -> None:
        path, log = self.folder / "t.st", self.folder / "t.csv"
        path.write_text("PROGRAM Main VAR_EXTERNAL A, B, Y : BOOL; END_VAR\n  (* both *)\n  Y := A AND B;\nEND_PROGRAM\n"
                        "CONFIGURATION C VAR_GLOBAL A AT %IX0.0 : BOOL; B AT %IX0.1 : BOOL; Y AT %QX0.0 : BOOL; END_VAR\n"
                        "RESOURCE R ON C PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION\n")
        log.write_text("time,tag,value\n0,A,1\n0,B,0\n1,B,1\n")
        session = load(Paths(path, (log,)))
        changing = Changing(session)
        line = changing.choices(session.controller.steps.all[0], 0, "")[0]
        self.assertEqual(line.before, "Y := A AND B;")
        with self.assertRaises(ValueError):
            changing.apply(line, "Y := A AND")
        changing.apply(line, "Y := A OR B;")
        found = changing.compared()
        self.assertEqual([(e.difference.tag, e.difference.first) for e in found.effects], [("Y", 0)])
        made = self.folder / "new.st"
        changing.written(made)
        with self.subTest("after a statement was put in above, the next one still is the next one"):
            path.write_text(path.read_text().replace("Y := A AND B;", "Y := A AND B;\n  IF A THEN  // held\n    Z := B;\n  END_IF;").replace("Y : BOOL; END", "Y, Z : BOOL; END")
                            .replace("Y AT %QX0.0 : BOOL;", "Y AT %QX0.0 : BOOL; Z : BOOL;"))
            longer = load(Paths(path, (log,)))
            two = Changing(longer)
            first, second = longer.controller.steps.all
            two.apply(two.choices(first, 0, "")[0], "Y := A; Y := Y AND B;")
            line = two.choices(second, 0, "")[0]
            self.assertEqual(line.before, "IF A THEN (* held *) Z := B; END_IF;")
            two.apply(line, line.before.replace("Z := B", "Z := NOT B"))
            self.assertIn("Z", {e.difference.tag for e in two.compared().effects})
            self.assertNotIn("Y", {e.difference.tag for e in two.compared().effects})
        path.write_text(made.read_text().replace("A OR B", "A AND B"))
        self.assertEqual(made.read_text(), path.read_text().replace("A AND B", "A OR B"))
        self.assertIs(compare_programs(changing.program, read_program(made).value).verdict, Verdict.SAME)


class TwoContactors(unittest.TestCase):
    """From the bench to a program that is mended: two buttons in one scan, a lock that lets one close, the interlock, the same log."""

    def test_the_fault_is_made_by_hand_recorded_and_mended(self) -> None:
        def draw(one: Ladder) -> None:
            one.rung(no("X0"), coil("Y0"))
            one.rung(no("X1"), coil("Y1"))
            one.rung(no("X2"), nc("X3"), coil("Y2"))

        with TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "p.xml").write_bytes(write_xml(program_of(draw, "X0 X1 X2 X3 Y0 Y1 Y2")))
            session = load(Paths(folder / "p.xml"))
            x0, x1, x2, x3, y0, y1 = (session.tag(n) for n in ("X0", "X1", "X2", "X3", "Y0", "Y1"))
            parts = (Contactor("Y0", "X2", 15, 12, ("Y1",)), Contactor("Y1", "X3", 18, 14, ("Y0",)))
            bench = Bench(session, None, lambda: MovingMachine(("X0", "X1", "X2", "X3"), (), parts))
            bench.step(3)
            bench.prepare(x0, 1)
            bench.prepare(x1, 1)
            bench.apply()
            bench.run(200_000_000)
            self.assertEqual([bench.value(t) for t in (y0, y1, x2, x3)], [1, 1, 1, 0])
            bench.save(folder / "log.csv")
            bench.close()
            recorded = load(Paths(folder / "p.xml", (folder / "log.csv",)))
            answer = ask(recorded, "Y1", None, Symptom.WILL_NOT_DROP_OUT)
            self.assertTrue(answer.roots)
            changing = Changing(recorded)
            step = recorded.controller.steps.all[1]
            coil_of = next(e.id for e in step.rung.elements if isinstance(e, Coil))
            changing.apply(next(c for c in changing.choices(step, coil_of, "Y1") if c.label == "a normally closed contact before it"), "Y0")
            found = changing.compared()
            self.assertIn("the complaint is gone: Y1 is off", judged(found, answer)[0])
            self.assertEqual({e.difference.tag for e in found.effects if e.output}, {"Y1"})
            changing.written(folder / "mended.xml")
            mended = load(Paths(folder / "mended.xml", (folder / "log.csv",)))
            last = mended.journal.clock.last
            self.assertEqual([mended.journal.settled(mended.tag(n), last) for n in ("Y0", "Y1")], [1, 0])
            self.assertEqual(changing.undo().partition(":")[0], "a normally closed contact before it")
            self.assertEqual(splice((folder / "p.xml").read_bytes(), recorded.program, changing.program), (folder / "p.xml").read_bytes())


if __name__ == "__main__":
    unittest.main()
