"""Scan after scan, as WebAssembly text: which are passed over, what stands at a scan's start and end (CONTROLLER.md, Scan and tasks)."""

from __future__ import annotations

from msgspec import Struct

from . import layout as at
from .interrupts import LOWEST, Interrupts, Unit
from .layout import Layout
from .units import WayBack


class Scans(Struct, frozen=True):
    """The cyclic programs and the tasks beside them.

    ``duration``, ``longest``: the tags that are given the scan's time, -1: none; ``in_ms``: whether each counts milliseconds.
    """

    layout: Layout
    cyclic: Unit
    interrupts: Interrupts
    scan_time: int
    rung_time: int
    duration: int
    longest: int
    in_ms: tuple[bool, bool]
    ways_back: tuple[WayBack, ...] = ()

    def text(self) -> str:
        """All functions."""
        return "\n".join((self._special(), self.interrupts.text(), self._timed(), self._run()))

    def _special(self) -> str:
        due = "(call $due (local.get $t) (local.get $time))" if self.interrupts.tasks else ""
        return f"(func $special (param $kind i32) (param $t i32) (param $v i64) (param $time i64) {due})"

    def _quiet(self) -> str:
        """How many scans ahead the next one is in which anything may happen."""
        tasks = self.interrupts.tasks
        waiting, dirty, skip, ends, usual = "(i32.const 0)", "", "", "", ""
        over = "(return (i32.const 0))"
        if tasks:
            running = f"(i32.eqz (i32.load (i32.const {at.HALTED})))"
            waiting = f"""(if (result i32) (i32.load (i32.const {at.WAITING}))
          (then (i32.and (i32.ge_s (call $pick (i32.const {LOWEST}) (i64.const {at.NEVER})) (i32.const 0)) {running})) (else (i32.const 0)))"""
            field = self.interrupts.field
            dirty = "\n".join(f"(if (i32.load {field(t.number, at.T_DIRTY)}) (then (local.set $x (call $min (local.get $x)"
                              f" (i64.load {field(t.number, at.T_NEXT)})))))" for t, _ in tasks if t.periodic)
            dirty = f"(if {running} (then {dirty}))"
            # Runs in the last gap before the scan are visited, so that the steps they take are counted.
            start = f"(i64.load (i32.const {at.START}))"
            last = f"(i64.add {start} (i64.mul (local.get $k) (i64.sub (local.get $s) {start})))"
            skip = f"(if {running} (then (call $skip (call $min (local.get $x) (i64.add (i64.const 1) {last})))))"
            if self.rung_time:
                # A run takes time and puts scans off: each scan in or before which one may come is visited. So is the one behind a scan
                # in which an input changed, which a task may have looked at already, behind one that a run made longer, where that puts
                # the next off or a tag tells of it, and behind one with a loop, which a task may have had.
                waiting = f"(i32.or (i32.or {waiting} {self._longer()}) (i32.load (i32.const {at.TOUCHED})))"
                length = f"(i64.load (i32.const {at.USUAL}))"
                usual = self._usual()
                never = f"(i64.const {at.NEVER})"
                dirty = f"""(if {running} (then
          (local.set $due {never})
          {self.interrupts.soonest('$due')}
          (if (i64.ne (local.get $due) {never}) (then (local.set $x (call $min (local.get $x) (i64.sub (local.get $due) {length})))))))"""
                skip = ""
                # The last scan is visited: what is due in the gap behind it is run there.
                over = f"""(local.set $k (i64.sub (i64.div_u (i64.sub (local.get $end) {start}) (i64.sub (local.get $s) {start})) (i64.const 1)))
            (local.set $next (i64.add (local.get $s) (i64.mul (local.get $k) (i64.sub (local.get $s) {start}))))"""
                ends = f"(i64.store (i32.const {at.END}) (i64.add (i64.load (i32.const {at.START})) {length}))"
        return f"""
      (if (i32.eqz (i32.or (i32.load (i32.const {at.AGAIN})) {waiting})) (then
        (local.set $x (call $min (call $next_event) (call $next_force)))
        (if (i32.load (i32.const {at.HEAP_COUNT})) (then
          (if (i32.eqz (i32.load (i32.const {at.HALTED}))) (then
            (local.set $x (call $min (local.get $x) (i64.load (i32.const {self.layout.heap}))))))))
        {dirty}
        (if (i64.eq (local.get $x) (i64.const {at.NEVER})) (then (return (i32.const 0))))
        (local.set $k (i64.sub (local.get $x) (i64.load (i32.const {at.START}))))
        (local.set $next (i64.sub (local.get $s) (i64.load (i32.const {at.START}))))
        (if (i64.gt_s (local.get $k) (local.get $next)) (then
          (local.set $k (i64.div_u (i64.sub (local.get $k) (i64.const 1)) (local.get $next)))
          (local.set $next (i64.add (local.get $s) (i64.mul (local.get $k) (local.get $next))))
          (if (i64.gt_s (local.get $next) (local.get $end)) (then {over}))
          (if (i64.gt_s (local.get $k) (i64.const 0)) (then
          {skip}
          (local.set $x (i64.sub (local.get $s) (i64.load (i32.const {at.START}))))
          (global.set $num (i32.const 0))
          (global.set $step (i32.const -1))
          (i64.store (i32.const {at.SCAN}) (i64.add (i64.load (i32.const {at.SCAN})) (i64.const 1)))
          (call $clocked (local.get $s))
          {usual}
          (i64.store (i32.const {at.SCAN}) (i64.add (i64.load (i32.const {at.SCAN})) (i64.sub (local.get $k) (i64.const 1))))
          (i64.store (i32.const {at.START}) (i64.add (local.get $s) (i64.mul (i64.sub (local.get $k) (i64.const 1)) (local.get $x))))
          (local.set $s (local.get $next))
          (i64.store (i32.const {at.END}) (call $max (i64.load (i32.const {at.END})) (i64.load (i32.const {at.START}))))
          {ends})))))) """

    def _longer(self) -> str:
        """Whether tasks made the last scan longer than the next, or put that off, in a way that makes the next worth a visit."""
        usual, start = (f"(i64.load (i32.const {a}))" for a in (at.USUAL, at.START))
        longer = f"(i64.ne (i64.sub (local.get $s) {start}) (call $max (i64.const {self.scan_time}) {usual}))"
        if self.duration >= 0:
            longer = f"(i32.or {longer} (i64.ne (i64.load (i32.const {at.LENGTH})) {usual}))"
        for way in self.ways_back:
            longer = f"(i32.or {longer} (i32.load (i32.const {way.address + 16})))"
        return longer

    def _timed(self) -> str:
        """Keep and note how long a scan took, in a table of its own: where tasks run, every other scan may take another time."""
        if not self.rung_time:
            return ""
        at_end = f"(i32.ge_u (local.get $p) (i32.const {self.layout.runs}))"
        return f"""
(func $timed (param $length i64) (local $p i32)
  (i64.store (i32.const {at.LENGTH}) (local.get $length))
  (local.set $p (i32.load (i32.const {at.LENGTHS_AT})))
  (i64.store (local.get $p) (i64.load (i32.const {at.SCAN})))
  (i64.store offset=8 (local.get $p) (local.get $length))
  (local.set $p (i32.add (local.get $p) (i32.const {at.TIMED})))
  (i32.store (i32.const {at.LENGTHS_AT}) (local.get $p))
  (if {at_end} (then (call $flush))))"""

    @staticmethod
    def _usual() -> str:
        """The first scan that is passed over takes its usual time again."""
        usual = f"(i64.load (i32.const {at.USUAL}))"
        return f"(if (i64.ne {usual} (i64.load (i32.const {at.LENGTH}))) (then (call $timed {usual})))"

    def _run(self) -> str:
        tasks = bool(self.interrupts.tasks)
        between = f"(if (i32.eqz (i32.load (i32.const {at.HALTED}))) (then (local.set $s (call $between (local.get $s)))))" if tasks else ""
        at_start = f"""
      (call $revive (local.get $s))
      (global.set $low (i32.const {self.cyclic.low})) (global.set $high (i32.const {self.cyclic.high}))
      (global.set $priority (i32.const {LOWEST}))
      (global.set $adj (call $run_tasks (i32.const 0)))
      (global.set $beside (global.get $adj))
      (if (i32.eqz (i32.load (i32.const {at.FAULT}))) (then
        (call $plan (global.get $adj))
        (global.set $cur (i32.const 0))""" if tasks else ""
        closing = ")) " if tasks else ""
        rest, at_rest = self._rest()
        return f"""
(func (export "run") (param $end i64) (result i32)
  (local $k i64) (local $s i64) (local $x i64) (local $next i64) (local $due i64) (local $steps i32) (local $steps_back i32)
  (local $length i64) (local $rest i32)
  (global.set $forcing (i32.ne (i32.load (i32.const {at.FORCES})) (i32.const 0)))
  (loop $scan
    (if (i32.load8_u (i32.const {at.STOP})) (then (return (i32.const 2))))
    (local.set $s (i64.const 0))
    (if (i64.ne (i64.load (i32.const {at.SCAN})) (i64.const 0)) (then
      (local.set $s (call $max (i64.add (i64.load (i32.const {at.START})) (i64.const {self.scan_time})) (i64.load (i32.const {at.END}))))
      {self._quiet()}))
    (if (i64.gt_s (local.get $s) (local.get $end)) (then (return (i32.const 0))))
    (i64.store (i32.const {at.SCAN}) (i64.add (i64.load (i32.const {at.SCAN})) (i64.const 1)))
    (global.set $dirty (i32.const {at.AGAIN}))
    (global.set $step (i32.const -1))
    (if (i64.ne (i64.load (i32.const {at.SCAN})) (i64.const 1)) (then {between}))
    (if (i64.gt_s (local.get $s) (local.get $end)) (then
      (i64.store (i32.const {at.SCAN}) (i64.sub (i64.load (i32.const {at.SCAN})) (i64.const 1))) (return (i32.const 0))))
    (global.set $now (local.get $s))
    (global.set $base (local.get $s))
    (global.set $watched_from (local.get $s))
    (global.set $num (i32.const 0))
    (global.set $adj (i32.const 0))
    (global.set $step (i32.const -1))
    (global.set $cur (i32.const 0))
    (call $clocked (local.get $s))
    {rest}
    (i32.store (i32.const {at.AGAIN}) (i32.const 0))
    (call $apply_forces (local.get $s))
    (call $take (local.get $s))
    (call $copied)
    (local.set $steps (i32.const 0))
    (if (i32.eqz (i32.load (i32.const {at.HALTED}))) (then
      (call $limited)
      {at_start}
      {at_rest}
      {closing}
      (local.set $steps (i32.add (i32.const {self.cyclic.steps}) (global.get $adj)))
      (if (i32.load (i32.const {at.FAULT})) (then
        (local.set $steps (i32.load (i32.const {at.FAULT_NUMBER})))
        (call $halt)))))
    (local.set $length (i64.mul (i64.extend_i32_s (local.get $steps)) (i64.const {self.rung_time})))
    (i64.store (i32.const {at.END}) (i64.add (local.get $s) (local.get $length)))
    {self._passes()}
    {self._lengths()}
    (i32.store (i32.const {at.BEFORE}) (i32.const 0))
    (if (i32.and (i32.load (i32.const {at.BREAK})) (i32.load (i32.const {at.BREAK_ON}))) (then
      (i32.store (i32.const {at.BREAK}) (i32.const 0))
      (return (i32.const 3))))
    (br $scan))
  (unreachable))"""

    def _rest(self) -> tuple[str, str]:
        """Whether a scan finds nothing changed, looked at before it and behind the tasks at its start; and what it does then.

        Where steps take time, a scan is visited for each run of a task: it would look at every step's wake byte in vain. A scan
        with loops is looked through, for what a task may have had counted.
        """
        work = "(call $pop_due) (call $scan)"
        if not self.rung_time or not self.interrupts.tasks or self.ways_back:
            return "", work
        rest = f"""(local.set $rest (i32.const 0))
    (if (i32.eqz (i32.or (i32.load (i32.const {at.AGAIN})) (i32.load (i32.const {at.TOUCHED})))) (then
      (local.set $x (call $min (call $next_event) (call $next_force)))
      (if (i32.load (i32.const {at.HEAP_COUNT})) (then
        (local.set $x (call $min (local.get $x) (i64.load (i32.const {self.layout.heap}))))))
      (local.set $rest (i32.and (i64.gt_s (local.get $x) (local.get $s)) (i64.gt_s (i64.load (i32.const {at.SCAN})) (i64.const 1))))))"""
        at_rest = f"""(local.set $steps (i32.wrap_i64 (i64.div_s (i64.load (i32.const {at.USUAL})) (i64.const {self.rung_time}))))
      (if (i32.and (i32.and (local.get $rest) (i32.eqz (i32.load (i32.const {at.AGAIN}))))
                   (i32.lt_s (i32.add (global.get $adj) (local.get $steps)) (global.get $check)))
        (then (global.set $adj (i32.add (global.get $adj) (i32.sub (local.get $steps) (i32.const {self.cyclic.steps})))))
        (else {work}))"""
        return rest, at_rest

    def _passes(self) -> str:
        """How often each jump back was taken, noted when that is another number than in the scan before."""
        lines = []
        for way in self.ways_back:
            a, taken = way.address, f"(i32.eq (i32.load (i32.const {way.address})) (i32.wrap_i64 (i64.load (i32.const {at.SCAN}))))"
            lines.append(f"""(local.set $steps_back (select (i32.load (i32.const {a + 4})) (i32.const 0) {taken}))
    (if (i32.ne (local.get $steps_back) (i32.load (i32.const {a + 16}))) (then
      (i32.store (i32.const {a + 16}) (local.get $steps_back))
      (global.set $num (i32.const {way.target})) (global.set $step (i32.const {way.step})) (global.set $cur (i32.const {at.NEVER >> 32}))
      (call $note (i32.const {at.PASSES}) (i64.extend_i32_s (local.get $steps_back)))))""")
        return "\n".join(lines)

    def _lengths(self) -> str:
        """How long the scan took, where steps take time: noted when it changes, and given to the tags that ask for it."""
        if not self.rung_time:
            return ""
        beside = "(local.get $steps)"
        if self.interrupts.tasks:
            beside = f"(select (local.get $steps) (i32.sub (local.get $steps) (global.get $beside)) (i32.load (i32.const {at.HALTED})))"
        lines = [f"""(i64.store (i32.const {at.USUAL}) (i64.mul (i64.extend_i32_s {beside}) (i64.const {self.rung_time})))
    (if (i64.ne (local.get $length) (i64.load (i32.const {at.LENGTH}))) (then
      (call $timed (local.get $length))
      (global.set $num (i32.add (local.get $steps) (i32.const 1)))
      (global.set $step (i32.const -2)) (global.set $cur (i32.const {at.NEVER >> 32}))
      {self._given(self.duration, "(local.get $length)", self.in_ms[0])}
      (if (i64.gt_s (local.get $length) (i64.load (i32.const {at.LONGEST}))) (then
        (i64.store (i32.const {at.LONGEST}) (local.get $length))
        {self._given(self.longest, "(local.get $length)", self.in_ms[1])}))))"""]
        return "\n".join(lines)

    @staticmethod
    def _given(tag: int, value: str, in_ms: bool) -> str:
        if tag < 0:
            return ""
        return f"(call $put (i32.const {tag}) {f'(i64.div_s {value} (i64.const 1000000))' if in_ms else value})"
