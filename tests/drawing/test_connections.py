"""The drawn rung is the circuit: whoever follows the lines finds the same conditions as the engine."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import program_of
from whorlograph.drawing import glyphs
from whorlograph.drawing.rung_layout import RungLayout, Shape, lay_out
from whorlograph.drawing.shapes import plain
from whorlograph.drawing.text import RungText, draw_rung, wrapped
from whorlograph.engine.controller import Controller
from whorlograph.model.ladder import Coil, Contact, LeftRail
from whorlograph.model.parts import Ladder, Part, coil, either, nc, no, series
from whorlograph.model.profile import Profile

DIRECTIONS = {char: set(key) for table in (glyphs._LIVE, glyphs._DEAD) for key, char in table.items() if len(key) > 1}
STEPS = {"l": (-1, 0, "r"), "r": (1, 0, "l"), "u": (0, -1, "d"), "d": (0, 1, "u")}


def conditions(text: RungText, layout: RungLayout) -> dict[int, set[int | str]]:
    """What feeds each element, found by following the lines of the picture to the left, up and down."""
    canvas = text.canvas
    rows = {s.element: s for s in layout.symbols}
    bodies: dict[tuple[int, int], int] = {}
    lefts: dict[int, tuple[int, int]] = {}
    for spot in text.spots:
        symbol = rows[spot.element]
        if symbol.shape not in (Shape.CONTACT, Shape.COIL) or spot.line in {y for (_, y), e in bodies.items() if e == spot.element}:
            continue
        line = "".join(canvas.at(x, spot.line) for x in range(spot.left, spot.right))
        begin = next((i for i, c in enumerate(line) if c in "┥("), None)
        if begin is None or line[begin + 2:begin + 3] not in ("┝", ")"):
            continue  # the line with the label
        lefts[spot.element] = (spot.left + begin, spot.line)
        bodies[spot.left + begin + 2, spot.line] = spot.element
    found: dict[int, set[int | str]] = {}
    for element, (x, y) in lefts.items():
        seen: set[tuple[int, int]] = set()
        feeds: set[int | str] = set()
        todo = [(x - 1, y)]
        while todo:
            at = todo.pop()
            if at in seen:
                continue
            seen.add(at)
            if at in bodies or ((at[0] - 1, at[1]) in bodies and canvas.at(*at) in (glyphs.BLOCKED,)):
                feeds.add(bodies[at])
                continue
            char = canvas.at(*at)
            if at[0] == 0 and char in "┣┃":
                feeds.add("rail")
                continue
            for direction in DIRECTIONS.get(char, set()):
                dx, dy, _ = STEPS[direction]
                beside = (at[0] + dx, at[1] + dy)
                if direction == "r":
                    continue  # power comes from the left
                if direction in "ud" and DIRECTIONS.get(canvas.at(*beside)) == {"l", "r"}:
                    beside = (beside[0], beside[1] + dy)  # it goes on behind a line that passes
                    if STEPS[direction][2] not in DIRECTIONS.get(canvas.at(*beside), set()):
                        continue
                todo.append(beside)
        found[element] = feeds
    return found


def random_part(random: Random, depth: int) -> Part:
    """Contacts in series and side by side, nested."""
    kind = random.random()
    if depth == 0 or kind < 0.35:
        return random.choice((no, nc))(f"X{random.randrange(1, 9)}")
    parts = [random_part(random, depth - 1) for _ in range(random.randint(2, 3))]
    return series(*parts) if kind < 0.7 else either(*parts)


class Connections(unittest.TestCase):
    """Random rungs of contacts in series and side by side."""

    def rungs(self, seed: int) -> Controller:
        random = Random(seed)

        def draw(ladder: Ladder) -> None:
            for i in range(6):
                parts = [random_part(random, 3) for _ in range(random.randint(1, 3))]
                ladder.rung(*parts, *[coil(f"Y{i + 1}") for _ in range(1)])

        return Controller(program_of(draw, " ".join([*(f"X{i}" for i in range(1, 9)), *(f"Y{i}" for i in range(1, 7))])), Profile())

    def test_following_the_lines_finds_the_engine_s_conditions(self) -> None:
        checked = 0
        for seed in range(120):
            for step in self.rungs(seed).steps.all:
                layout = lay_out(step, None, frozenset())
                text = draw_rung(layout)
                rails = {e.id for e in step.rung.elements if isinstance(e, LeftRail)}
                ids = {e.id for e in step.rung.elements}
                drawn = conditions(text, layout)
                for element in step.rung.elements:
                    if not isinstance(element, (Contact, Coil)):
                        continue
                    wanted = {"rail" if w.source in rails or w.source not in ids else w.source for w in element.wires}
                    picture = "\n".join(plain(text.canvas.line(y)) for y in range(text.canvas.height))
                    self.assertEqual(drawn.get(element.id), wanted, f"seed {seed}, element {element}\n{picture}")
                    checked += 1
        self.assertGreater(checked, 3000)

    def test_nothing_is_drawn_over_anything_else(self) -> None:
        for seed in range(120, 180):
            for step in self.rungs(seed).steps.all:
                text = draw_rung(lay_out(step, None, frozenset()))
                taken: dict[tuple[int, int], int] = {}
                for spot in text.spots:
                    for x in range(spot.left, spot.right):
                        self.assertIn(taken.setdefault((x, spot.line), spot.element), (spot.element,))

    def test_narrow_screens_lose_no_character_of_a_rung(self) -> None:
        for seed in range(180, 230):
            for step in self.rungs(seed).steps.all:
                layout = lay_out(step, None, frozenset())
                for width in (40, 60, 78, 120):
                    text = draw_rung(layout, False, width)
                    lines, spots = wrapped(text, width)
                    joined = "\n".join("".join(t for t, _ in line) for line in lines)
                    self.assertTrue(all(len("".join(t for t, _ in line)) <= width for line in lines), f"{width}\n{joined}")
                    for char in "()/":
                        whole = "".join(plain(text.canvas.line(y)) for y in range(text.canvas.height))
                        self.assertEqual(joined.count(char), whole.count(char))
                    self.assertEqual({s.element for s in spots}, {s.element for s in text.spots})
                    for spot in spots:
                        self.assertLess(spot.line, len(lines))
                        self.assertLessEqual(spot.right, width)


if __name__ == "__main__":
    unittest.main()
