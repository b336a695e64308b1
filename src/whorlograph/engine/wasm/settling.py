"""Records settled as fast as they are written: one small WebAssembly function that goes through them once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import wasmtime
from numpy.typing import NDArray

from whorlograph.engine.rows import BITS, PACKED, Records
from whorlograph.formats.sandbox import new_engine, no_room_is_no_wasmtime
from whorlograph.model.log import Ints, Shorts

ROWS = 1 << 16
_FEW = 24  # tags that changed in one scan up to which they are put in order one by one

# What is known of each shown tag, by its place in the order of names: its value at the last scan's end and now, the scan it was
# last changed in. Changed ones stand in a list, and where they are many in a bit each: it gives their order without comparing.
_TEXT = """(module
(memory (export "memory") {pages})
(global $open (mut i64) (i64.const -1))
(global $count (mut i32) (i32.const 0))
(global $out (mut i32) (i32.const 0))
(func $give (param $r i32) (local $v i64) (local $a i32)
  (local.set $a (i32.shl (local.get $r) (i32.const 3)))
  (local.set $v (i64.load offset={now} (local.get $a)))
  (if (i64.eq (local.get $v) (i64.load offset={before} (local.get $a))) (then (return)))
  (i64.store offset={before} (local.get $a) (local.get $v))
  (i64.store offset={scans} (i32.shl (global.get $out) (i32.const 3)) (global.get $open))
  (i64.store offset={values} (i32.shl (global.get $out) (i32.const 3)) (local.get $v))
  (i32.store offset={tags} (i32.shl (global.get $out) (i32.const 2)) (i32.load offset={shown} (i32.shl (local.get $r) (i32.const 2))))
  (global.set $out (i32.add (global.get $out) (i32.const 1))))
(func $closed (local $i i32) (local $j i32) (local $r i32) (local $q i32) (local $bits i64)
  (if (i32.le_u (global.get $count) (i32.const {few}))
    (then
      (local.set $i (i32.const 1))
      (block $sorted (loop $next
        (br_if $sorted (i32.ge_u (local.get $i) (global.get $count)))
        (local.set $r (i32.load offset={list} (i32.shl (local.get $i) (i32.const 2))))
        (local.set $j (local.get $i))
        (block $placed (loop $down
          (br_if $placed (i32.eqz (local.get $j)))
          (local.set $q (i32.load offset={list} (i32.shl (i32.sub (local.get $j) (i32.const 1)) (i32.const 2))))
          (br_if $placed (i32.lt_u (local.get $q) (local.get $r)))
          (i32.store offset={list} (i32.shl (local.get $j) (i32.const 2)) (local.get $q))
          (local.set $j (i32.sub (local.get $j) (i32.const 1)))
          (br $down)))
        (i32.store offset={list} (i32.shl (local.get $j) (i32.const 2)) (local.get $r))
        (local.set $i (i32.add (local.get $i) (i32.const 1)))
        (br $next)))
      (local.set $i (i32.const 0))
      (block $given (loop $next
        (br_if $given (i32.ge_u (local.get $i) (global.get $count)))
        (call $give (i32.load offset={list} (i32.shl (local.get $i) (i32.const 2))))
        (local.set $i (i32.add (local.get $i) (i32.const 1)))
        (br $next))))
    (else
      (block $marked (loop $next
        (br_if $marked (i32.ge_u (local.get $i) (global.get $count)))
        (local.set $r (i32.load offset={list} (i32.shl (local.get $i) (i32.const 2))))
        (local.set $j (i32.shl (i32.shr_u (local.get $r) (i32.const 6)) (i32.const 3)))
        (i64.store offset={marks} (local.get $j) (i64.or (i64.load offset={marks} (local.get $j))
          (i64.shl (i64.const 1) (i64.extend_i32_u (i32.and (local.get $r) (i32.const 63))))))
        (local.set $i (i32.add (local.get $i) (i32.const 1)))
        (br $next)))
      (local.set $i (i32.const 0))
      (block $given (loop $next
        (br_if $given (i32.ge_u (local.get $i) (i32.const {words})))
        (local.set $bits (i64.load offset={marks} (i32.shl (local.get $i) (i32.const 3))))
        (i64.store offset={marks} (i32.shl (local.get $i) (i32.const 3)) (i64.const 0))
        (block $none (loop $one
          (br_if $none (i64.eqz (local.get $bits)))
          (call $give (i32.add (i32.shl (local.get $i) (i32.const 6)) (i32.wrap_i64 (i64.ctz (local.get $bits)))))
          (local.set $bits (i64.and (local.get $bits) (i64.sub (local.get $bits) (i64.const 1))))
          (br $one)))
        (local.set $i (i32.add (local.get $i) (i32.const 1)))
        (br $next)))))
  (global.set $count (i32.const 0)))
(func (export "take") (param $rows i32) (result i32) (local $p i32) (local $end i32) (local $scan i64) (local $r i32)
  (global.set $out (i32.const 0))
  (local.set $p (i32.const {records}))
  (local.set $end (i32.add (local.get $p) (i32.mul (local.get $rows) (i32.const {size}))))
  (block $done (loop $row
    (br_if $done (i32.ge_u (local.get $p) (local.get $end)))
    (local.set $scan (i64.shr_s (i64.load (local.get $p)) (i64.const {bits})))
    (if (i64.ne (local.get $scan) (global.get $open)) (then (call $closed) (global.set $open (local.get $scan))))
    (local.set $r (i32.load offset=12 (local.get $p)))
    (local.set $r (i32.load offset={ranks} (i32.shl
      (select (local.get $r) (i32.const {known}) (i32.lt_u (local.get $r) (i32.const {known}))) (i32.const 2))))
    (if (i32.ge_s (local.get $r) (i32.const 0)) (then
      (if (i64.ne (i64.load offset={changed} (i32.shl (local.get $r) (i32.const 3))) (local.get $scan)) (then
        (i64.store offset={changed} (i32.shl (local.get $r) (i32.const 3)) (local.get $scan))
        (i32.store offset={list} (i32.shl (global.get $count) (i32.const 2)) (local.get $r))
        (global.set $count (i32.add (global.get $count) (i32.const 1)))))
      (i64.store offset={now} (i32.shl (local.get $r) (i32.const 3)) (i64.load offset=16 (local.get $p)))))
    (local.set $p (i32.add (local.get $p) (i32.const {size})))
    (br $row)))
  (global.get $out))
(func (export "close") (param $last i64) (result i32)
  (global.set $out (i32.const 0))
  (if (i64.le_s (global.get $open) (local.get $last)) (then (call $closed)))
  (global.get $out))
)"""


class FastSettling:
    """Settles records in order. What stands in the tags is all that is kept, and the rows of the last scan, which may go on.

    Args: shown, ranks: as of ``Settling``; before: its ``last``.
    Raises: ImportError or OSError where wasmtime does not load.
    """

    def __init__(self, shown: Sequence[int], ranks: Ints, before: Ints) -> None:
        count, room = len(shown), ROWS + len(shown)
        sizes = {"ranks": 4 * len(ranks), "shown": 4 * count, "list": 4 * count, "before": 8 * count, "now": 8 * count, "changed": 8 * count,
                 "marks": 8 * (count // 64 + 1), "scans": 8 * room, "values": 8 * room, "tags": 4 * room, "records": PACKED.itemsize * ROWS}
        ends = np.cumsum([(s + 63) & ~63 for s in sizes.values()])
        self._at = dict(zip(sizes, [0, *ends[:-1].tolist()], strict=True))
        text = _TEXT.format(pages=int(ends[-1]) // 65_536 + 1, few=_FEW, words=count // 64 + 1, bits=BITS, size=PACKED.itemsize, known=len(ranks) - 1,
                            **self._at)
        engine = new_engine()
        self._store = wasmtime.Store(engine)
        with no_room_is_no_wasmtime():
            exports = wasmtime.Instance(self._store, wasmtime.Module(engine, text), []).exports(self._store)
        memory, take, close = exports["memory"], exports["take"], exports["close"]
        assert isinstance(memory, wasmtime.Memory) and isinstance(take, wasmtime.Func) and isinstance(close, wasmtime.Func)
        self._take, self._close = take, close
        self._view = np.frombuffer(memoryview(memory.get_buffer_ptr(self._store)), np.uint8)
        for name, column in (("ranks", ranks.astype(np.int32)), ("shown", np.array(shown, np.int32)), ("before", before), ("now", before),
                             ("changed", np.full(count, -1, np.int64))):
            self._put(name, column)

    def _put(self, name: str, column: NDArray[Any]) -> None:
        at = self._at[name]
        self._view[at:at + column.nbytes] = np.ascontiguousarray(column).view(np.uint8)

    def _taken(self, size: int) -> tuple[Ints, Shorts, Ints]:
        return (self._column("scans", size, np.int64), self._column("tags", size, np.int32), self._column("values", size, np.int64))

    def _column(self, name: str, size: int, kind: type[Any]) -> NDArray[Any]:
        at = self._at[name]
        found: NDArray[Any] = self._view[at:at + size * np.dtype(kind).itemsize].view(kind)
        return found.copy()

    def take(self, records: Records) -> list[tuple[Ints, Shorts, Ints]]:
        """Scans int64[n], tags int32[n] and values int64[n] of settled rows, by scan, then tag name, in parts; the last scan stays open."""
        parts = []
        for i in range(0, len(records), ROWS):
            part = records[i:i + ROWS]
            self._put("records", part)
            parts.append(self._taken(self._take(self._store, len(part))))
        return parts

    def close(self, last_scan: int) -> tuple[Ints, Shorts, Ints]:
        """The rows of the scan that was open, if it is not behind the last one."""
        return self._taken(self._close(self._store, last_scan))

