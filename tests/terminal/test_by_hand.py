"""Operating and changing in a real terminal: two buttons in one scan and what mends that, a force and its release, an overflow guarded and bypassed."""

from __future__ import annotations

import shutil
import tempfile
import unittest
from pathlib import Path

from tests.building import program_of
from tests.terminal.driving import InTerminal
from whorlograph.desk.session import Paths, load
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.parts import Ladder, call, coil, either, nc, no, rises


@unittest.skipUnless(shutil.which("tmux"), "tmux is not installed: the terminal tests are left out")
class ByHand(InTerminal):
    """Programs of one's own."""

    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def typed(self, text: str) -> None:
        """Type text as it stands."""
        self.tmux("send-keys", "-l", text)

    def test_two_buttons_in_one_scan_recorded_and_mended(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("Up_Sw"), coil("Up"))
            ladder.rung(no("Down_Sw"), coil("Down"))

        program, log, mended = (self.folder / n for n in ("lift.xml", "mine.csv", "mended.xml"))
        program.write_bytes(write_xml(program_of(draw, "Up_Sw Down_Sw Up Down")))
        self.start(120, 36, "open", str(program), "--tag", "Up")
        self.wait("V gives what the lamps")
        self.keys("b")
        self.wait("nothing is prepared")
        self.keys("Space", "Down", "Space")
        self.wait("2 points prepared")
        self.keys("Enter")
        self.wait("2 changes in scan")
        self.keys(".", ".", "w")
        self.wait("Down_Sw on")
        self.keys("Escape")
        self.wait("nothing is prepared")
        self.keys("e", "C-u")
        self.typed(str(log))
        self.keys("Enter")
        self.wait("written")
        recorded = load(Paths(program, (log,)))
        last = recorded.journal.clock.last
        self.assertEqual([recorded.journal.settled(recorded.tag(n), last) for n in ("Up", "Down")], [1, 1])
        self.start(120, 36, "open", str(program), str(log), "--tag", "Down", "--symptom", "will-not-drop-out")
        self.wait("not drop out?")
        self.keys("Tab", "End", "Y")
        self.wait("the file stays as it is")
        self.typed("a normally closed contact before")
        self.keys("Enter")
        self.wait("its tag")
        self.typed("Up")
        self.keys("Enter")
        self.wait("the complaint is gone")
        self.wait("not written to a file yet")
        self.keys("e", "C-u")
        self.typed(str(mended))
        self.keys("Enter")
        self.wait("written as mended.xml")
        again = load(Paths(mended, (log,)))
        self.assertEqual([again.journal.settled(again.tag(n), again.journal.clock.last) for n in ("Up", "Down")], [1, 0])

    def test_a_force_its_release_shown_before_and_the_restart(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("Auto_Sw"), nc("Guard_Open"), coil("Drum"))

        program = self.folder / "drum.xml"
        program.write_bytes(write_xml(program_of(draw, "Auto_Sw Guard_Open Drum")))
        self.start(120, 36, "open", str(program), "--tag", "Drum")
        self.wait("V gives what the lamps")
        self.keys("b")
        self.wait("nothing is prepared")
        self.keys("Space", "Enter", ".")
        self.wait("outputs on: Drum")
        self.keys("/")
        self.typed("Drum")
        self.keys("Enter", "f", "f", "Enter", ".")
        self.wait("1 tag forced")
        text = self.wait("!Drum")
        self.assertIn("forced, program: on", text)
        self.keys("R")
        self.wait("on release at once: Drum on")
        self.keys("R")
        text = self.wait("all forces are released")
        self.assertNotIn("!Drum", text)

    def test_an_overflow_guarded_and_bypassed(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("Start"), no("Belt")), nc("Stop"), coil("Belt"))
            ladder.rung(rises("Piece"), call("ADD", ("IN1", "N1"), ("IN2", "1000"), out="N1"))

        program, log = self.folder / "belt.xml", self.folder / "log.csv"
        program.write_bytes(write_xml(program_of(draw, "Start Stop Piece Belt N1")))
        rows = ["time,tag,value", "0,Start,0", "0.5,Start,1", "0.7,Start,0", *(f"{1 + n / 10:.1f},Piece,{1 - n % 2}" for n in range(90)), "20,Start,0"]
        log.write_text("\n".join(rows) + "\n")
        self.start(120, 36, "open", str(program), str(log), "--tag", "Belt", "--symptom", "dropped-out")
        self.wait("controller halted")
        self.keys("P", "Down", "Y")
        self.wait("whole rung, as a line")
        self.typed("whole rung, as")
        self.keys("Enter", "C-u")
        self.typed("^Piece N1 < 30000 ADD(N1, 1000, OUT => N1)")
        self.wait("reads well")
        self.keys("Enter")
        text = self.wait("the complaint is gone")
        self.assertIn("halts before", " ".join(text.split()))
        self.assertNotIn("no longer changes", text)
        self.keys("u")
        self.wait("as it was loaded")
        self.keys("Y")
        self.typed("new rung above")
        self.keys("Enter")
        self.typed("/Counting <-")
        self.keys("Enter")
        text = self.wait("the complaint is gone")
        self.assertIn("no longer changes: N1", " ".join(text.split()))


if __name__ == "__main__":
    unittest.main()
