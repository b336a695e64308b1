"""Ways out: signals at any moment, on the screen and in commands; closed and full outputs; no terminal, no home."""

from __future__ import annotations

import fcntl
import os
import pty
import select
import signal
import struct
import subprocess
import sys
import tempfile
import termios
import time
import unittest
from pathlib import Path
from random import Random

from tests.building import program_of
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.parts import Ladder, coil, nc, no

SEED = int(os.environ.get("WHORLOGRAPH_SEED", time.strftime("%Y%m%d")))
SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP, signal.SIGQUIT)
COMMAND = (sys.executable, "-m", "whorlograph.cli.main")


def _busy(ladder: Ladder) -> None:
    ladder.rung(nc("Y1"), coil("Y1"))  # another value in every scan
    ladder.rung(no("X1"), coil("Y2"))


class Files(unittest.TestCase):
    """A program that never rests, and logs of seconds and of a year."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.program = self.folder / "busy.xml"
        self.program.write_bytes(write_xml(program_of(_busy, "X1 Y1 Y2")))
        self.short, self.year = self.folder / "short.csv", self.folder / "year.csv"
        self.short.write_text("time,tag,value\n0,X1,0\n1,X1,1\n2,X1,0\n")
        self.year.write_text("time,tag,value\n0,X1,0\n30000000,X1,1\n")
        self.home = {**os.environ, "HOME": str(self.folder), "XDG_STATE_HOME": str(self.folder / "state"), "XDG_CACHE_HOME": str(self.folder / "cache")}


def _heard() -> None:
    """In a process before it becomes ours: no signal is ignored, as it is where these tests run in the background of a shell."""
    for number in SIGNALS:
        signal.signal(number, signal.SIG_DFL)


def _begun(process: subprocess.Popen[bytes], number: int) -> None:
    """Wait until a process of ours catches a signal: before that the interpreter itself is still starting.

    The interpreter has a way of its own with SIGINT, set long before ours; ours are set together, so SIGTERM tells of both.
    """
    number = signal.SIGTERM if number == signal.SIGINT else number
    status = Path(f"/proc/{process.pid}/status")
    for _ in range(200):
        caught = next((line for line in status.read_text().splitlines() if line.startswith("SigCgt")), "") if status.exists() else ""
        if caught and int(caught.split()[1], 16) >> (number - 1) & 1:
            return
        time.sleep(0.05)


class Commands(Files):
    """Without a screen."""

    def run_it(self, *words: str, **more: object) -> subprocess.CompletedProcess[bytes]:
        return subprocess.run([*COMMAND, *words], env=self.home, timeout=60, stdin=subprocess.DEVNULL, check=False, **more)  # type: ignore[call-overload, no-any-return]

    def test_a_signal_ends_a_command_at_once_in_one_line_and_leaves_nothing_behind(self) -> None:
        random = Random(SEED)
        out = self.folder / "out.csv"
        out.write_text("what was there\n")
        for number in SIGNALS:
            for words in (("replay", str(self.program), str(self.year), "--out", str(out)), ("why", str(self.program), str(self.year), "Y2")):
                process = subprocess.Popen([*COMMAND, *words], env=self.home, stdout=subprocess.PIPE, stderr=subprocess.PIPE, preexec_fn=_heard)
                _begun(process, number)
                time.sleep(random.uniform(0.1, 1.0))
                process.send_signal(number)
                _, error = process.communicate(timeout=30)
                with self.subTest(signal=number.name, command=words[0]):
                    self.assertEqual(process.returncode, 128 + number)
                    self.assertEqual(error.decode().splitlines()[-1], "whorlograph: stopped")
                    self.assertNotIn(b"Traceback", error)
                    self.assertEqual(out.read_text(), "what was there\n")
                    self.assertEqual([p.name for p in self.folder.glob(".*")], [])

    def test_a_signal_ends_a_process_whose_main_thread_does_not_come_back(self) -> None:
        long = "import hashlib; print(1, flush=True); hashlib.pbkdf2_hmac('sha256', b'x', b'y', 1 << 30)"  # minutes, with the lock of the interpreter free
        for number in SIGNALS:
            with self.subTest(signal=number.name):
                process = subprocess.Popen([sys.executable, "-c", f"from whorlograph.cli.stopping import stop_at_once; stop_at_once(); {long}"],
                                           stdout=subprocess.PIPE, stderr=subprocess.PIPE, preexec_fn=_heard)
                assert process.stdout is not None
                process.stdout.read(1)
                process.send_signal(number)
                try:
                    _, error = process.communicate(timeout=30)
                finally:
                    process.kill()
                self.assertEqual((process.returncode, error), (128 + number, b"whorlograph: stopped\n"))

    def test_what_ends_a_second_process_does_not_end_the_first(self) -> None:
        script = ("import os, signal, time; from whorlograph.cli.stopping import stop_at_once; stop_at_once()\n"
                  "child = os.fork()\n"
                  "if not child: signal.raise_signal(signal.SIGTERM)\n"
                  "print(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])); time.sleep(0.3); print('goes on')")
        done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=60, check=False)
        self.assertEqual((done.returncode, done.stdout), (0, "143\ngoes on\n"))

    def test_outputs_that_take_nothing(self) -> None:
        commands = (("xref", str(self.program)), ("why", str(self.program), str(self.short), "Y2", "--json"), ("--help",), ("demo", "--list"))
        for words in commands:
            with self.subTest(words=words[0]):
                reading, writing = os.pipe()
                os.close(reading)
                gone = self.run_it(*words, stdout=writing, stderr=subprocess.PIPE)
                os.close(writing)
                self.assertEqual((gone.returncode, gone.stderr), (0, b""))
                with Path("/dev/full").open("wb") as full:
                    found = self.run_it(*words, stdout=full, stderr=subprocess.PIPE)
                self.assertEqual((found.returncode, found.stderr.count(b"\n")), (2, 1))
                self.assertIn(b"No space left", found.stderr)
                closed = subprocess.run(["sh", "-c", '"$@" >&-', "sh", *COMMAND, *words], env=self.home, timeout=60, stderr=subprocess.PIPE, check=False)
                self.assertEqual((closed.returncode, closed.stderr.count(b"\n")), (2, 1))

    def test_no_terminal_no_home_no_place_to_keep_anything(self) -> None:
        for words in (("demo",), ("open", str(self.program), str(self.short))):
            found = self.run_it(*words, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
            self.assertEqual((found.returncode, found.stdout, found.stderr.count(b"\n")), (2, b"", 1))
        for home in ({"HOME": "/nonexistent"}, {}, {"HOME": "/proc", "XDG_STATE_HOME": "/proc/x", "XDG_CACHE_HOME": "/proc/y"}):
            env = {"PATH": os.environ["PATH"], **home}
            found = subprocess.run([*COMMAND, "why", str(self.program), str(self.short), "Y2"], env=env, capture_output=True, timeout=60, check=False)
            self.assertEqual((found.returncode, found.stderr), (0, b""), home)
            self.assertIn(b"Y2 dropped out at 2.000 s", found.stdout)


class Screens(Files):
    """On a terminal of its own."""

    def start(self, log: Path) -> tuple[int, int]:
        child, terminal = pty.fork()
        if not child:
            os.execve(sys.executable, [*COMMAND, "open", str(self.program), str(log), "--tag", "Y2"], {**self.home, "TERM": "xterm-256color"})
        fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 24, 80, 0, 0))
        self.addCleanup(os.close, terminal)
        return child, terminal

    def read(self, terminal: int, seconds: float, word: bytes = b"") -> bytes:
        data, until = b"", time.monotonic() + seconds
        while (left := until - time.monotonic()) > 0:
            if not select.select([terminal], [], [], left)[0]:
                break
            try:
                part = os.read(terminal, 65_536)
            except OSError:
                break
            if not part:
                break
            data += part
            if word and word in data:
                break
        return data

    def ended(self, child: int, seconds: float, terminal: int) -> tuple[int | None, bytes]:
        """How a process ended, None where it did not; and what it wrote meanwhile: a terminal goes on reading, or its writer waits for ever."""
        until, data = time.monotonic() + seconds, b""
        while time.monotonic() < until:
            data += self.read(terminal, 0.01)
            found, status = os.waitpid(child, os.WNOHANG)
            if found:
                return os.waitstatus_to_exitcode(status), data + self.read(terminal, 0.1)
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        return None, data

    def test_a_signal_at_any_moment_gives_the_terminal_back(self) -> None:
        random = Random(SEED)
        for number in SIGNALS:
            for log in (self.short, self.year):
                child, terminal = self.start(log)
                data = self.read(terminal, 20, b"\x1b[?1049h")
                data += self.read(terminal, random.uniform(0.0, 2.5))
                os.kill(child, number)
                data += self.read(terminal, 1.0)
                with self.subTest(signal=number.name, log=log.name):
                    status, rest = self.ended(child, 5, terminal)
                    data += rest
                    self.assertEqual(status, 128 + number)
                    self.assertGreater(data.rfind(b"\x1b[?1049l"), data.rfind(b"\x1b[?1049h"))
                    self.assertGreater(data.rfind(b"\x1b[?25h"), data.rfind(b"\x1b[?25l"))
                    for mode in (b"1000", b"1003", b"2004"):
                        self.assertGreaterEqual(data.rfind(b"\x1b[?" + mode + b"l"), data.rfind(b"\x1b[?" + mode + b"h"))
                    self.assertNotIn(b"Traceback", data)

    def test_a_signal_saves_the_job(self) -> None:
        child, terminal = self.start(self.short)
        self.read(terminal, 20, b"dropped out")
        self.read(terminal, 1.0)
        os.write(terminal, b"mb")
        self.read(terminal, 0.3)
        os.kill(child, signal.SIGTERM)
        self.read(terminal, 0.5)
        self.assertEqual(self.ended(child, 5, terminal)[0], 128 + signal.SIGTERM)
        jobs = list((self.folder / "state" / "whorlograph" / "jobs").glob("*.json"))
        self.assertEqual(len(jobs), 1)
        self.assertIn(b'"letter": "b"', jobs[0].read_bytes())

    def test_noise_on_the_line_is_no_end(self) -> None:
        child, terminal = self.start(self.short)
        self.read(terminal, 20, b"dropped out")
        for noise in (b"\xff\xfe\x80", b"\xc3", b"\xf0\x28\x8c\x28", bytes(range(128, 256))):
            os.write(terminal, noise)
            self.read(terminal, 0.2)
        os.write(terminal, b"?")
        self.assertIn(b"help", self.read(terminal, 2, b"help"))
        os.write(terminal, b"\x1b")
        self.read(terminal, 0.5)
        os.write(terminal, b"q")
        status, data = self.ended(child, 6, terminal)
        self.assertEqual(status, 0)
        self.assertNotIn(b"Traceback", data)

    def test_the_second_process_ends_with_its_parent(self) -> None:
        child, terminal = self.start(self.year)
        self.read(terminal, 0.8)
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        until = time.monotonic() + 5
        while time.monotonic() < until and self._others():
            time.sleep(0.1)
        self.assertEqual(self._others(), [])

    def _others(self) -> list[str]:
        found = []
        for path in Path("/proc").glob("[0-9]*/cmdline"):
            try:
                if str(self.program).encode() in path.read_bytes():
                    found.append(path.parent.name)
            except OSError:
                continue
        return found


if __name__ == "__main__":
    unittest.main()
