"""Loops that are laid out: each pass by name, and the same rows as a loop; what counts is held, and they are loops again."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random
from typing import Any

from tests.building import log_of
from tests.engine.agreement import difference
from tests.looping import looping_program, looping_rows
from tests.texts import both_engines, settled, text_program
from whorlograph.engine.calls import every
from whorlograph.engine.check_code import faults_of
from whorlograph.engine.code import Loop, Pass
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.formats.programs.st import read
from whorlograph.model.profile import Profile

SCAN = Profile(scan_time=10_000_000)
SHORT = Profile(scan_time=10_000_000, rung_time=20_000, watchdog=9_000_000)  # so that loops without end are soon over


def laid(body: str, local: str = "") -> tuple[int, int]:
    """How many passes stand one behind the other in a program's code, and how many loops are left."""
    actions = [a for s in Controller(text_program(body, local), SCAN).code.bodies[0].steps for a in every(s.actions)]
    return sum(isinstance(a, Pass) for a in actions), sum(isinstance(a, Loop) for a in actions)


class LaidOut(unittest.TestCase):
    """By small programs."""

    def test_which_are(self) -> None:
        local = "K : ARRAY[1..9] OF BOOL; J : INT; M : USINT; V : INT(0..5); END_VAR VAR CONSTANT Most : INT := 4;"
        for body, expected in (("FOR J := 1 TO Most DO K[J] := X1; END_FOR;", (4, 0)), ("FOR J := Most TO 1 BY -1 DO K[J] := X1; END_FOR;", (4, 0)),
                               ("FOR J := 1 TO Most DO K[J] := X1; END_FOR; Most := 2;", (0, 1)), ("FOR J := 1 TO 3 DO K[J] := X1; END_FOR;", (3, 0)), ("FOR J := 9 TO 1 BY -2 DO K[J] := X1; END_FOR;", (5, 0)),
                               ("FOR J := 3 TO 1 DO K[J] := X1; END_FOR;", (0, 1)), ("FOR J := 1 TO B DO K[J] := X1; END_FOR;", (0, 1)),
                               ("FOR J := 1 TO 3 DO J := J + 1; END_FOR;", (0, 1)), ("FOR J := 1 TO 3 DO IF X1 THEN EXIT; END_IF; END_FOR;", (3, 0)),
                               ("FOR J := 1 TO 3 DO IF K[J] THEN C := J; EXIT; END_IF; B := J; END_FOR;", (3, 0)),
                               ("FOR J := 1 TO 3 DO IF K[J] THEN CONTINUE; END_IF; B := J; END_FOR;", (3, 0)),
                               ("FOR J := 1 TO 3 DO IF K[J] THEN EXIT; END_IF; IF X1 THEN CONTINUE; END_IF; B := J; END_FOR;", (3, 0)),
                               ("FOR J := 1 TO 3 DO IF K[J] THEN CONTINUE; END_IF; IF X1 THEN EXIT; END_IF; B := J; END_FOR;", (0, 1)),
                               ("FOR J := 1 TO 3 DO IF K[J] THEN EXIT; ELSE B := J; END_IF; END_FOR;", (0, 1)),
                               ("FOR J := 1 TO 3 DO IF X1 THEN IF K[J] THEN EXIT; END_IF; END_IF; END_FOR;", (0, 1)),
                               ("FOR J := 1 TO 3 DO IF X1 THEN RETURN; END_IF; END_FOR;", (0, 1)), ("FOR J := 1 TO 200 DO IF X1 THEN EXIT; END_IF; END_FOR;", (0, 1)),
                               ("FOR J := 1 TO 3 DO FOR A := 1 TO B DO IF X1 THEN EXIT; END_IF; END_FOR; END_FOR;", (3, 3)),
                               ("FOR A := 1 TO 3 DO K[A] := X1; END_FOR;", (3, 0)),
                               ("FOR J := 1 TO 3 DO FOR A := 1 TO 2 DO B := A * J; END_FOR; END_FOR;", (9, 0)),
                               ("FOR M := 250 TO 255 DO B := M; END_FOR;", (0, 1)), ("FOR M := 250 TO 254 DO B := M; END_FOR;", (5, 0)),
                               ("FOR V := 1 TO 5 DO B := V; END_FOR;", (0, 1)), ("FOR J := 1 TO 3 DO IF J > 5 THEN B := 1; END_IF; END_FOR;", (0, 1)),
                               ("FOR J := 1 TO 3 DO IF J > 2 THEN B := 1; ELSE B := 2; END_IF; END_FOR;", (3, 0)),
                               ("FOR J := 1 TO 3000 DO B := J; END_FOR;", (0, 1))):
            with self.subTest(body=body):
                self.assertEqual(laid(body, local), expected)

    def test_each_element_has_its_own_writers_and_every_use_is_named(self) -> None:
        body = "FOR J := 1 TO 3 DO\n  IF J = 2 THEN K[J] := X1; ELSE K[J] := X2 AND J < 3; END_IF;\nEND_FOR;"
        controller = Controller(text_program(body, "K : ARRAY[1..3] OF BOOL; J : INT;"), SCAN)
        by_name = {t.name: t.index for t in controller.running.tags}
        reads: dict[str, set[str]] = {}
        for step in (0,):
            for write, hangs in controller.access.hangs_on(step):
                reads.setdefault(controller.running.tags[write.tag].name, set()).update(controller.running.tags[u.tag].name for u in hangs)
        self.assertEqual(reads, {"Main.J": set(), "Main.K[1]": {"X2"}, "Main.K[2]": {"X1"}, "Main.K[3]": {"X2"}})
        counted = [u for u in controller.access.of_tag(by_name["Main.J"]) if not u.writes]
        self.assertEqual(len({u.element for u in counted}), 4)  # in the condition, in two subscripts, in the comparison

    def test_a_subscript_that_does_not_fit_halts_in_its_pass(self) -> None:
        for controller, journal in both_engines("FOR J := 1 TO 4 DO K[J + 1] := X1; C := J; END_FOR;", [(0, "X1", 1)], "K : ARRAY[1..4] OF BOOL; J : INT;"):
            assert journal.fault is not None
            self.assertEqual((journal.fault.code, settled(controller, journal, "C", 1)), ("array index", 3))

    def test_a_block_of_an_array_is_called_where_its_pass_calls_it(self) -> None:
        before = "FUNCTION_BLOCK Up VAR_INPUT E : BOOL; END_VAR VAR_OUTPUT N : INT; END_VAR IF E THEN N := N + 1; END_IF; END_FUNCTION_BLOCK"
        body = "FOR J := 1 TO 3 DO IF J <> 2 OR X1 THEN Ups[J](E := TRUE); END_IF; END_FOR;"
        program = text_program(body, "Ups : ARRAY[1..3] OF Up; J : INT;", before)
        controller = Controller(program, SCAN)
        journal = controller.replay(log_of(controller, [(0, "X1", 0)], 30))
        numbers = {one.name: n for n, one in enumerate(controller.code.instances)}
        flags = [[bool(journal.settled(c.flag, 2)) for c in controller.calls.callers[numbers[f"Main.Ups[{n}]"]]] for n in (1, 2, 3)]
        self.assertEqual(flags, [[True], [False], [True]])


    def test_a_constant_that_a_log_or_a_force_changes(self) -> None:
        local = "K : ARRAY[1..4] OF BOOL; J : INT; END_VAR VAR CONSTANT Most : INT := 3;"
        body = "C := 0; FOR J := 1 TO Most DO K[J] := X1; C := C + 1; END_FOR;"
        for controller, journal in both_engines(body, [(0, "X1", 1), (10, "Main.Most", 2)], local):
            self.assertEqual(settled(controller, journal, "C"), 3)  # the program has another one: the log disagrees
            tag = controller.running.by_name["main.most"]
            log = log_of(controller, [(0, "X1", 1)], 60)
            for trial in (Trial((Hold(tag, 2, 20_000_000),)), Trial(forces=(Hold(tag, 2, 20_000_000),))):
                tried = controller.replay(log, trial)
                self.assertEqual([settled(controller, tried, "C", scan) for scan in (2, 4)], [3, 2])
            self.assertEqual(settled(controller, controller.replay(log, Trial(initial=((tag, 1),))), "C", 2), 1)

    def test_instances_with_values_of_their_own(self) -> None:
        before = ("FUNCTION_BLOCK Sum VAR_OUTPUT N : INT; END_VAR VAR J : INT; END_VAR VAR CONSTANT Most : INT := 3; END_VAR\n"
                  "N := 0; FOR J := 1 TO Most DO N := N + 1; END_FOR; END_FUNCTION_BLOCK")
        for local, expected in (("P, Q : Sum;", (3, 3)), ("P : Sum; Q : Sum := (Most := 2);", (3, 2))):
            for controller, journal in both_engines("P(); Q();", [(0, "X1", 1)], local, before):
                self.assertEqual((settled(controller, journal, "Main.P.N"), settled(controller, journal, "Main.Q.N")), expected, local)


    def test_which_pass_leaves_is_told(self) -> None:
        body = "C := 0; FOR J := 1 TO 4 DO IF K[J] THEN C := J; EXIT; END_IF; IF X3 THEN CONTINUE; END_IF; B := J; END_FOR; K[2] := X1; K[4] := X2;"
        for rows, expected in (([(0, "X1", 0), (0, "X2", 1)], (4, 4, 3)), ([(0, "X1", 1), (0, "X2", 1)], (2, 2, 1)), ([(0, "X1", 0), (0, "X2", 0)], (0, 5, 4)),
                               ([(0, "X1", 0), (0, "X2", 1), (0, "X3", 1)], (4, 4, 0))):
            for controller, journal in both_engines(body, rows, "K : ARRAY[1..4] OF BOOL; J : INT;"):
                self.assertEqual(tuple(settled(controller, journal, n) for n in ("C", "Main.J", "B")), expected, rows)


Part = tuple[str, str, int] | list[Any]  # a test of Stop or Skip, "" none; what is done, by how much the sum grows; a list: a loop within


class Left(unittest.TestCase):
    """Passes that are left early, at random, against a walk through their statements."""

    def test_random(self) -> None:
        early = 0
        for seed in range(150):
            random = Random(seed)
            parts = _parts(random, 1)
            flags = {name: [random.random() < 0.35 for _ in range(4)] for name in ("Stop", "Skip")}
            local = " ".join(f"{name} : ARRAY[1..4] OF BOOL := [{', '.join(str(on).upper() for on in values)}];" for name, values in flags.items())
            body = f"Sum := 0; {_written(parts, 'J')}"
            wanted, left = _walked(parts, flags, 0, 0)
            early += left
            for controller, journal in both_engines(body, [(0, "X1", 1)], f"{local} Sum : DINT; J, J_ : INT;"):
                self.assertEqual(settled(controller, journal, "Main.Sum", 1), wanted, (seed, body, flags, controller.plain))
        self.assertGreater(early, 40)


def _parts(random: Random, depth: int) -> list[Part]:
    found: list[Part] = []
    for _ in range(random.randint(1, 4)):
        if depth and random.random() < 0.2:
            found.append(_parts(random, depth - 1))
        else:
            found.append((random.choice(("", "Stop", "Skip", "Stop")), random.choice(("", "EXIT", "CONTINUE")), random.randint(0, 9)))
    return found


def _written(parts: list[Part], name: str) -> str:
    lines = []
    for one in parts:
        if isinstance(one, list):
            lines.append(_written(one, f"{name}_"))
        else:
            test, leaves, more = one
            done = f"Sum := Sum * 3 + {more};" + (f" {leaves};" if leaves and test else "")
            lines.append(f"IF {test}[{name}] THEN {done} END_IF;" if test else done)
    return f"FOR {name} := 1 TO 4 DO {' '.join(lines)} IF Sum > 100000 THEN Sum := Sum MOD 1000; END_IF; END_FOR;"


def _walked(parts: list[Part], flags: dict[str, list[bool]], total: int, left: int) -> tuple[int, int]:
    """What the sum is behind a loop, and how often a pass was left early."""
    for n in range(4):
        leaves = ""
        for one in parts:
            if isinstance(one, list):
                total, left = _walked(one, flags, total, left)
            elif not one[0] or flags[one[0]][n]:
                total = total * 3 + one[2]
                leaves = one[1] if one[0] else ""
                if leaves:
                    left += 1
                    break
        if leaves == "EXIT":
            break
        if leaves != "CONTINUE" and total > 100000:
            total %= 1000
    return total, left


class Agree(unittest.TestCase):
    """By random programs."""

    def test_the_engines_agree_laid_out_and_as_written(self) -> None:
        laid_out = counted = faults = 0
        for seed in range(24):
            with self.subTest(seed=seed):
                random = Random(seed)
                program, rows = read(looping_program(random).encode(), Path("x.st")).value, looping_rows(random)
                plain, compiled = Controller(program, SHORT, plain=True), Controller(program, SHORT)
                self.assertEqual(faults_of(compiled.code), [])
                log, names = log_of(plain, rows, 500), [t.name for t in plain.running.tags]
                expected = plain.replay(log)
                self.assertEqual(difference(expected, compiled.replay(log), names), "")
                if compiled.counters:
                    tag = random.choice(sorted(compiled.counters))
                    trial = Trial(forces=(Hold(tag, random.randint(0, 5), random.randint(0, 300) * 1_000_000, 350_000_000),))
                    self.assertEqual(difference(plain.replay(log, trial), compiled.replay(log, trial), names), "")
                    counted += 1
                laid_out += any(isinstance(a, Pass) for b in compiled.code.bodies for s in b.steps for a in every(s.actions))
                faults += expected.fault is not None
        self.assertGreater(min(laid_out, counted), 18)
        self.assertGreater(faults, 1)

    def test_steps_nodes_and_hidden_cells_are_the_same_as_those_of_loops(self) -> None:
        from whorlograph.engine.front.compile import compile_code
        from whorlograph.engine.scope.unreadable import Reading

        for seed in range(24):
            one = Controller(read(looping_program(Random(seed)).encode(), Path("x.st")).value, SHORT)
            other = compile_code(one.running, one.profile, one.schedule.by_name, Reading(one.running), True)
            self.assertEqual([(b.hidden, b.origins, len(b.steps)) for b in one.code.bodies], [(b.hidden, b.origins, len(b.steps)) for b in other.bodies])
            self.assertFalse(any(isinstance(a, Pass) for b in other.bodies for s in b.steps for a in every(s.actions)))
