"""The command that prints what the screen shows."""

from __future__ import annotations

import shlex

from whorlograph.inquiry.trail import Answer
from whorlograph.model.times import seconds

from .session import Paths, Session


def files(paths: Paths) -> list[str]:
    """Program, logs and options of a session as arguments."""
    found = [str(paths.program), *(str(p) for p in paths.logs)]
    if paths.iolist is not None:
        found += ["--io-list", str(paths.iolist)]
    if paths.profile is not None:
        found += ["--profile", str(paths.profile)]
    for library in paths.libraries:
        found += ["--library", str(library)]
    if paths.resource:
        found += ["--resource", paths.resource]
    return found


def why_command(session: Session, answer: Answer, at: int | None, prove: bool) -> str:
    """The ``why`` command of an answer."""
    program, *rest = files(session.paths)
    logs = rest[:len(session.paths.logs)]
    options = rest[len(session.paths.logs):]
    parts = ["whorlograph", "why", program, *logs, session.running.tags[answer.tag].name, "--symptom", answer.symptom.value]
    if at is not None:
        parts += ["--at", seconds(at, 9).rstrip("0").rstrip(".")]
    return shlex.join([*parts, *options, *([] if prove else ["--no-prove"])])
