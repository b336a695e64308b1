"""The shipped files, damaged at random: it loads and says what is missing, or it is one line; never a traceback, never a hang."""

from __future__ import annotations

import os
import tempfile
import time
import unittest
from pathlib import Path
from random import Random

from whorlograph.desk.asking import ask
from whorlograph.desk.session import Paths, load
from whorlograph.model.errors import WhorlographError
from whorlograph.plant.catalog import cases

TIMES = int(os.environ.get("WHORLOGRAPH_DAMAGES", "180"))
BRIDGE = cases()["bridge"]


def damage(data: bytes, random: Random) -> bytes:
    """A file with something wrong in it."""
    for _ in range(random.choice((1, 1, 3, 20))):
        at = random.randrange(len(data) or 1)
        size = random.choice((1, 5, 200))
        kind = random.randrange(8)
        if kind == 0:
            data = data[:at]
        elif kind == 1:
            data = data[:at] + data[at + size:]
        elif kind == 2:
            data = data[:at] + random.randbytes(size) + data[at:]
        elif kind == 3:
            data = data[:at] + data[at:at + size] * 2 + data[at + size:]
        elif kind == 4:
            data = data[:at] + bytes([data[at] ^ 1 << random.randrange(8)]) + data[at + 1:] if data else data
        elif kind == 5:
            old = random.choice((b"contact", b"<coil", b"refLocalId", b"0", b"BOOL", b",", b"\n", b"localId=", b"TON", b"name=", b"type", b'"'))
            data = data.replace(old, random.choice((b"", b"x", b"9999999999999999999", b"-1", b"nan")), random.choice((1, 3, 50)))
        elif kind == 6:
            data = data[:at] + random.choice((b"\x00", b"\xff\xfe", b"&x;", b"<!--", b"]]>", b"1e300", b'"', b"\r")) + data[at:]
        else:
            other = random.randrange(len(data) or 1)
            data = data[:at] + data[other:other + size] + data[at:]
    return data


class Damage(unittest.TestCase):
    """Three hundred damages, always the same ones."""

    def test_damaged_files_load_in_part_or_say_one_line(self) -> None:
        whole = {"program": BRIDGE.program.read_bytes(), "log": BRIDGE.log.read_bytes()[:40_000], "iolist": BRIDGE.iolist.read_bytes(),
                 "profile": BRIDGE.profile.read_bytes()}
        outcome = {"loaded": 0, "refused": 0}
        with tempfile.TemporaryDirectory() as folder:
            for seed in range(TIMES):
                random = Random(seed)
                hurt = random.choice(("program", "program", "program", "log", "log", "iolist", "profile"))
                files = {}
                for name, data in whole.items():
                    files[name] = Path(folder) / f"{name}{'.xml' if name == 'program' else '.csv' if name != 'profile' else '.toml'}"
                    files[name].write_bytes(damage(data, random) if name == hurt else data)
                started = time.monotonic()
                with self.subTest(seed=seed, hurt=hurt):
                    try:
                        session = load(Paths(files["program"], (files["log"],), files["iolist"], files["profile"]))
                        self.assertGreaterEqual(session.journal.clock.last, 0)
                        if session.running.find("Raise_Pump") is not None:
                            self.assertTrue(ask(session, "Raise_Pump").text)
                        outcome["loaded"] += 1
                    except WhorlographError as error:
                        outcome["refused"] += 1
                        self.assertNotIn("\n", error.line())
                        self.assertTrue(error.remedy)
                self.assertLess(time.monotonic() - started, 20, f"seed {seed} hangs")
        self.assertGreater(outcome["loaded"], TIMES // 5)
        self.assertGreater(outcome["refused"], TIMES // 5)


if __name__ == "__main__":
    unittest.main()
