"""Revisions compared: what acts is found, what does not is not; held against replays, which know nothing of the comparison."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

import numpy as np
from msgspec.structs import replace

from tests.building import Draw, program_of
from tests.cli.test_commands import run
from tests.formats.test_located import TEXT as LOCATED
from tests.formats.test_splice import edited
from tests.instructions import random_list
from tests.instructions import text as listed
from tests.projects import project
from tests.strategies import random_case, random_log
from tests.text_strategies import random_text, random_text_log
from whorlograph.desk.revision_paper import write_revisions
from whorlograph.desk.revisions import as_json, compare, text
from whorlograph.desk.session import Paths, load
from whorlograph.engine.controller import Controller
from whorlograph.engine.settled import settle
from whorlograph.formats.programs import read_program
from whorlograph.formats.programs.st import read as read_text
from whorlograph.formats.programs.xml import read
from whorlograph.inquiry.revisions.change import Change, ChangeKind, Verdict, What
from whorlograph.inquiry.revisions.forms import forms
from whorlograph.inquiry.revisions.programs import compare_programs
from whorlograph.model.ladder import Comment, Element, Label, LadderBody, LeftRail, RightRail, Wire, wires_of
from whorlograph.model.log import Log
from whorlograph.model.parts import Ladder, coil, nc, no, set_
from whorlograph.model.profile import Profile
from whorlograph.model.program import Pou, Program
from whorlograph.model.rungs import build
from whorlograph.model.text import TextBody
from whorlograph.model.types import INT, Simple
from whorlograph.plant.catalog import cases

_PLACE = Path("p.xml")


def course(program: Program, profile: Profile, log: Log, plain: bool = True) -> dict[str, list[tuple[int, int]]]:
    """What every tag does, by the plain interpreter where the log is short."""
    controller = Controller(program, profile, plain=plain)
    settled = settle(controller.replay(log), controller.running)
    names = {t.index: t.name.lower() for t in controller.running.tags}
    found: dict[str, list[tuple[int, int]]] = {names[n]: [(-1, v)] for n, v in zip(settled.tags_shown, settled.first, strict=True)}
    for tag, start, value in zip(settled.tags.tolist(), settled.starts.tolist(), settled.values.tolist(), strict=True):
        found[names[tag]].append((start, value))
    return found


def differs(old: Program, new: Program, profile: Profile, seed: int, text_log: bool = False) -> bool:
    """Whether any tag of both takes another course on a random log."""
    one, other = Controller(old, profile, plain=True), Controller(new, profile, plain=True)
    make = random_text_log if text_log else random_log
    before = course(old, profile, make(Random(seed), one.running))
    after = course(new, profile, make(Random(seed), other.running))
    return any(before[n] != after[n] for n in before.keys() & after.keys())


def restacked(body: LadderBody, order: list[int], stretch: int = 1, fresh: int = 0) -> LadderBody:
    """The rungs of a body, one below the other in another order (numbers from 0), each moved as a whole.

    Args: stretch: by how much they are drawn wider; fresh: added to every element's number.
    """
    rails = [e for e in body.elements if isinstance(e, (LeftRail, RightRail))]
    left = next(e for e in rails if isinstance(e, LeftRail))
    elements: list[Element] = [replace(left, id=left.id + fresh)]
    ids = {e.id for e in body.elements}
    y = 100
    for number in order:
        rung = body.rungs[number]
        top = rung.top
        for e in rung.elements:
            moved = replace(e, id=e.id + fresh, x=e.x * stretch, y=e.y - top + y)
            elements.append(_rewired(moved, fresh, {r.id for r in rails}, ids, left.id))
        y += max(e.y + e.height for e in rung.elements) - top + 60
    return build(tuple(elements), body.language)[0]


def _rewired(one: Element, fresh: int, rails: set[int], ids: set[int], left: int) -> Element:
    def wires(old: tuple[Wire, ...]) -> tuple[Wire, ...]:
        return tuple(Wire((left if w.source in rails else w.source) + fresh, w.pin) for w in old if w.source in ids)

    if hasattr(one, "inputs"):
        return replace(one, inputs=tuple(replace(p, wires=wires(p.wires)) for p in one.inputs),
                       in_outs=tuple(replace(p, wires=wires(p.wires)) for p in one.in_outs))
    return replace(one, wires=wires(one.wires)) if hasattr(one, "wires") and wires_of(one) else one


def plain_bodies(program: Program) -> list[Pou]:
    """POUs in ladder whose rungs can be put in another order by moving them: without labels, loose comments, and joined places."""
    found = []
    for pou in program.pous.values():
        if isinstance(pou.body, LadderBody) and len(pou.body.rungs) > 2 and not any(isinstance(e, (Label, Comment)) for e in pou.body.elements) \
                and not any(r.continued or r.fault for r in pou.body.rungs) and len({e.id for e in pou.body.elements if isinstance(e, LeftRail)}) == 1:
            found.append(pou)
    return found


def with_body(program: Program, pou: Pou, body: LadderBody | TextBody) -> Program:
    """The program with another body of a POU."""
    return replace(program, pous=program.pous | {pou.name.lower(): replace(pou, body=body)})


class Laws(unittest.TestCase):
    """Random programs."""

    def test_a_program_is_the_same_as_itself_in_either_xml_form_renumbered_and_moved(self) -> None:
        redrawn = 0
        for seed in range(24):
            with self.subTest(seed=seed):
                program = random_case(Random(seed), tasked=seed % 3 == 0)[0]
                self.assertIs(compare_programs(program, program).verdict, Verdict.SAME)
                other = read(project(program), _PLACE).value
                self.assertNotIn(compare_programs(program, other).verdict, (Verdict.ACTS, Verdict.MISSING))
                for pou in plain_bodies(program):
                    assert isinstance(pou.body, LadderBody)
                    order = list(range(len(pou.body.rungs)))
                    moved = with_body(program, pou, restacked(pou.body, order, 1, 1000))
                    self.assertEqual(compare_programs(program, moved).changes, ())
                    wider = compare_programs(program, with_body(program, pou, restacked(pou.body, order, 2)))
                    self.assertEqual(wider.changes, ())
                    self.assertIs(wider.verdict, Verdict.COMMENTS)
                    redrawn += len(wider.redrawn)
        self.assertGreater(redrawn, 60)

    def test_rungs_put_in_taken_out_and_moved_are_found_by_content(self) -> None:
        tried = {"in": 0, "moved": 0}
        for seed in range(48):
            random = Random(seed)
            program = random_case(random)[0]
            for pou in plain_bodies(program):
                assert isinstance(pou.body, LadderBody)
                count = len(pou.body.rungs)
                whole = with_body(program, pou, restacked(pou.body, list(range(count))))
                out = random.randrange(count)
                order = [n for n in range(count) if n != out]
                less = with_body(program, pou, restacked(pou.body, order))
                with self.subTest(seed=seed, pou=pou.name, out=out):
                    alike = [str(f) for f in _keys(pou.body)]
                    found = compare_programs(less, whole).changes
                    gone = compare_programs(whole, less).changes
                    if alike.count(alike[out]) == 1:
                        self.assertEqual([(c.kind, c.what, c.pou, c.old, c.new) for c in found],
                                         [(ChangeKind.ADDED, What.RUNG, pou.name, None, out + 1)])
                        self.assertEqual([(c.kind, c.old, c.new) for c in gone], [(ChangeKind.GONE, out + 1, None)])
                        tried["in"] += 1
                    to = random.randrange(len(order) + 1)
                    shuffled = [*order[:to], out, *order[to:]]
                    moves = compare_programs(whole, with_body(program, pou, restacked(pou.body, shuffled))).changes
                    if len(set(alike)) == count and abs(to - out) > 1:
                        self.assertEqual([(c.kind, c.old, c.new) for c in moves], [(ChangeKind.MOVED, out + 1, to + 1)])
                        tried["moved"] += 1
        self.assertTrue(all(n > 12 for n in tried.values()), tried)

    def test_what_is_called_the_same_acts_the_same(self) -> None:
        counts = dict.fromkeys(Verdict, 0)
        acted = 0
        for seed in range(48):
            random = Random(seed)
            program, profile = random_case(random, tasked=seed % 4 == 0)
            other = edited(program, random)
            with self.subTest(seed=seed):
                verdict = compare_programs(program, other).verdict
                counts[verdict] += 1
                if differs(program, other, profile, seed):
                    self.assertIs(verdict, Verdict.ACTS)
                    acted += 1
        self.assertGreater(acted, 3)
        self.assertGreater(counts[Verdict.SAME] + counts[Verdict.COMMENTS], 4)

    def test_texts_and_lists(self) -> None:
        acted = 0
        with TemporaryDirectory() as folder:
            for seed in range(18):
                random = Random(seed)
                written = random_text(random) if seed % 2 else listed(random_list(random))
                path = Path(folder) / "p.st"
                path.write_text(written)
                program = read_program(path).value
                path.write_text(_dressed(written, random) if seed % 2 else written)
                dressed = read_program(path).value
                with self.subTest(seed=seed):
                    self.assertIn(compare_programs(program, dressed).verdict, (Verdict.SAME, Verdict.COMMENTS))
                    key, pou = random.choice([(k, p) for k, p in program.pous.items() if isinstance(p.body, TextBody) and p.body.count > 1])
                    assert isinstance(pou.body, TextBody)
                    out = random.randrange(pou.body.count)
                    statements = tuple(s for n, s in enumerate(pou.body.statements) if n != out)
                    if pou.body.labels:
                        continue
                    less = replace(program, pous=program.pous | {key: replace(pou, body=replace(pou.body, statements=statements, comments=()))})
                    found = compare_programs(program, less)
                    self.assertIs(found.verdict, Verdict.ACTS)
                    said = {c.old for c in found.changes if c.what is What.RUNG}
                    # Of statements that are written alike one is as good as another.
                    self.assertIn(pou.body.lines(out), [pou.body.lines(n) for n, s in enumerate(pou.body.statements) if s.line in said])
                    acted += differs(program, less, Profile(), seed, text_log=bool(seed % 2)) if seed % 2 else 0
        self.assertGreater(acted, 3)


def _keys(body: LadderBody) -> list[object]:
    return [f.key for f in forms(body, {})]


def _dressed(written: str, random: Random) -> str:
    """The same text with other blanks, empty lines and remarks at the ends of lines."""
    lines = []
    for line in written.split("\n"):
        if random.random() < 0.2:
            lines.append("")
        if random.random() < 0.2 and "'" not in line and '"' not in line and "(*" not in line and line.rstrip().endswith(";"):
            line = f"  {line}   (* a remark *)"
        lines.append(line)
    return "\n".join(lines)


def _two(draw_old: Draw, draw_new: Draw, tags: str, blocks: str = "") -> list[Change]:
    return list(compare_programs(program_of(draw_old, tags, blocks), program_of(draw_new, tags, blocks)).changes)


class Words(unittest.TestCase):
    """What is said of a change."""

    def test_each_kind_of_change_in_a_rung_is_named(self) -> None:
        def plain(one: Ladder) -> None:
            one.rung(no("X0"), nc("X1"), coil("Y0"))

        def turned(one: Ladder) -> None:
            one.rung(no("X0"), no("X1"), coil("Y0"))

        def longer(one: Ladder) -> None:
            one.rung(no("X0"), nc("X1"), no("X2"), coil("Y0"))

        def latched(one: Ladder) -> None:
            one.rung(no("X0"), nc("X1"), set_("Y0"))

        for name, other, said in (("turned", turned, ("contact X1: normally closed -> normally open",)), ("longer", longer, ("normally open contact X2 added",)),
                                  ("latched", latched, ("coil Y0: plain -> set",))):
            with self.subTest(name):
                found = _two(plain, other, "X0 X1 X2 Y0")
                self.assertEqual([(c.kind, c.old, c.new, c.details) for c in found], [(ChangeKind.CHANGED, 1, 1, said)])
        self.assertEqual(_two(plain, longer, "X0 X1 X2 Y0")[0].details, ("normally open contact X2 added",))
        self.assertEqual(_two(longer, plain, "X0 X1 X2 Y0")[0].details, ("normally open contact X2 gone",))

    def test_declarations(self) -> None:
        bridge = read_program(cases()["bridge"].program).value
        config = bridge.configurations[0]
        one = config.variables[0]

        def changed(**what: object) -> list[tuple[object, ...]]:
            fresh = replace(config, variables=(replace(one, **what), *config.variables[1:]))
            found = compare_programs(bridge, replace(bridge, configurations=(fresh,)))
            return [(c.kind.value, c.what.value, c.pou, c.name, c.old, c.new) for c in found.changes]

        self.assertEqual(changed(type=INT)[0][:4], ("changed", "type", "", one.name))
        self.assertEqual(changed(initial=Simple("TRUE")), [("changed", "initial", "", one.name, False, True)])
        self.assertEqual(changed(address="%IX77.1"), [("changed", "tag", "", one.name, one.address, "%IX77.1")])
        self.assertEqual(changed(documentation="said otherwise"), [("changed", "comment", "", one.name, one.documentation, "said otherwise")])
        self.assertEqual(changed(initial=Simple("FALSE")), [])
        self.assertEqual(changed(name="Fresh"), [("gone", "tag", "", one.name, one.name, None), ("added", "tag", "", "Fresh", None, "Fresh")])

    def test_what_the_configuration_says_of_single_variables(self) -> None:
        old = read_text(LOCATED.encode(), Path("x.st")).value
        for before, after, told in (
                ("PT := T#5s", "PT := T#6s", [("initial", "One.P.T", "(PT := T#5s)", "(PT := T#6s)")]), ("PT := T#5s", "PT := T#5000ms", []),
                ("R.One.Go AT %IX0.0", "R.One.Go AT %IX0.5", [("tag", "One.Go", "%IX0.0", "%IX0.5")]), ("R.One.Go AT", "One.Go AT", []),
                ("Two.Level : INT := 9;", "", [("initial", "Two.Level", "9", None)]), ("Spare.One.Level : INT := 77", "Spare.One.Level : INT := 78", [])):
            with self.subTest(after):
                self.assertIn(before, LOCATED)
                new = read_text(LOCATED.replace(before, after).encode(), Path("x.st")).value
                self.assertEqual([(c.what.value, c.name, c.old, c.new) for c in compare_programs(old, new).changes], told)
                tags = [[(t.name, str(t.address), t.initial) for t in Controller(p, Profile()).running.tags] for p in (old, new)]
                self.assertEqual(tags[0] != tags[1], bool(told))

    def test_tasks_and_what_runs(self) -> None:
        program = random_case(Random(3), tasked=True)[0]
        config = program.configurations[0]
        resource = next(r for r in config.resources if r.tasks)

        def with_resource(fresh: object) -> Program:
            resources = tuple(fresh if r is resource else r for r in config.resources)
            return replace(program, configurations=(replace(config, resources=resources),))  # type: ignore[arg-type]

        task = next(t for t in resource.tasks if t.interval)
        slower = with_resource(replace(resource, tasks=tuple(replace(t, interval="T#1s250ms", priority=t.priority + 3) if t is task else t for t in resource.tasks)))
        found = compare_programs(program, slower).changes
        self.assertEqual([(c.what, c.name, c.new, c.details) for c in found],
                         [(What.TASK, task.name, 1_250_000_000, ("interval",)), (What.TASK, task.name, task.priority + 3, ("priority",))])
        same = with_resource(replace(resource, tasks=tuple(replace(t, interval=t.interval.replace("T#", "TIME#")) for t in resource.tasks)))
        self.assertIs(compare_programs(program, same).verdict, Verdict.SAME)
        turned = with_resource(replace(resource, instances=resource.instances[::-1]))
        if len(resource.instances) > 1:
            self.assertEqual([(c.kind, c.what) for c in compare_programs(program, turned).changes], [(ChangeKind.MOVED, What.TASK)])


class OnTheLog(unittest.TestCase):
    """The same log through both."""

    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.case = cases()["bridge"]

    def changed(self, *pairs: tuple[str, str]) -> Path:
        text = self.case.program.read_text(encoding="utf-8")
        for old, new in pairs:
            self.assertIn(old, text)
            text = text.replace(old, new, 1)
        path = self.folder / "other.xml"
        path.write_text(text, encoding="utf-8")
        return path

    def test_what_differs_first_and_by_which_change(self) -> None:
        old = load(Paths(self.case.program, (self.case.log,)))
        new = load(Paths(self.changed(("T#25ms", "T#60ms")), (self.case.log,)))
        found = compare(old, new)
        self.assertEqual(len(found.revision.changes), 1)
        pump = next(e for e in found.effects if e.difference.tag == "Raise_Pump")
        before, after = (course(s.program, s.profile, s.log, plain=False)["raise_pump"] for s in (old, new))
        first = next(a for a, b in zip(before, after, strict=False) if a != b)[0]
        self.assertEqual(pump.difference.first, first)
        self.assertEqual((pump.difference.before, pump.difference.after), (False, True))
        self.assertIs(pump.reason, found.revision.changes[0])
        said = text(found)
        self.assertIn("rung 1: East_Down_T.PT: T#25ms -> T#60ms", said)
        self.assertIn("nearest change: Permits rung 1", said)
        shown = as_json(found)
        self.assertEqual(shown["verdict"], "acts")
        self.assertEqual({k: shown["changes"][0][k] for k in ("kind", "what", "pou", "old", "new")},
                         {"kind": "changed", "what": "rung", "pou": "Permits", "old": 1, "new": 1})
        self.assertIn({"tag": "Raise_Pump", "t": first / 1e9, "old": False, "new": True, "output": True, "reason": shown["effects"][0]["reason"]}, shown["effects"])
        times = np.array([e["t"] for e in shown["effects"]])
        self.assertTrue((np.diff(times) >= 0).all())

    def test_of_two_changes_each_has_its_own_effects(self) -> None:
        program = """PROGRAM Main VAR_EXTERNAL A, B, Y, Z, M : BOOL; END_VAR
            M := A;
            Y := M AND B;
            Z := B;
            END_PROGRAM
            CONFIGURATION C VAR_GLOBAL A AT %IX0.0 : BOOL; B AT %IX0.1 : BOOL; Y AT %QX0.0 : BOOL; Z AT %QX0.1 : BOOL; M : BOOL; END_VAR
            RESOURCE R ON C PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION"""
        old, new, log = self.folder / "old.st", self.folder / "new.st", self.folder / "log.csv"
        old.write_text(program)
        new.write_text(program.replace("M := A;", "M := NOT A;").replace("Z := B;", "Z := B AND A;"))
        log.write_text("time,tag,value\n0,A,1\n0,B,0\n1,B,1\n2,A,0\n")
        found = compare(load(Paths(old, (log,))), load(Paths(new, (log,))))
        self.assertEqual({e.difference.tag: e.reason.new if e.reason is not None else None for e in found.effects}, {"M": 2, "Y": 2, "Z": 4})
        self.assertEqual({e.difference.tag: e.difference.first for e in found.effects}, {"M": 0, "Y": 1_000_000_000, "Z": 2_000_000_000})

    def test_of_a_statement_of_many_lines_those_that_changed_are_told(self) -> None:
        long = " AND ".join(["(A OR B)"] * 20)
        program = f"""PROGRAM Main VAR_EXTERNAL A, B, Y, Z : BOOL; END_VAR
            IF A THEN
              Y := B;
              Z := {long};
            END_IF;
            END_PROGRAM
            CONFIGURATION C VAR_GLOBAL A AT %IX0.0 : BOOL; B AT %IX0.1 : BOOL; Y AT %QX0.0 : BOOL; Z AT %QX0.1 : BOOL; END_VAR
            RESOURCE R ON C PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION"""
        old, new = self.folder / "old.st", self.folder / "new.st"
        old.write_text(program)
        for changed, said in ((program.replace("Y := B;", "Y := NOT B;"), "in its line 2: Y := B; -> Y := NOT B;"),
                              (program.replace("Y := B;", "Y := B; Y := A;").replace("  Y := B; Y := A;", "  Y := B;\n              Y := A;"),
                               "in its line 3: nothing -> Y := A;"),
                              (program[:program.index("END_IF") - 30] + program[program.index("END_IF") - 30:].replace("B)", "Y)", 1), "AND (A OR Y)")):
            new.write_text(changed)
            told = text(compare(load(Paths(old)), load(Paths(new))))
            self.assertIn(said, told)
            self.assertNotIn("IF A THEN", told)

    def test_a_changed_task_is_to_blame_only_where_nothing_else_is(self) -> None:
        program = """FUNCTION_BLOCK Wait VAR_INPUT Go : BOOL; END_VAR VAR_OUTPUT Run : BOOL; END_VAR VAR T1 : TON; END_VAR
            T1(IN := Go, PT := T#200ms);
            Run := T1.Q;
            END_FUNCTION_BLOCK
            PROGRAM Main VAR P : Wait; END_VAR VAR_EXTERNAL A, Y, Z : BOOL; END_VAR
            P(Go := A);
            Y := P.Run;
            Z := A;
            END_PROGRAM
            CONFIGURATION C VAR_GLOBAL A AT %IX0.0 : BOOL; Y AT %QX0.0 : BOOL; Z AT %QX0.1 : BOOL; END_VAR
            RESOURCE R ON C TASK Fast(INTERVAL := T#20ms, PRIORITY := 1); PROGRAM Main WITH Fast : Main; END_RESOURCE END_CONFIGURATION"""
        old, new, log = self.folder / "old.st", self.folder / "new.st", self.folder / "log.csv"
        old.write_text(program)
        new.write_text(program.replace("T#200ms", "T#500ms").replace("T#20ms", "T#30ms"))
        log.write_text("time,tag,value\n0,A,0\n1,A,1\n3,A,0\n")
        found = compare(load(Paths(old, (log,))), load(Paths(new, (log,))))
        blamed = {e.difference.tag: e.reason.what.value if e.reason is not None else None for e in found.effects}
        self.assertEqual({t: blamed[t] for t in ("Y", "Main.P.T1.PT", "Z", "A")}, {"Y": "rung", "Main.P.T1.PT": "rung", "Z": "task", "A": "task"})
        self.assertIn("T1(IN := Go, PT := T#200ms); -> T1(IN := Go, PT := T#500ms);", text(found))
        self.assertNotIn("wired otherwise", text(found))

    def test_the_four_cases_and_their_exit_status(self) -> None:
        nothing = self.folder / "empty.st"
        nothing.write_text("PROGRAM Main VAR A : BOOL; END_VAR END_PROGRAM\n")
        comment = self.changed(("pump contactor did not pull in", "the contactor of the pump stayed out"))
        here = str(self.case.program)
        odd = self.folder / "odd.xml"
        odd.write_bytes(self.case.program.read_bytes().replace(b"<contact ", b'<contact inhibit="yes" ', 1))
        for name, other, status, said in (("same", here, 0, f"holds the same program as {here}.\n"),
                                          ("odd", str(odd), 0, ", as far as they are understood.\n"), ("comments", str(comment), 1, "but for 1 comment: it acts the same"),
                                          ("missing", str(nothing), 1, "There is no program in empty.st")):
            with self.subTest(name):
                done = run("compare", here, other, str(self.case.log))
                self.assertEqual((done.returncode, said in done.stdout), (status, True), done.stdout)
        done = run("compare", here, str(self.folder / "none.xml"))
        self.assertEqual((done.returncode, "none.xml" in done.stderr), (2, True))

    def test_on_paper(self) -> None:
        found = compare(load(Paths(self.case.program, (self.case.log,))), load(Paths(self.changed(("T#25ms", "T#60ms")), (self.case.log,))))
        for name in ("a.pdf", "a.svg", "a.md"):
            write_revisions(found, self.folder / name)
        drawn = (self.folder / "a.svg").read_text(encoding="utf-8")
        for said in ("T#25ms", "T#60ms", ">old<", ">new<"):
            self.assertIn(said, drawn)
        self.assertTrue((self.folder / "a.pdf").read_bytes().startswith(b"%PDF"))
        self.assertIn("East_Down_T.PT", (self.folder / "a.md").read_text(encoding="utf-8"))


if __name__ == "__main__":
    unittest.main()
