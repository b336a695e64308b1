"""Arrays and structures taken whole: assigned, chosen by computed subscripts, handed to functions and blocks, given back (IEC 61131-3:2013, 6.4.4, 6.6)."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from msgspec.structs import replace

from tests.building import log_of
from tests.engine.agreement import difference, random_rows, replayed_by
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.ladder import Block, Contact, InVariable, LadderBody, LeftRail, OutVariable, Pin, Wire
from whorlograph.model.literals import cooked
from whorlograph.model.parts import Ladder, Part, call, coil, no
from whorlograph.model.profile import Profile
from whorlograph.model.rungs import build

VALUES = {"Main.N": (0, 3), "Main.M": (0, 3), "Main.B": (0, 1)}
TYPES = """TYPE
  Pair : STRUCT a : INT; on : BOOL; END_STRUCT;
  Rec : STRUCT w : INT; t : ARRAY[1..2] OF INT; p : Pair; r : REAL; END_STRUCT;
END_TYPE
"""
FUNCTIONS = """FUNCTION Sum : INT
VAR_INPUT x : Rec; i : INT; END_VAR
Sum := x.w + x.t[i] + x.p.a;
END_FUNCTION
FUNCTION Make : Rec
VAR_INPUT w : INT; on : BOOL; END_VAR
Make.w := w; Make.t[1] := w + 1; Make.p.on := on; Make.p.a := Make.t[1] * 2; Make.r := 0.5;
END_FUNCTION
FUNCTION Swap : BOOL
VAR_INPUT x : Rec; y : Rec; END_VAR
VAR_OUTPUT u : Rec; v : Rec; END_VAR
u := y; v := x; Swap := x.w > y.w;
END_FUNCTION
FUNCTION Most : INT
VAR_INPUT x : ARRAY[0..3] OF Rec; END_VAR
VAR i : INT; END_VAR
FOR i := 0 TO 3 DO IF x[i].w > Most THEN Most := x[i].w; END_IF; END_FOR;
END_FUNCTION
FUNCTION_BLOCK Shelf
VAR_INPUT put : Rec; go : BOOL; k : INT; END_VAR
VAR_OUTPUT got : Rec; n : INT; END_VAR
VAR_IN_OUT all : ARRAY[0..3] OF Rec; END_VAR
VAR own : ARRAY[0..3] OF Rec; END_VAR
IF go THEN all[k] := put; own[k].p := put.p; n := n + 1; END_IF;
got := all[3 - k]; got.p := own[k].p;
END_FUNCTION_BLOCK
"""
DECLARED = """VAR N AT %IW0 : INT; M AT %IW2 : INT; B AT %IX4.0 : BOOL;
  Tab : ARRAY[0..3] OF Rec := [(w := 500, t := [1, 2]), (w := 750, t := [3, 4]), (w := 1000, t := [5, 6], p := (a := 9, on := TRUE)), (w := 250, t := [7, 8])];
  Bak : ARRAY[0..3] OF Rec; Grid : ARRAY[0..1, 0..1] OF Rec; Long : ARRAY[0..99] OF INT; Longer : ARRAY[0..1] OF ARRAY[0..99] OF INT;
  R, Q : Rec; C, D : INT; F, G : BOOL; S : Shelf; END_VAR
"""


def program(body: str) -> str:
    """A file with this body."""
    return f"{TYPES}{FUNCTIONS}PROGRAM Main\n{DECLARED}{body}\nEND_PROGRAM\n"


def controllers(text: str) -> list[Controller]:
    """Both engines on it, the plain one first; read without a notice."""
    loaded = read(text.encode(), Path("x.st"))
    assert not loaded.notices, [str(n) for n in loaded.notices]
    return [Controller(loaded.value, Profile(scan_time=10_000_000), plain=plain) for plain in (True, False)]


def random_body(chance: Random, risky: bool) -> str:
    """Statements on whole arrays and structures; ``risky``: subscripts may go out of range."""
    def index() -> str:
        return chance.choice(["N", "M", "3 - N", str(chance.randint(0, 3)), *(["N + M"] if risky else ["(N + M) MOD 4"])])

    def rec(depth: int = 0) -> str:
        kinds = ["R", "Q", f"Tab[{index()}]", f"Bak[{index()}]", "Grid[N / 2, M MOD 2]", "S.got"]
        return f"Make(w := {chance.choice(['C', 'N', '7'])}, on := B)" if depth == 0 and not chance.randint(0, 3) else chance.choice(kinds)

    def into() -> str:
        return chance.choice(["R", "Q", f"Tab[{index()}]", f"Bak[{index()}]", "Grid[N / 2, M MOD 2]"])

    def statement(depth: int) -> str:
        what = chance.randint(0, 9 if depth else 8)
        if what <= 2:
            return f"{into()} := {rec()};"
        if what == 3:
            return f"{into()}.p := {rec(1)}.p;"
        if what == 4:
            return f"C := Sum({rec()}, {'1 + M MOD 2' if chance.randint(0, 1) else '2'});"
        if what == 5:
            return f"F := Swap(x := {rec(1)}, y := {rec(1)}, u => {into()}, v => {into()});"
        if what == 6:
            return f"D := Most({chance.choice(['Tab', 'Bak'])});"
        if what == 7:
            return f"S(put := {rec()}, go := {chance.choice(['B', 'F', 'TRUE'])}, k := {index()}, all := {chance.choice(['Tab', 'Bak'])}, got => {into()}, n => C);"
        if what == 8:
            return chance.choice(["Bak := Tab;", "Long := Longer[N MOD 2];", "Longer[M MOD 2] := Long;", f"Long[{index()}] := C;", f"{into()}.w := D + N;"])
        return f"IF {chance.choice(['B', 'N > M', 'R.p.on'])} THEN\n  {statement(0)}\nELSE\n  {statement(0)}\nEND_IF;"
    return "\n".join(statement(1) for _ in range(chance.randint(1, 6)))


def drawn(body: LadderBody) -> list[Controller]:
    """Both engines on a drawn body, the plain one first."""
    program_ = read(program("C := 0;").encode(), Path("x.st")).value
    found = replace(program_, pous={**program_.pous, "main": replace(program_.pous["main"], body=body)})
    return [Controller(found, Profile(scan_time=10_000_000), plain=plain) for plain in (True, False)]


def random_ladder(chance: Random) -> LadderBody:
    """Rungs with blocks that take and give arrays and structures."""
    ladder = Ladder()

    def index() -> str:
        return chance.choice(["N", "M", str(chance.randint(0, 3)), "3 - N", "(N + M) MOD 4", *(["C", "N + M"] if not chance.randint(0, 8) else [])])

    def rec(into: bool = False) -> str:
        return chance.choice(["R", "Q", f"Tab[{index()}]", f"Bak[{index()}]", *([] if into else ["S.got"])])

    def block(kind: str, *pins: tuple[str, str], instance: str = "", **writes: str) -> Part:
        return Part("block", instance, block=kind, pins=pins, writes=tuple(writes.items()), power=("EN", "ENO"))

    for _ in range(chance.randint(1, 5)):
        what = chance.randint(0, 6)
        one = block("MOVE", ("IN", rec()), OUT=rec(True)) if what < 2 else \
            block("MOVE", ("IN", rec() + ".p"), OUT=rec(True) + ".p") if what == 2 else \
            block("Make", ("w", chance.choice(["C", "N"])), ("on", "B"), OUT=rec(True)) if what == 3 else \
            block("Sum", ("x", rec()), ("i", "2"), OUT="D") if what == 4 else \
            block("Swap", ("x", rec()), ("y", rec()), u=rec(True), v=rec(True)) if what == 5 else \
            block("Shelf", ("put", rec()), ("go", "B"), ("k", chance.choice(["N", "M"])), ("all", chance.choice(["Tab", "Bak"])), instance="S", got=rec(True), n="C")
        ladder.rung(*([no("B")] if chance.randint(0, 1) else []), one, coil("F"))
    return ladder.body()


class Wholes(unittest.TestCase):
    """The reference interpreter walks the text, the compiled program its code."""

    def test_random_programs(self) -> None:
        changed = halted = 0
        for seed in range(60):
            chance = Random(seed)
            body = random_body(chance, seed % 4 == 0)
            rows = random_rows(chance, range(0, 600, 15), VALUES, 0.33)
            plain, compiled = controllers(program(body))
            journal, differs = replayed_by(plain, compiled, rows)
            self.assertEqual(differs, "", (seed, body))
            changed += len(journal) > 100
            halted += journal.fault is not None
        self.assertGreater(changed, 20)
        self.assertGreater(halted, 3)

    def test_random_drawings(self) -> None:
        changed = halted = 0
        for seed in range(60):
            chance = Random(seed)
            plain, compiled = drawn(random_ladder(chance))
            self.assertEqual([str(n) for n in plain.notices], [])
            journal, differs = replayed_by(plain, compiled, random_rows(chance, range(0, 600, 15), VALUES, 0.33))
            self.assertEqual(differs, "", seed)
            changed += len(journal) > 100
            halted += journal.fault is not None
        self.assertGreater(changed, 20)
        self.assertGreater(halted, 0)

    def test_from_block_to_block_in_a_drawing(self) -> None:
        """A function's structure goes by wire into a move and a block; behind an open contact it keeps what it gave last."""
        elements = [LeftRail(1, 20, 20, 3, 40), InVariable(3, 60, 40, 60, 15, expression="N"), InVariable(4, 60, 60, 60, 15, expression="B"),
                    Contact(5, 60, 20, 30, 15, variable="B", wires=(Wire(1),)),
                    Block(6, 120, 40, 80, 80, type_name="Make", inputs=(Pin("EN", (Wire(5),)), Pin("w", (Wire(3),)), Pin("on", (Wire(4),))), outputs=(Pin("ENO"), Pin("OUT"))),
                    Block(7, 240, 40, 80, 80, type_name="MOVE", inputs=(Pin("IN", (Wire(6, "OUT"),)),), outputs=(Pin("OUT"),)),
                    OutVariable(8, 360, 40, 60, 15, expression="Bak[M]", wires=(Wire(7, "OUT"),)), InVariable(9, 200, 100, 60, 15, expression="Tab"),
                    InVariable(10, 200, 120, 60, 15, expression="M"), InVariable(11, 200, 140, 60, 15, expression="TRUE"),
                    Block(12, 360, 100, 80, 80, type_name="Shelf", instance="S", outputs=(Pin("got"), Pin("n")),
                          inputs=(Pin("put", (Wire(7, "OUT"),)), Pin("go", (Wire(11),)), Pin("k", (Wire(10),))), in_outs=(Pin("all", (Wire(9),)),)),
                    OutVariable(13, 500, 100, 60, 15, expression="R", wires=(Wire(12, "got"),))]
        rows = [(0, "Main.N", 5), (0, "Main.M", 1), (0, "Main.B", 0), (100, "Main.B", 1), (200, "Main.N", 9), (300, "Main.B", 0), (400, "Main.N", 3), (400, "Main.M", 2)]
        journals = []
        for one in drawn(build(tuple(elements))[0]):
            self.assertEqual([str(n) for n in one.notices], [])
            journals.append(one.replay(log_of(one, rows, 500)))
            now = [[journals[-1].settled(one.running.by_name[f"main.{n}"], scan) for scan in (5, 15, 25, 35, 45)] for n in ("tab[1].w", "tab[2].w", "r.w")]
            self.assertEqual(now, [[0, 5, 9, 9, 9], [1000, 1000, 1000, 1000, 9], [1000, 1000, 1000, 1000, 9]])
        self.assertEqual(difference(*journals, []), "")

    def test_what_does_not_fit_in_a_drawing_is_said(self) -> None:
        for part, why in ((call("MOVE", ("IN", "Tab"), out="R"), "Tab has another shape than R"), (call("MOVE", ("IN", "R"), out="C"), "R has another shape than C"),
                          (call("ADD", ("IN1", "R"), ("IN2", "C"), out="C"), "R has another shape than ADD.IN1"),
                          (call("Sum", ("x", "C"), ("i", "1"), out="D"), "C has another shape than Sum.x"), (call("MOVE", ("IN", "C"), out="R"), "C has another shape than R"),
                          (call("Shelf", ("all", "R"), instance="S"), "R has another shape than S.all, which stands for it (VAR_IN_OUT)"),
                          (call("Shelf", ("all", "C"), instance="S"), "C has another type than S.all")):
            ladder = Ladder()
            ladder.rung(part, coil("F"))
            found = [str(n) for n in drawn(ladder.body())[0].notices]
            self.assertTrue(any(why in text for text in found), (why, found))

    def test_what_it_gives(self) -> None:
        text = program("R := Tab[N];\nQ := Make(w := Sum(Tab[N], 2), on := B);\nC := Sum(Make(N, TRUE), 1);\nF := Swap(x := R, y := Q, u => Bak[M], v => Bak[3]);\nD := Most(Tab);")
        rows = [(0, "Main.N", 0), (0, "Main.M", 0), (0, "Main.B", 1), (100, "Main.N", 2), (200, "Main.M", 1)]
        for one in controllers(text):
            journal = one.replay(log_of(one, rows, 300))

            def at(name: str, scan: int) -> object:
                tag = one.running.tags[one.running.by_name[f"main.{name}".lower()]]  # noqa: B023
                return cooked(journal.settled(tag.index, scan), tag.type)  # noqa: B023
            self.assertEqual([at(n, 5) for n in ("R.w", "Q.w", "Q.t[1]", "Q.p.a", "Q.p.on", "Q.r", "C")], [500, 502, 503, 1006, True, 0.5, 3])
            self.assertEqual([at(n, 15) for n in ("R.w", "R.p.on", "Q.w", "C", "F", "D")], [1000, True, 1000 + 6 + 9, 2 + 3 + 6, False, 1000])
            self.assertEqual([at(n, 25) for n in ("Bak[1].w", "Bak[3].w", "Bak[1].p.a")], [1015, 1000, 2032])

    def test_what_cannot_be_taken_whole_is_said(self) -> None:
        for statement, why in (("R := Tab;", "other shapes"), ("C := Make(3, B);", "takes no single value"), ("R := 5;", "takes no single value"),
                               ("C := Sum(Tab, 1);", "Tab has another shape than X"), ("C := Sum(N, 1);", "N has another shape than X"),
                               ("C := Make(3, B) + 1;", "no single value"), ("R := Q.p;", "other shapes"), ("S(put := Tab, all := Bak);", "another shape than put"),
                               ("S(k := R, all := Bak);", "another shape than k"), ("S(all := Bak, got => C);", "another shape than got")):
            loaded = read(program(statement).encode(), Path("x.st"))
            found = [str(n) for n in (*loaded.notices, *Controller(loaded.value, Profile()).notices)]
            self.assertTrue(any(why in text for text in found), (statement, found))

    def test_what_is_handed_over_by_reference_is_of_its_own_type(self) -> None:
        for statement, why in (("S(all := R);", "R has another shape than all, which stands for it (VAR_IN_OUT)"), ("S(all := C);", "C has another type than all"),
                               ("S(all := Make(3, B));", "is no variable, and all stands for one"), ("S(all := Tab);", "")):
            loaded = read(program(statement).encode(), Path("x.st"))
            found = [str(n) for n in (*loaded.notices, *Controller(loaded.value, Profile()).notices)]
            self.assertTrue(any(why in text for text in found) if why else not found, (statement, found))


if __name__ == "__main__":
    unittest.main()
