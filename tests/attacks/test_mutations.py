"""Damaged files at random: each is read, or refused in one line that names it; nothing hangs, and nothing that is shown is obeyed.

The seed is the day's; WHORLOGRAPH_SEED and WHORLOGRAPH_MUTATIONS choose another and how many.
"""

from __future__ import annotations

import os
import tempfile
import time
import unittest
from pathlib import Path
from random import Random

from tests.attacks.mutating import mutated
from tests.strategies import random_case
from whorlograph.desk.asking import ask
from whorlograph.desk.report import report_markdown
from whorlograph.desk.session import Paths, Session, load
from whorlograph.desk.survey import survey
from whorlograph.desk.tables import entries_csv, survey_text, xref_of
from whorlograph.desk.words import answer_json, answer_text
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.errors import Stopped, WhorlographError
from whorlograph.model.shown import visible_lines
from whorlograph.plant.catalog import cases

SEED = int(os.environ.get("WHORLOGRAPH_SEED", time.strftime("%Y%m%d")))
MUTATIONS = int(os.environ.get("WHORLOGRAPH_MUTATIONS", "60"))
PATIENCE = 3.0  # seconds of a replay, which ends there as by Ctrl+C


class Mutations(unittest.TestCase):
    """All files of a session, small random ones and those that ship."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def small(self, random: Random) -> dict[str, bytes]:
        program, _ = random_case(random, tasked=random.random() < 0.3)
        rows = [f"{random.randrange(0, 400) / 100},X{random.randrange(6)},{random.randrange(2)}" for _ in range(random.randrange(1, 40))]
        return {"program.xml": write_xml(program), "log.csv": "\n".join(["time,tag,value", *rows]).encode() + b"\n",
                "list.csv": b"tag,address,device,location,terminal,wiring,description,drawing\nX0,%IX0.0,S1,box,1,NO,a switch,4\nX1,,S2,box,2,NC,another,4\n",
                "profile.toml": b'scan_time = "10ms"\nwatchdog = "200ms"\non_overflow = "wrap"\nexternal = ["X3"]\n[log]\ntime = "time"\n'}

    def shipped(self) -> dict[str, bytes]:
        one = next(iter(cases().values()))
        assert one.iolist is not None and one.profile is not None
        return {"program.xml": one.program.read_bytes(), "log.csv": b"".join(one.log.read_bytes().splitlines(True)[:400]),
                "list.csv": one.iolist.read_bytes(), "profile.toml": one.profile.read_bytes()}

    def used(self, session: Session, random: Random) -> list[str]:
        """What the session says, as texts."""
        until = time.monotonic() + PATIENCE
        try:
            session.take(session.controller.replay(session.log, stop=lambda: time.monotonic() > until))
        except Stopped:
            return []
        found = [survey_text(session, survey(session))]
        tags = [t for t in session.running.tags[:session.running.public] if not t.computed]
        if tags:
            answer = ask(session, random.choice(tags).name)
            found += [answer_text(session, answer), answer_json(session, answer), report_markdown(session, answer)]
        found.append(entries_csv([xref_of(session).entry(t.index) for t in tags[:20]]))
        return found

    def test_each_is_read_or_refused_in_one_line(self) -> None:
        random = Random(SEED)
        shipped = self.shipped()
        read = refused = 0
        for turn in range(MUTATIONS):
            files = dict(shipped) if turn % 6 == 0 else self.small(random)
            for hurt in random.sample(sorted(files), random.choice((1, 1, 2))):
                files[hurt] = mutated(files[hurt], random)
            for name, data in files.items():
                (self.folder / name).write_bytes(data)
            paths = Paths(*(self.folder / n for n in ("program.xml",)), (self.folder / "log.csv",), self.folder / "list.csv", self.folder / "profile.toml")
            with self.subTest(seed=SEED, turn=turn):
                try:
                    session = load(paths, ahead=False)
                    texts = [*self.used(session, random), *(str(n) for n in session.notices)]
                except WhorlographError as error:
                    refused += 1
                    self.assertEqual(error.line().count("\n"), 0)
                    self.assertTrue(any(n in error.line() for n in files) or str(self.folder) in error.line() or not error.place, error.line())
                    continue
                read += 1
                for text in texts:
                    self.assertEqual(visible_lines(text.replace("\t", " ")), text.replace("\t", " "))
        self.assertGreater(read, MUTATIONS // 10)
        self.assertGreater(refused, 0)


if __name__ == "__main__":
    unittest.main()
