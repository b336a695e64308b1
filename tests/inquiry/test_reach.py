"""Between which values an index stays: no array is left by an index that was not said to be unguarded; what is kept within is not said."""

from __future__ import annotations

import unittest
from random import Random

from tests.texts import text_session
from whorlograph.desk.checking import check

DECLARED = "I : INT{}; J : INT; U : USINT; Tab : ARRAY[{}..{}] OF BOOL;"


def random_body(chance: Random, low: int, high: int) -> str:
    """An index that is moved and limited in one of the ways that programs do it, mostly right, and what it chooses."""
    last = high + chance.choice([0, 0, 0, 1, -1])
    moved = chance.choice([
        "IF X1 THEN I := I + 1; END_IF;", f"IF X1 AND I < {last} THEN I := I + 1; END_IF;", f"IF X1 AND I <= {last} THEN I := I + 1; END_IF;",
        f"IF X1 AND I > {low + chance.choice([0, 1])} THEN I := I - 1; END_IF;", f"IF I >= {last} THEN I := {low}; ELSE I := I + 1; END_IF;",
        f"I := (I + {chance.randint(1, 3)}) MOD {last + 1};", f"I := LIMIT({low}, N1, {last});", "I := N1;", f"I := N1 MOD {last + 1};", f"I := ABS(N1) MOD {last + 1};",
        f"IF X1 THEN I := {last}; ELSIF X2 THEN I := {low}; END_IF;", f"I := MIN(MAX(N1, {low}), {last});", f"FOR J := {low} TO {last} DO IF X1 THEN I := J; END_IF; END_FOR;",
        f"IF N1 >= {low} AND N1 <= {last} THEN I := N1; END_IF;", f"IF NOT (N1 < {low}) AND NOT (N1 > {last}) THEN I := N1; END_IF;", "IF X1 THEN I := I + 1; ELSIF X2 THEN I := I - 1; END_IF;",
        f"U := U + 1;\nI := U MOD {last + 1};", f"IF X1 THEN I := I * 2 + 1; END_IF;\nIF I > {last} THEN I := {low}; END_IF;"])
    limited = chance.choice(["", "", f"IF I > {last} THEN I := {low}; END_IF;", f"IF I >= {last + 1} THEN I := {low}; END_IF;", f"IF I = {last + 1} THEN I := {low}; END_IF;",
                             f"IF X2 THEN I := {low}; END_IF;\nIF I > {last} THEN I := {low}; END_IF;", f"IF X2 AND I > {last} THEN I := {low}; END_IF;"])
    used = chance.choice(["Y1 := Tab[I];", "Tab[I] := X2;", f"Y1 := Tab[(I + {chance.randint(0, 3)}) MOD {last + 1}];", f"IF I >= {low} AND I <= {last} THEN Y1 := Tab[I]; END_IF;"])
    lines = [moved, limited, used] if chance.randint(0, 3) else [moved, used, limited]
    return "\n".join(line for line in lines if line)


class Reach(unittest.TestCase):
    """Random programs against what the controller does with them."""

    def test_no_array_is_left_without_a_word(self) -> None:
        halted = silent = 0
        for seed in range(90):
            chance = Random(seed)
            low = chance.choice([0, 0, 1])
            high = chance.randint(3, 6)
            body = random_body(chance, low, high)
            rows = [(t, name, chance.randint(-2, 9) if name == "N1" else chance.randint(0, 1)) for t in range(0, 900, 20) for name in ("X1", "X2", "N1")]
            session = text_session(body, rows, DECLARED.format(chance.choice(["", f" := {low}"]), low, high))
            fault = session.journal.fault
            found = {f.key for f in check(session)} & {"index-not-guarded", "guard-too-high"}
            left = fault is not None and fault.code == "array index"
            with self.subTest(seed=seed, body=body):
                self.assertFalse(left and not found, body)
            halted += left
            silent += not found
        self.assertGreater(halted, 25)
        self.assertGreater(silent, 30)

    def test_what_is_kept_within_is_not_said(self) -> None:
        for body, said in (("IF X1 THEN I := I + 1; END_IF;\nIF I > 5 THEN I := 0; END_IF;\nY1 := Tab[I];", False),
                           ("IF X1 THEN I := I + 1; END_IF;\nY1 := Tab[I];\nIF I > 5 THEN I := 0; END_IF;", True),
                           ("IF X1 THEN I := I + 1; END_IF;\nY1 := Tab[I];\nIF I >= 5 THEN I := 0; END_IF;", False),
                           ("IF X1 THEN I := I + 1; END_IF;\nIF I > 6 THEN I := 0; END_IF;\nY1 := Tab[I];", True),
                           ("IF X2 THEN I := 9; END_IF;\nIF X1 THEN I := I + 1; END_IF;\nIF I = 6 THEN I := 0; END_IF;\nY1 := Tab[I];", True),
                           ("I := (I + 1) MOD 6;\nY1 := Tab[I];", False), ("I := (I + 1) MOD 7;\nY1 := Tab[I];", True),
                           ("Y1 := Tab[N1 MOD 6];", True), ("Y1 := Tab[ABS(N1) MOD 6];", False), ("Y1 := Tab[LIMIT(0, N1, 5)];", False), ("Y1 := Tab[LIMIT(0, N1, 6)];", True),
                           ("IF X1 AND I < 5 THEN I := I + 1; ELSIF X2 AND I > 0 THEN I := I - 1; END_IF;\nY1 := Tab[I];", False),
                           ("IF X1 AND I < 5 THEN I := I + 1; ELSIF X2 THEN I := I - 1; END_IF;\nY1 := Tab[I];", True)):
            session = text_session(body, [], DECLARED.format("", 0, 5))
            self.assertEqual(any(f.key == "index-not-guarded" for f in check(session)), said, body)

    def test_everywhere_an_element_is_named(self) -> None:
        """Conditions, what is handed over, whole structures, functions, elements that choose elements."""
        before = ("TYPE Row : STRUCT w : INT; END_STRUCT; END_TYPE\nFUNCTION Pick : BOOL\nVAR_INPUT t : ARRAY[0..5] OF BOOL; n : INT; END_VAR\nPick := t[n];\nEND_FUNCTION\n"
                  "FUNCTION_BLOCK Two\nVAR_INPUT a : BOOL; END_VAR\nVAR_OUTPUT q : BOOL; END_VAR\nq := a;\nEND_FUNCTION_BLOCK\n")
        declared = "I, J : INT; Tab : ARRAY[0..5] OF BOOL; Rows : ARRAY[0..5] OF Row; One : Row; Duo : Two; In_No AT %IW6 : INT; Next : ARRAY[0..5] OF INT := [1, 2, 3, 4, 5, {}];"
        for body, last, said in (("IF Tab[{}] THEN Y1 := TRUE; END_IF;", 0, None), ("One := Rows[{}];\nY1 := One.w > 0;", 0, None), ("Duo(a := Tab[{}]);\nY1 := Duo.q;", 0, None),
                                 ("WHILE Tab[{}] DO EXIT; END_WHILE;\nY1 := X1;", 0, None), ("CASE J OF 0: Y1 := Tab[{}]; END_CASE;", 0, None), ("Y1 := Pick(Tab, {});", 0, None),
                                 ("Y1 := Pick(Tab, 3) OR Pick(Tab, 5);", 0, False), ("Y1 := Pick(Tab, 3) OR Pick(Tab, 6);", 0, True), ("Y1 := Pick(n := 3, t := Tab);", 0, False),
                                 ("I := Next[I];\nY1 := Tab[I];", 0, False), ("I := Next[I];\nY1 := Tab[I];", 6, True)):
            for index, wrong in (("In_No", True), ("LIMIT(0, In_No, 5)", False), ("N1", True)) if said is None else (("", said),):
                session = text_session(body.format(index), [], declared.format(last), before)
                self.assertEqual(any(f.key == "index-not-guarded" for f in check(session)), wrong, (body, index, last))

    def test_a_flag_that_compares_guards(self) -> None:
        for body, said in (("Ok := N1 >= 0 AND N1 <= 5;\nIF Ok THEN Y1 := Tab[N1]; END_IF;", False), ("Ok := X1;\nIF Ok THEN Y1 := Tab[N1]; END_IF;", True),
                           ("Ok := N1 >= 0 AND N1 <= 5;\nGo := Ok AND X1;\nIF Go THEN Y1 := Tab[N1]; END_IF;", False), ("Ok := J < 3;\nIF Ok THEN Y1 := Tab[N1]; END_IF;", True)):
            session = text_session(body, [], "Ok, Go : BOOL; J : INT; Tab : ARRAY[0..5] OF BOOL;")
            self.assertEqual(any(f.key == "index-not-guarded" for f in check(session)), said, body)


if __name__ == "__main__":
    unittest.main()
