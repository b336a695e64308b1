"""Keys pressed at random, by the thousand: nothing hangs, nothing falls over, at any size, in programs of every language.

``WHORLOGRAPH_MONKEY`` says how many keys for each program (5,000 were pressed once), ``WHORLOGRAPH_MONKEY_SEED`` which.
"""

from __future__ import annotations

import os
import string
import tempfile
import unittest
from pathlib import Path
from random import Random

from tests.charts import random_chart
from tests.diagrams import INPUTS, diagram_file, drawn_gates, random_gates
from tests.instructions import random_list
from tests.instructions import text as listed
from tests.pilot import OnScreen
from tests.pilot.walking import screen_text, until
from tests.text_strategies import random_text
from whorlograph.desk.session import Paths, load
from whorlograph.model.question import Question
from whorlograph.plant.catalog import cases
from whorlograph.ui.app import WhorlographApp
from whorlograph.ui.keys import ACTIONS

KEYS = int(os.environ.get("WHORLOGRAPH_MONKEY", "45"))
SEED = int(os.environ.get("WHORLOGRAPH_MONKEY_SEED", "0"))
SIZES = ((160, 47), (80, 24), (120, 30), (30, 8))
_LEAVING = ("close", "quit", "mouse", "export", "stop")
_MOVING = ("down", "up", "left", "right", "enter", "backspace", "tab", "escape")


def _log(random: Random, names: list[str]) -> str:
    rows = [f"{n * 0.02:.3f},{random.choice(names)},{random.randint(0, 1)}" for n in range(200)]
    return "time,tag,value\n" + "\n".join(rows) + "\n"


class Monkey(OnScreen):
    """Each program in turn."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        data = os.environ.get("XDG_DATA_HOME")
        os.environ["XDG_DATA_HOME"] = str(self.folder / "data")
        self.addCleanup(lambda: os.environ.__setitem__("XDG_DATA_HOME", data) if data is not None else os.environ.pop("XDG_DATA_HOME", None))

    def programs(self, random: Random) -> list[tuple[str, Paths]]:
        """The shipped ones and those of each text language."""
        found = []
        for name in ("bridge", "troutfarm"):
            one = cases()[name]
            found.append((name, Paths(one.program, (one.log,), one.iolist, one.profile)))
        inputs = ["In_0", "In_1", "In_2", "In_3"]
        for name, text, tags in (("chart", random_chart(random).text(), ["I0", "I1", "I2", "I3"]), ("list", listed(random_list(random)), ["I0", "I1"]),
                                 ("text", random_text(random), inputs)):
            program, log = self.folder / f"{name}.st", self.folder / f"{name}.csv"
            program.write_text(text)
            log.write_text(_log(random, tags))
            found.append((name, Paths(program, (log,))))
        gates = random_gates(random)
        program, log = self.folder / "diagram.xml", self.folder / "diagram.csv"
        program.write_bytes(diagram_file(drawn_gates(gates, random), " ".join((*INPUTS, *(f"Y{g.number}" for g in gates)))))
        log.write_text(_log(random, [*INPUTS]))
        return [*found, ("diagram", Paths(program, (log,)))]

    async def test_keys_at_random(self) -> None:
        random = Random(SEED)
        keys = [k for a in ACTIONS if a.name not in _LEAVING for k in a.keys]
        for name, paths in self.programs(random):
            with self.subTest(program=name):
                session = load(paths)
                first = session.first_output()
                app = WhorlographApp(session, Question(first) if first is not None else None)
                pressed: list[str] = []
                async with app.run_test(size=random.choice(SIZES)) as pilot:
                    await until(pilot, lambda app=app: not app.main.work.running, "the replay")  # type: ignore[misc]
                    for _ in range(KEYS):
                        kind = random.random()
                        if kind < 0.02:
                            await pilot.resize_terminal(*random.choice(SIZES))
                            continue
                        if kind < 0.35:
                            key = random.choice(_MOVING)
                        elif kind < 0.45:
                            key = random.choice(string.ascii_letters + string.digits)
                        else:
                            key = random.choice(keys)
                        if key in ("q", "M", "e", "ctrl+q", "ctrl+c"):
                            continue
                        pressed.append(key)
                        await pilot.press(key)
                        self.assertIsNone(app._exception, pressed[-20:])
                    await pilot.pause()
                    self.assertTrue(app.is_running, pressed[-20:])
                    self.assertTrue(screen_text(app).strip())


if __name__ == "__main__":
    unittest.main()
