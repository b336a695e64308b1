"""Plain lines of a long CSV log, read by a small WebAssembly function: millions of rows a second.

A line is plain if it is ``time,tag,value`` without quotes or blanks, its time written like that of the first
row. Any other line is handed to the general reader, one by one; what that gives is put in its place.
"""

from __future__ import annotations

from collections.abc import Callable
from io import BufferedReader
from typing import Any

import numpy as np
import wasmtime
from numpy.typing import NDArray

from whorlograph.formats.sandbox import new_engine, no_room_is_no_wasmtime
from whorlograph.model.limits import LOG_ROW, MOST_LINE, memory_room
from whorlograph.model.log import Ints, distinct, narrowed
from whorlograph.model.shown import visible
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family

BLOCK = 1 << 20
ROOM = 1 << 18  # rows a block can give: each has at least "0,A,0\n"
SLOTS, ENTRY, NAMES = 1 << 16, 48, 4 << 20
DATE, ZONE = 64, 128
TABLE = 1024
NAMES_AT = TABLE + SLOTS * ENTRY
TIMES_AT = NAMES_AT + NAMES
TAGS_AT = TIMES_AT + 8 * ROOM
VALUES_AT = TAGS_AT + 4 * ROOM
TEXT_AT = VALUES_AT + 8 * ROOM
PAGES = (TEXT_AT + 2 * BLOCK + 65_535) // 65_536 + 1
DONE, SLOW, NAME, FULL = 0, 1, 2, 3
BOOL_TAG, WHOLE, OTHER, NO_TAG = 0, 1, 2, 3

_TEXT = f"""(module
(memory (export "memory") {PAGES})
(global $pos (export "pos") (mut i32) (i32.const 0))
(global $count (export "count") (mut i32) (i32.const 0))
(global $lines (export "lines") (mut i32) (i32.const 0))
(global $usable (export "usable") (mut i32) (i32.const 0))
(global $low (export "low") (mut i64) (i64.const 0x7fffffffffffffff))
(global $high (export "high") (mut i64) (i64.const 0x8000000000000000))
(global $day (export "day") (mut i64) (i64.const 0))
(global $iso (export "iso") (mut i32) (i32.const 0))
(global $zone (export "zone") (mut i32) (i32.const 0))
(global $name (export "name") (mut i32) (i32.const 0))
(global $length (export "length") (mut i32) (i32.const 0))
(func $two (param $p i32) (result i32) (local $a i32) (local $b i32)
  (local.set $a (i32.sub (i32.load8_u (local.get $p)) (i32.const 48)))
  (local.set $b (i32.sub (i32.load8_u offset=1 (local.get $p)) (i32.const 48)))
  (if (i32.or (i32.gt_u (local.get $a) (i32.const 9)) (i32.gt_u (local.get $b) (i32.const 9))) (then (return (i32.const 1000))))
  (i32.add (i32.mul (local.get $a) (i32.const 10)) (local.get $b)))
(func (export "run") (param $end i32) (param $sep i32) (result i32)
  (local $p i32) (local $c i32) (local $t i64) (local $n i32) (local $minus i32) (local $h i32) (local $s i32) (local $e i32) (local $i i32)
  (local $v i64) (local $kind i32) (local $a i32) (local $b i32) (local $d i32)
  (loop $line
    (local.set $p (global.get $pos))
    (if (i32.ge_u (local.get $p) (local.get $end)) (then (return (i32.const {DONE}))))
    (if (i32.ge_u (global.get $count) (i32.const {ROOM - 2})) (then (return (i32.const {FULL}))))
    (local.set $c (i32.load8_u (local.get $p)))
    (if (i32.eq (local.get $c) (i32.const 13)) (then
      (if (i32.eq (i32.load8_u offset=1 (local.get $p)) (i32.const 10)) (then
        (global.set $pos (i32.add (local.get $p) (i32.const 2))) (global.set $lines (i32.add (global.get $lines) (i32.const 1))) (br $line)))))
    (if (i32.eq (local.get $c) (i32.const 10)) (then
      (global.set $pos (i32.add (local.get $p) (i32.const 1))) (global.set $lines (i32.add (global.get $lines) (i32.const 1))) (br $line)))
    (local.set $t (i64.const 0)) (local.set $minus (i32.const 0))
    (if (global.get $iso)
      (then
        (if (i64.ne (i64.load (local.get $p)) (i64.load (i32.const {DATE}))) (then (return (i32.const {SLOW}))))
        (if (i32.ne (i32.load16_u offset=8 (local.get $p)) (i32.load16_u (i32.const {DATE + 8}))) (then (return (i32.const {SLOW}))))
        (local.set $c (i32.load8_u offset=10 (local.get $p)))
        (if (i32.eqz (i32.or (i32.eq (local.get $c) (i32.const 84)) (i32.eq (local.get $c) (i32.const 32)))) (then (return (i32.const {SLOW}))))
        (local.set $a (call $two (i32.add (local.get $p) (i32.const 11))))
        (local.set $b (call $two (i32.add (local.get $p) (i32.const 14))))
        (local.set $d (call $two (i32.add (local.get $p) (i32.const 17))))
        (if (i32.or (i32.gt_u (local.get $a) (i32.const 24))
              (i32.or (i32.gt_u (local.get $b) (i32.const 59)) (i32.gt_u (local.get $d) (i32.const 60)))) (then (return (i32.const {SLOW}))))
        (if (i32.or (i32.ne (i32.load8_u offset=13 (local.get $p)) (i32.const 58)) (i32.ne (i32.load8_u offset=16 (local.get $p)) (i32.const 58)))
          (then (return (i32.const {SLOW}))))
        (local.set $t (i64.add (global.get $day) (i64.mul (i64.const 1000000000) (i64.extend_i32_u
          (i32.add (i32.mul (local.get $a) (i32.const 3600)) (i32.add (i32.mul (local.get $b) (i32.const 60)) (local.get $d)))))))
        (local.set $p (i32.add (local.get $p) (i32.const 19))))
      (else
        (if (i32.eq (local.get $c) (i32.const 45)) (then (local.set $minus (i32.const 1)) (local.set $p (i32.add (local.get $p) (i32.const 1)))))
        (local.set $n (i32.const 0))
        (block $whole (loop $digit
          (local.set $c (i32.sub (i32.load8_u (local.get $p)) (i32.const 48)))
          (br_if $whole (i32.gt_u (local.get $c) (i32.const 9)))
          (local.set $t (i64.add (i64.mul (local.get $t) (i64.const 10)) (i64.extend_i32_u (local.get $c))))
          (local.set $n (i32.add (local.get $n) (i32.const 1))) (local.set $p (i32.add (local.get $p) (i32.const 1)))
          (br_if $digit (i32.lt_u (local.get $n) (i32.const 11)))))
        (if (i32.or (i32.eqz (local.get $n)) (i32.gt_u (local.get $n) (i32.const 9))) (then (return (i32.const {SLOW}))))
        (local.set $t (i64.mul (local.get $t) (i64.const 1000000000)))))
    (if (i32.eq (i32.load8_u (local.get $p)) (i32.const 46)) (then
      (local.set $p (i32.add (local.get $p) (i32.const 1)))
      (local.set $v (i64.const 100000000))
      (block $part (loop $digit
        (local.set $c (i32.sub (i32.load8_u (local.get $p)) (i32.const 48)))
        (br_if $part (i32.gt_u (local.get $c) (i32.const 9)))
        (local.set $t (i64.add (local.get $t) (i64.mul (local.get $v) (i64.extend_i32_u (local.get $c)))))
        (local.set $v (i64.div_u (local.get $v) (i64.const 10)))
        (local.set $p (i32.add (local.get $p) (i32.const 1)))
        (br $digit)))))
    (if (local.get $minus) (then (local.set $t (i64.sub (i64.const 0) (local.get $t)))))
    (local.set $i (i32.const 0))
    (block $zoned (loop $byte
      (br_if $zoned (i32.ge_u (local.get $i) (global.get $zone)))
      (if (i32.ne (i32.load8_u (local.get $p)) (i32.load8_u (i32.add (i32.const {ZONE}) (local.get $i)))) (then (return (i32.const {SLOW}))))
      (local.set $i (i32.add (local.get $i) (i32.const 1))) (local.set $p (i32.add (local.get $p) (i32.const 1))) (br $byte)))
    (if (i32.ne (i32.load8_u (local.get $p)) (local.get $sep)) (then (return (i32.const {SLOW}))))
    (local.set $p (i32.add (local.get $p) (i32.const 1)))
    (local.set $s (local.get $p)) (local.set $h (i32.const 0x811c9dc5))
    (block $named (loop $byte
      (local.set $c (i32.load8_u (local.get $p)))
      (br_if $named (i32.eq (local.get $c) (local.get $sep)))
      (if (i32.or (i32.le_u (local.get $c) (i32.const 32)) (i32.eq (local.get $c) (i32.const 34))) (then (return (i32.const {SLOW}))))
      (local.set $h (i32.mul (i32.xor (local.get $h) (local.get $c)) (i32.const 0x01000193)))
      (local.set $p (i32.add (local.get $p) (i32.const 1))) (br $byte)))
    (global.set $name (local.get $s)) (global.set $length (i32.sub (local.get $p) (local.get $s)))
    (local.set $i (i32.and (local.get $h) (i32.const {SLOTS - 1})))
    (block $found (loop $probe
      (local.set $e (i32.add (i32.const {TABLE}) (i32.mul (local.get $i) (i32.const {ENTRY}))))
      (if (i32.eqz (i32.load offset=4 (local.get $e))) (then (return (i32.const {NAME}))))
      (if (i32.and (i32.eq (i32.load (local.get $e)) (local.get $h)) (i32.eq (i32.load offset=4 (local.get $e)) (global.get $length))) (then
        (local.set $n (i32.const 0))
        (block $differs (loop $byte
          (br_if $found (i32.ge_u (local.get $n) (global.get $length)))
          (br_if $differs (i32.ne (i32.load8_u (i32.add (local.get $s) (local.get $n)))
            (i32.load8_u (i32.add (i32.load offset=8 (local.get $e)) (local.get $n)))))
          (local.set $n (i32.add (local.get $n) (i32.const 1))) (br $byte)))))
      (local.set $i (i32.and (i32.add (local.get $i) (i32.const 1)) (i32.const {SLOTS - 1}))) (br $probe)))
    (local.set $p (i32.add (local.get $p) (i32.const 1)))
    (local.set $kind (i32.load offset=16 (local.get $e)))
    (local.set $s (local.get $p)) (local.set $v (i64.const 0)) (local.set $n (i32.const 0)) (local.set $minus (i32.const 0))
    (if (i32.le_u (local.get $kind) (i32.const {WHOLE}))
      (then
        (if (i32.eq (i32.load8_u (local.get $p)) (i32.const 45)) (then (local.set $minus (i32.const 1)) (local.set $p (i32.add (local.get $p) (i32.const 1)))))
        (block $whole (loop $digit
          (local.set $c (i32.sub (i32.load8_u (local.get $p)) (i32.const 48)))
          (br_if $whole (i32.gt_u (local.get $c) (i32.const 9)))
          (local.set $v (i64.add (i64.mul (local.get $v) (i64.const 10)) (i64.extend_i32_u (local.get $c))))
          (local.set $n (i32.add (local.get $n) (i32.const 1))) (local.set $p (i32.add (local.get $p) (i32.const 1)))
          (br_if $digit (i32.lt_u (local.get $n) (i32.const 19)))))
        (if (i32.or (i32.eqz (local.get $n)) (i32.gt_u (local.get $n) (i32.const 18))) (then (return (i32.const {SLOW}))))
        (if (local.get $minus) (then (local.set $v (i64.sub (i64.const 0) (local.get $v)))))
        (if (i32.or (i64.lt_s (local.get $v) (i64.load offset=24 (local.get $e))) (i64.gt_s (local.get $v) (i64.load offset=32 (local.get $e))))
          (then (return (i32.const {SLOW}))))
        (if (i32.and (i32.eqz (local.get $kind)) (i32.gt_u (local.get $n) (i32.const 1))) (then (return (i32.const {SLOW})))))
      (else
        (block $ended (loop $byte
          (local.set $c (i32.load8_u (local.get $p)))
          (br_if $ended (i32.or (i32.eq (local.get $c) (i32.const 10)) (i32.eq (local.get $c) (i32.const 13))))
          (if (i32.or (i32.or (i32.eq (local.get $c) (local.get $sep)) (i32.eqz (local.get $c))) (i32.eq (local.get $c) (i32.const 34)))
            (then (return (i32.const {SLOW}))))
          (local.set $p (i32.add (local.get $p) (i32.const 1))) (br $byte)))
        (local.set $v (i64.or (i64.shl (i64.extend_i32_u (local.get $s)) (i64.const 20)) (i64.extend_i32_u (i32.sub (local.get $p) (local.get $s)))))))
    (if (i32.eq (i32.load8_u (local.get $p)) (i32.const 13)) (then (local.set $p (i32.add (local.get $p) (i32.const 1)))))
    (if (i32.ne (i32.load8_u (local.get $p)) (i32.const 10)) (then (return (i32.const {SLOW}))))
    (global.set $pos (i32.add (local.get $p) (i32.const 1)))
    (global.set $lines (i32.add (global.get $lines) (i32.const 1)))
    (global.set $usable (i32.add (global.get $usable) (i32.const 1)))
    (if (i64.lt_s (local.get $t) (global.get $low)) (then (global.set $low (local.get $t))))
    (if (i64.gt_s (local.get $t) (global.get $high)) (then (global.set $high (local.get $t))))
    (i32.store offset=40 (local.get $e) (i32.add (i32.load offset=40 (local.get $e)) (i32.const 1)))
    (if (i32.lt_u (local.get $kind) (i32.const {NO_TAG})) (then
      (local.set $n (global.get $count))
      (i64.store (i32.add (i32.const {TIMES_AT}) (i32.shl (local.get $n) (i32.const 3))) (local.get $t))
      (i32.store (i32.add (i32.const {TAGS_AT}) (i32.shl (local.get $n) (i32.const 2))) (i32.load offset=12 (local.get $e)))
      (i64.store (i32.add (i32.const {VALUES_AT}) (i32.shl (local.get $n) (i32.const 3))) (local.get $v))
      (global.set $count (i32.add (local.get $n) (i32.const 1)))))
    (br $line))
  (unreachable))
)"""

_MASK = 0xFFFFFFFF
Bind = Callable[[str], "tuple[int, Callable[[str], int | None]] | None"]


class NotPlain(Exception):
    """The file is better read by the general reader as a whole."""


class PlainLines:
    """The reader of plain lines, over one file.

    Args:
        bind: finds the tag of a name and the reader of its values.
        tags: the running's tags.
        slow: reads one line the general way, by its text and number; gives its row (time, tag, value) or None.
        bad: told of a value that cannot be read: line, text, tag.
    """

    def __init__(self, separator: str, bind: Bind, tags: list[Tag], slow: Callable[[str, int], tuple[int, int, int] | None],
                 bad: Callable[[int, str, int], None]) -> None:
        self.separator, self.bind, self.tags, self.slow, self.bad = separator, bind, tags, slow, bad
        engine = new_engine()
        self.store = wasmtime.Store(engine)
        with no_room_is_no_wasmtime():
            exports = wasmtime.Instance(self.store, wasmtime.Module(engine, _TEXT), []).exports(self.store)
        memory, run = exports["memory"], exports["run"]
        assert isinstance(memory, wasmtime.Memory) and isinstance(run, wasmtime.Func)
        self._run = run
        self._counters = {name: found for name, found in exports.items() if isinstance(found, wasmtime.Global)}
        self.view = np.frombuffer(memoryview(memory.get_buffer_ptr(self.store)), np.uint8)
        self.entries: dict[str, int] = {}
        self.names_end = NAMES_AT
        self.blocks: list[tuple[Ints, NDArray[Any], NDArray[Any]]] = []
        self.taken, self.room = 0, memory_room() // LOG_ROW
        self.line = self.block_line = 1
        self.refused = 0
        self.full = False

    def number(self, name: str) -> int:
        """A counter of the function."""
        return int(self._counters[name].value(self.store))

    def put(self, name: str, value: int) -> None:
        """Set a counter of the function."""
        self._counters[name].set_value(self.store, value)

    def _write(self, data: bytes, address: int) -> None:
        self.view[address:address + len(data)] = np.frombuffer(data, np.uint8)

    def expect_seconds(self) -> None:
        """Plain times are seconds."""
        self.put("iso", 0)
        self.put("zone", 0)

    def expect_date(self, text: str, midnight: int) -> None:
        """Plain times are ISO 8601 on the day and with the zone of ``text``; ``midnight`` its day's start, ns."""
        zone = text[19:].lstrip(".0123456789").encode()[:16]
        self._write(text[:10].encode(), DATE)
        self._write(zone + b"\0", ZONE)
        self.put("iso", 1)
        self.put("zone", len(zone))
        self.put("day", midnight)

    def read(self, file: BufferedReader[Any], stop: Callable[[], bool]) -> bool:
        """Read a file from behind its header to its end, or until it is stopped; whether it was.

        Args: stop: asked after each block.
        Raises: NotPlain where it holds NULs, line ends of old, or is not UTF-8; nothing is lost, it is to be read anew.
        """
        rest = b""
        while True:
            data = file.read(BLOCK)
            last = not data
            block = rest + data
            if last and block and not block.endswith(b"\n"):
                block += b"\n"
            cut = block.rfind(b"\n") + 1
            if len(block) - cut > MOST_LINE and not last:
                raise NotPlain
            if not cut and not last:
                rest = block
                continue
            rest = block[cut:]
            if b"\0" in block or b"\r" in block.replace(b"\r\n", b""):
                raise NotPlain
            self._block(block[:cut])
            if self.taken > self.room:
                self.full = True
                return True
            if last or stop():
                return not last

    def _block(self, block: bytes) -> None:
        self._write(block + b"\n" * 32, TEXT_AT)
        self.put("pos", TEXT_AT)
        self.block_line = self.line
        end = TEXT_AT + len(block)
        while True:
            self.put("lines", 0)
            why = self._run(self.store, end, ord(self.separator))
            self.line += self.number("lines")
            if why == DONE:
                break
            if why == NAME:
                self._learn(block)
            elif why == SLOW:
                self._slow(block)
            else:
                self._flush(block)
        self._flush(block)

    def _text(self, block: bytes, start: int, end: int) -> str:
        try:
            return block[start - TEXT_AT:end - TEXT_AT].decode()
        except UnicodeDecodeError as problem:
            raise NotPlain from problem

    def _learn(self, block: bytes) -> None:
        """Enter a name that was not met before."""
        start, length = self.number("name"), self.number("length")
        name = self._text(block, start, start + length)
        raw = name.encode()
        if len(self.entries) > SLOTS // 2 or self.names_end + length >= TIMES_AT or not length:
            raise NotPlain
        bound = self.bind(name)
        number, kind, low, high = -1, NO_TAG, 0, 0
        if bound is not None:
            number = bound[0]
            tag = self.tags[number]
            if tag.type.family is Family.BOOL:
                kind, low, high = BOOL_TAG, 0, 1
            elif tag.type.whole and tag.enumeration is None and tag.type.bits:
                kind, low, high = WHOLE, max(tag.type.low, -(1 << 62)), min(tag.type.high, 1 << 62)
            else:
                kind = OTHER
        hashed = 0x811C9DC5
        for byte in raw:
            hashed = ((hashed ^ byte) * 0x01000193) & _MASK
        slot = hashed & (SLOTS - 1)
        while self.view[TABLE + slot * ENTRY + 4:TABLE + slot * ENTRY + 8].any():
            slot = (slot + 1) & (SLOTS - 1)
        at = TABLE + slot * ENTRY
        self._write(raw, self.names_end)
        entry = b"".join(n.to_bytes(4, "little") for n in (hashed, length, self.names_end, number & _MASK, kind, 0))
        self._write(entry + low.to_bytes(8, "little", signed=True) + high.to_bytes(8, "little", signed=True) + bytes(8), at)
        self.names_end += length
        self.entries[name] = at

    def _slow(self, block: bytes) -> None:
        """Read the line at hand the general way."""
        start = self.number("pos")
        end = block.index(b"\n", start - TEXT_AT) + TEXT_AT
        self.line += 1
        row = self.slow(self._text(block, start, end), self.line)
        if row is not None:
            n = self.number("count")
            time, tag, value = row
            self.view[TIMES_AT + 8 * n:TIMES_AT + 8 * n + 8].view(np.int64)[0] = time
            self.view[TAGS_AT + 4 * n:TAGS_AT + 4 * n + 4].view(np.int32)[0] = tag
            # A value that is there already is told from one still to be read by its tag, kept below zero.
            self.view[VALUES_AT + 8 * n:VALUES_AT + 8 * n + 8].view(np.int64)[0] = value
            self.view[TAGS_AT + 4 * n:TAGS_AT + 4 * n + 4].view(np.int32)[0] = ~tag
            self.put("count", n + 1)
        self.put("pos", end + 1)

    def _flush(self, block: bytes) -> None:
        """Take the rows read so far out of the function's memory."""
        n = self.number("count")
        times = self.view[TIMES_AT:TIMES_AT + 8 * n].view(np.int64).copy()
        tags = self.view[TAGS_AT:TAGS_AT + 4 * n].view(np.int32).copy()
        values = self.view[VALUES_AT:VALUES_AT + 8 * n].view(np.int64).copy()
        ready = tags < 0
        tags[ready] = ~tags[ready]
        self.put("count", 0)
        others = [t for t in distinct(tags[~ready]) if not self._direct(t)]
        keep = np.ones(n, bool)
        for number in others:
            reader = self.bind(self.tags[number].name)
            for i in np.nonzero((tags == number) & ~ready)[0].tolist():
                packed = int(values[i])
                start = packed >> 20
                text = self._text(block, start, start + (packed & 0xFFFFF))
                value = reader[1](text) if reader is not None else None
                keep[i] = value is not None
                values[i] = value if value is not None else 0
                if value is None and text.strip():
                    self.put("usable", self.number("usable") - 1)
                    self.refused += 1
                    self.bad(self.block_line + block.count(b"\n", 0, start - TEXT_AT) + 1, text, number)
        self.taken += n
        self.blocks.append((times[keep], narrowed(tags[keep]), narrowed(values[keep])))

    def _direct(self, number: int) -> bool:
        tag = self.tags[number]
        return tag.type.family is Family.BOOL or bool(tag.type.whole and tag.enumeration is None and tag.type.bits)

    def unknown(self) -> dict[str, int]:
        """The names that are no tags, with their rows."""
        found = {}
        for name, at in self.entries.items():
            data = self.view[at:at + ENTRY].tobytes()
            if int.from_bytes(data[16:20], "little") == NO_TAG:
                found[visible(name)] = int.from_bytes(data[40:44], "little")
        return found
