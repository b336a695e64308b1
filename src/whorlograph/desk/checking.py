"""Findings of a session's program, as text and JSON."""

from __future__ import annotations

import textwrap
from typing import Any

from whorlograph.inquiry.findings import findings
from whorlograph.inquiry.findings.facts import Finding

from .asking import inquiry
from .session import Session

WEIGHTS = {1: "look at these first", 2: "suspicious", 3: "good to know"}


def check(session: Session) -> list[Finding]:
    """All findings, worked out once."""
    if session.findings is None:
        session.findings = findings(inquiry(session).tracer, bool(len(session.log.times)))
    return session.findings


def check_json(session: Session, found: list[Finding]) -> dict[str, Any]:
    """Findings as JSON."""
    def name(tag: int | None) -> str | None:
        return session.running.tags[tag].name if tag is not None else None

    return {"findings": [{"kind": f.key, "weight": f.weight, "pou": f.pou or None, "rung": f.rung or None, "tag": name(f.tag), "text": f.text,
                          "effect": f.effect} for f in found]}


def check_text(found: list[Finding]) -> str:
    """Findings for reading, the weightiest first."""
    if not found:
        return "nothing looks suspicious"
    lines = [f"{len(found)} finding{'s' if len(found) > 1 else ''}; whorlograph explain WORD explains each kind"]
    for weight, heading in WEIGHTS.items():
        mine = [f for f in found if f.weight == weight]
        if mine:
            lines += ["", f"{heading}:"]
        for one in mine:
            lines += textwrap.wrap(f"{one.text}: {one.effect} [{one.key}]", 100, initial_indent="  ", subsequent_indent="      ")
    return "\n".join(lines)
