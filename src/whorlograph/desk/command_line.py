"""The command that prints what the screen shows."""

from __future__ import annotations

import os
import shlex
import shutil
import sys
from pathlib import Path

from whorlograph.inquiry.trail import Answer
from whorlograph.model.times import seconds

from .session import Paths, Session


def program() -> str:
    """How this program is called where the command is copied to: by name where the shell finds it, else by the path it was started by."""
    started = Path(sys.argv[0])
    if started.name != "whorlograph" or shutil.which("whorlograph") is not None or not started.is_file():
        return "whorlograph"
    return short(started)


def short(path: Path) -> str:
    """The shortest name of a file that works from the folder at hand."""
    try:
        near = os.path.relpath(path)
    except (OSError, ValueError):  # on another drive, or the folder is gone
        return str(path)
    return min(str(path), os.path.join(os.curdir, near) if near.startswith("-") else near, key=len)


def files(paths: Paths) -> list[str]:
    """Program, logs and options of a session as arguments."""
    found = [short(paths.program), *(short(p) for p in paths.logs)]
    if paths.iolist is not None:
        found += ["--io-list", short(paths.iolist)]
    if paths.profile is not None:
        found += ["--profile", short(paths.profile)]
    for library in paths.libraries:
        found += ["--library", short(library)]
    if paths.resource:
        found += ["--resource", paths.resource]
    return found


def why_command(session: Session, answer: Answer, at: int | None, prove: bool) -> str:
    """The ``why`` command of an answer."""
    given, *rest = files(session.paths)
    logs = rest[:len(session.paths.logs)]
    options = rest[len(session.paths.logs):]
    parts = [program(), "why", given, *logs, session.running.tags[answer.tag].name, "--symptom", answer.symptom.value]
    if at is not None:
        parts += ["--at", seconds(at, 9).rstrip("0").rstrip(".")]
    return shlex.join([*parts, *options, *([] if prove else ["--no-prove"])])
