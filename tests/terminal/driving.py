"""Driving the application in a real terminal: tmux, keys sent, the screen read."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
import unittest
from itertools import count

from tests.processes import at_work

SOCKETS = count()


class InTerminal(unittest.TestCase):
    """What is needed to send keys and read the screen."""

    def setUp(self) -> None:
        self.home = tempfile.TemporaryDirectory()
        self.addCleanup(self.home.cleanup)
        self.socket = ""

    def tmux(self, *args: str) -> str:
        """One tmux command on a socket of our own."""
        done = subprocess.run(["tmux", "-L", self.socket, "-f", os.devnull, *args], capture_output=True, text=True, timeout=30, check=False)
        return done.stdout

    def start(self, width: int, height: int, *command: str, python: tuple[str, ...] = ("-m", "whorlograph.cli.main"), **environment: str) -> None:
        """Run a command in a terminal of a size; ``python``: what runs it."""
        # A server that has just been killed still holds its socket for a moment: each start has its own.
        self.socket = f"whorlograph-test-{os.getpid()}-{next(SOCKETS)}"
        self.addCleanup(self.end, self.socket)
        variables = {"HOME": self.home.name, "COLORTERM": "truecolor", **environment}
        line = ["env", *(f"{k}={v}" for k, v in variables.items()), sys.executable, *python, *command]
        self.tmux("new-session", "-d", "-x", str(width), "-y", str(height), *line)
        self.tmux("set", "-g", "remain-on-exit", "on")

    @staticmethod
    def end(socket: str) -> None:
        """End what runs on a socket, and wait: it saves its job, in the folder that is taken away next."""
        tmux = ["tmux", "-L", socket]
        panes = subprocess.run([*tmux, "list-panes", "-a", "-F", "#{pane_pid}"], capture_output=True, text=True, timeout=30, check=False).stdout.split()
        subprocess.run([*tmux, "kill-server"], capture_output=True, timeout=30, check=False)
        until = time.monotonic() + 5
        while time.monotonic() < until and any(at_work(int(pane)) for pane in panes):
            time.sleep(0.02)

    def screen(self, above: int = 0) -> str:
        """What stands on the screen. Args: above: so many lines of what was scrolled out of it before."""
        return self.tmux("capture-pane", "-p", "-S", str(-above))

    def wait(self, word: str, seconds: float = 60, above: int = 0) -> str:
        """Poll for a word on the screen; return what stands there once the terminal has drawn the whole of it: it comes line by line.

        Args: above: as in ``screen``: the terminal scrolls by a line when it says that a program has ended.
        """
        end = time.monotonic() + seconds
        text = ""
        while time.monotonic() < end:
            text = self.screen(above)
            if word in text:
                whole = self.drawn(text, above)
                return whole if word in whole else text
            time.sleep(0.02)
        raise AssertionError(f"{word!r} never came:\n{text}")

    def drawn(self, text: str, above: int = 0) -> str:
        """The screen once it stands still for a moment, or a second later."""
        end = time.monotonic() + 1
        while time.monotonic() < end:
            time.sleep(0.04)
            before, text = text, self.screen(above)
            if text == before:
                break
        return text

    def keys(self, *names: str) -> None:
        """Press keys."""
        self.tmux("send-keys", *names)
