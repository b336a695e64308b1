"""A log file's bytes and lines, unpacked where it is packed, read piece by piece."""

from __future__ import annotations

import csv
import io
import re
import zlib
from collections.abc import Iterator
from io import BufferedReader
from pathlib import Path
from typing import Any, BinaryIO

from whorlograph.formats.encodings import wide
from whorlograph.formats.foreign import LONGEST, foreign
from whorlograph.model.errors import LogError
from whorlograph.model.limits import MOST_LINE, MOST_PACKED_RATIO, PACKED_FREE

_CHUNK = 1 << 20
_PART = 1 << 10  # packed bytes unpacked at a time: they may become thirty thousand times as many
_STRAY = re.compile("[\udc80-\udcff]+")
_GZIP, _ZSTD = b"\x1f\x8b", b"\x28\xb5\x2f\xfd"
SEPARATORS = ",;\t|"  # of cells in a line


class _Unpacked(io.RawIOBase):
    """The bytes of a packed stream; where it is damaged it ends, and ``damage`` says how."""

    def __init__(self, raw: BinaryIO, gzip: bool) -> None:
        self.raw, self.gzip = raw, gzip
        self.damage = ""
        self._unpacker: Any = None
        self._packed = b""
        self._ready = b""
        self._taken = self._given = 0

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        while not self._ready and not self.damage:
            if not self._packed:
                self._packed = self.raw.read(_CHUNK)
            if not self._packed:
                if self._unpacker is not None:
                    self.damage = "it is cut off"
                return 0
            self._more()
        n = min(len(buffer), len(self._ready))
        buffer[:n] = self._ready[:n]
        self._ready = self._ready[n:]
        return n

    def _more(self) -> None:
        import zstandard

        if self._unpacker is None:
            self._unpacker = zlib.decompressobj(31) if self.gzip else zstandard.ZstdDecompressor().decompressobj()
        part, self._packed = self._packed[:_PART], self._packed[_PART:]
        try:
            self._ready = self._unpacker.decompress(part)
        except (zlib.error, zstandard.ZstdError) as problem:
            self.damage = str(problem)
            return
        self._taken += len(part)
        self._given += len(self._ready)
        if self._given > max(PACKED_FREE, MOST_PACKED_RATIO * self._taken):
            self.damage = f"it unpacks to over {MOST_PACKED_RATIO:,} times its size"
        self._packed = self._unpacker.unused_data + self._packed
        if self._unpacker.eof:
            self._unpacker = None
            self._packed = self._packed.lstrip(b"\0") if self.gzip else self._packed


class Source:
    """One file, open for reading.

    Args: what: what the file is, for messages.
    ``stream`` gives its bytes, unpacked; ``size`` bytes on the disk (0: not known).
    Raises: LogError where it cannot be opened.
    """

    def __init__(self, path: Path, what: str = "log") -> None:
        self.path, self.what = path, what
        try:
            self._raw = path.open("rb", buffering=0)
            self.size = path.stat().st_size
            packed: BufferedReader[Any] = BufferedReader(self._raw, 1 << 16)
            start = packed.peek(LONGEST)[:LONGEST]
        except OSError as problem:
            raise LogError(str(path), f"cannot be opened ({problem.strerror or problem})", "check the name and the rights") from problem
        other = foreign(start)
        if other is not None:
            self._raw.close()
            raise LogError(str(path), f"is {other[0]}", other[1])
        self._unpacked: _Unpacked | None = None
        self.stream: BufferedReader[Any] = packed
        suffix = path.suffix.lower()
        gzip = suffix == ".gz" or start[:2] == _GZIP
        if gzip or suffix == ".zst" or start.startswith(_ZSTD):
            self._unpacked = _Unpacked(packed, gzip)
            self.stream = BufferedReader(self._unpacked, 1 << 18)
        self.guessed = False
        self._text: io.TextIOWrapper | None = None

    @property
    def damage(self) -> str:
        """Where unpacking ended too early: why; "" else."""
        return self._unpacked.damage if self._unpacked is not None else ""

    def done(self) -> int:
        """Bytes of the file read so far."""
        try:
            return self._raw.tell()
        except OSError:
            return 0

    def close(self) -> None:
        """Close the file."""
        if self._text is not None:
            self._text.close()
        self.stream.close()
        self._raw.close()

    def __enter__(self) -> Source:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def lines(self) -> Iterator[str]:
        """The lines without their ends, whichever those are; bytes that are no UTF-8 are taken as Windows-1252.

        Raises: LogError for a file without a word in it, or that is no text.
        """
        head = self.stream.peek(4096)[:4096]
        if not head.strip():
            if self.damage:
                raise LogError(str(self.path), f"cannot be opened ({self.damage})", "pack it again")
            raise LogError(str(self.path), f"the {self.what} is empty", "record it again, or give another file")
        encoding = wide(head)
        sample = head.decode(encoding or "utf-8", "replace")
        if sample.count("\x00") > 40 or sum(c < " " and c not in "\r\n\t\x00" for c in sample) > 40:
            raise LogError(str(self.path), f"not a text file, so no {self.what} in CSV", "give a CSV file")
        text = self._text = io.TextIOWrapper(self.stream, encoding or "utf-8-sig", "replace" if encoding else "surrogateescape", newline=None)
        while line := text.readline(MOST_LINE):
            if len(line) >= MOST_LINE and not line.endswith("\n"):
                raise LogError(str(self.path), f"a line is longer than {MOST_LINE:,} characters, so no {self.what} in CSV", "give a CSV file")
            if not line.isascii() and _STRAY.search(line):
                self.guessed = True
                line = _STRAY.sub(lambda stray: stray[0].encode("utf-8", "surrogateescape").decode("cp1252", "replace"), line)
            yield line.rstrip("\n").replace("\x00", "").removeprefix("\ufeff")


def cells(line: str, separator: str) -> list[str]:
    """A line's cells. A quote that is not closed ends with its line, so that it hides no other."""
    if '"' not in line:
        return line.split(separator)
    try:
        return next(csv.reader([line], delimiter=separator), [])
    except csv.Error:
        return line.split(separator)
