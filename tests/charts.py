"""Random sequential charts, and an oracle that shares nothing with the product: sets of active steps, and times since they became so."""

from __future__ import annotations

from random import Random

from msgspec import Struct, field

INPUTS = ("I0", "I1", "I2", "I3")
TIMED = ("L", "D", "SD", "DS", "SL")
SCAN = 10  # ms


class Leads(Struct):
    """A transition: it fires where its input has a value (or its first step has been active longer than ``longer`` ms)."""

    sources: list[str]
    targets: list[str]
    name: str
    wanted: bool
    longer: int = 0
    way: int = 0  # how the condition is written: 0 as an expression, else as an instruction list of one of four kinds

    def condition(self) -> str:
        """As text, with what stands before it."""
        load = f"LD {self.sources[0]}.T\nGT T#{self.longer}ms" if self.longer else f"{'LD' if self.wanted else 'LDN'} {self.name}"
        lists = ["", load, f"LD TRUE\nAND(\n{load}\n)", f"{load}\nNOT\nST Seen\nLDN Seen", f"{load}\nCAL Held(IN := I0, PT := T#50ms)\nOR FALSE"]
        return f": {lists[self.way]}\n" if self.way else f":= {self.expression()};"

    def expression(self) -> str:
        """In Structured Text."""
        if self.longer:
            return f"{self.sources[0]}.T > T#{self.longer}ms"
        return self.name if self.wanted else f"NOT {self.name}"


class Does(Struct):
    """A step's hold on an action."""

    step: str
    action: str
    qualifier: str
    time: int = 0


class Chart(Struct):
    """A chart: its steps (the first is initial), transitions, and what the steps do."""

    steps: list[str]
    leads: list[Leads] = field(default_factory=list)
    does: list[Does] = field(default_factory=list)

    def text(self) -> str:
        """The file: actions Y0 and Y1 are Boolean variables, Z0 and Z1 count their runs, and those with the flag on."""
        out = ["PROGRAM Main", "VAR I0 AT %IX0.0 : BOOL; I1 AT %IX0.1 : BOOL; I2 AT %IX0.2 : BOOL; I3 AT %IX0.3 : BOOL;",
               "Y0 AT %QX0.0 : BOOL; Y1 AT %QX0.1 : BOOL; N0, N1, M0, M1 : DINT; Seen : BOOL; Held : TON; END_VAR"]
        for n, step in enumerate(self.steps):
            given = " ".join(f"{d.action}({d.qualifier}{f', T#{d.time}ms' if d.time else ''});" for d in self.does if d.step == step)
            out.append(f"{'STEP' if n else 'INITIAL_STEP'} {step}: {given} END_STEP")
        for one in self.leads:
            out.append(f"TRANSITION FROM {_listed(one.sources)} TO {_listed(one.targets)} {one.condition()} END_TRANSITION")
        out += [f"ACTION Z{n}: N{n} := N{n} + 1; IF Z{n}.Q THEN M{n} := M{n} + 1; END_IF; END_ACTION"
                for n in range(2) if any(d.action == f"Z{n}" for d in self.does)]
        return "\n".join([*out, "END_PROGRAM", ""])


def _listed(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"({', '.join(names)})"


def random_chart(random: Random) -> Chart:
    """Alternatives, branches that run together and meet again, jumps back; all qualifiers."""
    chart = Chart([f"S{n}" for n in range(random.randint(2, 7))])
    for n, step in enumerate(chart.steps):
        for _ in range(random.choice([1, 1, 1, 2, 3])):
            chart.leads.append(_lead(random, [step], [chart.steps[(n + 1) % len(chart.steps)] if random.random() < 0.6 else random.choice(chart.steps)]))
    if len(chart.steps) >= 4 and random.random() < 0.6:
        first, left, right, last = chart.steps[0], chart.steps[1], chart.steps[2], chart.steps[3]
        chart.leads.insert(random.randrange(len(chart.leads)), _lead(random, [first], [left, right]))
        chart.leads.insert(random.randrange(len(chart.leads)), _lead(random, [left, right], [last]))
    for action in ("Y0", "Y1", "Z0", "Z1"):
        kinds = random.choice([["N"], ["N", "L"], ["S", "R"], ["D"], ["P"], ["P1", "P0"], ["SD", "R"], ["DS", "R"], ["SL", "R"], ["N", "S", "R", "D", "L"]])
        used: dict[str, int] = {}
        for kind in kinds:
            for step in random.sample(chart.steps, random.randint(1, min(2, len(chart.steps)))):
                used.setdefault(kind, random.choice([20, 30, 70, 100, 155]) if kind in TIMED else 0)
                chart.does.append(Does(step, action, kind, used[kind]))
    random.shuffle(chart.does)
    chart.does.sort(key=lambda d: chart.steps.index(d.step))
    return chart


def _lead(random: Random, sources: list[str], targets: list[str]) -> Leads:
    longer = random.choice([30, 55, 100]) if random.random() < 0.25 else 0
    return Leads(sources, targets, random.choice(INPUTS), random.random() < 0.7, longer, random.choice((0, 0, 0, 1, 2, 3, 4)))


class _State(Struct):
    """An action: which of its memories are on, and since when (ms); -1: not."""

    active: bool = False
    stored: bool = False
    limited: int = -1
    delayed: int = -1
    delayed_stored: int = -1
    pulse: bool = False
    ended: bool = False
    sd: int = -1
    sl: int = -1
    ds: bool = False


class Oracle:
    """Evaluates a chart, scan by scan."""

    def __init__(self, chart: Chart) -> None:
        self.chart = chart
        self.since: dict[str, int] = {chart.steps[0]: 0}
        self.states = {a: _State() for a in dict.fromkeys(d.action for d in chart.does)}
        self.values: dict[str, int] = dict.fromkeys(("Y0", "Y1", "N0", "N1", "M0", "M1"), 0)

    def scan(self, now: int, inputs: dict[str, int]) -> dict[str, int]:
        """One evaluation at a time (ms); the values behind it."""
        taken: set[str] = set()
        fired = []
        for one in self.chart.leads:
            if all(s in self.since for s in one.sources) and not taken & set(one.sources):
                holds = now - self.since[one.sources[0]] > one.longer if one.longer else bool(inputs[one.name]) == one.wanted
                if holds:
                    fired.append(one)
                    taken |= set(one.sources)
        for one in fired:
            for step in one.sources:
                self.since.pop(step, None)
        for one in fired:
            for step in one.targets:
                self.since[step] = now
        for action, state in sorted(self.states.items(), key=lambda s: s[0][0] != "Z"):
            self._run(action, state, now)
        return {**self.values, **{f"{s}.X": int(s in self.since) for s in self.chart.steps}}

    def _run(self, action: str, state: _State, now: int) -> None:
        given = [d for d in self.chart.does if d.action == action]

        def pin(*kinds: str) -> bool:
            return any(d.step in self.since for d in given if d.qualifier in kinds)

        def time(kind: str) -> int:
            return next((d.time for d in given if d.qualifier == kind), 0)

        reset = pin("R")
        state.stored = not reset and (pin("S") or state.stored)
        state.limited = -1 if not pin("L") else state.limited if state.limited >= 0 else now
        state.delayed = -1 if not pin("D") else state.delayed if state.delayed >= 0 else now
        rises = pin("P", "P1") and not state.pulse
        falls = state.ended and not pin("P0")
        state.pulse, state.ended = pin("P", "P1"), pin("P0")
        state.sd = -1 if reset else state.sd if state.sd >= 0 else now if pin("SD") else -1
        state.sl = -1 if reset else state.sl if state.sl >= 0 else now if pin("SL") else -1
        state.delayed_stored = -1 if not pin("DS") else state.delayed_stored if state.delayed_stored >= 0 else now
        state.ds = not reset and (state.ds or (state.delayed_stored >= 0 and now - state.delayed_stored >= time("DS")))
        on = pin("N") or state.stored or (state.limited >= 0 and now - state.limited < time("L")) or \
            (state.delayed >= 0 and now - state.delayed >= time("D")) or rises or falls or (state.sd >= 0 and now - state.sd >= time("SD")) or \
            state.ds or (state.sl >= 0 and now - state.sl < time("SL"))
        on = on and not reset
        if on or state.active:
            if action.startswith("Y"):
                self.values[action] = int(on)
            else:
                self.values[f"N{action[1]}"] += 1
                self.values[f"M{action[1]}"] += on
        state.active = on
