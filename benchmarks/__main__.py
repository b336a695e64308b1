"""Runs the benchmarks named on the command line, by default all: ``python -m benchmarks [NAME...]``."""

from __future__ import annotations

import os
import subprocess
import sys
from importlib import import_module

BENCHMARKS = {
    "replay": "a replay of 2,000 rungs and four hours of log, against C that evaluates every rung in every scan",
    "languages": "the same program as statements, as an instruction list, as block diagrams",
    "bridge": "the bridge's shift, replayed",
    "moment": "a value at a moment, the power flow of a rung",
    "load": "a program of 5,000 rungs loaded, against lxml's parse",
    "long_text": "a text of 52,000 lines loaded, against a pass of a regular expression",
    "engines": "the compiled engine against the plain one",
    "screen": "start, first useful screen, key to screen, against bare Textual",
    "trials": "a hundred trials of ten seconds of log, each from a checkpoint",
    "odd": "what was unusual in a log, and answers with all their proofs, against the replay",
    "by_hand": "a scan by hand at the bench, another revision compared, against a replay",
    "tasks": "a replay with tasks against the same without, steps taking time and not",
    "long_log": "one and ten million changes: first screen, all replayed, memory",
    "truth": "answers on random programs, checked by the plain interpreter",
    "history": "many shifts looked at: twice as many, two processors against one",
    "faults": "seeded faults in the shipped cases: at which rank the faulty device stands",
}


def main(names: list[str]) -> int:
    """Run them one after the other."""
    unknown = [n for n in names if n not in BENCHMARKS]
    if unknown:
        print(f"no benchmark is called {unknown[0]}: there are {', '.join(BENCHMARKS)}", file=sys.stderr)
        return 2
    # As installed: our modules compiled once, not anew at each start.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    subprocess.run([sys.executable, "-m", "compileall", "-q", "src"], check=False)
    for name in names or BENCHMARKS:
        print(f"## {name}: {BENCHMARKS[name]}", flush=True)
        import_module(f"benchmarks.{name}").main()
        print(flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
