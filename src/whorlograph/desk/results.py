"""Results of a replay written to files."""

from __future__ import annotations

from pathlib import Path

from whorlograph.engine.journal import Journal
from whorlograph.engine.settled import settle
from whorlograph.formats.settled_csv import write_csv

from .session import Session


def write_settled(journal: Journal, session: Session, path: Path, only: set[int] | None = None) -> None:
    """Write every change of a settled value as CSV (DESIGN section 7).

    Raises: UsageError where the file cannot be written.
    """
    settled = settle(journal, session.running, only)
    write_csv(path, session.running.tags, list(zip(settled.tags_shown, settled.first, strict=True)), settled.scans, settled.tags,
              settled.values, settled.starts)
