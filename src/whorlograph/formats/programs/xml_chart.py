"""Sequential charts of the XML exchange format: which steps each transition leads from and to (IEC 61131-3:2013, 6.7)."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

from lxml import etree
from msgspec.structs import replace

from whorlograph.formats.text.body import text_body
from whorlograph.formats.text.unreadable import Unreadable
from whorlograph.model.chart import QUALIFIERS, Action, Association, Chart, ChartStep, Transition
from whorlograph.model.ladder import Coil, CoilKind, Element, LadderBody, LeftRail, RightRail, Wire
from whorlograph.model.modifiers import is_true
from whorlograph.model.rungs import build
from whorlograph.model.text import TextBody

from .xml_ladder import elements_of, read_ladder
from .xml_types import line_of, local, whole
from .xml_unread import Unread

Say = Callable[..., None]
_STATED = re.compile(r"(?s)\s*(?:\w+\s*:=)?(.*?);?\s*")
_SPLITS = ("selectionDivergence", "simultaneousDivergence")
_JOINS = ("selectionConvergence", "simultaneousConvergence")
_DRAWN = ("step", "macroStep", "transition", "jumpStep", "actionBlock", *_SPLITS, *_JOINS)
_QUIET = ("comment", "documentation", "addData", "vendorElement", "error")


class ChartReader:
    """Reads one body. Args: beside: the POU's ``actions`` and ``transitions``, where there are any."""

    def __init__(self, body: etree._Element, beside: list[etree._Element], pou: str, say: Say) -> None:
        self.body, self.pou, self.say = body, pou, say
        self.nodes = {whole(n.get("localId")): n for n in body if n.get("localId") is not None}
        self.named: dict[str, dict[str, etree._Element]] = {"actions": {}, "transitions": {}}
        for group in beside:
            for node in group:
                self.named.setdefault(local(group), {})[node.get("name", "").lower()] = node
        self.actions: list[Action] = []

    def read(self) -> Chart:
        """The chart. Raises: Unreadable for a text in it that cannot be read."""
        drawn = [n for n in self.body if local(n) in ("step", "macroStep")]
        unread = Unread()
        for node in self.body:
            kind = local(node)
            if kind in _DRAWN:  # what stands beside the chart is looked at where it is read
                unread.look(node, kind)
            if kind == "actionBlock":
                unread.look_at((c for c in node if local(c) == "action"), "action")
            if kind in ("step", "macroStep", "actionBlock") and is_true(node.get("negated")):
                self.say(node, f"{kind} {node.get('name', '')} is inverted".replace("  ", " "), "taken as it stands", self.pou)
        unread.say(self.say, self.pou)
        steps = tuple(ChartStep(n.get("name", ""), is_true(n.get("initialStep")), line_of(n)) for n in drawn)
        for node in self.named["actions"].values():
            self.actions.append(self._own(node, node.get("name", "")))
        transitions = tuple(self._transitions())
        associations = tuple(a for n in self.body if local(n) == "actionBlock" for a in self._associations(n))
        found = Chart(steps, transitions, associations, tuple(self.actions))
        for node in drawn:
            if local(node) == "macroStep":
                found = self._unfolded(found, node)
        named = {a.action.lower() for a in found.associations}
        for action in found.actions:
            if action.name.lower() not in named:
                self.say(None, f"action {action.name} belongs to no step", "it is not executed", self.pou)
        return found

    def _unfolded(self, chart: Chart, node: etree._Element) -> Chart:
        """A chart with the steps of a macro step's own chart in its place: what leads to it leads to their first, from it from their last."""
        name, line = node.get("name", ""), line_of(node)
        held = next((c for b in node if local(b) == "body" for c in b if local(c) == "SFC"), None)
        if held is None:
            self.say(node, f"macro step {name} has no chart in it", "it is a step like any other", self.pou)
            return chart
        reader = self.inside(held)
        reader.named = {"actions": {}, "transitions": self.named["transitions"]}
        inner = reader.read()
        entered = {t.lower() for one in inner.transitions for t in one.targets}
        left = {s.lower() for one in inner.transitions for s in one.sources}
        first = [s.name for s in inner.steps if s.name.lower() not in entered]
        last = [s.name for s in inner.steps if s.name.lower() not in left]
        if len(first) != 1 or len(last) != 1:
            raise Unreadable(line, 0, f"the chart in macro step {name} has {len(first)} steps that nothing in it leads to and {len(last)} that it "
                                      "ends with, one of each was expected")
        if any(a.step.lower() == name.lower() for a in chart.associations):
            self.say(node, f"macro step {name} has actions of its own", "they are not executed", self.pou)
        steps = [s for one in chart.steps for s in (
            (replace(i, initial=one.initial and i.name == first[0]) for i in inner.steps) if one.name.lower() == name.lower() else (one,))]
        leads = [replace(t, sources=tuple(last[0] if s.lower() == name.lower() else s for s in t.sources),
                         targets=tuple(first[0] if s.lower() == name.lower() else s for s in t.targets)) for t in chart.transitions]
        outside = [a for a in chart.associations if a.step.lower() != name.lower()]
        return Chart(tuple(steps), (*leads, *inner.transitions), (*outside, *inner.associations), (*chart.actions, *inner.actions))

    def diagram(self, node: etree._Element) -> LadderBody:
        """A ladder or block diagram that belongs to the chart."""
        return read_ladder(node, self.pou, self.say)

    def beside(self) -> tuple[Element, ...]:
        """What is drawn beside the chart."""
        return elements_of(self.body, self.pou, self.say, _DRAWN + _QUIET)

    def inside(self, chart: etree._Element) -> ChartReader:
        """Reads the chart of a macro step."""
        return ChartReader(chart, [], self.pou, self.say)

    # wires

    def _before(self, node: etree._Element, point: str = "connectionPointIn") -> Iterator[etree._Element]:
        """What is wired to an element's inputs."""
        for child in node.iter():
            if local(child) == point:
                for wire in child:
                    found = self.nodes.get(whole(wire.get("refLocalId"))) if local(wire) == "connection" else None
                    if found is not None:
                        yield found

    def _inputs(self, node: etree._Element) -> Iterator[etree._Element]:
        """What leads into an element of the chart itself: of a transition not its condition."""
        if local(node) != "transition":
            yield from self._before(node)
            return
        for child in node:
            if local(child) == "connectionPointIn":
                yield from (n for w in child if (n := self.nodes.get(whole(w.get("refLocalId")))) is not None)

    def _reached(self, node: etree._Element, wanted: tuple[str, ...]) -> list[etree._Element]:
        """The steps (or transitions) that lead to an element, through divergences and convergences."""
        found: list[etree._Element] = []
        seen: set[etree._Element] = set()
        todo = list(self._inputs(node))
        while todo:
            one = todo.pop(0)
            if one in seen:
                continue
            seen.add(one)
            if local(one) in wanted:
                found.append(one)
            elif local(one) in (*_SPLITS, *_JOINS):
                todo[:0] = list(self._inputs(one))
        return found

    def _transitions(self) -> list[Transition]:
        """In order of priority where the file gives it, else of declaration."""
        nodes = [n for n in self.body if local(n) == "transition"]
        targets: dict[etree._Element, list[str]] = {n: [] for n in nodes}
        for node in self.body:
            if local(node) in ("step", "macroStep", "jumpStep"):
                name = node.get("targetName", "") if local(node) == "jumpStep" else node.get("name", "")
                for one in self._reached(node, ("transition",)):
                    if one in targets:
                        targets[one].append(name)
        found = []
        for node in sorted(nodes, key=lambda n: whole(n.get("priority"))):
            sources = tuple(s.get("name", "") for s in self._reached(node, ("step", "macroStep")))
            made = self._transition(node, sources, tuple(targets[node]))
            inverted = any(local(c) == "condition" and is_true(c.get("negated")) for c in node)
            found.append(_inverted(made, sources) if inverted else made)
        return found

    def _transition(self, node: etree._Element, sources: tuple[str, ...], targets: tuple[str, ...]) -> Transition:
        line = line_of(node)
        condition = next((c for c in node if local(c) == "condition"), None)
        held = next(iter(condition), None) if condition is not None else None
        name = ""
        if held is not None and local(held) == "reference":
            name = held.get("name", "")
            given = self.named["transitions"].get(name.lower())
            if given is None:
                return Transition(sources, targets, name, "", line)
            held, line = next((c for c in given if local(c) == "body"), given), line_of(given)
        if held is not None and local(held) == "inline":
            held = next((c for c in held if local(c) == "body"), held)
        if held is not None and local(held) in ("connectionPointIn", "connection"):
            return self._wired(node, sources, targets, line)
        language = next((c for c in held if local(c) in ("ST", "IL", "LD", "FBD")), None) if held is not None else None
        if language is None:
            raise Unreadable(line, 0, f"the transition from {' and '.join(sources)} has no condition")
        if local(language) in ("LD", "FBD"):
            return Transition(sources, targets, "", name, line, self.diagram(language))
        text = "".join(str(t) for t in language.itertext()).strip()
        return Transition(sources, targets, text, name, max(1, line_of(next(iter(language), language)) - 1), language=local(language))

    def _wired(self, node: etree._Element, sources: tuple[str, ...], targets: tuple[str, ...], line: int) -> Transition:
        """A condition that is drawn beside the chart: a rung of its own, with a coil for the transition."""
        name = Transition(sources, targets, "").plain_name
        drawn = self.beside()
        wires = tuple(Wire(whole(w.get("refLocalId")), w.get("formalParameter", "")) for c in node for p in c.iter() if local(c) == "condition"
                      for w in p if local(w) == "connection")
        kept = {e.id: e for e in drawn}
        needed: dict[int, None] = {}
        todo = [w.source for w in wires]
        while todo:
            one = todo.pop()
            if one in kept and one not in needed:
                needed[one] = None
                todo += [w.source for w in getattr(kept[one], "wires", ())]
                todo += [w.source for p in (*getattr(kept[one], "inputs", ()), *getattr(kept[one], "in_outs", ())) for w in p.wires]
        coil = Coil(max(kept, default=0) + 1 + whole(node.get("localId")), 10_000, 0, 20, 20, line, name, CoilKind.PLAIN, wires)
        body, said = build((*(e for e in drawn if e.id in needed or isinstance(e, (LeftRail, RightRail))), coil))
        for sentence in said:
            self.say(node, sentence, "", self.pou)
        return Transition(sources, targets, "", name, line, body)

    # actions

    def _own(self, node: etree._Element, name: str) -> Action:
        body = next((c for c in node if local(c) == "body"), node)
        return Action(name, self._body(body, name), line_of(node))

    def _body(self, node: etree._Element, name: str) -> TextBody | LadderBody:
        language = next((c for c in node if local(c) in ("ST", "IL", "LD", "FBD", "SFC")), None)
        if language is None or local(language) == "SFC":
            raise Unreadable(line_of(node), 0, f"action {name} is {'a chart itself' if language is not None else 'in no language that is read'}")
        if local(language) in ("LD", "FBD"):
            return self.diagram(language)
        text = "".join(str(t) for t in language.itertext())
        return text_body(text, max(1, line_of(language)), local(language))

    def _associations(self, node: etree._Element) -> Iterator[Association]:
        owners = [n for n in self._before(node) if local(n) in ("step", "macroStep")]
        for n, child in enumerate(c for c in node if local(c) == "action"):
            qualifier = (child.get("qualifier") or "N").upper()
            line = line_of(child)
            if qualifier not in QUALIFIERS:
                self.say(child, f"qualifier {qualifier}", "taken as N", self.pou)
                qualifier = "N"
            named = next((c for c in child if local(c) == "reference"), None)
            inline = next((c for c in child if local(c) == "inline"), None)
            name = named.get("name", "") if named is not None else ""
            if named is None and inline is not None and owners:
                name = f"{owners[0].get('name', '')} {n + 1}"
                self.actions.append(Action(name, self._body(inline, name), line_of(inline)))
            if not name:
                self.say(child, "an action without a name", "it is left out", self.pou)
                continue
            for owner in owners:
                yield Association(owner.get("name", ""), name, qualifier, _duration(child.get("duration", "")), line)


def _inverted(one: Transition, sources: tuple[str, ...]) -> Transition:
    """A transition that waits for its condition to be false. Raises: Unreadable for one that is drawn as a body of its own."""
    if one.diagram is None:
        stated = _STATED.fullmatch(one.condition)  # by its name, or as what that is assigned
        text = f"{one.condition}\nNOT" if one.language == "IL" else f"NOT ({stated[1] if stated else one.condition or one.name})"
        return replace(one, condition=text, name="")
    coil = one.diagram.elements[-1] if one.diagram.elements else None
    if not isinstance(coil, Coil) or coil.variable != one.name or coil.kind is not CoilKind.PLAIN:
        raise Unreadable(one.line, 0, f"the transition from {' and '.join(sources)} inverts what is drawn")
    elements = (*one.diagram.elements[:-1], replace(coil, kind=CoilKind.NEGATED))
    return replace(one, diagram=build(elements, one.diagram.language)[0])


def _duration(text: str) -> str:
    """A duration as a literal; a name stays one."""
    shown = text.strip()
    return f"T#{shown}" if shown[:1].isdigit() else shown


