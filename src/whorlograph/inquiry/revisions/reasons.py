"""Of a tag that takes another course: the change of the program that is nearest upstream."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from whorlograph.engine.controller import Controller
from whorlograph.inquiry.xref import Xref

from .change import Change, ChangeKind, Revision, What

MOST = 2_000  # tags upstream that are looked at


class Side:
    """One of the two programs, elaborated: what its steps write, what decides its tags; by names in lower case."""

    def __init__(self, controller: Controller, xref: Xref) -> None:
        self.controller, self.xref = controller, xref
        self._of_pou: dict[str, list[int]] = {}
        for instance in controller.running.instances():
            first = controller.steps.first.get(id(instance))
            if first is not None:
                self._of_pou.setdefault(instance.type_name.lower(), []).append(first)

    def name(self, tag: int) -> str:
        """A tag's name in lower case."""
        return self.controller.running.tags[tag].name.lower()

    def written_by(self, pou: str, place: int) -> set[str]:
        """The tags that a step of a body writes, in any instance, or lets other steps write."""
        found: set[str] = set()
        for first in self._of_pou.get(pou.lower(), ()):
            step = first + place
            if step >= len(self.controller.steps.all):
                continue
            led = [s for one, element in self.controller.steps.flags if one == step for s in self.xref.led(step, element)]
            found |= {self.name(t) for s in (step, *led) for u in self.controller.access.of_step(s) if u.writes for t in u.tags()}
        return found

    def declared(self, pou: str, name: str) -> set[str]:
        """The tags that a declaration stands for, with what lies inside them."""
        names = [name.lower()]
        if pou:
            running = self.controller.running
            names = [f"{one.name}.{name}".lower() for one in running.instances() if one.type_name.lower() == pou.lower()]
        return {t.name.lower() for t in self.controller.running.tags for n in names
                if t.name.lower() == n or t.name.lower().startswith((f"{n}.", f"{n}["))}

    def run_by(self, name: str) -> set[str]:
        """The tags that the programs of a task read and write, or a program that runs: all are looked at at other instants."""
        found: set[str] = set()
        runs = {p.name.lower() for p in self.controller.running.programs if name.lower() in (p.task.lower(), p.name.lower())}
        for step in self.controller.steps.all:
            if step.instance.name.partition(".")[0].lower() in runs:
                found |= {self.name(t) for u in self.controller.access.of_step(step.index) for t in u.tags()}
        return found

    def written_often(self, name: str) -> bool:
        """Whether several steps write a tag."""
        tag = self.controller.running.by_name.get(name)
        return tag is not None and len({u.step for u in self.controller.access.of_tag(tag) if u.writes}) > 1

    def decided_by(self, name: str) -> Iterable[str]:
        """The tags that a tag hangs on."""
        tag = self.controller.running.by_name.get(name)
        return map(self.name, self.xref.decided_by(tag)) if tag is not None else ()


def reasons(revision: Revision, sides: tuple[Side, Side], first: Mapping[str, int]) -> dict[str, Change]:
    """For each tag that took another course the nearest change upstream, as far as one is found: where to look first, not a proof.

    It stands on a way of tags that differ no later than this one; a change of tasks, which touches all that they run, only
    where no other is found. Args: first: since when each differs (ns), by name in lower case.
    """
    suspects: dict[str, Change] = {}
    at_other_times: dict[str, Change] = {}
    for change in revision.acting:
        for tag in _touched(change, sides):
            (at_other_times if change.what is What.TASK else suspects).setdefault(tag, change)
    decided: dict[str, list[str]] = {}

    def above(name: str) -> list[str]:
        if name not in decided:
            decided[name] = list(dict.fromkeys(n for side in sides for n in side.decided_by(name)))
        return decided[name]

    found = {}
    for name in first:
        to_blame = _nearest(name, suspects, first, above) or _nearest(name, suspects, first, above, sides) or \
            _nearest(name, at_other_times, first, above)
        if to_blame is not None:
            found[name] = to_blame
    return found


def _touched(change: Change, sides: tuple[Side, Side]) -> set[str]:
    """The tags whose course a change can alter at once."""
    if change.what is What.RUNG:
        return {t for side, place in zip(sides, change.steps, strict=True) if place >= 0 for t in side.written_by(change.pou, place)}
    if change.what is What.TASK:
        return {t for side in sides for t in side.run_by(change.name)}
    if change.kind is ChangeKind.CHANGED and change.name:
        return {t for side in sides for t in side.declared(change.pou, change.name)}
    return set()


def _nearest(name: str, suspects: dict[str, Change], first: Mapping[str, int], above: Callable[[str], list[str]],
             through: tuple[Side, ...] = ()) -> Change | None:
    """The nearest change upstream on tags that differ no later; ``through``: also on those that several steps of a scan write, which may differ
    amid it alone."""
    seen, here = {name}, [name]

    def may_differ(one: str) -> bool:
        return first.get(one, first[name] + 1) <= first[name] or (one not in first and any(side.written_often(one) for side in through))

    while here and len(seen) < MOST:
        hit = [n for n in here if n in suspects]
        if hit:
            return suspects[min(hit, key=lambda n: (first.get(n, 0), n))]
        following = [n for one in here for n in above(one) if n not in seen and may_differ(n)]
        here = list(dict.fromkeys(following))
        seen |= set(here)
    return None
