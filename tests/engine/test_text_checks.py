"""What cannot be executed in a text is found however it is looked for: at a glance, or part by part."""

from __future__ import annotations

import re
import unittest
from collections import Counter
from pathlib import Path
from random import Random

from tests.text_strategies import random_text
from whorlograph.engine.scope.elaborate import elaborate
from whorlograph.engine.scope.text_checks import Checks
from whorlograph.engine.scope.text_types import Scope
from whorlograph.formats.programs.st import read
from whorlograph.model.text import TextBody

INSTEAD = ("STRING_0", "Own", "Table", "Grid", "Unknown", "T1", "Fix", "State", "Run", "'abc'", "3", "Own.C", "Table[1].B", "BOOL_0")
NAMES = re.compile(r"\b(?:(?:INT|BOOL|DINT|REAL|WORD)_\d|In_\d)\b")


def _changed(random: Random, text: str) -> str:
    """The same with a few names of its programs replaced by what may not fit there."""
    head, begin, body = text.partition("PROGRAM Main0")
    declared, end, rest = body.rpartition("END_VAR\n") if "END_VAR\n" in body else body.partition("END_VAR")
    return head + begin + declared + end + NAMES.sub(lambda m: random.choice(INSTEAD) if random.random() < 0.3 else m[0], rest)


class AtAGlance(unittest.TestCase):
    """The short way says the same as the long one."""

    def test_random_statements_with_names_that_do_not_fit(self) -> None:
        found: Counter[bool] = Counter()
        for seed in range(60):
            random = Random(seed)
            program = read(_changed(random, random_text(random)).encode(), Path("x.st")).value
            running, _ = elaborate(program)
            for one in running.instances():
                body = one.pou.body if one.pou is not None else None
                checks = Checks(Scope(one, running))
                for statement in body.statements if isinstance(body, TextBody) else ():
                    why = checks.looked_through(statement)
                    self.assertEqual(checks.why(statement), why, (seed, statement))
                    found[bool(why)] += 1
        self.assertGreater(found[True], 50)
        self.assertGreater(found[False], 100)


if __name__ == "__main__":
    unittest.main()
