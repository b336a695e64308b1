"""Steps executed again from the journal make exactly the rows that the engine made: expressions, functions, called bodies, edges, forces."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from tests.building import Rows, controller_of, log_of, program_of
from tests.engine.test_front import Sheet, pin, program, variable
from tests.looping import looping_program, looping_rows
from tests.strategies import random_case, random_log, random_trial
from tests.texts import text_session
from whorlograph.engine.calls import calls_in, every
from whorlograph.engine.code import Call, Load, Loop, Pass
from whorlograph.engine.controller import Controller
from whorlograph.engine.evaluate.steps import Moment
from whorlograph.engine.journal import Journal
from whorlograph.engine.power import Flow, PowerFlow
from whorlograph.formats.programs.st import read
from whorlograph.inquiry.circuit import Circuit
from whorlograph.model.ladder import ContactKind, Edge
from whorlograph.model.parts import Ladder, call, coil, compare, jump, no, rises, timer
from whorlograph.model.profile import Profile
from whorlograph.model.program import Pou, PouKind, VariableKind
from whorlograph.model.types import TIME


class Law:
    """A program and its replay, by default a random one of ladders."""

    def __init__(self, seed: int, tasked: bool = False, forced: bool = False, loops: bool = False) -> None:
        self.random = Random(seed)
        if loops:
            self.c = Controller(read(looping_program(self.random).encode(), Path("x.st")).value, Profile(scan_time=10_000_000))
            log = log_of(self.c, looping_rows(self.random), 500)
        else:
            self.c = Controller(*random_case(self.random, tasked, large=True))
            log = random_log(self.random, self.c.running)
        self.journal: Journal = self.c.replay(log, random_trial(self.random, self.c.running, max(1, log.end)) if forced else None)
        self.again, code = self.c.again(), self.c.code
        self.functions = {s for s, n in self.c.calls.instance_of.items() if code.bodies[code.instances[n].body].frame >= 0}

    def calls(self, step: int) -> bool:
        """Whether steps are taken inside a step."""
        return any(isinstance(one, (Call, Loop, Pass)) for one in every(self.c.calls.code_of(step).actions))

    def groups(self) -> list[tuple[int, int, int]]:
        """(step, first row, row behind) of each execution that left rows, with those of what it called."""
        j, found, row = self.journal, [], 0
        while row < min(len(j), 500):
            step, behind = j.step(row), row + 1
            if step >= 0 and step not in self.functions:
                while behind < len(j) and j.scan(behind) == j.scan(row) and (
                        (j.step(behind) == step and (self.calls(step) or j.key(behind) == j.key(row))) or step in self.c.calls.above(j.step(behind))):
                    behind += 1
                first = row
                while first > 0 and j.scan(first - 1) == j.scan(row) and step in self.c.calls.above(j.step(first - 1)):
                    first -= 1
                found.append((step, first, behind))
                row = behind if self.calls(step) else row + 1 if behind == row + 1 else behind
            else:
                row += 1
        return found

    def rows(self, step: int, first: int, behind: int) -> list[tuple[int, int]]:
        """What a step wrote itself, or functions that it called."""
        j = self.journal
        return [(j.tag(r), j.raw(r)) for r in range(first, behind) if j.step(r) == step or j.step(r) in self.functions]


class ExecutedAgain(unittest.TestCase):
    """On random programs."""

    def hold(self, seeds: range, tasked: bool = False, forced: bool = False, loops: bool = False) -> int:
        checked = 0
        for seed in seeds:
            law = Law(seed, tasked, forced, loops)
            times = {t.index for t in law.c.running.tags if t.type == TIME} if tasked else set()
            fault = law.journal.fault
            for step, first, behind in law.groups():
                scan = law.journal.scan(first)
                if fault is not None and scan == fault.scan and (step == fault.step or step in law.c.calls.above(fault.step)):
                    continue
                result = law.again.at(law.journal, step, Moment(scan, first, behind))
                # A timer's ET is told as of its task's last run in a scan, of which there may be several.
                self.assertEqual([r for r in result.rows if r[0] not in times],
                                 [r for r in law.rows(step, first, behind) if r[0] not in times], (seed, scan, step))
                self.assertFalse(result.halted)
                checked += 1
        return checked

    def test_every_step_makes_its_rows_again(self) -> None:
        self.assertGreater(self.hold(range(24)), 1800)

    def test_with_forces(self) -> None:
        self.assertGreater(self.hold(range(40, 60), forced=True), 1300)

    def test_with_tasks(self) -> None:
        self.assertGreater(self.hold(range(70, 94), tasked=True), 1200)

    def test_with_loops_laid_out(self) -> None:
        self.assertGreater(self.hold(range(36), loops=True), 1200)

    def test_as_it_ran_in_any_scan_with_rows_or_without(self) -> None:
        checked = 0
        for seed in range(16):
            law = Law(seed)
            j, calls = law.journal, law.c.calls
            last = min(j.clock.last, 200 if j.fault is None else j.fault.scan - 1)
            for scan in {law.random.randint(1, last) for _ in range(12)} if last > 0 else ():
                low, high = j.settled_position(scan - 1), j.settled_position(scan)
                if any(e.target <= e.step and j.settled(e.flag, scan) for exits in calls.exits.values() for e in exits):
                    continue  # a jump back: what ran twice has two lots of rows
                for step, number in calls.instance_of.items():
                    if step in law.functions or law.c.paths.skipped(j, step, scan) is not None or len(calls.callers.get(number, ())) > 1:
                        continue
                    inside = any(law.c.code.bodies[c.body].frame >= 0 for c in calls_in(calls.code_of(step).actions))
                    result = law.again.ran(j, step, scan)
                    if not inside:  # whose function it was cannot be read off rows of two callers
                        self.assertEqual(result.rows, [(j.tag(r), j.raw(r)) for r in range(low, high) if j.step(r) == step], (seed, scan, step))
                    checked += 1
        self.assertGreater(checked, 1200)


class Pictures(unittest.TestCase):
    """What rungs show, where it once was wrong."""

    def flow(self, controller: Controller, journal: Journal, step: int, scan: int) -> Flow:
        return PowerFlow(controller.again()).flow(journal, controller.steps.all[step], scan)

    def test_a_function_of_the_file_shows_its_rungs_as_called(self) -> None:
        inner, outer = Sheet(), Sheet()
        doubled = inner.block("ADD", pin("IN1", inner.value("N")), pin("IN2", inner.value("N")))
        told = inner.out("Twice", (doubled, "OUT"))
        twice = outer.block("Twice", pin("N", outer.value("A")), outs=(pin("OUT"),))
        outer.coil("P", (outer.block("GT", pin("IN1", (twice, "OUT")), pin("IN2", outer.value("9"))), "OUT"))
        function = Pou("Twice", PouKind.FUNCTION, (variable("N:INT", VariableKind.INPUT), variable("Twice:INT", VariableKind.OUTPUT)), inner.body())
        controller = controller_of(program(outer.body(), "A:INT=6 P:BOOL", (function,)))
        journal = controller.replay(log_of(controller, [], 50))
        main = self.flow(controller, journal, 0, 3)
        self.assertEqual(main.out[twice, "OUT"], 12, "a function without a variable behind it")
        called = next(s for s in controller.steps.all if s.pou == "Twice")
        flow = self.flow(controller, journal, called.index, 3)
        self.assertEqual((flow.skip, flow.out[doubled, "OUT"], flow.values[told]), (None, 12, 12))

    def test_what_is_known_of_one_journal_is_not_taken_for_another(self) -> None:
        controller = controller_of(program_of(lambda p: p.rung(no("X1"), coil("Y1")), "X1 Y1"))
        power = PowerFlow(controller.again())
        for turn in range(6):  # journals come and go, and their places in memory are given to the next
            on = turn % 2
            journal = controller.replay(log_of(controller, [(0, "X1", on), (50, "X1", on)]))
            coil_ = controller.steps.all[0].rung.elements[-1]
            self.assertEqual(power.flow(journal, controller.steps.all[0], 3).power[coil_.id], bool(on), turn)
            self.assertEqual(PowerFlow(controller.again()).flow(journal, controller.steps.all[0], 3).power[coil_.id], bool(on), turn)
            del journal

    def test_a_block_s_rung_shows_what_is_handed_over(self) -> None:
        inner, outer = Sheet(), Sheet()
        source = inner.value("N")
        sum_ = inner.block("ADD", pin("IN1", source), pin("IN2", inner.value("1")))
        inner.out("N", (sum_, "OUT"))
        outer.block("Up", instance="One", outs=(), in_outs=(pin("N", outer.both("B[2]")),))
        block = Pou("Up", PouKind.FUNCTION_BLOCK, (variable("N:INT", VariableKind.IN_OUT),), inner.body())
        controller = controller_of(program(outer.body(), "B:[1..3]", (block,), "One:Up"))
        journal = controller.replay(log_of(controller, [], 50))
        called = next(s for s in controller.steps.all if s.pou == "Up")
        flow = self.flow(controller, journal, called.index, 3)
        self.assertEqual((flow.values[source], controller.running.tags[flow.tags[source]].name, flow.out[sum_, "OUT"]), (2, "B[2]", 3))

    def test_an_edge_that_a_jump_back_evaluates_twice_passes_once(self) -> None:
        def draw(p: Ladder) -> None:
            p.label("Again")
            p.rung(rises("X1"), coil("Y1"))
            p.rung(call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
            p.rung(compare("LT", "N1", "2"), jump("Again"))
        controller = controller_of(program_of(draw, "X1 Y1 N1"))
        journal = controller.replay(log_of(controller, [(0, "X1", 1), (50, "X1", 1)]))
        tag = controller.running.by_name["y1"]
        edge = next(e for e in controller.steps.all[0].rung.elements if getattr(e, "kind", None) is ContactKind.RISING)
        # Scan 1: the first pass has seen nothing, the second sees no rise: the coil is never on.
        self.assertEqual(len(journal.rows(tag)), 0)
        self.assertFalse(self.flow(controller, journal, 0, 1).passes[edge.id])

    def test_the_time_of_a_timer_moves_on_without_rows(self) -> None:
        def draw(p: Ladder) -> None:
            p.rung(no("X1"), timer("TON", "T1", "T#200ms"), coil("Y1"))
            p.rung(compare("GE", "T1.ET", "T#50ms"), coil("Y2"))
        controller = controller_of(program_of(draw, "X1 Y1 Y2", "T1:TON"))
        journal = controller.replay(log_of(controller, [(0, "X1", 0), (30, "X1", 1), (300, "X1", 1)]))
        early, late = self.flow(controller, journal, 1, 6), self.flow(controller, journal, 1, 12)
        read = next(e for e in controller.steps.all[1].rung.elements if getattr(e, "expression", "") == "T1.ET")
        self.assertEqual((early.values[read.id], late.values[read.id]), (20_000_000, 80_000_000))
        self.assertEqual([journal.settled(controller.running.by_name["y2"], s) for s in (6, 8, 9, 12)], [0, 0, 1, 1])

    def test_a_pin_behind_an_edge_shows_power_in_the_scan_that_saw_it(self) -> None:
        sheet = Sheet()
        done = sheet.block("ADD", pin("EN", sheet.contact("X", 1), edge=Edge.RISING), pin("IN1", sheet.value("N")), pin("IN2", sheet.value("1")),
                           outs=(pin("ENO"), pin("OUT")))
        sheet.out("N", (done, "OUT"))
        controller = controller_of(program(sheet.body(), "X:BOOL N:INT"))
        journal = controller.replay(log_of(controller, [(0, "X", 0), (25, "X", 1), (100, "X", 1)]))
        powers = [self.flow(controller, journal, 0, scan).power[done] for scan in (3, 4, 5)]
        self.assertEqual(powers, [False, True, False])
        self.assertEqual(self.flow(controller, journal, 0, 6).out[done, "OUT"], 1, "the result that is kept while EN is off")


class BranchesNotTaken(unittest.TestCase):
    """What the conditions in a branch that was not taken would have been."""

    def would(self, body: str, rows: Rows, local: str = "") -> dict[str, object]:
        session = text_session(body, rows, local)
        controller, journal = session.controller, session.controller.replay(session.log)
        result = controller.again().ran(journal, 0, journal.clock.last)
        circuit = Circuit(controller.calls.code_of(0))
        loads = {one.at: one for action in every(controller.calls.code_of(0).actions) for part in (getattr(action, "test", None), getattr(action, "value", None))
                 for one in circuit.loads(part)}
        return {session.running.tags[one.target.cell].name: result.would[at] for at, one in loads.items() if isinstance(one, Load) and at in result.would}

    def test_they_are_as_the_tags_stand(self) -> None:
        body = "IF X1 THEN IF X2 THEN Y1 := X3; ELSIF X3 THEN Y1 := FALSE; END_IF; END_IF;"
        for two, three in ((0, 1), (1, 0), (1, 1)):
            self.assertEqual(self.would(body, [(0, "X1", 0), (0, "X2", two), (0, "X3", three), (50, "X1", 0)]), {"X2": bool(two), "X3": bool(three)})
            self.assertEqual(self.would(body, [(0, "X1", 1), (0, "X2", two), (0, "X3", three), (50, "X1", 1)]), {"X3": bool(three)})

    def test_what_the_branch_writes_before_is_as_it_would_have_written_it(self) -> None:
        rows: Rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 1), (50, "X1", 0)]
        self.assertEqual(self.would("IF X1 THEN Y2 := X2; IF Y2 THEN Y1 := TRUE; END_IF; END_IF;", rows), {"X2": True, "Y2": True})
        self.assertEqual(self.would("IF X1 THEN T1(IN := X2, PT := T#0s); IF X3 THEN Y1 := TRUE; END_IF; END_IF;", rows, "T1 : TON;"),
                         {"X2": True, "X3": True})

    def test_what_it_writes_before_under_a_condition_is_not_known(self) -> None:
        rows: Rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 1), (50, "X1", 0)]
        body = "IF X1 THEN IF X2 THEN Y2 := TRUE; END_IF; IF Y2 THEN Y1 := TRUE; END_IF; END_IF;"
        self.assertEqual(self.would(body, rows), {"X2": True})
        body = "IF X1 THEN IF X2 THEN T1(IN := X2, PT := T#0s); END_IF; IF X3 THEN Y1 := TRUE; END_IF; END_IF;"
        self.assertEqual(self.would(body, rows, "T1 : TON;"), {"X2": True})

    def test_they_change_nothing_and_end_where_a_value_cannot_be_had(self) -> None:
        body = "IF X1 THEN IF 5 / N1 > 1 THEN Y1 := TRUE; END_IF; IF X2 THEN Y2 := TRUE; END_IF; END_IF;"
        self.assertEqual(self.would(body, [(0, "X1", 0), (0, "X2", 1), (0, "N1", 0), (50, "X1", 0)]), {"N1": 0, "X2": True})


if __name__ == "__main__":
    unittest.main()
