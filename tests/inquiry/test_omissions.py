"""No device is left out that alone would have changed it: of random programs each input is held the other way, and the symptom looked at."""

from __future__ import annotations

import unittest
from collections import Counter
from collections.abc import Callable
from random import Random

from tests.everyday import everyday
from tests.everyday_texts import NESTED, everyday_text
from tests.truth import Truth
from whorlograph.desk.asking import answer_to, prove_all
from whorlograph.desk.session import Session
from whorlograph.model.question import Question, Symptom

Source = Callable[[int], tuple[Random, Session]]
SOURCES: tuple[tuple[str, int, Source], ...] = (
    ("everyday circuits", 600, lambda seed: everyday(seed, 6)), ("scratch bits", 500, lambda seed: everyday(seed, 6, scratch=True)),
    ("texts", 600, everyday_text), ("statements inside others", 500, lambda seed: everyday_text(seed, NESTED)))
PROGRAMS = 4  # benchmarks/truth.py asks of more


class Omissions(unittest.TestCase):
    """Of a tag that will not pull in or drop out, three questions a program; links are looked at too."""

    def test_what_alone_would_have_changed_it_is_a_root(self) -> None:
        seen: Counter[str] = Counter()
        for name, first, source in SOURCES:
            for seed in range(first, first + PROGRAMS):
                random, session = source(seed)
                truth, tags = Truth(session), session.running.tags
                written = [t.index for t in tags[:session.running.public] if t.index in session.controller.written and t.type.name == "BOOL"]
                for tag in random.sample(written, min(3, len(written))):
                    answer = answer_to(session, Question(tag, random.randrange(session.log.end)))
                    where = f"{name}, seed {seed}: {answer.text}"
                    for _, link in answer.links():
                        self.assertEqual(truth.wrong_link(link), "", f"{where}; {link.text}")
                    if answer.trail is None or answer.symptom not in (Symptom.WILL_NOT_PULL_IN, Symptom.WILL_NOT_DROP_OUT):
                        continue
                    prove_all(session, answer)
                    turning = truth.turning(answer) - answer.commands
                    roots = {r.tag for r in answer.roots}
                    seen["asked"] += bool(turning)
                    seen["left out"] += bool(turning) and not turning & roots
                    seen["first"] += bool(answer.roots) and answer.roots[0].tag in turning
        self.assertGreater(seen["asked"], 18, seen)
        self.assertLessEqual(seen["left out"], 1, seen)
        self.assertGreaterEqual(seen["first"], 0.85 * seen["asked"], seen)


if __name__ == "__main__":
    unittest.main()
