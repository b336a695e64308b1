"""Recorded logs: one or several files, read leniently, merged into one log."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from whorlograph.model.errors import LogError
from whorlograph.model.log import Clock, Log
from whorlograph.model.place import Loaded, Notice, Place
from whorlograph.model.profile import Profile
from whorlograph.model.registry import resolve
from whorlograph.model.tags import Running

from .csv_table import EXAMPLES, Rows
from .times import Times

READERS: dict[str, str] = {".csv": "formats.logs.csv_table:read_csv"}


def read_logs(paths: list[Path], running: Running, profile: Profile, watch: Callable[[int, int], bool] = lambda done, size: False) -> Loaded[Log]:
    """Read and merge logs: rows in order of time, rows of one instant in the order of the files given.

    Args: watch: told of the bytes read so far, of how many; by True it stops the reading: what is read by then is kept.
    Raises: LogError for a file that cannot be read, or that holds rows but not one usable.
    """
    times = Times()
    parts: list[Rows] = []
    sizes = [path.stat().st_size if path.is_file() else 0 for path in paths]
    for i, path in enumerate(paths):
        if parts and parts[-1].stopped:
            break

        def told(done: int, before: int = sum(sizes[:i])) -> bool:
            return watch(before + done, sum(sizes))

        suffix = next((s for s in reversed(path.suffixes) if s.lower() not in (".gz", ".zst")), ".csv").lower()
        part: Rows = resolve(READERS.get(suffix, READERS[".csv"]))(path, running, profile, times, told)
        if part.rows and not part.usable:
            example = f" ({part.examples[0].partition(': ')[2]})" if part.examples else ""
            raise LogError(str(path), f"none of its {part.rows} rows can be used{example}",
                           "check the columns: time, tag, value, or time and one column a tag")
        parts.append(part)
    return _merge(parts, times)


def _merge(parts: list[Rows], times: Times) -> Loaded[Log]:
    stamps = [(p.first, p.last) for p in parts if p.first is not None and p.last is not None]
    origin = min((s[0] for s in stamps), default=0)
    end = max((s[1] for s in stamps), default=0)
    columns = [p.columns() for p in parts]
    disorder = [int(np.count_nonzero(c[0][1:] < c[0][:-1])) for c in columns]
    absolute, tags, values = columns[0] if len(columns) == 1 else [np.concatenate([c[i] for c in columns]) for i in range(3)]
    del columns
    if np.any(absolute[1:] < absolute[:-1]):
        order = np.argsort(absolute, kind="stable")
        absolute, tags, values = absolute[order], tags[order], values[order]
    absolute -= origin
    unknown: dict[str, int] = {}
    for part in parts:
        for name, count in part.unknown.items():
            unknown[name] = unknown.get(name, 0) + count
    log = Log(absolute, tags, values, origin, end - origin, times.clock or Clock.SECONDS, times.zone,
               tuple(p.file for p in parts), sum(p.rows for p in parts), sum(p.bad for p in parts),
               sum(disorder), tuple(unknown),
               tuple(e for p in parts for e in p.examples[:EXAMPLES]), not parts[-1].stopped if parts else True)
    return Loaded(log, [n for part, count in zip(parts, disorder, strict=True) for n in _notices(part, count)])


def _notices(part: Rows, disorder: int) -> list[Notice]:
    place = Place(part.file)
    found = []
    if part.damage:
        found.append(Notice(place, part.damage, "what is before it is used; fetch the file again"))
    if part.bad:
        example = part.examples[0].partition(": ")
        found.append(Notice(place, f"{part.bad} row{'s' * (part.bad != 1)} set aside, the first at {example[0]}: {example[2]}",
                            "answers do not see them"))
    if disorder:
        found.append(Notice(place, f"{disorder} row{'s' * (disorder != 1)} out of order", "sorted by time"))
    for name, count in list(part.unknown.items())[:5]:
        found.append(Notice(place, f"{name or 'a row without a name'} is no tag of the program ({count} rows)", "not used"))
    if len(part.unknown) > 5:
        found.append(Notice(place, f"{len(part.unknown) - 5} more names are no tags of the program", "not used"))
    if part.encoding:
        found.append(Notice(place, f"the text is not UTF-8, read as {part.encoding}", "check names with accents"))
    if not part.rows:
        found.append(Notice(place, "the log has a header and no row", "nothing can be replayed"))
    return found
