"""Which processes are at work."""

from __future__ import annotations

from pathlib import Path


def at_work(group: int) -> list[int]:
    """The processes of a group that have not ended, from /proc (Linux)."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                # The name, in brackets, may hold blanks; state, parent and group come behind it.
                state, _, of = (entry / "stat").read_text(encoding="utf-8", errors="replace").rpartition(")")[2].split()[:3]
            except OSError:
                continue
            if int(of) == group and state not in "ZX":
                found.append(int(entry.name))
    return found
