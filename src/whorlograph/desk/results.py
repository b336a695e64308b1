"""Results of a replay written to files, while it runs: what has been written is forgotten."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np

from whorlograph.engine.block import Block
from whorlograph.engine.repeat import Repeat
from whorlograph.engine.settled import Settling
from whorlograph.formats.beside import written
from whorlograph.formats.settled_csv import SettledCsv
from whorlograph.formats.settled_parquet import SettledParquet
from whorlograph.formats.settled_vcd import SettledVcd
from whorlograph.model.log import Ints
from whorlograph.model.moment import ScanClock

from .behind import Behind
from .session import Session

MOST_ROWS = 1 << 19  # of the journal, settled in one piece
EVER = 1 << 62
_KINDS: dict[str, type[SettledCsv | SettledVcd | SettledParquet]] = {".vcd": SettledVcd, ".parquet": SettledParquet}

Columns = tuple[Ints, Ints, Ints]  # scans, tags and raw values of rows


def replay_into(session: Session, path: Path, until: int | None = None, only: set[int] | None = None) -> None:
    """Replay a session's log and write every change of a settled value as CSV (DESIGN section 7), or as the file's name ends: ``.vcd``, ``.parquet``.

    It is written in a thread beside the replay.

    Raises: UsageError where the file cannot be written.
    """
    with written(path, session.paths.inputs) as fresh:
        file = _KINDS.get(path.suffix.lower(), SettledCsv)(fresh, session.running.tags)
        try:
            _replay_into(session, file, until, only)
        finally:
            file.close()


def _replay_into(session: Session, file: SettledCsv | SettledVcd | SettledParquet, until: int | None, only: set[int] | None) -> None:
    controller = session.controller
    settling = Settling(session.running, controller.feed(session.log, None, until).initial, only)
    file.begin(list(zip(settling.shown, settling.first, strict=True)))

    held: list[Columns] = []  # rows of the scan handed over last: of one in which only tasks have run, neither start nor end is known

    def write(parts: list[Columns], clock: ScanClock, last: int) -> None:
        columns = [np.concatenate([p[n] for p in parts]) for n in range(3)]
        scans, numbers, values = settling.take(columns[0], columns[1], columns[2], last)
        file.add(scans, numbers, values, clock.start_all(scans))

    def take(blocks: list[Block | Repeat], clock: ScanClock) -> None:
        waiting, size = list(held), 0
        for i, block in enumerate(blocks):
            waiting.append(block.once())
            size += len(block)
            # A piece ends where a scan does.
            if i + 1 < len(blocks) and size >= MOST_ROWS and blocks[i + 1].scan(0) != block.scan(len(block) - 1):
                write(waiting, clock, EVER)
                waiting, size = [], 0
        if blocks:
            open_scan = blocks[-1].scan(len(blocks[-1]) - 1)
            write(waiting, clock, open_scan - 1)
            held[:] = [(p[0][late], p[1][late], p[2][late]) for p in waiting for late in [p[0] >= open_scan] if late.any()]

    def end(clock: ScanClock) -> None:
        if held:
            write(held, clock, clock.last)

    with Behind() as behind:
        journal = controller.replay(session.log, until=until, told=session.told, sink=lambda blocks, clock: behind.do(partial(take, blocks, clock)))
        behind.do(partial(end, journal.clock))
