"""Rungs typed as lines on a loaded program: judged by effect, names declared, written back."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import msgspec

from tests.building import program_of
from whorlograph.desk.asking import ask
from whorlograph.desk.bench import Bench
from whorlograph.desk.changing import Changing, judged
from whorlograph.desk.job import Desk, Edit, Job, Version
from whorlograph.desk.job_files import job_of
from whorlograph.desk.session import Paths, Session, load
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.inquiry.revisions.change import Verdict
from whorlograph.inquiry.revisions.programs import compare_programs
from whorlograph.model.edit.choice import Choice
from whorlograph.model.edit.declarations import declared
from whorlograph.model.parts import Ladder, call, coil, either, nc, no, rises, timer
from whorlograph.model.program import Program
from whorlograph.model.question import Symptom
from whorlograph.model.types import Elementary, Named


def choice(changing: Changing, step: int, label: str) -> Choice[Program]:
    """What is offered at a step under a label."""
    one = changing.original.controller.steps.all[step]
    return next(c for c in changing.choices(one, one.rung.elements[0].id, "") if c.label.startswith(label))


class Lines(unittest.TestCase):
    """A program with a seal-in, a sum that grows too large, and a delay."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))

        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("Y1")), nc("X2"), coil("Y1"), comment="pump one")
            ladder.rung(rises("X3"), call("ADD", ("IN1", "N1"), ("IN2", "1000"), out="N1"))
            ladder.rung(no("X4"), timer("TON", "T1", "T#200ms"), coil("Y2"))

        (self.folder / "p.xml").write_bytes(write_xml(program_of(draw, "X1 X2 X3 X4 N1 Y1 Y2", "T1:TON")))
        rows = ["time,tag,value", "0,X1,0", "0,X2,0", "0,X4,1", "0.5,X1,1", "0.7,X1,0", *(f"{1 + n / 10:.1f},X3,{1 - n % 2}" for n in range(100)), "20,X2,0"]
        (self.folder / "log.csv").write_text("\n".join(rows) + "\n")

    def session(self) -> Session:
        return load(Paths(self.folder / "p.xml", (self.folder / "log.csv",)))

    def test_an_overflow_mended_by_a_guard_by_its_type_and_hidden_by_a_bypass(self) -> None:
        session = self.session()
        self.assertIsNotNone(session.journal.fault)
        answer = ask(session, "Y1", None, Symptom.DROPPED_OUT)
        changing = Changing(session)
        guard = choice(changing, 1, "the whole rung, as a line")
        self.assertEqual(guard.before, "^X3 ADD(IN1 := N1, IN2 := 1000, OUT => N1)")
        changing.apply(guard, "^X3 N1 < 30000 ADD(N1, 1000, OUT => N1)")
        said = judged(changing.compared(), answer)
        self.assertIn("the complaint is gone", said[0])
        self.assertTrue(any("halts before" in s for s in said), said)
        self.assertFalse(any("halts with the change" in s or "no longer change" in s for s in said), said)
        changing.undo()
        step = session.controller.steps.all[1]
        changing.apply(next(c for c in changing.choices(step, step.rung.elements[0].id, "N1") if c.label == "N1: another type"), "DINT")
        said = judged(changing.compared(), answer)
        self.assertIn("the complaint is gone", said[0])
        self.assertFalse(any("halts with the change" in s or "no longer change" in s for s in said), said)
        changing.undo()
        changing.apply(choice(changing, 1, "a new rung above it"), "Off_For_Now -> Past")
        changing.apply(choice(changing, 2, "the rung's label"), "Past")
        self.assertIn("halts with the change", "".join(judged(changing.compared(), answer)), "the jump is not taken: nothing has changed")
        changing.undo()
        changing.undo()
        changing.apply(choice(changing, 1, "a new rung above it"), "/Off_For_Now -> Past")
        changing.apply(choice(changing, 2, "the rung's label"), "Past")
        said = judged(changing.compared(), answer)
        self.assertIn("the complaint is gone", said[0])
        self.assertTrue(any(s.startswith("no longer changes: N1") for s in said), said)

    def test_names_are_declared_as_they_are_used_and_all_is_written_back(self) -> None:
        session = self.session()
        changing = Changing(session)
        changing.apply(choice(changing, 0, "a new rung below it"), "Y1 Level > 2.5 [Fresh | Sum >= N1] Long_T:TON(PT := Pause) (S Tired)")
        types = {n: found[1].type for n in ("Long_T", "Pause", "Level", "Fresh", "Sum", "Tired") if (found := declared(changing.program, "Main", n)) is not None}
        self.assertEqual({n: t.name for n, t in types.items() if isinstance(t, (Elementary, Named))},
                         {"Long_T": "TON", "Pause": "INT", "Level": "REAL", "Fresh": "BOOL", "Sum": "INT", "Tired": "BOOL"})
        changing.undo()
        changing.apply(choice(changing, 0, "a new rung below it"), "Y1 [Fresh | N1 >= 7000] Long_T:TON(PT := T#2s) (S Tired)")
        found = changing.compared()
        last = found.new.journal.clock.last
        self.assertEqual(found.new.journal.settled(found.new.tag("Tired"), last), 1)
        self.assertEqual(changing.state, "not written to a file yet: e writes it")
        changing.written(self.folder / "new.xml")
        self.assertEqual(changing.state, "written as new.xml")
        again = load(Paths(self.folder / "new.xml", (self.folder / "log.csv",)))
        self.assertIs(compare_programs(changing.program, again.program).verdict, Verdict.SAME)
        self.assertEqual(again.journal.settled(again.tag("Tired"), again.journal.clock.last), 1)
        changing.undo()
        self.assertEqual(splice((self.folder / "p.xml").read_bytes(), session.program, changing.program), (self.folder / "p.xml").read_bytes())
        for line, why in (("A X9:NOTHING(IN := A) (B)", "is no block"), ("A T1:CTU(PV := 3) (B)", "T1 is declared already")):
            with self.assertRaises(ValueError) as caught:
                changing.apply(choice(changing, 0, "a new rung below it"), line)
            self.assertIn(why, str(caught.exception))
        self.assertEqual(changing.steps, [])

    def test_a_copy_with_other_tags(self) -> None:
        changing = Changing(self.session())
        copy = choice(changing, 0, "a copy below it")
        for wrong, why in (("nonsense", "OLD=NEW"), ("Q7=Q8", "none of Q7")):
            with self.assertRaises(ValueError) as caught:
                changing.apply(copy, wrong)
            self.assertIn(why, str(caught.exception))
        changing.apply(copy, "Y1=Y7, X1=Start_7")
        self.assertEqual(choice(changing, 0, "the whole rung").before, "[X1 | Y1] /X2 (Y1)")
        lines = [c.before for n in (2,) for c in [self.line_of(changing, n)]]
        self.assertEqual(lines, ["[Start_7 | Y7] /X2 (Y7)"])
        with self.assertRaises(ValueError) as caught:
            changing.apply(choice(changing, 2, "a copy below it"), "Y2=Y8")
        self.assertIn("T1 would be executed twice", str(caught.exception))
        changing.apply(choice(changing, 2, "a copy below it"), "Y2=Y8, T1=T8")
        found = declared(changing.program, "Main", "T8")
        self.assertIsNotNone(found)

    def test_more_of_a_kind_each_checks_all_others(self) -> None:
        def lanes(ladder: Ladder) -> None:
            ladder.rung(no("Start_1"), nc("Lane_2"), nc("Stop"), coil("Lane_1"))
            ladder.rung(no("Start_2"), nc("Lane_1"), nc("Stop"), coil("Lane_2"))
            ladder.rung(either(no("Lane_1"), no("Lane_2")), coil("Busy"))

        (self.folder / "two.xml").write_bytes(write_xml(program_of(lanes, "Start_1 Start_2 Stop Lane_1 Lane_2 Busy")))
        changing = Changing(load(Paths(self.folder / "two.xml")))
        kind = choice(changing, 0, "more of its kind")
        for wrong, why in (("2", "is there already"), ("x", "write the numbers")):
            with self.assertRaises(ValueError) as caught:
                changing.apply(kind, wrong)
            self.assertIn(why, str(caught.exception))
        changing.apply(kind, "3, 4")
        lines = [self.line_of(changing, n).before for n in range(1, 6)]
        self.assertEqual(lines, ["Start_1 /Lane_2 /Lane_3 /Lane_4 /Stop (Lane_1)", "Start_2 /Lane_1 /Lane_3 /Lane_4 /Stop (Lane_2)",
                                 "Start_3 /Lane_1 /Lane_2 /Lane_4 /Stop (Lane_3)", "Start_4 /Lane_1 /Lane_2 /Lane_3 /Stop (Lane_4)",
                                 "[Lane_1 | Lane_2] (Busy)"])
        bench = Bench(changing.session())
        for tag in ("Start_3", "Start_1", "Start_4", "Start_2"):
            bench.prepare(bench.session.tag(tag), 1)
            bench.apply()
            bench.step()
        self.assertEqual([bench.value(bench.session.tag(f"Lane_{n}")) for n in range(1, 5)], [0, 0, 1, 0])
        self.assertFalse(any(c.label.startswith("more of its kind") for c in changing.choices(changing.original.controller.steps.all[2], 0, "")))

    def test_versions_are_kept_made_again_and_laid_beside_one_another(self) -> None:
        session = self.session()
        changing = Changing(session)
        for step, label, text in ((0, "a new rung below it", "X4 (Y9)"), (1, "the whole rung, as a line", "^X3 N1 < 30000 ADD(N1, 1000, OUT => N1)"),
                                  (2, "the rung's comment", "two of them")):
            one = session.controller.steps.all[step]
            element = one.rung.elements[0].id
            changing.apply(next(c for c in changing.choices(one, element, "") if c.label.startswith(label)), text, (step, element, ""))
        changing.name = "guarded"
        kept = job_of(msgspec.json.decode(msgspec.json.encode(Job(versions=(changing.version, Version("", changing.version.edits[:1])))))).versions
        self.assertEqual(kept, (changing.version, Version("", changing.version.edits[:1])))
        again = Changing(session)
        self.assertEqual(again.again(kept[0]), "")
        self.assertEqual((again.program, again.name), (changing.program, "guarded"))
        self.assertEqual([again.undo() for _ in range(4)], [*(s.what for s in changing.steps[::-1]), ""])
        beside = changing.beside(kept[1])
        self.assertEqual(beside.names, ("the changes without a name", "version guarded"))
        self.assertEqual(len(beside.revision.acting), 1, "the new rung stands in both")
        self.assertEqual([bool(f) for f in beside.faults], [True, False])
        self.assertFalse(beside.is_change)
        lost = again.again(Version("x", (Edit(0, 1, "", "no such change"), kept[0].edits[0])))
        self.assertIn("no such change could not be made again", lost)
        self.assertEqual(again.steps, [])

    def test_a_job_keeps_one_version_of_each_name(self) -> None:
        desk = Desk(None, Job())
        one, two = Version("", (Edit(0, 1, "", "a"),)), Version("", (Edit(0, 1, "", "b"),))
        desk.keep_version(one)
        desk.set_aside_version()
        desk.keep_version(two)
        desk.set_aside_version()
        self.assertEqual([v.name for v in desk.job.versions], ["earlier 1", "earlier 2"])
        desk.keep_version(Version("Earlier 1", two.edits))
        self.assertEqual([v.name for v in desk.job.versions], ["earlier 2", "Earlier 1"])
        desk.keep_version(Version("earlier 1"))
        self.assertEqual([v.name for v in desk.job.versions], ["earlier 2"])

    def line_of(self, changing: Changing, number: int) -> Choice[Program]:
        """The line of a rung as it is by now."""
        from whorlograph.desk.rung_lines import line_choices

        return line_choices(changing.program, "Main", number)[0]

    def test_after_rungs_came_and_went_a_place_is_found_by_what_it_does(self) -> None:
        changing = Changing(self.session())
        changing.apply(choice(changing, 0, "a new rung above it"), "X1 (Y9)")
        changing.apply(choice(changing, 2, "the whole rung, as a line"), "X4 X1 (Y2)")
        self.assertEqual(choice(changing, 2, "the whole rung, as a line").before, "X4 X1 (Y2)")
        self.assertEqual(choice(changing, 1, "the whole rung, as a line").before, "^X3 ADD(IN1 := N1, IN2 := 1000, OUT => N1)")


if __name__ == "__main__":
    unittest.main()
