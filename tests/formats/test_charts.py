"""Sequential charts read from XML and text, and written."""

from __future__ import annotations

import re
import unittest
from pathlib import Path
from random import Random

from tests.building import log_of
from tests.charts import INPUTS, random_chart
from tests.projects import charts_project
from tests.texts import settled
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs.st import read as read_text
from whorlograph.formats.programs.xml import read as read_xml
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.chart import ChartBody
from whorlograph.model.profile import Profile
from whorlograph.model.program import OpaqueBody

_VARIABLES = "".join(f'<variable name="{n}"><type><BOOL/></type></variable>' for n in ("Start", "Full", "Left", "Done", "Fan", "Lamp")) + \
    '<variable name="Runs"><type><INT/></type></variable>'


def _in(*ids: int) -> str:
    return "<connectionPointIn>" + "".join(f'<connection refLocalId="{i}"/>' for i in ids) + "</connectionPointIn>"


def _transition(number: int, source: int, condition: str) -> str:
    inline = condition if condition.startswith("<") else f'<inline name=""><ST><p>{condition}</p></ST></inline>'
    return f'<transition localId="{number}"><position x="0" y="{number}"/>{_in(source)}<condition>{inline}</condition></transition>'


def _step(name: str, number: int, *sources: int, initial: bool = False) -> str:
    first = ' initialStep="true"' if initial else ""
    return f'<step localId="{number}" name="{name}"{first}><position x="0" y="{number}"/>{_in(*sources)}</step>'


# Two ways from Waiting, which meet again before Ending; the way back is a jump; conditions as text, by name, as a diagram of their own and drawn beside.
DRYER = f'''<project xmlns="http://www.plcopen.org/xml/tc6_0201"><types><pous><pou name="Dryer" pouType="program">
<interface><localVars>{_VARIABLES}</localVars></interface>
<actions><action name="Counting"><body><LD><leftPowerRail localId="1"><position x="0" y="0"/></leftPowerRail>
<block localId="2" typeName="ADD"><position x="5" y="0"/><inputVariables><variable formalParameter="EN">{_in(1)}</variable>
<variable formalParameter="IN1">{_in(3)}</variable><variable formalParameter="IN2">{_in(4)}</variable></inputVariables><inOutVariables/>
<outputVariables><variable formalParameter="OUT"><connectionPointOut/></variable></outputVariables></block>
<inVariable localId="3"><position x="2" y="2"/><expression>Runs</expression></inVariable>
<inVariable localId="4"><position x="2" y="3"/><expression>1</expression></inVariable>
<outVariable localId="5"><position x="9" y="2"/>{_in(2).replace('"2"', '"2" formalParameter="OUT"')}<expression>Runs</expression></outVariable></LD></body></action></actions>
<transitions><transition name="Ready"><body><ST><p>Ready := Done AND NOT Start;</p></ST></body></transition></transitions>
<body><SFC>{_step("Waiting", 1, initial=True)}
<selectionDivergence localId="2"><position x="0" y="2"/>{_in(1)}</selectionDivergence>
{_transition(3, 2, "Start AND NOT Left")}{_transition(4, 2, "<connectionPointIn><connection refLocalId='21'/></connectionPointIn>")}
<leftPowerRail localId="20"><position x="0" y="4"/></leftPowerRail>
<contact localId="21"><position x="3" y="4"/>{_in(20)}<variable>Left</variable></contact>
{_step("Warm", 5, 3)}{_step("Cold", 6, 4)}
{_transition(7, 5, '<inline name=""><IL><p>LD Left' + chr(10) + 'OR Full</p></IL></inline>')}{_transition(8, 6, "Warm.X OR Full")}
<selectionConvergence localId="9"><position x="0" y="9"/>{_in(7, 8)}</selectionConvergence>
{_step("Ending", 10, 9)}{_transition(11, 10, '<reference name="Ready"/>')}
<jumpStep localId="12" targetName="Waiting"><position x="0" y="12"/>{_in(11)}</jumpStep>
<actionBlock localId="13"><position x="9" y="5"/>{_in(5)}<action qualifier="N"><reference name="Fan"/></action>
<action qualifier="D" duration="50ms"><reference name="Lamp"/></action></actionBlock>
<actionBlock localId="14"><position x="9" y="6"/>{_in(10)}<action qualifier="P1"><reference name="Counting"/></action></actionBlock>
</SFC></body></pou></pous></types></project>'''


class Xml(unittest.TestCase):
    """The exchange format."""

    def test_elements_that_nothing_reads_are_named_in_both_forms(self) -> None:
        whole = DRYER.encode()
        for data, parts in ((whole, ("step", "transition", "jumpStep", "actionBlock")), (charts_project(whole), ("Step", "Transition", "JumpStep", "ActionBlock"))):
            plain = read_xml(data, Path("x.xml"))
            for part in parts:
                begun = rb"<%s [^>]*localId[^>]*>" if part[0].islower() else rb'<\w+ [^>]*xsi:type="%s"[^>]*>'
                strange, count = re.subn(begun % part.encode(), rb"\g<0><strange/>", data)
                self.assertGreater(count, 0, part)
                odd = read_xml(strange, Path("x.xml"))
                more = f", nor {count - 1} more" if count > 1 else ""
                self.assertEqual([n.what for n in odd.notices if n not in plain.notices], [f"strange in {part[0].lower()}{part[1:]} is not read{more}"])
                self.assertEqual(odd.value, plain.value)

    def test_attributes_that_nothing_reads_are_named_in_both_forms(self) -> None:
        whole = DRYER.encode()
        for data, step, action in ((whole, b"<step ", b"<action qualifier"), (charts_project(whole), b'xsi:type="Step"', b"<Action qualifier")):
            plain = read_xml(data, Path("x.xml"))
            odd = read_xml(data.replace(step, step.replace(b"<step ", b"<step watched='3s' ").replace(b"xsi", b"watched='3s' xsi")).replace(action, action.replace(b" ", b' locked="yes" '), 1), Path("x.xml"))
            self.assertEqual([n.what for n in odd.notices if n not in plain.notices],
                             [f'watched="3s" of step is not read, nor at {data.count(step) - 1} more', 'locked="yes" of action is not read'])
            self.assertEqual(odd.value, plain.value)

    def test_ways_are_followed_through_branches_jumps_and_drawn_conditions(self) -> None:
        for data in (DRYER.encode(), charts_project(DRYER.encode())):
            with self.subTest(root=data[:200].split()[0]):
                self._followed(data)

    def test_inverted_conditions(self) -> None:
        """The same chart, each condition the other way round and inverted."""
        text = DRYER.replace("Start AND NOT Left", "NOT Start OR Left").replace("LD Left" + chr(10) + "OR Full", "LDN Left" + chr(10) + "ANDN Full")
        text = text.replace("Warm.X OR Full", "NOT (Warm.X OR Full)").replace("Ready := Done AND NOT Start;", "Ready := NOT Done OR Start;")
        text = text.replace('<contact localId="21">', '<contact localId="21" negated="true">').replace("<condition>", '<condition negated="true">')
        self.assertEqual(text.count("negated"), 6)
        for data in (text.encode(), charts_project(text.encode())):
            with self.subTest(root=data[:200].split()[0]):
                self._followed(data)
        drawn = text.replace("<inline name=\"\"><ST><p>NOT (Warm.X OR Full)</p></ST></inline>", "<inline name=\"\"><LD/></inline>")
        loaded = read_xml(drawn.encode(), Path("x.xml"))
        self.assertIsInstance(loaded.value.pous["dryer"].body, OpaqueBody)
        self.assertIn("the transition from Cold inverts what is drawn", " ".join(map(str, loaded.notices)))
        odd = DRYER.replace('<step localId="5"', '<step negated="true" localId="5"')
        self.assertIn("step Warm is inverted", " ".join(map(str, read_xml(odd.encode(), Path("x.xml")).notices)))

    def _followed(self, data: bytes) -> None:
        loaded = read_xml(data, Path("x.xml"))
        self.assertEqual([str(n) for n in loaded.notices], [])
        body = loaded.value.pous["dryer"].body
        assert isinstance(body, ChartBody)
        self.assertEqual([(t.sources, t.targets) for t in body.chart.transitions],
                         [(("Waiting",), ("Warm",)), (("Waiting",), ("Cold",)), (("Warm",), ("Ending",)), (("Cold",), ("Ending",)), (("Ending",), ("Waiting",))])
        rows = [(0, "Dryer.Start", 0), (100, "Dryer.Left", 1), (120, "Dryer.Left", 0), (200, "Dryer.Full", 1), (300, "Dryer.Done", 1), (320, "Dryer.Done", 0),
                (400, "Dryer.Full", 0), (500, "Dryer.Start", 1), (700, "Dryer.Full", 1)]
        for plain in (True, False):
            controller = Controller(loaded.value, Profile(scan_time=10_000_000), plain=plain)
            self.assertEqual([str(n) for n in controller.notices], [])
            journal = controller.replay(log_of(controller, rows, 1000))

            def at(scan: int, *names: str) -> list[object]:
                return [settled(controller, journal, f"Dryer.{n}", scan) for n in names]  # noqa: B023

            self.assertEqual(at(5, "Waiting.X", "Warm.X"), [True, False])
            self.assertEqual(at(15, "Waiting.X", "Cold.X", "Fan"), [False, True, False])
            self.assertEqual(at(25, "Cold.X", "Ending.X"), [False, True])
            self.assertEqual(at(35, "Ending.X", "Waiting.X"), [False, True])
            self.assertEqual(at(52, "Warm.X", "Fan", "Lamp"), [True, True, False])
            self.assertEqual(at(60, "Warm.X", "Fan", "Lamp"), [True, True, True])
            self.assertEqual(at(75, "Ending.X", "Fan", "Lamp", "Runs"), [True, False, False, 4])  # each pulse runs twice: the second time with its flag off

    def test_a_macro_step_is_the_chart_that_stands_in_it(self) -> None:
        inner = (f'{_step("Soak", 1)}{_transition(2, 1, "Full")}{_step("Dry", 3, 2)}'
                 f'<actionBlock localId="4"><position x="9" y="3"/>{_in(3)}<action qualifier="P1"><reference name="Counting"/></action></actionBlock>')
        step = _step("Warm", 5, 3)
        macro = step.replace("<step", "<macroStep").replace("</step>", f"<body><SFC>{inner}</SFC></body></macroStep>")
        own = '<actionBlock localId="13">'
        data = DRYER.replace(step, macro).replace("Warm.X OR Full", "Full")
        begin = data.index(own)
        data = data[:begin] + data[data.index("</actionBlock>", begin) + len("</actionBlock>"):]
        for file in (data.encode(), charts_project(data.encode())):
            with self.subTest(root=file[:200].split()[0]):
                self._unfolded(file)
        for old, new, said in (("<body><SFC>" + inner + "</SFC></body>", "", "has no chart in it"), (_in(2) + "</step><actionBlock", _in() + "</step><actionBlock", "2 steps that nothing")):
            self.assertIn(old, data)
            for form in (bytes, charts_project):
                self.assertIn(said, " ".join(str(n) for n in read_xml(form(data.replace(old, new).encode()), Path("x.xml")).notices))

    def _unfolded(self, file: bytes) -> None:
        loaded = read_xml(file, Path("x.xml"))
        self.assertEqual([str(n) for n in loaded.notices], [])
        body = loaded.value.pous["dryer"].body
        assert isinstance(body, ChartBody)
        self.assertEqual({(t.sources, t.targets) for t in body.chart.transitions},
                         {(("Waiting",), ("Soak",)), (("Soak",), ("Dry",)), (("Waiting",), ("Cold",)), (("Dry",), ("Ending",)), (("Cold",), ("Ending",)),
                          (("Ending",), ("Waiting",))})
        rows = [(0, "Dryer.Start", 0), (100, "Dryer.Start", 1), (200, "Dryer.Full", 1), (210, "Dryer.Full", 0), (300, "Dryer.Left", 1)]
        for plain in (True, False):
            controller = Controller(loaded.value, Profile(scan_time=10_000_000), plain=plain)
            journal = controller.replay(log_of(controller, rows, 500))

            def on(scan: int) -> list[str]:
                return [n for n in ("Waiting", "Soak", "Dry", "Cold", "Ending") if settled(controller, journal, f"Dryer.{n}.X", scan)]  # noqa: B023

            self.assertEqual([on(s) for s in (5, 15, 25, 35)], [["Waiting"], ["Soak"], ["Dry"], ["Ending"]])

    def test_written_and_read_again_a_chart_does_the_same(self) -> None:
        for seed in range(30):
            random = Random(seed)
            first = read_text(random_chart(random).text().encode(), Path("x.st")).value
            written = write_xml(first)
            loaded = read_xml(written if seed % 2 else charts_project(written), Path("x.xml"))
            self.assertEqual(loaded.notices, [])
            rows = [(n * 10, f"Main.{random.choice(INPUTS)}", random.randint(0, 1)) for n in range(40)]
            ends = []
            for program in (first, loaded.value):
                controller = Controller(program, Profile(scan_time=10_000_000))
                journal = controller.replay(log_of(controller, rows))
                ends.append({t.name: [settled(controller, journal, t.name, s) for s in range(0, 40, 3)] for t in controller.running.tags})
            self.assertEqual(ends[0], ends[1], seed)

    def test_what_cannot_be_read_is_said_and_the_chart_comes_from_the_log(self) -> None:
        for old, new, said in (("Start AND NOT Left", "Start AND", "was expected"), ('targetName="Waiting"', 'targetName="Waitin"', "there is no step Waitin"),
                               ('duration="50ms"', "", "no time is given"), ("<reference name=\"Ready\"/>", "", "has no condition")):
            loaded = read_xml(DRYER.replace(old, new).encode(), Path("x.xml"))
            self.assertIsInstance(loaded.value.pous["dryer"].body, OpaqueBody, old)
            self.assertIn(said, " ".join(str(n) for n in loaded.notices))


class Text(unittest.TestCase):
    """STEP, TRANSITION, ACTION."""

    def test_errors_name_their_line(self) -> None:
        head = "PROGRAM P\nVAR A AT %IX0.0 : BOOL; END_VAR\nINITIAL_STEP One: END_STEP\n"
        for body, line, said in (("STEP Two: Pump(X); END_STEP", 4, "X is no qualifier"), ("STEP Two: END_STEP\nTRANSITION FROM One TO Three := A; END_TRANSITION", 5, "no step Three"),
                                 ("STEP Two: END_STEP\nTRANSITION FROM One TO Two :\n LD A\n JMPC Away\nAway: LD A\nEND_TRANSITION", 6, "a list that jumps"),
                                 ("STEP Two: END_STEP\nTRANSITION FROM One TO Two :\nAND A\nEND_TRANSITION", 6, "stands before anything is loaded"),
                                 ("STEP Two:", 4, "STEP is not ended by END_STEP"), ("TRANSITION FROM One TO One := ; END_TRANSITION", 4, "has no condition"),
                                 ("STEP One: END_STEP", 4, "two steps are called One"), ("STEP A: END_STEP", 4, "a step of the chart and a variable")):
            notices = read_text((head + body + "\nEND_PROGRAM\n").encode(), Path("x.st")).notices
            self.assertEqual([(n.place.line, said in n.what) for n in notices], [(line, True)], [str(n) for n in notices])

    def test_all_errors_at_once(self) -> None:
        head = "PROGRAM P\nVAR A AT %IX0.0 : BOOL; END_VAR\nINITIAL_STEP One: END_STEP\n"
        for body, lines in (("STEP Two: Pump(X); END_STEP\nTRANSITION FROM One TO Two := ; END_TRANSITION\nNonsense\nSTEP Three: END_STEP\nACTION Fill: A := ;\n"
                             "A := TRUE;\nA = 1; END_ACTION", [4, 5, 6, 8, 10]),
                            ("TRANSITION FROM One TO Two := A; END_TRANSITION\nTRANSITION FROM Three TO One := A; END_TRANSITION", [4, 5]),
                            ("TRANSITION FROM One TO One := A AND; END_TRANSITION\nTRANSITION FROM One TO One :\nLD A\nST\nAND\nEND_TRANSITION\n"
                             "TRANSITION FROM One TO One := A; END_TRANSITION", [4, 7, 8])):
            notices = read_text((head + body + "\nEND_PROGRAM\n").encode(), Path("x.st")).notices
            self.assertEqual([n.place.line for n in notices], lines, [str(n) for n in notices])
            self.assertEqual(["another error of the same text" in str(n) for n in notices], [False] + [True] * (len(lines) - 1))

    def test_declarations_and_the_list_or_chart_behind_them(self) -> None:
        for body, lines in (("LD A\nST\nAND( A\n", [2, 4, 5]), ("INITIAL_STEP One: A(X); END_STEP\nTRANSITION FROM One; END_TRANSITION\n", [2, 3, 4])):
            notices = read_text(("PROGRAM P\nVAR A BOOL; END_VAR\n" + body + "END_PROGRAM\nPROGRAM Q END_PROGRAM\n").encode(), Path("x.st")).notices
            self.assertEqual([(n.place.pou, n.place.line) for n in notices], [("P", line) for line in lines], [str(n) for n in notices])


if __name__ == "__main__":
    unittest.main()
