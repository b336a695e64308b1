"""Bits of words asked about by name or address: tags of their own, which change exactly when the word's bit does."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from random import Random

from tests.building import course_of
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.needing import Needed, ways_text
from whorlograph.desk.session import Paths, Session, load
from whorlograph.model.errors import UsageError

TEXT = """PROGRAM Main
VAR A AT %IX0.0 : BOOL; B AT %IX0.1 : BOOL; S AT %IW2 : WORD; Cmd AT %QW4 : WORD; Num AT %QW6 : INT; Far AT %MD8 : DWORD; Own : WORD; T AT %MD16 : TIME; END_VAR
Cmd.3 := A AND NOT B;
IF B THEN Cmd.9 := TRUE; END_IF;
IF NOT A THEN Cmd.9 := FALSE; END_IF;
Num := WORD_TO_INT(SHL(S, 3)) - 7;
Far := SHL(WORD_TO_DWORD(S), 12) OR 16#5;
Own := S; T := T#5ms;
END_PROGRAM
"""


class BitTags(unittest.TestCase):
    """One program with words at outputs and in memory."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.program, self.log, self.profile = (Path(folder.name) / name for name in ("p.st", "l.csv", "p.toml"))
        self.program.write_text(TEXT)
        chance = Random(7)
        rows = [(t / 10, n, chance.getrandbits(12) if n == "S" else chance.getrandbits(1)) for t in range(60) for n in ("A", "B", "S") if t == 0 or chance.random() < 0.5]
        self.log.write_text("time,tag,value\n" + "".join(f"{t},{n},{v}\n" for t, n, v in rows))

    def session(self, asked: str, addressing: str = "byte") -> Session:
        self.profile.write_text(f'addressing = "{addressing}"\n')
        return load(Paths(self.program, (self.log,), profile=self.profile), asked=asked)

    def test_it_changes_when_the_word_s_bit_does(self) -> None:
        for name, word, bit in (("Cmd.3", "main.cmd", 3), ("main.cmd.%X9", "main.cmd", 9), ("Num.10", "main.num", 10), ("Num.4", "main.num", 4), ("Far.20", "main.far", 20)):
            for addressing in ("byte", "element"):
                session = self.session(name, addressing)
                tag = session.running.tags[session.tag(f"{session.running.tags[session.running.by_name[word]].name}.{bit}")]
                changes, before = [], 0
                for scan, value in course_of(session.journal, session.controller, word):
                    if value >> bit & 1 != before:
                        before = value >> bit & 1
                        changes.append((scan, before))
                self.assertEqual(course_of(session.journal, session.controller, tag.name), changes, (name, addressing))
                self.assertGreater(len(changes), 3)

    def test_by_address(self) -> None:
        for asked, addressing, other in (("%QX4.3", "byte", "Cmd.3"), ("%QX5.1", "byte", "Cmd.9"), ("%QX9.1", "element", "Cmd.9")):
            session, by_name = self.session(asked, addressing), self.session(other, addressing)
            self.assertEqual(course_of(session.journal, session.controller, asked), course_of(by_name.journal, by_name.controller, f"Main.{other}"), asked)
            self.assertIsNotNone(session.running.find(asked))

    def test_questions(self) -> None:
        session = self.session("Cmd.3")
        answer = ask(session, "Main.Cmd.3")
        prove_all(session, answer)
        roots = [(session.running.tags[r.tag or 0].name, r.proved) for r in answer.roots]
        self.assertTrue({name for name, _ in roots} <= {"Main.A", "Main.B"} and roots[0][1], (answer.symptom, roots))
        needs = ways_text(Needed(session, session.tag("Main.Cmd.3"), "", False))
        self.assertIn("comes on in 1 way", needs)
        self.assertTrue("Main.A on" in needs and "Main.B off" in needs, needs)

    def test_what_is_none(self) -> None:
        for asked, why in (("Cmd.16", "has no bit 16"), ("Own.3", "lies at no address"), ("S.2", "is an input"), ("T.1", "has no bit 1")):
            with self.assertRaises(UsageError) as caught:
                self.session(asked)
            self.assertIn(why, str(caught.exception))
        for asked in ("Nothing.3", "%QX7.77.1", "%IX2.0", "A", "Main.Cmd", ""):
            self.assertEqual(len(self.session(asked).running.tags), len(self.session("").running.tags), asked)


if __name__ == "__main__":
    unittest.main()
