"""Coupling: what drives a replay besides a log, a simulated machine or a panel, through a small protocol."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Protocol

import numpy as np
from msgspec import Struct

from whorlograph.engine.feed import Trial
from whorlograph.model.log import Log

from .controller import Controller
from .journal import Journal
from .wasm.status import Status

Change = tuple[int, str, int]  # time in ns, tag, raw value


class Coupled(Protocol):
    """A machine that answers a controller's outputs with inputs, later, as real contacts do."""

    def begin(self) -> Iterable[Change]:
        """The inputs at time 0."""

    def next_time(self) -> int | None:
        """When it next does something by itself, ns; None: not before an output changes."""

    def advance(self, now: int) -> Iterable[Change]:
        """Do what is due at a time; the input changes at that time."""

    def outputs(self, now: int, values: Mapping[str, int]) -> None:
        """Take note of all outputs' raw values, as they are from a time on."""


class CoupledRun(Struct, frozen=True):
    """What a coupled run left: the input changes in order, and the journal."""

    changes: list[Change]
    journal: Journal


def run_coupled(controller: Controller, machine: Coupled, end: int) -> CoupledRun:
    """Run a controller and a machine together up to a time (ns).

    The controller sees an input change in the first scan that starts at or after it; the machine sees an
    output change at the start of the scan that made it.
    """
    running = controller.running
    outputs = [t for t in running.tags[:running.public] if t.at_output]
    log = Log(np.zeros(0, np.int64), np.zeros(0, np.int32), np.zeros(0, np.int64), end=end)
    feed = controller.feed(log, Trial())
    engine = controller.machine(feed)
    engine.break_on_outputs(True)
    changes: list[Change] = []

    def give(new: Iterable[Change]) -> None:
        listed = sorted(new)
        changes.extend(listed)
        if listed:
            engine.feed_more(np.array([c[0] for c in listed], np.int64), np.array([running.by_name[c[1].lower()] for c in listed], np.int32),
                             np.array([c[2] for c in listed], np.int64))

    give(machine.begin())
    while True:
        following = machine.next_time()
        limit = end if following is None or following > end else following - 1
        status = engine.run(limit)
        if status is Status.OUTPUT_CHANGED:
            machine.outputs(engine.start, {t.name: engine.value(t.index) for t in outputs})
            continue
        if following is None or following > end:
            return CoupledRun(changes, controller.journal_of(engine, feed))
        give(machine.advance(following))
