"""One circuit in other forms, its log changed to match: what does not change what happened does not change its roots and their proofs."""

from __future__ import annotations

import os
import unittest
from random import Random

from msgspec.structs import replace

from tests.building import Rows, session_of
from tests.inquiry.test_same_in_languages import INPUTS, SECONDS, Circuit, Contact, Made, answer_of, text_of
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.now import settled_now
from whorlograph.model.program import Program
from whorlograph.model.question import RootKind

TASK = "TASK Fast(INTERVAL := T#10ms, PRIORITY := 1); PROGRAM Main WITH Fast : Main;"


def _changed(made: Made, circuits: list[Circuit]) -> Made:
    return Made(made.random, circuits, made.bits, made.outputs, made.blocks)


def _inverted(made: Made) -> Made:
    """Every contact of an input the other way round."""
    def turned(contact: Contact) -> Contact:
        return (contact[0], contact[1] != (contact[0] in INPUTS))
    return _changed(made, [replace(one, condition=[[turned(c) for c in group] for group in one.condition], back=turned(one.back)) for one in made.circuits])


def _padded(made: Made) -> Made:
    """With a flasher of its own between its rungs."""
    flasher = [Circuit("TON", "Z1", [[("Z2", True)]], "Z", 60), Circuit("coil", "Z2", [[("Z1", False)]])]
    return Made(made.random, [*made.circuits[:1], *flasher, *made.circuits[1:]], [*made.bits, "Z1", "Z2"], made.outputs, [*made.blocks, ("Z", "TON")])


class SameInForms(unittest.TestCase):
    def each(self, count: int, form: str) -> None:
        for seed in range(int(os.environ.get("WHORLOGRAPH_CASES", str(count)))):
            made = Made(Random(seed))
            for _ in range(made.random.randint(4, 10)):
                made.add()
            rows, written = made.rows(), [*made.bits, *made.outputs]
            for tag in made.random.sample(written, min(2, len(written))):
                at = made.random.randrange(SECONDS * 1_000_000_000)
                with self.subTest(form, seed=seed, tag=tag, at=at):
                    getattr(self, f"same_{form}")(made, rows, tag, at)

    def same_inverted(self, made: Made, rows: Rows, tag: str, at: int) -> None:
        one = answer_of(made.ladder(), rows, tag, at)
        other = answer_of(_inverted(made).ladder(), [(t, name, 1 - value) for t, name, value in rows], tag, at)
        self.assertEqual(other[0], one[0])
        turned = [(name, (not value) if name in INPUTS else value, proved) for name, value, proved in other[1]]
        self.assertEqual(set(turned), set(one[1]))  # of equals, that with more openings comes first: what is an opening is turned too

    def same_padded(self, made: Made, rows: Rows, tag: str, at: int) -> None:
        self.same(made.ladder(), _padded(made).ladder(), rows, tag, at)

    def same_tasked(self, made: Made, rows: Rows, tag: str, at: int) -> None:
        lines = [line for one in made.circuits for line in text_of(one)]
        self.same(made.written(lines), made.written(lines, TASK), rows, tag, at)

    def same(self, one: Program, other: Program, rows: Rows, tag: str, at: int) -> None:
        self.assertEqual(answer_of(other, rows, tag, at), answer_of(one, rows, tag, at))

    def same_seen_now(self, made: Made, rows: Rows, tag: str, at: int) -> None:
        """Without a log: what each input is at a time, and what the outputs are, in ladder, as text and with every input the other way round."""
        seen = {name: value for time, name, value in sorted(rows, key=lambda r: r[0]) if time * 1_000_000 <= at}
        shown = {name: made.random.randint(0, 1) for name in made.outputs}
        turned = {name: 1 - value for name, value in seen.items()}
        lines = [line for one in made.circuits for line in text_of(one)]
        drawn = self.now(made.ladder(), {**seen, **shown}, tag)
        self.assertEqual(self.now(made.written(lines), {**seen, **shown}, tag), drawn)
        other = self.now(_inverted(made).ladder(), {**turned, **shown}, tag)
        self.assertEqual([(kind, name, (not value) if name in INPUTS else value, proved) for kind, name, value, proved in other], drawn)

    @staticmethod
    def now(program: Program, given: dict[str, int], tag: str) -> list[tuple[str, str, object, bool | None]]:
        """The roots at given values; of a defect its place is not the same in two languages."""
        session = settled_now(session_of(program, []), ",".join(f"{name}={value}" for name, value in given.items()))
        answer = ask(session, tag)
        prove_all(session, answer)
        tags = session.running.tags
        return [(r.kind.value, tags[r.tag].name if r.tag is not None and r.kind is not RootKind.PROGRAM else "", r.value, r.proved) for r in answer.roots]

    def test_without_a_log(self) -> None:
        self.each(8, "seen_now")

    def test_with_every_input_the_other_way_round(self) -> None:
        self.each(8, "inverted")

    def test_with_rungs_that_have_nothing_to_do_with_it(self) -> None:
        self.each(6, "padded")

    def test_in_a_task_that_runs_with_every_scan(self) -> None:
        self.each(6, "tasked")


if __name__ == "__main__":
    unittest.main()
