"""Explanation pages: one for everything that an answer or a finding names, each example a rung that can be drawn."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from whorlograph.desk.explain import list_text, look_up, page_lines, page_text, pages
from whorlograph.inquiry import findings
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.question import LinkKind, RootKind, Symptom
from whorlograph.plant.written import body_of, parsed

FOLDER = Path(findings.__file__).parent


class Pages(unittest.TestCase):
    """What there is."""

    def test_everything_that_an_answer_names_has_a_page(self) -> None:
        for kind, names in (("symptom", Symptom), ("link", LinkKind), ("root", RootKind)):
            for name in names:
                page = pages().get(name.value)
                self.assertIsNotNone(page, name)
                assert page is not None
                self.assertEqual(page.kind, kind, name)
        self.assertLessEqual({b for b in STANDARD_BLOCKS if "_" not in b or "TRIG" in b}, set(pages()))

    def test_every_finding_has_a_page(self) -> None:
        keys = {k for path in FOLDER.glob("*.py") for k in re.findall(r'(?:finding|Finding)\(\s*"([a-z-]+)"', path.read_text())} | {"never-written", "never-read"}
        self.assertGreater(len(keys), 25)
        for key in keys:
            self.assertEqual(pages()[key].kind, "finding", key)
        self.assertEqual({n for n, p in pages().items() if p.kind == "finding"}, keys)

    def test_examples_are_rungs_and_are_drawn(self) -> None:
        drawn = 0
        for page in pages().values():
            if page.example:
                self.assertTrue(body_of(page.example).rungs, page.name)
                for width in (60, 76, 120):
                    for line in page_lines(page, width):
                        self.assertLessEqual(len("".join(t for t, _ in line)), width, (page.name, width))
                drawn += "┃" in page_text(page)
        self.assertGreater(drawn, 30)

    def test_an_example_that_cannot_be_read_is_said(self) -> None:
        for text in ("A B", "[A|B", "A ]", "A ? (B)"):
            if text == "A B":
                self.assertEqual(len(parsed(text)), 2)
            else:
                with self.assertRaises(ValueError):
                    parsed(text)

    def test_words_lead_to_pages(self) -> None:
        for word, name in (("broken wire", "latch-and-wire"), ("double coil", "double-coil"), ("held_by_jump", "held-by-jump"), ("ton", "TON"),
                           ("does not start", "will-not-pull-in"), ("overflow", "overflow"), ("interrupt", "preempted"), ("Seal in", "seal-in")):
            self.assertEqual(look_up(word)[0].name, name, word)
        self.assertEqual(look_up("overflw")[0].name, "overflow")
        self.assertEqual(look_up("zzzzqq"), [])
        self.assertEqual(look_up("  "), [])
        self.assertTrue(all(name in list_text() for name in pages()))


if __name__ == "__main__":
    unittest.main()
