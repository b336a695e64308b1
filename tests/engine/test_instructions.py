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
from whorlograph.engine.settled import shown_tags
from whorlograph.formats.programs import read_data
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

    def test_every_damaged_instruction_of_a_list_is_told_and_no_other(self) -> None:
        told_in_all = 0
        for seed in range(60):
            random = Random(seed)
            lines = text(random_list(random)).splitlines()
            first = HEAD.count("\n")
            whole = [n for n, line in enumerate(lines) if n >= first and line.split() and ":" not in line and "(" not in line and ")" not in line]
            able = [n for n in whole if lines[n].split()[0] in ("LD", "LDN", "AND", "ANDN", "OR", "XOR", "ADD", "SUB", "GT", "EQ", "ST", "STN", "S", "R", "JMP", "JMPC", "JMPCN")]
            damaged = random.sample(able, min(len(able), random.choice((0, 1, 2, 5, 30))))
            for n in damaged:
                word, *rest = lines[n].split()
                jump = word.startswith("JMP")
                lines[n] = random.choice((word, f"{word} 5 5", f"{word} Nowhere" if jump else f"{word} {rest[0]} ;; AND"))
            found = [n.place.line - 1 for n in read(("\n".join(lines) + "\n").encode(), Path("x.st")).notices]
            self.assertEqual(found, sorted(damaged)[:21], "\n".join(f"{n + 1} {line}" for n, line in enumerate(lines)))
            told_in_all += len(found)
        self.assertGreater(told_in_all, 150)

    def test_a_bracket_whose_beginning_is_wrong_is_closed_all_the_same(self) -> None:
        body = "ST Q0\nAND( 5 5\n)\nST\nJMP Gone"
        notices = read((HEAD + body + "\nEND_PROGRAM\n").encode(), Path("x.st")).notices
        self.assertEqual([(n.place.line, n.what.partition(":")[0]) for n in notices], [(4, "column 1"), (5, "column 8"), (7, "column 1"), (8, "column 1")])

    def test_a_result_is_kept_only_where_it_is_read(self) -> None:
        begin = "LD I0\nAND I1\nST Q0\n"
        kept = {"JMP Out\nLD I1\nST Q1\nOut: LD I2\nST M0": 0, "JMP Out\nLD I1\nST Q1\nOut: ST M0": 1, "CAL E\nLD I2\nST M0": 0,
                "CAL E\nST M0": 1, "JMPC Out\nLD I1\nST Q1\nOut: LD I2\nST M0": 1, "JMPC Out\nST M1\nOut: LD I2\nST M0": 1, "RET\nLD I2\nST M0": 0}
        for rest, wanted in kept.items():
            with self.subTest(rest):
                program = read((HEAD + begin + rest + "\nEND_PROGRAM\n").encode(), Path("x.st"))
                controller = Controller(program.value, Profile(scan_time=10_000_000))
                made = [t for t in controller.running.tags if t.result]
                self.assertEqual(len(made), wanted)
                self.assertNotIn("result", " ".join(controller.running.tags[n].name for n in shown_tags(controller.running)))

    def test_what_was_loaded_stays_when_a_call_changes_where_it_came_from(self) -> None:
        block = "FUNCTION_BLOCK More VAR_IN_OUT V : DINT; END_VAR V := V + 1; END_FUNCTION_BLOCK "
        source = block + HEAD.replace("E : R_TRIG;", "E : More;") + "LD N0\nCAL E(V := N0)\nST N1\nEND_PROGRAM\n"
        for plain in (True, False):
            controller = Controller(read(source.encode(), Path("x.st")).value, Profile(scan_time=10_000_000), plain=plain)
            journal = controller.replay(log_of(controller, [(0, "Main.I0", 0)], 20))
            self.assertEqual([settled(controller, journal, f"Main.{n}", 1) for n in ("N0", "N1")], [1, 0])

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

    def test_s_and_r_are_inputs_of_a_block_that_has_them(self) -> None:
        block = "FUNCTION_BLOCK Flap VAR_INPUT S : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR IF S THEN Q := NOT Q; END_IF; END_FUNCTION_BLOCK "
        declared = HEAD.replace("E : R_TRIG;", "E : R_TRIG; L : SR; K : RS; C : CTU; F : Flap; M2 : BOOL;")
        body = ("LD I0\nS1 L\nLD I1\nR L\nLD L.Q1\nST Q0\nLD I0\nS K\nLD I1\nR1 K\nLD K.Q1\nST Q1\nLD 1\nPV C\nLD I0\nCU C\nLD I1\nR C\n"
                "LD C.Q\nST M0\nLD I1\nS F\nS M1\nLD F.Q\nST M2")
        loaded = read_data((block + declared + body + "\nEND_PROGRAM\n").encode(), Path("x.st"))
        self.assertEqual(loaded.notices, [])
        for plain in (True, False):
            controller = Controller(loaded.value, Profile(scan_time=10_000_000), plain=plain)
            self.assertEqual(controller.notices, [])
            rows = [(0, "Main.I0", 0), (0, "Main.I1", 0), (10, "Main.I0", 1), (20, "Main.I0", 0), (30, "Main.I1", 1), (50, "Main.I0", 1), (60, "Main.I1", 0)]
            journal = controller.replay(log_of(controller, rows, 60))
            values = {name: "".join(str(int(settled(controller, journal, f"Main.{name}", scan))) for scan in range(1, 8)) for name in
                      ("Q0", "Q1", "M0", "M1", "M2")}
            self.assertEqual(values, {"Q0": "0110011", "Q1": "0110001", "M0": "0110000", "M1": "0001111", "M2": "0001011"})


if __name__ == "__main__":
    unittest.main()
