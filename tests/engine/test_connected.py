"""What a configuration connects to the parameters of programs: handed in before the program runs, taken out behind it, under its task."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from tests.building import Rows, log_of
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.desk.words import answer_text
from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.formats.programs.st import read
from whorlograph.inquiry.revisions.programs import compare_programs
from whorlograph.model.iolist import IoList
from whorlograph.model.literals import cooked
from whorlograph.model.profile import Profile

SUM = ("PROGRAM Sum VAR_INPUT Start : BOOL; N : INT; END_VAR VAR_OUTPUT Run : BOOL; Total : DINT; END_VAR VAR Seen : R_TRIG; END_VAR "
       "Seen(CLK := Start); IF Seen.Q THEN Total := Total + N; END_IF; Run := Start AND N > 3; END_PROGRAM ")
GLOBALS = "VAR_GLOBAL Start AT %IX0.0 : BOOL; Go AT %IX1.0 : BOOL; N1 AT %IW2 : INT; N2 AT %IW4 : INT; Run1 AT %QX0.0 : BOOL; Idle AT %QX0.1 : BOOL; T1, T2 : DINT; END_VAR "
ROWS: Rows = [(0, "Start", 0), (0, "N1", 5), (0, "N2", 2), (95, "Start", 1), (195, "Start", 0), (240, "N2", 9), (300, "Start", 1), (400, "N1", 1), (500, "N1", 1)]


def controllers(programs: str, before: str = SUM, tasks: str = "") -> list[Controller]:
    """The plain controller and the compiled one."""
    text = f"{before} CONFIGURATION C {GLOBALS} RESOURCE R ON P {tasks}\n{programs}\nEND_RESOURCE END_CONFIGURATION"
    loaded = read(text.encode(), Path("x.st"))
    assert not loaded.notices, [str(n) for n in loaded.notices]
    return [Controller(loaded.value, Profile(scan_time=10_000_000, rung_time=100_000), plain=plain) for plain in (True, False)]


def course(controller: Controller, journal: Journal, name: str) -> list[tuple[int, object]]:
    """In which scans a tag came to which values."""
    tag = controller.running.tags[controller.running.by_name[name.lower()]]
    found: list[tuple[int, object]] = []
    for scan in range(journal.clock.last + 1):
        value = cooked(journal.settled(tag.index, scan), tag.type)
        if not found or found[-1][1] != value:
            found.append((scan, value))
    return found


class Parameters(unittest.TestCase):
    """In both engines."""

    def test_they_are_handed_in_before_it_runs_and_taken_out_behind_it(self) -> None:
        for controller in controllers("PROGRAM S1 : Sum(Start := Start, N := N1,\n  Run => Run1, Total => T1);"
                                      " PROGRAM S2 : Sum(Start := %IX0.0, N := N2, NOT Run => Idle, Total => T2); PROGRAM S3 : Sum(N := 7);"):
            journal = controller.replay(log_of(controller, ROWS))
            with self.subTest(plain=controller.plain):
                self.assertEqual(controller.notices, [])
                self.assertEqual(course(controller, journal, "Run1"), [(0, False), (11, True), (21, False), (31, True), (41, False)])
                self.assertEqual(course(controller, journal, "Idle"), [(0, False), (1, True), (31, False)])
                self.assertEqual(course(controller, journal, "T1"), [(0, 0), (11, 5), (31, 10)])
                self.assertEqual(course(controller, journal, "T2"), [(0, 0), (11, 2), (31, 11)])
                self.assertEqual(course(controller, journal, "S3.N"), [(0, 0), (1, 7)])
                # A step for each parameter beside the three of each program.
                self.assertEqual(journal.lengths[0].tolist(), [1, 100_000 * (3 * 3 + 9)])

    def test_as_if_the_program_took_them_itself(self) -> None:
        """Random logs: the same values as of a program that says so in its own body."""
        own = SUM.replace("Seen(CLK", "Start := Go; N := N1; Seen(CLK").replace("END_PROGRAM", "Run1 := Run; T1 := Total; END_PROGRAM") \
            .replace("VAR Seen", "VAR_EXTERNAL Go, Run1 : BOOL; N1 : INT; T1 : DINT; END_VAR VAR Seen").replace("VAR_INPUT", "VAR").replace("VAR_OUTPUT", "VAR")
        for seed in range(12):
            random = Random(seed)
            tasks = "TASK Fast(INTERVAL := T#4ms, PRIORITY := 1);" if seed % 2 else ""
            under = " WITH Fast" if tasks else ""
            rows = sorted((random.randrange(600), random.choice(("Go", "N1")), random.randrange(2)) for _ in range(40))
            rows = [(at, name, value if name == "Go" else 3 + value) for at, name, value in rows] + [(600, "Go", 0)]
            found = []
            for programs, before in ((f"PROGRAM S1{under} : Sum(Start := Go, N := N1, Run => Run1, Total => T1);", SUM), (f"PROGRAM S1{under} : Sum;", own)):
                for one in controllers(programs, before, tasks):
                    journal = one.replay(log_of(one, rows))
                    found.append([course(one, journal, name) for name in ("Run1", "T1", "S1.Seen.Q")])
            with self.subTest(seed):
                self.assertEqual(found[1:], found[:1] * 3)
                self.assertGreater(len(found[0][0]), 2)

    def test_what_cannot_be_connected_is_said(self) -> None:
        text = f"{SUM} CONFIGURATION C {GLOBALS} RESOURCE R ON P PROGRAM S1 : Sum(Strt := Start, Run := Start, N => N1, Total => Nowhere, N := N1); END_RESOURCE END_CONFIGURATION"
        controller = Controller(read(text.encode(), Path("x.st")).value, Profile(scan_time=10_000_000))
        said = "\n".join(str(n) for n in controller.notices)
        for words in ("Strt, which it does not declare; it is not connected", "Run, which is no input of it", "N, which is no output of it", "Nowhere names nothing that is declared"):
            self.assertIn(words, said)
        self.assertEqual(course(controller, controller.replay(log_of(controller, ROWS)), "S1.N")[:2], [(0, 0), (1, 5)])

    def test_a_structure_goes_through_whole_and_is_told_by_its_part(self) -> None:
        before = ("TYPE Cmd : STRUCT Run : BOOL; Speed : INT; END_STRUCT; END_TYPE PROGRAM Oven VAR_INPUT C : Cmd; END_VAR VAR_OUTPUT Heat : BOOL; END_VAR Heat := C.Run AND C.Speed > 3; "
                  "END_PROGRAM PROGRAM Desk VAR_EXTERNAL Req : Cmd; Start : BOOL; N1 : INT; END_VAR Req.Run := Start; Req.Speed := N1; END_PROGRAM")
        found = []
        for one in controllers("VAR_GLOBAL Req : Cmd; END_VAR PROGRAM D : Desk; PROGRAM O : Oven(C := Req, Heat => Run1);", before):
            journal = one.replay(log_of(one, ROWS))
            found.append(course(one, journal, "Run1"))
            session = Session(one, log_of(one, ROWS), IoList({}), [], Paths(Path("x.st")))
            said = answer_text(session, ask(session, "Run1", "0.2"))
            self.assertIn("in O's inputs 2 Req.Run became FALSE first", said)
            self.assertIn("check what is wired to Start", said)
        self.assertEqual(found, [[(0, False), (11, True), (21, False), (31, True), (41, False)]] * 2)

    def test_the_trail_leads_through_them_and_revisions_compare_them(self) -> None:
        one = controllers("PROGRAM S1 : Sum(Start := Start,\n  N := N1,\n  Run => Run1);")[1]
        session = Session(one, log_of(one, ROWS), IoList({}), [], Paths(Path("x.st")))
        answer = ask(session, "Run1")
        prove_all(session, answer)
        root = answer.roots[0]
        self.assertEqual((one.running.tags[root.tag or 0].name, root.proved), ("N1", True))
        lines = answer_text(session, answer)
        self.assertIn("in S1's outputs 4 S1.Run became FALSE first", lines)
        self.assertIn("S1.N was written by S1.N := N1 in S1's inputs 3", lines)
        other = controllers("PROGRAM S1 : Sum(Start := Start,\n  N := N2, Run => Run1);")[1]
        same = controllers("PROGRAM S1 : Sum(START := Start, N := N1, (* as it was *) Run => Run1);")[1]
        self.assertEqual([(c.name, c.details, c.old, c.new) for c in compare_programs(one.program, other.program).changes],
                         [("S1.N", ("is connected otherwise",), "N := N1,", "N := N2, Run => Run1);")])
        self.assertEqual(compare_programs(one.program, same.program).changes, ())


if __name__ == "__main__":
    unittest.main()
