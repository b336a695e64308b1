"""The commands: what they print, their exit status, what they may import."""

from __future__ import annotations

import csv
import gzip
import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from threading import Thread

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

    def test_the_first_frame_imports_nothing_that_only_an_answer_needs(self) -> None:
        code = ("import sys\nimport whorlograph.ui.app, whorlograph.ui.first\n"
                "print(*sorted(m for m in ('numpy', 'lxml', 'wasmtime', 'reportlab', 'whorlograph.desk.scene', 'whorlograph.desk.session') if m in sys.modules))")
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
        self.assertEqual(done.stdout.strip(), "")

    def test_where_wasmtime_cannot_be_imported_commands_and_screen_do_without(self) -> None:
        code = ("import sys\nsys.modules['wasmtime'] = None\nimport whorlograph.ui.main\n"
                "sys.argv = ['whorlograph', 'replay', *sys.argv[1:]]\nfrom whorlograph.cli.main import run\nrun()")
        one = cases()["kiln"]
        done = subprocess.run([sys.executable, "-c", code, str(one.program), str(one.log), "--until", "2"], capture_output=True, text=True, timeout=120, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertNotIn("a mistake of ours", done.stderr)

    def test_why_as_json_is_one_object(self) -> None:
        done = run("why", *FILES, "Raise_Pump", *LISTS, "--json", "--prove")
        self.assertEqual(done.returncode, 0, done.stderr)
        answer = json.loads(done.stdout)
        self.assertEqual(set(answer["symptom"]), {"kind", "tag", "value", "t", "scan", "attempt"})
        root = answer["roots"][0]
        self.assertEqual(set(root), {"kind", "tag", "address", "value", "since", "device", "proved", "trial", "turns", "with", "blocked", "attempts", "text"})
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

    def test_why_without_anything_says_what_it_rests_on(self) -> None:
        done = run("why", BRIDGE.program, "Chain_OK")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("This rests on: not given, taken as declared: EStop_Desk_N", done.stdout)
        self.assertIn("EStop_Desk_N", done.stdout)

    def test_try_tells_what_a_hold_would_have_changed(self) -> None:
        done = run("try", *FILES, "--profile", BRIDGE.profile, "--hold", "East_Down_LS=1@14:02:52..14:02:53", "Raise_Pump", "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        found = json.loads(done.stdout)
        self.assertEqual(set(found), {"tags", "course", "faults"})
        self.assertEqual(found["tags"][0]["tag"], "East_Down_LS")
        mine = next(t for t in found["tags"] if t["tag"] == "Raise_Pump")
        self.assertEqual((mine["before"], mine["after"]), (False, True))
        self.assertEqual(found["course"]["tag"], "Raise_Pump")
        done = run("try", *FILES, "--profile", BRIDGE.profile, "--hold", "East_Down_LS=1@14:02:52..14:02:53", "Raise_Pump")
        self.assertIn("Raise_Pump differs from 14:02:52.190 on: off before, on now", done.stdout)

    def test_try_refuses_what_it_cannot_do(self) -> None:
        for rest, said in ((("--hold", "Raise_Pump=1", "Raise_Pump"), "--force"), (("Raise_Pump",), "nothing is changed"),
                           (("--hold", "Nobody=1", "Raise_Pump"), "Nobody"), (("--hold", "East_Down_LS=x", "Raise_Pump"), "is no value")):
            with self.subTest(rest=rest):
                done = run("try", *FILES, *rest)
                self.assertEqual((done.returncode, len(done.stderr.strip().splitlines())), (2, 1), done.stderr)
                self.assertIn(said, done.stderr)

    def test_with_little_address_space_the_answer_is_the_same(self) -> None:
        # 500 MB is less than one WebAssembly memory would reserve; the answer is the same.
        command = "ulimit -v {} && exec {} -m whorlograph.cli.main why {} {} Raise_Pump --prove"
        texts = [subprocess.run(["bash", "-c", command.format(limit, sys.executable, BRIDGE.program, BRIDGE.log)], capture_output=True, text=True,
                                timeout=120, check=False) for limit in ("unlimited", "900000")]
        self.assertEqual([t.returncode for t in texts], [0, 0], texts[1].stderr)
        self.assertEqual(texts[0].stdout, texts[1].stdout)
        self.assertGreater(len(texts[0].stdout.splitlines()), 10)

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

    def test_a_packed_log_and_one_through_a_pipe_give_the_same_answer(self) -> None:
        expected = run("why", *FILES, "Raise_Pump", *LISTS).stdout
        with tempfile.TemporaryDirectory() as folder:
            packed, pipe = Path(folder) / "shift.csv.gz", Path(folder) / "pipe"
            packed.write_bytes(gzip.compress(BRIDGE.log.read_bytes()))
            os.mkfifo(pipe)
            writer = Thread(target=lambda: pipe.write_bytes(BRIDGE.log.read_bytes()))
            writer.start()
            for log in (packed, pipe):
                with self.subTest(log.name):
                    self.assertEqual(run("why", BRIDGE.program, log, "Raise_Pump", *LISTS).stdout, expected)
            writer.join()

    def test_a_damaged_packing_is_told_and_what_is_before_it_answers(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            packed = Path(folder) / "shift.csv.gz"
            data = gzip.compress(BRIDGE.log.read_bytes())
            packed.write_bytes(data[:len(data) * 2 // 3])
            done = run("why", BRIDGE.program, packed, "Raise_Pump", *LISTS)
        self.assertIn(done.returncode, (0, 1), done.stderr)
        self.assertIn("set aside", done.stdout + done.stderr)
        self.assertIn("the packed file is damaged behind its", done.stdout + done.stderr)
        self.assertIn("Raise_Pump", done.stdout)

    def test_what_cannot_be_done_is_one_line_and_status_2(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            empty = Path(folder) / "empty.csv"
            empty.write_text("")
            for args, said in (
                (("why", *FILES, "Nobody"), "no tag is called Nobody"),
                (("why", *FILES, "Raise_Pmp"), "Raise_Pump"),
                (("why", *FILES, "Raise_Pump", "--at", "never"), "is no time"),
                (("why", BRIDGE.program, BRIDGE.log), "no tag is given"),
                (("why", "gone.xml", BRIDGE.log, "X"), "gone.xml"),
                (("replay", BRIDGE.program, empty), "empty"),
                (("replay", *FILES, "--out", "x.wav"), ".wav"),
                (("replay", BRIDGE.program), "LOGS"),
                (("open", *FILES, "Raise_Pump"), "a tag is asked about by --tag"),
                (("demo", "nowhere"), "bridge"),
                (("whi",), "did you mean why?"),
                (("xref", BRIDGE.program, "Nobody"), "no tag is called Nobody"),
                (("xref", BRIDGE.program, "--json", "--csv"), "both given"),
                (("survey", empty), "empty"),
                (("find", *FILES, "Nobody rises"), "no tag is called Nobody"),
                (("find", *FILES, "Raise_Pump and"), "too early"),
                (("find", *FILES, "what ever"), "write it like"),
                (("draw", BRIDGE.program, "--out", "x.bmp"), "no format"),
                (("draw", BRIDGE.program, "--out", "x.svg", "--rung", "3"), "no POU is given"),
                (("draw", BRIDGE.program, "--out", "x.svg", "--pou", "Nowhere"), "its POUs are Guards"),
                (("draw", BRIDGE.program, "--out", "x.svg", "--at", "3"), "no log is given"),
                (("report", *FILES, "Raise_Pump", "--out", "x.doc"), "no format"),
                (("why", *FILES, "Raise_Pump", "--pdf", "x.svg"), "does not end in .pdf"),
                (("why", *FILES, "Raise_Pump", "--at", "1e-999999999"), "is no time"),
            ):
                with self.subTest(args=[str(a) for a in args]):
                    done = run(*args)
                    self.assertEqual(done.returncode, 2)
                    self.assertIn(said, done.stderr)
                    self.assertEqual(len(done.stderr.strip().splitlines()), 1)
                    self.assertNotIn("Traceback", done.stderr)

    def test_xref_of_a_tag_in_words_json_and_csv(self) -> None:
        words = run("xref", BRIDGE.program, "east_down_ls", *LISTS).stdout
        for word in ("LS-12, junction box 3, terminal 14, wired normally open", "Permits 1", "normally closed", "written by the field"):
            self.assertIn(word, words)
        found = json.loads(run("xref", BRIDGE.program, "East_Down_LS", *LISTS, "--json").stdout)
        self.assertEqual((found["tag"], found["address"], found["terminal"], found["wiring"]), ("East_Down_LS", "%IX2.0", "14", "NO"))
        self.assertEqual([(u["pou"], u["rung"], u["access"], u["how"]) for u in found["uses"]],
                         [("Permits", 1, "read", "normally open"), ("Barriers", 1, "read", "normally closed")])
        self.assertIn("Raise_Pump", found["outputs"])
        rows = list(csv.DictReader(run("xref", BRIDGE.program, "Maint_Mode", "--csv").stdout.splitlines()))
        self.assertEqual([r["access"] for r in rows].count("write"), 1)
        self.assertTrue(any("jump condition to Seq_End" in r["how"] for r in rows))

    def test_xref_of_all_tags(self) -> None:
        found = json.loads(run("xref", BRIDGE.program, *LISTS, "--json").stdout)
        self.assertEqual(len(found), 103)
        odd = {e["tag"]: e["marks"] for e in found if e["marks"]}
        self.assertEqual(odd["Count_Reset"], ["never written"])
        rows = list(csv.DictReader(run("xref", BRIDGE.program, *LISTS, "--csv").stdout.splitlines()))
        self.assertEqual({r["tag"] for r in rows}, {e["tag"] for e in found})
        self.assertIn("! never read", run("xref", BRIDGE.program).stdout)

    def test_survey_in_words_and_json(self) -> None:
        words = run("survey", *FILES, *LISTS).stdout
        for word in ("every 10 ms", "3. Sequence", "40 at %I, 26 at %Q", "3,998 rows", "Nothing was set aside"):
            self.assertIn(word, words)
        found = json.loads(run("survey", BRIDGE.program, "--json").stdout)
        self.assertEqual([r["instance"] for r in found["runs"]], ["Guards", "Permits", "Sequence", "Barriers", "Leaf_Drive", "Signals"])
        self.assertEqual(sum(p["rungs"] for p in found["pous"]), 76)
        self.assertEqual(found["scan_time"], 10_000_000)

    def test_what_was_unusual_in_words_and_json(self) -> None:
        words = run("odd", *FILES, *LISTS)
        self.assertEqual(words.returncode, 1, words.stderr)
        self.assertIn("because of East_Down_LS: only this time; 5 of 7 times Leaf_Top_LS stops it", words.stdout)
        self.assertIn("compared were of each tag the last 1,000 at the most", words.stdout)
        every = json.loads(run("odd", *FILES, *LISTS, "--all", "--json").stdout)
        self.assertTrue(words.stdout.startswith(f"{every['looked_at']:,} of {every['of']:,} drop-outs compared; {len(every['events'])} unlike"))
        self.assertEqual(every["tags_not_looked_at"], 0)
        self.assertEqual([e["root"]["tag"] for e in every["events"]], ["Lamp_Test_PB", "East_Down_LS", "Lamp_Test_PB"])

    def test_cycles_in_words_json_and_on_paper(self) -> None:
        done = run("cycles", *FILES, *LISTS)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("6 whole cycles", done.stdout)
        self.assertIn("cycle 6, 14:02:08.779, 44.921 s: East_Down_LS off for 46 ms", done.stdout)
        found = json.loads(run("cycles", *FILES, *LISTS, "--start", "Open_PB", "--json").stdout)
        self.assertEqual(found["start"], "Open_PB")
        self.assertEqual(set(found), {"start", "cycles", "typical", "drift"})
        self.assertEqual(set(found["cycles"][0]), {"number", "t", "length", "kind", "distance", "first"})
        self.assertEqual(found["cycles"][0]["number"], 6)
        with tempfile.TemporaryDirectory() as name:
            for ending, begin in ((".svg", b"<?xml"), (".pdf", b"%PDF")):
                path = Path(name) / f"whorl{ending}"
                self.assertEqual(run("cycles", *FILES, *LISTS, "--out", path).returncode, 0)
                self.assertTrue(path.read_bytes().startswith(begin))
            wrong = run("cycles", *FILES, *LISTS, "--out", Path(name) / "whorl.png")
            self.assertEqual((wrong.returncode, wrong.stderr.count("\n")), (2, 1))
        for start in ("Nonsense", "Open_PB and not Open_PB"):
            wrong = run("cycles", *FILES, *LISTS, "--start", start)
            self.assertEqual((wrong.returncode, wrong.stderr.count("\n"), wrong.stdout), (2, 1, ""))
        self.assertIn("cycle 6", run("survey", *FILES, *LISTS).stdout)

    def test_find_tells_when(self) -> None:
        done = run("find", *FILES, "East_Down_LS falls for < 50ms and")
        self.assertEqual(done.returncode, 2)
        words = run("find", *FILES, "East_Down_LS falls for < 50ms").stdout
        self.assertIn("28 places", words)
        self.assertIn("14:02:52.160000  scan 2717217  for 46 ms", words)
        found = json.loads(run("find", *FILES, "Raise_Pump rises", "--json").stdout)
        self.assertEqual(len(found), 6)
        self.assertEqual(found[0], {"t": 3273.11, "until": 3348.34})

    def test_paper_commands_write_files(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            for args in (("draw", BRIDGE.program, "--pou", "Permits", "--rung", "7", "--log", BRIDGE.log, "--at", "14:02:52.19", "--out", place / "a.svg"),
                         ("draw", BRIDGE.program, "--out", place / "b.pdf"),
                         ("report", *FILES, "Raise_Pump", *LISTS, "--out", place / "c.pdf"),
                         ("report", *FILES, "Raise_Pump", *LISTS, "--out", place / "d.md"),
                         ("why", *FILES, "Raise_Pump", *LISTS, "--svg", place / "e.svg", "--pdf", place / "f.pdf")):
                done = run(*args)
                self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("Leaf_Free", (place / "a.svg").read_text())
            self.assertNotIn("Leaf_Drive 7", (place / "a.svg").read_text())
            for name in ("b.pdf", "c.pdf", "f.pdf"):
                self.assertTrue((place / name).read_bytes().startswith(b"%PDF"), name)
            self.assertIn("terminal 14", (place / "d.md").read_text())
            self.assertIn("terminal 14", (place / "e.svg").read_text())

    def test_paths_manual_and_completion(self) -> None:
        self.assertEqual(len(run("paths").stdout.splitlines()), 3)
        manual = run("man").stdout
        for name in ("why", "replay", "xref", "completion"):
            self.assertIn(f".SS \"whorlograph {name} ", manual)
        for shell in ("bash", "zsh", "fish"):
            self.assertIn("_WHORLOGRAPH_COMPLETE", run("completion", shell).stdout)
        self.assertEqual(run("completion", "cmd").returncode, 2)

    def test_completion_knows_the_programs_tags(self) -> None:
        environment = {**os.environ, "_WHORLOGRAPH_COMPLETE": "bash_complete", "COMP_WORDS": f"whorlograph xref {BRIDGE.program} East_D", "COMP_CWORD": "3"}
        done = subprocess.run([sys.executable, "-c", "from whorlograph.cli.main import run; run()"], env=environment, capture_output=True, text=True,
                              timeout=60, check=False)
        self.assertEqual(done.stdout.split(), ["plain,East_Down_LS", "plain,East_Down"])

    def test_the_version_and_the_cases_are_told(self) -> None:
        self.assertIn("0.", run("--version").stdout)
        self.assertIn("Skerrow Bridge", run("demo", "--list").stdout)


if __name__ == "__main__":
    unittest.main()
