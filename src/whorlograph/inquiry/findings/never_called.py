"""A POU or an instance of one that is never called, a task that is never triggered."""

from __future__ import annotations

from collections.abc import Iterator

from ..languages import language_of
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """What never runs."""
    controller = facts.tracer.controller
    named: set[str] = set()
    for pou in controller.program.pous.values():
        words = language_of(pou.body)
        named |= {t.lower() for t in words.called(pou, controller.program)} if words is not None else set()
    running = {p.type_name.lower() for p in controller.running.programs}
    for key, pou in controller.program.pous.items():
        if key not in named and key not in running:
            yield Finding("never-called", pou.name, 0, -1, 0, None, f"nobody calls {pou.name}", "what it would write is never written", 2)
    for within in dict.fromkeys(name.rpartition(".")[0] for name in facts.uncalled):
        names = [name for name in facts.uncalled if name.rpartition(".")[0] == within]
        text = f"{facts.listed(names)} {'is' if len(names) == 1 else 'are'} declared, and nobody calls {'it' if len(names) == 1 else 'them'}"
        yield Finding("never-called", "", 0, -1, 0, None, text, "what it would write is never written", 2)
    for task in controller.schedule.tasks:
        single = task.single
        dead = single is not None and not task.at_start and not facts.from_outside(single) and not facts.tracer.writers.get(single)
        if (not task.periodic and single is None) or (dead and not task.periodic):
            why = f"nothing writes {facts.name(single)}, which it waits for" if dead else "it has neither an interval nor a tag to wait for"
            yield Finding("never-triggered", "", 0, -1, 0, single, f"task {task.name} never runs: {why}", "its programs never run", 1)
