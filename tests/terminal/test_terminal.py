"""The application in a real terminal: tmux, keys sent, the screen read."""

from __future__ import annotations

import os
import shutil
import signal
import time
import unittest
from pathlib import Path

from tests.processes import at_work
from tests.terminal.driving import InTerminal
from whorlograph.plant.catalog import cases


@unittest.skipUnless(shutil.which("tmux"), "tmux is not installed: the terminal tests are left out")
class Terminal(InTerminal):
    """From the command to the named terminal."""

    def test_from_the_demo_to_the_terminal_and_its_proof(self) -> None:
        for width, height in ((160, 47), (80, 24)):
            with self.subTest(width=width):
                self.start(width, height, "demo")
                self.wait("Why did Raise_Pump drop out?")
                self.wait("junction box 3, terminal 14")
                self.tmux("send-keys", "Down", "Down", "Down", "Down", "Down")
                self.wait("14:02:52.160 · scan 2 717 217")
                self.tmux("send-keys", "p")
                self.wait("1 proved")
                self.tmux("send-keys", "?")
                self.wait("find an action")
                self.tmux("send-keys", "Escape")
                self.wait("drop out?")
                self.tmux("send-keys", "q")

    def test_the_first_three_minutes(self) -> None:
        for width, height in ((160, 47), (80, 24)):
            with self.subTest(width=width):
                self.start(width, height, "demo")
                self.wait("junction box 3, terminal 14")
                self.keys("Down", "Down")
                self.wait("3 of 7")
                self.keys("End")
                self.wait("7 of 7")
                self.keys("p")
                self.wait("1 proved")
                self.keys("Home", "x")
                self.wait("uses of Raise_Pump")
                self.keys("Enter")
                self.wait("whole program · Leaf_Drive")
                self.keys("BSpace", "BSpace")
                self.wait("drop out?")
                self.keys("/")
                self.wait("▸ search")
                self.tmux("send-keys", "-l", "East_Down_LS falls for < 50ms")
                self.wait("28 places")
                self.keys("Enter")
                self.wait("of 28")
                before = self.screen().splitlines()[0]
                self.keys("N")
                end = time.monotonic() + 10
                while self.screen().splitlines()[0] == before and time.monotonic() < end:
                    time.sleep(0.02)
                self.assertNotEqual(self.screen().splitlines()[0], before)
                target = os.path.join(self.home.name, f"answer{width}.pdf")
                self.keys("e")
                self.wait("export the answer")
                self.tmux("send-keys", "-l", target)
                self.keys("Enter")
                self.wait("written:")
                self.assertGreater(os.path.getsize(target), 2000)
                self.keys("q")

    def test_keys_in_one_burst_do_what_they_do_one_by_one(self) -> None:
        self.start(160, 47, "demo")
        self.wait("terminal 14")
        self.tmux("send-keys", "/", *(" " if c == " " else c for c in "East_Down_LS falls for < 50ms"), "Enter", "n", "n", ":", *"go to time", "Enter",
                  *"13:00:00", "Enter", ".", ".")
        self.wait("13:00:00.020")
        self.keys("BSpace", "BSpace")
        self.wait("28 hits")
        self.keys("?", "q", "X", "q")
        self.wait("drop out?")

    def long_log(self, rows: int) -> list[str]:
        """The bridge's files with a log of many changes, and the question, as arguments."""
        bridge = cases()["bridge"]
        log = os.path.join(self.home.name, "long.csv")
        with open(log, "w", encoding="utf-8") as file:
            file.write("time,tag,value\n")
            file.writelines(f"{i / 250:.3f},{('Open_PB', 'Stop_PB_N', 'Raise_PB')[i % 3]},{i // 3 & 1}\n" for i in range(rows))
        return [str(bridge.program), log, "--io-list", str(bridge.iolist), "--profile", str(bridge.profile), "--tag", "Raise_Pump"]

    def test_a_long_log_can_be_looked_at_before_it_is_replayed(self) -> None:
        self.start(160, 47, "open", *self.long_log(900_000))
        self.wait("so far")
        self.wait("Raise_Pump")
        self.keys("X")
        self.wait("all tags")
        self.keys("BSpace", "Home")
        end = time.monotonic() + 60
        while "Ctrl+C stops" in self.drawn(self.screen()) and time.monotonic() < end:  # half drawn it would seem to be at its end
            time.sleep(0.05)
        self.keys("w")
        self.wait("Why does Raise_Pump not pull in?")
        self.assertNotIn("so far", self.screen())

    def test_q_leaves_while_a_log_is_replayed_and_nothing_goes_on(self) -> None:
        # The plain engine takes minutes for either log. The shorter one is worked on by a process ahead when q comes.
        for rows, word in ((500_000, "Ctrl+C stops"), (300_000, "reading")):
            with self.subTest(rows=rows):
                self.start(160, 47, "open", "--plain", *self.long_log(rows))
                group = int(self.tmux("display", "-p", "#{pane_pid}"))
                self.wait(word)
                self.keys("q")
                end = time.monotonic() + 15
                while at_work(group) and time.monotonic() < end:
                    time.sleep(0.05)
                self.assertEqual(at_work(group), [])

    def test_killed_at_any_instant_nothing_older_than_a_second_is_lost(self) -> None:
        letters = "abcdefgh"
        for run, pause in enumerate((1.0, 1.3, 1.7)):
            with self.subTest(pause=pause):
                state = os.path.join(self.home.name, f"state{run}")
                self.start(100, 30, "demo", XDG_STATE_HOME=state)
                self.wait("terminal 14")
                for letter in letters:
                    self.keys("m", letter)
                    self.wait(f"mark {letter} set")
                time.sleep(pause)
                self.keys("m", "z")
                self.wait("mark z set")
                pid = self.tmux("display", "-p", "#{pane_pid}").strip()
                os.kill(int(pid), signal.SIGKILL)
                self.start(100, 30, "demo", XDG_STATE_HOME=state)
                self.wait("R starts fresh")
                self.keys("'", "'")
                self.wait("marks and notes")
                for letter in letters:
                    self.wait(f"\n {letter}  14:02")

    def test_a_mistake_of_ours_gives_the_terminal_back_and_is_written_down(self) -> None:
        code = ("from whorlograph.ui.main import MainScreen as M; from whorlograph.cli.main import main\n"
                "def do(self, action): raise ValueError('one wire\\ntoo many')\n"
                "M.do = do; main()")
        self.start(160, 30, "demo", python=("-c", code))
        self.wait("terminal 14")
        self.keys("w")
        text = self.wait("written down in", above=2)
        self.assertIn("whorlograph: a mistake of ours (ValueError: one wire too many), written down in ", text)
        self.assertNotIn("Traceback", text)
        written = list(Path(self.home.name).glob(".local/state/whorlograph/faults/*.txt"))
        self.assertEqual(len(written), 1)
        self.assertIn("in on_key", written[0].read_text(encoding="utf-8"))

    def test_old_terminals_and_no_colour_do_not_stop_it(self) -> None:
        for variables in ({"TERM": "vt220"}, {"TERM": "linux"}, {"TERM": "screen"}, {"TERM": "xterm"}, {"NO_COLOR": "1", "TERM": "tmux-256color"}):
            with self.subTest(**variables):
                self.start(80, 24, "demo", **variables)
                text = self.wait("terminal 14")
                self.assertNotIn("Traceback", text)
                if "NO_COLOR" in variables:
                    import re

                    coloured = re.findall(r"\x1b\[[0-9;]*(?:38|48);[0-9;]*m", self.tmux("capture-pane", "-p", "-e"))
                    self.assertEqual(coloured, [])


if __name__ == "__main__":
    unittest.main()
