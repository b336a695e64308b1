"""Whether answers about texts are true: on everyday programs made at random, found out by the plain interpreter on edited logs."""

from __future__ import annotations

import unittest

from tests.everyday_texts import CHOSEN, KINDS, everyday_text
from tests.truth import Truth
from whorlograph.desk.asking import answer_to, prove_all
from whorlograph.inquiry.trail import Answer
from whorlograph.model.question import Question, RootKind, Symptom

COUNT = 8  # benchmarks/truth.py asks of more


class TextTruth(unittest.TestCase):
    """Two outputs of each program, asked at a time of the log."""

    def test_links_hold_proofs_hold_and_what_alone_would_have_cured_it_is_a_root(self) -> None:
        links = proved = cured = curable = 0
        for seed, kinds in [*((seed, KINDS) for seed in range(COUNT)), *((seed, CHOSEN) for seed in range(COUNT // 3))]:
            random, session = everyday_text(seed, kinds)
            truth, tags = Truth(session), session.running.tags
            outputs = [t.index for t in tags[:session.running.public] if t.address is not None and t.address.area == "Q"]
            for tag in random.sample(outputs, min(2, len(outputs))):
                symptom = random.choice((None, Symptom.DROPPED_OUT, Symptom.WILL_NOT_PULL_IN, Symptom.WILL_NOT_DROP_OUT))
                answer = answer_to(session, Question(tag, random.randrange(session.log.end), symptom))
                where = f"seed {seed}: {answer.text}"
                for _, link in answer.links():
                    links += 1
                    self.assertEqual(truth.wrong_link(link), "", f"{where}; {link.text}")
                prove_all(session, answer)
                for root in answer.roots:
                    if root.proved and root.trial is not None:
                        proved += 1
                        self.assertTrue(truth.proves(answer, root), f"{where}; {root.proof}")
                if answer.symptom is Symptom.DROPPED_OUT and answer.trail is not None:
                    cures = truth.cures(answer)
                    if len(cures) == 1:
                        curable += 1
                        cured += bool(cures & _devices(answer))
        self.assertGreater(links, 2 * COUNT)
        self.assertGreater(proved, COUNT // 3)
        self.assertGreater(curable, 2)
        self.assertGreaterEqual(cured, curable - 1)  # a reset that was pressed cures a watched movement too, and is not what it waited for


def _devices(answer: Answer) -> set[int]:
    return {r.tag for r in answer.roots if r.kind is RootKind.FIELD_INPUT and r.tag is not None}


if __name__ == "__main__":
    unittest.main()
