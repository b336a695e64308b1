"""The fixed part of every compiled program, put together: its globals, and the text of each module beside this one."""

from __future__ import annotations

from whorlograph.engine.rows import BEFORE, BITS
from whorlograph.engine.wasm import layout as at
from whorlograph.engine.wasm.layout import Layout

from .blocks import BLOCKS
from .faults import FAULTS
from .forces import FORCES
from .inputs import INPUTS
from .journal import JOURNAL
from .timers import TIMERS
from .wide import WIDE

_HEADER = """
(import "host" "flush" (func $flush))
(import "host" "more" (func $more))
(import "host" "whole" (func $host_whole (param i32 i32 i64 i64 i32) (result i64)))
(import "host" "text" (func $text (param i32 i64 i64) (result i64)))
(import "host" "real" (func $host_real (param i32 f64 f64 i32) (result f64)))
(memory (export "memory") {pages})
(global $cur (mut i32) (i32.const 0))
(global $step (mut i32) (i32.const -1))
(global $num (mut i32) (i32.const 0))
(global $adj (mut i32) (i32.const 0))
(global $now (mut i64) (i64.const 0))
(global $deep (mut i32) (i32.const 0))
(global $limit (mut i32) (i32.const 0))
(global $base (mut i64) (i64.const 0))
(global $watched_from (mut i64) (i64.const 0))
(global $forcing (mut i32) (i32.const 0))
(global $dirty (mut i32) (i32.const {AGAIN}))
(func $time (param $n i32) (result i64)
  (i64.add (global.get $base) (i64.mul (i64.extend_i32_s (local.get $n)) (i64.const {rung_time}))))
(func $limited (local $n i64)
  (global.set $limit (i32.sub (i32.const {most_steps}) (i32.load (i32.const {BEFORE}))))
  {limit_by_time})
(func $min (param $a i64) (param $b i64) (result i64)
  (if (result i64) (i64.lt_s (local.get $a) (local.get $b)) (then (local.get $a)) (else (local.get $b))))
(func $later (param $a i64) (param $b i64) (result i64) (local $sum i64)
  (local.set $sum (i64.add (local.get $a) (local.get $b)))
  (if (result i64) (i64.lt_s (local.get $sum) (local.get $a)) (then (i64.const {FAR})) (else (local.get $sum))))
(func $max (param $a i64) (param $b i64) (result i64)
  (if (result i64) (i64.gt_s (local.get $a) (local.get $b)) (then (local.get $a)) (else (local.get $b))))
"""


def fixed_part(layout: Layout, pages: int, scan_time: int, rung_time: int, watchdog: int, most_steps: int, woken: str, flagged: str,
               special: str) -> str:
    """The text of the fixed functions, with this program's addresses and times.

    Args: woken: what a wake byte that was set asks for; flagged: what a change of a flagged tag asks for; special: the function that takes
        events which are no rows.
    """
    names = {k: v for k, v in vars(at).items() if k.isupper() and isinstance(v, int)}
    by_time = ""
    if rung_time:
        by_time = f"""(local.set $n (i64.add (i64.extend_i32_s (global.get $num)) (i64.div_s
    (i64.sub (i64.add (global.get $watched_from) (i64.const {watchdog})) (call $time (global.get $num))) (i64.const {rung_time}))))
  (if (i64.lt_s (local.get $n) (i64.extend_i32_s (global.get $limit))) (then (global.set $limit (i32.wrap_i64 (local.get $n)))))"""
    text = _HEADER + JOURNAL + FORCES + FAULTS + WIDE + TIMERS + BLOCKS + INPUTS
    fixed = text.format(pages=pages, cells=layout.cells, watch=layout.watch, shares=layout.shares, flags=layout.flags, forces=layout.forces,
                        heap=layout.heap, heap_h=layout.heap + 8, heap_t=layout.heap + 12, heap_room=layout.heap_room,
                        journal_end=layout.notes, notes_end=layout.lengths, image=layout.image, touched=layout.touched,
                        touched_flags=layout.touched_flags, events=layout.events, forcing=layout.forcing, scan_time=scan_time, rung_time=rung_time,
                        watchdog=watchdog, most_steps=most_steps, limit_by_time=by_time, woken=woken, flagged=flagged,
                        not_held=255 - at.HELD_AT, BITS=BITS, BEFORE_SCAN=BEFORE, FAR=at.NEVER - 1, **names)
    return fixed + special
