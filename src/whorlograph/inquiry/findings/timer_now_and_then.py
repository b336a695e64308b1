"""A timer in a task that only events start, a timer or an edge in a POU that is not always called."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.calls import Caller, every
from whorlograph.engine.code import Const, Edge, Invoke, Op
from whorlograph.model.blocks import TIMERS

from ..writers import Kind, Writer
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """What counts time or changes where it does not run in every scan."""
    calls = facts.tracer.controller.calls
    for step in sorted(calls.instance_of):
        task, number = facts.tracer.paths.task_of(step), calls.instance_of[step]
        if task >= 0 and facts.tracer.controller.schedule.tasks[task].periodic:
            task = -1  # it comes again and again by itself
        callers = calls.callers.get(number, [])
        sometimes = bool(callers) and not any(_always(facts, c) for c in callers)
        if task < 0 and not sometimes:
            continue
        for action in every(calls.code_of(step).actions):
            if not isinstance(action, (Invoke, Edge)) or (isinstance(action, Invoke) and action.block not in TIMERS):
                continue
            timer = isinstance(action, Invoke)
            what = "a timer" if timer else "an edge"
            place = Writer(step, action.at, facts.tracer.origin(step, action.at).element, Kind.BLOCK)
            if task >= 0 and timer:
                name = facts.tracer.controller.schedule.tasks[task].name
                yield facts.finding("timer-in-task", place, None, f"{facts.place(step)} has {what}, and runs in task {name}, which an event starts",
                                    "it is brought up to date only when the event comes, and may never elapse", 2)
            elif sometimes:
                yield facts.finding("called-now-and-then", place, None, f"{facts.place(step)} has {what}, and is called under a condition",
                                    "while it is not called a timer stands still and changes are missed", 2)
            break


def _always(facts: Facts, caller: Caller) -> bool:
    """Whether a call is made whenever its step runs."""
    power = facts.tracer.written.flag_power(caller.step, facts.tracer.origin(caller.step, caller.call.at).element) if caller.flag >= 0 else None
    ways = power.args if isinstance(power, Op) and power.code == "OR" and power.at < 0 else (power,)
    return caller.flag < 0 or any(isinstance(one, Const) and one.value is True for one in ways)
