"""Files packed as they are written: gzip and Zstandard, by the ending of their names."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

PACKED = (".gz", ".zst")


def packed_as(path: Path) -> tuple[str, str]:
    """What a file's name says: the ending that tells its kind, and that of its packing, "" where it is not packed; both in lower case."""
    last = path.suffix.lower()
    return (path.with_suffix("").suffix.lower(), last) if last in PACKED else (last, "")


@contextmanager
def to_be_packed(path: Path, packing: str) -> Iterator[Path]:
    """A file to be filled, from which another is packed in the end. Args: packing: one of ``PACKED``; "": it is that file itself.

    Raises: OSError where one of them cannot be written.
    """
    if not packing:
        yield path
        return
    plain = path.with_name(f"{path.name}.plain")
    try:
        yield plain
        with plain.open("rb") as filled, path.open("wb") as file:
            if packing == ".gz":
                import gzip

                with gzip.GzipFile("", "wb", 6, file, 0) as into:  # no name and no time: the same rows give the same file
                    shutil.copyfileobj(filled, into, 1 << 20)
            else:
                import zstandard

                zstandard.ZstdCompressor().copy_stream(filled, file)
    finally:
        with suppress(OSError):
            plain.unlink()
