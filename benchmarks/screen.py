"""Start and keys in a real terminal (tmux): against a bare Textual application in the same run."""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from itertools import count
from pathlib import Path

NUMBERS = count()
BARE = """
from textual.app import App
from textual.widgets import Static
class Bare(App):
    def compose(self):
        yield Static("bare is ready")
Bare().run()
"""


class Terminal:
    """One command in a tmux server of its own."""

    def __init__(self, command: list[str], home: str, width: int = 160, height: int = 47) -> None:
        self.socket = f"whorlograph-bench-{os.getpid()}-{next(NUMBERS)}"
        self.started = time.perf_counter()
        self.run("new-session", "-d", "-x", str(width), "-y", str(height), "env", f"HOME={home}", "TERM=tmux-256color", *command)

    def run(self, *args: str) -> str:
        """One tmux command."""
        return subprocess.run(["tmux", "-L", self.socket, "-f", os.devnull, *args], capture_output=True, text=True, check=False).stdout

    def until(self, word: str, seconds: float = 60) -> float:
        """Seconds since the start until a word stands on the screen."""
        while word not in self.run("capture-pane", "-p"):
            if time.perf_counter() - self.started > seconds:
                raise TimeoutError(word)
            time.sleep(0.01)  # as TERMINAL.md measures
        return time.perf_counter() - self.started

    def key(self, key: str) -> float:
        """Seconds from a key to another screen."""
        before = self.run("capture-pane", "-p")
        start = time.perf_counter()
        self.run("send-keys", key)
        while self.run("capture-pane", "-p") == before:
            if time.perf_counter() - start > 10:
                raise TimeoutError(key)
        took = time.perf_counter() - start
        time.sleep(0.1)  # let it settle, so that the next key is measured alone
        return took

    def close(self) -> None:
        """End it."""
        self.run("kill-server")


def _starts(commands: list[tuple[list[str], list[str]]], home: str, runs: int = 7) -> list[list[float]]:
    """Medians of the seconds until words come, of several commands by turns: the machine's speed changes from minute to minute."""
    found: list[list[list[float]]] = [[] for _ in commands]
    for _ in range(runs):
        for rows, (command, words) in zip(found, commands, strict=True):
            terminal = Terminal(command, home)
            rows.append([terminal.until(w) for w in words])
            terminal.close()
    return [[statistics.median(column) for column in zip(*rows, strict=True)] for rows in found]


def main() -> None:
    """Frame, answer, keys."""
    if not shutil.which("tmux"):
        print("tmux is not here: left out")
        return
    with tempfile.TemporaryDirectory() as home:
        bare_file = Path(home) / "bare.py"
        bare_file.write_text(BARE)
        ours = [sys.executable, "-m", "whorlograph.cli.main", "demo"]
        _starts([(ours, ["terminal 14"])], home, 1)  # compiles the program, which is kept from then on
        (bare,), (frame, answer) = _starts([([sys.executable, str(bare_file)], ["bare is ready"]), (ours, ["Skerrow Bridge", "terminal 14"])], home)
        print(f"bare Textual {bare:.2f} s; frame {frame:.2f} s (ratio {frame / bare:.2f}, goal 1.25), answer {answer:.2f} s "
              f"(ratio {answer / bare:.2f}, goal 2.5, and 3 s)")
        terminal = Terminal(ours, home)
        terminal.until("terminal 14")
        time.sleep(0.5)
        floor = statistics.median(_captures(terminal) for _ in range(20))
        terminal.run("set", "-s", "escape-time", "0")
        for name, there, back, count in (("a scan on", ".", ",", 15), ("down the trail", "Down", "Up", 10), ("help", "?", "q", 7),
                                         ("palette", "C-p", "Escape", 7), ("all tags", "X", "BSpace", 7), ("the whole program", "P", "BSpace", 7)):
            times = []
            for _ in range(count):
                times.append(terminal.key(there))
                terminal.key(back)  # not counted: Escape alone waits for a tenth of a second, it could begin an arrow key
            print(f"{name}: {statistics.median(times) * 1e3:.0f} ms, worst {max(times) * 1e3:.0f} ms (of it tmux about {floor * 1e3:.0f} ms)")
        terminal.close()


def _captures(terminal: Terminal) -> float:
    """What two tmux commands cost by themselves."""
    start = time.perf_counter()
    terminal.run("display", "-p", "x")
    terminal.run("capture-pane", "-p")
    return time.perf_counter() - start
