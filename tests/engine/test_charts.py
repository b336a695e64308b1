"""Sequential charts in both engines, against an oracle that knows sets of active steps."""

from __future__ import annotations

import os
import unittest
from pathlib import Path
from random import Random

from tests.building import log_of
from tests.charts import INPUTS, Oracle, random_chart
from tests.engine.agreement import difference
from tests.texts import settled
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read
from whorlograph.model.profile import Profile

CASES = int(os.environ.get("WHORLOGRAPH_CASES", "60"))
FIRST = int(os.environ.get("WHORLOGRAPH_FIRST_CASE", "0"))


class Agreement(unittest.TestCase):
    """Random charts, scan by scan."""

    def test_charts_do_what_the_standard_says(self) -> None:
        changed = 0
        for seed in range(FIRST, FIRST + CASES):
            random = Random(seed)
            chart = random_chart(random)
            loaded = read(chart.text().encode(), Path("x.st"))
            self.assertEqual(loaded.notices, [], seed)
            plain, compiled = (Controller(loaded.value, Profile(scan_time=10_000_000), plain=p) for p in (True, False))
            self.assertEqual(plain.notices, [], seed)
            inputs, scans = dict.fromkeys(INPUTS, 0), []
            for _ in range(60):
                inputs = {k: v ^ (random.random() < 0.2) for k, v in inputs.items()}
                scans.append(inputs)
            log = log_of(plain, [(n * 10, f"Main.{name}", value) for n, one in enumerate(scans) for name, value in one.items()])
            one, two = plain.replay(log), compiled.replay(log)
            self.assertEqual(difference(one, two, [t.name for t in plain.running.tags]), "", (seed, chart.text()))
            oracle = Oracle(chart)
            before: dict[str, int] = {}
            for n, given in enumerate(scans):
                wanted = oracle.scan(n * 10, given)
                found = {name: int(settled(compiled, two, f"Main.{name}", n + 1)) for name in wanted}
                self.assertEqual(found, wanted, (seed, n + 1, chart.text()))
                changed += found != before
                before = found
        self.assertGreater(changed, 10 * CASES)


if __name__ == "__main__":
    unittest.main()
