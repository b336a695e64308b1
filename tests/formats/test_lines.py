"""Rungs as lines of text: read, written, and what they do the same either way; nonsense is refused in one sentence."""

from __future__ import annotations

import datetime
import unittest
from random import Random

from tests.building import program_with, session_of
from tests.desk.test_changing import bodies, with_body
from tests.inquiry.test_revisions import course
from tests.strategies import random_case, random_log
from whorlograph.engine.controller import Controller
from whorlograph.formats.lines.read import read_line
from whorlograph.formats.lines.write import NoLine, written_line
from whorlograph.formats.programs import read_program
from whorlograph.inquiry.revisions.form import Numbers
from whorlograph.inquiry.revisions.forms import forms
from whorlograph.model.edit.rungs import drawn
from whorlograph.model.ladder import Block, CoilKind, Contact, ContactKind, LadderBody
from whorlograph.model.parts import Ladder, Part, call, coil, compare, counter, either, jump, leave, series, timer
from whorlograph.plant.catalog import cases


def keys(body: LadderBody) -> list[object]:
    """What each rung of a body does."""
    return [f.key for f in forms(body, NUMBERS)]


NUMBERS: Numbers = {}


def random_parts(random: Random, depth: int = 0) -> list[Part]:
    """Contacts, comparisons, timers and branches in series."""
    found: list[Part] = []
    for _ in range(random.randint(1, 3)):
        kind = random.choice("cccccvtb" if depth < 3 else "cccv")
        if kind == "c":
            found.append(Part("contact", f"X{random.randrange(9)}", contact=random.choice(list(ContactKind))))
        elif kind == "v":
            found.append(compare(random.choice(("GE", "LT", "EQ", "NE")), f"N{random.randrange(3)}", random.choice(("5", "-7", "N4", "T#5s", "16#FF"))))
        elif kind == "t":
            number = random.randrange(1000)
            found.append(random.choice((timer("TON", f"T{number}", "T#1s"), counter(f"C{number}", "3", series(*random_parts(random, 3))))))
        else:
            found.append(either(*(series(*random_parts(random, depth + 1)) for _ in range(random.randint(2, 3)))))
    return found


def random_ends(random: Random) -> list[Part]:
    """What a rung does."""
    ends = [coil(f"Y{n}", random.choice(list(CoilKind))) for n in range(random.randint(0, 3))]
    return ends or [random.choice((jump("End"), leave(), call("MOVE", ("IN", "5"), out="N1"), call("ADD", ("IN1", "N1"), ("IN2", "1"), out="N1")))]


class Written(unittest.TestCase):
    """From rungs to lines and back."""

    def test_every_rung_of_the_shipped_programs_has_a_line_that_does_the_same(self) -> None:
        count = 0
        for case in cases().values():
            for pou, body in bodies(read_program(case.program).value):
                if body.language != "LD":
                    continue
                for rung in body.rungs:
                    with self.subTest(case=case.name, pou=pou.name, rung=rung.number):
                        again = drawn(body, rung.number, read_line(written_line(rung)).parts, "", True)
                        self.assertEqual(keys(again), keys(body))
                        self.assertEqual([r.comment for r in again.rungs], [r.comment for r in body.rungs])
                        self.assertEqual([r.labels for r in again.rungs], [r.labels for r in body.rungs])
                        count += 1
        self.assertGreater(count, 250)

    def test_random_programs_run_the_same_with_their_rungs_replaced_by_their_lines(self) -> None:
        replaced = left = 0
        for seed in range(14):
            random = Random(seed)
            program, profile = random_case(random)
            log = random_log(random, Controller(program, profile).running)
            changed = program
            for pou, body in bodies(program):
                for number in range(1, len(body.rungs) + 1) if body.language == "LD" else ():
                    try:
                        line = read_line(written_line(body.rungs[number - 1]))
                    except (NoLine, ValueError):
                        left += 1
                        continue
                    body = drawn(body, number, line.parts, "", True)
                    replaced += 1
                changed = with_body(changed, pou, body)
            with self.subTest(seed=seed):
                self.assertEqual(course(changed, profile, log), course(program, profile, log))
        self.assertGreater(replaced, 100)
        self.assertLess(left, replaced)

    def test_random_rungs_come_back_as_they_were(self) -> None:
        random = Random(datetime.date.today().toordinal())
        for n in range(150):
            ladder = Ladder()
            ladder.rung(*random_parts(random), *random_ends(random))
            body = ladder.body()
            try:
                text = written_line(body.rungs[0])
            except NoLine as why:
                self.assertIn("around contacts", str(why))  # two equal branches are one path
                continue
            with self.subTest(n=n, line=text):
                again = drawn(body, 1, read_line(text).parts, "", True)
                self.assertEqual(keys(again), keys(body))
                self.assertEqual(written_line(again.rungs[0]), text)

    def test_a_rung_is_put_in_where_it_was_asked_for(self) -> None:
        for name in ("bridge", "kiln", "weir"):
            pou, body = bodies(read_program(cases()[name].program).value)[0]
            for number in range(len(body.rungs) + 1):
                with self.subTest(case=name, number=number):
                    wider = drawn(body, number, read_line("Own_1 [Own_2 | /Own_3 Own_4] (Own_5)").parts, "Own_Label", False)
                    self.assertEqual(keys(wider)[:number] + keys(wider)[number + 1:], keys(body))
                    fresh = wider.rungs[number]
                    self.assertEqual((written_line(fresh), fresh.labels), ("Own_1 [Own_2 | /Own_3 Own_4] (Own_5)", ("own_label",)))
                    others = [r for r in wider.rungs if r.number != number + 1]
                    self.assertEqual([r.comment for r in others], [r.comment for r in body.rungs], pou.name)
                    self.assertEqual([r.labels for r in others], [r.labels for r in body.rungs])

    def test_what_is_written_is_read_as_it_says(self) -> None:
        line = read_line("Sub: ^Start ~Done [A /B | N <> 5] T1:TON(/IN, PT := T#2s) C1:CTU(R := [Back /Lock], PV := 3) (S Out) (/Other) -> Sub")
        self.assertEqual(line.label, "Sub")
        self.assertEqual(line.bits, ("Start", "Done", "A", "B", "Back", "Lock", "Out", "Other"))
        self.assertEqual((line.values, line.blocks), ((("N", ("5",)),), (("T1", "TON"), ("C1", "CTU"))))
        ladder = Ladder()
        ladder.rung(*line.parts)
        elements = ladder.body().elements
        contacts = {e.variable: e.kind for e in elements if isinstance(e, Contact)}
        self.assertEqual([contacts[n] for n in ("Start", "Done", "A", "B")],
                         [ContactKind.RISING, ContactKind.FALLING, ContactKind.NORMALLY_OPEN, ContactKind.NORMALLY_CLOSED])
        timers = next(e for e in elements if isinstance(e, Block) and e.instance == "T1")
        self.assertEqual([(p.name, p.negated) for p in timers.inputs], [("IN", True), ("PT", False)])


class Comparisons(unittest.TestCase):
    """Between two values they are conditions like contacts, wherever they stand in the line."""

    def test_a_comparison_in_series_never_lets_an_older_result_pass(self) -> None:
        # Whatever the line: Y0 is what the sentence of contacts and comparisons says, in every scan.
        lines = {"X0 N1 < 5 (Y0)": lambda x, n: x[0] and n < 5, "X0 X1 N1 < 5 N1 > 2 (Y0)": lambda x, n: x[0] and x[1] and 2 < n < 5,
                 "X0 [N1 < 5 | /X1] (Y0)": lambda x, n: x[0] and (n < 5 or not x[1]), "[X0 N1 >= 3 | X1 [N1 = 1 X0 | N1 = 2]] /X2 (Y0)":
                 lambda x, n: ((x[0] and n >= 3) or (x[1] and ((n == 1 and x[0]) or n == 2))) and not x[2]}
        for seed, (text, says) in enumerate(lines.items()):
            random = Random(seed)
            ladder = Ladder()
            ladder.rung(*read_line(text).parts)
            program = program_with({"Main": ladder.body()}, "X0 X1 X2 N1 Y0")
            now, rows, wanted = {"X0": 0, "X1": 0, "X2": 0, "N1": 0}, [(0, t, 0) for t in ("X0", "X1", "X2", "N1")], []
            for scan in range(2, 200):
                name = random.choice(list(now))
                now[name] = random.randrange(7) if name == "N1" else 1 - now[name]
                rows.append((scan * 10, name, now[name]))
                wanted.append(bool(says([now["X0"], now["X1"], now["X2"]], now["N1"])))
            session = session_of(program, rows)
            found = [bool(session.journal.settled(session.tag("Y0"), scan + 1)) for scan in range(2, 200)]
            with self.subTest(text):
                self.assertEqual(found, wanted)
                self.assertIn(True, found)

    def test_behind_a_block_it_is_refused_and_as_a_call_it_stays_where_it_is(self) -> None:
        with self.assertRaises(ValueError) as caught:
            read_line("A T1:TON(PT := T#1s) N > 5 (B)")
        self.assertIn("behind T1", str(caught.exception))
        ladder = Ladder()
        ladder.rung(*read_line("A GT(N, 5) (B)").parts)
        self.assertEqual(written_line(ladder.body().rungs[0]), "A GT(IN1 := N, IN2 := 5) (B)")


class Refused(unittest.TestCase):
    """Lines that are none."""

    def test_one_sentence_says_what_is_wrong_and_where(self) -> None:
        for text, said in (("A B", "does nothing"), ("A [B | C (D)", "a bracket [ is not closed"), ("A [B] (C)", "at least two paths"), ("A ) (B)", "') (B)' (column 3)"),
                           ("A (S B C)", "(column 8)"), ("A (X B)", "is no coil"), ("TON(PT := T#5s) (A)", "needs a name of its own"), ("A T1:TON(T#5s) (B)", "its pins are named"),
                           ("A ADD(IN1 := B, 5) (C)", "either every pin is named"), ("", "ends too early"), ("A T1:TON(/PT) (B)", "before a pin with a value")):
            with self.subTest(text), self.assertRaises(ValueError) as caught:
                read_line(text)
            self.assertIn(said, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))

    def test_noise_is_read_or_refused(self) -> None:
        random = Random(datetime.date.today().toordinal())
        words = ["A", "/", "B", "[", "]", "|", "(", ")", "S", "^", "~", "->", "<-", "<", ">=", "5", "T#5s", "T1:", "TON(", "PT :=", ",", "=>", "'x'", "%IX0.1", "N[3]", "_", "#", "\n", "é", ":"]
        read = 0
        for _ in range(3000):
            text = " ".join(random.choice(words) for _ in range(random.randint(0, 9)))
            try:
                read_line(text)
                read += 1
            except ValueError as error:
                self.assertTrue(str(error))
        self.assertGreater(read, 5)


if __name__ == "__main__":
    unittest.main()
