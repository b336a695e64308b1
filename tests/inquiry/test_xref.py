"""Cross-references of small programs and of the bridge."""

from __future__ import annotations

import unittest

from tests.building import program_of, session_of
from tests.plant.test_bridge import bridge_session
from tests.texts import text_session
from whorlograph.desk.tables import entry_dict, entry_text, xref_of
from whorlograph.inquiry.xref import Xref
from whorlograph.model.parts import Ladder, call, coil, either, falls, jump, nc, no, reset, rises, set_, timer
from whorlograph.model.program import Configuration, ProgramInstance, Resource, Task


def _draw(ladder: Ladder) -> None:
    ladder.rung(no("X1"), jump("Below"), comment="leave the next out")
    ladder.rung(either(rises("X2"), no("M1")), nc("X3"), coil("M1"), comment="sealed in")
    ladder.label("Below")
    ladder.rung(no("M1"), falls("X1"), timer("TON", "T1", "T#1s"), coil("Y1"))
    ladder.rung(no("M2"), set_("Y2"))
    ladder.rung(no("X3"), reset("Y2"))
    ladder.rung(no("X2"), coil("Y1"))
    ladder.rung(no("X1"), call("ADD", ("IN1", "N1"), ("IN2", "N2"), out="N1"))


class Uses(unittest.TestCase):
    """How a tag is used, where."""

    def setUp(self) -> None:
        self.session = session_of(program_of(_draw, "X1 X2 X3 Y1 Y2 M1 M2 M3 N1 N2", "T1:TON"), [(0, "X1", 0), (100, "X1", 1)])
        self.xref = Xref(self.session.controller, self.session.iolist)

    def roles(self, name: str) -> list[tuple[int, str, bool]]:
        entry = self.xref.entry(self.session.tag(name))
        return sorted((p.rung, p.how, p.writes) for p in (*entry.reads, *entry.writes))

    def test_every_use_is_found_with_its_role(self) -> None:
        expected = {
            "X1": [(1, "normally open, jump condition to Below (over 2 to 2)", False), (3, "falling", False), (7, "normally open", False)],
            "X2": [(2, "rising", False), (6, "normally open", False)],
            "X3": [(2, "normally closed", False), (5, "normally open", False)],
            "M1": [(2, "coil", True), (2, "normally open", False), (3, "normally open", False)],
            "Y1": [(3, "coil", True), (6, "coil", True)],
            "Y2": [(4, "set", True), (5, "reset", True)],
            "N1": [(7, "block input ADD.IN1", False), (7, "block output", True)],
        }
        for name, uses in expected.items():
            with self.subTest(name):
                self.assertEqual(self.roles(name), uses)

    def test_what_looks_odd_is_marked(self) -> None:
        marks = {e.tag.name: e.oddities for e in self.xref.entries() if e.oddities}
        self.assertEqual(marks, {"M2": ("never written",), "M3": ("never written", "never read"), "N2": ("never written",),
                                 "Y1": ("written in 2 places",)})

    def test_a_constant_that_ends_a_loop_is_read_there(self) -> None:
        for body in ("FOR A := 1 TO Last DO Y1 := X1; END_FOR;", "FOR A := 1 TO Last DO T[A] := X1; END_FOR;", "FOR A := Last TO 9 BY Last DO B := A; END_FOR;"):
            session = text_session(body, [(0, "X1", 0)], "T : ARRAY[1..9] OF BOOL; END_VAR VAR CONSTANT Last : INT := 4;")
            entry = Xref(session.controller, session.iolist).entry(next(t.index for t in session.running.tags if t.name == "Main.Last"))
            with self.subTest(body=body):
                self.assertEqual(entry.oddities, ())
                self.assertEqual(len(entry.reads), 1 + ("BY" in body), [p.role for p in entry.reads])

    def test_a_word_is_not_read_where_only_a_part_of_it_is_written(self) -> None:
        session = text_session("IF X1 THEN D1.%W1 := W; E1.%W0 := E1.%W1; END_IF;", [(0, "X1", 0)], "D1, E1 : DWORD;")
        entries = {e.tag.name: e for e in xref_of(session).entries()}
        self.assertEqual([(len(entries[n].reads), len(entries[n].writes)) for n in ("Main.D1", "Main.E1", "W")], [(0, 1), (1, 1), (1, 0)])
        self.assertIn("never read", entries["Main.D1"].oddities)

    def test_a_jump_over_nothing_names_no_rungs(self) -> None:
        session = session_of(program_of(lambda d: (d.rung(no("X1"), jump("A")), d.label("A"), d.rung(no("X1"), coil("Y1"))), "X1 Y1"),
                             [(0, "X1", 0)])
        self.assertEqual(xref_of(session).entry(0).reads[0].leads, "jump condition to A")

    def test_what_decides_and_what_is_decided(self) -> None:
        def named(tags: list[int]) -> list[str]:
            return [self.session.running.tags[t].name for t in tags]

        tag = self.session.tag
        self.assertEqual(named(self.xref.decides(tag("X2"))), ["M1", "Y1"])
        self.assertEqual(named(self.xref.decided_by(tag("M1"))), ["X2", "X3", "X1"], "X1 jumps over the rung")
        self.assertEqual(named(self.xref.outputs(tag("X3"))), ["Y2", "Y1"])
        self.assertEqual(named(self.xref.inputs(tag("Y1"))), ["X1", "X2", "X3"])
        self.assertEqual(named(self.xref.decides(tag("Y1"))), [])

    def test_tags_that_share_bits_are_named(self) -> None:
        from msgspec.structs import replace

        program = program_of(_draw, "X1 X2 X3 Y1 Y2 M1 M2 N1 N2", "T1:TON")
        one = program.configurations[0]
        variables = tuple(replace(v, address="%QX0.0") if v.name == "M2" else v for v in one.variables)
        session = session_of(replace(program, configurations=(replace(one, variables=variables),)), [(0, "X1", 0)])
        entry = xref_of(session).entry(session.tag("M2"))
        self.assertEqual([session.running.tags[t].name for t in entry.shares], ["Y1"])
        self.assertEqual(entry.oddities, ())
        self.assertIn("shares bits with Y1", entry_text(session, entry))

    def test_a_task_trigger_is_a_use(self) -> None:
        from msgspec.structs import replace

        program = program_of(_draw, "X1 X2 X3 Y1 Y2 M1 M2 N1 N2", "T1:TON")
        resource = Resource("One", (ProgramInstance("Main", "Main", "Fast"),), (Task("Fast", 0, "", "M2"),))
        session = session_of(replace(program, configurations=(Configuration("c", (resource,), program.configurations[0].variables),)),
                             [(0, "X1", 0)])
        found = entry_dict(session, xref_of(session).entry(session.tag("M2")))
        self.assertIn("task trigger", [u["how"] for u in found["uses"]])  # type: ignore[attr-defined]


class Bridge(unittest.TestCase):
    """The shipped program."""

    def test_the_barrier_switch(self) -> None:
        session = bridge_session()
        entry = xref_of(session).entry(session.tag("East_Down_LS"))
        self.assertEqual([(p.pou, p.rung, p.role) for p in entry.reads], [("Permits", 1, "normally open"), ("Barriers", 1, "normally closed")])
        self.assertEqual(entry.writes, ())
        assert entry.point is not None
        self.assertEqual(entry.point.terminal, "14")

    def test_no_two_points_share_a_terminal(self) -> None:
        points = bridge_session().iolist.points.values()
        places = [(p.location, p.terminal) for p in points]
        self.assertEqual(len(places), 66)
        self.assertEqual(len(set(places)), len(places))


if __name__ == "__main__":
    unittest.main()
