"""Data of our own read again by several threads at once: a class that no thread has decoded before."""

from __future__ import annotations

import subprocess
import sys
import unittest
from pathlib import Path

SOURCES = Path(__file__).parents[2] / "src" / "whorlograph"

# Each process decodes many fresh classes, each for the first time, in six threads. Without the lock one such class in a few crashes.
RACE = """
import sys, threading
import msgspec
from whorlograph.formats.decoding import converted, from_json, unpacked
sys.setswitchinterval(1e-6)
for turn in range(30):
    Leaf = msgspec.defstruct("Leaf", [("a", int), ("b", str)], module="m")
    m = sys.modules["m"] = type(sys)("m")
    m.Leaf = Leaf
    Deep = msgspec.defstruct("Deep", [("l", "list[Leaf]"), ("m", "tuple[Leaf, ...]"), ("n", "dict[str, Leaf]")], module="m")
    m.Deep = Deep
    Top = msgspec.defstruct("Top", [("d", "Deep"), ("e", "tuple[Deep, ...]")], module="m")
    leaf = Leaf(1, "x")
    deep = Deep([leaf] * 3, (leaf,) * 3, {"a": leaf})
    whole = Top(deep, (deep, deep))
    packed, text, parts = msgspec.msgpack.encode(whole), msgspec.json.encode(whole), msgspec.to_builtins(whole)
    barrier, good = threading.Barrier(6), []
    def go(k):
        barrier.wait()
        good.append((unpacked(packed, Top), from_json(text, Top), converted(parts, Top))[k % 3] == whole)
    threads = [threading.Thread(target=go, args=(k,)) for k in range(6)]
    for thread in threads: thread.start()
    for thread in threads: thread.join()
    assert good == [True] * 6, good
print("all equal")
"""


class Decoding(unittest.TestCase):
    """The screen and a proof beside it begin at the same moment."""

    def test_first_decoding_in_several_threads_at_once(self) -> None:
        done = subprocess.run([sys.executable, "-c", RACE], capture_output=True, text=True, timeout=120, check=False)
        self.assertEqual((done.returncode, done.stdout.strip()), (0, "all equal"), done.stderr[-2000:])

    def test_nothing_is_decoded_without_it(self) -> None:
        words = ("msgpack.decode(", "json.decode(", "msgspec.convert(", "Decoder(")
        found = [f"{path.relative_to(SOURCES)}: {line.strip()}" for path in sorted(SOURCES.rglob("*.py")) if path.name != "decoding.py"
                 for line in path.read_text("utf-8").splitlines() if any(w in line for w in words)]
        self.assertEqual(found, ["desk/job_files.py: raw = msgspec.json.decode(data)"])  # plain parts: no class is asked for
