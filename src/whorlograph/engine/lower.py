"""A program's rungs lowered to functions of one WebAssembly module, and who must wake whom."""

from __future__ import annotations

import itertools

from msgspec import Struct, field

from whorlograph.engine.scope.overlap import shared_bits
from whorlograph.engine.scope.rung_types import called_instance
from whorlograph.model.ladder import Block, Jump, LadderBody, LeftRail, Return
from whorlograph.model.profile import Profile
from whorlograph.model.program import VariableKind
from whorlograph.model.rungs import evaluation_order
from whorlograph.model.steps import Step, Steps
from whorlograph.model.tags import Aggregate, Instance, Leaf, Ref, Running

from . import layout as at
from .emit import Access, Function
from .lower_rung import Bound, RungLowering

MOST_STEPS = 1_000_000
CHUNK = 64


class Called(Struct):
    """A body lowered once: its function's name and what it accesses."""

    name: str
    access: Access


class Segment(Struct):
    """A stretch of a program between jumps and labels: rungs ``first`` to before ``end`` (from 0)."""

    first: int
    end: int
    chunks: list[tuple[str, int, int, int]] = field(default_factory=list)  # function, mark address, count, extra cell


class Lowered(Struct):
    """The functions' text, and the tables that the memory needs.

    ``access`` by mark address; ``marks`` how many bytes; ``hidden`` cells behind tags and path marks.
    """

    functions: list[str]
    access: dict[int, Access]
    mark_bytes: int
    cells: int
    first_values: dict[int, int]
    limit: int
    limit_code: int


class Lowering:
    """Lowers the programs that run."""

    def __init__(self, running: Running, steps: Steps, profile: Profile) -> None:
        self.running, self.steps, self.profile = running, steps, profile
        self.functions: list[str] = []
        self._rails: dict[int, frozenset[int]] = {}
        self.called: dict[object, Called] = {}
        self.access: dict[int, Access] = {}
        self.cells = len(running.tags) + len(steps.flags)
        self.first_values: dict[int, int] = {}
        self.cell_of: dict[object, int] = {}
        self.observed = _observed(running, steps)
        shares = shared_bits(running.tags[:running.public], profile.addressing)
        self.shares = {tag: {s.other for s in found} for tag, found in shares.items()}
        self.limit, self.limit_code = MOST_STEPS, at.STEPS
        if profile.rung_time and profile.watchdog // profile.rung_time < MOST_STEPS:
            self.limit, self.limit_code = profile.watchdog // profile.rung_time, at.WATCHDOG
        self.checked = self._may_run_long()

    def _may_run_long(self) -> bool:
        """Whether any scan could take more steps than it may: a backward jump somewhere, or too many rungs."""
        for step in self.steps.all:
            body = step.instance.pou.body if step.instance.pou is not None else None
            for element in step.rung.elements:
                if isinstance(element, Jump) and isinstance(body, LadderBody):
                    if body.targets.get(element.label.lower(), step.rung.number + 1) <= step.rung.number:
                        return True
        return sum(self._longest(p, 0) for p in self.running.programs) > self.limit

    def _longest(self, instance: Instance, depth: int) -> int:
        """Steps of one pass through a body and all that it calls."""
        if depth > 100:
            return self.limit + 1
        total = 0
        for step in self.steps.of(instance):
            total += 1
            for element in step.rung.elements:
                called = called_instance(element, instance, self.running) if isinstance(element, Block) else None
                if called is not None and called.pou is not None:
                    total += self._longest(called, depth + 1)
        return total

    def hidden(self, key: object, cells: int = 1, first: int = 0) -> int:
        """Address of hidden cells that belong to ``key``, made at the first asking."""
        if key not in self.cell_of:
            self.cell_of[key] = self.cells
            if first:
                self.first_values[self.cells] = first
            self.cells += cells
        return at.CELLS + 8 * self.cell_of[key]

    def lower(self, mark_base: int) -> Lowered:
        """Lower everything.

        Args: mark_base: address of the first mark; marks' addresses are relative to it until linked.
        """
        position = mark_base
        number = 0
        names = []
        for i, program in enumerate(self.running.programs):
            steps = self.steps.of(program)
            segments = self._segments(program, steps)
            for segment in segments:
                for first in range(segment.first, segment.end, CHUNK):
                    part = steps[first:min(first + CHUNK, segment.end)]
                    name, extra = self._chunk(f"$p{i}_{first}", part, position, number + first)
                    segment.chunks.append((name, position, len(part), extra))
                    position += at.aligned(len(part))
            names.append(self._program(f"$program{i}", program, steps, segments, number))
            number += len(steps)
        calls = "".join(f"(call {n}) (if (i32.load (i32.const {at.FAULT})) (then (return)))\n" for n in names)
        self.functions.append(f"(func $scan\n{calls})\n")
        off = "".join(f"(call $put (i32.const {t.index}) (i64.const 0))\n" for t in self.running.tags[:self.running.public]
                      if t.address is not None and t.address.area == "Q")
        self.functions.append(f"(func $outputs_off\n{off})\n")
        return Lowered(self.functions, self.access, position - mark_base, self.cells, self.first_values, self.limit, self.limit_code)

    # programs

    def _segments(self, program: Instance, steps: list[Step]) -> list[Segment]:
        if not steps or program.pou is None or not isinstance(program.pou.body, LadderBody):
            return []
        cuts = {0, len(steps)}
        for i, step in enumerate(steps):
            for element in step.rung.elements:
                if isinstance(element, (Jump, Return)):
                    cuts.add(i + 1)
                    if isinstance(element, Jump) and element.label.lower() in program.pou.body.targets:
                        cuts.add(program.pou.body.targets[element.label.lower()] - 1)
        ordered = sorted(cuts)
        return [Segment(a, b) for a, b in itertools.pairwise(ordered)]

    def _chunk(self, name: str, steps: list[Step], position: int, number: int) -> tuple[str, int]:
        """A function of up to 64 rungs; the address of the cell that sums what their calls add (0: no calls)."""
        chunk = Function(name, self.running.tags, self.running.public)
        extra = self.hidden((name, "extra")) if any(self._calls(s) for s in steps) else 0
        for i, step in enumerate(steps):
            mark = position + i
            chunk.fresh()
            chunk.sure, chunk.access, chunk.shares = set(), Access(), self.shares
            calls = self._calls(step)
            own = f"(i32.add (global.get $adj) (i32.const {number + i + 1}))"
            chunk.put(f"(if (i32.load8_u (i32.const {mark})) (then (i32.store8 (i32.const {mark}) (i32.const 0))"
                      f" (global.set $cur (i32.const {mark})) (global.set $step (i32.const {step.index}))"
                      f" (global.set $num {own})")
            if self.checked:
                chunk.put(f"(if (i32.gt_s (global.get $num) (i32.const {self.limit + 1}))"
                          f" (then (call $late (i32.const {step.index})) (return)))")
            RungLowering(self, chunk, step, {}).lower(top=True)
            if calls:
                length = self.hidden((name, i, "length"))
                added = chunk.keep(f"(i32.sub (global.get $num) {own})", "i32")
                chunk.put(f"(i32.store (i32.const {extra}) (i32.add (i32.load (i32.const {extra}))"
                          f" (i32.sub {added} (i32.load (i32.const {length})))))")
                chunk.put(f"(i32.store (i32.const {length}) {added})")
            if self.checked:
                chunk.put(f"(if (i32.gt_s (global.get $num) (i32.const {self.limit}))"
                          f" (then (call $late (i32.const {step.index})) (return)))")
            chunk.put("))")
            if calls:
                chunk.put(f"(global.set $adj (i32.add (global.get $adj) (i32.load (i32.const {self.hidden((name, i, 'length'))}))))")
            self.access[mark] = chunk.access
        self.functions.append(chunk.text())
        return name, extra

    def _calls(self, step: Step) -> bool:
        for element in step.rung.elements:
            if isinstance(element, Block):
                called = called_instance(element, step.instance, self.running)
                if called is not None and called.pou is not None:
                    return True
        return False

    def _program(self, name: str, program: Instance, steps: list[Step], segments: list[Segment], number: int) -> str:
        fault = f"(if (i32.load (i32.const {at.FAULT})) (then (return)))"
        lines = [f"(func {name} (local $pc i32) (loop $again"]
        for segment in segments:
            lines.append(f"(if (i32.le_s (local.get $pc) (i32.const {segment.first})) (then")
            for chunk, mark, count, extra in segment.chunks:
                words = [f"(i64.load (i32.const {mark + 8 * w}))" for w in range(at.aligned(count) // 8)]
                test = words[0]
                for word in words[1:]:
                    test = f"(i64.or {test} {word})"
                skip = f" (else (global.set $adj (i32.add (global.get $adj) (i32.load (i32.const {extra})))))" if extra else ""
                lines.append(f"(if (i64.ne {test} (i64.const 0)) (then (call {chunk}) {fault}){skip})")
            lines.append(self._limit_check(steps, segment, number))
            lines += self._leave(program, steps[segment.end - 1], segment, number, len(steps))
            lines.append("))")
        lines.append("))\n")
        self.functions.append("\n".join(lines))
        return name

    def _limit_check(self, steps: list[Step], segment: Segment, number: int) -> str:
        if not self.checked:
            return ""
        done = f"(i32.add (global.get $adj) (i32.const {number + segment.end}))"
        first = steps[segment.first].index
        over = f"(i32.sub (i32.sub (i32.const {self.limit}) (global.get $adj)) (i32.const {number + segment.first}))"
        return (f"(if (i32.gt_s {done} (i32.const {self.limit})) (then (global.set $num {done})"
                f" (call $late (i32.add (i32.const {first}) {over})) (return)))")

    def _leave(self, program: Instance, step: Step, segment: Segment, number: int, count: int) -> list[str]:
        """Jumps and returns of a segment's last rung, in the order of evaluation: the first taken one counts."""
        lines = []
        targets = program.pou.body.targets if program.pou is not None and isinstance(program.pou.body, LadderBody) else {}
        index = segment.end - 1
        for element in evaluation_order(step.rung):
            if not isinstance(element, (Jump, Return)):
                continue
            mark = self.steps.flags[step.index, element.id]
            taken = f"(i32.load (i32.const {at.CELLS + 8 * mark.number}))"
            target = targets.get(element.label.lower()) if isinstance(element, Jump) else count + 1
            if target is None:
                continue
            shift = index + 1 - (target - 1)
            lines.append(f"(if {taken} (then (global.set $adj (i32.add (global.get $adj) (i32.const {shift})))"
                         f" (local.set $pc (i32.const {target - 1})) (br $again)))")
        return lines

    # bodies called

    def body(self, called: Instance, bound: dict[str, Bound]) -> Called:
        """The function for a block's or function's body, with its in-out variables bound."""
        key = (id(called), tuple(sorted((k, str(v)) for k, v in bound.items())))
        if key in self.called:
            return self.called[key]
        name = f"$b{len(self.called)}"
        entry = Called(name, Access())
        self.called[key] = entry
        function = Function(name, self.running.tags, self.running.public)
        function.shares = self.shares
        is_function = called.name.lower() in self.running.functions and called.pou is not None
        if is_function:
            function.put(f"(global.set $deep (i32.add (global.get $deep) (i32.const 1)))"
                         f"(if (i32.gt_s (global.get $deep) (i32.const 100)) (then (call $fail (i32.const {at.DEPTH}) (i32.const 0)"
                         " (i32.const -1) (i64.const 0) (i64.const 0)) (return)))")
        for variable in called.pou.variables if called.pou is not None else ():
            ref = called.scope.get(variable.name.lower())
            if variable.kind is VariableKind.TEMP and ref is not None:
                self.reset(ref, function)
        steps = self.steps.of(called)
        jumps = any(isinstance(e, (Jump, Return)) for s in steps for e in s.rung.elements)
        if jumps:
            function.locals["$pc"] = "i32"
            function.put("(local.set $pc (i32.const 0)) (loop $again")
            function.depth += 1
        for i, step in enumerate(steps):
            function.fresh()
            if jumps:
                function.put(f"(if (i32.le_s (local.get $pc) (i32.const {i})) (then")
            function.put(f"(global.set $num (i32.add (global.get $num) (i32.const 1))) (global.set $step (i32.const {step.index}))")
            leaves = RungLowering(self, function, step, bound).lower(top=False)
            if self.checked:
                function.put(f"(if (i32.gt_s (global.get $num) (i32.const {self.limit})) (then (call $late (i32.const {step.index})) (return)))")
            for taken, target in leaves:
                function.put(f"(if {taken} (then (local.set $pc (i32.const {target})) (br $again)))")
            if jumps:
                function.put("))")
        if jumps:
            function.put(")")
            function.depth -= 1
        if is_function:
            function.put("(global.set $deep (i32.sub (global.get $deep) (i32.const 1)))")
        entry.access.add(function.access)
        self.functions.append(function.text())
        return entry

    def reset(self, ref: Ref, function: Function) -> None:
        """Begin a variable anew with its declared value."""
        if isinstance(ref, Leaf):
            tag = self.running.tags[ref.tag]
            if ref.tag < self.running.public:
                function.access.write({ref.tag})
                function.put(f"(call $put (i32.const {ref.tag}) (i64.const {tag.initial}))")
            else:
                function.put(f"(i64.store (i32.const {function.cell(ref.tag)}) (i64.const {tag.initial}))")
        elif isinstance(ref, Aggregate):
            for part in (*ref.items, *ref.fields.values()):
                self.reset(part, function)

    def rails(self, instance: Instance) -> frozenset[int]:
        """Ids of the left rails of an instance's body."""
        body = instance.pou.body if instance.pou is not None else None
        if not isinstance(body, LadderBody):
            return frozenset()
        found = self._rails.get(id(body))
        if found is None:
            found = self._rails[id(body)] = frozenset(e.id for e in body.elements if isinstance(e, LeftRail))
        return found


def _observed(running: Running, steps: Steps) -> set[int]:
    """The timers' ET tags that something reads: they are kept up in every scan while the timer runs."""
    from whorlograph.engine.uses import uses_of_step
    from whorlograph.model.ladder import wires_of

    found: set[int] = set()
    for step in steps.all:
        blocks = {e.id: e for e in step.rung.elements if isinstance(e, Block)}
        for element in step.rung.elements:
            for wire in wires_of(element):
                block = blocks.get(wire.source)
                if block is not None and wire.pin.upper() == "ET":
                    called = called_instance(block, step.instance, running)
                    ref = called.scope.get("et") if called is not None else None
                    if isinstance(ref, Leaf):
                        found.add(ref.tag)
        found |= {u.tag for u in uses_of_step(step, running) if not u.writes and running.tags[u.tag].computed}
    return found
