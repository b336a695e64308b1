"""Functions that name the type they are computed in: as without it where operands are of it, held in it where they are of smaller ones."""

from __future__ import annotations

import re
import unittest
from pathlib import Path
from random import Random

from msgspec.structs import replace

from tests.building import log_of, program_with, session_of
from tests.engine.agreement import difference
from whorlograph.desk.asking import ask
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs import st
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.literals import cooked
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Overflow, Profile
from whorlograph.model.program import Program
from whorlograph.model.typed_functions import COMPARED, typed
from whorlograph.plant.written import body_of

_OPERANDS = {"SINT": ("3", "-7"), "INT": ("3", "-300"), "DINT": ("70000", "-2"), "UINT": ("3", "60000"), "REAL": ("1.5", "-2.25"), "LREAL": ("0.5", "3.0"),
             "WORD": ("16#F0F0", "16#0FF0"), "BYTE": ("16#0F", "16#F1"), "BOOL": ("TRUE", "FALSE"), "TIME": ("T#3s", "T#1m")}
_CALLS = {"ADD": "{0}, {1}", "SUB": "{0}, {1}", "MUL": "{0}, {1}", "DIV": "{0}, {1}", "MOD": "{0}, {1}", "ABS": "{1}", "SQRT": "{0}", "EXPT": "{0}, 2.0",
          **dict.fromkeys(COMPARED, "{0}, {1}"), "SEL": "G, {0}, {1}", "MAX": "{0}, {1}", "MIN": "{0}, {1}, {0}", "LIMIT": "{1}, {0}, {0}",
          "MUX": "1, {0}, {1}", "MOVE": "{1}", "AND": "{0}, {1}", "OR": "{0}, {1}", "XOR": "{0}, {1}, {1}", "NOT": "{0}", "SHL": "{0}, 3", "ROR": "{1}, 5"}


def _text(statements: str, variables: str = "") -> Program:
    declared = " ".join(f"A_{t}, L_{t} : {t} := {a}; B_{t} : {t} := {b}; R_{t} : {t};" for t, (a, b) in _OPERANDS.items())
    loaded = st.read(f"PROGRAM Main VAR G : BOOL; {declared} {variables} END_VAR {statements} END_PROGRAM".encode(), Path("x.st"))
    assert not loaded.notices, loaded.notices
    return loaded.value


def _values(program: Program, case: unittest.TestCase, rows: tuple[tuple[int, str, int], ...] = ((0, "Main.G", 0), (50, "Main.G", 1)),
            mode: Overflow = Overflow.WRAP) -> dict[str, object]:
    """What each tag is at the end, on both engines alike."""
    found = []
    for plain in (True, False):
        controller = Controller(program, Profile(scan_time=10_000_000, on_overflow=mode), plain=plain)
        case.assertEqual([str(n) for n in controller.notices], [])
        found.append(controller.replay(log_of(controller, list(rows), 100)))
    case.assertEqual(difference(*found, [t.name for t in controller.running.tags]), "")
    end = found[0].clock.last
    return {t.name: cooked(found[0].settled(t.index, end), t.type) for t in controller.running.tags}


class Typed(unittest.TestCase):
    """Against the same functions without a type, and in a drawn rung."""

    def calls(self) -> list[tuple[str, str, str]]:
        return [(name, type_, given) for name, given in _CALLS.items() for type_ in _OPERANDS if typed(f"{name}_{type_}")[1] is not None]

    def test_which_there_are(self) -> None:
        for name, known in (("ADD_INT", ("ADD", "INT")), ("gt_real", ("GT", "REAL")), ("SEL_BOOL", ("SEL", "BOOL")), ("CONCAT_STRING", ("CONCAT", "STRING"))):
            base, type_ = typed(name)
            self.assertEqual((base, type_.name if type_ is not None else ""), known)
        for name in ("ADD_TIME", "MUL_TIME", "ADD_BOOL", "AND_INT", "INT_TO_REAL", "TRUNC_INT", "CONCAT_DATE", "SHL_INT", "SQRT_INT", "MOD_REAL", "ADD", "ADD_X"):
            self.assertIsNone(typed(name)[1], name)
        self.assertGreater(len(self.calls()), 110)

    def test_of_operands_of_the_type_as_without_it(self) -> None:
        results = [(name, type_, given, "BOOL" if name in COMPARED else type_) for name, type_, given in self.calls()]
        variables = " ".join(f"T{n}, P{n} : {result};" for n, (*_, result) in enumerate(results))
        statements = "".join(f"T{n} := {name}_{type_}({text}); P{n} := {name}({text});\n" for n, (name, type_, given, _) in enumerate(results)
                             for text in (given.format(f"A_{type_}", f"B_{type_}"),))
        values = _values(_text(statements, variables), self)
        for n, (name, type_, *_) in enumerate(results):
            self.assertEqual(values[f"Main.T{n}"], values[f"Main.P{n}"], (name, type_))

    def test_smaller_operands_are_held_in_the_type(self) -> None:
        for mode in (Overflow.SATURATE, Overflow.WRAP):
            values = _values(_text("R_INT := ADD_INT(S, S); R_DINT := MUL_DINT(A_INT, 30000); R_REAL := ADD_REAL(S, 1); R_SINT := S; R_BOOL := GT_INT(S, 99);",
                                   "S : SINT := 100;"), self, mode=mode)
            self.assertEqual([values[f"Main.R_{t}"] for t in ("INT", "DINT", "REAL", "SINT", "BOOL")], [200, 90_000, 101.0, 100, True])

    def test_of_operands_that_do_not_widen_to_it_it_is_said(self) -> None:
        for text, said in (("R_INT := ADD_INT(A_DINT, 1)", "A_DINT is of type DINT, and ADD_INT takes INT"),
                           ("R_INT := ADD_INT(A_INT, 1.5)", "a number with a fraction, and ADD_INT takes INT"),
                           ("R_BOOL := GT_INT(A_REAL, 1)", "A_REAL is of type REAL, and GT_INT takes INT"), ("R_INT := ADD_INT(A_INT)", "")):
            controller = Controller(_text(f"{text};"), Profile())
            self.assertEqual(len(controller.notices), 1, text)
            self.assertIn(said, controller.notices[0].what)

    def test_in_a_drawn_rung(self) -> None:
        program = program_with({"Main": body_of("X1 ADD(N,2)>N", "X2 GT(N,5) (Y1)", "X1 SEL(X2)>Y2")}, "X1 X2 Y1 Y2", "N:INT")
        data = write_xml(program).replace(b'typeName="ADD"', b'typeName="ADD_INT"').replace(b'typeName="GT"', b'typeName="GT_INT"')
        data = data.replace(b'typeName="SEL"', b'typeName="MOVE_BOOL"')
        self.assertEqual(data.count(b"_INT"), 2)
        plain = write_xml(program).replace(b'typeName="SEL"', b'typeName="MOVE"')
        rows = ((0, "X1", 0), (0, "X2", 1), (20, "X1", 1), (60, "X1", 0))
        values = [_values(read(one, Path("x.xml")).value, self, rows) for one in (data, plain)]
        self.assertEqual(values[0], values[1])
        self.assertTrue(values[0]["Y1"])
        session = session_of(read(data, Path("x.xml")).value, [(0, "X2", 1), (0, "X1", 0)])
        self.assertTrue(any("N > 5" in link.text or "GT_INT" in link.text for _, link in ask(session, "Y1").links()))

    def test_a_function_of_the_file_s_own_may_be_called_so(self) -> None:
        own = ("FUNCTION LIMIT_INT : INT VAR_INPUT {0}, {1}, {2} : INT; END_VAR LIMIT_INT := {0} + 10 * {1} + 100 * {2}; END_FUNCTION "
               "PROGRAM Main VAR U : BOOL; END_VAR U := U; END_PROGRAM")
        drawn = write_xml(program_with({"Main": body_of("X1 ADD(A,B)>N")}, "X1", "A:INT B:INT N:INT"))
        found = re.search(rb'<variable formalParameter="IN1".*?</variable>\s*<variable formalParameter="IN2".*?</variable>', drawn, re.DOTALL)
        assert found is not None
        first, second = re.split(rb"(?<=</variable>)\s*(?=<variable)", found[0])

        def loaded(names: tuple[str, ...]) -> Loaded[Program]:
            a, b, c = (name.encode() for name in names)
            pins = first.replace(b"IN1", a) + second.replace(b"IN2", b) + first.replace(b"IN1", c)
            return read(drawn.replace(found[0], pins).replace(b'typeName="ADD"', b'typeName="LIMIT_INT"'), Path("x.xml"))

        for names in (("Value", "Low", "High"), ("IN1", "IN2", "IN3"), ("MN", "IN", "MX")):
            self.assertEqual(loaded(names).notices, [], names)
            called = st.read(own.format(*names).encode(), Path("x.st")).value.pous["limit_int"]
            program = loaded(names).value
            values = _values(replace(program, pous={**program.pous, "limit_int": called}), self, ((0, "Main.A", 3), (0, "Main.B", 5), (20, "X1", 1)))
            self.assertEqual(values["Main.N"], 3 + 50 + 300, names)
        said = [n.what for n in Controller(loaded(("Value", "IN", "MX")).value, Profile()).notices]
        self.assertIn("LIMIT_INT has no Value", said[0])

    def test_random_nests_on_both_engines(self) -> None:
        for seed in range(12):
            random = Random(seed)

            def nest(type_: str, depth: int, random: Random = random) -> str:
                if depth == 0 or random.random() < 0.2:
                    return random.choice((f"A_{type_}", f"B_{type_}", _OPERANDS[type_][0]))
                names = [n for n in _CALLS if typed(f"{n}_{type_}")[1] is not None and n not in COMPARED and n not in ("DIV", "MOD", "SQRT", "EXPT")]
                name = random.choice(names)
                return f"{name}_{type_}({_CALLS[name].format(nest(type_, depth - 1), nest(type_, depth - 1))})"

            statements = "".join(f"R_{t} := {nest(t, 3)};\n" for t in _OPERANDS)
            statements += "".join(f"R_BOOL := {random.choice(COMPARED)}_{t}({nest(t, 2)}, {nest(t, 2)});\n" for t in _OPERANDS)
            _values(_text(statements), self, mode=random.choice((Overflow.WRAP, Overflow.SATURATE)))


if __name__ == "__main__":
    unittest.main()
