"""Which loop made a scan take too long, and what mends it."""

from __future__ import annotations

from whorlograph.model.ladder import Jump, LadderBody
from whorlograph.model.literals import duration_text
from whorlograph.model.profile import Profile
from whorlograph.model.steps import Steps

from .journal import Pass

TOO_LONG = ("watchdog", "too many steps")


def loop_text(code: str, loops: tuple[Pass, ...], steps: Steps, profile: Profile) -> str:
    """The loop that went back most often in a scan that took too long, how often, how long, and the remedies; "" without one."""
    if not loops:
        return ""
    most = max(loops, key=lambda p: (p.times, p.steps))
    end, start = steps.all[most.step], steps.all[most.target]
    body = end.instance.pou.body if end.instance.pou is not None else None
    number = most.target - steps.of(end.instance)[0].index + 1  # targets count rungs from 1
    targets = body.targets if isinstance(body, LadderBody) else {}
    labels = [e.label for e in end.rung.elements if isinstance(e, Jump) and targets.get(e.label.lower()) == number]
    label = f" (label {labels[0]})" if labels else ""
    times = "once" if most.times == 1 else f"{most.times:,} times"
    took = f", about {duration_text((most.steps + most.step - most.target + 1) * profile.rung_time)} of it" if profile.rung_time else ""
    mend = "shorten that loop, call WATCHDOG_RESTART in it, or raise the profile's watchdog" if code == "watchdog" else "that loop must end sooner"
    return f": the jump in {end.pou} {end.rung.number} went back to {start.pou} {start.rung.number}{label} {times}{took}; {mend}"
