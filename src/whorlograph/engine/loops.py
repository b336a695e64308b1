"""Which loop made a scan take too long, and what mends it."""

from __future__ import annotations

from whorlograph.model.ladder import Jump
from whorlograph.model.literals import duration_text, times_text
from whorlograph.model.profile import Profile
from whorlograph.model.steps import Steps, segment_at
from whorlograph.model.text import Go

from .journal import Fault, Pass
from .scope.text_parts import parts


def worst_loop(loops: tuple[Pass, ...], number: int) -> Pass | None:
    """The one that went back most often, of those that took half of the scan's steps or more; None where the time went elsewhere.

    Args: number: how many steps the scan had taken.
    """
    guilty = [p for p in loops if 2 * _length(p) >= number]
    return max(guilty, key=lambda p: (p.times, p.steps), default=None)


def _length(loop: Pass) -> int:
    """About how many steps it took: from the first jump back to the last, and one pass more."""
    return loop.steps + loop.step - loop.target + 1


def loop_text(loops: tuple[Pass, ...], number: int, steps: Steps, profile: Profile) -> str:
    """The loop that went back most often in a scan that took too long, how often, how long; "" without one."""
    most = worst_loop(loops, number)
    if most is None:
        return ""
    end, start = steps.all[most.step], steps.all[most.target]
    body = end.instance.pou.body if end.instance.pou is not None else None
    number = most.target - steps.of(end.instance)[0].index + 1  # targets count rungs from 1
    part, first = segment_at(body, most.step - steps.of(end.instance)[0].index) if body is not None else (None, 0)
    targets = {name: first + target for name, target in part.targets.items()} if part is not None else {}
    jumps = [e for e in (*end.rung.elements, *(parts(end.rung.statement) if end.rung.statement is not None else ())) if isinstance(e, (Jump, Go))]
    labels = [e.label for e in jumps if targets.get(e.label.lower()) == number]
    label = f" (label {labels[0]})" if labels else ""
    times = times_text(most.times)
    took = f", about {duration_text(_length(most) * profile.rung_time)} of it" if profile.rung_time else ""
    return f": the jump in {end.pou} {end.rung.number} went back to {start.pou} {start.rung.number}{label} {times}{took}"


def loop_remedy(fault: Fault, steps: Steps) -> str:
    """What mends it; "" where no loop was in it."""
    most = worst_loop(fault.loops, fault.number)
    if most is None:
        return ""
    end = steps.all[most.step]
    if fault.code == "watchdog":
        return f"shorten the loop of {end.pou} {end.rung.number}, call WATCHDOG_RESTART midway, or raise the watchdog's limit in the profile"
    return f"see that the loop of {end.pou} {end.rung.number} ends sooner"
