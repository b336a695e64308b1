"""Small files that ask for more than there is: counted or bounded, and said; and wrong words refused in one line."""

from __future__ import annotations

import gzip
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from tests.building import program_of
from whorlograph.desk.session import Paths, load
from whorlograph.engine import controller as controllers
from whorlograph.formats.logs import csv_table, plain_lines, source
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model import limits
from whorlograph.model.errors import WhorlographError
from whorlograph.model.parts import Ladder, coil, nc, no

COMMAND = (sys.executable, "-m", "whorlograph.cli.main")


def draw(ladder: Ladder) -> None:
    ladder.rung(nc("Y1"), coil("Y1"))
    ladder.rung(no("X1"), coil("Y2"))


class Bombs(unittest.TestCase):
    """Each file is made here, small."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.xml = write_xml(program_of(draw, "X1 Y1 Y2")).decode()
        self.program = self.folder / "program.xml"
        self.program.write_text(self.xml)
        self.log = self.folder / "log.csv"
        self.log.write_text("time,tag,value\n0,X1,0\n1,X1,1\n2,X1,0\n")

    def loaded(self, xml: str) -> list[str]:
        self.program.write_text(xml)
        session = load(Paths(self.program, (self.log,)), ahead=False)
        self.assertGreater(len(session.journal), 3)
        self.assertLess(len(session.running.tags), limits.MOST_VARIABLES + 10)
        return [str(n) for n in session.notices]

    def declared(self, types: str, pous: str, of: str) -> str:
        own = f'<localVars><variable name="Q"><type><derived name="{of}"/></type></variable></localVars>'
        xml = self.xml.replace("<dataTypes/>", f"<dataTypes>{types}</dataTypes>").replace('<pou name="Main"', f'{pous}<pou name="Main"')
        begin = xml.index('<pou name="Main"')
        return xml[:begin] + xml[begin:].replace("<interface/>", f"<interface>{own}</interface>", 1)

    def test_what_unfolds_without_end_is_counted_and_left_out(self) -> None:
        self.assertIn("<interface/>", self.xml)
        parts = "".join(f'<variable name="m{k}"><type>%s</type></variable>' for k in range(10))
        structures = "".join(f'<dataType name="S{i}"><baseType><struct>{parts % ((f"<derived name=%sS{i - 1}%s/>" % (chr(34), chr(34)) if i else "<BOOL/>",) * 10)}'
                             "</struct></baseType></dataType>" for i in range(12))
        arrays = "".join(f'<dataType name="A{i}"><baseType><array><dimension lower="1" upper="1000"/><baseType>'
                         + (f'<derived name="A{i - 1}"/>' if i else "<BOOL/>") + "</baseType></array></baseType></dataType>" for i in range(40))
        blocks = "".join(f'<pou name="F{i}" pouType="functionBlock"><interface><localVars>'
                         + "".join(f'<variable name="a{k}"><type><derived name="{f"F{i - 1}" if i else "TON"}"/></type></variable>' for k in range(8))
                         + "</localVars></interface><body><LD/></body></pou>" for i in range(10))
        for xml, of in ((self.declared(structures, "", "S11"), "S11"), (self.declared(arrays, "", "A39"), "A39"), (self.declared("", blocks, "F9"), "F9")):
            with self.subTest(of=of):
                said = [n for n in self.loaded(xml) if "unfolds to" in n]
                self.assertEqual(len(said), 1)
                self.assertIn("Main: Q unfolds to", said[0])

    def test_functions_that_call_one_another_twice_are_no_exponent(self) -> None:
        def function(i: int) -> str:
            calls = "".join(f'<block localId="{10 + k}" typeName="F{i - 1}"><position x="{40 + 40 * k}" y="10"/><inputVariables/><inOutVariables/>'
                            '<outputVariables/></block>' for k in range(3)) if i else ""
            return (f'<pou name="F{i}" pouType="function"><interface><returnType><BOOL/></returnType></interface><body><LD>'
                    f'<leftPowerRail localId="1"><position x="0" y="0"/></leftPowerRail>{calls}</LD></body></pou>')

        self.loaded(self.xml.replace('<pou name="Main"', "".join(map(function, range(40))) + '<pou name="Main"'))

    def test_packed_files_and_lines_have_ends(self) -> None:
        packed = self.folder / "bomb.csv.gz"
        with gzip.open(packed, "wb") as file:
            file.write(b"time,tag,value\n")
            for _ in range(10):
                file.write(b"0,X1,0\n" * 100_000)
        with mock.patch.object(source, "PACKED_FREE", 1 << 16), mock.patch.object(source, "MOST_PACKED_RATIO", 20):
            session = load(Paths(self.program, (packed,)), ahead=False)
        self.assertLess(len(session.log.times), 600_000)
        self.assertIn("unpacks to over", " ".join(map(str, session.notices)))
        for name, opened in (("line.csv", Path.open), ("line.csv.gz", gzip.open)):
            with opened(self.folder / name, "wb") as file:  # type: ignore[operator]
                file.write(b"time,tag,value\n0,X1,")
                for _ in range(8):
                    file.write(b"9" * 1_000_000)
            with self.assertRaisesRegex(WhorlographError, "line is longer"):
                load(Paths(self.program, (self.folder / name,)), ahead=False)

    def test_rows_and_changes_stop_where_the_memory_ends(self) -> None:
        rows = "".join(f"{i / 1000},X1,{i % 2}\n" for i in range(60_000))
        self.log.write_text("time,tag,value\n" + rows)
        for module in (plain_lines, csv_table):
            with (mock.patch.object(module, "memory_room", lambda: 20_000 * limits.LOG_ROW), mock.patch.object(plain_lines, "BLOCK", 1 << 14),
                  mock.patch.object(csv_table, "WORTH_IT", 0 if module is plain_lines else 1 << 40)):
                session = load(Paths(self.program, (self.log,)), ahead=False)
            self.assertLess(len(session.log.times), 60_000)
            self.assertIn("memory holds no more", " ".join(map(str, session.notices)))
        self.log.write_text("time,tag,value\n0,X1,0\n90000,X1,1\n")
        session = load(Paths(self.program, (self.log,)), ahead=False)
        with mock.patch.object(controllers, "memory_room", lambda: 1000 * limits.JOURNAL_ROW), self.assertRaisesRegex(WhorlographError, "memory holds"):
            _ = session.journal
        self.log.write_text("time,tag,value\n0,X1,0\n")

    def command(self, *words: str) -> str:
        done = subprocess.run([*COMMAND, *words], capture_output=True, timeout=60, check=False, env={**os.environ, "HOME": str(self.folder)})
        self.assertEqual(done.returncode, 2, done.stderr[-300:])
        self.assertEqual((done.stderr.count(b"\n"), b"mistake of ours" in done.stderr), (1, False), done.stderr[-300:])
        return done.stderr.decode()

    def test_endless_and_senseless_inputs_are_refused_in_one_line(self) -> None:
        program, log = str(self.program), str(self.log)
        toml = self.folder / "profile.toml"
        many = "9" * 5000
        self.assertIn("/dev/zero", self.command("survey", "/dev/zero"))
        self.assertIn("/dev/zero", self.command("replay", program, "/dev/zero"))
        for text in ("x = " + "[" * 3000 + "]" * 3000, f"scan_time = {many}", f'scan_time = "{many}ms"', 'scan_time = "T#1s"', 'scan_time = "106752d"'):
            toml.write_text(text)
            self.assertIn("profile.toml", self.command("replay", program, log, "--profile", str(toml)))
        for at in (many, "25:00", "9999", "-5", "1e400", "²"):
            self.command("why", program, log, "Y2", "--at", at)
        self.assertIn("--until", self.command("replay", program, log, "--until", "-5"))
        for condition in ("not " * 3000 + "X1", f"X1 = {many}", "X1 = ", "²"):
            self.assertIn("condition", self.command("find", program, log, condition))
        self.assertIn("its resources are R", self.command("survey", program, "--resource", "nope"))

    def test_outputs_are_never_inputs(self) -> None:
        link, hard = self.folder / "link.csv", self.folder / "hard.csv"
        link.symlink_to(self.log)
        hard.hardlink_to(self.log)
        before = self.log.read_bytes()
        for out in (self.log, link, hard, self.folder / "." / "log.csv"):
            self.assertIn("is read here", self.command("replay", str(self.program), str(self.log), "--out", str(out)))
        picture = self.folder / "program.svg"
        picture.write_text(self.xml)
        self.assertIn("is read here", self.command("draw", str(picture), "--out", str(picture)))
        self.assertEqual((self.log.read_bytes(), picture.read_text()), (before, self.xml))
        other = self.folder / "out.csv"
        other.write_text("old")
        other.chmod(0o640)
        with mock.patch.object(os, "replace", side_effect=OSError(28, "No space left on device")), self.assertRaises(WhorlographError):
            from whorlograph.desk.results import replay_into

            replay_into(load(Paths(self.program, (self.log,)), ahead=False), other)
        self.assertEqual((other.read_text(), other.stat().st_mode & 0o777, list(self.folder.glob("*.part"))), ("old", 0o640, []))


if __name__ == "__main__":
    unittest.main()
