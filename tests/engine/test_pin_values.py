"""Expressions at the pins of drawn rungs: computed like those of texts, in either engine, in their types; told and traced by what they read."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from msgspec.structs import replace

from tests.building import all_rows, controller_of, course_of, log_of, program_of, session_of
from tests.engine.agreement import difference, random_rows, replayed_by
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.engine.power import PowerFlow
from whorlograph.engine.scope.pin_values import element_at, expression_at
from whorlograph.formats.programs.st import read as read_st
from whorlograph.formats.programs.xml import read as read_xml
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.iolist import IoList
from whorlograph.model.ladder import Coil, CoilKind, InVariable
from whorlograph.model.literals import cooked
from whorlograph.model.parts import Ladder, Part, call, coil, compare, falls, nc, no, rises
from whorlograph.model.profile import Profile
from whorlograph.model.text import Binary
from whorlograph.model.types import INT

TAGS = "X1 X2 Y1 Y2 N1 N2 N3 N4"


def random_value(chance: Random, depth: int, risky: bool) -> str:
    """An expression of whole numbers."""
    if depth == 0 or chance.random() < 0.25:
        return chance.choice(["N1", "N2", "N3", str(chance.randint(0, 9)), "INT#7", "16#1F"])
    left, right = random_value(chance, depth - 1, risky), random_value(chance, depth - 1, risky)
    kind = chance.randint(0, 6)
    if kind == 0:
        return f"MAX({left}, {right})"
    if kind == 1:
        return f"SEL({random_test(chance, 1)}, {left}, {right})"
    if kind == 2:
        return f"-{left}" if left[0] != "-" else left
    if kind == 3 and risky:
        return f"({left}) / ({right})"
    return f"({left} {chance.choice('+-*')} {right})"


def random_test(chance: Random, depth: int) -> str:
    """A condition."""
    if depth == 0:
        return chance.choice(["X1", "X2", "NOT X1", "Y2"])
    return chance.choice([f"{random_value(chance, 1, False)} {chance.choice(['<', '<=', '=', '<>', '>'])} {random_value(chance, 1, False)}",
                          f"({random_test(chance, depth - 1)} {chance.choice(['AND', 'OR', 'XOR'])} {random_test(chance, depth - 1)})"])


def random_rungs(chance: Random, risky: bool) -> Ladder:
    """Calculations and comparisons with expressions at their pins."""
    ladder = Ladder()
    for _ in range(chance.randint(1, 4)):
        kind = chance.randint(0, 3)
        gate = [no(chance.choice(["X1", "X2"]))] if chance.random() < 0.5 else []
        value = lambda: random_value(chance, chance.randint(1, 3), risky)  # noqa: E731
        if kind == 0:
            ladder.rung(*gate, compare(chance.choice(["GT", "EQ", "LE"]), value(), value()), coil(chance.choice(["Y1", "Y2"])))
        elif kind == 1:
            ladder.rung(*gate, call(chance.choice(["ADD", "SUB", "MAX"]), ("IN1", value()), ("IN2", value()), out=chance.choice(["N3", "N4"])))
        elif kind == 2:
            ladder.rung(*gate, call("MOVE", ("IN", value()), out=chance.choice(["N3", "N4"])))
        else:
            ladder.rung(*gate, call("SEL", ("G", random_test(chance, 2)), ("IN0", value()), ("IN1", value()), out="N4"))
    return ladder


VALUES = {"Main.N": (0, 3), "Main.M": (0, 3), "Main.X": (0, 1)}
TABLES = """PROGRAM Main
VAR X AT %IX0.0 : BOOL; N AT %IW2 : INT; M AT %IW4 : INT; Y AT %QX0.0 : BOOL; C : INT;
  Flags : ARRAY[0..9] OF BOOL; Net : ARRAY[0..3, 1..3] OF BOOL; Tab : ARRAY[0..9] OF INT; Word : ARRAY[0..3] OF WORD; END_VAR
C := 0;
END_PROGRAM
"""


FUNCTIONS = """FUNCTION Half : INT VAR_INPUT A : INT; B : INT := 3; END_VAR VAR K : INT; END_VAR K := A + B; Half := K / 2; END_FUNCTION
FUNCTION Over : BOOL VAR_INPUT A : INT; Most : INT; END_VAR IF A > Most THEN Over := TRUE; END_IF; END_FUNCTION
"""


def own_value(chance: Random, depth: int) -> str:
    """An expression that calls a function of the file's own."""
    inner = lambda: own_value(chance, depth - 1) if depth and chance.random() < 0.6 else chance.choice(["N", "M", "C", "2"])  # noqa: E731
    return chance.choice([f"Half({inner()}, {inner()})", f"Half(A := {inner()})", f"(Half({inner()}) + {inner()})", f"MAX(Half(B := {inner()}, A := 5), {inner()})"])


def chosen_rungs(chance: Random, risky: bool) -> Ladder:
    """Contacts, coils and boxes at elements whose subscripts are computed."""
    def index(most: int) -> str:
        near = [f"N + {chance.randint(0, most - 3)}", f"{most} - M", "ABS(N - M)", "N", "M", str(chance.randint(0, 3)), "(N * 2 + M) MOD 4"]
        return chance.choice([*near, "N * M + 2"] if risky else near)

    def bit() -> str:
        return chance.choice([f"Flags[{index(9)}]", f"Net[{index(3)}, (M MOD 3) + 1]", "Flags[Tab[N + 1] MOD 10]" if not risky else f"Flags[Tab[{index(9)}]]", "X"])

    def number() -> str:
        return chance.choice([f"Tab[{index(9)}]", "C", "N"])

    ladder = Ladder()
    for _ in range(chance.randint(2, 6)):
        gate = [chance.choice([no, nc, rises, falls])(bit()) for _ in range(chance.randint(1, 2))]
        kind = chance.randint(0, 3)
        if kind < 2:
            into = chance.choice([bit(), "Y"])
            ladder.rung(*gate, Part("coil", "Y" if into == "X" else into, coil=chance.choice(list(CoilKind))))
        elif kind == 2:
            ladder.rung(*gate, call(chance.choice(["ADD", "SUB"]), ("IN1", number()), ("IN2", "1"), out=f"Tab[{index(9)}]"))
        else:
            ladder.rung(*gate, compare(chance.choice(["GT", "LE"]), number(), number()), call("MOVE", ("IN", f"{number()} + 1"), out=f"Tab[{index(9)}]"), coil("Y"))
    return ladder


def drawn(ladder: Ladder) -> list[Controller]:
    """Both engines on a drawn body among tables, the plain one first."""
    program = read_st(TABLES.encode(), Path("x.st")).value
    found = replace(program, pous={**program.pous, "main": replace(program.pous["main"], body=ladder.body())})
    return [Controller(found, Profile(scan_time=10_000_000), plain=plain) for plain in (True, False)]


class PinValues(unittest.TestCase):
    """Both engines, the plain one walks the tree."""

    def test_random_rungs(self) -> None:
        rows_seen = halted = 0
        for seed in range(50):
            chance = Random(seed)
            ladder = random_rungs(chance, seed % 3 == 0)
            program = program_of(lambda target, made=ladder: target.elements.extend(made.elements[1:]), TAGS)  # type: ignore[misc]
            rows = random_rows(chance, range(0, 400, 20), {"X1": (0, 1), "X2": (0, 1), "N1": (-3, 12), "N2": (-3, 12)}, 0.4)
            journals = []
            for plain in (True, False):
                one = controller_of(program, plain)
                self.assertEqual([str(n) for n in one.notices], [], seed)
                journals.append(one.replay(log_of(one, rows)))
            with self.subTest(seed=seed):
                self.assertEqual(difference(*journals, [t.name for t in one.running.tags]), "")
            rows_seen += len(journals[0])
            halted += journals[0].fault is not None
        self.assertGreater(rows_seen, 2000)
        self.assertGreater(halted, 2)

    def test_what_they_give(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(compare("GT", "N1 * 2 + 1", "N2 - 3"), coil("Y1"))
            ladder.rung(call("ADD", ("IN1", "(N1 + N2) * 3"), ("IN2", "N1 MOD 4"), out="N4"))

        for plain in (True, False):
            one = controller_of(program_of(draw, TAGS), plain)
            journal = one.replay(log_of(one, [(0, "N1", 2), (0, "N2", 9), (100, "N1", 5), (200, "N2", 14)], 300))
            self.assertEqual(course_of(journal, one, "Y1"), [(11, 1), (21, 0)])
            self.assertEqual([v for _, v in course_of(journal, one, "N4")], [3 * 11 + 2, 3 * 14 + 1, 3 * 19 + 1])

    def test_answers_lead_through_them(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), compare("LT", "N1 + N2", "50"), coil("Y1"))

        session = session_of(program_of(draw, TAGS), [(0, "X1", 1), (0, "N1", 10), (0, "N2", 20), (3000, "N2", 45), (5000, "X2", 0)])
        answer = ask(session, "Y1")
        prove_all(session, answer)
        tags = session.running.tags
        self.assertEqual([(tags[r.tag or 0].name, r.proved) for r in answer.roots if r.tag is not None][:1], [("N2", True)])
        self.assertTrue(any("N1 + N2 < 50" in link.text for _, link in answer.links()), [link.text for _, link in answer.links()])

    def test_what_cannot_be_computed_is_said(self) -> None:
        for text, why in (("N1 + Nowhere", "Nowhere"), ("N1 +", "no name and no literal"), ("X1 + 'a'", "text"), ("N1 ? 2", "no name and no literal")):
            ladder = Ladder()
            ladder.rung(call("MOVE", ("IN", text), out="N4"))
            one = controller_of(program_of(lambda target, made=ladder: target.elements.extend(made.elements[1:]), TAGS))  # type: ignore[misc]
            found = [str(n) for n in one.notices]
            self.assertTrue(any(why in n for n in found) or "Nowhere" in {t.name for t in one.running.tags}, (text, found))

    def test_functions_of_the_file_give_at_pins_what_they_give_in_texts(self) -> None:
        changed = 0
        for seed in range(28):
            chance = Random(seed)
            value, test = own_value(chance, 2), f"Over({own_value(chance, 1)}, {chance.randint(0, 9)})"
            ladder = Ladder()
            ladder.rung(call("MOVE", ("IN", value), out="C"))
            ladder.rung(compare("EQ", f"SEL({test}, 0, 1)", "1"), no("X"), coil("Y"))
            rows = random_rows(chance, range(0, 400, 20), VALUES, 0.5)
            program = read_st(f"{FUNCTIONS}{TABLES}".encode(), Path("x.st")).value
            pous = {**program.pous, "main": replace(program.pous["main"], body=ladder.body())}
            as_text = read_st(f"{FUNCTIONS}{TABLES.replace('C := 0;', f'C := {value}; Y := X AND {test};')}".encode(), Path("x.st")).value
            courses = []
            for made, plain in ((replace(program, pous=pous), True), (replace(program, pous=pous), False), (as_text, False)):
                one = Controller(made, Profile(scan_time=10_000_000), plain=plain)
                self.assertEqual(one.notices, [])
                journal = one.replay(log_of(one, rows))
                courses.append([course_of(journal, one, name) for name in ("Main.C", "Main.Y")])
            self.assertEqual(courses[1:], courses[:1] * 2, (seed, value, test))
            changed += len(courses[0][0]) + len(courses[0][1])
        self.assertGreater(changed, 200)

    def test_a_trail_leads_through_a_function_at_a_pin(self) -> None:
        program = read_st(f"{FUNCTIONS}{TABLES}".encode(), Path("x.st")).value
        ladder = Ladder()
        ladder.rung(no("X"), compare("LT", "Half(N, M)", "20"), coil("Y"))
        one = Controller(replace(program, pous={**program.pous, "main": replace(program.pous["main"], body=ladder.body())}), Profile(scan_time=10_000_000))
        session = Session(one, log_of(one, [(0, "Main.X", 1), (0, "Main.N", 4), (0, "Main.M", 6), (1000, "Main.N", 50)], 2000), IoList({}), [], Paths(Path("x.st")))
        answer = ask(session, "Main.Y")
        prove_all(session, answer)
        self.assertEqual([(one.running.tags[r.tag].name, r.proved) for r in answer.roots if r.tag is not None][:1], [("Main.N", True)])
        self.assertTrue(any("Half(N, M) < 20" in link.text for _, link in answer.links()), [link.text for _, link in answer.links()])

    def test_a_function_at_a_pin_belongs_to_what_calls_it(self) -> None:
        """Its inputs are copied when the task runs; it is called, and one that calls itself is none of the standard's."""
        far = ("FUNCTION Far : INT VAR_INPUT A : INT; END_VAR VAR_EXTERNAL Gate : BOOL; END_VAR IF Gate THEN Far := A; END_IF; END_FUNCTION PROGRAM Main VAR C : INT; END_VAR ; "
               "END_PROGRAM CONFIGURATION K VAR_GLOBAL Gate AT %IX0.0 : BOOL; END_VAR RESOURCE R ON P TASK Fast(INTERVAL := T#3ms, PRIORITY := 1); PROGRAM Main WITH Fast : Main; "
               "END_RESOURCE END_CONFIGURATION")
        program = read_st(far.encode(), Path("x.st")).value
        ladder = Ladder()
        ladder.rung(call("MOVE", ("IN", "Far(7) + 1"), out="C"))
        drawn_ = replace(program, pous={**program.pous, "main": replace(program.pous["main"], body=ladder.body())})
        rows = []
        for plain in (True, False):
            one = Controller(drawn_, Profile(scan_time=10_000_000), plain=plain)
            self.assertNotIn("never called", " ".join(str(n) for n in one.notices))
            rows.append(all_rows(one.replay(log_of(one, [(0, "Gate", 0), (25, "Gate", 1), (60, "Gate", 0), (90, "Gate", 0)]))))
        self.assertEqual(rows[0], rows[1])
        self.assertGreater(len(rows[0]), 3)
        own = Ladder()
        own.rung(call("MOVE", ("IN", "Far(7) + 1"), out="Far"))
        ring = replace(drawn_, pous={**drawn_.pous, "far": replace(drawn_.pous["far"], body=own.body())})
        self.assertIn("Far calls itself", " ".join(str(n) for n in Controller(ring, Profile(scan_time=10_000_000)).notices))

    def test_what_would_write_at_a_pin_is_said(self) -> None:
        before = "FUNCTION Add1 : INT VAR_IN_OUT A : INT; END_VAR A := A + 1; Add1 := A; END_FUNCTION FUNCTION Two : INT VAR_INPUT A : INT; END_VAR " \
                 "VAR_OUTPUT Q : INT; END_VAR Q := A; Two := A; END_FUNCTION "
        program = read_st(f"{before}{TABLES}".encode(), Path("x.st")).value
        for text in ("Add1(C) + 1", "Two(A := N, Q => C)"):
            ladder = Ladder()
            ladder.rung(call("MOVE", ("IN", text), out="C"))
            one = Controller(replace(program, pous={**program.pous, "main": replace(program.pous["main"], body=ladder.body())}), Profile(scan_time=10_000_000))
            self.assertIn("at a pin, where it would write", " ".join(str(n) for n in one.notices), text)

    def test_names_and_literals_are_none(self) -> None:
        for text in ("N1", "Main.N1", "12", "-3", "T#5s", "A[3]", "A[i]", "W.%X3", "'text'", "%IW2", ""):
            self.assertIsNone(expression_at(text, 4), text)
        found = expression_at("N1 + 2 * (N2 - 1)", 7)
        assert isinstance(found, Binary)
        self.assertEqual({found.at, found.left.at, found.right.at}, {7})

    def test_random_computed_subscripts(self) -> None:
        changed = halted = 0
        for seed in range(50):
            chance = Random(seed)
            plain, compiled = drawn(chosen_rungs(chance, seed % 4 == 0))
            self.assertEqual([str(n) for n in plain.notices], [], seed)
            journal, differs = replayed_by(plain, compiled, random_rows(chance, range(0, 400, 10), VALUES, 0.5))
            self.assertEqual(differs, "", seed)
            changed += len(journal) > 60
            halted += journal.fault is not None
        self.assertGreater(changed, 25)
        self.assertGreater(halted, 1)

    def test_power_is_what_the_engine_wrote(self) -> None:
        """What is drawn at a contact and at an input, in every scan, against the tags that the rung wrote."""
        seen = {False: 0, True: 0}
        for seed in range(28):
            chance = Random(seed)
            ladder = Ladder()
            near = [f"Flags[{i}]" for i in ("N + 2", "9 - M", "ABS(N - M)", "N", "(N * 2 + M) MOD 4")] + ["Net[3 - N, M MOD 3 + 1]", "Flags[Tab[N + 1] MOD 10]"]
            ladder.rung(no("X"), Part("coil", chance.choice(near), coil=CoilKind.SET))
            ladder.rung(nc("X"), Part("coil", chance.choice(near), coil=CoilKind.RESET))
            ladder.rung(chance.choice([no, nc, rises, falls])(chance.choice(near)), coil("Y"))
            ladder.rung(call("MOVE", ("IN", chance.choice(["Tab[N + 1]", "Tab[9 - M]", "Tab[N]", "Tab[N + 1] - M", "N + M * 2"])), out="C"))
            ladder.rung(call("ADD", ("IN1", "Tab[N + 1]"), ("IN2", "M"), out="Tab[N + 1]"))
            one = drawn(ladder)[1]
            rows = random_rows(chance, range(0, 400, 10), VALUES, 0.5)
            journal, power = one.replay(log_of(one, rows)), PowerFlow(one.again())
            steps = one.steps.all
            end = next(e for e in steps[2].rung.elements if isinstance(e, Coil))
            pin = next(e for e in steps[3].rung.elements if isinstance(e, InVariable))
            on, number = one.running.by_name["main.y"], one.running.by_name["main.c"]
            for scan in range(1, journal.clock.last):
                self.assertEqual(power.flow(journal, steps[2], scan).power[end.id], bool(journal.settled(on, scan)), (seed, scan))
                flow, value = power.flow(journal, steps[3], scan), cooked(journal.settled(number, scan), INT)
                self.assertEqual((flow.out[pin.id, ""], flow.values[pin.id]), (value, value), (seed, scan))
                seen[bool(journal.settled(on, scan))] += 1
        self.assertGreater(min(seen.values()), 100)

    def test_computed_subscripts(self) -> None:
        ladder = Ladder()
        ladder.rung(no("X"), Part("coil", "Flags[N + 1]", coil=CoilKind.SET))
        ladder.rung(nc("X"), Part("coil", "Flags[9 - M]", coil=CoilKind.RESET))
        ladder.rung(no("Flags[N * 2]"), coil("Y"))
        for one in drawn(ladder):
            journal = one.replay(log_of(one, [(0, "Main.N", 3), (0, "Main.M", 5), (100, "Main.X", 1), (150, "Main.X", 0), (200, "Main.N", 2), (400, "Main.M", 3)], 600))
            self.assertEqual(course_of(journal, one, "Main.Flags[4]"), [(11, 1), (16, 0)])
            again = one.replay(log_of(one, [(0, "Main.N", 3), (0, "Main.M", 1), (100, "Main.X", 1), (150, "Main.X", 0), (200, "Main.N", 2), (400, "Main.M", 5)], 600))
            self.assertEqual(course_of(again, one, "Main.Flags[4]"), [(11, 1), (41, 0)])
            self.assertEqual(course_of(again, one, "Main.Y"), [(21, 1), (41, 0)])

    def test_answers_lead_to_the_element(self) -> None:
        ladder = Ladder()
        ladder.rung(no("X"), coil("Flags[N + 1]"))
        ladder.rung(no("Flags[4]"), coil("Y"))
        one = drawn(ladder)[1]
        session = session_of(one.program, [(0, "Main.N", 3), (0, "Main.X", 1), (4000, "Main.X", 0), (6000, "Main.M", 1)])
        answer = ask(session, "Main.Y")
        prove_all(session, answer)
        tags = session.running.tags
        self.assertEqual([(tags[r.tag or 0].name, r.proved) for r in answer.roots], [("Main.X", True)])

    def test_names_that_cannot_be_read_leave_the_rung_out(self) -> None:
        for text, why in (("Flags[1", "'Flags[1' is no name"), ("Flags[N +]", "'Flags[N +]' is no name"), ("Y 2", "'Y 2' is no name"),
                          ("Flags[N, M + 1]", "Flags"), ("N[M + 1]", "N")):
            for name in ("contact", "coil", "output"):
                ladder = Ladder()
                ladder.rung(no(text if name == "contact" else "X"), call("ADD", ("IN1", "N"), ("IN2", "1"), out=text if name == "output" else "C"),
                            coil(text if name == "coil" else "Y"))
                for one in drawn(ladder):
                    found = [str(n) for n in one.notices]
                    self.assertTrue(any(why in n and "the rung is not executed" in n for n in found), (text, name, found))
                    self.assertEqual(course_of(one.replay(log_of(one, [(0, "Main.X", 1), (0, "Main.N", 3)], 100)), one, "Main.C"), [])

    def test_elements(self) -> None:
        for text in ("A[i]", "A[1]", "N + 1", "B", "A[i + 1] + 2"):
            self.assertEqual(element_at(text, 1) is not None, False, text)
        for text in ("A[i + 1]", "A[i, 2 * j].on", "A[B[i - 1]]"):
            self.assertIsNotNone(element_at(text, 1), text)

    def test_they_are_written_and_read_back(self) -> None:
        ladder = Ladder()
        ladder.rung(compare("GT", "N1 * 2 + 1", "N2 - 3"), coil("Y1"))
        program = program_of(lambda target: target.elements.extend(ladder.elements[1:]), TAGS)
        again = read_xml(write_xml(program), Path("p.xml")).value
        one, two = controller_of(program), controller_of(again)
        rows = [(0, "N1", 2), (0, "N2", 9), (100, "N1", 5)]
        self.assertEqual(course_of(one.replay(log_of(one, rows, 200)), one, "Y1"), course_of(two.replay(log_of(two, rows, 200)), two, "Y1"))


if __name__ == "__main__":
    unittest.main()
