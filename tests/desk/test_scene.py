"""What the strands show: words, widths, folding, what must not be overlooked."""

from __future__ import annotations

import unittest

from tests.building import MS, program_of, program_with, session_of, tasked
from tests.plant.test_bridge import bridge_session
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.scene import Scene
from whorlograph.desk.session import Session
from whorlograph.desk.timeline import window
from whorlograph.drawing.shapes import Ink, plain
from whorlograph.model.iolist import IoList, Point, Wiring
from whorlograph.model.parts import Ladder, call, coil, counter, jump, nc, no, reset, set_
from whorlograph.model.profile import Overflow
from whorlograph.model.program import Task


def _latched(ladder: Ladder) -> None:
    ladder.rung(no("X1"), no("M1"), coil("Y1"))
    ladder.rung(no("X2"), nc("X3"), coil("M1"))


ROWS = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 0), (200, "X3", 1), (400, "X3", 0), (410, "X2", 0)]


class Words(unittest.TestCase):
    """A small program."""

    def session(self) -> Session:
        session = session_of(program_of(_latched, "X1 X2 X3 M1 Y1"), ROWS, end=600)
        x2 = session.tag("X2")
        point = Point("X2", "%IX0.1", "S-7", "press frame", "21", Wiring.NORMALLY_CLOSED, "door switch", "D3/2")
        session.iolist = IoList({x2: point})
        return session

    def test_a_line_is_told_in_whole_sentences(self) -> None:
        session = self.session()
        answer = ask(session, "Y1")
        scene = Scene(session, answer)
        lines = scene.trail(60)
        said = " ".join(plain(list(one.runs)).strip() for one in scene.told(lines[0], 40))
        self.assertEqual(said, answer.links()[0][1].text)
        self.assertTrue(all(len(plain(list(one.runs))) < 40 and not one.first for one in scene.told(lines[0], 40)))
        root = next(one for one in lines if one.root is not None)
        self.assertEqual(scene.told(root, 40), [])

    def test_of_what_does_not_pull_in_the_attempts_are_told_first(self) -> None:
        session = session_of(program_of(lambda ladder: ladder.rung(no("X1"), no("X2"), coil("Y1")), "X1 X2 Y1"), [(0, "X1", 0), (0, "X2", 0), (100, "X1", 1), (300, "X1", 0)])
        scene = Scene(session, ask(session, "Y1"))
        said = [plain(list(one.runs)).strip() for one in scene.told(scene.trail(90)[0], 90)]
        self.assertEqual(said, ["Y1 did not pull in (tried once, at 0.100 s: X1)", "Y1 has no power in Main 1: X2 blocks"])

    def test_a_latch_that_is_not_reset_is_not_called_not_set(self) -> None:
        def latch(ladder: Ladder) -> None:
            ladder.rung(no("X1"), set_("Y1"))
            ladder.rung(no("X2"), reset("Y1"))

        rows = [(0, "X1", 0), (0, "X2", 0), (100, "X1", 1), (200, "X1", 0), (400, "X1", 0)]
        session = session_of(program_of(latch, "X1 X2 Y1"), rows)
        shown = [plain(line.runs) for line in Scene(session, ask(session, "Y1")).trail(80)]
        self.assertTrue(any("not reset since 0.100" in line for line in shown), shown)
        self.assertFalse(any("not set" in line for line in shown), shown)
        off = session_of(program_of(latch, "X1 X2 Y1"), [*rows, (300, "X2", 1), (350, "X2", 0)])
        shown = [plain(line.runs) for line in Scene(off, ask(off, "Y1")).trail(80)]
        self.assertFalse(any("not reset" in line for line in shown), shown)

    def test_a_task_that_counts_too_seldom_has_come(self) -> None:
        program = tasked({"Count": lambda ladder: ladder.rung(no("X1"), counter("C", "6", no("X2")), coil("Y1"))}, "X1 X2 Y1",
                         {"Count": Task("Slow", 1, "T#200ms")}, "C:CTU")
        session = session_of(program, [(0, "X2", 0), *((1000 + 110 * n + shift, "X1", value) for n in range(8) for shift, value in ((0, 1), (50, 0)))], 3000)
        shown = [plain(line.runs) for line in Scene(session, ask(session, "Y1")).trail(80)]
        self.assertTrue(any("X1  seen too seldom" in line for line in shown), shown)
        idle = session_of(program, [(0, "X1", 0), (50, "X1", 1)], 100)
        self.assertFalse(any("seen too seldom" in plain(line.runs) for line in Scene(idle, ask(idle, "Y1")).trail(80)))

    def test_the_head_asks_the_question_and_counts_the_roots(self) -> None:
        session = self.session()
        scene = Scene(session, ask(session, "Y1"))
        first, second = (plain(row) for row in scene.head(scene.answer.scan, scene.answer.time, 100))
        self.assertIn("Why did Y1 drop out?", second)
        self.assertIn("1 root · not proved yet", second)
        self.assertIn(f"scan {scene.answer.scan}", first)
        prove_all(session, scene.answer)
        self.assertIn("1 proved", plain(scene.head(1, 0, 100)[1]))

    def test_the_path_of_questions_stands_there_where_it_fits(self) -> None:
        session = self.session()
        scene = Scene(session, ask(session, "M1"))
        self.assertIn("‹ Y1", plain(scene.head(1, 0, 120, "Y1")[1]))
        self.assertNotIn("‹", plain(scene.head(1, 0, 60, "Y1 ‹ a long way ‹ another one")[1]))

    def test_the_card_names_the_device_its_terminal_and_what_off_means(self) -> None:
        session = self.session()
        scene = Scene(session, ask(session, "Y1"))
        card = " ".join(plain(list(line.runs)) for line in scene.trail(70))
        card = " ".join(card.split())
        for word in ("S-7", "press frame", "terminal 21", "drawing D3/2", "wired normally closed: off means actuated"):
            self.assertIn(word, card)
        self.assertTrue(scene.first_root().startswith("Check S-7, press frame, terminal 21"))
        self.assertIn("0.410", scene.first_root())
        self.assertFalse(scene.first_root(50)[-1].isdigit())
        self.assertNotIn("0.4", scene.first_root(50))

    def test_folding_hides_what_lies_below_and_says_so(self) -> None:
        session = self.session()
        scene = Scene(session, ask(session, "Y1"))
        whole, folded = scene.trail(80), scene.trail(80, frozenset({0}))
        self.assertLess(len(folded), len(whole))
        self.assertIn("…", plain(list(folded[0].runs)))
        self.assertTrue(any(line.root is not None for line in folded), "roots stay in sight")

    def test_lanes_begin_with_the_complaint_and_name_every_tag_once(self) -> None:
        session = self.session()
        scene = Scene(session, ask(session, "Y1"))
        lanes = [scene.name(t) for t in scene.lanes((session.tag("X1"), session.tag("Y1")))]
        self.assertEqual((lanes[0], lanes[-1]), ("Y1", "X1"))
        self.assertEqual(len(lanes), len(set(lanes)))

    def test_the_tags_of_a_rung_say_since_when(self) -> None:
        session = self.session()
        scene = Scene(session, ask(session, "Y1"))
        lines = [plain(line) for line in scene.at_hand(scene.steps()[0], scene.answer.scan, 70)]
        text = "\n".join(lines)
        self.assertRegex(text, r"M1 +off +since 0\.41")
        self.assertRegex(text, r"X1 +on +since 0\.000")
        self.assertEqual(scene.at_hand(-1, 1, 70), [])

    def test_the_window_shows_the_complaint_and_what_led_to_it(self) -> None:
        session = self.session()
        answer = ask(session, "Y1")
        start, end = window(session, answer)
        self.assertLessEqual(start, answer.roots[0].since or 0)
        self.assertGreater(end, answer.time)
        self.assertLessEqual(end - start, 3_000_000_000)


class NotToBeOverlooked(unittest.TestCase):
    """Halts, rows set aside, rungs that did not run."""

    def test_a_halted_controller_stands_on_the_head_line(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), call("ADD", ("IN1", "N1"), ("IN2", "30000"), out="N1"))
            ladder.rung(no("X2"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X2 Y1 N1"), [(0, "X2", 1), (0, "X1", 0), (100, "X1", 1), (300, "X1", 1)], end=400,
                             on_overflow=Overflow.HALT)
        scene = Scene(session, ask(session, "Y1"))
        head = scene.head(30, 300 * MS, 100)
        self.assertIn("! controller halted", plain(head[1]))
        self.assertIn(Ink.BLOCK, {ink for text, ink in head[1] if "halted" in text})
        block = scene.rung(1, 30, 80)
        self.assertIn("not evaluated: the controller has halted", "\n".join(plain(line) for line in block.lines))
        self.assertEqual({ink for line in block.lines[2:] for text, ink in line if text.strip()}, {Ink.ASIDE})

    def test_a_rung_that_was_jumped_over_says_since_when_and_by_what(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), jump("END"))
            ladder.rung(no("X2"), coil("Y1"))
            ladder.label("END")
            ladder.rung(no("X3"), coil("Y2"))

        session = session_of(program_of(draw, "X1 X2 X3 Y1 Y2"), [(0, "X2", 1), (0, "X1", 0), (0, "X3", 1), (200, "X1", 1), (300, "X2", 0)], end=400)
        scene = Scene(session, ask(session, "Y1"))
        self.assertEqual(scene.skip_words(1, 10), "")
        words = scene.skip_words(1, 35)
        self.assertIn("jumped over by Main 1", words)
        self.assertIn("since 0.2", words)

    def test_a_pou_that_nobody_calls_says_so(self) -> None:
        main, other = Ladder(), Ladder()
        main.rung(no("X1"), coil("Y1"))
        other.rung(no("X2"), coil("Y2"))
        session = session_of(program_with({"Main": main.body(), "Other": other.body()}, "X1 X2 Y1 Y2"), [(0, "X1", 1), (50, "X2", 1)], end=100)
        scene = Scene(session, ask(session, "Y2"))
        self.assertEqual(scene.skip_words(0, 5), "")

    def test_rows_set_aside_are_counted_on_the_head_line(self) -> None:
        session = bridge_session()
        from msgspec.structs import replace

        session.log = replace(session.log, set_aside=3)
        scene = Scene(session, ask(session, "Raise_Pump"))
        self.assertIn("! 3 rows set aside", plain(scene.head(1, 0, 120)[1]))
        self.assertEqual(scene.warning(10), "", "where it does not fit, the trail's hint says it")
        self.assertTrue(any("3 rows of the log were set aside" in said for said in scene.answer.rests_on))


class Widths(unittest.TestCase):
    """The shipped case from 30 to 200 columns."""

    def test_nothing_is_wider_than_the_screen_and_no_instant_is_cut(self) -> None:
        session = bridge_session()
        answer = ask(session, "Raise_Pump")
        scene = Scene(session, answer)
        for width in range(40, 200, 7):
            head = scene.head(answer.scan, answer.time, width)
            self.assertIn("14:02:52.190", plain(head[0]))
            for line in scene.trail(width):
                self.assertLessEqual(len(plain(list(line.runs))), width, plain(list(line.runs)))
            if width >= 60:
                self.assertTrue(any("14:02:52.160" in plain(list(line.runs)) for line in scene.trail(width)))
            for step in scene.steps():
                for line in scene.rung(step, answer.scan, width).lines:
                    self.assertLessEqual(len(plain(line)), width)


if __name__ == "__main__":
    unittest.main()
