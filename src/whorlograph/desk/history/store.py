"""What logs gave, kept in one SQLite file that grows as logs come: a log that is unchanged is not replayed again."""

from __future__ import annotations

import sqlite3
from hashlib import sha256
from pathlib import Path

import msgspec

from whorlograph.formats.decoding import unpacked
from whorlograph.model.errors import UsageError

from .look import Looked, Work

VERSION = 1
_TABLE = "CREATE TABLE IF NOT EXISTS looked (key TEXT PRIMARY KEY, log TEXT NOT NULL, found BLOB NOT NULL)"


class Store:
    """The file. Raises: UsageError where it cannot be opened, or is another one."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self.file = sqlite3.connect(path)
            self.file.execute("PRAGMA journal_mode=WAL")
            known = self.file.execute("PRAGMA user_version").fetchone()[0]
            if known not in (0, VERSION):
                raise UsageError(str(path), "was written by a newer version", "give another file with --store")
            self.file.execute(_TABLE)
            self.file.execute(f"PRAGMA user_version={VERSION}")
            self.file.commit()
        except (sqlite3.Error, OSError) as error:
            raise UsageError(str(path), f"cannot be used as a store ({error})", "give another file with --store") from None

    def known(self, key: str) -> Looked | None:
        """What a log gave before; None where it was not looked at."""
        row = self.file.execute("SELECT found FROM looked WHERE key = ?", (key,)).fetchone()
        if row is None:
            return None
        try:
            return unpacked(row[0], Looked)
        except msgspec.MsgspecError:
            return None

    def keep(self, key: str, log: str, found: Looked) -> None:
        """Keep what a log gave, at once."""
        self.file.execute("INSERT OR REPLACE INTO looked VALUES (?, ?, ?)", (key, log, msgspec.msgpack.encode(found)))
        self.file.commit()

    def close(self) -> None:
        """Close the file."""
        self.file.close()


def key_of(work: Work, log: Path) -> str:
    """What tells a log, and all it is replayed with, from any other by their content; "" where it cannot be read."""
    found = sha256(f"{VERSION} {work.resource} {sorted(work.tags)}".encode())
    try:
        for path in (work.program, work.iolist, work.profile, *work.libraries, str(log)):
            found.update(b"\0")
            if path:
                with open(path, "rb") as file:
                    while data := file.read(1 << 20):
                        found.update(data)
    except OSError:
        return ""
    return found.hexdigest()
