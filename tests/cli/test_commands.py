"""The commands: what they print, their exit status, what they may import."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from whorlograph.plant.catalog import cases


def run(*args: str | Path) -> subprocess.CompletedProcess[str]:
    """Run the command line in a process of its own."""
    return subprocess.run([sys.executable, "-m", "whorlograph.cli.main", *(str(a) for a in args)], capture_output=True, text=True, timeout=120,
                          check=False)


BRIDGE = cases()["bridge"]
FILES = (BRIDGE.program, BRIDGE.log)
LISTS = ("--io-list", BRIDGE.iolist, "--profile", BRIDGE.profile)


class Commands(unittest.TestCase):
    """Contracts of DESIGN section 7."""

    def test_help_imports_nothing_heavy(self) -> None:
        code = ("import sys\nfrom whorlograph.cli.main import cli\n"
                "try:\n    cli.main(['--help'], standalone_mode=False)\nexcept SystemExit:\n    pass\n"
                "print(*sorted(m for m in ('textual', 'pyarrow', 'reportlab', 'numpy', 'lxml', 'wasmtime', 'msgspec') if m in sys.modules))")
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
        self.assertIn("Commands", done.stdout)
        self.assertEqual(done.stdout.splitlines()[-1], "")

    def test_why_as_json_is_one_object(self) -> None:
        done = run("why", *FILES, "Raise_Pump", *LISTS, "--json", "--prove")
        self.assertEqual(done.returncode, 0, done.stderr)
        answer = json.loads(done.stdout)
        self.assertEqual(set(answer["symptom"]), {"kind", "tag", "value", "t", "scan"})
        root = answer["roots"][0]
        self.assertEqual(set(root), {"kind", "tag", "address", "value", "since", "device", "proved", "text"})
        self.assertEqual((root["kind"], root["tag"], root["address"], root["device"], root["proved"]),
                         ("field-input", "East_Down_LS", "%IX2.0", "LS-12", True))
        self.assertEqual(set(answer["trail"][0]), {"depth", "tag", "value", "since", "link", "pou", "rung", "text"})
        self.assertEqual((answer["trail"][0]["pou"], answer["trail"][0]["rung"]), ("Leaf_Drive", 7))

    def test_why_in_words_names_the_terminal(self) -> None:
        done = run("why", *FILES, "Raise_Pump", *LISTS)
        self.assertIn("LS-12, junction box 3, terminal 14", done.stdout)

    def test_why_without_a_log_from_the_input_lamps(self) -> None:
        now = "EStop_Desk_N=1,EStop_East_N=1,EStop_West_N=1,EStop_Pit_N=0"
        done = run("why", BRIDGE.program, "Chain_OK", "--now", now, "--io-list", BRIDGE.iolist)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("ES-4", done.stdout)

    def test_replay_writes_settled_rows(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "out.csv"
            done = run("replay", *FILES, "--profile", BRIDGE.profile, "--until", "60", "--tags", "Raise_Pump,Flash", "--out", out)
            self.assertEqual(done.returncode, 0, done.stderr)
            rows = list(csv.reader(out.read_text().splitlines()))
        self.assertEqual(rows[:3], [["time", "scan", "tag", "value"], ["0.000000", "0", "Flash", "0"], ["0.000000", "0", "Raise_Pump", "0"]])
        self.assertEqual({r[2] for r in rows[3:]}, {"Flash"})
        self.assertEqual(rows[3][:2], ["0.400000", "41"])

    def test_both_engines_write_the_same_file(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            texts = []
            for extra in ((), ("--plain",)):
                out = Path(folder) / "out.csv"
                self.assertEqual(run("replay", *FILES, "--until", "20", "--out", out, *extra).returncode, 0)
                texts.append(out.read_text())
        self.assertEqual(*texts)

    def test_what_cannot_be_done_is_one_line_and_status_2(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            empty = Path(folder) / "empty.csv"
            empty.write_text("")
            for args, said in (
                (("why", *FILES, "Nobody"), "no tag is called Nobody"),
                (("why", *FILES, "Raise_Pmp"), "Raise_Pump"),
                (("why", *FILES, "Raise_Pump", "--at", "never"), "is no time"),
                (("why", BRIDGE.program, "Raise_Pump"), "neither a log nor --now"),
                (("why", BRIDGE.program, BRIDGE.log), "no tag is given"),
                (("why", "gone.xml", BRIDGE.log, "X"), "gone.xml"),
                (("replay", BRIDGE.program, empty), "empty"),
                (("replay", *FILES, "--out", "x.wav"), ".wav"),
                (("replay", BRIDGE.program), "LOGS"),
                (("demo", "nowhere"), "bridge"),
                (("whi",), "did you mean why?"),
            ):
                with self.subTest(args=[str(a) for a in args]):
                    done = run(*args)
                    self.assertEqual(done.returncode, 2)
                    self.assertIn(said, done.stderr)
                    self.assertEqual(len(done.stderr.strip().splitlines()), 1)
                    self.assertNotIn("Traceback", done.stderr)

    def test_the_version_and_the_cases_are_told(self) -> None:
        self.assertIn("0.", run("--version").stdout)
        self.assertIn("Skerrow Bridge", run("demo", "--list").stdout)


if __name__ == "__main__":
    unittest.main()
