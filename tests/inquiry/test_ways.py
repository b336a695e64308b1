"""Ways and truth tables against the plain interpreter run on every state of the inputs."""

from __future__ import annotations

import itertools
import unittest
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from tests.building import Draw, Rows, log_of, program_of, session_of
from tests.everyday import INPUTS, Maker
from tests.texts import text_session
from whorlograph.desk.asking import inquiry
from whorlograph.desk.needing import Needed, compared, compared_text, table_text, ways_json, ways_text
from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Trial
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.inquiry.ways import circuit_of, compare, truth_table, ways
from whorlograph.model.parts import Ladder, coil, either, nc, no, reset, set_, timer


def asked(draw: Draw, tags: str, tag: str, rows: Rows = (), blocks: str = "", down: bool = False) -> Needed:
    """What a tag of a small program needs."""
    session = session_of(program_of(draw, tags, blocks), rows)
    return Needed(session, session.tag(tag), None, down)


def sets(one: Needed) -> set[frozenset[str]]:
    """The ways as words."""
    return {frozenset(n.words() for n in w.needs) for w in one.all}


def _motor(ladder: Ladder) -> None:
    ladder.rung(either(no("X1"), no("Y1")), nc("X2"), no("M1"), coil("Y1"))
    ladder.rung(no("X3"), nc("X4"), coil("M1"))


def _latched(ladder: Ladder) -> None:
    ladder.rung(no("X1"), set_("Y2"))
    ladder.rung(no("X2"), reset("Y2"))


class SmallPrograms(unittest.TestCase):
    """What an electrician reads off the rung."""

    def test_each_smallest_set(self) -> None:
        self.assertEqual(sets(asked(_motor, "X1 X2 X3 X4 M1 Y1", "Y1")), {frozenset({"X1 on", "X2 off", "M1 on"}), frozenset({"Y1 on", "X2 off", "M1 on"})})
        down = asked(_motor, "X1 X2 X3 X4 M1 Y1", "Y1", down=True)
        self.assertIn(frozenset({"X1 on", "X2 off", "X3 on", "X4 off"}), sets(down))

    def test_larger_sets_and_contradictions_are_left_out(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("X2")), either(no("X1"), nc("X2")), coil("Y1"))

        self.assertEqual(sets(asked(draw, "X1 X2 Y1", "Y1")), {frozenset({"X1 on"})})
        self.assertEqual(ways_text(asked(lambda ladder: ladder.rung(no("X1"), nc("X1"), coil("Y1")), "X1 Y1", "Y1")),
                         "no way brings Y1 on: every path contradicts itself")
        self.assertEqual(ways_text(asked(lambda ladder: ladder.rung(no("X1"), coil("Y1")), "X1 Y1 Y2", "Y2")), "no rung brings Y2 on")

    def test_what_is_missing_now(self) -> None:
        one = asked(_motor, "X1 X2 X3 X4 M1 Y1", "Y1", [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (100, "X3", 1)])
        text = ways_text(one)
        self.assertIn("only X1 on is missing; this log never had it", text)
        self.assertIn("(keeps it on)", text)
        self.assertEqual(ways_json(one, False)["ways"][0]["missing"], ["X1"])

    def test_across_a_timer(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), timer("TON", "T1", "T#1s"), coil("M1"))
            ladder.rung(no("M1"), nc("X2"), coil("Y1"))

        self.assertEqual(sets(asked(draw, "X1 X2 M1 Y1", "Y1", blocks="T1:TON", down=True)), {frozenset({"X1 on", "X2 off"})})

    def test_the_table_counts_up_and_marks_what_the_log_never_had(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (0, "X4", 0), (100, "X1", 1), (200, "X1", 0), (300, "X2", 1), (400, "X2", 1)]
        one = asked(_motor, "X1 X2 X3 X4 M1 Y1", "Y1", rows)
        table = one.table()
        self.assertEqual([c.name for c in table.columns], ["Y1", "M1", "X1", "X2"])
        self.assertEqual(len(table.rows), 16)
        had = {r.states for r in table.rows if r.tried}
        self.assertIn((True, True, False, True), had)
        self.assertNotIn((False, True, False, True), {r.states for r in table.rows if r.tried and r.result})
        self.assertIn("not in this log", table_text(one))


class Against(unittest.TestCase):
    """Two circuits held against each other."""

    def test_a_seal_in_and_a_latch_that_differ_only_when_a_wire_breaks(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("Y1")), no("X2"), coil("Y1"))
            ladder.rung(no("X1"), set_("Y2"))
            ladder.rung(nc("X2"), reset("Y2"))
            ladder.rung(either(no("X1"), no("Y3")), nc("X2"), coil("Y3"))

        one = asked(draw, "X1 X2 Y1 Y2 Y3", "Y1")
        same = compared(one, "Y2")
        self.assertEqual((same.apart, same.cut), ((), ()))
        self.assertIn("with each wire cut in turn they agree too", compared_text(same))
        other = compared(one, "Y3")
        self.assertTrue(other.apart)

    def test_a_broken_wire_tells_two_stops_apart(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("Y1")), nc("X2"), no("X3"), coil("Y1"))
            ladder.rung(no("X1"), nc("X2"), no("X3"), set_("Y2"))
            ladder.rung(no("X2"), reset("Y2"))

        found = compared(asked(draw, "X1 X2 X3 Y1 Y2", "Y1"), "Y2")
        self.assertIn("X3", {a.cut for a in found.cut})
        self.assertIn("X3 cut: Y1 drops out, Y2 stays on", compared_text(found))

    def test_two_revisions_of_one_program(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("Y1")), nc("X2"), coil("Y1"))

        def changed(ladder: Ladder) -> None:
            ladder.rung(no("X1"), nc("X2"), coil("Y1"))

        with TemporaryDirectory() as folder:
            path = Path(folder) / "new.xml"
            path.write_bytes(write_xml(program_of(changed, "X1 X2 Y1")))
            found = compared(asked(draw, "X1 X2 Y1", "Y1"), str(path))
            self.assertEqual([dict(a.states)["Y1 before"] for a in found.apart], [True])
            self.assertIn("Y1 in new.xml off", compared_text(found))


class EveryState(unittest.TestCase):
    """Tables of random circuits are what the plain interpreter computes."""

    def test_tables_are_what_a_scan_makes(self) -> None:
        checked = 0
        for seed in range(28):
            program = Maker(Random(seed)).program()
            session = session_of(program, [(0, "X0", 0)])
            tracer = inquiry(session).tracer
            plain = Controller(program, session.profile, plain=True)
            running = session.running
            for tag in (t.index for t in running.tags[:running.public] if t.name[0] in "MY" and "." not in t.name):
                net, steps = circuit_of(tracer, tag), {w.step for w in tracer.writers.get(tag, ())}
                columns = net.columns
                if not steps or len(columns) > 5 or any(c.edge or c.name not in (*INPUTS, net.name) for c in columns) or len(steps) > 2:
                    continue
                if any(s.rung.labels or any(type(e).__name__ == "Jump" for e in s.rung.elements) for s in session.controller.steps.all):
                    continue
                table = truth_table(tracer, tag, False, False)
                assert table is not None
                for row in table.rows:
                    states = dict(zip((c.name for c in columns), row.states, strict=True))
                    rows = [(0, n, int(states.get(n, False))) for n in INPUTS]
                    log = log_of(session.controller, rows, 5)
                    journal = plain.replay(log, Trial((), ((tag, int(states.get(net.name, False))),)))
                    self.assertEqual(bool(journal.settled(tag, 1)), row.result, (seed, net.name, states))
                    checked += 1
        self.assertGreater(checked, 300)

    def test_ways_are_the_lines_of_the_table(self) -> None:
        for seed in range(28):
            session = session_of(Maker(Random(seed)).program(), [(0, "X0", 0)])
            tracer = inquiry(session).tracer
            for tag in (t.index for t in session.running.tags[:session.running.public] if t.name[0] == "Y"):
                net = circuit_of(tracer, tag)
                if net.latch or not 0 < len(net.columns) <= 7:
                    continue
                table = truth_table(tracer, tag, False, False)
                assert table is not None
                found = ways(tracer, tag)
                for row in table.rows:
                    state = {c.variable: v for c, v in zip(table.columns, row.states, strict=True)}
                    self.assertEqual(any(all(state[n.variable] == n.on for n in w.needs) for w in found), row.result)
                for one, other in itertools.permutations(found, 2):
                    self.assertFalse(set(one.needs) < set(other.needs))
                self.assertEqual(compare(net, net).apart, ())


class Texts(unittest.TestCase):
    """Ways through statements, against the plain interpreter run on every state of three inputs."""

    BODIES = ("IF X1 THEN Y1 := X2; ELSIF X3 THEN Y1 := NOT X2; ELSE Y1 := FALSE; END_IF;", "Y1 := TRUE;\nIF X1 THEN Y1 := X2; END_IF;",
              "Y1 := X1 OR X2;\nIF X3 THEN Y1 := FALSE; END_IF;", "Y1 := TRUE;\nIF X1 THEN Y1 := FALSE; END_IF;\nIF NOT X2 THEN Y1 := FALSE; END_IF;")

    def test_every_way_brings_the_tag_on_and_nothing_else_does(self) -> None:
        for body in self.BODIES:
            session = text_session(body, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (20, "X1", 0)])
            found = sets(Needed(session, session.tag("Y1"), None, False))
            plain = Controller(session.program, session.profile, plain=True)
            for values in itertools.product((0, 1), repeat=3):
                given = dict(zip(("X1", "X2", "X3"), values, strict=True))
                journal = plain.replay(log_of(plain, [*((0, n, v) for n, v in given.items()), (20, "X1", given["X1"])]))
                met = {f"{n} {'on' if v else 'off'}" for n, v in given.items()}
                with self.subTest(body=body, **given):
                    self.assertEqual(bool(journal.settled(session.tag("Y1"), journal.clock.last)), any(one <= met for one in found), found)

    def test_a_loop_over_a_table_has_a_way_for_each_element(self) -> None:
        body = "Y1 := FALSE;\nFOR A := 1 TO 3 DO IF Bits[A] AND X1 THEN Y1 := TRUE; END_IF; END_FOR;\nY2 := Bits[LIMIT(1, N1, 3)];"
        session = text_session(body, [(0, "X1", 0), (20, "X1", 0)], "Bits : ARRAY[1..3] OF BOOL;")
        self.assertEqual(sets(Needed(session, session.tag("Y1"), None, False)), {frozenset({"X1 on", f"Main.Bits[{n}] on"}) for n in (1, 2, 3)})
        self.assertEqual(sets(Needed(session, session.tag("Y2"), None, False)), {frozenset({"Bits[LIMIT(1, N1, 3)] on"})})

    def test_a_choice_by_a_number_asks_for_that_number_only(self) -> None:
        session = text_session("CASE N1 OF 0: Y2 := X1; 10, 11: Y1 := X1; 20: Y1 := N1 > 5; ELSE Y1 := NOT X2; END_CASE;\nLow := NOT (N1 > 3);", [(0, "X1", 0)], "Low : BOOL;")
        found = sets(Needed(session, session.tag("Y1"), None, False))
        self.assertEqual(found, {frozenset({"N1 = 10", "X1 on"}), frozenset({"N1 = 11", "X1 on"}), frozenset({"N1 = 20", "N1 > 5"}),
                                 frozenset({"not N1 = 0", "not N1 = 10", "not N1 = 11", "not N1 = 20", "X2 off"})})
        self.assertEqual(sets(Needed(session, session.tag("Main.Low"), None, False)), {frozenset({"not N1 > 3"})})


if __name__ == "__main__":
    unittest.main()
