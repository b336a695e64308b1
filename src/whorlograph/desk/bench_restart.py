"""The controller at the bench starts anew, the machine goes on where it stands: after power was away, or with a changed program."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from msgspec.structs import replace

from whorlograph.engine.coupling import Change, Coupled
from whorlograph.model.profile import Start

from .bench import Bench
from .session import Session

AWAY = 1_000_000_000  # ns that power is away


def after_power(bench: Bench, warm: bool) -> Bench:
    """The bench after power was away for a second; its time counts from 0 again.

    Inputs stand as they did, retained tags too where it is ``warm`` (CONTROLLER.md, Profile, start); what was forced is so no more. A
    machine loses its outputs for that second and goes on.
    """
    tags = bench.session.running.tags
    first = {tag: bench.given(tag) for tag in bench.inputs}
    if warm:
        first |= {t.index: bench.value(t.index) for t in tags[:bench.session.running.public] if t.retain}
    profile = replace(bench.controller.profile, start=Start.WARM if warm else Start.COLD)
    plant = bench.plant
    return Bench(bench.session, None, _resumed(bench, plant, AWAY) if plant is not None else None, first, profile)


def with_changes(bench: Bench, changed: Session, kept: bool) -> Bench:
    """The bench with a changed program, from now on; its time counts from 0 again.

    Inputs stand as they did; where memory is ``kept`` every tag of the same name does (CONTROLLER.md, Profile, start = "log"), latches and
    counts too, while timers that run and edges begin anew.
    """
    old, known = bench.session.running, changed.running.by_name
    tags = bench.inputs if not kept else [t.index for t in old.tags[:old.public]]
    first = {known[name]: bench.given(tag) if tag in set(bench.inputs) else bench.value(tag) for tag in tags
             if (name := old.tags[tag].name.lower()) in known and changed.running.tags[known[name]].type == old.tags[tag].type}
    profile = replace(changed.profile, start=Start.LOG if kept else Start.COLD)
    plant = bench.plant
    return Bench(changed, None, _resumed(bench, plant, 0) if plant is not None else None, first, profile)


def log_goes_on(bench: Bench, fresh: Bench) -> int:
    """Let what the log has later than a bench come at another one that went on from it, at the same distances; how many rows."""
    log, old, known = bench.session.log, bench.session.running, fresh.session.running.by_name
    first = int(log.times.searchsorted(bench.now, side="right"))
    operated = set(fresh.inputs)
    later = zip(log.times[first:].tolist(), log.tags[first:].tolist(), log.values[first:].tolist(), strict=True)
    rows = [(time - bench.now, known[name], value) for time, tag, value in later
            if (name := old.tags[tag].name.lower()) in known and known[name] in operated]
    fresh.give(rows)
    return len(rows)


def _resumed(bench: Bench, plant: Callable[[], Coupled], away: int) -> Callable[[], Coupled]:
    """Makes the machine as the controller leaves it: all that was switched by now, then nothing for as long (ns) as power is away."""
    journal, running = bench.journal, bench.session.running
    names = [running.tags[t].name for t in bench.outputs]
    values = dict.fromkeys(names, 0) | {running.tags[t].name: journal.value_at(t, 0) for t in bench.outputs}
    switched: list[tuple[int, dict[str, int]]] = [(0, dict(values))]
    outputs = set(bench.outputs)
    for row in range(len(journal)):
        if journal.tag(row) in outputs:
            time = journal.time(row)
            values[running.tags[journal.tag(row)].name] = journal.raw(row)
            if time == switched[-1][0]:
                switched[-1] = time, dict(values)
            else:
                switched.append((time, dict(values)))
    if away:
        switched.append((bench.next_start, dict.fromkeys(names, 0)))
    return lambda: _Resumed(plant(), switched, bench.next_start + away)


class _Resumed:
    """A machine that has gone on up to a time, which is its 0 from now on."""

    def __init__(self, machine: Coupled, switched: list[tuple[int, dict[str, int]]], since: int) -> None:
        self.machine, self.since = machine, since
        self.state = {tag: value for _, tag, value in machine.begin()}
        for time, values in switched:
            self._go(time)
            machine.outputs(time, values)
        self._go(since)

    def _go(self, until: int) -> None:
        while (following := self.machine.next_time()) is not None and following <= until:
            self.state.update({tag: value for _, tag, value in self.machine.advance(following)})

    def begin(self) -> Iterable[Change]:
        """The inputs as they stand."""
        return [(0, tag, value) for tag, value in self.state.items()]

    def next_time(self) -> int | None:
        """When it next does something by itself."""
        following = self.machine.next_time()
        return following - self.since if following is not None else None

    def advance(self, now: int) -> Iterable[Change]:
        """What is due at a time."""
        return [(time - self.since, tag, value) for time, tag, value in self.machine.advance(now + self.since)]

    def outputs(self, now: int, values: Mapping[str, int]) -> None:
        """The outputs from a time on."""
        self.machine.outputs(now + self.since, values)
