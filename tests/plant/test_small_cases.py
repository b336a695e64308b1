"""Every shipped case: its files load without a word, its complaint leads to the root that it teaches, proved where it can be."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from whorlograph.desk.asking import ask, inquiry, prove_all
from whorlograph.desk.session import Paths, Session, load
from whorlograph.inquiry.odd import odd_ones
from whorlograph.inquiry.trail import Answer
from whorlograph.model.question import LinkKind, RootKind, Symptom
from whorlograph.model.steps import units
from whorlograph.plant.catalog import Case, cases
from whorlograph.plant.make import make_small, small_cases

PROVED = {"kiln", "ropewalk", "ferry", "ciderpress", "mushroom", "tidemill", "belltower", "eggs", "hayhoist", "quarry", "windpump", "boathouse", "watertower", "cheesecellar", "lighthouse",
          "weir", "hatchery", "troutfarm", "dyehouse"}


def answered(case: Case) -> tuple[Session, Answer]:
    """A case with its answer, proved."""
    session = load(Paths(case.program, (case.log,), case.iolist, case.profile))
    answer = ask(session, case.tag, str(case.at) if case.at is not None else None, Symptom(case.symptom) if case.symptom else None)
    prove_all(session, answer)
    return session, answer


class SmallCases(unittest.TestCase):
    """The small ones; the bridge has tests of its own."""

    def test_each_leads_to_its_root(self) -> None:
        links: set[str] = set()
        roots: set[str] = set()
        for case in cases().values():
            if case.name == "bridge":
                continue
            with self.subTest(case.name):
                session, answer = answered(case)
                self.assertEqual(session.files_notices, [])
                self.assertEqual(session.log_notices, [])
                first = answer.roots[0]
                name = session.running.tags[first.tag].name if first.tag is not None else ""
                self.assertEqual((first.kind.value, name), case.root, answer.text)
                found = {link.kind.value for _, link in answer.links()}
                self.assertLessEqual(set(case.links), found)
                self.assertIs(first.proved, True if case.name in PROVED else first.proved, first.proof)
                steps = sum(len(units(p.body)) for p in session.program.pous.values())
                self.assertTrue(15 <= steps <= 80, steps)
                self.assertEqual(len(case.teach), 2)
                self.assertTrue(case.complaint.endswith("."))
                links |= found
                roots.add(first.kind.value)
        self.assertGreaterEqual(len(cases()), 28)
        self.assertLessEqual({k.value for k in RootKind} - {"force"}, roots)
        # Forces have no case.
        self.assertLessEqual({k.value for k in LinkKind} - {"forced"}, links)

    def test_the_files_are_those_that_are_made(self) -> None:
        shipped = cases()
        with TemporaryDirectory() as folder:
            text = next(case for case in small_cases() if case.source)
            for case in (*small_cases()[:4], text):
                make_small(case, Path(folder))
                for name in (shipped[case.name].program.name, "io_list.csv", "profile.toml", "log.csv", "case.json"):
                    self.assertEqual((Path(folder) / case.name / name).read_bytes(), (shipped[case.name].program.parent / name).read_bytes(), (case.name, name))

    def test_what_does_not_come_any_more_stands_in_the_list_before_anything_is_asked(self) -> None:
        for case in cases().values():
            if case.symptom == "will-not-pull-in" and case.name not in ("belltower", "glasshouse"):  # nobody tries there at the log's end
                session = load(Paths(case.program, (case.log,), case.iolist, case.profile))
                *_, found = odd_ones(inquiry(session).tracer)
                names = [session.running.tags[one.tag].name for one in found.stuck]
                self.assertIn(case.tag, names, case.name)
                self.assertLess(len(names), 3, case.name)  # with its lamp at most; a horn that has no reason is none

    def test_the_stories_are_whole(self) -> None:
        for case in small_cases():
            told = json.loads((cases()[case.name].program.parent / "case.json").read_text("utf-8"))
            self.assertEqual(tuple(told["teach"]), case.teach)


if __name__ == "__main__":
    unittest.main()
