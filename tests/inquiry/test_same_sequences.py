"""One sequence as a CASE, as single IFs and as a chart: the same question has the same roots, with the same proofs."""

from __future__ import annotations

import os
import unittest
from pathlib import Path
from random import Random

from msgspec import Struct, field

from tests.building import Rows
from tests.inquiry.test_everyday import Asked, asked
from tests.inquiry.test_same_in_languages import Contact, answer_of
from tests.texts import text_session
from whorlograph.formats.programs.st import read
from whorlograph.model.program import Program
from whorlograph.model.question import RootKind, Symptom

INPUTS = [f"X{i}" for i in range(1, 9)]
END = 12_000  # ms


def _words(conditions: list[Contact]) -> str:
    return " AND ".join(f"{'NOT ' if off else ''}{name}" for name, off in conditions)


class Sequence(Struct):
    """Steps in a ring: by step what it waits for; ``guard``: what each output asks for besides."""

    random: Random
    leaves: list[list[Contact]] = field(default_factory=list)
    guard: list[Contact] = field(default_factory=list)
    rows: list[tuple[int, str, int]] = field(default_factory=list)
    state: dict[str, int] = field(default_factory=dict)

    def make(self) -> None:
        """Its conditions, and a log in which they come one after another, until perhaps one does not."""
        random, names = self.random, self.random.sample(INPUTS, 8)
        count = random.randint(3, 6)
        for i in range(count):
            more = [(random.choice(names[count:]), random.random() < 0.5)] if random.random() < 0.3 else []
            self.leaves.append([(names[i], random.random() < 0.2), *more])
        self.guard = [(names[-1], random.random() < 0.5)] if random.random() < 0.5 else []
        for name in names:
            self.put(0, name, False)
        for (name, off), *more in self.leaves:
            self.put(0, name, off)
            for other, low in more:
                self.put(0, other, not low)
        for name, off in self.guard:
            self.put(0, name, not off)
        self.run(random.randint(1, 4) * count + random.randrange(count))

    def put(self, time: int, name: str, on: bool) -> None:
        """A row, where it is a change."""
        if self.state.get(name) != int(on):
            self.state[name] = int(on)
            self.rows.append((time, name, int(on)))

    def run(self, stuck: int) -> None:
        """Each condition for a moment. Args: stuck: in which step, counted on, something else happens."""
        time, random = 50, self.random
        for n in range(1000):
            (name, off), *more = self.leaves[n % len(self.leaves)]
            stays, how = random.randint(80, 900), random.choice(("never", "other", "guard")) if n == stuck else ""
            if time + stays > END or how == "never":
                break
            if how == "other" and more:
                self.put(time + stays // 2, more[0][0], more[0][1])
            self.put(time + stays, name, not off)
            self.put(time + stays + random.choice((20, 60, 150)), name, off)
            if how == "guard" and self.guard:
                self.put(time + stays + 180, self.guard[0][0], self.guard[0][1])
            if how == "other":
                break
            time += stays + 200

    def outputs(self, of: str) -> str:
        """What each step but the first switches. Args: of: how a step is asked for."""
        guard = f" AND {_words(self.guard)}" if self.guard else ""
        return "\n".join(f"Y{i} := {of.format(i)}{guard};" for i in range(1, len(self.leaves)))

    def file(self, programs: str, tags: str, runs: str) -> Program:
        """A program of POUs. Args: tags: besides inputs and outputs."""
        places = " ".join(f"{n} AT %{a}X0.{i} : BOOL;" for a, names in (("I", INPUTS), ("Q", [f"Y{i}" for i in range(1, 7)])) for i, n in enumerate(names))
        loaded = read(f"{programs}CONFIGURATION C VAR_GLOBAL {places} {tags} END_VAR RESOURCE R ON P {runs} END_RESOURCE END_CONFIGURATION\n".encode(), Path("x.st"))
        assert not loaded.notices, [str(n) for n in loaded.notices]
        return loaded.value

    def stepped(self, body: str) -> Program:
        """With a step number."""
        head = f"VAR_EXTERNAL {', '.join(INPUTS)}, {', '.join(f'Y{i}' for i in range(1, 7))} : BOOL; S : INT; END_VAR\n"
        return self.file(f"PROGRAM Main\n{head}{body}\n{self.outputs('(S = {}0)')}\nEND_PROGRAM\n", "S : INT;", "PROGRAM Main : Main;")

    def case(self) -> Program:
        """As branches of a CASE."""
        count = len(self.leaves)
        return self.stepped("CASE S OF\n" + "\n".join(f"{i}0: IF {_words(c)} THEN S := {(i + 1) % count}0; END_IF;" for i, c in enumerate(self.leaves)) + "\nEND_CASE;")

    def ifs(self) -> Program:
        """Each step an IF of its own, the last first: one step in a scan."""
        ways = [f"IF S = {i}0 AND {_words(c)} THEN S := {(i + 1) % len(self.leaves)}0; END_IF;" for i, c in enumerate(self.leaves)]
        return self.stepped("\n".join(reversed(ways)))

    def chart(self) -> Program:
        """As a chart, whose steps switch memories."""
        count = len(self.leaves)
        flags = ", ".join(f"F{i}" for i in range(count))
        steps = "\n".join(f"{'STEP' if i else 'INITIAL_STEP'} Z{i}: F{i}(N); END_STEP" for i in range(count))
        ways = "\n".join(f"TRANSITION FROM Z{i} TO Z{(i + 1) % count} := {_words(c)}; END_TRANSITION" for i, c in enumerate(self.leaves))
        head = f"VAR_EXTERNAL {', '.join(INPUTS)}, {flags}, {', '.join(f'Y{i}' for i in range(1, 7))} : BOOL; END_VAR\n"
        pous = f"PROGRAM Seq\n{head}{steps}\n{ways}\nEND_PROGRAM\nPROGRAM Outs\n{head}{self.outputs('F{}')}\nEND_PROGRAM\n"
        return self.file(pous, f"{flags} : BOOL;", "PROGRAM Seq : Seq; PROGRAM Outs : Outs;")


class SameSequences(unittest.TestCase):
    def test_the_same_roots(self) -> None:
        for seed in range(int(os.environ.get("WHORLOGRAPH_CASES", "10"))):
            made = Sequence(Random(seed))
            made.make()
            rows = sorted(made.rows, key=lambda r: r[0])
            forms = {"case": made.case(), "ifs": made.ifs(), "chart": made.chart()}
            tag, at = f"Y{made.random.randint(1, len(made.leaves) - 1)}", made.random.randrange(END * 1_000_000)
            answers = {name: answer_of(program, [*rows, (END, rows[-1][1], rows[-1][2])], tag, at) for name, program in forms.items()}
            first = answers["case"]
            for name in ("ifs", "chart"):
                with self.subTest(seed=seed, tag=tag, at=at, form=name):
                    self.assertEqual(answers[name][0], first[0])
                    self.assertEqual(answers[name][1][:1], first[1][:1], (answers[name], first))


class Memories(unittest.TestCase):
    """Steps that are memories, each set by the one before, which it takes back."""

    BODY = ("IF NOT B0 THEN S0 := TRUE; B0 := TRUE; END_IF; IF S2 AND X3 THEN S0 := TRUE; S2 := FALSE; END_IF; "
            "IF S1 AND X2 THEN S2 := TRUE; S1 := FALSE; END_IF; IF S0 AND X1 THEN S1 := TRUE; S0 := FALSE; END_IF; Y1 := S2;")

    def on(self, rows: Rows) -> Asked:
        return asked(text_session(self.BODY, [*((0, f"X{i}", 0) for i in (1, 2, 3)), *rows], "B0, S0, S1, S2 : BOOL;"), "Y1", symptom=Symptom.WILL_NOT_PULL_IN)

    def test_what_the_step_before_waits_for_leads(self) -> None:
        found = self.on([(9000, "X3", 0)])
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X2", True)], found.text)

    def test_what_the_first_scan_sets_is_no_defect(self) -> None:
        laps = [(t, f"X{i}", v) for n in range(3) for i in (1, 2, 3) for t, v in ((1000 + 1500 * n + 400 * i, 1), (1100 + 1500 * n + 400 * i, 0))]
        found = self.on([*laps, (9000, "X3", 0)])
        self.assertNotIn(RootKind.PROGRAM.value, [r[0] for r in found.roots], found.text)
        self.assertEqual(found.roots[0][1], "X1", found.text)


class OneScan(unittest.TestCase):
    def test_a_step_that_is_left_at_once_leads_to_what_stood_already(self) -> None:
        body = "CASE P OF 0: IF X2 THEN P := 10; END_IF; 10: IF X1 THEN P := 20; END_IF; 20: IF X3 THEN P := 0; END_IF; END_CASE; Y1 := P = 10;"
        rows = [(0, "X1", 1), (0, "X2", 0), (0, "X3", 0), (2000, "X2", 1), (4000, "X2", 0)]
        found = asked(text_session(body, rows, "P : INT;"), "Y1", symptom=Symptom.DROPPED_OUT)
        self.assertEqual(found.roots[0], ("field-input", "X1", True), found.text)


class OneInstant(unittest.TestCase):
    def test_of_rows_of_one_instant_the_last_holds(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 0), (1001, "X1", 1), (1001, "X1", 0), (3000, "X2", 0)]
        found = asked(text_session("IF X1 THEN Y1 := TRUE; END_IF; IF X2 THEN Y1 := FALSE; END_IF;", rows), "Y1", symptom=Symptom.WILL_NOT_PULL_IN)
        self.assertNotIn("without being seen", found.text)
        self.assertIn("was never tried", found.answer.text)


if __name__ == "__main__":
    unittest.main()
