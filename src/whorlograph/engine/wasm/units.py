"""The functions of a module: bodies that are called, programs in chunks of steps, and the order in which they run."""

from __future__ import annotations

import itertools
from functools import cached_property, partial

from msgspec import Struct, field

from whorlograph.engine.calls import calls_in
from whorlograph.engine.code import Action, Base, Body, Call, Code, If, Instance, Load, Loop, Order, Pass, Scope, Spot, Step
from whorlograph.engine.schedule import MOST_STEPS, Schedule
from whorlograph.engine.scope.overlap import shared_bits
from whorlograph.model.profile import Profile
from whorlograph.model.tags import Running

from . import layout as at
from .actions import STOP_IF_FAULTED, Actions
from .expressions import Expressions
from .function import Function
from .interrupts import Unit
from .place import Placing
from .watch import Watch, Watches

CHUNK = 64
ET = 3  # the place of ET among a timer's pins


class Chunk(Struct, frozen=True):
    """A function of up to 64 steps: its name, its first wake byte, how many, and the cell that sums what its calls add (0: none).

    ``number``: how many steps of its unit come before; ``always``: it must be run step by step where tasks may come in between.
    """

    name: str
    wake: int
    count: int
    extra: int
    number: int
    always: bool


class Segment(Struct):
    """A stretch of a program between exits and their targets: steps ``first`` to before ``end``."""

    first: int
    end: int
    chunks: list[Chunk] = field(default_factory=list)


class WayBack(Struct, frozen=True):
    """An exit that goes back: the step that has it and the one it goes to, of the first instance of its POU; where it is counted."""

    step: int
    target: int
    address: int


class Lowered(Struct):
    """The functions' text, and the tables that the memory needs.

    ``watches`` by the address of its wake byte; ``wake_bytes`` how many; ``units`` the cyclic programs first, then each task's.
    """

    functions: list[str]
    watches: dict[int, Watch]
    wake_bytes: int
    units: list[Unit]
    ways_back: tuple[WayBack, ...] = ()


class Units:
    """Prints the code of a program."""

    def __init__(self, code: Code, running: Running, profile: Profile, schedule: Schedule) -> None:
        self.code, self.running, self.profile = code, running, profile
        self._kinds: dict[int, set[type]] = {}
        self._lengths: dict[int, int] = {}
        self.members = [("$scan", schedule.cyclic), *((f"$unit{t.number}", t.programs) for t in schedule.tasks)]
        shares = shared_bits(running.tags[:running.public], profile.addressing)
        self.watches = Watches(code, {tag: {s.other for s in found} for tag, found in shares.items()})
        self.functions: list[str] = []
        self.found: dict[int, Watch] = {}
        self._count_of: dict[object, int] = {}
        self.ways_back: dict[tuple[int, int], int] = {}
        self.steps = [[self.watches.of_step(p, s) for s in code.bodies[p.body].steps] if p.body >= 0 else [] for p in code.programs]
        self.observed = self.watches.loaded & {t.index for t in running.tags if t.computed}
        self.triggers = self._triggers(schedule)
        limit = min(MOST_STEPS, profile.watchdog // profile.rung_time) if profile.rung_time else MOST_STEPS
        orders = any(Order in self.kinds(s) for body in code.bodies for s in body.steps)
        # Tasks may start between two steps where time passes, or where a step makes one due.
        self.interruptible = bool(schedule.tasks) and bool(profile.rung_time or self.triggers or orders)
        self.checked = self.interruptible or self._may_run_long(limit)

    def kinds(self, step: Step) -> set[type]:
        """The kinds of a step's actions."""
        if id(step) not in self._kinds:
            self._kinds[id(step)] = _kinds(step.actions, set())
        return self._kinds[id(step)]

    def adds(self, step: Step) -> bool:
        """Whether steps are taken inside a step: by calls or loops."""
        return not self.kinds(step).isdisjoint((Call, Loop, Pass))

    def _triggers(self, schedule: Schedule) -> dict[int, tuple[tuple[int, int, bool], ...]]:
        """By tag that a step may write: the tasks that wait for it, which bit of it, and whether for its fall."""
        external = {self.running.find(name) for name in self.profile.external}
        written = {t for steps in self.steps for watch in steps for first, span in watch.writes for t in range(first, first + span)}
        found: dict[int, list[tuple[int, int, bool]]] = {}
        for task in schedule.tasks:
            if task.single is None or task.at_start:
                continue
            address = self.running.tags[task.single].address
            near = {task.single} | self.watches.shares.get(task.single, set())
            if near & (written | external) and (address is None or address.area != "I"):
                found.setdefault(task.single, []).append((task.number, task.bit, task.falling))
        return {tag: tuple(waiting) for tag, waiting in found.items()}

    def _may_run_long(self, limit: int) -> bool:
        """Whether any scan could take more steps than it may: a way back somewhere, or too many steps."""
        for body in self.code.bodies:
            for i, step in enumerate(body.steps):
                if any(e.step <= i for e in step.exits) or not self.kinds(step).isdisjoint((Loop, Pass)):
                    return True
        return sum(self._longest(i.body) for i in self.code.programs if i.body >= 0) > limit

    def _longest(self, body: int) -> int:
        """Steps of one pass through a body and all that it calls."""
        if body not in self._lengths:
            self._lengths[body] = sum(1 + sum(self._longest(c.body) for c in calls_in(step.actions)) for step in self.code.bodies[body].steps)
        return self._lengths[body]

    def count(self, key: object) -> int:
        """Address of a cell that steps are counted in, made at the first asking."""
        number = self._count_of.setdefault(key, len(self._count_of))
        assert number < self.cells - self.code.cells - 1
        return at.CELLS + 8 * (self.code.cells + 1 + number)

    @cached_property
    def cells(self) -> int:
        """Cells of the code, one that takes what is wired to nothing, and those that steps are counted in."""
        adding = sum(self.adds(s) for p in self.code.programs if p.body >= 0 for s in self.code.bodies[p.body].steps)
        back = sum(len(self._programs_of(n)) + 1 for n, b in enumerate(self.code.bodies) for i, s in enumerate(b.steps) for e in s.exits if e.step <= i)
        return self.code.cells + 1 + 2 * adding + 3 * back

    def _programs_of(self, body: int) -> list[Instance]:
        return [p for p in self.code.programs if p.body == body]

    def _back(self, first: int, index: int, target: int, number: str) -> str:
        """Count a way back that is taken; ``first``: the first step of the instance, or of the first one of a body that is called."""
        if target > index or not self.checked:
            return ""
        address = self.count(("back", first, index, target))
        self.count(("back until", first, index, target))
        self.count(("back before", first, index, target))
        self.ways_back[first + index, first + target] = address
        return f"(call $back (i32.const {address}) {number})"

    def print(self, wake_base: int) -> Lowered:
        """Print everything.

        Args: wake_base: address of the first wake byte.
        """
        for number, body in enumerate(self.code.bodies):
            if any(not i.runs and i.body == number for i in self.code.instances):
                self._body(number, body)
        position = wake_base
        units = []
        for name, members in self.members:
            low, number, names = position, 0, []
            for i in members:
                program = self.code.programs[i]
                if program.body < 0:
                    continue
                body = self.code.bodies[program.body]
                segments = self._segments(body)
                for segment in segments:
                    for first in range(segment.first, segment.end, CHUNK):
                        count = min(CHUNK, segment.end - first)
                        segment.chunks.append(self._chunk(f"$p{i}_{first}", program, body, self.steps[i], first, count, position, number + first))
                        position += at.aligned(count)
                names.append(self._program(f"$program{i}", program, body, segments, number))
                number += len(body.steps)
            lines = "".join(f"(call {n}) {STOP_IF_FAULTED}\n" for n in names)
            self.functions.append(f"(func {name}\n{lines})\n")
            units.append(Unit(name, low, position, number))
        off = "".join(f"(call $put (i32.const {t.index}) (i64.const 0))\n" for t in self.running.tags[:self.running.public]
                      if t.at_output)
        self.functions.append(f"(func $outputs_off\n{off})\n")
        back = tuple(WayBack(*steps, address) for steps, address in self.ways_back.items())
        return Lowered(self.functions, self.found, position - wake_base, units, back)

    # programs

    @staticmethod
    def _segments(body: Body) -> list[Segment]:
        if not body.steps:
            return []
        cuts = {0, len(body.steps)}
        for i, step in enumerate(body.steps):
            if step.exits:
                cuts.add(i + 1)
                cuts |= {e.step for e in step.exits if e.step <= len(body.steps)}
        return [Segment(a, b) for a, b in itertools.pairwise(sorted(cuts))]

    def _actions(self, function: Function, body: Body, instance: Instance | None) -> Actions:
        return Actions(function, Placing(self.code, body, instance), self.profile.on_overflow, self.checked,
                       partial(self._observed, instance))

    def _observed(self, instance: Instance | None, spot: Spot) -> bool:
        """Whether anything reads the ET of the timer at a spot; of a body that lies in several places, of any timer."""
        if spot.base == Base.GLOBAL:
            return self.code.instances[spot.own].own + ET in self.observed
        if instance is not None and spot.base == Base.OWN:
            return instance.own + spot.own + ET in self.observed
        return bool(self.observed)

    def _chunk(self, name: str, program: Instance, body: Body, watches: list[Watch], first: int, count: int, position: int,
               number: int) -> Chunk:
        steps = body.steps[first:first + count]
        extra = self.count((name, "extra")) if any(self.adds(s) for s in steps) else 0
        chunk = Function(name)
        slow = Function(f"{name}_slow")
        # Eight wake bytes are one word: where none is set, eight steps are passed over at once.
        plain = [not any(self.adds(s) for s in steps[g:g + 8]) and len(steps) > 8 for g in range(0, len(steps), 8)]
        for i, step in enumerate(steps):
            if i % 8 == 0 and plain[i // 8]:
                chunk.put(f"(if (i64.ne (i64.load (i32.const {position + i})) (i64.const 0)) (then")
            wake, index = position + i, program.first + first + i
            self.found[wake] = watches[first + i]
            adds = self.adds(step)
            if adds and self.checked:
                # The limit may be passed inside what it calls: it runs then, although nothing changed, so that the place is known.
                done = f"(i32.add (i32.add (global.get $adj) (i32.const {number + i + 1})) (i32.load (i32.const {self.count((name, i))})))"
                for function in (chunk, slow):
                    function.put(f"(if (i32.gt_s {done} (global.get $limit)) (then (i32.store8 (i32.const {wake}) (i32.const 1))))")
            if not self.interruptible:
                chunk.put(f"(if (i32.load8_u (i32.const {wake})) (then")
                self._step(chunk, program, body, step, index, wake, number + i, (name, i), extra)
                chunk.put("))")
            else:
                own = Function(f"$s{index}")
                self._step(own, program, body, step, index, wake, number + i, (name, i), extra)
                self.functions.append(own.text())
                before, done = (f"(i32.add (global.get $adj) (i32.const {number + n}))" for n in (i, i + 1))
                slow.put(f"(if (i32.ge_s {before} (global.get $check)) (then (call $look {before} (i32.const {max(program.first, index - 1)}))"
                         f" {STOP_IF_FAULTED}))")
                for function in (chunk, slow):
                    function.put(f"(if (i32.load8_u (i32.const {wake})) (then (call $s{index}) {STOP_IF_FAULTED}))")
                    if adds:
                        function.put(f"(global.set $adj (i32.add (global.get $adj) (i32.load (i32.const {self.count((name, i))}))))")
                slow.put(f"(if (i32.gt_s {done} (global.get $limit)) (then (global.set $num {done}) (call $late (i32.const {index})) (return)))")
            if adds and not self.interruptible:
                chunk.put(f"(global.set $adj (i32.add (global.get $adj) (i32.load (i32.const {self.count((name, i))}))))")
            if (i % 8 == 7 or i == len(steps) - 1) and plain[i // 8]:
                chunk.put("))")
        self.functions.append(chunk.text())
        if self.interruptible:
            self.functions.append(slow.text())
        touched = {t for w in watches[first:first + count] for f, span in w.others | w.writes for t in range(f, f + span)}
        always = any(self.adds(s) or Order in self.kinds(s) for s in steps) or bool(touched & set(self.triggers))
        return Chunk(name, position, count, extra, number, always)

    def _step(self, function: Function, program: Instance, body: Body, step: Step, index: int, wake: int, number: int, key: object,
              extra: int) -> None:
        """What is done where a step's wake byte is set.

        Args: number: how many steps of its unit come before it.
        """
        actions = self._actions(function, body, program)
        actions.step = f"(i32.const {index})"
        function.fresh()
        own = f"(i32.add (global.get $adj) (i32.const {number + 1}))"
        function.put(f"(i32.store8 (i32.const {wake}) (i32.const 0)) (global.set $cur (i32.const {wake}))"
                     f" (global.set $step {actions.step}) (global.set $num {own})")
        if self.checked and not self.interruptible:
            # The limit was passed at a step before this one in which nothing had changed.
            over = "(i32.sub (global.get $num) (i32.add (global.get $limit) (i32.const 1)))"
            function.put(f"(if (i32.gt_s {over} (i32.const 0)) (then (call $late (i32.sub {actions.step} {over})) (return)))")
        actions.all(step.actions)
        if self.adds(step):
            length = self.count(key)
            added = function.temporary("i32")
            function.put(f"(local.set {added} (i32.sub (global.get $num) {own}))")
            function.put(f"(i32.store (i32.const {extra}) (i32.add (i32.load (i32.const {extra}))"
                         f" (i32.sub (local.get {added}) (i32.load (i32.const {length})))))")
            function.put(f"(i32.store (i32.const {length}) (local.get {added}))")
        if self.adds(step) or not self.interruptible:
            actions.check()

    def _program(self, name: str, program: Instance, body: Body, segments: list[Segment], number: int) -> str:
        function = Function(name)
        actions = self._actions(function, body, program)
        function.local("$pc", "i32")
        self._resets(function, actions, body)
        function.put("(loop $again")
        for segment in segments:
            function.put(f"(if (i32.le_s (local.get $pc) (i32.const {segment.first})) (then")
            function.put(self._run_chunks(segment.chunks))
            if self.checked and not self.interruptible:
                function.put(self._limit_check(program.first + segment.first, segment, number))
            self._leave(function, actions.e, body.steps[segment.end - 1], segment.end - 1, program.first, number)
            function.put("))")
        function.put(")")
        self.functions.append(function.text())
        return name

    def _run_chunks(self, chunks: list[Chunk]) -> str:
        """Run a segment's chunks; where none of them can call a task, it is asked once whether one comes due before the last is done."""
        each = "\n".join(self._run_chunk(c) for c in chunks)
        if not self.interruptible or len(chunks) < 2 or any(c.always or c.extra for c in chunks):
            return each
        done = f"(i32.add (global.get $adj) (i32.const {chunks[-1].number + chunks[-1].count}))"
        calm = "\n".join(f"(if {self._awake(c)} (then (call {c.name}) {STOP_IF_FAULTED}))" for c in chunks)
        return f"(if (i32.lt_s {done} (global.get $check)) (then\n{calm})\n(else\n{each}))"

    @staticmethod
    def _awake(chunk: Chunk) -> str:
        words = [f"(i64.load (i32.const {chunk.wake + 8 * w}))" for w in range(at.aligned(chunk.count) // 8)]
        test = words[0]
        for word in words[1:]:
            test = f"(i64.or {test} {word})"
        return f"(i64.ne {test} (i64.const 0))"

    def _run_chunk(self, chunk: Chunk) -> str:
        """Run a chunk in which a wake byte is set; step by step where a task or the scan's limit may come in between."""
        awake = self._awake(chunk)
        skip = f"(global.set $adj (i32.add (global.get $adj) (i32.load (i32.const {chunk.extra}))))" if chunk.extra else ""
        call = f"(call {chunk.name}) {STOP_IF_FAULTED}"
        if not self.interruptible:
            if skip and self.checked:
                over = f"(i32.gt_s (i32.add (i32.add (global.get $adj) (i32.const {chunk.number + chunk.count})) (i32.load (i32.const {chunk.extra})))"
                awake = f"(i32.or {awake} {over} (global.get $limit)))"
            return f"(if {awake} (then {call})" + (f" (else {skip}))" if skip else ")")
        done = f"(i32.add (global.get $adj) (i32.const {chunk.number + chunk.count}))"
        if chunk.extra:
            done = f"(i32.add {done} (i32.load (i32.const {chunk.extra})))"
        undisturbed = f"(i32.lt_s {done} (global.get $check))"
        slow = f"(call {chunk.name}_slow) {STOP_IF_FAULTED}"
        if chunk.always:
            return f"(if (i32.and {undisturbed} (i32.eqz {awake})) (then {skip}) (else {slow}))"
        return f"(if {undisturbed} (then (if {awake} (then {call}))) (else {slow}))"

    @staticmethod
    def _limit_check(first: int, segment: Segment, number: int) -> str:
        done = f"(i32.add (global.get $adj) (i32.const {number + segment.end}))"
        over = f"(i32.sub (i32.sub (global.get $limit) (global.get $adj)) (i32.const {number + segment.first}))"
        return (f"(if (i32.gt_s {done} (global.get $limit)) (then (global.set $num {done})"
                f" (call $late (i32.add (i32.const {first}) {over})) (return)))")

    def _leave(self, function: Function, e: Expressions, step: Step, index: int, first: int, number: int) -> None:
        """Exits of a segment's last step: the first that holds counts."""
        for one in step.exits:
            assert isinstance(one.test, Load)
            back = self._back(first, index, one.step, f"(i32.add (global.get $adj) (i32.const {number + index + 1}))")
            function.put(f"(if {e.text(one.test)} (then {back} (global.set $adj (i32.add (global.get $adj) (i32.const {index + 1 - one.step})))"
                         f" (local.set $pc (i32.const {one.step})) (br $again)))")

    @staticmethod
    def _resets(function: Function, actions: Actions, body: Body) -> None:
        """Temporaries begin anew; in a program what reads them is woken like by any other write."""
        for target, value in body.resets:
            number = actions.placing.number(target)
            if actions.placing.instance is not None and target.base == Base.OWN:
                function.put(f"(call $put {number} (i64.const {value}))")
            else:
                address, offset = actions.placing.address(target)
                function.put(f"(i64.store offset={offset} {address} (i64.const {value}))")

    # bodies that are called

    def _body(self, number: int, body: Body) -> None:
        """The function of a body: where it lies is handed over, but for a function of the file's own."""
        frame = self.code.instances[body.frame] if body.frame >= 0 else None
        params = [] if frame is not None else ["(param $own i32)", "(param $hid i32)", "(param $at i32)"]
        for i, param in enumerate(body.params):
            params.append(f"(param $r{i} i32)")
            params += [f"(param $r{i}h i32)", f"(param $r{i}s i32)"] if param.kind == "instance" else []
            params += [f"(param $r{i}b i32)"] if param.kind == "bit" else []
        function = Function(f"$b{number}", " ".join(params))
        actions = self._actions(function, body, frame)
        if frame is None:
            for name in ("$own", "$hid"):
                function.put(f"(local.set {function.local(name + '8', 'i32')} (i32.shl (local.get {name}) (i32.const 3)))")
        else:
            anew = Function(f"$anew{number}")
            for target, value in body.resets:
                anew.put(f"(i64.store (i32.const {at.CELLS + 8 * (frame.own + target.cell)}) (i64.const {value}))")
            self.functions.append(anew.text())
            function.put(f"(global.set $deep (i32.add (global.get $deep) (i32.const 1))) (if (i32.gt_s (global.get $deep) (i32.const 100))"
                         f" (then (call $fail (i32.const {at.DEPTH}) (i32.const -1) (i32.const -1) (i64.const 0) (i64.const 0)) (return)))")
        for i in range(len(body.params)):
            function.put(f"(local.set {function.local(f'$r{i}8', 'i32')} (i32.shl (local.get $r{i}) (i32.const 3)))")
        if frame is None:
            self._resets(function, actions, body)
        jumps = any(s.exits for s in body.steps)
        least = min(i.first for i in self.code.instances if i.body == number)
        if jumps:
            function.local("$pc", "i32")
            function.put("(loop $again")
        for i, step in enumerate(body.steps):
            actions.step = f"(i32.const {frame.first + i})" if frame is not None else f"(i32.add (local.get $at) (i32.const {i}))"
            function.fresh()
            if jumps:
                function.put(f"(if (i32.le_s (local.get $pc) (i32.const {i})) (then")
            function.put(f"(global.set $num (i32.add (global.get $num) (i32.const 1))) (global.set $step {actions.step})")
            actions.all(step.actions)
            actions.check()
            for one in step.exits:
                back = self._back(least, i, one.step, "(global.get $num)")
                function.put(f"(if {actions.e.text(one.test)} (then {back} (local.set $pc (i32.const {one.step})) (br $again)))")
            if jumps:
                function.put("))")
        if jumps:
            function.put(")")
        if frame is not None:
            function.put("(global.set $deep (i32.sub (global.get $deep) (i32.const 1)))")
        self.functions.append(function.text())


def _kinds(actions: tuple[Action, ...], found: set[type]) -> set[type]:
    """The kinds of actions, those under conditions and in loops too."""
    for one in actions:
        found.add(type(one))
        if isinstance(one, If):
            _kinds(one.then, found)
            _kinds(one.other, found)
        elif isinstance(one, (Scope, Loop)):
            _kinds(one.actions, found)
    return found
