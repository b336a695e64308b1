"""What is kept between runs: read again only when it is surely ours, whole, and made by this code of this content."""

from __future__ import annotations

import hashlib
import os
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from tests.building import MS, log_of
from tests.engine.agreement import rows
from whorlograph.desk.session import Paths, load
from whorlograph.engine import kept

PROGRAM = """<?xml version="1.0"?>
<project xmlns="http://www.plcopen.org/xml/tc6_0201"><fileHeader companyName="c" productName="p" productVersion="1" creationDateTime="2031-01-01T00:00:00"/>
<contentHeader name="P"><coordinateInfo><fbd><scaling x="1" y="1"/></fbd><ld><scaling x="1" y="1"/></ld><sfc><scaling x="1" y="1"/></sfc></coordinateInfo></contentHeader>
<types><dataTypes/><pous><pou name="Main" pouType="program"><interface><localVars><variable name="A"><type><BOOL/></type></variable>
<variable name="B"><type><BOOL/></type></variable></localVars></interface><body><LD>
<leftPowerRail localId="1"><position x="0" y="0"/><connectionPointOut formalParameter=""/></leftPowerRail>
<contact localId="2" negated="NEGATED"><position x="2" y="0"/><connectionPointIn><connection refLocalId="1"/></connectionPointIn><connectionPointOut/>
<variable>A</variable></contact>
<coil localId="3"><position x="6" y="0"/><connectionPointIn><connection refLocalId="2"/></connectionPointIn><connectionPointOut/><variable>B</variable></coil>
</LD></body></pou></pous></types>
<instances><configurations><configuration name="C"><resource name="R"><pouInstance name="Main1" typeName="Main"/></resource></configuration></configurations></instances>
</project>
"""


class Kept(unittest.TestCase):
    """A folder of its own stands for the user's."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        patch = mock.patch.object(kept, "kept_folder", lambda: self.folder / "kept")
        patch.start()
        self.addCleanup(patch.stop)
        self.program = self.folder / "p.xml"
        self.write(False)

    def write(self, negated: bool) -> None:
        self.program.write_text(PROGRAM.replace("NEGATED", str(negated).lower()))

    def replayed(self) -> list[tuple[int, int, int, int, int]]:
        session = load(Paths(self.program))
        controller = session.controller
        name = next(n for n in controller.running.by_name if n.endswith("main1.a"))
        journal = controller.replay(log_of(controller, [(0, name, 0), (100, name, 1), (200, name, 0), (300, name, 0)]))
        return rows(journal)

    def files(self) -> list[Path]:
        return sorted((self.folder / "kept").iterdir())

    def test_opened_again_it_does_the_same_and_keeps_nothing_twice(self) -> None:
        first = self.replayed()
        self.assertTrue(first)
        files = self.files()
        self.assertTrue({".cwasm", ".front"} <= {f.suffix for f in files})
        self.assertEqual((self.replayed(), self.files()), (first, files))

    def test_another_content_of_the_same_file_is_another_program(self) -> None:
        first = self.replayed()
        self.write(True)
        other = self.replayed()
        self.assertNotEqual(other, first)
        self.write(False)
        self.assertEqual(self.replayed(), first)

    def test_damaged_files_are_made_anew(self) -> None:
        first = self.replayed()
        for damage in (lambda d: b"", lambda d: d[:-1], lambda d: d[:40] + bytes([d[40] ^ 1]) + d[41:], lambda d: d + b"x", lambda d: bytes(len(d))):
            for file in self.files():
                file.write_bytes(damage(file.read_bytes()))
            with self.subTest(damage=damage):
                self.assertEqual(self.replayed(), first)

    def test_only_the_holder_of_the_key_can_make_what_is_loaded(self) -> None:
        key = kept._key()
        assert key is not None
        self.replayed()
        name = self.files()[0].name
        for forged in (b"x" * 100 + hashlib.sha256(b"x" * 100).digest(), b"x" * 100 + kept._code(bytes(32), name, b"x" * 100),
                       b"x" * 100 + kept._code(key, "another" + name, b"x" * 100)):
            (self.folder / "kept" / name).write_bytes(forged)
            self.assertIsNone(kept.take(Path(name).stem, Path(name).suffix))
        (self.folder / "kept" / name).write_bytes(b"x" * 100 + kept._code(key, name, b"x" * 100))
        self.assertEqual(kept.take(Path(name).stem, Path(name).suffix), b"x" * 100)

    def test_a_key_that_others_may_read_is_none_and_nothing_is_kept(self) -> None:
        state = self.folder / "state"
        with mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(state)}):
            first = self.replayed()
            (state / "whorlograph" / "key").chmod(0o644)
            kept._key_in.cache_clear()
            self.assertIsNone(kept._key())
            for file in self.files():
                file.unlink()
            self.assertEqual((self.replayed(), self.files()), (first, []))
        kept._key_in.cache_clear()

    def test_what_others_may_write_is_not_read(self) -> None:
        kept.put("name", ".x", b"ours")
        file = self.folder / "kept" / "name.x"
        self.assertEqual(kept.take("name", ".x"), b"ours")
        for path, mode, back in ((file, 0o622, 0o600), (file, 0o606, 0o600), (file.parent, 0o777, 0o700), (file.parent, 0o720, 0o700)):
            os.chmod(path, mode)
            with self.subTest(path=path.name, mode=oct(mode)):
                self.assertIsNone(kept.take("name", ".x"))
            os.chmod(path, back)
        moved = file.with_suffix(".y")
        file.rename(moved)
        file.symlink_to(moved)
        self.assertIsNone(kept.take("name", ".x"), "a link may point to anything")
        with mock.patch("os.geteuid", return_value=os.geteuid() + 1):
            self.assertIsNone(kept.take("name", ".y"), "another user's")

    def test_the_name_changes_with_our_sources(self) -> None:
        name = kept.name_of("same")
        kept.made_by.cache_clear()
        self.addCleanup(kept.made_by.cache_clear)
        state = kept._state
        with mock.patch.object(kept, "_state", lambda path: state(path) + ("#" if Path(path).name == "code.py" else "")):
            self.assertNotEqual(kept.name_of("same"), name)

    def test_a_file_that_is_written_anew_has_another_state_whatever_it_looks_like(self) -> None:
        one = self.folder / "one.py"
        one.write_text("x = 1\n")
        before, times = kept._state(str(one)), os.stat(one)
        self.assertEqual(kept._state(str(one)), before)
        time.sleep(0.05)  # clocks of file systems go on in steps of some milliseconds
        one.write_text("x = 2\n")
        os.utime(one, ns=(times.st_atime_ns, times.st_mtime_ns))
        self.assertNotEqual(kept._state(str(one)), before)

    def test_where_nothing_can_be_kept_it_works_all_the_same(self) -> None:
        (self.folder / "kept").write_text("a file where the folder should be")
        self.assertTrue(self.replayed())


class NoMoreThanNeeded(unittest.TestCase):
    """The oldest go."""

    def test_forty_of_a_kind_stay(self) -> None:
        with tempfile.TemporaryDirectory() as name, mock.patch.object(kept, "kept_folder", lambda: Path(name) / "k"):
            for i in range(45):
                kept.put(f"n{i}", ".x", b"")
                os.utime(Path(name) / "k" / f"n{i}.x", ns=(i * MS, i * MS))
            self.assertEqual(len(list((Path(name) / "k").iterdir())), 40)
            self.assertIsNotNone(kept.take("n44", ".x"))


if __name__ == "__main__":
    unittest.main()
