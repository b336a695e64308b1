"""Since when an input has been as it is, where tasks copy inputs between scans and in the midst of them: an instant of the log, to that value."""

from __future__ import annotations

import unittest
from random import Random

from tests.building import MS, Rows, session_of, tasked
from whorlograph.desk.asking import answer_to, ask, prove_all
from whorlograph.desk.session import Session
from whorlograph.model.parts import Ladder, coil, nc, no, reset
from whorlograph.model.program import Task
from whorlograph.model.question import Question, RootKind, Symptom

TASKS = (Task("F", 1, "", "X3"), Task("F", 1, "T#7ms"), Task("F", 1, "T#35ms"))


def main(ladder: Ladder) -> None:
    """The cyclic program."""
    ladder.rung(no("X1"), coil("M1"))
    ladder.rung(no("X2"), coil("M2"))
    ladder.rung(no("M1"), nc("X4"), coil("Y1"))


def fast(ladder: Ladder) -> None:
    """The task."""
    ladder.rung(no("X3"), reset("M1"))
    ladder.rung(no("X4"), no("X2"), coil("Y2"))


def session(task: Task, rows: Rows, end: int, rung_time: int) -> Session:
    """Both on a log."""
    return session_of(tasked({"Main": main, "F": fast}, "X1 X2 X3 X4 Y1 Y2 M1 M2", {"F": task}), rows, end, rung_time=rung_time)


class SinceInTasks(unittest.TestCase):
    """Looked up in the rows."""

    def test_of_random_logs_each_root_names_a_change_of_the_log(self) -> None:
        told = 0
        for seed in range(60):
            random = Random(seed)
            rows = [(0, f"X{i}", random.randrange(2)) for i in range(1, 5)]
            now, at = {name: value for _, name, value in rows}, 0
            changes: set[tuple[int, str, int]] = set()
            for _ in range(60):
                at += random.choice((1, 2, 3, 11, 40))
                name = random.choice(list(now))
                now[name] ^= 1
                rows.append((at, name, now[name]))
                changes.add((at * MS, name, now[name]))
            asked = session(random.choice(TASKS), rows, at + 50, random.choice((0, 1_000_000, 2_000_000)))
            for tag in ("Y1", "Y2", "M1"):
                for symptom in (None, Symptom.DROPPED_OUT, Symptom.WILL_NOT_DROP_OUT, Symptom.WILL_NOT_PULL_IN):
                    answer = answer_to(asked, Question(asked.running.by_name[tag.lower()], random.randrange(asked.log.end), symptom))
                    for root in answer.roots:
                        if root.kind is RootKind.FIELD_INPUT and root.since is not None and isinstance(root.value, bool):
                            told += 1
                            self.assertIn((root.since, asked.running.tags[root.tag or 0].name, int(root.value)), changes, (seed, answer.text, root.text))
        self.assertGreater(told, 300)

    def test_what_a_task_saw_amid_a_scan_came_at_its_own_instant(self) -> None:
        rows = [(0, "X1", 1), (0, "X2", 0), (0, "X3", 0), (0, "X4", 0), (1001, "X3", 1), (1500, "X3", 0), (3000, "X2", 0)]
        asked = session(TASKS[0], rows, 3000, 1_000_000)
        answer = ask(asked, "Y1", None, Symptom.DROPPED_OUT)
        prove_all(asked, answer)
        self.assertEqual((answer.roots[0].since, answer.roots[0].proved), (1_001_000_000, True))
        self.assertIn("X3 went on for 499 ms at 1.001 s", answer.roots[0].text)
        self.assertTrue(any("M1 was reset by F 1 at 1.001 s: X3" in link.text for _, link in answer.links()))

    def test_an_interval_of_nought_is_the_reason(self) -> None:
        program = tasked({"Main": main, "F": fast}, "X1 X2 X3 X4 Y1 Y2 M1 M2", {"F": Task("F", 1, "Iv")}, times="Iv")
        asked = session_of(program, [(0, "X2", 1), (0, "X4", 0), (1000, "X4", 1)], 3000)
        answer = ask(asked, "Y2", None, None)
        self.assertEqual((answer.roots[0].kind, asked.running.tags[answer.roots[0].tag or 0].name), (RootKind.INITIAL_VALUE, "Iv"))
        self.assertTrue(any("its interval, Iv, is 0 s" in link.text for _, link in answer.links()), answer.text)


if __name__ == "__main__":
    unittest.main()
