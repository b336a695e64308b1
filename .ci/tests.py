"""Runs all tests, a folder or a part of one at a time, four beside one another where the machine has two processors."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
# What lasts longest first, so that nothing long is left for the end, and beside one another what waits and what computes.
FIRST = (("inquiry", "[a-m]"), ("attacks", ""), ("inquiry", "[n-r]"), ("terminal", ""), ("inquiry", "[s-z]"), ("pilot", "[a-e]"), ("engine", "[e-o]"),
         ("pilot", "[f-m]"), ("engine", "[p-z]"), ("pilot", "[n-z]"), ("engine", "[a-d]"), ("desk", ""), ("formats", ""))


def groups() -> list[list[str]]:
    """The arguments for ``unittest``, by folder; the tests that stand in none of them last."""
    tests = ROOT / "tests"
    first = {folder for folder, _ in FIRST}
    others = sorted(p.name for p in tests.iterdir() if p.is_dir() and p.name not in first and any(p.rglob("test_*.py")))
    alone = [f"tests.{p.stem}" for p in sorted(tests.glob("test_*.py"))]
    parts = [["discover", "-s", f"tests/{folder}", "-t", ".", "-p", f"test_{letters}*.py" if letters else "test*.py"]
             for folder, letters in (*FIRST, *((name, "") for name in others))]
    return parts + ([alone] if alone else [])


def run(arguments: list[str]) -> bool:
    """Run a group; say how long it took, and all it printed where something failed."""
    began = time.monotonic()
    done = subprocess.run([sys.executable, "-m", "unittest", *arguments, "-q"], cwd=ROOT, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    ran = next((line for line in reversed(done.stdout.splitlines()) if line.startswith("Ran ")), "ran nothing")
    good = done.returncode == 0 and not ran.startswith(("ran", "Ran 0"))
    name = arguments[2] + (f" {arguments[-1]}" if arguments[-1] != "test*.py" else "") if arguments[0] == "discover" else " ".join(arguments)
    said = "" if good else f"\n{done.stdout}"
    print(f"{'ok    ' if good else 'FAILED'} {name}: {ran}, {time.monotonic() - began:.0f} s in all{said}", flush=True)
    return good


def main() -> int:
    """All groups."""
    # Two more than processors: the tests of the screen wait most of their time.
    with ThreadPoolExecutor(min(4, 2 + (os.cpu_count() or 1))) as workers:
        return 0 if all(list(workers.map(run, groups()))) else 1


if __name__ == "__main__":
    sys.exit(main())
