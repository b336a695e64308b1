"""Footer, keys, inks and the cursor over rungs: what is drawn, without a screen."""

from __future__ import annotations

import unittest
from random import Random

from textual.events import Key

from tests.building import program_of, session_of
from whorlograph.desk.asking import ask
from whorlograph.desk.scene import RungBlock, Scene
from whorlograph.drawing.palette import PALETTES
from whorlograph.drawing.shapes import Ink, plain
from whorlograph.model.parts import Ladder, coil, either, nc, no, timer
from whorlograph.ui.keys import ACTIONS, BY_KEY, footer_runs, key_text, keys_text, unknown_key
from whorlograph.ui.rung_cursor import beside, elements_of, first_element, with_cursor, with_letter
from whorlograph.ui.theme import segments, style_of

SWALLOWED = ("ctrl+enter", "ctrl+i", "ctrl+m", "ctrl+h", "ctrl+shift")


class Keys(unittest.TestCase):
    """One table of keys."""

    def test_help_and_palette_come_first_and_nothing_is_cut(self) -> None:
        for width in range(30, 220, 3):
            text = plain(footer_runs(width))
            self.assertLessEqual(len(text.rstrip()), width)
            self.assertTrue(text.startswith(" ? help   Ctrl+P find anything") or width < 34, text)
            self.assertIn("? help", text)
            for word in text.split("   "):
                self.assertTrue(any(word.strip() == f"{key_text(a.keys[0])} {a.label}" for a in ACTIONS) or not word.strip(), word)

    def test_no_key_is_one_that_terminals_swallow_unless_another_does_the_same(self) -> None:
        for action in ACTIONS:
            self.assertTrue(any(not k.startswith(SWALLOWED) and k != "f1" for k in action.keys), action.name)

    def test_keys_are_written_as_they_stand_on_the_keyboard(self) -> None:
        self.assertEqual([key_text(k) for k in ("ctrl+p", "shift+tab", "question_mark", "x", "X", "pageup", "shift+right")],
                         ["Ctrl+P", "Shift+Tab", "?", "x", "X", "Page Up", "Shift+Right"])
        self.assertTrue(all(keys_text(a).strip() and a.sentence and a.label for a in ACTIONS))
        self.assertEqual(len({k for a in ACTIONS for k in a.keys}), sum(len(a.keys) for a in ACTIONS))

    def test_a_key_without_meaning_is_named(self) -> None:
        free = next(c for c in "zZyYqQjJ%&$#" if c not in BY_KEY)
        self.assertIn("does nothing here", unknown_key(Key(free, free)))
        self.assertTrue(unknown_key(Key("ctrl+k", None)).startswith("Ctrl+K"))


class Inks(unittest.TestCase):
    """Styles by meaning."""

    def test_every_ink_can_be_read_on_its_ground(self) -> None:
        def light(colour: str) -> float:
            parts = [int(colour[i:i + 2], 16) / 255 for i in (1, 3, 5)]
            linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
            return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

        for palette in PALETTES.values():
            for ink, look in palette.looks.items():
                if not palette.ground:
                    self.assertEqual((look.fore, look.back), ("", ""))
                    continue
                for ground in (palette.ground, palette.looks[Ink.CHOSEN].back):
                    a, b = sorted((light(look.fore), light(ground)))
                    self.assertGreaterEqual((b + 0.05) / (a + 0.05), 5 if ground == palette.ground else 3.5, (palette.name, ink, ground))

    def test_in_one_colour_weight_and_signs_are_left(self) -> None:
        for ink in Ink:
            style = style_of("mono", ink)
            self.assertIsNone(style.color)
            self.assertIsNone(style.bgcolor)
        self.assertTrue(style_of("mono", Ink.LIVE).bold and not style_of("mono", Ink.DEAD).bold)
        self.assertTrue(style_of("mono", Ink.BLOCK).underline)
        self.assertTrue(style_of("mono", Ink.CHOSEN).reverse)

    def test_a_line_fills_its_width_exactly(self) -> None:
        random = Random(1)
        for _ in range(100):
            runs = [("ab━╌x" * random.randrange(4), random.choice(list(Ink))) for _ in range(random.randrange(5))]
            width = random.randrange(1, 40)
            for palette in PALETTES:
                for ascii_ in (False, True):
                    text = "".join(s.text for s in segments(runs, palette, width, ascii_, random.random() < 0.5))
                    self.assertEqual(len(text), width)
                    self.assertEqual(text.isascii(), ascii_ or text.isascii())
                    self.assertTrue(not ascii_ or text.isascii())


class Cursor(unittest.TestCase):
    """From element to element over a drawn rung."""

    def block(self) -> RungBlock:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("Y1")), nc("X2"), timer("TON", "T1", "T#2s"), coil("Y1"))

        session = session_of(program_of(draw, "X1 X2 Y1", "T1:TON"), [(0, "X1", 1), (500, "X2", 1)], end=900)
        scene = Scene(session, ask(session, "Y1"))
        return scene.rung(0, scene.answer.scan, 90)

    def test_it_goes_through_all_elements_and_stays_at_the_ends(self) -> None:
        block = self.block()
        places = elements_of([(0, block)])
        self.assertEqual(len(places), 5)
        here = places[0][2:]
        seen = [here]
        for _ in range(8):
            here = beside(places, here, 1)
            seen.append(here)
        self.assertEqual(set(seen), {p[2:] for p in places})
        self.assertEqual(beside(places, here, 1), here)
        self.assertEqual(beside(places, here, -99), places[0][2:])
        self.assertEqual(beside(places, (9, 9), 1), places[0][2:])
        self.assertIn(first_element(block), block.tags)

    def test_it_marks_the_element_and_changes_no_character(self) -> None:
        block = self.block()
        for spot in block.spots:
            for i, line in enumerate(block.lines):
                runs = [(" ", Ink.TEXT), *line]
                marked = with_cursor(runs, block, spot.element, i)
                self.assertEqual(plain(marked), plain(runs))
                chosen = sum(len(t) for t, ink in marked if ink is Ink.CHOSEN)
                self.assertEqual(chosen > 0, any(s.element == spot.element and s.line == i for s in block.spots))

    def test_a_letter_stands_before_its_element_once(self) -> None:
        block = self.block()
        for element in {s.element for s in block.spots}:
            drawn = [plain(with_letter([(" ", Ink.TEXT), *line], block, element, i, "q")) for i, line in enumerate(block.lines)]
            self.assertEqual(sum("[q]" in line for line in drawn), 1)


if __name__ == "__main__":
    unittest.main()
