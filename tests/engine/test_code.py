"""Code built by hand, as languages other than ladder will make it: loops, scopes, subscripts, copies, references, functions."""

from __future__ import annotations

import unittest
from random import Random

from msgspec.structs import replace

from tests.building import MS, controller_of, log_of, program_with
from tests.strategies import random_case
from whorlograph.engine.check_code import faults_of
from whorlograph.engine.code import (
    Action,
    Base,
    Body,
    Call,
    Code,
    Const,
    Convert,
    Copy,
    Exit,
    If,
    Instance,
    Leave,
    Let,
    Load,
    Loop,
    Op,
    Origin,
    Param,
    Scope,
    Slot,
    Spot,
    Step,
    Store,
    Target,
    Term,
)
from whorlograph.engine.code_text import code_text
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.model.profile import Overflow
from whorlograph.model.program import Configuration, Program, Variable, VariableKind
from whorlograph.model.types import BOOL, DINT, ELEMENTARY, INT, ArrayOf

TAGS = "X1 N1 N2 N3 Y1"


def _program() -> Program:
    """One rung that is never looked at, and globals: TAGS, an array A of ten INT, a WORD, a DINT."""
    ladder = Ladder()
    ladder.rung(no("X1"), coil("Y1"))
    program = program_with({"Main": ladder.body()}, TAGS)
    config = program.configurations[0]
    more = (Variable("A", ArrayOf(((0, 9),), INT), VariableKind.GLOBAL), Variable("W1", ELEMENTARY["WORD"], VariableKind.GLOBAL),
            Variable("D1", DINT, VariableKind.GLOBAL), Variable("B1", BOOL, VariableKind.GLOBAL))
    return replace(program, configurations=(Configuration("C", config.resources, config.variables + more),))


class ByHand(unittest.TestCase):
    """Each test replaces the program's code by its own, and replays it."""

    def setUp(self) -> None:
        self.controller: Controller = controller_of(_program())
        self.running = self.controller.running

    def tag(self, name: str, terms: tuple[Term, ...] = (), bit: int = -1) -> Target:
        one = self.running.tags[self.running.by_name[name.lower()]]
        return Target(Base.GLOBAL, one.index, one.type.name, terms, max(0, bit), int(bit >= 0))

    def load(self, name: str) -> Load:
        target = self.tag(name)
        return Load(target, target.type, 0)

    def element(self, name: str) -> Target:
        """A[name]."""
        return self.tag("A[0]", (Term(Convert("WIDEN", "LINT", self.load(name), 0), 0, 9, 1, 0),))

    def store(self, name: str, value: object) -> Store:
        return Store(self.tag(name), value, 0)  # type: ignore[arg-type]

    def code(self, *actions: Action, bodies: tuple[Body, ...] = (), instances: tuple[Instance, ...] = (), exits: tuple[Exit, ...] = (),
             more: tuple[Step, ...] = ()) -> Code:
        main = Body("Main", (Step(actions, exits), *more), (), (), (), 0, (Origin(0, 1),) * 8)
        first = self.controller.code.instances[0]
        return Code((*bodies, main), (replace(first, body=len(bodies)), *instances), self.running.public, len(self.running.tags),
                    len(self.running.tags) + 8, 1 + len(more) + sum(len(b.steps) for b in bodies))

    def run_code(self, code: Code, rows: list[tuple[int, str, int]] | None = None, **profile: object) -> Journal:
        self.assertEqual(faults_of(code), [])
        self.assertTrue(code_text(code))
        self.controller.code, self.controller._compiled = code, None
        self.controller.profile = replace(self.controller.profile, **profile)
        return self.controller.replay(log_of(self.controller, rows or [(0, "X1", 1), (100, "X1", 1)]))

    def last(self, journal: Journal, name: str) -> int:
        return journal.settled(self.running.by_name[name.lower()], journal.clock.last)

    def counted(self, name: str, by: int = 1) -> Op:
        return Op("ADD", "INT", (self.load(name), Const(by, "INT")), 0)

    def loop(self, *inside: Action, limit: int = 5) -> Scope:
        """FOR N1 := 0 TO limit: inside (a scope of its own: CONTINUE leaves it)."""
        past = Op("GT", "BOOL", (self.load("N1"), Const(limit, "INT")), 0)
        return Scope((self.store("N1", Const(0, "INT")),
                      Loop((If(past, (Leave(0),), (), 0), Scope(inside), self.store("N1", self.counted("N1"))), 0)))

    def test_a_counted_loop_with_subscripts(self) -> None:
        journal = self.run_code(self.code(self.loop(Store(self.element("N1"), Op("MUL", "INT", (self.load("N1"), self.load("N1")), 0), 0), limit=9)))
        self.assertEqual([self.last(journal, f"A[{i}]") for i in range(10)], [i * i for i in range(10)])

    def test_continue_and_exit_leave_the_scopes_they_name(self) -> None:
        even = Op("EQ", "BOOL", (Op("MOD", "INT", (self.load("N1"), Const(2, "INT")), 0), Const(0, "INT")), 0)
        seven = Op("EQ", "BOOL", (self.load("N1"), Const(7, "INT")), 0)
        # Sum of the odd numbers before 7: CONTINUE leaves the inner scope, EXIT the one around the loop.
        journal = self.run_code(self.code(self.store("N2", Const(0, "INT")), self.loop(
            If(even, (Leave(0),), (), 0), If(seven, (Leave(1),), (), 0),
            self.store("N2", Op("ADD", "INT", (self.load("N2"), self.load("N1")), 0)), limit=20)))
        self.assertEqual((self.last(journal, "N2"), self.last(journal, "N1")), (1 + 3 + 5, 7))

    def test_a_subscript_out_of_range_halts_and_writes_nothing_more(self) -> None:
        journal = self.run_code(self.code(self.store("N3", Const(4, "INT")), self.loop(Store(self.element("N1"), Const(1, "INT"), 0), limit=12),
                                          self.store("N3", Const(5, "INT"))))
        self.assertEqual((journal.fault.code, journal.fault.text, journal.fault.element) if journal.fault else None,
                         ("array index", "index 10 is outside 0 to 9", 1))
        self.assertEqual(self.last(journal, "N3"), 4)

    def test_each_pass_is_a_step_and_takes_time(self) -> None:
        code = self.code(self.loop(limit=9), self.store("Y1", self.load("X1")))
        # One step and eleven passes (the eleventh finds the end).
        journal = self.run_code(code, rung_time=MS)
        self.assertEqual(journal.lengths.tolist(), [[1, 12 * MS]])
        late = self.run_code(code, rung_time=MS, watchdog=8 * MS)
        self.assertEqual((late.fault.code, late.fault.number) if late.fault else None, ("watchdog", 9))

    def test_an_endless_loop_ends_in_too_many_steps(self) -> None:
        journal = self.run_code(self.code(Scope((Loop((self.store("N1", Const(3, "INT")),), 0),))))
        self.assertEqual((journal.fault.code, journal.fault.number) if journal.fault else None, ("too many steps", 1_000_001))

    def test_an_array_is_copied_onto_itself_both_ways(self) -> None:
        fill = self.loop(Store(self.element("N1"), self.load("N1"), 0), limit=9)
        a0 = self.running.by_name["a[0]"]
        for source, target, expected in ((0, 3, [0, 1, 2, 0, 1, 2, 3, 4, 5, 6]), (3, 0, [3, 4, 5, 6, 7, 8, 9, 7, 8, 9])):
            with self.subTest(source=source):
                self.setUp()
                copy = Copy(Target(Base.GLOBAL, a0 + target, "INT"), Target(Base.GLOBAL, a0 + source, "INT"), 7, 0)
                journal = self.run_code(self.code(fill, copy), [(0, "X1", 1), (5, "X1", 1)])
                self.assertEqual([self.last(journal, f"A[{i}]") for i in range(10)], expected)

    def test_references_to_tags_elements_and_bits(self) -> None:
        # A body that adds 10 to its VAR_IN_OUT number and turns its VAR_IN_OUT bit on.
        number, bit = Target(Base.PARAM, 0, "INT", (), 0, 0, 0), Target(Base.PARAM, 0, "BOOL", (), 0, 0, 1)
        body = Body("Both", (Step((Store(number, Op("ADD", "INT", (Load(number, "INT", 0), Const(10, "INT")), 0), 0),
                                   Store(bit, Op("NOT", "BOOL", (Load(bit, "BOOL", 0),), 0), 0))),), (Param("n", "cell"), Param("b", "bit")), (), (), 0,
                    (Origin(0, 1),))
        where = Spot(Base.GLOBAL, 1)
        calls = (self.store("N1", Const(3, "INT")), self.store("D1", Op("ADD", "DINT", (self.load("D1"), Const(1, "DINT")), 0)),
                 Call(0, where, (), (self.tag("N2"), self.tag("W1", bit=5)), (), 0),
                 Call(0, where, (), (self.element("N1"), self.tag("B1")), (), 0),
                 Call(0, where, (), (None, None), (), 0))
        one = Instance("", 0, len(self.running.tags), len(self.running.tags), 1, 2)
        # X1 toggles each scan, so that the step is evaluated each time: three scans.
        code = self.code(If(Op("EQ", "BOOL", (self.load("X1"), self.load("X1")), 0), calls, (), 0), bodies=(body,), instances=(one,))
        journal = self.run_code(code, [(0, "X1", 1), (10, "X1", 0), (20, "X1", 1)])
        self.assertEqual([self.last(journal, n) for n in ("N2", "A[3]", "W1", "B1", "D1")], [30, 30, 1 << 5, 1, 3])

    def test_a_function_begins_anew_and_gives_its_result(self) -> None:
        # F(n) := n + k; k := k + 1, with k = 4 at each call: its frame lies behind the tags.
        frame = len(self.running.tags)
        n, k, result = (Target(Base.FRAME, i, "INT") for i in range(3))
        body = Body("F", (Step((Store(result, Op("ADD", "INT", (Load(n, "INT", 0), Load(k, "INT", 0)), 0), 0),
                                Store(k, Op("ADD", "INT", (Load(k, "INT", 0), Const(1, "INT")), 0), 0))),), (),
                    ((n, 0), (k, 4), (result, 0)), (), 0, (Origin(0, 1),), 1)
        one = Instance("F", 0, frame, frame + 4, 1, 2)
        code = self.code(Call(0, Spot(Base.GLOBAL, 1), ((0, Const(10, "INT")),), (), ((2, 0, "INT"),), 0), self.store("N1", Slot(0, "INT")),
                         Call(0, Spot(Base.GLOBAL, 1), ((0, self.load("N1")),), (), ((2, 1, "INT"),), 0), self.store("N2", Slot(1, "INT")),
                         bodies=(body,), instances=(one,))
        journal = self.run_code(code)
        self.assertEqual((self.last(journal, "N1"), self.last(journal, "N2")), (14, 18))

    def test_a_subrange_is_held_as_the_profile_says(self) -> None:
        value = Convert("RANGE", "INT", Const(12, "INT"), 0, 3, 7)
        for mode, expected in (("saturate", 7), ("wrap", 3 + (12 - 3) % 5), ("halt", 0)):
            with self.subTest(mode):
                self.setUp()
                journal = self.run_code(self.code(self.store("N1", value)), on_overflow=Overflow(mode))
                self.assertEqual((self.last(journal, "N1"), journal.fault is not None), (expected, mode == "halt"))

    def test_a_step_that_reads_any_element_of_a_long_array_is_woken_by_each(self) -> None:
        read = Step((self.store("N2", Load(self.element("N1"), "INT", 0)),))
        code = self.code(self.store("N1", Op("SEL", "INT", (self.load("X1"), Const(2, "INT"), Const(7, "INT")), 0)), more=(read, Step((
            If(self.load("X1"), (Store(self.tag("A[7]"), Const(70, "INT"), 0),), (Store(self.tag("A[2]"), Const(20, "INT"), 0),), 0),))))
        journal = self.run_code(code, [(0, "X1", 0), (50, "X1", 1), (100, "X1", 1)])
        self.assertEqual(self.last(journal, "N2"), 70)
        scans, values = journal.history(self.running.by_name["n2"])
        # Written after it was read: seen one scan later.
        self.assertEqual(list(zip(scans.tolist(), values.tolist(), strict=True)), [(2, 20), (6, 0), (7, 70)])


class Rules(unittest.TestCase):
    """What the checker says of code that breaks a rule, and of code that the front makes."""

    def test_code_of_random_programs_breaks_none(self) -> None:
        for seed in range(60):
            program, profile = random_case(Random(seed), tasked=seed % 2 == 0)
            self.assertEqual(faults_of(Controller(program, profile).code), [], f"random case {seed}")

    def test_broken_code_is_told(self) -> None:
        on, off = Const(True, "BOOL"), Const(False, "BOOL")
        cell = Target(Base.GLOBAL, 0, "BOOL")
        cases: tuple[tuple[str, tuple[Action, ...]], ...] = (
            ("slot 3 is read as BOOL, it is not defined", (Store(cell, Slot(3, "BOOL"), 0),)),
            ("slot 0 is read as BOOL, it is not defined", (If(on, (Let(0, off, 0),), (), 0), Store(cell, Slot(0, "BOOL"), 0))),
            ("a INT stands where a BOOL is wanted", (Store(cell, Const(1, "INT"), 0),)),
            ("leaves scope 1, of which there are 1", (Scope((Leave(1),)),)),
            ("BYTE has no bit 9", (Store(Target(Base.GLOBAL, 0, "BYTE", (), 9, 1), on, 0),)),
            ("calls body 7, which is not there", (Call(7, Spot(Base.GLOBAL, 0), (), (), (), 0),)),
            ("GT gives BOOL, not INT", (Let(0, Op("GT", "INT", (Const(1, "INT"), Const(2, "INT")), 0), 0),)),
        )
        for expected, actions in cases:
            with self.subTest(expected):
                code = Code((Body("P", (Step(actions),), (), (), (), 0, ()),), (), 1, 1, 1, 1)
                self.assertEqual(faults_of(code), [f"P step 1: {expected}"])


if __name__ == "__main__":
    unittest.main()
