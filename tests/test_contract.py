"""The worked examples, where they are beside the checkout."""

from __future__ import annotations

import subprocess
import sys
import unittest
from pathlib import Path

from tests.building import SHARED

HELD = ["level1-1", "level1-2", "level1-3", "level2-1", "level2-2", "level2-3", "level3-1", "level3-2", "level3-3", "level4-1", "level4-2",
        "level4-3", "level5-1", "level5-2", "level5-3", "level5-4", "level5-5", "st1-1", "st1-2", "st2-1", "st2-2", "st2-3", "st3-1", "st3-2", "st4-1",
        "st4-2", "st4-3", "cork_boiler_mismatch", "dome_shutter", "organ_humidifier", "sugar_kettle_watchdog"]


@unittest.skipUnless((SHARED / "tools" / "contract").exists(), "the worked examples are not beside this checkout")
class Contract(unittest.TestCase):
    """The tool that compares them says that all hold."""

    def test_the_worked_examples_hold(self) -> None:
        executable = Path(sys.executable).parent / "whorlograph"
        done = subprocess.run([sys.executable, str(SHARED / "tools" / "contract"), str(executable), *HELD], capture_output=True, text=True,
                              timeout=600, check=False)
        self.assertEqual(done.returncode, 0, done.stdout)
        self.assertIn(f"{len(HELD)} of {len(HELD)} hold", done.stdout)


if __name__ == "__main__":
    unittest.main()
