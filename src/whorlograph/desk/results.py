"""Results of a replay written to files, while it runs: what has been written is forgotten."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from whorlograph.engine.block import Block
from whorlograph.engine.repeat import Repeat
from whorlograph.engine.settled import Settling
from whorlograph.formats.settled_csv import SettledCsv
from whorlograph.model.moment import ScanClock

from .session import Session

MOST_ROWS = 1 << 19  # of the journal, settled in one piece
EVER = 1 << 62


def replay_into(session: Session, path: Path, until: int | None = None, only: set[int] | None = None) -> None:
    """Replay a session's log and write every change of a settled value as CSV (DESIGN section 7).

    Raises: UsageError where the file cannot be written.
    """
    controller = session.controller
    settling = Settling(session.running, controller.feed(session.log, None, until).initial, only)
    file = SettledCsv(path, session.running.tags)
    file.begin(list(zip(settling.shown, settling.first, strict=True)))

    def sink(blocks: list[Block | Repeat], clock: ScanClock) -> None:
        waiting: list[Block | Repeat] = []
        for i, block in enumerate(blocks):
            waiting.append(block)
            # A piece ends where a scan does.
            whole = i + 1 == len(blocks) or blocks[i + 1].scan(0) != block.scan(len(block) - 1)
            if whole and (i + 1 == len(blocks) or sum(len(b) for b in waiting) >= MOST_ROWS):
                parts = [b.once() for b in waiting]
                columns = [np.concatenate([p[n] for p in parts]) for n in range(3)]
                scans, numbers, values = settling.take(columns[0], columns[1], columns[2], EVER)
                file.add(scans, numbers, values, clock.start_all(scans))
                waiting = []

    for _ in controller.replaying(session.log, None, until, sink=sink):
        continue
