"""The history of a folder of logs: what is known is taken, the rest looked at, each kept as it is done."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from msgspec import Struct

from whorlograph.formats.logs import ENDINGS
from whorlograph.model.errors import UsageError

from .look import Looked, Work
from .spread import here, on_cluster
from .store import Store, key_of

Spread = Callable[[Work, Sequence[str]], Iterator[tuple[str, Looked]]]


class Step(Struct, frozen=True):
    """How far it is: logs done, of how many, which one last; ``known``: of those done, how many an earlier run had."""

    done: int
    of: int
    known: int
    log: str = ""


def logs_in(folder: Path) -> list[Path]:
    """The logs of a folder and those below it, by name. Raises: UsageError where there is none."""
    if not folder.is_dir():
        raise UsageError(str(folder), "is no folder", "give the folder in which the logs are")
    found = sorted(p for p in folder.rglob("*") if p.is_file() and p.name.lower().endswith(ENDINGS) and not p.name.startswith("."))
    if not found:
        raise UsageError(str(folder), "holds no logs", f"logs end in {', '.join(ENDINGS)}")
    return found


def history(work: Work, logs: list[Path], store: Store, cluster: str = "", processes: int = 0) -> Iterator[Step | list[tuple[str, Looked]]]:
    """Look at logs; steps as it goes, the last is what they gave. Stopped at any time, the next run goes on from there."""
    found: dict[str, Looked] = {}
    keys = {str(log): key_of(work, log) for log in logs}
    for log, key in keys.items():
        kept = store.known(key) if key else Looked(why="cannot be read")
        if kept is not None:
            found[log] = kept
    known = len(found)
    yield Step(known, len(logs), known)
    left = [str(log) for log in logs if str(log) not in found]
    spread = on_cluster(work, left, cluster) if cluster else here(work, left, processes)
    for log, one in spread if left else ():
        found[log] = one
        if not one.why:
            store.keep(keys[log], log, one)
        yield Step(len(found), len(logs), known, log)
    yield [(str(log), found[str(log)]) for log in logs]
