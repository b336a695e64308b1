"""Long work in stages, and work done ahead in a second process."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Callable, Generator
from pathlib import Path
from unittest.mock import patch

from tests.plant.test_bridge import bridge_session
from tests.processes import at_work
from whorlograph.desk import ahead as ahead_module
from whorlograph.desk import kept_logs
from whorlograph.desk import session as session_module
from whorlograph.desk import stages as stages_module
from whorlograph.desk.ahead import ahead
from whorlograph.desk.asking import ask
from whorlograph.desk.first_look import first_rungs, first_words
from whorlograph.desk.session import Paths, Session, load
from whorlograph.desk.stages import Stage, stages
from whorlograph.drawing.shapes import plain
from whorlograph.formats.logs import csv_table
from whorlograph.model.errors import InputError
from whorlograph.model.question import Question
from whorlograph.plant.catalog import cases

BRIDGE = cases()["bridge"]
PATHS = Paths(BRIDGE.program, (BRIDGE.log,), BRIDGE.iolist, BRIDGE.profile)


def never() -> bool:
    """Nobody stops."""
    return False


def gathered(work: Generator[Stage, None, Stage]) -> tuple[list[Stage], Stage]:
    """All stages, and the last."""
    found = []
    while True:
        try:
            found.append(next(work))
        except StopIteration as finished:
            return found, finished.value


def stopped_at(word: str, session: Session, question: Question | None) -> tuple[list[Stage], Stage]:
    """All stages where somebody stops the work once a word was told."""
    seen: list[Stage] = []

    def stop() -> bool:
        return any(word in s.text for s in seen)

    work = stages(session, question, stop)
    while True:
        try:
            seen.append(next(work))
        except StopIteration as finished:
            return seen, finished.value


class Stages(unittest.TestCase):
    """The shipped log taken for a long one."""

    def setUp(self) -> None:
        for module, name, value in ((session_module, "LONG", 50_000), (session_module, "HEAD", 20_000), (stages_module, "SHOW_AFTER", 0.0),
                                    (csv_table, "SAMPLES", 300), (kept_logs, "MOST", 0)):
            patched = patch.object(module, name, value)
            patched.start()
            self.addCleanup(patched.stop)

    def opened(self) -> tuple[Session, Question]:
        session = load(PATHS, head=True)
        return session, Question(session.tag(BRIDGE.tag))

    def test_the_start_is_shown_first_and_the_last_stage_is_the_whole(self) -> None:
        session, question = self.opened()
        self.assertFalse(session.log.complete)
        found, last = gathered(stages(session, question, never))
        shown = [s for s in found if s.session is not None]
        self.assertIn("answers say so far", shown[0].text)
        assert shown[0].session is not None and shown[0].answer is not None and last.session is not None and last.answer is not None
        self.assertTrue(any("so far" in text for text in shown[0].answer.rests_on))
        self.assertLess(shown[0].session.log.rows, last.session.log.rows)
        self.assertTrue(any(s.text.startswith("reading the log") for s in found))
        self.assertTrue(last.session.journal.complete)
        whole = bridge_session()
        answer = ask(whole, BRIDGE.tag)
        self.assertEqual(last.answer.text, answer.text)
        self.assertEqual([r.text for r in last.answer.roots], [r.text for r in answer.roots])
        self.assertEqual(len(last.session.journal), len(whole.journal))
        self.assertEqual([str(n) for n in last.session.notices], [str(n) for n in whole.notices])

    def test_what_is_shown_of_a_part_equals_the_whole_up_to_there(self) -> None:
        session, question = self.opened()
        found, last = gathered(stages(session, question, never))
        assert last.session is not None
        whole = last.session.journal
        for stage in found:
            if stage.session is None:
                continue
            part = stage.session.journal
            count = len(part) - 200  # the last scan of a part of the log may be cut
            self.assertGreater(count, 0)
            for row in range(0, count, 97):
                self.assertEqual((part.key(row), part.tag(row), part.raw(row)), (whole.key(row), whole.tag(row), whole.raw(row)))

    def test_stopped_while_reading_the_start_stays(self) -> None:
        session, question = self.opened()
        _, last = stopped_at("answers say so far", session, question)
        assert last.session is not None
        self.assertFalse(last.session.log.complete)
        self.assertFalse(last.session.journal.complete)
        self.assertIn("replayed up to", last.text)

    def test_stopped_while_replaying_what_was_shown_stays(self) -> None:
        session = load(PATHS)
        with patch.object(session_module, "LONG", 1 << 40):
            _, last = stopped_at("replayed up to", session, Question(session.tag(BRIDGE.tag)))
        assert last.session is not None
        self.assertFalse(last.session.journal.complete)
        self.assertLess(last.session.journal.clock.last, 2_000_000)
        self.assertIn("answers say so far", last.text)

    def test_several_logs_are_read_whole_first(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            other = Path(folder) / "more.csv"
            other.write_text("time,tag,value\n2031-06-11T06:30:00.000+01:00,Raise_PB,0\n")
            session = load(Paths(BRIDGE.program, (BRIDGE.log, other), BRIDGE.iolist, BRIDGE.profile), head=True)
        self.assertTrue(session.log.complete)

    def test_before_anything_is_replayed_the_rung_and_the_log_are_shown(self) -> None:
        session, question = self.opened()
        self.assertFalse(session.replayed)
        rungs = "\n".join(plain(line) for line in first_rungs(session, question, 90))
        for word in ("Leaf_Drive 7", "Raise_Req", "Lower_Valve", "( )"):
            self.assertIn(word, rungs)
        self.assertNotIn("━( )━", rungs)
        self.assertIn("the start of a longer one", "\n".join(plain(line) for line in first_words(session)))
        self.assertEqual(first_rungs(session, None, 90), [])
        self.assertFalse(session.replayed)


class InAProcessOfItsOwn(unittest.TestCase):
    """Forking wants a process without threads, which this one, after other tests, may not be."""

    def test_work_ahead(self) -> None:
        done = subprocess.run([sys.executable, "-m", "unittest", "-q", "tests.desk.test_stages.WorkAhead"], capture_output=True, text=True, timeout=400,
                              check=False, env=os.environ | {"WHORLOGRAPH_ALONE": "1"}, cwd=Path(__file__).resolve().parents[2])
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("Ran 5 tests", done.stderr)


@unittest.skipUnless(os.environ.get("WHORLOGRAPH_ALONE"), "run by InAProcessOfItsOwn")
class WorkAhead(unittest.TestCase):
    """A second process gives what the same work gives here."""

    def loader(self, paths: Paths) -> Callable[[], tuple[Session, Question | None]]:
        def loads() -> tuple[Session, Question | None]:
            session = load(paths)
            return session, Question(session.tag(BRIDGE.tag))

        return loads

    @unittest.skipUnless(hasattr(os, "fork") and len(os.sched_getaffinity(0)) > 1, "needs fork and two processors")
    def test_session_journal_and_answer_come_over(self) -> None:
        loads = self.loader(PATHS)
        with patch.object(ahead_module, "PATIENCE", 150.0):  # also beside other tests on a busy machine
            begun = ahead(loads, *PATHS.logs, PATHS.program)
            self.assertIsNot(begun, loads)
            session, question = begun()
        assert question is not None
        self.assertTrue(session.replayed)
        here = bridge_session()
        self.assertEqual(session.answers[question].text, ask(here, BRIDGE.tag).text)
        journal, same = session.journal, here.journal
        self.assertEqual(len(journal), len(same))
        for row in range(0, len(same), 4999):
            self.assertEqual((journal.key(row), journal.step(row), journal.tag(row), journal.raw(row)),
                             (same.key(row), same.step(row), same.tag(row), same.raw(row)))
        # It goes on working here: another question, and a replay with the program compiled anew.
        again = ask(session, "Leaf_Free")
        self.assertEqual(again.text, ask(here, "Leaf_Free").text)
        self.assertEqual(len(session.controller.replay(session.log)), len(same))

    def test_what_goes_wrong_there_is_said_here(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "bad.xml"
            path.write_text("<project")
            begun = ahead(self.loader(Paths(path)), path)
            with self.assertRaises(InputError):
                begun()

    @unittest.skipUnless(hasattr(os, "fork") and len(os.sched_getaffinity(0)) > 1, "needs fork and two processors")
    def test_a_second_process_that_hangs_is_ended_and_the_work_done_here(self) -> None:
        here = os.getpid()

        def loads() -> tuple[Session, Question | None]:
            if os.getpid() != here:
                time.sleep(60)
            return self.loader(PATHS)()

        with patch.object(ahead_module, "PATIENCE", 0.3):
            began = time.monotonic()
            session, _ = ahead(loads, BRIDGE.program)()
        self.assertLess(time.monotonic() - began, 50)
        self.assertFalse(session.replayed)
        self.assertEqual(session.log.rows, 3998)

    @unittest.skipUnless(hasattr(os, "fork") and len(os.sched_getaffinity(0)) > 1, "needs fork and two processors")
    def test_where_nobody_waits_any_more_it_ends(self) -> None:
        def loads() -> tuple[Session, Question | None]:
            session = load(PATHS, plain=True)  # minutes of work
            return session, Question(session.tag(BRIDGE.tag))

        group = os.fork()
        if not group:
            os.setsid()
            ahead(loads, BRIDGE.program)
            time.sleep(4)
            os._exit(0)
        self.addCleanup(lambda: [os.kill(pid, signal.SIGKILL) for pid in at_work(group)])
        begun = time.monotonic() + 3
        while len(at_work(group)) < 2 and time.monotonic() < begun:
            time.sleep(0.05)
        self.assertEqual(len(at_work(group)), 2)
        os.waitpid(group, 0)
        end = time.monotonic() + 20
        while at_work(group) and time.monotonic() < end:
            time.sleep(0.05)
        self.assertEqual(at_work(group), [])

    def test_for_long_files_and_for_pipes_nothing_is_begun(self) -> None:
        loads = self.loader(PATHS)
        with patch.object(ahead_module, "MOST", 1000):
            self.assertIs(ahead(loads, BRIDGE.program), loads)
        with tempfile.TemporaryDirectory() as folder:
            self.assertIs(ahead(loads, Path(folder)), loads)


if __name__ == "__main__":
    unittest.main()
