"""Sequential charts in the XML form that IEC 61131-10 itself lays down: turned into what the older form calls them, and read as those are."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lxml import etree

from whorlograph.model.chart import Chart
from whorlograph.model.ladder import Element, LadderBody

from .xml_chart import ChartReader
from .xml_types import line_of, local, words
from .xml_unread import PLACED

Diagram = Callable[[etree._Element], LadderBody]
Beside = tuple[tuple[Element, ...], dict[str, tuple[int, str]]]
_CHART = ("Step", "MacroStep", "Transition", "JumpStep", "ActionBlock", "SelectionDivergence", "SimultaneousDivergence", "SelectionConvergence",
          "SimultaneousConvergence")
_TEXTS = ("ST", "IL")
_DIAGRAMS = ("LD", "FBD")
_NAMES = ("name", "reference", "actionName", "transitionName", "referenceName")
_READ = frozenset((*PLACED, *_NAMES, "initialStep", "isInitial", "initial", "priority", "targetName", "targetStepName", "targetStep", "qualifier",
                   "duration", "time"))
_BESIDE = ("", "ConnectionPointOut", "RelPosition", "Size", "Documentation", "AddData")
_FROM = 100_000  # numbers of a chart's parts: behind those of what is drawn beside it


class ProjectChart:
    """One chart. Args: body: its ``BodyContent``; pou: the POU's element; name: its name; diagram: reads a ladder or block diagram;
    beside: elements drawn beside a chart, with the connection points that lead on (id of the file to number and pin)."""

    def __init__(self, body: etree._Element, pou: etree._Element, name: str, say: Callable[..., None], diagram: Diagram,
                 beside: Callable[[etree._Element], Beside]) -> None:
        self.pou, self.name, self.say, self.diagram, self.beside = pou, name, say, diagram, beside
        self.diagrams: list[etree._Element] = []
        self.inner: list[ProjectChart] = []
        self.objects = [o for o in _objects(body) if _kind(o) in _CHART]
        self.drawn, points = beside(body)
        self.points: dict[str, tuple[int, str]] = dict(points)
        for n, one in enumerate(self.objects):
            for point in _points(one):
                self.points[point] = (_FROM + n, "")

    def read(self) -> Chart:
        """The chart. Raises: Unreadable for a text in it that cannot be read."""
        return self.reader([self.group(g) for g in self.pou if local(g) in ("Actions", "Transitions")]).read()

    def reader(self, beside: list[etree._Element]) -> ChartReader:
        """Reads the chart. Args: beside: the POU's actions and transitions."""
        body = etree.Element("SFC")
        for n, one in enumerate(self.objects):
            body.append(self.object(one, _FROM + n))
        return _Reader(body, beside, self)

    def object(self, node: etree._Element, number: int) -> etree._Element:
        """A step, a transition, a branch, a block of actions."""
        kind = _kind(node)
        made = _made(node, kind[0].lower() + kind[1:])
        made.set("localId", str(number))
        _handed(node, made)
        if kind == "JumpStep":
            made.set("targetName", _first(node, "targetName", "targetStepName", "targetStep"))
        elif kind in ("Step", "MacroStep"):
            made.set("name", node.get("name", ""))
            made.set("initialStep", _first(node, "initialStep", "isInitial", "initial"))
            if kind == "MacroStep":
                self.macro(node, made)
        elif kind == "Transition":
            made.set("priority", _first(node, "priority", "evaluationOrder") or "0")
        for child in node:
            name = local(child)
            if name == "ConnectionPointIn":
                made.append(self.inward(child))
            elif name == "Condition" or (name == "BodyContent" and kind == "Transition"):
                made.append(self.condition(child))
            elif name in ("Action", "ActionAssociation") and kind == "ActionBlock":
                made.append(self.action(child))
            elif name not in _BESIDE and (name != "BodyContent" or kind != "MacroStep"):
                made.append(_made(child, name))  # what nothing reads is named where the chart is read
        return made

    def macro(self, node: etree._Element, made: etree._Element) -> None:
        """The chart that a macro step stands for: its connection points are its own, its diagrams are counted with the others."""
        content = next((c for c in node.iter() if local(c) == "BodyContent" and _kind(c) == "SFC"), None)
        if content is None:
            return
        chart = ProjectChart(content, self.pou, self.name, self.say, self.diagram, self.beside)
        chart.diagrams = self.diagrams
        body, held = _made(content, "body"), _made(content, "SFC")
        held.set("at", str(len(self.inner)))
        self.inner.append(chart)
        body.append(held)
        made.append(body)

    def inward(self, node: etree._Element) -> etree._Element:
        """What leads to a part."""
        made = _made(node, "connectionPointIn")
        for wire in node:
            if local(wire) != "Connection":
                continue
            known = self.points.get(wire.get("refConnectionPointOutId", ""))
            if known is None:
                self.say(wire, f"a wire comes from connection point {wire.get('refConnectionPointOutId', '')}, which does not exist",
                         "nothing leads there", self.name)
                continue
            one = _made(wire, "connection")
            one.set("refLocalId", str(known[0]))
            if known[1]:
                one.set("formalParameter", known[1])
            made.append(one)
        return made

    def condition(self, node: etree._Element) -> etree._Element:
        """What a transition waits for: a text, a diagram, a wire, or the name of one."""
        made = _made(node, "condition")
        made.set("negated", node.get("negated", "false"))
        wire = next((c for c in node if local(c) == "ConnectionPointIn"), None)
        content = node if local(node) == "BodyContent" else next((c for c in node.iter() if local(c) == "BodyContent"), None)
        named = _named(node)
        if wire is not None:
            made.append(self.inward(wire))
        elif content is not None:
            inline = _made(content, "inline")
            inline.append(self.content(content))
            made.append(inline)
        elif named:
            reference = _made(node, "reference")
            reference.set("name", named)
            made.append(reference)
        elif words(node):
            inline = _made(node, "inline")
            inline.append(_text(node, "ST"))
            made.append(inline)
        return made

    def action(self, node: etree._Element) -> etree._Element:
        """What a step does."""
        made = _made(node, "action")
        _handed(node, made)
        made.set("qualifier", _first(node, "qualifier") or "N")
        made.set("duration", _first(node, "duration", "time"))
        content = next((c for c in node.iter() if local(c) == "BodyContent"), None)
        if content is not None:
            inline = _made(content, "inline")
            inline.append(self.content(content))
            made.append(inline)
        else:
            reference = _made(node, "reference")
            reference.set("name", _named(node))
            made.append(reference)
        return made

    def group(self, node: etree._Element) -> etree._Element:
        """The actions or transitions of the POU, each with its body."""
        made = _made(node, local(node).lower())
        for child in node:
            if local(child) not in ("Action", "Transition"):
                continue
            one = _made(child, local(child).lower())
            one.set("name", child.get("name", ""))
            content = next((c for c in child.iter() if local(c) == "BodyContent"), None)
            if content is not None:
                body = _made(content, "body")
                body.append(self.content(content))
                one.append(body)
            made.append(one)
        return made

    def content(self, node: etree._Element) -> etree._Element:
        """A body: a text, or a diagram that stands elsewhere."""
        language = _kind(node)
        if language in _TEXTS:
            return _text(node, language)
        made = _made(node, language)
        if language in _DIAGRAMS:
            made.set("at", str(len(self.diagrams)))
            self.diagrams.append(node)
        return made


class _Reader(ChartReader):
    """Reads what it was turned into; diagrams are those of the file."""

    def __init__(self, body: etree._Element, beside: list[etree._Element], chart: ProjectChart) -> None:
        super().__init__(body, beside, chart.name, chart.say)
        self.chart = chart

    def diagram(self, node: etree._Element) -> LadderBody:
        return self.chart.diagram(self.chart.diagrams[int(node.get("at", "0"))])

    def beside(self) -> tuple[Element, ...]:
        return self.chart.drawn

    def inside(self, chart: etree._Element) -> ChartReader:
        return self.chart.inner[int(chart.get("at", "0"))].reader([])


def _objects(body: etree._Element) -> Iterator[etree._Element]:
    """What is drawn in a chart, in networks or without."""
    for node in body:
        if local(node) in ("Network", "Rung"):
            yield from _objects(node)
        elif local(node):
            yield node


def _points(node: etree._Element) -> Iterator[str]:
    """A part's connection points that lead on; those of a body in it are that body's."""
    for child in node:
        if local(child) == "ConnectionPointOut":
            yield child.get("connectionPointOutId", "")
        elif local(child) != "BodyContent":
            yield from _points(child)


def _kind(node: etree._Element) -> str:
    said = next((str(v) for k, v in node.attrib.items() if str(k).rpartition("}")[2] == "type" and "}" in str(k)), local(node))
    return said.rpartition(":")[2]


def _made(node: etree._Element, name: str) -> etree._Element:
    """An element on another one's line."""
    made = etree.Element(name)
    made.sourceline = line_of(node)  # type: ignore[assignment]  # the stubs say that it cannot be set
    return made


def _handed(node: etree._Element, made: etree._Element) -> None:
    """Hand on the attributes that nothing reads: they are named where the chart is read."""
    for key, value in node.attrib.items():
        if key not in _READ and not str(key).startswith("{"):
            made.set(key, value)


def _text(node: etree._Element, language: str) -> etree._Element:
    """A text, whose first line is the file's."""
    made, inside = _made(node, language), _made(node, "p")
    inside.text = "".join(str(t) for t in node.itertext())
    made.append(inside)
    return made


def _first(node: etree._Element, *names: str) -> str:
    """The first of some attributes that is there."""
    return next((node.get(n, "") for n in names if node.get(n)), "")


def _named(node: etree._Element) -> str:
    """The name that an element refers to, in an attribute of it or of one inside."""
    for one in node.iter():
        found = _first(one, *_NAMES)
        if found:
            return found
    return ""
