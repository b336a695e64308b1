"""Questions about everyday circuits: contactors that report back, delays, modes, jumps, latches, words, sequences, tasks."""

from __future__ import annotations

import unittest
from dataclasses import dataclass

from msgspec.structs import replace

from tests.building import Draw, Rows, program_of, program_with, session_of, tasked
from tests.texts import text_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session
from whorlograph.desk.tables import xref_of
from whorlograph.inquiry.trail import Answer
from whorlograph.model.iolist import IoList, Point, Wiring
from whorlograph.model.parts import Ladder, Part, call, coil, compare, counter, either, jump, nc, no, reset, rises, set_, timer
from whorlograph.model.program import Pou, PouKind, Program, Task, Variable, VariableKind
from whorlograph.model.question import Symptom
from whorlograph.model.types import BOOL, ELEMENTARY, Named, Simple
from whorlograph.plant.written import body_of


@dataclass
class Asked:
    """An answer, its proofs made, with its roots by name."""

    session: Session
    answer: Answer

    @property
    def roots(self) -> list[tuple[str, str, bool | None]]:
        """(kind, tag, proved) of each root in order."""
        tags = self.session.running.tags
        return [(r.kind.value, tags[r.tag].name if r.tag is not None else "", r.proved) for r in self.answer.roots]

    @property
    def links(self) -> list[str]:
        """The kinds of the trail's links."""
        return [link.kind.value for _, link in self.answer.links()]

    @property
    def text(self) -> str:
        """All sentences of the trail and its roots."""
        return "\n".join([self.answer.text, *(link.text for _, link in self.answer.links()), *(r.text for r in self.answer.roots)])


def asked(session: Session, tag: str, at: str | None = None, symptom: Symptom | None = None) -> Asked:
    """The answer to a question, proved."""
    answer = ask(session, tag, at, symptom)
    prove_all(session, answer)
    return Asked(session, answer)


def on(draw: Draw, tags: str, rows: Rows, tag: str, blocks: str = "", at: str | None = None, symptom: Symptom | None = None,
       initial: dict[str, str] | None = None, points: dict[str, Point] | None = None) -> Asked:
    """The answer on a program of one POU."""
    session = session_of(program_of(draw, tags, blocks, initial), rows)
    if points:
        session.iolist = IoList({session.running.by_name[n.lower()]: p for n, p in points.items()})
    return asked(session, tag, at, symptom)


def _contactor(ladder: Ladder) -> None:
    ladder.rung(either(no("X1"), no("X2")), nc("X3"), coil("Y1"))


def _seal(ladder: Ladder) -> None:
    ladder.rung(either(no("X1"), no("Y1")), nc("X2"), coil("Y1"))


def _jumps(ladder: Ladder) -> None:
    ladder.rung(no("X1"), jump("End"))
    ladder.rung(no("X2"), jump("End"))
    ladder.rung(no("X3"), coil("Y1"))
    ladder.label("End")
    ladder.rung(no("X4"), coil("Y2"))


def _latch(ladder: Ladder) -> None:
    ladder.rung(no("X1"), set_("Y1"))
    ladder.rung(no("X2"), reset("Y1"))


def _steps(ladder: Ladder) -> None:
    for switch, now, to in (("X1", "0", "10"), ("X2", "10", "20"), ("X3", "20", "30")):
        ladder.rung(no(switch), compare("EQ", "N1", now), call("MOVE", ("IN", to), out="N1"))
    ladder.rung(compare("EQ", "N1", "30"), coil("Y1"))


def _flasher(ladder: Ladder) -> None:
    ladder.rung(nc("M1"), timer("TON", "T1", "T#500ms"), coil("M2"))
    ladder.rung(no("M2"), timer("TON", "T2", "T#500ms"), coil("M1"))
    ladder.rung(no("X1"), no("M2"), coil("Y1"))


def modes_of(hand: Draw, auto: Draw, tags: str) -> Program:
    """A program whose main POU calls one block in hand and the other in automatic."""
    def main(ladder: Ladder) -> None:
        ladder.rung(no("X1"), call("Hand", instance="H"))
        ladder.rung(nc("X1"), call("Auto", instance="A"))

    def block(name: str, draw: Draw) -> Pou:
        ladder = Ladder()
        draw(ladder)
        return Pou(name, PouKind.FUNCTION_BLOCK, tuple(Variable(n, BOOL, VariableKind.EXTERNAL) for n in tags.split()), ladder.body())

    program = program_of(main, tags)
    mine = program.pous["main"]
    instances = tuple(Variable(n, Named(t), VariableKind.LOCAL) for n, t in (("H", "Hand"), ("A", "Auto")))
    return replace(program, pous={"main": replace(mine, variables=mine.variables + instances), "hand": block("Hand", hand), "auto": block("Auto", auto)})


class OutOfReach(unittest.TestCase):
    """The button counts in one of two POUs only, and the other one is called."""

    START: list[tuple[int, str, int]] = [(0, "X1", 1), *((0, f"X{n}", 0) for n in (2, 3, 4)), (500, "X1", 0), (2000, "X2", 1)]

    def hand(self, ladder: Ladder) -> None:
        ladder.rung(no("X2"), timer("TON", "T1", "T#200ms"), coil("M1"))
        ladder.rung(either(no("M1"), no("Y1")), nc("X4"), coil("Y1"))

    def on(self, auto: Draw, rows: Rows, *blocks: Variable) -> Asked:
        program = modes_of(self.hand, auto, "X1 X2 X3 X4 M1 Y1")
        hand = replace(program.pous["hand"], variables=(*program.pous["hand"].variables, Variable("T1", Named("TON"), VariableKind.LOCAL)))
        return asked(session_of(replace(program, pous={**program.pous, "hand": hand}), [*self.START, *rows], end=2600), "Y1", symptom=Symptom.WILL_NOT_PULL_IN)

    def test_the_selector_leads_before_what_the_other_rung_lacks(self) -> None:
        found = self.on(lambda ladder: ladder.rung(no("X3"), nc("X4"), coil("Y1")), [])
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X3", True)], found.text)
        self.assertIn("X2 counts as an attempt in Hand 1: Hand 1 has not been called since 0.500 s, see Main 1", found.text)
        self.assertEqual((found.answer.roots[0].blocked, found.answer.roots[0].attempts), (1, 1))

    def test_not_where_it_counts_in_the_other_too(self) -> None:
        found = self.on(lambda ladder: ladder.rung(no("X2"), no("X3"), nc("X4"), coil("Y1")), [])
        self.assertNotIn("counts as", found.text)

    def test_not_while_it_is_called(self) -> None:
        found = self.on(lambda ladder: ladder.rung(no("X3"), nc("X4"), coil("Y1")), [(600, "X1", 1), (700, "X4", 1)])
        self.assertNotIn("counts as", found.text)
        self.assertEqual(found.roots[0][1:], ("X4", True), found.text)


class Numbers(unittest.TestCase):
    """Numbers that several rungs write."""

    def test_a_number_falls_back_when_the_later_rung_is_not_executed(self) -> None:
        body = body_of("MOVE(1)>N1", "X1 MOVE(5)>N1", "GE(N1,5) X2 (Y1)")
        program = program_with({"Main": body}, "X1 X2 Y1 N1")
        found = asked(session_of(program, ((0, "X1", 1), (0, "X2", 1), (700, "X1", 0), (1500, "X1", 0))), "Y1")
        self.assertEqual(found.roots[0], ("field-input", "X1", True), found.text)
        self.assertIn("EN of MOVE (executed the scan before) has no power in Main 2: X1 blocks", found.text)


class Measured(unittest.TestCase):
    """A number that passes a limit tries too."""

    def on(self, rows: Rows, at: str | None = None) -> Asked:
        session = text_session("Y1 := X1 AND (N1 > 50) AND NOT X2;", [(0, "X1", 1), (0, "X2", 1), (0, "N1", 20), *rows])
        return asked(session, "Y1", at, Symptom.WILL_NOT_PULL_IN)

    def test_each_time_that_it_does(self) -> None:
        found = self.on([(1000, "N1", 40), (2000, "N1", 55), (3000, "N1", 60), (4000, "N1", 45), (5000, "N1", 52), (8000, "N1", 52)])
        self.assertIn("2 attempts, the last at 5.000 s: N1 > 50, which still holds", found.answer.text)
        self.assertEqual(found.roots, [("field-input", "X2", True)], found.text)
        self.assertEqual(found.answer.roots[0].blocked, 2)

    def test_one_that_it_did_before(self) -> None:
        found = self.on([(2000, "N1", 55), (4000, "N1", 45), (6000, "X1", 0), (8000, "X1", 1)], "7")
        self.assertIn("tried once, at 2.000 s: N1 > 50)", found.answer.text)

    def test_a_limit_that_is_a_tag(self) -> None:
        session = text_session("Y1 := X1 AND (N1 > A) AND NOT X2;", [(0, "X1", 1), (0, "X2", 1), (0, "N1", 20), (0, "A", 30), (2000, "A", 10), (8000, "A", 10)])
        found = asked(session, "Y1", None, Symptom.WILL_NOT_PULL_IN)
        self.assertIn("tried once, at 2.000 s: N1 > A, which still holds", found.answer.text)

    def test_none_where_it_did_not(self) -> None:
        found = self.on([(2000, "N1", 45), (8000, "N1", 20)])
        self.assertIn("was never tried: no command of its rungs came while it was off; an attempt would be X1 or N1 > 50", found.answer.text)


class Contactors(unittest.TestCase):
    """The auxiliary contact of a coil's own contactor ranks before the button that was let go."""

    def test_that_never_closes_at_the_same_device(self) -> None:
        points = {n: Point(n, "", "K1" if n != "X1" else "S1", "", "", Wiring.NORMALLY_OPEN, "", "") for n in ("X1", "X2", "Y1")}
        found = on(_contactor, "X1 X2 X3 Y1", [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 1), (900, "X1", 0), (3000, "X3", 0)], "Y1",
                   points=points)
        self.assertEqual(found.roots, [("field-input", "X2", True), ("field-input", "X1", True)])
        self.assertIn("it reports Y1 back and should have taken over from X1", found.text)

    def test_that_never_closes_and_nothing_says_what_it_is(self) -> None:
        found = on(_contactor, "X1 X2 X3 Y1", [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 1), (900, "X1", 0), (3000, "X3", 0)], "Y1")
        self.assertEqual(found.roots[:2], [("field-input", "X2", True), ("field-input", "X1", True)])
        self.assertIn("if it reports Y1 back", found.text)

    def test_that_followed_its_coil_before(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (8000, "X1", 1), (8500, "X1", 0), (9000, "X3", 0)]
        for k in range(3):
            at = 1000 + 2000 * k
            rows += [(at, "X1", 1), (at + 50, "X2", 1), (at + 400, "X1", 0), (at + 1000, "X3", 1), (at + 1030, "X2", 0), (at + 1100, "X3", 0)]
        found = on(_contactor, "X1 X2 X3 Y1", rows, "Y1")
        self.assertEqual(found.roots[0], ("field-input", "X2", True))

    def test_two_buttons_side_by_side_are_none(self) -> None:
        found = on(_contactor, "X1 X2 X3 Y1", [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (100, "X2", 1), (300, "X2", 0), (500, "X1", 1), (900, "X1", 0),
                                               (3000, "X3", 0)], "Y1")
        self.assertEqual([r[1] for r in found.roots], ["X1"])


class Delays(unittest.TestCase):
    """Timers and counters: only what cut this run short counts."""

    def test_an_off_delay_that_still_runs(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), timer("TOF", "T1", "T#5s"), coil("M1"))
            ladder.rung(no("X2"), nc("M1"), coil("Y1"))

        found = on(draw, "X1 X2 M1 Y1", [(0, "X1", 0), (0, "X2", 0), (500, "X1", 1), (2000, "X1", 0), (4000, "X2", 1), (5000, "X2", 1)], "Y1", "T1:TOF")
        self.assertIn("nothing to check, 2 s still to run", found.text)
        self.assertEqual(found.roots, [("field-input", "X1", True)])
        self.assertEqual(found.answer.roots[0].since, 500_000_000)

    def test_an_on_delay_cut_short(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), timer("TON", "T1", "T#1s"), coil("Y1"))

        rows = [(0, "X1", 0), (500, "X1", 1), (1200, "X1", 0), (1240, "X1", 1), (1700, "X1", 1)]
        found = on(draw, "X1 Y1", rows, "Y1", "T1:TON")
        self.assertIn("its input was off for 40 ms at 1.200 s", found.text)
        self.assertEqual((found.roots[0], found.answer.roots[0].since), (("field-input", "X1", True), 1_200_000_000))
        calm = on(draw, "X1 Y1", [(0, "X1", 0), *((t, "X1", t // 100 % 2) for t in range(500, 9000, 100)), (20_000, "X1", 1), (20_400, "X1", 1)],
                  "Y1", "T1:TON")
        self.assertNotIn("was off for", calm.text, "runs of long ago did not cut this one short")

    def test_a_counter_that_could_not_count(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), counter("C1", "1", no("X2")), coil("Y1"))

        found = on(draw, "X1 X2 Y1", [(0, "X1", 0), (0, "X2", 0), (500, "X2", 1), (520, "X1", 1), (560, "X2", 0), (900, "X1", 1)], "Y1", "C1:CTU")
        self.assertEqual(found.roots[0][:2], ("field-input", "X2"))
        self.assertIn("could not count the pulse at 0.520 s", found.text)


class Ways(unittest.TestCase):
    """Modes, jumps, latches, words, steps."""

    def test_two_jumps_over_one_rung(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (4000, "X2", 1), (5000, "X1", 1), (6000, "X3", 1), (7000, "X3", 1)]
        found = on(_jumps, "X1 X2 X3 X4 Y1 Y2", rows, "Y1")
        self.assertIn("Main 1 jumps over Main 3 since 5.000 s, which has not run since 4.000 s", found.text)
        self.assertIn("Main 2 would jump over Main 3 too: X2", found.text)
        self.assertEqual(found.roots, [("field-input", "X1", True), ("field-input", "X2", True)])
        self.assertEqual([len(r.together) for r in found.answer.roots], [1, 1])

    def test_a_mode_that_no_longer_calls(self) -> None:
        def hand(ladder: Ladder) -> None:
            ladder.rung(no("X2"), coil("Y1"))

        def auto(ladder: Ladder) -> None:
            ladder.rung(no("X3"), coil("Y1"))

        session = session_of(modes_of(hand, auto, "X1 X2 X3 Y1"), [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (2000, "X1", 0), (3000, "X1", 0)])
        found = asked(session, "Y1")
        self.assertEqual((found.links[0], found.roots[0]), ("resumed", ("field-input", "X1", True)))

    def test_what_a_mode_leaves_behind(self) -> None:
        def hand(ladder: Ladder) -> None:
            ladder.rung(no("X2"), coil("Y1"))

        def auto(ladder: Ladder) -> None:
            ladder.rung(no("X3"), coil("M1"))

        session = session_of(modes_of(hand, auto, "X1 X2 X3 M1 Y1"), [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (2000, "X1", 0), (2500, "X2", 0),
                                                                    (3000, "X1", 0)])
        found = asked(session, "Y1")
        self.assertEqual((found.links[0], found.roots[0]), ("not-called", ("field-input", "X1", True)))

    def test_what_a_mode_and_a_jump_decide_stands_in_the_cross_reference(self) -> None:
        def hand(ladder: Ladder) -> None:
            ladder.rung(no("X2"), coil("Y1"))

        def auto(ladder: Ladder) -> None:
            ladder.rung(no("X3"), coil("M1"))

        called = session_of(modes_of(hand, auto, "X1 X2 X3 M1 Y1"), [])
        names = called.running.by_name
        xref = xref_of(called)
        self.assertLessEqual({names["y1"], names["m1"]}, set(xref.decides(names["x1"])))
        self.assertIn(names["x1"], xref.decided_by(names["y1"]))
        jumped = session_of(program_of(_jumps, "X1 X2 X3 X4 Y1 Y2"), [])
        names = jumped.running.by_name
        self.assertEqual(xref_of(jumped).decides(names["x1"]), [names["y1"]])
        self.assertEqual(set(xref_of(jumped).decided_by(names["y1"])), {names["x1"], names["x2"], names["x3"]})

    def test_a_rung_that_was_not_evaluated_is_drawn_without_power(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (4000, "X2", 1), (5000, "X1", 1), (6000, "X3", 0), (7000, "X3", 0)]
        found = on(_jumps, "X1 X2 X3 X4 Y1 Y2", rows, "Y1")
        scene = Scene(found.session, found.answer)
        before, now = (scene.rung(2, scan, 100, True) for scan in (200, 650))
        self.assertIn("━", "".join(t for line in before.lines for t, _ in line))
        text = "".join(t for line in now.lines[1:] for t, _ in line)
        self.assertNotIn("━", text.replace("┣━", ""))
        self.assertIn("not evaluated since 4.000", text)
        flow = scene.tracer.shown(2, 650)
        self.assertEqual({found.session.running.tags[t].name: flow.values[e] for e, t in flow.tags.items()}, {"X3": False, "Y1": True})

    def test_latches(self) -> None:
        only = on(lambda ladder: ladder.rung(no("X1"), set_("M1")), "X1 M1", [(0, "X1", 0), (500, "X1", 1), (700, "X1", 0), (2000, "X1", 0)], "M1")
        self.assertEqual([r[:2] for r in only.roots], [("program", "M1"), ("field-input", "X1")])
        rows = [(0, "X1", 0), (0, "X2", 0), (500, "X2", 1), (700, "X1", 1), (900, "X1", 0), (2000, "X1", 0)]
        found = on(_latch, "X1 X2 Y1", rows, "Y1")
        self.assertEqual((found.links[0], found.roots[0]), ("reset-by", ("field-input", "X2", True)))
        self.assertIn("dominates", found.text)
        stop = {"X2": Point("X2", "", "S2", "", "", Wiring.NORMALLY_CLOSED, "", "")}
        wrong = on(_latch, "X1 X2 Y1", [(0, "X1", 0), (0, "X2", 1), (500, "X1", 1), (700, "X1", 0), (2000, "X1", 0)], "Y1", points=stop)
        self.assertEqual(wrong.roots[0], ("field-input", "X2", True))
        self.assertIn("as if it were wired normally open", wrong.text)

    def test_a_set_in_vain_is_not_called_never_set(self) -> None:
        def bistable(ladder: Ladder) -> None:
            part = Part("block", "B1", block="RS", power=("S", "Q1"), extra=(("R1", no("X2")),))
            ladder.rung(no("X1"), part, coil("M1"))
            ladder.rung(nc("M1"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), (500, "X2", 1), (700, "X1", 1), (900, "X1", 0), (1200, "X2", 0), (2000, "X1", 0)]
        found = on(bistable, "X1 X2 M1 Y1", rows, "Y1", "B1:RS", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("S came at 0.710 s while R1 was on, and its reset dominates", found.text)
        self.assertNotIn("was never set", found.text)
        self.assertIn(("field-input", "X2"), [r[:2] for r in found.roots])
        earlier = on(bistable, "X1 X2 M1 Y1", rows, "Y1", "B1:RS", "0.6", Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("was never set", earlier.text)

    def test_what_will_not_drop_out_leads_to_every_gate_that_keeps_it(self) -> None:
        def pump(ladder: Ladder) -> None:
            ladder.rung(no("X1"), set_("M1"))
            ladder.rung(nc("X2"), reset("M1"))
            ladder.rung(no("X3"), coil("M2"))
            ladder.rung(no("M1"), no("M2"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (500, "X1", 1), (700, "X1", 0), (1500, "X3", 1), (3000, "X1", 0)]
        found = on(pump, "X1 X2 X3 M1 M2 Y1", rows, "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual(found.roots[0], ("field-input", "X3", True))  # it completed the path
        self.assertEqual({r[1] for r in found.roots}, {"X1", "X2", "X3"})
        self.assertTrue(all(r[2] for r in found.roots))

    def test_a_set_coil_that_still_sets(self) -> None:
        def sets(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("X3")), set_("Y1"))
            ladder.rung(no("X2"), reset("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 1), (800, "X3", 1), (900, "X1", 0), (3000, "X2", 0)]
        found = on(sets, "X1 X2 X3 Y1", rows, "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("Main 1 still sets it: X3", found.text)
        self.assertEqual([r[1] for r in found.roots][:2], ["X1", "X2"])
        self.assertIn("X3", [r[1] for r in found.roots])
        over = on(sets, "X1 X2 X3 Y1", [*rows, (2900, "X3", 0)], "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertNotIn("still sets it", over.text)

    def test_an_output_that_holds_itself_says_so(self) -> None:
        found = on(_seal, "X1 X2 Y1", [(0, "X1", 0), (0, "X2", 0), (500, "X1", 1), (700, "X1", 0), (2000, "X1", 0)], "Y1")
        self.assertIn("it holds itself, and X2 (normally closed) would end it", found.text)
        self.assertEqual([r[1] for r in found.roots], ["X1", "X2"])

    def test_bits_of_words(self) -> None:
        def moved(ladder: Ladder) -> None:
            ladder.rung(no("X1"), set_("N1.%X3"))
            ladder.rung(call("MOVE", ("IN", "N1"), out="N2"))
            ladder.rung(no("N2.%X3"), coil("Y1"))

        def masked(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("N1.%X3"))
            ladder.rung(call("AND", ("IN1", "N1"), ("IN2", "N3"), out="N2"))
            ladder.rung(no("N2.%X3"), coil("Y1"))

        found = on(moved, "X1 X2 N1 N2 Y1", [(0, "X1", 0), (1000, "X2", 1)], "Y1")
        self.assertEqual(found.roots[0], ("field-input", "X1", True))
        mask = on(masked, "X1 X2 N1 N2 N3 Y1", [(0, "X1", 1), (1000, "X2", 1)], "Y1", initial={"N3": "7"})
        self.assertIn("bit 3 of N3 takes it away", mask.text)
        self.assertEqual(mask.roots[0][:2], ("initial-value", "N3"))

    def test_a_sequence_goes_to_the_write_that_leaves_its_step(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 1), (700, "X1", 0), (1000, "X3", 1), (3000, "X3", 1)]
        found = on(_steps, "X1 X2 X3 N1 Y1", rows, "Y1")
        self.assertIn("(N1 is 10); wanted 30", found.text)
        self.assertEqual([r[:2] for r in found.roots], [("field-input", "X2")])

    def test_a_number_is_one_write_and_what_let_it(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 1), (700, "X1", 0), (1000, "X2", 1), (3000, "X2", 1)]
        found = on(_steps, "X1 X2 X3 N1 Y1", rows, "N1")
        self.assertEqual((found.answer.symptom, found.answer.value), (Symptom.VALUE, 20))
        self.assertLessEqual(len(found.links), 12)
        self.assertIn(("field-input", "X2", None), found.roots)
        self.assertNotIn("X1", [r[1] for r in found.roots])

    def test_a_generator_is_told_as_what_it_is(self) -> None:
        rows = [(0, "X1", 0), (3000, "X1", 1), (10_010, "X1", 1)]
        found = on(_flasher, "X1 M1 M2 Y1", rows, "Y1", "T1:TON T2:TON", "5.7")
        self.assertIn("M2 runs freely, 510 ms on, 510 ms off", found.text)
        self.assertEqual(found.roots, [("field-input", "X1", True)])
        off = on(_flasher, "X1 M1 M2 Y1", [(0, "X1", 0), (10_010, "X1", 0)], "Y1", "T1:TON T2:TON")
        self.assertEqual(off.answer.attempts, (), "a flasher is nobody trying")

    def test_a_tag_still_on_while_the_controller_is_halted(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X2"), coil("M1"))
            ladder.rung(no("X1"), call("ADD", ("IN1", "N1"), ("IN2", "100"), out="N1"))

        found = on(draw, "X1 X2 N1 M1", [(0, "X1", 0), (0, "X2", 1), (1000, "X1", 1), (9000, "X1", 1)], "M1", symptom=Symptom.DROPPED_OUT)
        self.assertEqual(found.links, ["halted", "rung-true"])
        self.assertEqual(found.roots, [("fault", "N1", True), ("field-input", "X1", True)])  # behind the fault: who lets the number grow

    def test_what_grew_until_it_did_not_fit(self) -> None:
        def total(ladder: Ladder) -> None:
            ladder.rung(rises("X1"), call("ADD", ("IN1", "N1"), ("IN2", "1000"), out="N1"))
            ladder.rung(no("X2"), coil("Y1"))

        ticks = [(100 * n, "X1", n % 2) for n in range(120)]
        found = on(total, "X1 X2 N1 Y1", [(0, "X2", 1), *ticks], "Y1", symptom=Symptom.DROPPED_OUT)
        # The rises of X1 at 0.1, 0.3, ... : the 32nd, at 6.3 s, makes 32000, the next one does not fit.
        self.assertIn("33000 does not fit INT (-32768 to 32767); N1 grew from 0 to 32000 in 6.", found.text)
        self.assertIn("restarted at 0, it is there again after about 6.", found.text)
        check = found.answer.roots[0].what_to_check
        self.assertIn("DINT for N1 (-2147483648 to 2147483647, at this rate for 5 d", check)
        self.assertIn("leaving the rung out only hides it: N1 then stands still", check)
        self.assertNotIn("a mask", check)

    def test_a_conversion_that_did_not_fit(self) -> None:
        def narrow(ladder: Ladder) -> None:
            ladder.rung(rises("X1"), call("SUB", ("IN1", "N1"), ("IN2", "100"), out="N1"))
            ladder.rung(no("X2"), call("INT_TO_USINT", ("IN", "N1"), out="Small"))

        made = program_of(narrow, "X1 X2 N1")
        config = made.configurations[0]
        variables = tuple(v if v.name != "N1" else replace(v, initial=Simple("250"), retain=True) for v in config.variables)
        more = Variable("Small", ELEMENTARY["USINT"], VariableKind.GLOBAL)
        session = session_of(replace(made, configurations=(replace(config, variables=(*variables, more)),)),
                             [(0, "X2", 1), *((100 * n, "X1", n % 2) for n in range(20))])
        found = asked(session, "X2", symptom=Symptom.DROPPED_OUT)
        self.assertIn("N1 fell from 250 to -50", found.text)
        self.assertIn("it is retained, a restart alone leaves N1 where it is", found.text)
        self.assertIn("UINT for Small (0 to 65535) or a guard before it that stops or sets back in time or a mask", found.answer.roots[0].what_to_check)


class Tasks(unittest.TestCase):
    """What tasks write, see, and miss."""

    def test_an_event_that_wrote(self) -> None:
        program = tasked({"Main": lambda ladder: ladder.rung(no("X1"), set_("Y1")), "Event": lambda ladder: ladder.rung(nc("M1"), reset("Y1"))},
                         "X1 X2 M1 Y1", {"Event": Task("Edge", 1, "", "X2")})
        found = asked(session_of(program, [(0, "X1", 1), (0, "X2", 0), (200, "X1", 0), (500, "X2", 1), (1200, "X2", 0)]), "Y1")
        self.assertEqual(found.links[0], "preempted")
        self.assertEqual(found.roots[0], ("field-input", "X2", True))

    def test_an_event_that_never_came(self) -> None:
        program = tasked({"Main": lambda ladder: ladder.rung(no("X1"), coil("M1")), "Event": lambda ladder: ladder.rung(no("X3"), coil("Y1"))},
                         "X1 X2 X3 M1 Y1", {"Event": Task("Edge", 1, "", "X2")})
        found = asked(session_of(program, [(0, "X1", 1), (0, "X2", 0), (0, "X3", 0), (500, "X3", 1), (1000, "X1", 1)]), "Y1")
        self.assertEqual((found.links, found.roots), (["task-idle"], [("field-input", "X2", True)]))

    def test_a_reset_and_a_coil_whose_event_never_came(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (0, "X4", 1), (500, "X1", 1), (700, "X1", 0), (2000, "X1", 0)]
        program = tasked({"Main": lambda ladder: ladder.rung(no("X1"), set_("Y1")), "Event": lambda ladder: ladder.rung(no("X4"), reset("Y1"))},
                         "X1 X2 X3 X4 Y1", {"Event": Task("Edge", 1, "", "X2")})
        found = asked(session_of(program, rows), "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("task-idle", found.links)
        self.assertEqual([r[1] for r in found.roots], ["X1", "X2"])
        rows = [(0, "X2", 0), (0, "X3", 1), (500, "X2", 1), (600, "X2", 0), (900, "X3", 0), (2000, "X3", 0)]
        program = tasked({"Main": lambda ladder: ladder.rung(no("X1"), coil("M1")), "Event": lambda ladder: ladder.rung(no("X3"), coil("Y1"))},
                         "X1 X2 X3 M1 Y1", {"Event": Task("Edge", 1, "", "X2")})
        found = asked(session_of(program, rows), "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual((found.links, found.roots[0][:2]), (["task-idle"], ("field-input", "X2")))

    def test_a_reset_that_came_while_its_event_did_not(self) -> None:
        def quick(ladder: Ladder) -> None:
            ladder.rung(no("X1"), set_("Y1"))
            ladder.rung(no("X3"), reset("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (400, "X1", 1), (500, "X2", 1), (550, "X2", 0), (600, "X1", 0), (3000, "X1", 0)]
        program = tasked({"Main": lambda ladder: ladder.rung(no("X4"), coil("M1")), "Quick": quick}, "X1 X2 X3 X4 M1 Y1", {"Quick": Task("Edge", 1, "", "X2")})
        found = asked(session_of(program, [*rows, (1000, "X3", 1), (1300, "X3", 0)]), "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("missed-pulse", found.links)
        self.assertIn("X3 was on for 300 ms at 1.000 s, between two runs of task Edge", found.text)
        self.assertIn("X2, which makes Edge run, must come while it lasts", found.answer.roots[1].what_to_check)
        without = asked(session_of(program, rows), "Y1", symptom=Symptom.WILL_NOT_DROP_OUT)
        self.assertNotIn("missed-pulse", without.links)
        self.assertIn("when it ran last, at 0.5", without.text)

    def test_the_event_that_switched_on(self) -> None:
        program = tasked({"Main": lambda ladder: ladder.rung(no("X1"), coil("M1")), "Quick": lambda ladder: ladder.rung(no("X1"), coil("Y1"))},
                         "X1 X2 M1 Y1", {"Quick": Task("Edge", 1, "", "X2")})
        rows = [(0, "X1", 0), (0, "X2", 0), (300, "X1", 1), (500, "X2", 1), (550, "X2", 0), (2000, "X2", 0)]
        found = asked(session_of(program, rows), "Y1")
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual([r[:2] for r in found.roots], [("field-input", "X1"), ("field-input", "X2")])
        every_scan = program_of(lambda ladder: ladder.rung(no("X1"), coil("Y1")), "X1 X2 M1 Y1")
        self.assertEqual([r[1] for r in asked(session_of(every_scan, rows), "Y1").roots], ["X1"])

    def test_a_reset_between_two_scans(self) -> None:
        program = program_of(_latch, "X1 X2 Y1")
        rows = [(0, "X1", 0), (0, "X2", 0), (500, "X1", 1), (700, "X1", 0), (1001, "X2", 1), (1004, "X2", 0), (2000, "X1", 0)]
        found = asked(session_of(program, rows), "Y1")
        self.assertEqual((found.roots[0], found.answer.phases is None), (("field-input", "X2", True), False))
        self.assertIn("between two scans", found.text)

    def test_what_blocked_an_earlier_attempt_only_says_so(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), no("X2"), no("X3"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (500, "X1", 1), (700, "X1", 0), (800, "X2", 1), (900, "X3", 0), (1000, "X1", 1), (1500, "X1", 1)]
        found = asked(session_of(program_of(draw, "X1 X2 X3 Y1"), rows), "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertEqual(found.roots[0][:2], ("field-input", "X3"))
        earlier = next(r for r in found.answer.roots if found.session.running.tags[r.tag or 0].name == "X2")
        self.assertIn("it stood in the way at 0.5", earlier.text)

    def test_who_holds_a_task(self) -> None:
        def main(ladder: Ladder) -> None:
            ladder.rung(no("X1"), call("TASK_HOLD", ("NAME", "'Tick'")))
            ladder.rung(no("X2"), call("TASK_RELEASE", ("NAME", "'Tick'")))

        program = tasked({"Main": main, "Fast": lambda ladder: ladder.rung(no("X3"), coil("Y1"))}, "X1 X2 X3 Y1", {"Fast": Task("Tick", 1, "T#20ms", "")})
        rows = [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X1", 1), (600, "X1", 0), (800, "X3", 1), (1200, "X3", 1)]
        found = asked(session_of(program, rows), "Y1")
        self.assertEqual((found.links[0], found.roots[0]), ("task-held", ("field-input", "X1", True)))

    def test_a_pulse_between_two_runs(self) -> None:
        for by, root in (("X1", ("field-input", "X1", True)), ("M1", ("program", "M1", None))):
            program = tasked({"Main": lambda ladder: ladder.rung(no("X1"), coil("M1")),
                              "Slow": lambda ladder, by=by: ladder.rung(either(no(by), no("Y1")), nc("X3"), coil("Y1"))},  # type: ignore[misc]
                             "X1 X2 X3 M1 Y1", {"Slow": Task("Slow", 1, "T#500ms", "")})
            found = asked(session_of(program, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (1100, "X1", 1), (1200, "X1", 0), (2000, "X2", 0)]), "Y1")
            self.assertIn("missed-pulse", found.links)
            self.assertEqual(found.roots[0], root)
            self.assertEqual(found.answer.phases, (0, 4))


class Together(unittest.TestCase):
    """Roots in series prove together, and rows are left out where none does."""

    def test_two_in_series(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), no("X2"), no("X3"), coil("Y1"))

        found = on(draw, "X1 X2 X3 Y1", [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (500, "X3", 1), (700, "X3", 1)], "Y1")
        self.assertEqual({r[1] for r in found.roots if r[2]}, {"X1", "X2"})
        self.assertEqual([sorted(r.together) for r in found.answer.roots if r.proved],
                         [[found.session.running.by_name[n]] for n in ("x2", "x1")][::1 if found.roots[0][1] == "X1" else -1])

    def test_rows_of_a_counter_found_by_trying(self) -> None:
        # Two pulses too many, and the valve closes: no rung leads from the reset to them.
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), counter("C1", "3", no("X2")), coil("M1"))
            ladder.rung(nc("M1"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), *((500 + 100 * k, "X1", 1 - k % 2) for k in range(5)), (2000, "X2", 0)]
        found = on(draw, "X1 X2 M1 Y1", rows, "Y1", "C1:CTU")
        self.assertTrue(found.answer.roots[0].proved)
        self.assertEqual(found.roots[0][1], "X1")


class TimedSteps(unittest.TestCase):
    """Sequences whose steps last."""

    def test_the_way_out_of_a_step_leads_through_its_timer(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(compare("EQ", "N1", "0"), no("X1"), call("MOVE", ("IN", "10"), out="N1"))
            ladder.rung(compare("EQ", "N1", "10"), no("X2"), timer("TON", "T1", "T#2s"), call("MOVE", ("IN", "20"), out="N1"))
            ladder.rung(compare("EQ", "N1", "20"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), (500, "X1", 1), (800, "X1", 0), (3000, "X1", 0)]
        found = on(draw, "X1 X2 N1 Y1", rows, "Y1", "T1:TON", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertIn("the write that leaves 10 has no power in Main 2", found.text)
        self.assertNotIn("Main 1", found.text)
        self.assertEqual(found.roots[0], ("field-input", "X2", True))


class Partly(unittest.TestCase):
    """Where nothing proves, the trial that went furthest is told."""

    def _sequence(self, third: int) -> Asked:
        def draw(ladder: Ladder) -> None:
            for now, condition, then in ((0, "X1", 10), (10, "X2", 20), (20, "X3", 30)):
                ladder.rung(compare("EQ", "N1", str(now)), no(condition), call("MOVE", ("IN", str(then)), out="N1"))
            ladder.rung(compare("EQ", "N1", "30"), no("X9"), no("X8"), coil("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 1), (0, "X3", third), (0, "X8", 0), (0, "X9", 0), (500, "X9", 1), (2000, "X9", 1)]
        return on(draw, "X1 X2 X3 X8 X9 N1 Y1", rows, "Y1")

    def test_how_far_a_sequence_comes(self) -> None:
        proofs = [r.proof for r in self._sequence(0).answer.roots]
        self.assertIn("with X1 held on from 0.500 s on, Y1 still does not pull in, but N1 reaches 20; then X8 and X3 are missing", proofs)
        self.assertFalse(any("but" in p for p in proofs if not p.startswith("with X1")))

    def test_nothing_of_it_where_roots_prove_together(self) -> None:
        found = self._sequence(1)
        self.assertEqual([r[2] for r in found.roots], [True, True])
        self.assertNotIn("but", " ".join(r.proof for r in found.answer.roots))

    def test_a_memory_that_comes_on(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), coil("M1"))
            ladder.rung(no("M1"), no("M3"), nc("X4"), coil("M2"))
            ladder.rung(no("X9"), no("M2"), coil("Y1"))
            ladder.rung(no("X9"), nc("X9"), coil("M3"))

        rows = [(0, "X1", 0), (0, "X4", 1), (0, "X9", 0), (500, "X9", 1), (2000, "X9", 1)]
        proofs = [r.proof for r in on(draw, "X1 X4 X9 M1 M2 M3 Y1", rows, "Y1").answer.roots]
        self.assertTrue(any(p.startswith("with X1") and p.endswith("but M1 comes on; then X4 is in the way") for p in proofs), proofs)


class WithinOneRaster(unittest.TestCase):
    """Changes whose order a polled log does not hold."""

    def _asked(self, draw: Draw, rows: Rows, symptom: Symptom | None = None) -> Asked:
        polls = [(100 * n, "X9", n % 2) for n in range(70)]
        return on(draw, "X1 X2 X3 Y1 X9", [*polls, *rows], "Y1", symptom=symptom)

    def _told(self, found: Asked) -> list[str]:
        return [said for said in found.answer.rests_on if "which came first" in said]

    def test_two_in_series_that_opened_at_once(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), no("X2"), coil("Y1"))

        found = self._asked(draw, [(0, "X1", 1), (0, "X2", 1), (3000, "X1", 0), (3000, "X2", 0)], Symptom.DROPPED_OUT)
        self.assertEqual(found.roots, [("field-input", "X1", True), ("field-input", "X2", True)])
        self.assertIn("X1 and X2 opened at once", found.text)
        self.assertEqual(self._told(found), ["X1 and X2 changed within one raster of 100 ms at 3.000 s: which came first is not known; "
                                             "in either order it drops out"])
        apart = self._asked(draw, [(0, "X1", 1), (0, "X2", 1), (3000, "X1", 0), (3100, "X2", 0)], Symptom.DROPPED_OUT)
        self.assertEqual((self._told(apart), apart.roots), ([], [("field-input", "X1", True)]))
        self.assertIn("X1 opened first", apart.text)

    def test_an_order_that_decides(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(rises("X1"), no("X2"), set_("Y1"))
            ladder.rung(no("X3"), reset("Y1"))

        found = self._asked(draw, [(0, "X1", 0), (0, "X2", 1), (0, "X3", 0), (3000, "X1", 1), (3000, "X2", 0), (3100, "X1", 0)])
        self.assertEqual(found.answer.symptom, Symptom.WILL_NOT_PULL_IN)
        self.assertEqual([said.partition("not known; ")[2] for said in self._told(found)], ["with X2 first it does not pull in, with X1 first it pulls in"])

    def test_a_fine_log_has_an_order(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), no("X2"), coil("Y1"))

        rows = [(n * 7, "X9", n % 2) for n in range(70)]
        found = on(draw, "X1 X2 Y1 X9", [*rows, (0, "X1", 1), (0, "X2", 1), (300, "X1", 0), (300, "X2", 0)], "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertEqual(self._told(found), [])


if __name__ == "__main__":
    unittest.main()
