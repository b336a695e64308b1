"""Instruction lists in both engines, against an oracle that executes one instruction after another."""

from __future__ import annotations

import os
import unittest
from pathlib import Path
from random import Random

from tests.building import log_of
from tests.engine.agreement import difference
from tests.instructions import FLAGS, HEAD, INPUTS, NUMBERS, Oracle, random_list, text
from tests.texts import settled
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.profile import Profile

CASES = int(os.environ.get("WHORLOGRAPH_CASES", "100"))
FIRST = int(os.environ.get("WHORLOGRAPH_FIRST_CASE", "0"))


class Agreement(unittest.TestCase):
    """Random lists, scan by scan."""

    def test_lists_do_what_their_instructions_say(self) -> None:
        changed = 0
        for seed in range(FIRST, FIRST + CASES):
            random = Random(seed)
            lines = random_list(random)
            loaded = read(text(lines).encode(), Path("x.st"))
            self.assertEqual(loaded.notices, [], seed)
            plain, compiled = (Controller(loaded.value, Profile(scan_time=10_000_000), plain=p) for p in (True, False))
            self.assertEqual(plain.notices, [], seed)
            scans = [{name: random.randint(0, 1) for name in INPUTS} for _ in range(25)]
            log = log_of(plain, [(n * 10, f"Main.{name}", value) for n, one in enumerate(scans) for name, value in one.items()])
            one, two = plain.replay(log), compiled.replay(log)
            self.assertEqual(difference(one, two, [t.name for t in plain.running.tags]), "", (seed, text(lines)))
            oracle = Oracle(lines)
            before: dict[str, int] = {}
            for n, inputs in enumerate(scans):
                wanted = oracle.scan(inputs)
                found = {name: int(settled(compiled, two, f"Main.{name}", n + 1)) for name in (*FLAGS, *NUMBERS)}
                self.assertEqual(found, {name: wanted[name] for name in found}, (seed, n + 1, text(lines)))
                changed += found != before
                before = found
        self.assertGreater(changed, 5 * CASES)


class Errors(unittest.TestCase):
    """What is no list, each with its line."""

    def test_each_is_named_where_it_stands(self) -> None:
        for body, line, said in (("LD I0\nAND( I1\nST Q0", 5, "a bracket is opened here and not closed"), ("LD I0\n)\nST Q0", 5, "closed that was not opened"),
                                 ("LD I0\nJMPC Away\nST Q0", 5, "label Away stands nowhere"), ("LD I0\nA: ST Q0\nA: ST Q1", 6, "label A stands twice"),
                                 ("LD\nST Q0", 4, "nothing stands behind it"), ("ST Q0", 4, "before anything is loaded"), ("LD I0\nST 5", 5, "takes a variable")):
            with self.subTest(body=body):
                notices = read((HEAD + body + "\nEND_PROGRAM\n").encode(), Path("x.st")).notices
                self.assertEqual([n.place.line for n in notices], [line], body)
                self.assertIn(said, notices[0].what)

    def test_calls_take_their_inputs_in_every_way(self) -> None:
        declared = HEAD.replace("E : R_TRIG;", "E : R_TRIG; T : TON; C : CTU;")
        body = "CAL T(\nIN := I0,\nPT := T#20ms\n)\nLD T.Q\nST Q0\nLD I0\nCU C\nLD 2\nST C.PV\nLD I1\nCALC C(CU := I0, Q => M0)\nLD C.CV\nGE 1\nST Q1"
        program = read((declared + body + "\nEND_PROGRAM\n").encode(), Path("x.st"))
        self.assertEqual(program.notices, [])
        for plain in (True, False):
            controller = Controller(program.value, Profile(scan_time=10_000_000), plain=plain)
            self.assertEqual(controller.notices, [])
            journal = controller.replay(log_of(controller, [(0, "Main.I0", 0), (20, "Main.I0", 1)], 60))
            self.assertEqual([settled(controller, journal, f"Main.{n}", 3) for n in ("Q0", "Q1")], [False, True])
            self.assertTrue(settled(controller, journal, "Main.Q0"))


if __name__ == "__main__":
    unittest.main()
