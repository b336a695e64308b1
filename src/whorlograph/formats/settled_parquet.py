"""Settled values as Parquet: the columns of the CSV file, ``time`` (s), ``scan``, ``tag``, ``value``."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from whorlograph.model.log import Ints, Shorts
from whorlograph.model.tags import Tag

from .settled_csv import shown_value

MICROSECOND = 1000  # ns


class SettledParquet:
    """A file of settled values, written piece by piece; values stand as the CSV file has them."""

    def __init__(self, path: Path, tags: list[Tag]) -> None:
        import pyarrow as pa
        import pyarrow.parquet as pq

        self.tags = tags
        words = pa.dictionary(pa.int32(), pa.string())
        self._schema = pa.schema([("time", pa.float64()), ("scan", pa.int64()), ("tag", words), ("value", words)])
        self._writer = pq.ParquetWriter(path, self._schema, compression="zstd")

    def begin(self, first: Sequence[tuple[int, int]]) -> None:
        """Write every tag's value before the first scan, as (number, raw value).

        Raises: OSError where the file cannot be written.
        """
        numbers, values = np.array([n for n, _ in first], np.int64), np.array([v for _, v in first], np.int64)
        self.add(np.zeros(len(first), np.int64), numbers, values, np.zeros(len(first), np.int64))

    def add(self, scans: Ints, numbers: Shorts | Ints, values: Ints, starts: Ints) -> None:
        """Append rows.

        Raises: OSError where the file cannot be written.
        """
        import pyarrow as pa

        if not len(scans):
            return
        pairs, which = np.unique(np.stack([numbers.astype(np.int64), values]), axis=1, return_inverse=True)
        shown = [shown_value(v, self.tags[n]) for n, v in pairs.T.tolist()]
        names, name_of = np.unique(numbers, return_inverse=True)
        tags = pa.DictionaryArray.from_arrays(pa.array(name_of.ravel(), pa.int32()), pa.array([self.tags[n].name for n in names.tolist()]))
        texts = pa.DictionaryArray.from_arrays(pa.array(which.ravel(), pa.int32()), pa.array(shown))
        times = (starts // MICROSECOND) / 1e6
        self._writer.write_table(pa.Table.from_arrays([pa.array(times), pa.array(scans), tags, texts], schema=self._schema))

    def close(self) -> None:
        """End the file."""
        self._writer.close()
