"""Recorded logs: one or several files, read leniently, merged into one log."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from whorlograph.model.errors import LogError
from whorlograph.model.log import Log
from whorlograph.model.place import Loaded
from whorlograph.model.profile import Profile
from whorlograph.model.registry import resolve
from whorlograph.model.tags import Running

from .csv_table import Rows
from .merge import merge
from .times import Times

READERS: dict[str, str] = {".csv": "formats.logs.csv_table:read_csv", ".vcd": "formats.logs.vcd:read_vcd",
                          ".parquet": "formats.logs.parquet:read_parquet"}

ENDINGS = tuple(f"{ending}{packed}" for ending in READERS for packed in ("", ".gz", ".zst"))  # of files that are logs by their names


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
                           "check the columns: time, tag, value, or time and one column a tag; other words for on and off go into the profile: "
                           '[log] true = ["..."], false = ["..."]')
        parts.append(part)
    return merge(parts, times)
