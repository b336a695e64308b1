"""Findings: what looks suspicious in a program before anything ran (ANSWERS.md, Findings)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import cast

from whorlograph.model.registry import resolve

from ..tracer import Tracer
from .facts import Facts, Finding

FINDINGS = (
    "double_coil", "set_without_reset", "reset_without_set", "order_decides", "latch_and_wire", "wired_opposite", "returns_with_power",
    "one_sided_interlock", "feedback_interlock", "contradiction", "backward_jump", "labels", "skipped_area", "never_called", "two_tasks",
    "timer_now_and_then", "never_used", "one_address", "may_lose", "may_overflow", "index_not_guarded", "dead_step", "late_edge", "twin_lacks",
    "lamp_on_button", "sampled_too_seldom", "reset_misses", "guard_too_high", "step_table",
    "kept_comparison", "never_met",
)


def findings(tracer: Tracer, replayed: bool) -> list[Finding]:
    """All findings of a program, the weightiest first, each place once.

    Args: replayed: whether there is a log to take rates from.
    """
    facts = Facts(tracer, replayed)
    found: dict[tuple[str, str, int, str], Finding] = {}
    for name in FINDINGS:
        find = cast(Callable[[Facts], Iterator[Finding]], resolve(f"inquiry.findings.{name}:find"))
        for one in find(facts):
            found.setdefault((one.key, one.pou, one.rung, one.text), one)
    order = {id(one): n for n, one in enumerate(found.values())}
    return sorted(found.values(), key=lambda f: (f.weight, order[id(f)]))
