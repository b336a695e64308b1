"""Each finding on a small program that has it, and none of that kind on one that has not."""

from __future__ import annotations

import unittest

from msgspec.structs import replace

from tests.building import Draw, Rows, program_of, program_with, session_of, tasked
from tests.inquiry.test_everyday import asked
from tests.texts import text_session
from whorlograph.desk.checking import check, check_json, check_text
from whorlograph.desk.session import Session
from whorlograph.inquiry.findings import FINDINGS
from whorlograph.inquiry.findings.facts import Finding
from whorlograph.model.iolist import IoList, Point, Wiring
from whorlograph.model.ladder import LadderBody
from whorlograph.model.parts import Ladder, call, coil, compare, either, jump, nc, no, reset, rises, set_, timer
from whorlograph.model.program import Program, Task, Variable, VariableKind
from whorlograph.model.registry import resolve
from whorlograph.model.types import INT, ArrayOf, ListOf, Simple


def of(session: Session, key: str) -> list[Finding]:
    """The findings of one kind."""
    return [f for f in check(session) if f.key == key]


def on(draw: Draw, tags: str, blocks: str = "", rows: Rows = (), points: dict[str, Point] | None = None) -> Session:
    """A session on a program of one POU."""
    session = session_of(program_of(draw, tags, blocks), rows)
    session.iolist = IoList({session.running.by_name[n.lower()]: p for n, p in (points or {}).items()})
    return session


def rungs(*all_parts: tuple[object, ...]) -> Draw:
    """A body of some rungs."""
    def draw(ladder: Ladder) -> None:
        for parts in all_parts:
            ladder.rung(*parts)  # type: ignore[arg-type]

    return draw


CLOSED = Point("X2", "", "S2", "", "", Wiring.NORMALLY_CLOSED)
SEALED = rungs((either(no("X1"), no("Y1")), no("X2"), coil("Y1")))

CASES: list[tuple[str, Session, Session]] = [
    ("double-coil", on(rungs((no("X1"), coil("Y1")), (no("X2"), coil("Y1"))), "X1 X2 Y1"), on(rungs((either(no("X1"), no("X2")), coil("Y1"))), "X1 X2 Y1")),
    ("set-without-reset", on(rungs((no("X1"), set_("M1")), (no("M1"), coil("Y1"))), "X1 M1 Y1"),
     on(rungs((no("X1"), set_("M1")), (no("X2"), reset("M1")), (no("M1"), coil("Y1"))), "X1 X2 M1 Y1")),
    ("reset-without-set", on(rungs((no("X1"), reset("M1")), (no("M1"), coil("Y1"))), "X1 M1 Y1"), on(SEALED, "X1 X2 Y1")),
    ("order-decides", on(rungs((no("X2"), reset("Y1")), (no("X1"), set_("Y1"))), "X1 X2 Y1"), on(SEALED, "X1 X2 Y1")),
    ("latch-and-wire", on(rungs((no("X1"), set_("Y1")), (no("X2"), reset("Y1"))), "X1 X2 Y1"),
     on(rungs((no("X1"), set_("Y1")), (nc("X2"), reset("Y1"))), "X1 X2 Y1")),
    ("wired-opposite", on(rungs((no("X1"), set_("Y1")), (no("X2"), reset("Y1"))), "X1 X2 Y1", points={"X2": CLOSED}),
     on(SEALED, "X1 X2 Y1", points={"X2": CLOSED})),
    ("one-sided-interlock", on(rungs((no("X1"), nc("Y2"), coil("Y1")), (no("X2"), coil("Y2"))), "X1 X2 Y1 Y2"),
     on(rungs((no("X1"), nc("Y2"), coil("Y1")), (no("X2"), nc("Y1"), coil("Y2"))), "X1 X2 Y1 Y2")),
    ("feedback-interlock", on(rungs((no("X1"), nc("X3"), coil("Y1")), (no("X2"), coil("Y2"))), "X1 X2 X3 Y1 Y2",
                              points={"X3": Point("X3", "", "K2"), "Y2": Point("Y2", "", "K2")}),
     on(rungs((no("X1"), nc("X3"), nc("Y2"), coil("Y1")), (no("X2"), coil("Y2"))), "X1 X2 X3 Y1 Y2",
        points={"X3": Point("X3", "", "K2"), "Y2": Point("Y2", "", "K2")})),
    ("contradiction", on(rungs((no("X1"), nc("X1"), coil("Y1"))), "X1 Y1"), on(rungs((either(no("X1"), nc("X1")), coil("Y1"))), "X1 Y1")),
    ("contradiction", on(rungs((either(no("X1"), no("Y1")), nc("X1"), coil("Y1"))), "X1 Y1"),
     on(rungs((no("X1"), no("Y1"), coil("Y1")), (no("X2"), set_("Y1"))), "X1 X2 Y1")),
    ("never-read", on(rungs((no("X1"), coil("M1"))), "X1 M1"), on(rungs((no("X1"), coil("M1")), (no("M1"), coil("Y1"))), "X1 M1 Y1")),
    ("never-written", on(rungs((no("M1"), coil("Y1"))), "M1 Y1"), on(rungs((no("X1"), coil("M1")), (no("M1"), coil("Y1"))), "X1 M1 Y1")),
    ("never-met", on(rungs((no("X1"), call("MOVE", ("IN", "0"), out="N1")), (compare("GE", "N1", "2"), coil("Y1"))), "X1 Y1 N1"),
     on(rungs((no("X1"), call("MOVE", ("IN", "2"), out="N1")), (compare("GE", "N1", "2"), coil("Y1"))), "X1 Y1 N1")),
    ("may-overflow", on(rungs((no("X1"), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))), "X1 N1"),
     on(rungs((no("X1"), compare("LT", "N1", "100"), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))), "X1 N1")),
    ("may-lose", on(rungs((no("X1"), call("INT_TO_SINT", ("IN", "N1"), out="N2"))), "X1 N1 N2"),
     on(rungs((no("X1"), call("INT_TO_DINT", ("IN", "N1"), out="N2"))), "X1 N1 N2")),
    ("late-edge", on(rungs((no("M1"), coil("Y1")), (rises("X1"), coil("M1"))), "X1 M1 Y1"), on(rungs((rises("X1"), coil("M1")), (no("M1"), coil("Y1"))), "X1 M1 Y1")),
    ("lamp-on-button", on(rungs((either(no("X1"), no("Y1")), no("X2"), coil("Y1")), (no("X1"), coil("Y2"))), "X1 X2 Y1 Y2"),
     on(rungs((either(no("X1"), no("Y1")), no("X2"), coil("Y1")), (no("Y1"), coil("Y2"))), "X1 X2 Y1 Y2")),
    ("twin-lacks", on(rungs(*((no(f"X{n}"), *([no("X9")] if n != 3 else []), coil(f"Y{n}")) for n in (1, 2, 3, 4))), "X1 X2 X3 X4 X9 Y1 Y2 Y3 Y4"),
     on(rungs(*((no(f"X{n}"), no("X9"), coil(f"Y{n}")) for n in (1, 2, 3, 4))), "X1 X2 X3 X4 X9 Y1 Y2 Y3 Y4")),
    ("reset-misses", on(rungs(*((no(f"X{n}"), set_(f"M{n}")) for n in (1, 2, 3)), (no("X9"), reset("M1"), reset("M2"))), "X1 X2 X3 X9 M1 M2 M3"),
     on(rungs(*((no(f"X{n}"), set_(f"M{n}")) for n in (1, 2, 3)), (no("X9"), reset("M1"), reset("M2"), reset("M3"))), "X1 X2 X3 X9 M1 M2 M3")),
    ("dead-step", on(rungs(*((no(f"X{n}"), compare("EQ", "N1", str(n - 1)), call("MOVE", ("IN", str(n)), out="N1")) for n in (1, 2, 3))), "X1 X2 X3 N1"),
     on(rungs(*((no(f"X{n}"), compare("EQ", "N1", str(n - 1)), call("MOVE", ("IN", str(n % 3)), out="N1")) for n in (1, 2, 3))), "X1 X2 X3 N1")),
]


class EachKind(unittest.TestCase):
    """A program that has it, and one that has not."""

    def test_each(self) -> None:
        for key, has, has_not in CASES:
            with self.subTest(key):
                found = of(has, key)
                self.assertTrue(found, [f.key for f in check(has)])
                self.assertTrue(found[0].text and found[0].effect)
                self.assertEqual(of(has_not, key), [])

    def test_jumps_and_labels(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), jump("End"))
            ladder.rung(no("X2"), jump("End"))
            ladder.rung(no("X3"), timer("TON", "T1", "T#1s"), coil("Y1"))
            ladder.label("End")
            ladder.rung(no("X4"), jump("Nowhere"))
            ladder.label("Back")
            ladder.rung(no("X3"), coil("Y2"))
            ladder.rung(no("X5"), compare("LT", "N1", "N2"), jump("Back"))
            ladder.label("Back")
            ladder.rung(no("X3"), coil("Y3"))

        session = on(draw, "X1 X2 X3 X4 X5 Y1 Y2 Y3 N1 N2", "T1:TON")
        keys = {f.key for f in check(session)}
        self.assertLessEqual({"shadowed-jump", "skipped-area", "label-missing", "label-twice", "backward-jump", "loop-limit-is-a-tag"}, keys)
        self.assertIn("can leave out 2 to 3, with outputs and timers", " ".join(f.text for f in of(session, "skipped-area")))

    def test_a_label_amid_the_area_it_leads_to(self) -> None:
        for at, from_outside, found in ((3, True, True), (2, True, False), (3, False, False)):
            def draw(ladder: Ladder, at: int = at, outside: bool = from_outside) -> None:
                ladder.rung(no("X1"), jump("Wash") if outside else coil("Y1"), comment="Choice")
                for n in (2, 3, 4):
                    if n == at:
                        ladder.label("Wash")
                    ladder.rung(no(f"X{n}"), coil(f"Y{n}"), comment="Washing" if n == 2 else "")
                ladder.rung(no("X1"), coil("Y5") if outside else jump("Wash"))
                ladder.rung(no("X1"), coil("Y6"), comment="Rest")

            told = of(on(draw, "X1 X2 X3 X4 Y1 Y2 Y3 Y4 Y5 Y6"), "label-amid-area")
            self.assertEqual(len(told), int(found), (at, from_outside))
            if found:
                self.assertEqual(told[0].text, 'Main 1 jumps into the area "Washing", to its rung 3: it begins at 2')

    def test_tasks(self) -> None:
        def event(ladder: Ladder) -> None:
            ladder.rung(no("X2"), timer("TON", "T1", "T#1s"), coil("Y1"))

        program = tasked({"Fast": event, "Main": rungs((no("X1"), coil("Y1")))}, "X1 X2 X3 Y1", {"Fast": Task("Edge", 1, "", "X3")}, "T1:TON")
        keys = {f.key for f in check(session_of(program, []))}
        self.assertLessEqual({"two-tasks", "timer-in-task"}, keys)
        steady = tasked({"Fast": event, "Main": rungs((no("X1"), coil("Y2")))}, "X1 X2 X3 Y1 Y2", {"Fast": Task("Steady", 1, "T#20ms")}, "T1:TON")
        self.assertNotIn("timer-in-task", {f.key for f in check(session_of(steady, []))})
        lonely = tasked({"Main": rungs((no("X1"), coil("Y1"))), "Never": rungs((no("X1"), coil("Y2")))}, "X1 M1 Y1 Y2", {"Never": Task("Idle", 1, "", "M1")})
        self.assertIn("never-triggered", {f.key for f in check(session_of(lonely, []))})

    def test_what_a_log_adds(self) -> None:
        rows = [(100 * n, "X1", n % 2) for n in range(200)]
        session = on(rungs((rises("X1"), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))), "X1 N1", rows=rows)
        effect = of(session, "may-overflow")[0].effect
        self.assertIn("at the rate of this log", effect)

    def test_a_finding_stands_once_for_all_instances(self) -> None:
        session = on(rungs((no("X1"), coil("Y1")), (no("X2"), coil("Y1"))), "X1 X2 Y1")
        self.assertEqual(len(of(session, "double-coil")), 1)
        found = check(session)
        self.assertEqual([f["kind"] for f in check_json(session, found)["findings"]], [f.key for f in found])
        self.assertIn("[double-coil]", check_text(found))
        self.assertEqual(check_text([]), "nothing looks suspicious")

    def test_every_kind_is_registered(self) -> None:
        from pathlib import Path

        from whorlograph.inquiry import findings

        files = {p.stem for p in Path(findings.__file__).parent.glob("*.py")} - {"__init__", "facts"}
        self.assertEqual(files, set(FINDINGS))
        for name in FINDINGS:
            self.assertTrue(callable(resolve(f"inquiry.findings.{name}:find")))


class Texts(unittest.TestCase):
    """What only texts have: blocks of arrays and structures, calls that come in every scan."""

    BLOCK = ("FUNCTION_BLOCK Slow VAR_INPUT E : BOOL; P : TIME := T#1s; END_VAR VAR_OUTPUT Q : BOOL; END_VAR VAR D : TON; END_VAR\n"
             "D(IN := E, PT := P);\nQ := D.Q;\nEND_FUNCTION_BLOCK\nTYPE Pair : STRUCT One : Slow; N : INT; END_STRUCT; END_TYPE\n")

    def keys(self, body: str, local: str) -> set[str]:
        """The kinds of what is found."""
        return {f.key for f in check(text_session(body, [], local, self.BLOCK))}

    def test_what_a_block_is_handed_is_no_latch(self) -> None:
        block = "FUNCTION_BLOCK Own VAR_INPUT E : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR Q := E; END_FUNCTION_BLOCK "
        found = check(text_session("O(EN := X1, E := TRUE);\nY1 := O.Q;", [], "O : Own;", block))
        self.assertEqual([f.text for f in found if f.key == "set-without-reset"], [])

    def test_who_calls_a_block(self) -> None:
        for local, name in (("M : Slow;", "M"), ("M : ARRAY[1..2] OF Slow;", "M[1]"), ("M : Pair;", "M.One"), ("M : ARRAY[0..1] OF Pair; J : INT;", "M[J].One")):
            session = text_session(f"{name}(E := X1);\nY1 := {name}.Q;", [], local, self.BLOCK)
            self.assertEqual(of(session, "never-called"), [], name)
            self.assertNotIn(".P is never", check_text(check(session)), name)  # it has a value where nothing is given
            self.assertIn("never-called", self.keys("Y1 := X1;", local))

    def test_a_timer_in_a_block_that_is_called_now_and_then(self) -> None:
        local = "M : ARRAY[1..2] OF Slow; J : INT;"
        for body, expected in (("M[1](E := X1);", False), ("IF X2 THEN M[1](E := X1); END_IF;", True), ("IF X2 THEN M[1](E := X1); ELSE M[1](E := FALSE); END_IF;", True),
                               ("FOR J := 1 TO 2 DO M[J](E := X1); END_FOR;", False), ("FOR J := 1 TO 2 DO IF X2 THEN M[J](E := X1); END_IF; END_FOR;", True)):
            self.assertEqual("called-now-and-then" in self.keys(body, local), expected, body)

    def test_a_variable_that_a_text_works_with_is_no_double_coil(self) -> None:
        for body, expected in (("Y1 := X1;\nY1 := X2;", True), ("H := X1;\nY1 := H;\nH := X2;\nY2 := H;", False), ("H := X1;\nH := X2;\nY2 := H;", True),
                               ("FOR J := 1 TO 3 DO IF J = 3 THEN H := X1; ELSE H := K[J + 1]; END_IF; K[J] := H; END_FOR;\nY1 := K[1];", False)):
            found = {f.key for f in check(text_session(body, [], "H : BOOL; J : INT; K : ARRAY[1..3] OF BOOL;"))}
            self.assertEqual("double-coil" in found, expected, body)

    def test_a_sum_that_begins_anew_in_every_scan_does_not_overflow(self) -> None:
        for body, expected in (("A := 0;\nIF X1 THEN A := A + 1; END_IF;\nY1 := A > 0;", False), ("IF X1 THEN A := A + 1; END_IF;\nY1 := A > 0;", True),
                               ("IF X2 THEN A := 0; END_IF;\nIF X1 THEN A := A + 1; END_IF;\nY1 := A > 0;", True),
                               ("A := 0;\nFOR J := 1 TO 3 DO IF K[J] THEN A := A + 1; END_IF; END_FOR;\nY1 := A > 0;", False),
                               ("A := 0;\nWHILE X1 DO A := A + 1; END_WHILE;\nY1 := A > 0;", True),
                               ("IF X1 THEN A := A + 10; IF A >= 360 THEN A := A - 360; END_IF; END_IF;\nY1 := A > 0;", False),
                               ("IF X1 THEN A := A + 10; IF A >= 360 THEN A := 0; END_IF; END_IF;\nY1 := A > 0;", False),
                               ("IF X1 THEN A := A + 10; IF B >= 360 THEN A := A - 360; END_IF; END_IF;\nY1 := A > 0;", True),
                               ("IF X1 THEN A := A + 10; IF A >= 360 THEN A := A + 1; END_IF; END_IF;\nY1 := A > 0;", True)):
            found = {f.key for f in check(text_session(body, [], "J : INT; K : ARRAY[1..3] OF BOOL;"))}
            self.assertEqual("may-overflow" in found, expected, body)

    def test_one_line_for_all_instances(self) -> None:
        before = "FUNCTION_BLOCK Keep VAR_INPUT S, R : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR IF S THEN Q := TRUE; END_IF;\nIF R THEN Q := FALSE; END_IF;\nEND_FUNCTION_BLOCK"
        session = text_session("FOR J := 1 TO 3 DO K[J](S := X1, R := X2); END_FOR;\nY1 := K[2].Q;", [], "K : ARRAY[1..3] OF Keep; J : INT;", before)
        found = of(session, "order-decides")
        self.assertEqual([f.text for f in found], ["Main.K[1].Q, Main.K[2].Q and Main.K[3].Q: the reset in Keep 2 comes last and dominates"])


class Arrays(unittest.TestCase):
    """Indexes, addresses, retained tags: what small programs of BOOLs do not have."""

    def test_an_index_that_nothing_keeps_within(self) -> None:
        def program(*parts: object) -> Program:
            made = program_of(rungs((*parts, call("MOVE", ("IN", "A[N1]"), out="N2"))), "X1 N1 N2")
            config = made.configurations[0]
            more = Variable("A", ArrayOf(((0, 4),), INT), VariableKind.GLOBAL)
            return replace(made, configurations=(replace(config, variables=(*config.variables, more)),))

        self.assertTrue(of(session_of(program(no("X1")), []), "index-not-guarded"))
        self.assertEqual(of(session_of(program(no("X1"), compare("LE", "N1", "4")), []), "index-not-guarded"), [])
        for guard, said in ((compare("LE", "N1", "4"), None), (compare("LT", "N1", "5"), None), (compare("LE", "N1", "5"), "up to 5"),
                            (compare("GT", "9", "N1"), "up to 8"), (compare("NE", "N1", "9"), None)):
            found = of(session_of(program(no("X1"), guard), []), "guard-too-high")
            self.assertEqual([said in f.text for f in found] if said else found, [True] if said else [], guard)

    def test_a_comparison_that_keeps_its_result_behind_contacts(self) -> None:
        behind = on(rungs((no("X1"), compare("GE", "N1", "5"), coil("Y1"))), "X1 N1 Y1", rows=[(0, "X1", 0)])
        found = of(behind, "kept-comparison")
        self.assertEqual([(f.rung, f.tag) for f in found], [(1, behind.tag("Y1"))])
        self.assertIn("the comparison of N1 and 5 in Main 1 is executed only while X1 lets power through", found[0].text)
        # What the sentence says is so: Y1 stays on when X1 goes off.
        stays = on(rungs((no("X1"), compare("GE", "N1", "5"), coil("Y1"))), "X1 N1 Y1", rows=[(0, "N1", 7), (100, "X1", 1), (200, "X1", 0), (900, "N1", 7)])
        self.assertEqual(stays.journal.settled(stays.tag("Y1"), stays.journal.clock.last), 1)
        for parts in ((compare("GE", "N1", "5"), no("X1"), coil("Y1")), (no("X1"), compare("GE", "N1", "5"), no("X1"), coil("Y1"))):
            self.assertEqual(of(on(rungs(parts), "X1 N1 Y1"), "kept-comparison"), [])
        moved = on(rungs((no("X1"), compare("GE", "N1", "5"), call("MOVE", ("IN", "0"), out="N2"))), "X1 N1 N2")
        self.assertEqual([f.tag for f in of(moved, "kept-comparison")], [moved.tag("N2")])

    def test_tables_longer_than_their_round(self) -> None:
        def keys(limit: str, sign: str, filled: dict[int, int], reads_last: bool = True, low: int = 0, begin: str = "1") -> dict[str, str]:
            add = (rises("X1"), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))
            wrap = (compare(sign, "N1", limit), call("MOVE", ("IN", begin), out="N1"))
            read = (no("X2"), call("MOVE", ("IN", "A[N1]"), out="N2"))
            made = program_of(rungs(*((add, wrap, read) if reads_last else (add, read, wrap))), "X1 X2 N1 N2")
            config = made.configurations[0]
            rows = ListOf(tuple((1, Simple(str(filled.get(n, 0)))) for n in range(low, 7)))
            more = (Variable("A", ArrayOf(((low, 6),), INT), VariableKind.GLOBAL, "", rows), Variable("Length", INT, VariableKind.GLOBAL, "", Simple("5")))
            found = check(session_of(replace(made, configurations=(replace(config, variables=(*config.variables, *more)),)), []))
            return {f.key: f.text for f in found}

        steps = {n: 16 * n for n in range(1, 7)}
        self.assertIn("is filled up to row 6, and Main 2 begins anew before row 5 is taken", keys("5", "GE", steps)["table-longer"])
        self.assertIn("before row 6 is taken", keys("Length", "GE", steps, reads_last=False)["table-longer"])
        self.assertIn("before row 6 is taken", keys("Length", "GT", steps)["table-longer"])
        for limit, sign, reads_last in (("6", "GT", True), ("7", "GE", True), ("6", "EQ", False)):
            self.assertNotIn("table-longer", keys(limit, sign, steps, reads_last))
        self.assertNotIn("table-longer", keys("4", "GE", {1: 5, 2: 7, 3: 9}))
        self.assertIn("row-zero-empty", keys("7", "GE", steps))
        self.assertNotIn("row-zero-empty", keys("7", "GE", {0: 1} | steps))
        self.assertNotIn("row-zero-empty", keys("7", "GE", steps, low=1))

    def test_alternatives_never_have_power_together(self) -> None:
        for body, count in (("IF X1 THEN M := TRUE; ELSIF X2 THEN M := FALSE; END_IF;", 0), ("IF X1 THEN M := TRUE; END_IF; IF X2 THEN M := FALSE; END_IF;", 1),
                            ("CASE N1 OF 1: M := TRUE; 2: M := FALSE; END_CASE;", 0), ("CASE N1 OF 1: M := TRUE; ELSE IF X2 THEN M := FALSE; END_IF; END_CASE;", 0),
                            ("IF X1 THEN IF X2 THEN M := TRUE; END_IF; IF X3 THEN M := FALSE; END_IF; END_IF;", 1)):
            found = of(text_session(f"{body}\nY1 := M;", [], "M : BOOL;"), "order-decides")
            self.assertEqual(len(found), count, body)
        writes = (no("X3"), coil("Y2"))
        for other, count in ((nc("X1"), 0), (no("X2"), 1), (nc("Y2"), 0)):
            parts = rungs(writes, (no("X1"), no("Y2"), set_("Y1")), (other, reset("Y1")))
            self.assertEqual(len(of(on(parts, "X1 X2 X3 Y1 Y2"), "order-decides")), count)
        latch = [(no("X1"), no("Y2"), set_("Y1")), writes, (nc("Y2"), reset("Y1"))]
        self.assertEqual(len(of(on(rungs(*latch), "X1 X2 X3 Y1 Y2"), "order-decides")), 1, "it may turn between the two rungs")

    def test_elements_of_one_array_stand_in_one_line(self) -> None:
        session = text_session("FOR I := 1 TO 3 DO\n  IF X1 THEN Done[I] := TRUE; END_IF;\n  IF Ins[I] > Most[I] THEN Full[I] := TRUE; END_IF;\n  Ins[I] := N1;\nEND_FOR;\n"
                               "Y1 := Full[1] OR Full[2] OR Full[3];", [], "I : INT; Done, Full : ARRAY[1..3] OF BOOL; Ins : ARRAY[1..3] OF INT; Most : ARRAY[1..3] OF INT := [5, 6, 7];")
        texts = [f"{f.text}: {f.effect}" for f in check(session) if "Main." in f.text and f.key in ("never-read", "never-written", "set-without-reset")]
        self.assertEqual(texts, [
            "Main.Full[1], Main.Full[2] and Main.Full[3] are set in Main 5 and reset nowhere: once on it stays on until the controller is restarted",
            "Main.Done[1], Main.Done[2] and Main.Done[3] are never read: they do nothing",
            "Main.Most[1], Main.Most[2] and Main.Most[3] are never written: they keep their declared values, like constants"])

    def test_what_is_chosen_by_numbers_of_a_table(self) -> None:
        tables = "Place : ARRAY[1..2] OF INT := [1, {}]; Ins : ARRAY[1..3] OF BOOL; Cur : INT := 1;"
        for last, count in (("3", 0), ("4", 1)):
            session = text_session("IF X1 THEN Cur := 1; ELSE Cur := 2; END_IF;\nY1 := Ins[Place[Cur]];", [], tables.format(last))
            self.assertEqual(len(of(session, "index-not-guarded")), count, last)

    def test_an_index_that_is_given_literals_only(self) -> None:
        for body, count in (("IF X1 THEN I := 2; ELSE I := 3; END_IF;", 0), ("IF X1 THEN I := 2; ELSE I := 4; END_IF;", 1), ("I := N1;", 1)):
            session = text_session(f"{body}\nY1 := Tab[I];", [], "I : INT := 1; Tab : ARRAY[1..3] OF BOOL;")
            self.assertEqual(len(of(session, "index-not-guarded")), count, body)
        session = text_session("IF X1 THEN I := 2; END_IF;\nY1 := Tab[I];", [], "I : INT; Tab : ARRAY[1..3] OF BOOL;")
        self.assertEqual(len(of(session, "index-not-guarded")), 1, "it begins at 0")

    def test_charts_are_no_latches_and_jumps(self) -> None:
        chart = ("FUNCTION_BLOCK Mixer\nVAR_INPUT Go : BOOL; END_VAR VAR_OUTPUT Stir : BOOL; END_VAR VAR Count : CTU; END_VAR\n"
                 "INITIAL_STEP Rest: Clear(P); END_STEP STEP Stirring: Turn(N); Stir(N); END_STEP\n"
                 "TRANSITION FROM Rest TO Stirring := Go; END_TRANSITION TRANSITION FROM Stirring TO Rest := NOT Go; END_TRANSITION\n"
                 "ACTION Clear: Count(CU := FALSE, R := TRUE, PV := 3); END_ACTION ACTION Turn: Count(CU := TRUE, R := FALSE, PV := 3); END_ACTION\n"
                 "END_FUNCTION_BLOCK\n")
        session = text_session("Mx(Go := X1);\nY1 := Mx.Stir AND NOT Mx.Count.Q;", [], "Mx : Mixer;", chart)
        self.assertEqual([f.text for f in check(session) if f.tag is None or "Mx" in f.text], [])

    def test_a_block_that_is_declared_and_not_called(self) -> None:
        block = "FUNCTION_BLOCK Twice VAR_INPUT In : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR Q := In; END_FUNCTION_BLOCK\n"
        session = text_session("One(In := X1);\nY1 := One.Q AND Two.Q;", [], "One, Two : Twice;", block)
        self.assertEqual([f.text for f in of(session, "never-called")], ["Main.Two is declared, and nobody calls it"])
        self.assertEqual([f.text for f in of(session, "never-written") if "Two" in f.text], [], "that is said once")

    def test_what_goes_to_and_fro_does_not_overflow(self) -> None:
        for body, count in (("A := 3 - A;", 0), ("A := A - 3;", 1), ("A := A + 3;", 1), ("A := 3 + A;", 1)):
            self.assertEqual(len(of(text_session(f"{body}\nY1 := A = 1;", []), "may-overflow")), count, body)

    def test_a_sum_whose_guard_is_above_its_limit(self) -> None:
        for limit, count in (("32766", 0), ("32767", 1)):
            session = session_of(program_of(rungs((no("X1"), compare("LE", "N1", limit), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1"))), "X1 N1"), [])
            self.assertEqual(len(of(session, "guard-too-high")), count, limit)

    def test_two_tags_at_one_address_and_retained_seal_ins(self) -> None:
        made = program_of(rungs((either(no("X1"), no("Y1")), no("X2"), coil("Y1"))), "X1 X2 Y1")
        config = made.configurations[0]
        other = Variable("Other", config.variables[2].type, VariableKind.GLOBAL, "%QX0.0")
        kept = tuple(replace(v, retain=v.name == "Y1") for v in config.variables)
        session = session_of(replace(made, configurations=(replace(config, variables=(*kept, other)),)), [])
        self.assertTrue(of(session, "one-address"))
        self.assertTrue(of(session, "returns-with-power"))

    def test_what_nobody_calls(self) -> None:
        ladder = Ladder()
        ladder.rung(no("X1"), coil("Y1"))
        made = program_with({"Main": ladder.body()}, "X1 Y1")
        body: LadderBody = ladder.body()
        pous = dict(made.pous) | {"spare": replace(made.pous["main"], name="Spare", body=body)}
        self.assertTrue(of(session_of(replace(made, pous=pous), []), "never-called"))


class Turns(unittest.TestCase):
    """What stands behind a call in the caller's statement comes behind all that the called body writes."""

    BLOCK = "FUNCTION_BLOCK Watch VAR_INPUT E : BOOL; END_VAR VAR_OUTPUT Late : BOOL; END_VAR IF E THEN Late := TRUE; END_IF; END_FUNCTION_BLOCK"
    AFTER = "FOR J := 1 TO 2 DO P[J](E := X1); IF X2 THEN P[J].Late := FALSE; END_IF; END_FOR;\nY1 := P[1].Late;"
    BEFORE = "FOR J := 1 TO 2 DO IF X2 THEN P[J].Late := FALSE; END_IF; P[J](E := X1); END_FOR;\nY1 := P[1].Late;"

    def test_the_one_that_comes_last_dominates(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (1000, "X1", 1), (2000, "X2", 1), (4000, "X1", 1)]
        for body, on, dominates in ((self.AFTER, False, "the reset in Main"), (self.BEFORE, True, "the set in Watch")):
            session = text_session(body, rows, "P : ARRAY[1..2] OF Watch; J : INT;", self.BLOCK)
            self.assertIn(dominates, " ".join(f.effect + f.text for f in of(session, "order-decides")))
            found = asked(session, "Y1")
            self.assertEqual(found.answer.value, on)  # as the replay has it
            self.assertEqual(found.roots[0], ("field-input", "X1" if on else "X2", True))


if __name__ == "__main__":
    unittest.main()
