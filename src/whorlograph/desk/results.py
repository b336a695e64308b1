"""Results of a replay written to files, while it runs: what has been written is forgotten."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from whorlograph.engine.rows import Records
from whorlograph.engine.settled import SettledRows, SettlingRecords, joined
from whorlograph.formats.beside import written
from whorlograph.formats.packing import packed_as, to_be_packed
from whorlograph.formats.settled_csv import SettledCsv
from whorlograph.formats.settled_parquet import SettledParquet
from whorlograph.formats.settled_vcd import SettledVcd
from whorlograph.model.moment import ScanClock

from .behind import Behind
from .session import Session

_KINDS: dict[str, type[SettledCsv | SettledVcd | SettledParquet]] = {".vcd": SettledVcd, ".parquet": SettledParquet}


def replay_into(session: Session, path: Path, until: int | None = None, only: set[int] | None = None) -> None:
    """Replay a session's log and write every change of a settled value as CSV (DESIGN section 7), or as the file's name ends: ``.vcd``, ``.parquet``;
    packed where it ends in ``.gz`` or ``.zst``.

    It is written in a thread beside the replay.

    Raises: UsageError where the file cannot be written.
    """
    kind, packing = packed_as(path)
    with written(path, session.paths.inputs) as fresh, to_be_packed(fresh, packing) as plain:
        file = _KINDS.get(kind, SettledCsv)(plain, session.running.tags)
        try:
            _replay_into(session, file, until, only)
        finally:
            file.close()


def _replay_into(session: Session, file: SettledCsv | SettledVcd | SettledParquet, until: int | None, only: set[int] | None) -> None:
    controller = session.controller
    settling = SettlingRecords(session.running, controller.feed(session.log, None, until).initial, only)

    def write(rows: SettledRows, clock: ScanClock) -> None:
        scans, numbers, values = rows
        file.add(scans, numbers, values, clock.start_all(scans))

    def take(records: list[Records], clock: ScanClock) -> None:
        write(joined([settling.take(piece) for piece in records]), clock)

    with Behind() as behind:
        behind.do(partial(file.begin, settling.first))
        journal = controller.replay(session.log, until=until, told=session.told, sink=lambda records, clock: behind.do(partial(take, records, clock)))
        behind.do(lambda: write(settling.close(journal.clock.last), journal.clock))
