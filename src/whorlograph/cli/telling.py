"""What a command says while it works."""

from __future__ import annotations

import sys
import time
from contextlib import suppress
from typing import TYPE_CHECKING

from whorlograph.model.literals import duration_text

if TYPE_CHECKING:
    from whorlograph.desk.session import Session
    from whorlograph.engine.controller import Progress

FIRST_WORD, NEXT_WORD = 3.0, 20.0  # seconds until a replay says how long it takes, and from then on


class Telling:
    """Tells the progress of a replay that takes long, on standard error."""

    def __init__(self) -> None:
        self.began: float | None = None
        self.due = 0.0

    def __call__(self, progress: Progress) -> None:
        now = time.monotonic()
        if self.began is None:
            self.began, self.due = now, now + FIRST_WORD
        if now < self.due or not progress.done:
            return
        self.due = now + NEXT_WORD
        share = progress.done / max(1, progress.total)
        left = duration_text(int((now - self.began) * (1 - share) / share) * 1_000_000_000)
        with suppress(OSError, ValueError):
            print(f"replaying: {100 * share:.1f} % of {duration_text(progress.total)}, about {left} left; Ctrl+C stops", file=sys.stderr, flush=True)


def telling(session: Session) -> Session:
    """A session whose replay says how long it takes."""
    session.told = Telling()
    return session
