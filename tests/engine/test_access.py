"""Who uses what: read off the code, held against what the engine wrote and what steps executed again read."""

from __future__ import annotations

import unittest

from tests.building import controller_of, program_of
from tests.engine.test_evaluate import Law
from tests.engine.test_front import Sheet, pin, program, variable
from whorlograph.engine.access import How, Use
from whorlograph.engine.controller import Controller
from whorlograph.engine.evaluate.steps import Moment
from whorlograph.model.parts import Ladder, call, coil, either, jump, nc, no, timer
from whorlograph.model.program import Pou, PouKind, VariableKind


class ByHand(unittest.TestCase):
    """Small programs, each use named."""

    def told(self, controller: Controller, step: int) -> list[tuple[str, str, bool]]:
        return [(self.name(controller, u), str(u.how), u.writes) for u in controller.access.of_step(step)]

    def name(self, controller: Controller, use: Use) -> str:
        return controller.running.tags[use.tag].name + ("[..]" if use.terms else "")

    def hanging(self, controller: Controller, step: int) -> dict[str, set[str]]:
        return {self.name(controller, w): {self.name(controller, r) for r in reads} for w, reads in controller.access.hangs_on(step)}

    def test_contacts_coils_and_a_timer(self) -> None:
        controller = controller_of(program_of(
            lambda p: p.rung(either(no("X1"), no("Y1")), nc("X2"), timer("TON", "T1", "T#30ms"), coil("Y1")), "X1 X2 Y1", "T1:TON"))
        pins = [(f"Main.T1.{name}", "block", True) for name in ("IN", "PT", "Q", "ET")]
        self.assertEqual(self.told(controller, 0), [("X1", "read", False), ("Y1", "read", False), ("X2", "read", False), *pins, ("Y1", "write", True)])
        hangs = self.hanging(controller, 0)
        self.assertEqual(hangs["Y1"], {"X1", "X2", "Y1"})
        self.assertEqual(hangs["Main.T1.PT"], set())

    def test_an_enable_decides_what_is_written_behind_it(self) -> None:
        controller = controller_of(program_of(lambda p: p.rung(no("X1"), call("ADD", ("IN1", "N1"), ("IN2", "N2"), out="N3")), "X1 N1 N2 N3"))
        self.assertEqual(self.hanging(controller, 0), {"N3": {"X1", "N1", "N2"}})

    def test_the_condition_of_a_jump(self) -> None:
        def draw(p: Ladder) -> None:
            p.rung(no("X1"), nc("X2"), jump("End"))
            p.rung(no("X3"), coil("Y1"))
            p.label("End")
            p.rung(no("X3"), coil("Y2"))
        controller = controller_of(program_of(draw, "X1 X2 X3 Y1 Y2"))
        (reads,) = controller.access.conditions(0).values()
        self.assertEqual([self.name(controller, r) for r in reads], ["X1", "X2"])

    def test_what_is_handed_to_a_block_is_used_where_the_block_works(self) -> None:
        inner, outer = Sheet(), Sheet()
        inner.out("N", (inner.block("ADD", pin("IN1", inner.value("N")), pin("IN2", inner.value("By"))), "OUT"))
        outer.block("Up", pin("By", outer.value("A")), instance="One", outs=(), in_outs=(pin("N", outer.both("B[I]")),))
        outer.block("Up", pin("By", outer.value("3")), instance="Two", outs=(), in_outs=(pin("N", outer.both("C")),))
        block = Pou("Up", PouKind.FUNCTION_BLOCK, (variable("By:INT", VariableKind.INPUT), variable("N:INT", VariableKind.IN_OUT)), inner.body())
        controller = controller_of(program(outer.body(), "A:INT=2 B:[1..3] I:INT=2 C:INT", (block,), "One:Up Two:Up"))
        inside = {s.instance.name: s.index for s in controller.steps.all if s.pou == "Up"}
        self.assertEqual(self.hanging(controller, inside["Main.One"]), {"B[1][..]": {"B[1][..]", "Main.One.By"}})
        self.assertEqual(self.hanging(controller, inside["Main.Two"]), {"C": {"C", "Main.Two.By"}})
        third = controller.running.by_name["b[3]"]
        self.assertEqual({(u.how, u.writes) for u in controller.access.of_tag(third)},
                         {(How.READ, False), (How.WRITE, True), (How.HANDED, False), (How.HANDED, True)})
        index = controller.running.by_name["i"]
        self.assertEqual({(u.how, u.writes) for u in controller.access.of_tag(index)}, {(How.SUBSCRIPT, False)})
        self.assertIn(third, controller.written)
        self.assertNotIn(index, controller.written)

    def test_an_element_of_a_structure_s_field_is_told_from_its_neighbours(self) -> None:
        use = Use(10, 0, 1, How.READ, False, ((4, 6), (3, 2)))  # four rows of three, two cells each, the first of each
        every = set(use.tags())
        self.assertEqual(len(every), 12)
        for tag in range(5, 40):
            self.assertEqual(use.may_be(tag), tag in every, tag)


class OnRandomPrograms(unittest.TestCase):
    """What happens is a use that was told."""

    def test_every_row_is_a_write_and_every_value_read_a_read(self) -> None:
        rows = reads = 0
        for seed in range(20):
            law = Law(seed, tasked=seed % 3 == 0)
            journal, access, public = law.journal, law.c.access, law.c.running.public
            writes = {step: [u for u in access.of_step(step) if u.writes] for step in law.c.calls.instance_of}
            for row in range(min(len(journal), 800)):
                step, tag = journal.step(row), journal.tag(row)
                if step >= 0 and tag < public:
                    near = {tag} | {s.other for s in law.again.shares.get(tag, ())}
                    self.assertTrue(any(u.may_be(t) for u in writes[step] for t in near), (seed, step, tag))
                    self.assertTrue(tag in law.c.written or near & law.c.written, (seed, tag))
                    rows += 1
            for step, first, behind in law.groups()[:60]:
                result = law.again.at(journal, step, Moment(journal.scan(first), first, behind))
                used = access.of_step(step)
                origins = law.c.code.bodies[law.c.calls.instance(step).body].origins
                for at in result.raws:
                    tag = result.cells[at].number
                    if tag < public and origins[at].what in ("", "gate"):  # else a wire from a block's output
                        self.assertTrue(any(u.may_be(tag) for u in used), (seed, step, tag))
                        reads += 1
        self.assertGreater(rows, 1200)
        self.assertGreater(reads, 3000)

    def test_what_is_written_is_what_steps_write(self) -> None:
        for seed in range(40):
            c = Law(seed, tasked=seed % 2 == 1).c
            every = {t for u in c.access.all if u.writes for t in u.tags() if t < c.running.public}
            self.assertEqual(every, {t for t in c.written if t < c.running.public}, seed)


if __name__ == "__main__":
    unittest.main()
