"""Rows ``time,scan,tag,value`` of whole numbers written by a small WebAssembly function, ten million a second."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import wasmtime
from numpy.typing import NDArray

from whorlograph.model.log import Ints, Shorts

from .sandbox import new_engine, no_room_is_no_wasmtime

ROWS = 1 << 16
NAMES_AT = 64
_TEXT = """(module
(memory (export "memory") {pages})
(func $copy (param $to i32) (param $from i32) (param $size i32) (local $end i32)
  (local.set $end (i32.add (local.get $from) (local.get $size)))
  (loop $word
    (i64.store (local.get $to) (i64.load (local.get $from)))
    (local.set $to (i32.add (local.get $to) (i32.const 8)))
    (local.set $from (i32.add (local.get $from) (i32.const 8)))
    (br_if $word (i32.lt_u (local.get $from) (local.get $end)))))
(func $digits (param $p i32) (param $v i64) (param $least i32) (result i32) (local $n i32) (local $t i64) (local $q i32)
  (local.set $t (local.get $v)) (local.set $n (i32.const 1))
  (block $counted (loop $more
    (local.set $t (i64.div_u (local.get $t) (i64.const 10)))
    (br_if $counted (i64.eqz (local.get $t)))
    (local.set $n (i32.add (local.get $n) (i32.const 1))) (br $more)))
  (if (i32.lt_u (local.get $n) (local.get $least)) (then (local.set $n (local.get $least))))
  (local.set $q (i32.add (local.get $p) (local.get $n)))
  (loop $put
    (local.set $q (i32.sub (local.get $q) (i32.const 1)))
    (i32.store8 (local.get $q) (i32.add (i32.const 48) (i32.wrap_i64 (i64.rem_u (local.get $v) (i64.const 10)))))
    (local.set $v (i64.div_u (local.get $v) (i64.const 10)))
    (br_if $put (i32.gt_u (local.get $q) (local.get $p))))
  (i32.add (local.get $p) (local.get $n)))
(func (export "run") (param $rows i32) (param $micros i32) (param $scans i32) (param $tags i32) (param $values i32) (param $places i32) (param $out i32)
  (result i32)
  (local $i i32) (local $p i32) (local $v i64) (local $e i32) (local $last i64) (local $head i32) (local $size i32)
  (local.set $p (local.get $out)) (local.set $last (i64.const -1))
  (block $done (loop $row
    (br_if $done (i32.ge_u (local.get $i) (local.get $rows)))
    (local.set $v (i64.load (i32.add (local.get $scans) (i32.shl (local.get $i) (i32.const 3)))))
    (if (i64.eq (local.get $v) (local.get $last))
      (then
        (call $copy (local.get $p) (local.get $head) (local.get $size))
        (local.set $head (local.get $p))
        (local.set $p (i32.add (local.get $p) (local.get $size))))
      (else
        (local.set $last (local.get $v)) (local.set $head (local.get $p))
        (local.set $v (i64.load (i32.add (local.get $micros) (i32.shl (local.get $i) (i32.const 3)))))
        (local.set $p (call $digits (local.get $p) (i64.div_u (local.get $v) (i64.const 1000000)) (i32.const 1)))
        (i32.store8 (local.get $p) (i32.const 46))
        (local.set $p (call $digits (i32.add (local.get $p) (i32.const 1)) (i64.rem_u (local.get $v) (i64.const 1000000)) (i32.const 6)))
        (i32.store8 (local.get $p) (i32.const 44))
        (local.set $p (call $digits (i32.add (local.get $p) (i32.const 1)) (local.get $last) (i32.const 1)))
        (local.set $size (i32.sub (local.get $p) (local.get $head)))))
    (local.set $e (i32.add (local.get $places) (i32.shl (i32.load (i32.add (local.get $tags) (i32.shl (local.get $i) (i32.const 2)))) (i32.const 3))))
    (call $copy (local.get $p) (i32.load (local.get $e)) (i32.load offset=4 (local.get $e)))
    (local.set $p (i32.add (local.get $p) (i32.load offset=4 (local.get $e))))
    (local.set $v (i64.load (i32.add (local.get $values) (i32.shl (local.get $i) (i32.const 3)))))
    (if (i64.lt_s (local.get $v) (i64.const 0)) (then
      (i32.store8 (local.get $p) (i32.const 45)) (local.set $p (i32.add (local.get $p) (i32.const 1)))
      (local.set $v (i64.sub (i64.const 0) (local.get $v)))))
    (if (i64.lt_u (local.get $v) (i64.const 10))
      (then
        (i32.store8 (local.get $p) (i32.add (i32.const 48) (i32.wrap_i64 (local.get $v))))
        (local.set $p (i32.add (local.get $p) (i32.const 1))))
      (else (local.set $p (call $digits (local.get $p) (local.get $v) (i32.const 1)))))
    (i32.store8 (local.get $p) (i32.const 10)) (local.set $p (i32.add (local.get $p) (i32.const 1)))
    (local.set $i (i32.add (local.get $i) (i32.const 1))) (br $row)))
  (i32.sub (local.get $p) (local.get $out)))
)"""


class PlainRows:
    """Writes rows of whole numbers.

    Args: names: what stands between the commas for each tag number.
    Raises: ImportError or OSError where wasmtime does not load.
    """

    def __init__(self, names: Sequence[str]) -> None:
        middles = [f",{n},".encode() for n in names]
        ends = np.cumsum([0, *(len(m) for m in middles)]) + NAMES_AT
        self.places = (int(ends[-1]) + 15) & ~15
        self.columns = self.places + 8 * len(middles)
        longest = max(map(len, middles), default=0) + 64
        self.out = self.columns + 28 * ROWS
        pages = (self.out + longest * ROWS + 64) // 65_536 + 1
        engine = new_engine()
        self.store = wasmtime.Store(engine)
        with no_room_is_no_wasmtime():
            exports = wasmtime.Instance(self.store, wasmtime.Module(engine, _TEXT.format(pages=pages)), []).exports(self.store)
        memory, run = exports["memory"], exports["run"]
        assert isinstance(memory, wasmtime.Memory) and isinstance(run, wasmtime.Func)
        self.run = run
        self.view = np.frombuffer(memoryview(memory.get_buffer_ptr(self.store)), np.uint8)
        self._put(np.frombuffer(b"".join(middles), np.uint8), NAMES_AT)
        self._put(np.stack([ends[:-1], np.diff(ends)], 1).astype("<u4"), self.places)

    def _put(self, column: NDArray[Any], address: int) -> None:
        self.view[address:address + column.nbytes] = np.ascontiguousarray(column).reshape(-1).view(np.uint8)

    def lines(self, scans: Ints, numbers: Shorts, values: Ints, micros: Ints) -> Iterator[memoryview]:
        """The rows as text, block by block; each is gone with the next.

        Args: micros: int64[n] microseconds, not negative.
        """
        columns = self.columns
        at = [columns, columns + 8 * ROWS, columns + 16 * ROWS, columns + 24 * ROWS]
        for i in range(0, len(scans), ROWS):
            part = slice(i, i + ROWS)
            made = (micros[part].astype("<i8", copy=False), scans[part].astype("<i8", copy=False), values[part].astype("<i8", copy=False),
                    numbers[part].astype("<i4", copy=False))
            for where, column in zip(at, made, strict=True):
                self._put(column, where)
            size = self.run(self.store, len(scans[part]), at[0], at[1], at[3], at[2], self.places, self.out)
            yield self.view[self.out:self.out + int(size)].data
