"""Logs as Parquet, long form or wide: read through Apache Arrow, column by column."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from whorlograph.model.errors import LogError
from whorlograph.model.limits import LOG_ROW, memory_room
from whorlograph.model.literals import counted
from whorlograph.model.log import Clock, Ints, narrowed
from whorlograph.model.profile import Profile
from whorlograph.model.shown import visible
from whorlograph.model.tags import Running

from .binding import Binder
from .csv_table import FULL, Rows, Watch
from .heading import column, unit
from .quality import IsBad, bad_by, bad_text, is_surely_one, quality_column
from .table import TAG_NAMES, TIME_NAMES, VALUE_NAMES
from .times import LIMIT, Times
from .values import meaning

if TYPE_CHECKING:
    import pyarrow as pa

BATCH = 1 << 16  # rows at a time


def read_parquet(path: Path, running: Running, profile: Profile, times: Times, watch: Watch) -> Rows:
    """Read a log. Empty cells are no news; a column of instants needs no name of its own.

    Raises: LogError where it cannot be opened, is no Parquet, or has no column of times.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        size = path.stat().st_size
        file = pq.ParquetFile(path)
    except OSError as problem:
        raise LogError(str(path), f"cannot be opened ({problem.strerror or 'no Parquet file'})", "check the name and the rights") from problem
    except pa.ArrowException as problem:
        raise LogError(str(path), f"no Parquet file ({visible(str(problem).splitlines()[0])[:100]})", "export it again, or give CSV") from problem
    header = [visible(name) for name in file.schema_arrow.names]
    at = column(header, profile.log_time, TIME_NAMES, True)
    rows = Rows(str(path))
    if at is None and not profile.log_time:
        at = next((i for i, f in enumerate(file.schema_arrow) if pa.types.is_timestamp(f.type)), None)
        rows.taken = f"{header[at]} is taken as time" if at is not None else ""
    if at is None:
        raise LogError(str(path), f'no "{profile.log_time or "time"}" column among {", ".join(header[:8]) or "none"}',
                       'name it in the profile: [log] time = "..."')
    bind = Binder(running, profile)
    rows.paths, rows.alike = bind.paths, bind.alike
    reader = _Reader(rows, bind, running, times, header, at, profile)
    room, packed, taken = memory_room() // LOG_ROW, 0, 0
    try:
        for batch in file.iter_batches(BATCH):
            reader.batch(batch)
            taken += batch.num_rows
            packed += sum(len(b[0]) for b in rows.blocks[-1:])
            if packed > room:
                rows.stopped, rows.damage = True, FULL.format(rows.rows)
                break
            if watch(size * taken // max(1, file.metadata.num_rows)):
                rows.stopped = True
                break
    except (pa.ArrowException, OSError) as problem:
        rows.damage = f"the file is damaged behind its {counted(rows.rows, 'row')} ({visible(str(problem).splitlines()[0])[:100]})"
        if not rows.rows:
            raise LogError(str(path), f"cannot be read ({visible(str(problem).splitlines()[0])[:100]})", "fetch it again") from problem
    return rows


class _Reader:
    """Reads the file's batches into rows."""

    def __init__(self, rows: Rows, bind: Binder, running: Running, times: Times, header: list[str], at: int, profile: Profile) -> None:
        self.rows, self.bind, self.running, self.times, self.header, self.at = rows, bind, running, times, header, at
        self.tag_at, self.value_at = column(header, profile.log_tag, TAG_NAMES), column(header, profile.log_value, VALUE_NAMES)
        self.looked = False
        self.is_bad: IsBad | None = None
        self.quality_at = quality_column(header, (at, self.tag_at, self.value_at))

    def batch(self, batch: pa.RecordBatch) -> None:
        """Some rows."""
        first = self.rows.rows
        self.rows.rows += batch.num_rows
        times, good = self._times(batch.column(self.at), first)
        if good.any():
            self.rows.stamp(int(times[good].min()))
            self.rows.stamp(int(times[good].max()))
        if self.tag_at is not None and self.value_at is not None:
            self._long(batch, times, good, first)
        else:
            self._wide(batch, times, good, first)

    def _times(self, one: pa.Array, first: int) -> tuple[Ints, NDArray[np.bool_]]:
        """int64[n] ns, bool[n]: the rows whose times can be read."""
        import pyarrow as pa

        if pa.types.is_timestamp(one.type):
            clock = Clock.ZONED if one.type.tz else Clock.LOCAL
            steps = {"s": 10**9, "ms": 10**6, "us": 10**3, "ns": 1}[one.type.unit]
            raw = one.cast(pa.int64())
            known = np.asarray(raw.is_valid())
            ticks = np.asarray(raw.fill_null(0), np.int64)
            fits = np.abs(ticks) < LIMIT // steps
            good = known & fits if self.times.decide(clock) else np.zeros(len(known), bool)
            self._aside(np.flatnonzero(~good & known), first, one)
            return np.where(good, ticks * steps, 0), good
        if pa.types.is_integer(one.type) or pa.types.is_floating(one.type):
            one = one.cast(pa.string())
        codes, texts = _coded(one)
        if not self.looked:
            self.looked = True
            self.times.look([t for t in texts[:4000] if t is not None], unit(self.header[self.at]))
            self.times.in_order = False  # each text is read once
            self.rows.ambiguous, self.rows.date_form = self.times.ambiguous, self.times.date_form
        read = [self.times.read(t) if t is not None else None for t in texts]
        found = np.array([t if t is not None else 0 for t in read] or [0], np.int64)
        fine = np.array([t is not None for t in read] or [False], bool)
        good = (codes >= 0) & fine[codes]
        self._aside(np.flatnonzero(~good), first, one)
        return np.where(good, found[codes], 0), good

    def _aside(self, bad: Ints, first: int, one: pa.Array) -> None:
        for i in bad[:20].tolist():
            self.rows.set_aside(first + i + 1, f"time {visible(str(one[i].as_py()))[:40]!r} cannot be read")
        self.rows.bad += max(0, len(bad) - 20)

    def _of_bad_quality(self, batch: pa.RecordBatch, name_texts: list[str | None], names: Ints, usable: NDArray[np.bool_],
                        first: int) -> NDArray[np.bool_]:
        """bool[n]: of usable rows those whose values the recorder itself calls bad, which are set aside."""
        import pyarrow as pa

        if self.quality_at is None or self.rows.quality:
            return np.zeros(batch.num_rows, bool)
        codes, texts = _coded(batch.column(self.quality_at).cast(pa.string()))
        if self.is_bad is None:
            self.is_bad = bad_by((t for t in texts[:4000] if t is not None), self.header[self.quality_at])
        if self.is_bad is None:
            if is_surely_one(self.header[self.quality_at]):
                self.rows.quality = self.header[self.quality_at]
            self.quality_at = None
            return np.zeros(batch.num_rows, bool)
        said = np.array([*(t is not None and self.is_bad(t) for t in texts), False], bool)
        bad: NDArray[np.bool_] = said[codes] & usable  # -1, of none, is the last
        for i in np.flatnonzero(bad)[:20].tolist():
            self.rows.set_aside(first + i + 1, bad_text(name_texts[names[i]] or "", texts[codes[i]] or ""))
        self.rows.bad += max(0, int(bad.sum()) - 20)
        return bad

    def _long(self, batch: pa.RecordBatch, times: Ints, good: NDArray[np.bool_], first: int) -> None:
        assert self.tag_at is not None and self.value_at is not None
        names, name_texts = _coded(batch.column(self.tag_at))
        values, value_texts = _coded(batch.column(self.value_at))
        bound = [self.bind(t) if t is not None else None for t in name_texts]
        tags, raws, kept = np.zeros(len(times), np.int64), np.zeros(len(times), np.int64), np.zeros(len(times), bool)
        pairs = names.astype(np.int64) * (len(value_texts) + 1) + values
        usable = good & (names >= 0)
        usable &= ~self._of_bad_quality(batch, name_texts, names, usable, first)
        for pair in np.unique(pairs[usable]).tolist():
            name, value = divmod(pair, len(value_texts) + 1)
            here = np.flatnonzero(usable & (pairs == pair))
            one, text = bound[name], value_texts[value] if value < len(value_texts) else None
            if one is None:
                said = visible((name_texts[name] or "").strip())
                self.rows.unknown[said] = self.rows.unknown.get(said, 0) + len(here)
                self.rows.usable += len(here)
                continue
            bits = one[1](text) if text is not None else None
            if bits is None and text is not None and text.strip():
                name_said = self.running.tags[one[0]].name
                self.rows.set_aside(first + int(here[0]) + 1, f"value {visible(text)[:40]!r} is none of {name_said}{meaning(text)}")
                self.rows.bad += len(here) - 1
                continue
            self.rows.usable += len(here)
            if bits is not None:
                tags[here], raws[here], kept[here] = one[0], bits, True
        self._put(times[kept], tags[kept], raws[kept])

    def _wide(self, batch: pa.RecordBatch, times: Ints, good: NDArray[np.bool_], first: int) -> None:
        parts: list[tuple[Ints, Ints, Ints]] = []
        seen: set[int] = set()
        for i, name in enumerate(self.header):
            if i == self.at:
                continue
            bound = self.bind(name)
            if bound is None:
                self.rows.unknown[name] = self.rows.unknown.get(name, 0) + batch.num_rows
                continue
            if bound[0] in seen:
                continue
            seen.add(bound[0])
            codes, texts = _coded(batch.column(i))
            read = [bound[1](t) if t is not None else None for t in texts]
            for n, text in enumerate(texts):
                if read[n] is None and text is not None and text.strip():
                    here = np.flatnonzero(codes == n)
                    self.rows.set_aside(first + int(here[0]) + 1, f"value {visible(text)[:40]!r} is none of {name}{meaning(text)}")
                    self.rows.bad += len(here) - 1
            fine = np.array([r is not None for r in read] or [False], bool)
            kept = np.flatnonzero(good & (codes >= 0) & fine[codes])
            found = np.array([r if r is not None else 0 for r in read] or [0], np.int64)
            parts.append((kept, np.full(len(kept), bound[0], np.int64), found[codes[kept]]))
        self.rows.usable += int(good.sum())
        at = np.concatenate([p[0] for p in parts]) if parts else np.zeros(0, np.int64)
        order = np.argsort(at, kind="stable")
        tags, raws = (np.concatenate([p[n] for p in parts])[order] if parts else at for n in (1, 2))
        self._put(times[at[order]], tags, raws)

    def _put(self, times: Ints, tags: Ints, values: Ints) -> None:
        if len(times):
            self.rows.blocks.append((times, narrowed(tags), narrowed(values)))


def _coded(one: pa.Array) -> tuple[NDArray[np.int64], list[str | None]]:
    """int64[n] and texts: which text each cell is, -1 none; BOOL as 0 and 1, numbers as they are written."""
    import pyarrow as pa

    if pa.types.is_dictionary(one.type):
        coded = one
    else:
        if pa.types.is_boolean(one.type):
            one = one.cast(pa.int8())
        coded = one.dictionary_encode()
    codes = np.asarray(coded.indices.fill_null(-1), np.int64)
    return codes, list(_texts(coded.dictionary))


def _texts(values: pa.Array) -> Iterator[str | None]:
    for value in values.to_pylist():
        if value is None or value != value:
            yield None  # nothing, or no number
        else:
            yield value.decode("utf-8", "replace") if isinstance(value, bytes) else repr(value) if isinstance(value, float) else str(value)

