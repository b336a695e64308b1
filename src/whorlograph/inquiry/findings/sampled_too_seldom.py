"""A task that looks at something faster than it comes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..generators import runs_freely
from ..symptoms import course
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Generators whose pauses or pulses are shorter than the interval of a task that reads them, as this log has them."""
    if not facts.replayed:
        return
    tracer = facts.tracer
    for task in tracer.controller.schedule.tasks:
        if not task.interval or not task.periodic:
            continue
        for step in sorted(tracer.controller.calls.instance_of):
            if tracer.paths.task_of(step) != task.number:
                continue
            for use in tracer.controller.access.of_step(step):
                for tag in use.tags() if not use.writes else ():
                    if tag >= tracer.running.public or not tracer.boolean(tag) or not runs_freely(tracer, tag):
                        continue
                    path = course(tracer.journal, tag)
                    lengths = np.diff(tracer.journal.clock.start_all(path.scans[-200:]))
                    if len(lengths) and int(np.median(lengths)) < task.interval:
                        place = tracer.writers[tag][0] if tracer.writers.get(tag) else None
                        text = f"task {task.name} looks at {facts.name(tag)} less often than it changes"
                        effect = "what it sees depends on the phase: now all on, now all off"
                        yield facts.finding("sampled-too-seldom", place, tag, text, effect, 2)
