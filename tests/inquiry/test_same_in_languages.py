"""One circuit drawn in ladder, written as text and as an instruction list: the same question has the same roots, with the same proofs."""

from __future__ import annotations

import os
import unittest
from pathlib import Path
from random import Random

from msgspec import Struct

from tests.building import Rows, log_of, program_of
from tests.inquiry.test_everyday import Asked, asked
from tests.texts import text_session
from whorlograph.desk.asking import answer_to, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.iolist import IoList
from whorlograph.model.parts import Ladder, Part, coil, counter, either, nc, no, reset, set_, timer
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program
from whorlograph.model.question import Question, RootKind, Symptom

INPUTS = tuple(f"X{i}" for i in range(1, 9))
SECONDS = 6
Contact = tuple[str, bool]  # a tag, and whether it is asked to be off
Condition = list[list[Contact]]  # all of some groups, of each one


class Circuit(Struct, frozen=True):
    """What one rung does: ``kind`` a coil's, or the type of a block, which has a name, a number and, of a counter, a reset."""

    kind: str
    target: str
    condition: Condition
    block: str = ""
    number: int = 0
    back: Contact = ("", False)


class Made(Struct):
    """Circuits of everyday kinds, with the tags and blocks that they need."""

    random: Random
    circuits: list[Circuit] = []
    bits: list[str] = []
    outputs: list[str] = []
    blocks: list[tuple[str, str]] = []

    def contacts(self, least: int, most: int, fresh: bool = False) -> list[Contact]:
        """Contacts of tags of which none is another."""
        known = list(INPUTS) if fresh else [*INPUTS, *self.bits[-6:]]
        return [(name, self.random.random() < 0.35) for name in self.random.sample(known, self.random.randint(least, most))]

    def target(self) -> str:
        """The tag of a new coil."""
        names, letter = (self.outputs, "Y") if self.random.random() < 0.4 else (self.bits, "M")
        names.append(f"{letter}{len(names)}")
        return names[-1]

    def add(self) -> None:
        """One circuit, of a latch two."""
        kind = self.random.choice(("seal", "coil", "latch", "TON", "TOF", "TP", "CTU"))
        if kind == "seal":
            start, *stops = self.contacts(2, 4)
            name = self.target()
            self.circuits.append(Circuit("coil", name, [[start, (name, False)], *([one] for one in stops)]))
        elif kind == "coil":
            one, *more = self.contacts(2, 5)
            groups = [[one, more.pop()]] if len(more) > 1 else [[one]]
            self.circuits.append(Circuit("coil", self.target(), [*groups, *([c] for c in more)]))
        elif kind == "latch":
            both = [[[c] for c in self.contacts(1, 2)] for _ in range(2)]
            name = self.target()
            pair = [Circuit(k, name, condition) for k, condition in zip(("set", "reset"), both, strict=True)]
            self.circuits += pair if self.random.random() < 0.7 else pair[::-1]
        else:
            block = f"B{len(self.blocks)}"
            self.blocks.append((block, kind))
            condition = [[c] for c in self.contacts(1, 1 if kind == "CTU" else 2)]
            number = self.random.randint(1, 3) if kind == "CTU" else self.random.choice((50, 100, 300, 1000))
            self.circuits.append(Circuit(kind, self.target(), condition, block, number, self.contacts(1, 1)[0]))

    @property
    def tags(self) -> list[str]:
        """All tags."""
        return [*INPUTS, *self.bits, *self.outputs]

    def ladder(self) -> Program:
        """Drawn."""
        def draw(ladder: Ladder) -> None:
            for one in self.circuits:
                parts = [either(*map(_part, group)) if len(group) > 1 else _part(group[0]) for group in one.condition]
                if one.block:
                    last = counter(one.block, str(one.number), _part(one.back)) if one.kind == "CTU" else timer(one.kind, one.block, f"T#{one.number}ms")
                    ladder.rung(*parts, last, coil(one.target))
                else:
                    ladder.rung(*parts, {"coil": coil, "set": set_, "reset": reset}[one.kind](one.target))
        return program_of(draw, " ".join(self.tags), " ".join(f"{name}:{kind}" for name, kind in self.blocks))

    def written(self, lines: list[str], runs: str = "PROGRAM Main : Main;", tags: str = "") -> Program:
        """A program of lines of a body. Args: runs: how its resource runs it; tags: declared besides."""
        places = [f"{name} AT %{'I' if name in INPUTS else 'Q'}X{i // 8}.{i % 8} : BOOL;"
                  for names in (INPUTS, self.outputs) for i, name in enumerate(names)]
        body = "\n".join(lines)
        local = " ".join(f"{name} : {kind};" for name, kind in self.blocks)
        text = (f"PROGRAM Main\nVAR_EXTERNAL {', '.join(self.tags)} : BOOL; END_VAR\nVAR {local} END_VAR\n{body}\nEND_PROGRAM\nCONFIGURATION C VAR_GLOBAL "
                f"{tags} {' '.join(places)} {' '.join(f'{m} : BOOL;' for m in self.bits)} END_VAR RESOURCE R ON P {runs} END_RESOURCE END_CONFIGURATION\n")
        loaded = read(text.encode(), Path("x.st"))
        assert not loaded.notices, (text, [str(n) for n in loaded.notices])
        return loaded.value

    def rows(self) -> Rows:
        """Each input in a rhythm of its own."""
        rows: list[tuple[int, str, int]] = []
        for name in INPUTS:
            value, time, pace = self.random.randint(0, 1), 0, self.random.choice((300, 1500, 4000, 12_000))
            while time < SECONDS * 1000:
                rows.append((time, name, value))
                time, value = time + 40 + int(self.random.expovariate(1 / pace)), 1 - value
        return rows


def _part(contact: Contact) -> Part:
    return (nc if contact[1] else no)(contact[0])


def _word(contact: Contact) -> str:
    return f"{'NOT ' if contact[1] else ''}{contact[0]}"


def text_of(one: Circuit) -> list[str]:
    """A circuit as statements."""
    on = " AND ".join(f"({' OR '.join(map(_word, group))})" if len(group) > 1 else _word(group[0]) for group in one.condition)
    if one.kind in ("set", "reset"):
        return [f"IF {on} THEN {one.target} := {'TRUE' if one.kind == 'set' else 'FALSE'}; END_IF;"]
    if not one.block:
        return [f"{one.target} := {on};"]
    pins = f"CU := {on}, R := {_word(one.back)}, PV := {one.number}" if one.kind == "CTU" else f"IN := {on}, PT := T#{one.number}ms"
    return [f"{one.block}({pins});", f"{one.target} := {one.block}.Q;"]


def list_of(one: Circuit) -> list[str]:
    """A circuit as instructions; what is an alternative comes first."""
    lines = []
    for i, group in enumerate(one.condition):
        for k, (name, off) in enumerate(group):
            lines.append(f"{('AND' if i else 'LD') if not k else 'OR'}{'N' if off else ''} {name}")
    if not one.block:
        return [*lines, f"{ {'coil': 'ST', 'set': 'S', 'reset': 'R'}[one.kind]} {one.target}"]
    if one.kind == "CTU":
        name, off = one.back
        lines += [f"ST {one.block}.CU", f"LD{'N' if off else ''} {name}", f"ST {one.block}.R", f"CAL {one.block}(PV := {one.number})"]
    else:
        lines += [f"ST {one.block}.IN", f"CAL {one.block}(PT := T#{one.number}ms)"]
    return [*lines, f"LD {one.block}.Q", f"ST {one.target}"]


def answer_of(program: Program, rows: Rows, tag: str, at: int) -> tuple[Symptom, list[tuple[str, object, bool | None]]]:
    """The symptom, and the roots in order."""
    controller = Controller(program, Profile(scan_time=10_000_000))
    session = Session(controller, log_of(controller, rows, SECONDS * 1000), IoList({}), [], Paths(Path("x")))
    answer = answer_to(session, Question(session.running.by_name[tag.lower()], at))
    prove_all(session, answer)
    # A defect shows at a coil here and at the pin that a list writes there.
    names = [session.running.tags[r.tag].name if r.tag is not None and r.kind is not RootKind.PROGRAM else r.kind.value for r in answer.roots]
    return answer.symptom, [(name, r.value, r.proved) for name, r in zip(names, answer.roots, strict=True)]


class SameInLanguages(unittest.TestCase):
    def test_the_same_roots(self) -> None:
        for seed in range(int(os.environ.get("WHORLOGRAPH_CASES", "12"))):
            made = Made(Random(seed))
            for _ in range(made.random.randint(4, 10)):
                made.add()
            programs = {"ladder": made.ladder(), "text": made.written([line for one in made.circuits for line in text_of(one)]),
                        "list": made.written([line for one in made.circuits for line in list_of(one)])}
            rows, written = made.rows(), [*made.bits, *made.outputs]
            for tag in made.random.sample(written, min(2, len(written))):
                at = made.random.randrange(SECONDS * 1_000_000_000)
                drawn = answer_of(programs["ladder"], rows, tag, at)
                for language in ("text", "list"):
                    with self.subTest(seed=seed, tag=tag, at=at, language=language):
                        other = answer_of(programs[language], rows, tag, at)
                        self.assertEqual(other[0], drawn[0])
                        self.assertEqual(other[1][:1], drawn[1][:1])
                        self.assertEqual(set(other[1]), set(drawn[1]))


class InsideABlock(unittest.TestCase):
    """A circuit in a block of the file's own, its inputs handed in and its output handed out: as if it stood outside."""

    UNIT = ("FUNCTION_BLOCK Unit VAR_INPUT P, Q, O : BOOL; END_VAR VAR_OUTPUT Out : BOOL; END_VAR VAR T1 : TON; END_VAR\n{}\nEND_FUNCTION_BLOCK\n")
    CALL = "Part(P := X1, Q := X2, O := X3); Y1 := Part.Out;"

    def on(self, body: str, rows: list[tuple[int, str, int]], symptom: Symptom) -> Asked:
        session = text_session(self.CALL, [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), *rows], "Part : Unit;", self.UNIT.format(body))
        return asked(session, "Y1", symptom=symptom)

    def test_each_contact_that_keeps_it_on_is_named_what_completed_the_path_first(self) -> None:
        found = self.on("Out := P AND NOT Q AND O;", [(500, "X3", 1), (1000, "X1", 1), (3000, "N1", 1)], Symptom.WILL_NOT_DROP_OUT)
        self.assertEqual([r[1:] for r in found.roots], [("X1", True), ("X3", True), ("X2", True)], found.text)

    def test_an_attempt_is_the_inputs(self) -> None:
        found = self.on("T1(IN := NOT P AND NOT Q, PT := T#1s); Out := T1.Q;", [(0, "X1", 1), (0, "X2", 1), (1000, "X1", 0), (3000, "N1", 1)],
                        Symptom.WILL_NOT_PULL_IN)
        self.assertIn("tried once, at 1.000 s: X1 off, and still is", found.answer.text)
        self.assertEqual(found.roots[0][1:], ("X2", True), found.text)


if __name__ == "__main__":
    unittest.main()
