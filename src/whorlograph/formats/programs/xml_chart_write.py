"""Sequential charts written as XML of the exchange format (IEC 61131-10)."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from typing import Any

from lxml import etree

from whorlograph.model.chart import Chart, Transition
from whorlograph.model.ladder import LadderBody
from whorlograph.model.program import Variable
from whorlograph.model.text import TextBody

Sub = Callable[..., etree._Element]
Body = Callable[[etree._Element, TextBody | LadderBody], None]


def own_variables(variables: tuple[Variable, ...]) -> tuple[Variable, ...]:
    """The variables that the file declares: the chart's own follow them."""
    return tuple(v for v in variables if not v.made)


class ChartWriter:
    """Writes one chart. Args: sub: adds an element below another; body: writes a body into one."""

    def __init__(self, chart: Chart, sub: Sub, body: Body) -> None:
        self.chart, self.sub, self.body = chart, sub, body
        self.ids = count(1)
        self.numbers: dict[Any, int] = {}

    def number(self, key: Any) -> int:
        """The id of a part, made at the first asking."""
        if key not in self.numbers:
            self.numbers[key] = next(self.ids)
        return self.numbers[key]

    def write(self, parent: etree._Element) -> None:
        """Add the chart to a body."""
        holder = self.sub(parent, "SFC")
        for step in self.chart.steps:
            key = step.name.lower()
            more = {"initialStep": "true"} if step.initial else {}
            node = self.sub(holder, "step", localId=self.number(("step", key)), name=step.name, **more)
            self._place(node)
            self._in(node, [self._leads(n, one) for n, one in enumerate(self.chart.transitions) if key in {t.lower() for t in one.targets}])
        for n, one in enumerate(self.chart.transitions):
            self._transition(holder, n, one)
        for step in self.chart.steps:
            given = [a for a in self.chart.associations if a.step.lower() == step.name.lower()]
            if not given:
                continue
            node = self.sub(holder, "actionBlock", localId=next(self.ids))
            self._place(node)
            self._in(node, [self.number(("step", step.name.lower()))])
            for one_given in given:
                timed = {"duration": one_given.time} if one_given.time else {}
                action = self.sub(node, "action", qualifier=one_given.qualifier, **timed)
                self.sub(action, "reference", name=one_given.action)

    def actions(self, parent: etree._Element) -> None:
        """Add the actions to a POU."""
        if self.chart.actions:
            holder = self.sub(parent, "actions")
            for one in self.chart.actions:
                self.body(self.sub(self.sub(holder, "action", name=one.name), "body"), one.body)

    def transitions(self, parent: etree._Element) -> None:
        """Add the transitions that have names to a POU."""
        named = [t for t in self.chart.transitions if self._named(t)]
        holder = self.sub(parent, "transitions") if named else parent
        for one in named:
            self.body(self.sub(self.sub(holder, "transition", name=one.name), "body"), self._condition(one))

    @staticmethod
    def _named(one: Transition) -> bool:
        return not one.name.startswith(one.plain_name) or one.diagram is not None

    @staticmethod
    def _condition(one: Transition) -> TextBody | LadderBody:
        return one.diagram if one.diagram is not None else TextBody((), tuple(one.condition.splitlines()), language=one.language)

    def _place(self, node: etree._Element) -> None:
        self.sub(node, "position", x=0, y=0)

    def _in(self, node: etree._Element, sources: list[int]) -> None:
        point = self.sub(node, "connectionPointIn")
        for source in sources:
            self.sub(point, "connection", refLocalId=source)

    def _leads(self, n: int, one: Transition) -> int:
        """What a step behind a transition is wired to: itself, or the branch that it opens."""
        return self.number(("branch", n)) if len(one.targets) > 1 else self.number(("transition", n))

    def _transition(self, holder: etree._Element, n: int, one: Transition) -> None:
        before = [self.number(("step", s.lower())) for s in one.sources]
        if len(before) > 1:
            joined = self.sub(holder, "simultaneousConvergence", localId=next(self.ids))
            self._place(joined)
            self._in(joined, before)
            before = [int(joined.get("localId", "0"))]
        node = self.sub(holder, "transition", localId=self.number(("transition", n)), priority=n)
        self._place(node)
        self._in(node, before)
        condition = self.sub(node, "condition")
        if self._named(one):
            self.sub(condition, "reference", name=one.name)
        else:
            self.body(self.sub(condition, "inline", name=""), self._condition(one))
        if len(one.targets) > 1:
            opened = self.sub(holder, "simultaneousDivergence", localId=self.number(("branch", n)))
            self._place(opened)
            self._in(opened, [self.number(("transition", n))])
