"""What ladder becomes as code, written out; and its rarer shapes on both engines, with values worked out from CONTROLLER.md."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from textwrap import dedent

from tests.building import Draw, controller_of, log_of, program_of
from tests.engine.agreement import difference
from whorlograph.engine.code_text import code_text
from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Connector,
    Contact,
    ContactKind,
    Continuation,
    Edge,
    Element,
    InOutVariable,
    InVariable,
    LadderBody,
    LeftRail,
    OutVariable,
    Pin,
    Wire,
)
from whorlograph.model.literals import cooked, duration_text
from whorlograph.model.parts import Ladder, call, coil, either, falls, jump, leave, nc, no, reset, rises, set_, timer
from whorlograph.model.profile import Overflow
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Variable, VariableKind
from whorlograph.model.rungs import build
from whorlograph.model.types import ELEMENTARY, INT, ArrayOf, Elementary, Family, Named, Simple, Subrange, TypeRef

Source = int | tuple[int, str]


class Sheet:
    """Elements put down one by one, wired as the test says. A source is an element's id, or (id, output pin); 1 is the rail."""

    def __init__(self) -> None:
        self.elements: list[Element] = [LeftRail(1, 0, 0)]

    def add(self, make: Callable[[int], Element]) -> int:
        number = len(self.elements) + 1
        self.elements.append(make(number))
        return number

    def value(self, text: str, negated: bool = False) -> int:
        return self.add(lambda n: InVariable(n, 0, 10 * n, expression=text, negated=negated))

    def contact(self, tag: str, *sources: Source, kind: ContactKind = ContactKind.NORMALLY_OPEN) -> int:
        return self.add(lambda n: Contact(n, 10 * n, 10 * n, variable=tag, kind=kind, wires=_wires(sources)))

    def coil(self, tag: str, *sources: Source, kind: CoilKind = CoilKind.PLAIN) -> int:
        return self.add(lambda n: Coil(n, 10 * n, 10 * n, variable=tag, kind=kind, wires=_wires(sources)))

    def out(self, tag: str, source: Source, negated: bool = False) -> int:
        return self.add(lambda n: OutVariable(n, 10 * n, 10 * n, expression=tag, negated=negated, wires=_wires((source,))))

    def both(self, tag: str, *sources: Source) -> int:
        return self.add(lambda n: InOutVariable(n, 10 * n, 10 * n, expression=tag, wires=_wires(sources)))

    def block(self, kind: str, *pins: Pin, instance: str = "", outs: tuple[Pin, ...] = (Pin("OUT"),), in_outs: tuple[Pin, ...] = ()) -> int:
        return self.add(lambda n: Block(n, 10 * n, 10 * n, type_name=kind, instance=instance, inputs=pins, outputs=outs, in_outs=in_outs))

    def body(self) -> LadderBody:
        return build(tuple(self.elements))[0]


def _wires(sources: tuple[Source, ...]) -> tuple[Wire, ...]:
    return tuple(Wire(s) if isinstance(s, int) else Wire(*s) for s in sources)


def pin(name: str, *sources: Source, negated: bool = False, edge: Edge = Edge.NONE) -> Pin:
    return Pin(name, _wires(sources), negated, edge)


def variable(text: str, kind: VariableKind = VariableKind.GLOBAL) -> Variable:
    """NAME:TYPE or NAME:TYPE=VALUE; A[n] of INT, TYPE(low..high) for a subrange."""
    name, _, rest = text.partition(":")
    type_name, _, initial = rest.partition("=")
    type_: TypeRef
    if type_name.startswith("["):
        bounds = tuple((int(low), int(high)) for low, high in (b.split("..") for b in type_name[1:-1].split(",")))
        type_ = ArrayOf(bounds, INT)
    elif "(" in type_name:
        base, _, limits = type_name[:-1].partition("(")
        low, high = limits.split("..")
        type_ = Subrange(ELEMENTARY[base], int(low), int(high))
    else:
        type_ = ELEMENTARY.get(type_name) or Named(type_name)
    return Variable(name, type_, kind, "", Simple(initial) if initial else None)


def program(body: LadderBody, tags: str, pous: tuple[Pou, ...] = (), own: str = "") -> Program:
    main = Pou("Main", PouKind.PROGRAM, tuple(variable(t, VariableKind.LOCAL) for t in own.split()), body)
    variables = tuple(variable(t) for t in tags.split())
    named = {p.name.lower(): p for p in (main, *pous)}
    return Program("Test", {}, named, (Configuration("C", (Resource("R", (ProgramInstance("Main", "Main"),)),), variables),), "test.xml")


def said(bits: int, type_: Elementary) -> str:
    """TRUE, T#500ms, 16#0012, 5."""
    value = cooked(bits, type_)
    if type_.family is Family.TIME:
        return f"T#{duration_text(int(value))}".replace(" ", "")
    return str(value).upper() if type_.family is Family.BOOL else f"16#{value:04X}" if type_.name == "WORD" else str(value)


class CodeOfLadder(unittest.TestCase):
    """Golden texts: slots s, globals g, the instance's own, hidden cells hid."""

    def code(self, draw: Draw, tags: str, blocks: str = "") -> str:
        return code_text(controller_of(program_of(draw, tags, blocks)).code).strip()

    def check(self, got: str, expected: str) -> None:
        self.assertEqual(got, dedent(expected).strip())

    def test_contacts_side_by_side_and_one_behind_the_other(self) -> None:
        self.check(self.code(lambda p: p.rung(either(no("X1"), no("Y1")), nc("X2"), coil("Y1")), "X1 X2 Y1"), """
            Main()
              1:
                s0 = g0
                s1 = g2
                s2 = not(g1)
                s3 = and(or(s0, s1), s2)
                g2 := s3
            """)

    def test_edges_set_and_reset(self) -> None:
        def draw(p: Ladder) -> None:
            p.rung(rises("X1"), set_("M1"))
            p.rung(falls("X1"), reset("M1"))
        self.check(self.code(draw, "X1 M1"), """
            Main()
              1:
                s0 = rise of g0 since hid0
                if s0:
                  g1 := on
              2:
                s0 = fall of g0 since hid1
                if s0:
                  g1 := off
            """)

    def test_jumps_and_returns_act_after_their_step(self) -> None:
        def draw(p: Ladder) -> None:
            p.rung(no("X1"), jump("End"))
            p.rung(nc("X1"), coil("Y1"))
            p.label("End")
            p.rung(no("X2"), coil("Y1"))
            p.rung(no("X1"), leave())
        self.check(self.code(draw, "X1 X2 Y1"), """
            Main()
              1:
                s0 = g0
                hid0 taken s0
                go to 3 if hid0
              2:
                s0 = not(g0)
                g2 := s0
              3:
                s0 = g1
                g2 := s0
              4:
                s0 = g0
                hid1 taken s0
                go to 5 if hid1
            """)

    def test_a_timer_takes_its_pins_then_runs(self) -> None:
        self.check(self.code(lambda p: p.rung(no("X1"), timer("TON", "T1", "T#30ms"), coil("Y1")), "X1 Y1", "T1:TON"), """
            Main()
              1:
                s0 = g0
                hid6 taken on
                own0 := s0
                own1 := 30000000
                TON at own0
                s1 = own2
                g1 := s1
            """)

    def test_a_function_behind_en_keeps_its_result(self) -> None:
        self.check(self.code(lambda p: p.rung(no("X1"), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1")), "X1 N1"), """
            Main()
              1:
                s0 = g0
                s1 = g1
                hid0 taken s0
                if s0:
                  s2 = add(s1, 1)
                  hid1 := s2
                s3 = hid1
                if s0:
                  g1 := s3
            """)


class Shapes(unittest.TestCase):
    """One sheet each; ``expected``: what tags hold after ten scans, in text, on both engines."""

    def run_(self, sheet: Sheet, tags: str, expected: dict[str, str], pous: tuple[Pou, ...] = (), own: str = "", **profile: object) -> None:
        journals = []
        for plain in (False, True):
            controller = controller_of(program(sheet.body(), tags, pous, own), plain, **profile)
            journal = controller.replay(log_of(controller, [], 100))
            journals.append(journal)
            got = {}
            for name in expected.keys() - {"!"}:
                one = controller.running.tags[controller.running.by_name[name.lower()]]
                got[name] = said(journal.settled(one.index, 10), one.type)
            if journal.fault is not None and "!" in expected:
                got["!"] = journal.fault.code
            else:
                self.assertIsNone(journal.fault)
            self.assertEqual(got, expected, "plain" if plain else "compiled")
        self.assertEqual(difference(journals[1], journals[0], [t.name for t in controller.running.tags]), "", "hidden rows too")

    def test_negated_variables_and_pins(self) -> None:
        for a in ("TRUE", "FALSE"):
            on = a == "TRUE"
            sheet = Sheet()
            sheet.out("P", (sheet.block("AND", pin("IN1", sheet.value("A")), pin("IN2", sheet.value("One"))), "OUT"), negated=True)
            sheet.out("Q", (sheet.block("AND", pin("IN1", sheet.value("A", True)), pin("IN2", sheet.value("One"))), "OUT"))
            sheet.out("R", (sheet.block("AND", pin("IN1", sheet.value("A"), negated=True), pin("IN2", sheet.value("One"))), "OUT"))
            sheet.out("S", (sheet.block("AND", pin("IN1", sheet.value("A")), pin("IN2", sheet.value("One")), outs=(Pin("OUT", (), True),)), "OUT"))
            sheet.out("T", (sheet.block("OR", pin("IN1", sheet.value("A", True), negated=True), pin("IN2", sheet.value("TRUE", True))), "OUT"))
            self.run_(sheet, f"A:BOOL={a} One:BOOL=TRUE P:BOOL Q:BOOL R:BOOL S:BOOL T:BOOL",
                      {"P": str(not on).upper(), "Q": str(not on).upper(), "R": str(not on).upper(), "S": str(not on).upper(), "T": a})

    def test_a_negated_enable_and_what_is_kept_while_it_is_off(self) -> None:
        for a, n in (("TRUE", "0"), ("FALSE", "5")):
            sheet = Sheet()
            add = sheet.block("ADD", pin("EN", sheet.contact("A", 1), negated=True), pin("IN1", sheet.value("2")), pin("IN2", sheet.value("3")),
                              outs=(Pin("ENO"), Pin("OUT")))
            sheet.out("N", (add, "OUT"))
            sheet.coil("Done", (add, "ENO"))
            self.run_(sheet, f"A:BOOL={a} N:INT Done:BOOL", {"N": n, "Done": str(a == "FALSE").upper()})

    def test_a_variable_in_the_middle_is_written_and_read(self) -> None:
        sheet = Sheet()
        move = sheet.block("MOVE", pin("IN", sheet.value("7")))
        middle = sheet.both("N", (move, "OUT"))
        sheet.out("M", (sheet.block("ADD", pin("IN1", middle), pin("IN2", sheet.value("1"))), "OUT"))
        sheet.out("K", (sheet.block("MUL", pin("IN1", sheet.both("M")), pin("IN2", sheet.value("2"))), "OUT"))
        self.run_(sheet, "N:INT M:INT K:INT", {"N": "7", "M": "8", "K": "16"})

    def test_literals_take_the_type_they_are_used_in(self) -> None:
        sheet = Sheet()
        for target, literal in (("B0", "0"), ("B1", "1"), ("B2", "-3"), ("N", "-12"), ("R", "3"), ("M", "2.6"), ("K", "INT#9"), ("L", "16#1F")):
            sheet.out(target, (sheet.block("MOVE", pin("IN", sheet.value(literal))), "OUT"))
        self.run_(sheet, "B0:BOOL B1:BOOL B2:BOOL N:INT R:REAL M:INT K:DINT L:INT",
                  {"B0": "FALSE", "B1": "TRUE", "B2": "TRUE", "N": "-12", "R": "3.0", "M": "3", "K": "9", "L": "31"})

    def test_a_literal_beyond_its_type_is_held_as_the_profile_says(self) -> None:
        for mode, expected in ((Overflow.WRAP, {"N": "-25536"}), (Overflow.HALT, {"N": "0", "!": "overflow"})):
            sheet = Sheet()
            sheet.out("N", (sheet.block("ADD", pin("IN1", sheet.value("40000")), pin("IN2", sheet.value("Zero"))), "OUT"))
            self.run_(sheet, "N:INT Zero:INT", expected, on_overflow=mode)

    def test_subscripts_by_variable(self) -> None:
        sheet = Sheet()
        sheet.out("A[I]", (sheet.block("MOVE", pin("IN", sheet.value("5"))), "OUT"))
        sheet.out("B[I,J]", (sheet.block("MOVE", pin("IN", sheet.value("6"))), "OUT"))
        sheet.out("N", (sheet.block("ADD", pin("IN1", sheet.value("A[I]")), pin("IN2", sheet.value("B[I,J]"))), "OUT"))
        self.run_(sheet, "A:[2..6] B:[1..4,0..2] I:INT=3 J:SINT=2 N:INT", {"A[3]": "5", "A[2]": "0", "A[4]": "0", "B[3,2]": "6", "B[2,2]": "0", "N": "11"})

    def test_a_subscript_out_of_range_stops_the_program(self) -> None:
        for index in ("1", "7"):
            sheet = Sheet()
            sheet.out("N", (sheet.block("MOVE", pin("IN", sheet.value("A[I]"))), "OUT"))
            self.run_(sheet, f"A:[2..6] I:INT={index} N:INT=4", {"N": "4", "!": "array index"})

    def test_bits_of_words_are_read_and_written(self) -> None:
        sheet = Sheet()
        sheet.coil("W.%X4", sheet.contact("V.%X1", 1))
        sheet.coil("W.%X0", sheet.contact("V.%X2", 1))
        self.run_(sheet, "V:WORD=16#2 W:WORD=16#3", {"W": "16#0012"})

    def test_comparisons_of_one_two_and_three(self) -> None:
        sheet = Sheet()
        for target, texts in (("P", ("N",)), ("Q", ("N", "5")), ("R", ("9", "N", "5")), ("S", ("9", "N", "7"))):
            sheet.out(target, (sheet.block("GT", *(pin(f"IN{i + 1}", sheet.value(t)) for i, t in enumerate(texts))), "OUT"))
        self.run_(sheet, "N:INT=6 P:BOOL Q:BOOL R:BOOL S:BOOL", {"P": "TRUE", "Q": "TRUE", "R": "TRUE", "S": "FALSE"})

    def test_time_times_and_divided_by_numbers(self) -> None:
        sheet = Sheet()
        for target, name, factor in (("A", "MUL", "3"), ("B", "MUL", "1.5"), ("C", "DIV", "4"), ("D", "DIV", "0.5"), ("E", "MUL", "R"), ("F", "ADD", "T#1s"),
                                     ("G", "MUL", "N"), ("H", "DIV", "N")):
            sheet.out(target, (sheet.block(name, pin("IN1", sheet.value("T")), pin("IN2", sheet.value(factor))), "OUT"))
        self.run_(sheet, "T:TIME=T#2s R:REAL=2.5 N:INT=4 A:TIME B:TIME C:TIME D:TIME E:TIME F:TIME G:TIME H:TIME",
                  {"A": "T#6s", "B": "T#3s", "C": "T#500ms", "D": "T#4s", "E": "T#5s", "F": "T#3s", "G": "T#8s", "H": "T#500ms"})

    def test_a_result_goes_to_a_variable_and_on_along_a_wire(self) -> None:
        for on, told in (("TRUE", "TRUE"), ("FALSE", "FALSE")):
            sheet = Sheet()
            more = sheet.block("GT", pin("EN", sheet.contact("On", 1)), pin("IN1", sheet.value("N")), pin("IN2", sheet.value("3")),
                               outs=(pin("ENO"), pin("OUT")))
            sheet.out("A", (more, "OUT"))
            sheet.coil("B", sheet.contact("One", (more, "OUT")))
            self.run_(sheet, f"On:BOOL={on} One:BOOL=TRUE N:INT=5 A:BOOL B:BOOL", {"A": told, "B": told})

    def test_pins_are_known_by_name_wherever_they_stand(self) -> None:
        sheet = Sheet()
        ten, twenty = sheet.value("10"), sheet.value("20")
        sheet.out("A", (sheet.block("MUX", pin("IN0", ten), pin("K", sheet.value("One")), pin("IN1", twenty)), "OUT"))
        sheet.out("B", (sheet.block("SEL", pin("IN0", ten), pin("IN1", twenty), pin("G", sheet.value("On"))), "OUT"))
        sheet.out("C", (sheet.block("SHL", pin("N", sheet.value("One")), pin("IN", sheet.value("W"))), "OUT"))
        sheet.out("D", (sheet.block("LIMIT", pin("MN", ten), pin("IN", sheet.value("3")), pin("MX", twenty)), "OUT"))
        sheet.out("E", (sheet.block("SUB", pin("IN1", twenty), pin("IN2", ten)), "OUT"))
        sheet.out("F", (sheet.block("EXPT", pin("IN1", sheet.value("R")), pin("IN2", sheet.value("3"))), "OUT"))
        sheet.out("G", (sheet.block("SHL", pin("IN", sheet.value("W"))), "OUT"))
        self.run_(sheet, "One:INT=1 On:BOOL=TRUE W:WORD=16#4001 R:REAL=2.0 A:INT B:INT C:WORD D:INT E:INT F:REAL G:WORD",
                  {"A": "20", "B": "20", "C": "16#8002", "D": "10", "E": "10", "F": "8.0", "G": "16#4001"})

    def test_a_subrange_holds_what_is_written(self) -> None:
        sheet = Sheet()
        sheet.out("N", (sheet.block("MOVE", pin("IN", sheet.value("99"))), "OUT"))
        sheet.out("M", (sheet.block("MOVE", pin("IN", sheet.value("-99"))), "OUT"))
        self.run_(sheet, "N:INT(1..10)=1 M:INT(1..10)=1", {"N": "10", "M": "1"}, on_overflow=Overflow.SATURATE)

    def test_the_kinds_of_coils(self) -> None:
        sheet = Sheet()
        power = sheet.contact("On", 1)
        for name, kind in (("A", CoilKind.PLAIN), ("B", CoilKind.NEGATED), ("C", CoilKind.SET), ("D", CoilKind.RESET)):
            sheet.coil(name, power, kind=kind)
        off = sheet.contact("Off", 1)
        for name, kind in (("E", CoilKind.NEGATED), ("F", CoilKind.SET), ("G", CoilKind.RESET), ("H", CoilKind.RISING), ("I", CoilKind.FALLING)):
            sheet.coil(name, off, kind=kind)
        self.run_(sheet, "On:BOOL=TRUE Off:BOOL " + " ".join(f"{c}:BOOL=TRUE" for c in "ABCDEFGHI"),
                  {"A": "TRUE", "B": "FALSE", "C": "TRUE", "D": "FALSE", "E": "TRUE", "F": "TRUE", "G": "TRUE", "H": "FALSE", "I": "FALSE"})

    def test_power_goes_on_through_coils_and_connectors(self) -> None:
        sheet = Sheet()
        first = sheet.coil("A", sheet.contact("On", 1))
        sheet.add(lambda n: Connector(n, 10 * n, 10 * n, name="There", wires=(Wire(first),)))
        sheet.coil("B", sheet.add(lambda n: Continuation(n, 10 * n, 10 * n, name="There")))
        self.run_(sheet, "On:BOOL=TRUE A:BOOL B:BOOL", {"A": "TRUE", "B": "TRUE"})

    def test_an_edge_on_a_pin_counts_once(self) -> None:
        counts = Sheet()
        done = counts.block("ADD", pin("EN", counts.contact("On", 1), edge=Edge.RISING), pin("IN1", counts.value("N")), pin("IN2", counts.value("1")),
                            outs=(Pin("ENO"), Pin("OUT")))
        counts.out("N", (done, "OUT"))
        self.run_(counts, "On:BOOL=TRUE N:INT", {"N": "1"})

    def test_a_fall_is_seen_only_after_a_rise(self) -> None:
        sheet = Sheet()
        sheet.coil("A", sheet.contact("Off", 1, kind=ContactKind.FALLING), kind=CoilKind.SET)
        sheet.coil("B", sheet.contact("On", 1, kind=ContactKind.RISING), kind=CoilKind.SET)
        self.run_(sheet, "Off:BOOL On:BOOL=TRUE A:BOOL B:BOOL", {"A": "FALSE", "B": "FALSE"})

    def test_a_fraction_beyond_its_type_is_held_too(self) -> None:
        for text, expected in (("99999.6", "32767"), ("-99999.6", "-32768"), ("1e30", "32767"), ("12.5", "12"), ("13.5", "14")):
            sheet = Sheet()
            sheet.out("N", (sheet.block("MOVE", pin("IN", sheet.value(text))), "OUT"))
            self.run_(sheet, "N:INT", {"N": expected}, on_overflow=Overflow.SATURATE)

    def test_what_never_has_power_is_a_write_nevertheless(self) -> None:
        sheet = Sheet()
        sheet.coil("A", sheet.contact("Nowhere", 1), kind=CoilKind.SET)
        self.run_(sheet, "On:BOOL=TRUE A:BOOL", {"A": "FALSE"})
        controller = controller_of(program(sheet.body(), "On:BOOL A:BOOL"))
        self.assertIn(controller.running.by_name["a"], controller.written)

    def test_a_block_that_names_nothing_is_said_and_its_rung_comes_from_the_log(self) -> None:
        for kind, instance, said in (("FRY", "", "FRY is no function"), ("TON", "", "TON is no function: the block has no instance"),
                                     ("TON", "Nowhere", "Nowhere names no block of type TON"), ("TON", "R[N]", "R[N] is chosen by a subscript")):
            sheet = Sheet()
            sheet.out("B", (sheet.block(kind, pin("IN", sheet.value("On")), instance=instance), "Q"))
            controller = controller_of(program(sheet.body(), "On:BOOL B:BOOL N:INT"))
            self.assertIn(said, " ".join(str(n) for n in controller.notices))
            self.assertIn("not executed", controller.left_out[controller.running.by_name["b"]])
            self.assertNotIn(controller.running.by_name["b"], controller.written)

    def test_a_pin_without_a_wire_keeps_its_value_and_a_wire_that_is_no_variable_hands_nothing_over(self) -> None:
        inner, outer = Sheet(), Sheet()
        inner.out("Sum", (inner.block("ADD", pin("IN1", inner.value("Sum")), pin("IN2", inner.value("By"))), "OUT"))
        inner.out("N", (inner.block("ADD", pin("IN1", inner.value("N")), pin("IN2", inner.value("1"))), "OUT"))
        moved = outer.block("MOVE", pin("IN", outer.value("A")))
        outer.block("Up", pin("By"), pin("On"), instance="One", outs=(), in_outs=(pin("N", (moved, "OUT")),))
        for target, source in (("B", "One.Sum"), ("C", "One.On")):
            outer.out(target, (outer.block("MOVE", pin("IN", outer.value(source))), "OUT"))
        variables = (variable("By:INT=7", VariableKind.INPUT), variable("On:BOOL=TRUE", VariableKind.INPUT), variable("Sum:INT", VariableKind.OUTPUT),
                     variable("N:INT", VariableKind.IN_OUT))
        self.run_(outer, "A:INT=3 B:INT C:BOOL", {"A": "3", "B": "70", "C": "TRUE"}, (Pou("Up", PouKind.FUNCTION_BLOCK, variables, inner.body()),), "One:Up")

    def test_a_block_is_handed_over_and_called_where_it_is_wired(self) -> None:
        inner, middle, outer = Sheet(), Sheet(), Sheet()
        inner.out("Kept", (inner.block("ADD", pin("IN1", inner.value("Kept")), pin("IN2", inner.value("By"))), "OUT"))
        for by in ("1", "10"):
            middle.block("Up", pin("By", middle.value(by)), instance="U", outs=())
        for name in ("One", "Two"):
            outer.block("Twice", instance=f"T{name}", outs=(), in_outs=(pin("U", outer.both(name)),))
        outer.block("Up", pin("By", outer.value("100")), instance="Two", outs=())
        outer.out("A", (outer.block("MOVE", pin("IN", outer.value("One.Kept"))), "OUT"))
        outer.out("B", (outer.block("MOVE", pin("IN", outer.value("Two.Kept"))), "OUT"))
        up = Pou("Up", PouKind.FUNCTION_BLOCK, (variable("By:INT", VariableKind.INPUT), variable("Kept:INT", VariableKind.OUTPUT)), inner.body())
        twice = Pou("Twice", PouKind.FUNCTION_BLOCK, (variable("Own:INT", VariableKind.LOCAL), variable("U:Up", VariableKind.IN_OUT)), middle.body())
        self.run_(outer, "A:INT B:INT", {"A": "110", "B": "1110"}, (up, twice), "One:Up Two:Up TOne:Twice TTwo:Twice")

    def test_a_block_of_the_file_begins_its_temporaries_anew_and_keeps_its_own(self) -> None:
        inner = Sheet()
        inner.out("Kept", (inner.block("ADD", pin("IN1", inner.value("Kept")), pin("IN2", inner.value("Step"))), "OUT"))
        inner.out("Loose", (inner.block("ADD", pin("IN1", inner.value("Loose")), pin("IN2", inner.value("1"))), "OUT"))
        inner.out("Last", (inner.block("MOVE", pin("IN", inner.value("Loose"))), "OUT"))
        variables = (variable("Step:INT", VariableKind.INPUT), variable("Kept:INT", VariableKind.OUTPUT), variable("Last:INT", VariableKind.OUTPUT),
                     variable("Loose:INT=4", VariableKind.TEMP))
        outer = Sheet()
        for name, step in (("First", "2"), ("Second", "3")):
            block = outer.block("Sum", pin("Step", outer.value(step)), instance=name, outs=(Pin("Kept"), Pin("Last")))
            outer.out(f"{name[0]}1", (block, "Kept"))
            outer.out(f"{name[0]}2", (block, "Last"))
        self.run_(outer, "F1:INT F2:INT S1:INT S2:INT", {"F1": "20", "F2": "5", "S1": "30", "S2": "5"},
                  (Pou("Sum", PouKind.FUNCTION_BLOCK, variables, inner.body()),), "First:Sum Second:Sum")

    def test_a_block_called_through_an_in_out_works_on_what_is_wired(self) -> None:
        inner = Sheet()
        inner.out("N", (inner.block("ADD", pin("IN1", inner.value("N")), pin("IN2", inner.value("1"))), "OUT"))
        outer = Sheet()
        outer.block("Up", instance="One", outs=(), in_outs=(pin("N", outer.both("A")),))
        outer.block("Up", instance="Two", outs=(), in_outs=(pin("N", outer.both("B[2]")),))
        self.run_(outer, "A:INT B:[1..3]", {"A": "10", "B[1]": "0", "B[2]": "10", "B[3]": "0"},
                  (Pou("Up", PouKind.FUNCTION_BLOCK, (variable("N:INT", VariableKind.IN_OUT),), inner.body()),), "One:Up Two:Up")


if __name__ == "__main__":
    unittest.main()
