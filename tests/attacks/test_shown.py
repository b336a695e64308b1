"""What files hold is shown, never obeyed: on every output, from every place a name or text may come from."""

from __future__ import annotations

import csv
import io
import json
import os
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from xml.etree import ElementTree

from tests.building import program_of, session_of
from whorlograph.desk.asking import ask
from whorlograph.desk.job_data import Kept, Mark, Note
from whorlograph.desk.report import report_markdown, write_report
from whorlograph.desk.session import Paths, load
from whorlograph.desk.tables import entries_csv, xref_of
from whorlograph.drawing.letters import lettered
from whorlograph.drawing.shapes import Ink
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.cells import cells, cut, padded
from whorlograph.model.parts import Ladder, coil, no
from whorlograph.model.shown import csv_cell, fenced, markdown, visible
from whorlograph.ui.theme import segments

OBEYED = ["\x1b[2J", "\x9b31m", "\u202e", "\u2066", "\u200b", "\u2028", "\x07", "\r", "\x85", "\ufeff", "\u00ad", "\U000e0041"]
SEEN = re.compile(r"[\x00-\x09\x0b-\x1f\x7f-\x9f\u00ad\u200b-\u200f\u2028-\u202e\u2066-\u2069\ufeff\U000e0000-\U000e0fff]")
COMMAND = (sys.executable, "-m", "whorlograph.cli.main")
IN, OUT = "Sw\u202eitch\x9b31m", "Lamp\u2028<b>\u200b"


def draw(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("Y1"))


class Texts(unittest.TestCase):
    """The functions that make text harmless."""

    def test_nothing_that_is_obeyed_is_left_and_what_is_shown_stays(self) -> None:
        for sign in OBEYED:
            self.assertIsNone(SEEN.search(visible(f"a{sign}b")), repr(sign))
            self.assertEqual(visible(visible(f"a{sign}b")), visible(f"a{sign}b"))
        for text in ("Pump_1", "Ölpumpe", "насос", "窯の扉", "α β · → ✓", "e\u0301clair", "50 % – “ok”"):
            self.assertEqual(visible(text), text)
        self.assertEqual((visible("\x1b"), visible("\u202e"), visible("a\udcffb")), ("\\x1b", "\\u202e", "a\\xffb"))

    def test_cells_of_tables_are_text_to_a_spreadsheet_and_read_back(self) -> None:
        for text in ("=1+1", "+cmd", "-2+3", "@sum", "\t=x", 'a"b', "a,b", "a;b", "a\nb", " a", "plain", "='x"):
            row = next(csv.reader(io.StringIO(f"{csv_cell(text)},end\n")))
            self.assertEqual(len(row), 2, repr(text))
            self.assertNotIn(row[0][:1], "=+-@\t\r")
            self.assertIn(visible(text).strip("\t"), row[0])

    def test_markdown_starts_nothing(self) -> None:
        for text in ("# head", "<script>", "[a](http://b)", "**b**", "```", "- x", "> q", "|a|b|", "https://x", "1. a"):
            shown = markdown(text)
            self.assertEqual(re.sub(r"\\(.)", r"\1", shown), text)
            self.assertIsNone(re.search(r"(?<!\\)[`*_<>\[\]#|]", shown))
        block = fenced("a\n```\nb````c").split("\n")
        self.assertEqual((block[0], block[-1]), ("`````", "`````"))

    def test_columns_stand_with_letters_of_any_width(self) -> None:
        for text, width in (("abc", 3), ("窯の扉", 6), ("e\u0301", 1), ("ｱｲ", 2), ("Ｗ", 2), ("🔥", 2), ("한글", 4), ("─┃", 2)):
            self.assertEqual(cells(text), width, text)
            self.assertEqual(cells(padded(text, 10)), 10)
            for room in range(8):
                self.assertLessEqual(cells(cut(text, room)), room)
                made = segments([(text, Ink.TEXT), ("tail", Ink.TEXT)], "dark", room)
                self.assertEqual(sum(cells(s.text) for s in made), room, (text, room))


class Everywhere(unittest.TestCase):
    """Hostile names in every file of a session, every output looked at."""

    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        data = write_xml(program_of(draw, "X1 Y1")).replace(b"X1", IN.encode()).replace(b"Y1", OUT.replace("<", "&lt;").replace(">", "&gt;").encode())
        data = data.replace(b'name="Test"', 'name="Te\u202est # [x](y)"'.encode())
        self.program = self.folder / "pro\u202egram.xml"
        self.program.write_bytes(data)
        self.log = self.folder / "log.csv"
        self.log.write_text(f"time,tag,value\n0,{IN},0\n1,{IN},1\n2,{IN},0\n3,Unk\x1b[2Jnown\u202e,1\n4,{IN},\x1b]0;title\x07\n", encoding="utf-8")
        self.list = self.folder / "list.csv"
        self.list.write_text(f"tag,device,location,terminal,wiring,description\n{IN},S\x1b[1m1,Bo\u202ex,T\x07,NC,Te\u200bxt = 'x'\n", encoding="utf-8")

    def looked_at(self, text: str) -> None:
        found = SEEN.search(text)
        self.assertIsNone(found, repr(text[max(0, found.start() - 30):found.start() + 10]) if found else "")

    def test_commands_print_nothing_that_is_obeyed(self) -> None:
        files = [str(self.program), str(self.log)]
        name = visible(OUT)
        for words in (["why", *files, OUT, "--io-list", str(self.list)], ["why", *files, name, "--json"], ["xref", files[0]], ["xref", files[0], IN, "--csv"],
                      ["survey", *files, "--io-list", str(self.list)], ["replay", *files], ["find", *files, name], ["why", *files, "no\x1b[2Jsuch"],
                      ["survey", str(self.folder / "mis\x1b[2Jsing.xml")], ["replay", *files, "--out", str(self.folder / "out.csv")]):
            done = subprocess.run([*COMMAND, *words], capture_output=True, timeout=60, check=False, env={**os.environ, "HOME": str(self.folder)})
            with self.subTest(words=words[0]):
                self.assertNotIn(b"Traceback", done.stderr)
                self.looked_at(done.stdout.decode())
                self.looked_at(done.stderr.decode())
                if "--json" in words:
                    self.assertIn("roots", json.loads(done.stdout))
        self.looked_at((self.folder / "out.csv").read_text(encoding="utf-8"))
        self.assertEqual({len(r) for r in csv.reader(io.StringIO((self.folder / "out.csv").read_text(encoding="utf-8")))}, {4})

    def test_reports_and_tables_hold_nothing_that_is_obeyed(self) -> None:
        session = load(Paths(self.program, (self.log,), self.list, title="Ti\u202etle\x1b <i>"), ahead=False)
        answer = ask(session, OUT)
        kept = Kept((Mark("a", 1, "ma\x1b[2Jrk *x*"),), (Note(2, "<script>no\u202ete</script>"),))
        text = report_markdown(session, answer, kept)
        for shown in (text, entries_csv(xref_of(session).entries())):
            self.looked_at(shown)
        outside = re.sub(r"^(`{3,})\n.*?\n\1$", "", text, flags=re.S | re.M)
        self.assertNotIn("<script>", outside)
        for suffix in (".svg", ".pdf"):
            write_report(session, answer, self.folder / f"report{suffix}", kept)
        picture = (self.folder / "report.svg").read_text(encoding="utf-8")
        ElementTree.fromstring(picture)
        self.looked_at(picture.replace("\t", ""))

    def test_a_letter_that_the_font_has_not_stands_as_its_code_point(self) -> None:
        session = session_of(program_of(draw, "X1 Y1"), [(0, "X1", 0), (5, "X1", 1), (9, "X1", 0)])
        answer = ask(session, "Y1")
        for bold in (False, True):
            self.assertEqual(lettered("Öl, €, – é", bold), ("Öl, €, – é", "Helvetica-Bold" if bold else "Helvetica"))
            text, font = lettered("насос Ωμέγα Łódź 窯", bold)
            self.assertEqual(text, "насос Ωμέγα Łódź [U+7AAF]")
            self.assertTrue(font.startswith("SourceSansPro"))
        write_report(session, answer, self.folder / "letters.pdf", Kept((), (Note(2, "ж窯"),)))
        written = (self.folder / "letters.pdf").read_bytes()
        self.assertTrue(written.startswith(b"%PDF"))
        self.assertIn(b"SourceSansPro", written)


class Completion(unittest.TestCase):
    """Names that would run as commands when the shell completes them."""

    def test_bash_gets_words_it_runs_nothing_of(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            names = ["Ev$(touch pwned)", "Ev;touch pwned", "Ev`touch pwned`", "Ev\"'x", "Ev&amp;touch pwned", "Ev*", "Ev\u202ex", "Ev space"]
            data = write_xml(program_of(draw, "X1 Y1"))
            more = "".join(f'<variable name="{n.replace(chr(34), "&quot;")}"><type><BOOL/></type></variable>' for n in names).encode()
            (place / "p.xml").write_bytes(data.replace(b"<globalVars>", b"<globalVars>" + more))
            script = subprocess.run([*COMMAND, "completion", "bash"], capture_output=True, text=True, timeout=60, check=True).stdout
            (place / "complete.sh").write_text(script + '\nCOMP_WORDS=(whorlograph xref p.xml Ev); COMP_CWORD=3\n_whorlograph_completion whorlograph Ev xref\n'
                                               'for c in "${COMPREPLY[@]}"; do eval "set -- $c"; printf "%s:%s\\n" "$#" "$1"; done\n')
            (place / "whorlograph").write_text(f'#!/bin/sh\nexec "{sys.executable}" -m whorlograph.cli.main "$@"\n')
            (place / "whorlograph").chmod(0o755)
            done = subprocess.run(["bash", "complete.sh"], cwd=place, capture_output=True, text=True, timeout=60, check=False,
                                  env={**os.environ, "PATH": f"{place}:{os.environ['PATH']}", "HOME": folder})
            self.assertEqual(sorted(done.stdout.splitlines()), sorted(f"1:{visible(n.replace('&amp;', '&'))}" for n in names))
            self.assertFalse((place / "pwned").exists())


if __name__ == "__main__":
    unittest.main()
