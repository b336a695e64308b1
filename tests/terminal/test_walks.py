"""Somebody who has never seen it: from a program of their own to the cause, in a real terminal, a handful of keys, at every size."""

from __future__ import annotations

import re
import shutil
import tempfile
import unittest
from pathlib import Path

from tests.building import program_with
from tests.terminal.driving import InTerminal
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.parts import Ladder, coil, either, nc, no, timer

MOST_KEYS = 6


def _hoist() -> bytes:
    """A hoist: its gate's switch is bridged by a timer, a guard relay gathers what must hold, the contactor seals itself in."""
    guard, drive, lamps = Ladder(), Ladder(), Ladder()
    guard.rung(no("X2"), timer("TOF", "Bridge", "T#30ms"), coil("Gate_Shut"))
    guard.rung(no("Gate_Shut"), no("X3"), nc("X4"), coil("Guard_OK"))
    drive.rung(either(no("X0"), no("Y0")), no("X1"), no("Guard_OK"), nc("Y1"), coil("Y0"))
    drive.rung(no("X5"), no("X1"), no("Guard_OK"), nc("Y0"), coil("Y1"))
    lamps.rung(no("Guard_OK"), coil("Y2"))
    lamps.rung(nc("Guard_OK"), coil("Y3"))
    bodies = {"Guard": guard.body(), "Drive": drive.body(), "Lamps": lamps.body()}
    return write_xml(program_with(bodies, "X0 X1 X2 X3 X4 X5 Y0 Y1 Y2 Y3 Gate_Shut Guard_OK", "Bridge:TOF"))


def _shift() -> str:
    """Five lifts; in the last the gate's switch opens for 70 ms on the way."""
    rows = [(0, "X1", 1), (0, "X2", 1), (0, "X3", 1)]
    for n in range(5):
        begin = 20 + 60 * n
        rows += [(begin, "X0", 1), (begin + 0.4, "X0", 0)]
        if n == 4:
            rows += [(begin + 11.3, "X2", 0), (begin + 11.37, "X2", 1)]
        else:
            rows += [(begin + 20, "X1", 0), (begin + 20.5, "X1", 1)]
    return "time,tag,value\n" + "".join(f"{t:.3f},{tag},{value}\n" for t, tag, value in sorted(rows))


_IO_LIST = ("tag,address,device,location,terminal,wiring,description,drawing\n"
            "X2,%IX0.2,LS-4,hoist way,7,NO,gate shut switch,H3\nX0,%IX0.0,S-1,panel,1,NO,lift button,H1\nX1,%IX0.1,S-2,panel,2,NC,stop button,H1\n"
            "X3,%IX0.3,Q-1,panel,3,NC,motor protection,H1\nY0,%QX0.0,K-1,panel,11,,lifting contactor,H2\n")


@unittest.skipUnless(shutil.which("tmux"), "tmux is not installed: the terminal tests are left out")
class Walks(InTerminal):
    """Counted keys."""

    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        (self.folder / "hoist.xml").write_bytes(_hoist())
        (self.folder / "shift.csv").write_text(_shift())
        (self.folder / "points.csv").write_text(_IO_LIST)

    def fresh_home(self) -> None:
        """Nothing is kept of an earlier look."""
        self.home = tempfile.TemporaryDirectory()
        self.addCleanup(self.home.cleanup)

    def reached(self, wanted: tuple[str, ...], *keys: str) -> None:
        """Press keys one by one until all words stand on the screen; fewer than seven must do."""
        assert len(keys) <= MOST_KEYS
        for key in keys:
            self.keys(key)
        for word in wanted:
            self.wait(word)

    def test_an_own_program_to_the_cause(self) -> None:
        for width, height in ((160, 47), (80, 24)):
            with self.subTest(width=width):
                self.fresh_home()
                self.start(width, height, "open", *(str(self.folder / n) for n in ("hoist.xml", "shift.csv")), "--io-list", str(self.folder / "points.csv"))
                self.wait("what was unusual")
                self.wait("X2")
                self.reached(("check LS-4, hoist way, terminal 7", "X2 went off for 70 ms"), "Enter", "End")
                self.wait("proved")
                self.reached(("last right", "X2 went off at", "then it stayed on"), "r")

    def test_a_dark_lamp_without_a_log_to_the_contact_that_is_missing(self) -> None:
        for width, height in ((160, 47), (80, 24)):
            with self.subTest(width=width):
                self.start(width, height, "open", str(self.folder / "hoist.xml"), "--io-list", str(self.folder / "points.csv"), "--tag", "Y0")
                self.wait("V gives what the lamps")
                # V, then from the form: the inputs one after the other; X1 and X3 on, the gate's lamp dark
                self.keys("V")
                text = self.wait("the inputs that decide Y0")
                for name in re.findall(r"not given +(\w+)", text):
                    self.keys(*(["Space"] if name in ("X0", "X1", "X3") else ["Space", "Space"]), "Down")
                self.keys("Enter")
                self.wait("LS-4")
                self.wait("X2 is off (given)")

    def test_the_smallest_screen_leads_there_too(self) -> None:
        self.start(30, 8, "open", *(str(self.folder / n) for n in ("hoist.xml", "shift.csv")), "--io-list", str(self.folder / "points.csv"))
        self.wait("what was unus")
        self.wait("X2")
        self.reached(("LS-4",), "Enter", "End")


if __name__ == "__main__":
    unittest.main()
