"""Findings of a session's program, as text and JSON."""

from __future__ import annotations

import textwrap
from typing import Any

from whorlograph.inquiry.findings import findings
from whorlograph.inquiry.findings.facts import Finding
from whorlograph.inquiry.why import Inquiry

from .asking import inquiry
from .session import Session

_MANY = 150
WEIGHTS = {1: "look at these first", 2: "suspicious", 3: "good to know"}


def check(session: Session, apart: Inquiry | None = None) -> list[Finding]:
    """All findings, worked out once. Args: apart: what looks, where the screen goes on meanwhile."""
    if session.findings is None:
        session.findings = findings((apart or inquiry(session)).tracer, bool(len(session.log.times)))
    return session.findings


def takes_long(session: Session) -> bool:
    """Whether looking through the program takes longer than a person waits for a page."""
    return session.findings is None and session.controller.code.steps > _MANY


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
