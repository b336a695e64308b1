"""Every reader, on files damaged at random with a seed that changes daily: read, or refused in one line; never anything else, never slow."""

from __future__ import annotations

import datetime as dt
import os
import tempfile
import time
import unittest
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from random import Random

from tests.charts import random_chart
from tests.formats.test_charts import DRYER
from tests.formats.test_damage import damage
from tests.formats.test_forty_logs import RIGHT
from tests.instructions import random_list
from tests.instructions import text as list_text
from tests.strategies import random_case
from tests.text_strategies import random_text
from tests.texts import text_program
from whorlograph.desk.job_files import job_of
from whorlograph.engine.controller import Controller
from whorlograph.formats.iolist import read_iolist
from whorlograph.formats.logs import read_logs
from whorlograph.formats.profile import read_profile
from whorlograph.formats.programs import read_program
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.errors import WhorlographError
from whorlograph.model.profile import Profile
from whorlograph.plant.catalog import cases

SEED = int(os.environ.get("WHORLOGRAPH_FUZZ_SEED", dt.date.today().toordinal()))
TIMES = int(os.environ.get("WHORLOGRAPH_FUZZ", "25"))
SLOW = 20.0  # seconds for one file: far above what any takes


class Fuzz(unittest.TestCase):
    """One method for each kind of file; what fails names the seed, by which it comes again (WHORLOGRAPH_FUZZ_SEED)."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def held(self, what: str, sources: Callable[[Random], tuple[str, bytes]], read: Callable[[Path], object]) -> None:
        """Damage and read; both outcomes must have been seen, or the damage does nothing."""
        outcomes: Counter[str] = Counter()
        for n in range(TIMES):
            random = Random(f"{what} {SEED} {n}")
            name, data = sources(random)
            path = self.folder / name
            path.write_bytes(damage(data, random) if n else data)
            began = time.monotonic()
            try:
                read(path)
                outcomes["read"] += 1
            except WhorlographError as error:
                outcomes["refused"] += 1
                self.assertNotIn("\n", error.line(), (what, SEED, n))
                self.assertTrue(error.remedy, (what, SEED, n, error.line()))
            except Exception as error:
                self.fail(f"{what}: seed {SEED}, file {n}: {type(error).__name__}: {error}")
            self.assertLess(time.monotonic() - began, SLOW, (what, SEED, n))
        self.assertGreater(outcomes["read"], 0, what)

    def test_programs_as_xml(self) -> None:
        bridge = cases()["bridge"].program.read_bytes()[:60_000]

        def source(random: Random) -> tuple[str, bytes]:
            kind = random.randrange(3)
            return "p.xml", bridge if kind == 0 and random.random() < 0.3 else DRYER.encode() if kind == 1 else write_xml(random_case(random)[0])

        self.held("xml", source, lambda path: Controller(read_program(path).value, Profile()))

    def test_programs_as_text(self) -> None:
        def source(random: Random) -> tuple[str, bytes]:
            made = (random_text, lambda r: list_text(random_list(r)), lambda r: random_chart(r).text())
            return "p.st", random.choice(made)(random).encode()

        self.held("text", source, lambda path: Controller(read_program(path).value, Profile()))

    def test_logs(self) -> None:
        controller = Controller(text_program("Y1 := X1 AND A > 3 AND R1 > 1.0;"), Profile())

        def source(random: Random) -> tuple[str, bytes]:
            _, name, data, _ = random.choice(RIGHT)
            return name, data

        for part in range(4):
            self.held(f"log {part}", source, lambda path: read_logs([path], controller.running, Profile()))

    def test_lists_and_profiles(self) -> None:
        bridge = cases()["bridge"]
        running = Controller(read_program(bridge.program).value, Profile()).running
        points, profile = bridge.iolist.read_bytes(), bridge.profile.read_bytes() + b'\n[log]\ntime = "t"\nskip = 3\ntrue = ["made"]\n'
        self.held("list", lambda _: ("io.csv", points), lambda path: read_iolist(path, running, Profile()))
        self.held("profile", lambda _: ("p.toml", profile), read_profile)

    def test_jobs(self) -> None:
        import json

        whole = json.dumps({"version": 2, "program": "x", "saved": 1.5, "kept": {"marks": [{"letter": "a", "time": 5, "text": "t", "id": "1", "at": 2.0}], "notes": [], "lanes": ["A"]},
                            "walk": [{"at": 1.0, "what": "asked", "text": "x"}], "history": {"search": ["a"]}, "place": None, "columns": {"time": "t"}}).encode()

        def read(path: Path) -> None:
            try:
                raw = json.loads(path.read_bytes())
            except ValueError:
                return
            if isinstance(raw, dict):
                job_of(raw)

        self.held("job", lambda _: ("j.json", whole), read)


if __name__ == "__main__":
    unittest.main()
