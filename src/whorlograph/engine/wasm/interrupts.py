"""Tasks as interrupts, as WebAssembly text: when they come due, which one runs, before which step (CONTROLLER.md, Scan and tasks)."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.schedule import Task

from . import layout as at
from .layout import Layout

LOWEST = 1 << 30  # the priority of cyclic programs: below every task
SOON = -(1 << 31)


class Unit(Struct, frozen=True):
    """What runs in one go: the cyclic programs, or those of a task. Its wake bytes, and how many steps one pass has."""

    function: str
    low: int
    high: int
    steps: int


class Interrupts(Struct, frozen=True):
    """A program's tasks with what runs in them, and what they wait for.

    ``triggers``: for each tag that the program writes and a task waits for, (task, bit, falling); ``by_rows``: whether the
    edges of logged inputs start tasks; ``tables``: address of each task's table of the inputs that its start copies, a byte
    for each tag; ``held_at``: the number behind all cells that stands for the first task's being held.
    """

    layout: Layout
    cyclic: Unit
    tasks: tuple[tuple[Task, Unit], ...]
    triggers: dict[int, tuple[tuple[int, int, bool], ...]]
    by_rows: bool
    tables: tuple[int, ...]
    rung_time: int
    held_at: int

    def field(self, task: int, name: int) -> str:
        """Address of a task's field."""
        return f"(i32.const {self.layout.tasks + at.TASK * task + name})"

    def woken(self) -> str:
        """What a wake byte that was set asks for: its unit runs again."""
        here = "(if (i32.le_u (local.get $a) (global.get $cur)) (then (i32.store (global.get $dirty) (i32.const 1))))"
        if not self.tasks:
            return here
        return (f"(if (i32.or (i32.lt_u (local.get $a) (global.get $low)) (i32.ge_u (local.get $a) (global.get $high)))"
                f" (then (call $other (local.get $a))) (else {here}))")

    def flagged(self) -> str:
        """What a change of a flagged tag asks for besides."""
        lines = []
        if any(t.interval_tag is not None for t, _ in self.tasks):
            lines.append(f"(if (i32.and (local.get $f) (i32.const {at.WATCHED})) (then (i32.store (i32.const {at.AGAIN}) (i32.const 1))))")
        if self.triggers:
            lines.append(f"(if (i32.and (local.get $f) (i32.const {at.TRIGGER})) (then (call $trigger (local.get $t) (local.get $old)"
                         " (local.get $v))))")
        return "\n".join(lines)

    def text(self) -> str:
        """All functions."""
        if not self.tasks:
            return self._order()
        parts = [self._globals(), self._other(), self._due(), self._ran(), self._tick(), self._revive(), self._pick(), self._trigger(),
                 self._idle(), self._plan(), self._run_tasks(), *(self._task(t, u) for t, u in self.tasks), self._task_of(), self._look(),
                 self._between(), self._skip(), self._order()]
        return "\n".join(parts)

    def _globals(self) -> str:
        return f"""
(global $low (mut i32) (i32.const {self.cyclic.low}))
(global $high (mut i32) (i32.const {self.cyclic.high}))
(global $priority (mut i32) (i32.const {LOWEST}))
(global $check (mut i32) (i32.const {SOON}))
(global $beside (mut i32) (i32.const 0))"""

    def _other(self) -> str:
        lines = [f"(if (i32.lt_u (local.get $a) (i32.const {self.cyclic.high})) (then (i32.store (i32.const {at.AGAIN}) (i32.const 1)) (return)))"]
        for task, unit in self.tasks:
            lines.append(f"(if (i32.lt_u (local.get $a) (i32.const {unit.high})) (then (i32.store {self.field(task.number, at.T_DIRTY)}"
                         " (i32.const 1)) (return)))")
        return "(func $other (param $a i32)\n" + "\n".join(lines) + ")"

    def _note(self, code: int, task: str, value: str) -> str:
        """A record about a task; the step's number goes on where it was."""
        return f"(global.set $step {task}) (call $note (i32.const {code}) {value})"

    def _due(self) -> str:
        size = at.TASK
        address = f"(i32.add (i32.const {self.layout.tasks}) (i32.mul (local.get $k) (i32.const {size})))"
        return f"""
(func $due (param $k i32) (param $d i64) (local $a i32) (local $s i32)
  (if (i32.load (i32.const {at.HALTED})) (then (return)))
  (local.set $a {address})
  (if (i64.ne (i64.load offset={at.T_PENDING} (local.get $a)) (i64.const -1))
    (then
      (i64.store offset={at.T_MISSED} (local.get $a) (i64.add (i64.load offset={at.T_MISSED} (local.get $a)) (i64.const 1)))
      (local.set $s (global.get $step))
      {self._note(at.TASK_MISSED, "(local.get $k)", "(local.get $d)")}
      (global.set $step (local.get $s)))
    (else
      (i32.store (i32.const {at.WAITING}) (i32.add (i32.load (i32.const {at.WAITING})) (i32.const 1)))
      (i64.store offset={at.T_PENDING} (local.get $a) (local.get $d)))))"""

    def _ran(self) -> str:
        """Runs that came on time are counted as long as they come at one distance; records tell of them when that ends."""
        address = f"(i32.add (i32.const {self.layout.tasks}) (i32.mul (local.get $k) (i32.const {at.TASK})))"
        return f"""
(func $ran (param $k i32) (param $d i64) (param $i i64) (param $c i64) (local $a i32) (local $n i64) (local $gap i64)
  (local.set $a {address})
  (local.set $n (i64.load offset={at.T_COUNT} (local.get $a)))
  (if (i64.ne (local.get $n) (i64.const 0)) (then
    (local.set $gap (i64.sub (local.get $d) (i64.add (i64.load offset={at.T_FIRST} (local.get $a))
      (i64.mul (i64.sub (local.get $n) (i64.const 1)) (i64.load offset={at.T_EVERY} (local.get $a))))))
    (if (i32.and (i32.or (i64.eq (local.get $n) (i64.const 1)) (i64.eq (local.get $gap) (i64.load offset={at.T_EVERY} (local.get $a))))
                 (i32.or (i64.eq (local.get $c) (i64.const 1)) (i64.eq (local.get $gap) (local.get $i)))) (then
      (i64.store offset={at.T_EVERY} (local.get $a) (local.get $gap))
      (i64.store offset={at.T_COUNT} (local.get $a) (i64.add (local.get $n) (local.get $c)))
      (return)))
    (call $ran_so_far (local.get $k))))
  (i64.store offset={at.T_FIRST} (local.get $a) (local.get $d))
  (i64.store offset={at.T_EVERY} (local.get $a) (local.get $i))
  (i64.store offset={at.T_COUNT} (local.get $a) (local.get $c)))
(func $ran_so_far (param $k i32) (local $a i32)
  (local.set $a {address})
  (if (i64.eqz (i64.load offset={at.T_COUNT} (local.get $a))) (then (return)))
  (call $run_row (local.get $k) (i64.load offset={at.T_FIRST} (local.get $a))
    (select (i64.load offset={at.T_EVERY} (local.get $a)) (i64.const 0) (i64.ne (i64.load offset={at.T_COUNT} (local.get $a)) (i64.const 1)))
    (i64.load offset={at.T_COUNT} (local.get $a)) (i64.const 0))
  (i64.store offset={at.T_COUNT} (local.get $a) (i64.const 0)))
(func $run_row (param $k i32) (param $first i64) (param $every i64) (param $count i64) (param $wait i64) (local $p i32)
  (local.set $p (i32.load (i32.const {at.RUNS_AT})))
  (i64.store (local.get $p) (i64.extend_i32_s (local.get $k)))
  (i64.store offset=8 (local.get $p) (local.get $first))
  (i64.store offset=16 (local.get $p) (local.get $every))
  (i64.store offset=24 (local.get $p) (local.get $count))
  (i64.store offset=32 (local.get $p) (local.get $wait))
  (local.set $p (i32.add (local.get $p) (i32.const {at.RUN})))
  (i32.store (i32.const {at.RUNS_AT}) (local.get $p))
  (if (i32.ge_u (local.get $p) (i32.const {self.layout.end})) (then (call $flush))))"""

    def _interval(self, task: Task) -> str:
        if task.interval_tag is None:
            return f"(i64.const {task.interval or 0})"
        load = f"(i64.load (i32.const {at.CELLS + 8 * task.interval_tag}))"
        return load if task.unit == 1 else f"(i64.mul {load} (i64.const {task.unit}))"

    def _is_on(self, tag: int, bit: int) -> str:
        word = f"(i64.load (i32.const {at.CELLS + 8 * tag}))"
        return f"(i32.wrap_i64 (i64.and (i64.shr_u {word} (i64.const {max(0, bit)})) (i64.const 1)))"

    def _tick(self) -> str:
        """Periodic tasks whose next instant has come."""
        lines = []
        for task, _ in self.tasks:
            if not task.periodic:
                continue
            k, following = task.number, self.field(task.number, at.T_NEXT)
            lines.append(f"(block $d{k} (loop $l{k} (local.set $d (i64.load {following})) (br_if $d{k} (i64.gt_s (local.get $d) (local.get $t)))")
            lines.append(f"(local.set $i {self._interval(task)})")
            if task.interval_tag is not None:
                lines.append(f"(if (i64.le_s (local.get $i) (i64.const 0)) (then (i64.store {following} (i64.const {at.NEVER})) (br $d{k})))")
            lines.append(f"(i64.store {following} (call $later (local.get $d) (local.get $i)))")
            if task.single is not None:
                # IEC 61131-3:2013, table 63: periodic only while SINGLE is FALSE.
                lines.append(f"(br_if $l{k} {self._is_on(task.single, task.bit)})")
            lines.append(f"(call $due (i32.const {k}) (local.get $d)) (br $l{k})))")
        return "(func $tick (param $t i64) (local $d i64) (local $i i64)\n" + "\n".join(lines) + ")"

    def _revive(self) -> str:
        """At a scan's start: a tag that gave no interval is looked at again."""
        lines = []
        for task, _ in self.tasks:
            if task.interval_tag is not None:
                following = self.field(task.number, at.T_NEXT)
                lines.append(f"(if (i32.and (i64.eq (i64.load {following}) (i64.const {at.NEVER})) (i64.gt_s {self._interval(task)} (i64.const 0)))"
                             f" (then (i64.store {following} (local.get $t))))")
        return "(func $revive (param $t i64)\n" + "\n".join(lines) + ")"

    def _pick(self) -> str:
        """The task to start: of those that wait and are more urgent than what runs, the most urgent, the earlier due, the earlier declared."""
        lines = ["(local.set $best (i32.const -1))", f"(if (i32.eqz (i32.load (i32.const {at.WAITING}))) (then (return (i32.const -1))))"]
        for task, _ in self.tasks:
            k = task.number
            pending = f"(i64.load {self.field(k, at.T_PENDING)})"
            lines.append(
                f"(if (i32.and (i32.and (i64.ne {pending} (i64.const -1)) (i64.lt_s {pending} (local.get $before)))"
                f" (i32.eqz (i32.load {self.field(k, at.T_HELD)}))) (then"
                f" (if (i32.or (i32.lt_s (i32.const {task.priority}) (local.get $p)) (i32.and (i32.ge_s (local.get $best) (i32.const 0))"
                f" (i32.and (i32.eq (i32.const {task.priority}) (local.get $p)) (i64.lt_s {pending} (local.get $d))))) (then"
                f" (local.set $best (i32.const {k})) (local.set $p (i32.const {task.priority})) (local.set $d {pending})))))")
        return ("(func $pick (param $p i32) (param $before i64) (result i32) (local $best i32) (local $d i64)\n" + "\n".join(lines)
                + "\n(local.get $best))")

    def _trigger(self) -> str:
        """A tag that the program writes rose or fell: tasks that wait for it come due at the end of the step."""
        lines = []
        for tag, waiting in self.triggers.items():
            inner = []
            for task, bit, falling in waiting:
                first, second = ("(local.get $old)", "(local.get $v)") if not falling else ("(local.get $v)", "(local.get $old)")
                rose = f"(i64.and (i64.shr_u (i64.and {second} (i64.xor {first} (i64.const -1))) (i64.const {max(0, bit)})) (i64.const 1))"
                inner.append(f"(if (i32.wrap_i64 {rose}) (then (call $due (i32.const {task}) (call $time (global.get $num)))"
                             f" (global.set $check (i32.const {SOON}))))")
            lines.append(f"(if (i32.eq (local.get $t) (i32.const {tag})) (then\n" + "\n".join(inner) + "))")
        return "(func $trigger (param $t i32) (param $old i64) (param $v i64)\n" + "\n".join(lines) + ")"

    def soonest(self, into: str) -> str:
        """The next instant at which a task may come due by itself."""
        lines = []
        for task, _ in self.tasks:
            if task.periodic:
                following = f"(i64.load {self.field(task.number, at.T_NEXT)})"
                lines.append(f"(if (i64.lt_s {following} (local.get {into})) (then (local.set {into} {following})))")
        if self.by_rows:
            lines.append(f"(local.set {into} (call $min (local.get {into}) (call $next_event)))")
        return "\n".join(lines)

    def _idle(self) -> str:
        """Whether no task waits and none comes due by itself up to an instant."""
        return f"""
(func $idle (param $until i64) (result i32) (local $d i64)
  (if (i32.load (i32.const {at.WAITING})) (then (return (i32.const 0))))
  (local.set $d (i64.const {at.NEVER}))
  {self.soonest("$d")}
  (i64.gt_s (local.get $d) (local.get $until)))"""

    def _plan(self) -> str:
        """After how many steps something must be looked at: a task that waits or comes due, or the scan's limit."""
        timed = ""
        if self.rung_time:
            # Where nothing comes due soon, it is enough to look again then: most scans are done by then, and nothing is divided.
            soon = 2 * self.cyclic.steps + 1000
            timed = f"""
  (local.set $d (i64.const {at.NEVER}))
  {self.soonest("$d")}
  (if (i64.ne (local.get $d) (i64.const {at.NEVER})) (then
    (local.set $d (call $max (i64.const 0) (i64.sub (local.get $d) (call $time (local.get $n)))))
    (if (i64.ge_s (local.get $d) (i64.const {soon * self.rung_time})) (then
      (if (i32.gt_s (local.get $c) (i32.add (local.get $n) (i32.const {soon}))) (then
        (local.set $c (i32.add (local.get $n) (i32.const {soon})))))
      (br $near)))
    (local.set $s (i64.add (i64.extend_i32_s (local.get $n))
      (i64.div_s (i64.add (local.get $d) (i64.const {self.rung_time - 1})) (i64.const {self.rung_time}))))
    (if (i64.lt_s (local.get $s) (i64.extend_i32_s (local.get $c))) (then (local.set $c (i32.wrap_i64 (local.get $s)))))))"""
        return f"""
(func $plan (param $n i32) (local $c i32) (local $d i64) (local $s i64)
  (local.set $c (i32.add (global.get $limit) (i32.const 1)))
  (block $near {timed})
  (if (i32.load (i32.const {at.WAITING})) (then
    (if (i32.ge_s (call $pick (global.get $priority) (i64.const {at.NEVER})) (i32.const 0)) (then (local.set $c (local.get $n))))))
  (global.set $check (local.get $c)))"""

    def _run_tasks(self) -> str:
        return f"""
(func $run_tasks (param $n i32) (result i32) (local $k i32) (local $t i64)
  (loop $l
    (local.set $t (call $time (local.get $n)))
    (global.set $num (local.get $n))
    (if (call $idle (local.get $t)) (then
      (call $take (local.get $t))
      (return (local.get $n))))
    (call $take (local.get $t))
    (call $tick (local.get $t))
    (local.set $k (call $pick (global.get $priority) (i64.const {at.NEVER})))
    (if (i32.ge_s (local.get $k) (i32.const 0)) (then
      (local.set $n (call $task (local.get $k) (local.get $n)))
      (br_if $l (i32.eqz (i32.load (i32.const {at.FAULT})))))))
  (local.get $n))"""

    def _task_of(self) -> str:
        lines = [f"(if (i32.eq (local.get $k) (i32.const {t.number})) (then (return (call $task{t.number} (local.get $n)))))" for t, _ in self.tasks]
        return "(func $task (param $k i32) (param $n i32) (result i32)\n" + "\n".join(lines) + "\n(local.get $n))"

    def _task(self, task: Task, unit: Unit) -> str:
        k = task.number
        pending = self.field(k, at.T_PENDING)
        kept = ("now", "i64"), ("adj", "i32"), ("low", "i32"), ("high", "i32"), ("dirty", "i32"), ("cur", "i32"), ("priority", "i32")
        save = " ".join(f"(local.set $k_{n} (global.get ${n}))" for n, _ in kept)
        back = " ".join(f"(global.set ${n} (local.get $k_{n}))" for n, _ in kept)
        declared = " ".join(f"(local $k_{n} {t})" for n, t in kept)
        table = self.tables[k]
        return f"""
(func $task{k} (param $n i32) (result i32) {declared} (local $i i32) (local $t i32) (local $d i64)
  {save}
  (global.set $now (call $time (local.get $n)))
  (global.set $num (local.get $n))
  (local.set $d (i64.load {pending}))
  (i64.store {pending} (i64.const -1))
  (i32.store (i32.const {at.WAITING}) (i32.sub (i32.load (i32.const {at.WAITING})) (i32.const 1)))
  (global.set $step (i32.const {k}))
  (if (i64.eq (local.get $d) (global.get $now))
    (then (call $ran (i32.const {k}) (local.get $d) (i64.const 0) (i64.const 1)))
    (else
      (call $ran_so_far (i32.const {k}))
      (call $run_row (i32.const {k}) (local.get $d) (i64.const 0) (i64.const 1) (i64.sub (global.get $now) (local.get $d)))))
  (global.set $step (i32.const -1))
  (global.set $low (i32.const {unit.low})) (global.set $high (i32.const {unit.high}))
  (global.set $dirty {self.field(k, at.T_DIRTY)}) (global.set $priority (i32.const {task.priority}))
  (global.set $cur (i32.const 0)) (global.set $adj (local.get $n))
  (i32.store {self.field(k, at.T_DIRTY)} (i32.const 0))
  (block $end (loop $copy
    (br_if $end (i32.ge_u (local.get $i) (i32.load (i32.const {at.TOUCHED}))))
    (local.set $t (i32.load (i32.add (i32.const {self.layout.touched}) (i32.shl (local.get $i) (i32.const 2)))))
    (if (i32.load8_u (i32.add (i32.const {table}) (local.get $t))) (then
      (call $put (local.get $t) (i64.load (i32.add (i32.const {self.layout.image}) (i32.shl (local.get $t) (i32.const 3)))))))
    (local.set $i (i32.add (local.get $i) (i32.const 1)))
    (br $copy)))
  (call $pop_due)
  (call $plan (local.get $n))
  (call {unit.function})
  (local.set $n (i32.add (global.get $adj) (i32.const {unit.steps})))
  {back}
  (global.set $step (i32.const -1))
  (local.get $n))"""

    def _look(self) -> str:
        """Before a step, ``n`` of them done: is it time for a task? After a scan's last step, tasks run between two scans."""
        return f"""
(func $look (param $n i32) (param $step i32) (local $after i32)
  (if (i32.gt_s (local.get $n) (global.get $limit)) (then (global.set $num (local.get $n)) (call $late (local.get $step)) (return)))
  (local.set $after (call $run_tasks (local.get $n)))
  (if (i32.load (i32.const {at.FAULT})) (then (return)))
  (global.set $adj (i32.add (global.get $adj) (i32.sub (local.get $after) (local.get $n))))
  (if (i32.eq (global.get $priority) (i32.const {LOWEST}))
    (then (global.set $beside (i32.add (global.get $beside) (i32.sub (local.get $after) (local.get $n))))))
  (if (i32.gt_s (local.get $after) (global.get $limit)) (then (global.set $num (local.get $after)) (call $late (local.get $step)) (return)))
  (call $plan (local.get $after)))"""

    def _between(self) -> str:
        """Tasks due before the next scan's start, which they may put off; returns when it starts."""
        return f"""
(func $between (param $s i64) (result i64) (local $n i32) (local $k i32) (local $t i64) (local $next i64)
  (local.set $n (i32.const {at.FIRST_NUMBER}))
  (local.set $t (i64.load (i32.const {at.END})))
  (global.set $watched_from (local.get $s))
  (i32.store (i32.const {at.BEFORE}) (i32.const 0))
  (if (call $idle (call $max (i64.sub (local.get $s) (i64.const 1)) (i64.load (i32.const {at.END})))) (then (return (local.get $s))))
  (i32.store (i32.const {at.BEFORE}) (i32.const {-at.FIRST_NUMBER}))
  (loop $l
    (global.set $base (i64.sub (local.get $t) (i64.mul (i64.extend_i32_s (local.get $n)) (i64.const {self.rung_time}))))
    (global.set $num (local.get $n))
    (call $take (local.get $t))
    (call $tick (local.get $t))
    (local.set $k (call $pick (i32.const {LOWEST}) (local.get $s)))
    (if (i32.ge_s (local.get $k) (i32.const 0)) (then
      (call $limited)
      (global.set $cur (i32.const 0))
      (local.set $n (call $task (local.get $k) (local.get $n)))
      (if (i32.load (i32.const {at.FAULT})) (then (local.set $n (i32.load (i32.const {at.FAULT_NUMBER})))))
      (local.set $t (call $time (local.get $n)))
      (i64.store (i32.const {at.END}) (local.get $t))
      (if (i32.load (i32.const {at.FAULT})) (then (call $halt) (return (call $max (local.get $s) (local.get $t)))))
      (local.set $s (call $max (local.get $s) (local.get $t)))
      (br $l)))
    (local.set $next (i64.const {at.NEVER}))
    {self.soonest("$next")}
    (if (i64.lt_s (local.get $next) (local.get $s)) (then (local.set $t (call $max (local.get $next) (local.get $t))) (br $l))))
  (i32.store (i32.const {at.BEFORE}) (i32.sub (local.get $n) (i32.const {at.FIRST_NUMBER})))
  (local.get $s))"""

    def _skip(self) -> str:
        """Runs of periodic tasks due before an instant in which nothing would change: counted, not run."""
        lines = []
        for task, _ in self.tasks:
            if not task.periodic:
                continue
            k, following = task.number, self.field(task.number, at.T_NEXT)
            silent = self._is_on(task.single, task.bit) if task.single is not None else "(i32.const 0)"
            lines.append(f"""
  (local.set $d (i64.load {following}))
  (local.set $i {self._interval(task)})
  (if (i32.and (i64.lt_s (local.get $d) (local.get $x)) (i64.gt_s (local.get $i) (i64.const 0))) (then
    (local.set $c (i64.div_s (i64.add (i64.sub (local.get $x) (local.get $d)) (i64.sub (local.get $i) (i64.const 1))) (local.get $i)))
    (i64.store {following} (call $later (i64.add (local.get $d) (i64.mul (i64.sub (local.get $c) (i64.const 1)) (local.get $i))) (local.get $i)))
    (if (i32.eqz (i32.or {silent} (i32.load {self.field(k, at.T_HELD)}))) (then
      (call $ran (i32.const {k}) (local.get $d) (local.get $i) (local.get $c))))
    (if (i32.eqz {silent}) (then (if (i32.load {self.field(k, at.T_HELD)}) (then
      (loop $held{k}
        (call $due (i32.const {k}) (local.get $d))
        (local.set $d (i64.add (local.get $d) (local.get $i)))
        (br_if $held{k} (i64.lt_s (local.get $d) (local.get $x))))))))))""")
        return "(func $skip (param $x i64) (local $d i64) (local $i i64) (local $c i64)" + "".join(lines) + ")"

    def _order(self) -> str:
        held = []
        for task, _ in self.tasks:
            k = task.number
            held.append(f"""
  (if (i32.and (i32.eq (local.get $task) (i32.const {k})) (i32.lt_s (local.get $what) (i32.const 2))) (then
    (local.set $held (i32.eqz (local.get $what)))
    (if (i32.ne (i32.load {self.field(k, at.T_HELD)}) (local.get $held)) (then
      (i32.store {self.field(k, at.T_HELD)} (local.get $held))
      (local.set $s (global.get $step))
      {self._note(at.TASK_HELD, f"(i32.const {k})", "(i64.extend_i32_u (local.get $held))")}
      (global.set $step (local.get $s))
      (call $wake (i32.const {self.held_at + k}))
      (global.set $check (i32.const {SOON}))))))""")
        again = f"(global.set $check (i32.const {SOON}))" if self.tasks else ""
        return f"""
(func $order (param $what i32) (param $task i32) (local $held i32) (local $s i32)
  {''.join(held)}
  (if (i32.eq (local.get $what) (i32.const 2)) (then
    (global.set $watched_from (call $time (i32.sub (global.get $num) (i32.const 1))))
    (call $limited) {again}
    (call $self))))"""
