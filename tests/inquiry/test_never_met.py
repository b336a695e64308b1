"""Comparisons that never hold: what is said so never does in any replay, however the number is written; and what a person would name is named."""

from __future__ import annotations

import unittest
from operator import eq, ge, gt, le, lt
from random import Random

import numpy as np

from tests.texts import text_session
from whorlograph.desk.checking import check
from whorlograph.desk.session import Session
from whorlograph.model.literals import cooked

CODES = {"=": eq, ">": gt, ">=": ge, "<": lt, "<=": le}
DECLARED = "I : INT{}; Q : ARRAY[0..2] OF INT; V : ARRAY[0..2] OF INT; Bits AT %MW8 : WORD; Low AT %MB16 : BYTE;"
BEFORE = "FUNCTION Up : BOOL VAR_IN_OUT Z : INT; END_VAR Z := Z + 1; Up := TRUE; END_FUNCTION"


def said(session: Session) -> list[str]:
    """The sentences."""
    return [f.text for f in check(session) if f.key == "never-met"]


class NeverMet(unittest.TestCase):
    """Random programs against all that their tags ever were."""

    def test_what_is_said_never_to_hold_never_does(self) -> None:
        named = others = 0
        for seed in range(80):
            chance = Random(seed)
            number = lambda: chance.randint(0, 4)  # noqa: E731, B023
            writes = chance.sample([
                f"IF X1 THEN I := {number()}; END_IF;", f"IF X2 THEN I := {number()}; ELSE I := {number()}; END_IF;", f"IF X1 THEN Q[{number() % 3}] := {number()}; END_IF;",
                f"CASE I OF {number()}: I := {number()}; END_CASE;", f"Bits := {number()};", f"IF X2 THEN Low := {number()}; END_IF;",
                *chance.sample(["I := I + 1;", "Q[ABS(N1) MOD 3] := 3;", "Q := V;", "V[1] := 2;", "Bits.%X1 := X1;", "Y1 := Up(Z := I);", "Y1 := Up(Z := Q[2]);", "I := N1;"], 2)],
                k=chance.randint(1, 5))
            asked = [(tag, code, value) for tag in chance.sample(["I", "Q[0]", "Q[1]", "Q[2]", "Bits", "Low"], 3)
                     for code, value in [(chance.choice(list(CODES)), number())]]
            body = "\n".join([*writes, *(f"Y{n % 2 + 1} := {tag} {code} {value};" for n, (tag, code, value) in enumerate(asked))])
            rows = [(t, name, chance.randint(-2, 9) if name == "N1" else chance.randint(0, 1)) for t in range(0, 400, 20) for name in ("X1", "X2", "N1")]
            session = text_session(body, rows, DECLARED.format(chance.choice(["", " := 2"])), BEFORE)
            texts = said(session)
            for tag, code, value in asked:
                one = next(t for t in session.running.tags if t.name.lower().endswith(f".{tag.lower()}"))
                if not any(f"compares {one.name} with {value}," in text for text in texts):
                    others += 1
                    continue
                named += 1
                if any((t, v) == (tag, value) and c != code for t, c, v in asked):
                    continue  # which of the two is meant is not told apart here
                journal = session.journal
                seen = {cooked(int(journal.settled(one.index, scan)), one.type) for scan in np.arange(journal.clock.last + 1).tolist()}
                with self.subTest(seed=seed, body=body):
                    self.assertFalse([v for v in seen if CODES[code](v, value)], f"{tag} {code} {value}: {texts}")
        self.assertGreater(named, 14)
        self.assertGreater(others, 120)

    def test_what_a_person_would_name(self) -> None:
        for body, count in (("IF X1 THEN I := 0; END_IF;\nY1 := I >= 2;", 1), ("IF X1 THEN I := 0; END_IF;\nY1 := 2 <= I;", 1),
                            ("IF X1 THEN I := I + 1; END_IF;\nY1 := I >= 2;", 0), ("IF X1 THEN I := 1; END_IF;\nY1 := I > 1;", 0),
                            ("IF X1 THEN I := 1; END_IF;\nY1 := I = 2;", 1), ("IF X1 THEN I := 1; END_IF;\nCASE I OF 0: Y1 := X2; 3: Y1 := X1; END_CASE;", 1),
                            ("IF X1 THEN I := 1; END_IF;\nY1 := I <> 2;", 0), ("Y1 := I = 2;", 0), ("IF X1 THEN I := 1; END_IF;\nY1 := I = 0;", 0),
                            ("IF X1 THEN I := 0; END_IF;\nY1 := Up(Z := I);\nY2 := I >= 2;", 0), ("N1 := 0;\nY1 := N1 = 2;", 0)):
            rows = [(0, "X1", 0), (200, "X1", 1), (300, "N1", 2)]
            with self.subTest(body=body):
                self.assertEqual(len(said(text_session(body, rows, DECLARED.format(""), BEFORE))), count)


if __name__ == "__main__":
    unittest.main()
