"""Which tags a sequential chart is made of: the flags of its steps, transitions and actions."""

from __future__ import annotations

from enum import StrEnum
from itertools import accumulate

from msgspec import Struct

from whorlograph.model.chart import Chart, ChartBody, Transition, control_name
from whorlograph.model.tags import Aggregate, Instance, Leaf, Running


class Part(StrEnum):
    """What a tag is to a chart."""

    STEP = "step"  # whether a step is active
    TIME = "time"  # how long it has been
    ACTION = "action"  # whether an action runs in this evaluation, or its Boolean variable


class ChartTags(Struct):
    """One chart at work: the tags of its steps and transitions, by name in lower case."""

    chart: Chart
    steps: dict[str, int]
    transitions: dict[str, int]

    def active(self, values: dict[str, bool]) -> list[str]:
        """The steps that are active. Args: values: of each step's flag."""
        return [s.name for s in self.chart.steps if values.get(s.name.lower())]

    def way(self, active: list[str], step: str) -> list[Transition]:
        """The fewest transitions that lead from active steps to another, of equally few those that need no other step. None: no way leads there."""
        known, able = {s.lower() for s in active}, self._able(active)
        transitions = sorted(able, key=lambda t: sum(s.lower() not in known for s in t.sources))
        todo: list[tuple[str, list[Transition]]] = [(s.lower(), []) for s in active]
        seen = {s for s, _ in todo}
        while todo:
            here, way = todo.pop(0)
            for one in transitions:
                if here not in {s.lower() for s in one.sources}:
                    continue
                for target in one.targets:
                    if target.lower() == step.lower():
                        return [*way, one]
                    if target.lower() not in seen:
                        seen.add(target.lower())
                        todo.append((target.lower(), [*way, one]))
        return []

    def _able(self, active: list[str]) -> list[Transition]:
        """The transitions that may ever fire from active steps on: all steps that one leads from can become active."""
        reached, found = {s.lower() for s in active}, list[Transition]()
        while True:
            fresh = [t for t in self.chart.transitions if t not in found and {s.lower() for s in t.sources} <= reached]
            if not fresh:
                return found
            found += fresh
            reached |= {target.lower() for t in fresh for target in t.targets}


class Place(Struct):
    """A tag of a chart: what it is to it; ``name`` of the step or action, ``flag`` the tag that says the same plainly."""

    part: Part
    tags: ChartTags
    name: str
    flag: int


def chart_places(running: Running) -> dict[int, Place]:
    """By tag, for all charts of a program."""
    found: dict[int, Place] = {}
    for one in running.instances():
        if one.pou is not None and isinstance(one.pou.body, ChartBody):
            _of_instance(one, one.pou.body.chart, running, found)
    return found


def made_by_charts(running: Running) -> frozenset[int]:
    """The tags that no declaration names: flags and times of steps, transitions and actions, which charts alone write."""
    made = {f"{one.name}.{v.name}" for one in running.instances() if one.pou is not None and isinstance(one.pou.body, ChartBody)
            for v in one.pou.variables if v.made}
    return frozenset(t.index for t in (running.tags if made else ()) if made & set(accumulate(t.name.split("."), "{}.{}".format)))


def passing_on(running: Running) -> frozenset[int]:
    """What a chart is made of besides its steps: transitions, flags and timers, which only pass on what the steps do."""
    places = chart_places(running)
    return frozenset(tag for tag in made_by_charts(running) if tag not in places or places[tag].part is not Part.STEP)


def _of_instance(one: Instance, chart: Chart, running: Running, found: dict[int, Place]) -> None:
    steps = {s.name.lower(): tag for s in chart.steps if (tag := _field(one, s.name, "x")) is not None}
    named = {t.name.lower(): ref.tag for t in chart.transitions if isinstance(ref := one.scope.get(t.name.lower()), Leaf)}
    tags = ChartTags(chart, steps, named)
    for step in chart.steps:
        if step.name.lower() in steps:
            found[steps[step.name.lower()]] = Place(Part.STEP, tags, step.name, steps[step.name.lower()])
            time = _field(one, step.name, "t")
            if time is not None:
                found[time] = Place(Part.TIME, tags, step.name, steps[step.name.lower()])
    declared = {v.name.lower() for v in one.pou.variables if not v.made} if one.pou is not None else set()
    for name in {a.action for a in chart.associations}:
        own = any(a.name.lower() == name.lower() for a in chart.actions)
        key = name if own and _field(one, name, "q") is not None else control_name(name, declared)
        flag, runs = _field(one, key, "q"), _field(one, key, "a")
        if flag is None or runs is None:
            continue
        found[runs] = Place(Part.ACTION, tags, name, flag)
        variable = None if own else one.scope.get(name.lower()) or running.scope.scope.get(name.lower())
        if isinstance(variable, Leaf):
            found[variable.tag] = Place(Part.ACTION, tags, name, flag)


def _field(one: Instance, name: str, field: str) -> int | None:
    ref = one.scope.get(name.lower())
    leaf = ref.fields.get(field) if isinstance(ref, Aggregate) else None
    return leaf.tag if isinstance(leaf, Leaf) else None
