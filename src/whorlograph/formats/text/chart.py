"""What a sequential chart does in each evaluation, as statements (IEC 61131-3:2013, 6.7; CONTROLLER.md, Sequential charts).

A step for each transition, one for their firing, one for the control of each action and those of its body. Steps, transitions and actions
become variables of the POU: ``Fill.X``, ``Fill_to_Drain``, ``Pump.Q``.
"""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.model.chart import PAST, TIMED, Association, Chart, ChartBody, control_name
from whorlograph.model.ladder import LadderBody
from whorlograph.model.paths import Member
from whorlograph.model.program import Variable, VariableKind
from whorlograph.model.text import (
    Apply,
    Argument,
    Assign,
    Binary,
    Branch,
    Choose,
    Constant,
    Do,
    Expression,
    Go,
    Keep,
    Kept,
    Statement,
    TextBody,
    Together,
    Unary,
    Var,
)
from whorlograph.model.types import ELEMENTARY, Field, Named, Simple, Structure

from .instructions import instruction_value
from .tokens import Piece, tokens
from .tree import parse_from
from .unreadable import Unreadable, together

_FOREVER = "LTIME#106751d23h47m16s854ms"
_BOOL = ELEMENTARY["BOOL"]


def _condition_tokens(text: str, line: int) -> list[Piece]:
    """A condition's tokens. Args: line: of the file on which it begins; on which column is not known."""
    pieces = tokens(text)
    for piece in pieces:
        piece.line, piece.column = piece.line + line - 1, 0
    return pieces


def chart_body(chart: Chart, variables: tuple[Variable, ...]) -> tuple[ChartBody, tuple[Variable, ...]]:
    """A chart as a body, and the variables that it needs beside those declared.

    Raises: Unreadable for a condition or duration that cannot be read, or a step that is not there.
    """
    made = _Chart(chart, {v.name.lower(): v for v in variables})
    return ChartBody(made.chart, tuple(made.segments())), tuple(made.variables)


class _Chart:
    """A chart on its way."""

    def __init__(self, chart: Chart, declared: dict[str, Variable]) -> None:
        self.declared, self.count, self.line = declared, 0, 0
        names = self._transition_names(chart)
        self.chart = replace(chart, transitions=tuple(replace(t, name=n) for t, n in zip(chart.transitions, names, strict=True)))
        self.steps = {s.name.lower(): s for s in chart.steps}
        self.variables: list[Variable] = []
        self._check()
        self.timed = self._timed()
        for step in chart.steps:
            fields = [Field("X", _BOOL, Simple("TRUE") if step.initial else None)]
            fields += [Field("Timer", Named("TON"))] if step.name.lower() in self.timed else []
            self._declare(step.name, Structure(tuple(fields)), step.line, "step")
        for one in self.chart.transitions:
            self._declare(one.name, _BOOL, one.line, f"from {' and '.join(one.sources)} to {' and '.join(one.targets)}")

    def _declare(self, name: str, type_: Structure | object, line: int, said: str) -> None:
        if name.lower() in self.declared or any(v.name.lower() == name.lower() for v in self.variables):
            raise Unreadable(line, 0, f"{name} is a {said.partition(' ')[0]} of the chart and a variable")
        self.variables.append(Variable(name, type_, VariableKind.LOCAL, documentation=said, line=line, made=True))  # type: ignore[arg-type]

    def _transition_names(self, chart: Chart) -> list[str]:
        """A name for each transition that is no variable's."""
        found: list[str] = []
        for one in chart.transitions:
            plain = one.name if one.name and one.name.lower() not in self.declared else one.plain_name
            name, n = plain, 2
            while name.lower() in {f.lower() for f in found} | self.declared.keys():
                name, n = f"{plain}_{n}", n + 1
            found.append(name)
        return found

    def _check(self) -> None:
        if not self.chart.steps:
            raise Unreadable(0, 0, "the chart has no step")
        errors: list[Unreadable] = []
        seen: set[str] = set()
        for step in self.chart.steps:
            if step.name.lower() in seen:
                errors.append(Unreadable(step.line, 0, f"two steps are called {step.name}"))
            seen.add(step.name.lower())
        for one in self.chart.transitions:
            line = one.line + bool(one.condition)  # a condition stands on the line behind
            errors += [Unreadable(line, 0, f"there is no step {name}") for name in (*one.sources, *one.targets) if name.lower() not in self.steps]
            if not one.sources:
                errors.append(Unreadable(line, 0, "a transition leads from no step"))
        for given in self.chart.associations:
            if given.qualifier in TIMED and not given.time:
                errors.append(Unreadable(given.line, 0, f"{given.action} is done with qualifier {given.qualifier}, and no time is given"))
        if errors:
            raise together(errors)

    def _timed(self) -> set[str]:
        """The steps whose elapsed time is asked for somewhere."""
        texts = [t.condition for t in self.chart.transitions] + ["\n".join(a.body.source) for a in self.chart.actions if isinstance(a.body, TextBody)]
        texts += [getattr(e, "expression", "") or getattr(e, "variable", "") for b in self._ladders() for e in b.elements]
        found: set[str] = set()
        for text in texts:
            pieces = tokens(text)
            for one, dot, two in zip(pieces, pieces[1:], pieces[2:], strict=False):
                if dot.kind == "DOT" and two.text.upper() == "T" and one.text.lower() in self.steps:
                    found.add(one.text.lower())
        return found

    def _ladders(self) -> list[LadderBody]:
        bodies = [t.diagram for t in self.chart.transitions] + [a.body for a in self.chart.actions]
        return [b for b in bodies if isinstance(b, LadderBody)]

    # trees

    def number(self) -> int:
        self.count += 1
        return self.count

    def var(self, name: str, *members: str) -> Var:
        return Var(self.number(), self.line, name, tuple(Member(m) for m in members))

    def active(self, step: str) -> Var:
        return self.var(self.steps[step.lower()].name, "X")

    def no(self, value: Expression) -> Expression:
        return Unary(self.number(), self.line, "NOT", value)

    def joined(self, code: str, values: list[Expression]) -> Expression:
        found = values[0]
        for value in values[1:]:
            found = Binary(self.number(), self.line, code, found, value)
        return found

    def constant(self, on: bool) -> Constant:
        return Constant(self.number(), self.line, "TRUE" if on else "FALSE", "BOOL", on)

    def assign(self, target: Var, value: Expression) -> Statement:
        return Assign(self.number(), self.line, target, value)

    def when(self, test: Expression, *statements: Statement, other: tuple[Statement, ...] = ()) -> Statement:
        return Choose(self.number(), self.line, (Branch(test, statements),), other)

    def call(self, called: Var, **given: Expression) -> Statement:
        return Do(self.number(), self.line, Apply(self.number(), self.line, called, tuple(Argument(n, v) for n, v in given.items())))

    def read(self, text: str, line: int) -> Expression:
        """An expression from its text."""
        pieces = _condition_tokens(text, line)
        while pieces and pieces[-1].kind == "SEMICOLON":
            pieces.pop()
        if len(pieces) > 1 and pieces[0].kind == "GIVES":
            del pieces[0]
        elif len(pieces) > 2 and pieces[1].kind == "GIVES":
            del pieces[:2]
        if not pieces:
            raise Unreadable(line, 0, "a condition is empty")
        found, self.count = parse_from(pieces, "operand", self.count)
        value: Expression = found
        return value

    def body(self, statements: list[Statement], source: list[str], line: int, labels: tuple[tuple[str, int], ...] = ()) -> TextBody:
        """A segment of one step."""
        whole = statements[0] if len(statements) == 1 and statements[0].line == line else Together(self.number(), line, tuple(statements))
        return TextBody((whole,), tuple(source), line, ("",), "ST", labels)

    # segments

    def segments(self) -> list[TextBody | LadderBody]:
        """All of them in order."""
        found: list[TextBody | LadderBody] = []
        errors: list[Unreadable] = []
        for n in range(len(self.chart.transitions)):
            try:
                found += self.transition(n)
            except Unreadable as error:
                errors.append(error)
        if errors:
            raise together(errors)
        found.append(self.firing())
        for name in dict.fromkeys(self._actions()):
            found += self.action(name)
        return found

    def transition(self, n: int) -> list[TextBody | LadderBody]:
        """Whether one fires: its steps are active, none before it takes one of them, its condition holds."""
        one = self.chart.transitions[n]
        self.line = max(1, one.line)
        earlier = [t for t in self.chart.transitions[:n] if {s.lower() for s in t.sources} & {s.lower() for s in one.sources}]
        test = self.joined("AND", [*(self.active(s) for s in one.sources), *(self.no(self.var(t.name)) for t in earlier)])
        clocks: list[Statement] = []
        for name in sorted(self.timed) if n == 0 else []:
            step = self.steps[name].name
            clocks.append(self.when(self.active(step), self.call(self.var(step, "Timer"), IN=self.constant(True), PT=self._forever())))
        if one.diagram is not None:
            source = [f"{one.name}: the diagram below, while {' and '.join(one.sources)}"]
            gate = self.body([*clocks, self.assign(self.var(one.name), self.constant(False)), Go(self.number(), self.line, self.no(test), PAST)],
                             source, self.line, ((PAST, 1 + one.diagram.count),))
            return [gate, _placed(one.diagram)]
        source = [f"{one.name}: while {' and '.join(one.sources)}, when", *one.condition.strip().splitlines()]
        before: list[Statement] = []
        if one.language == "IL":
            pieces = _condition_tokens(one.condition.strip(), self.line + 1)
            before, condition, self.count = instruction_value(pieces, self.count, one.name)
        else:
            condition = self.read(one.condition.strip(), self.line + 1)
        off = self.assign(self.var(one.name), self.constant(False))
        return [self.body([*clocks, self.when(test, *before, self.assign(self.var(one.name), condition), other=(off,))], source, self.line)]

    def _forever(self) -> Constant:
        return Constant(self.number(), self.line, _FOREVER, "LTIME", (1 << 63) - 1)

    def firing(self) -> TextBody:
        """All that fire do so together: what they leave goes off, then what they lead to goes on. Its lines are the chart."""
        first = max(1, self.chart.steps[0].line)
        source, step_lines, lead_lines = self._picture(first)
        statements: list[Statement] = []
        for n, one in enumerate(self.chart.transitions):
            self.line = lead_lines[n]
            off = [self.assign(self.active(s), self.constant(False)) for s in one.sources]
            statements.append(self.when(self.var(one.name), *off))
        for n, one in enumerate(self.chart.transitions):
            self.line = lead_lines[n]
            on: list[Statement] = []
            for name in one.targets:
                on.append(self.assign(self.active(name), self.constant(True)))
                if name.lower() in self.timed:
                    timer = self.steps[name.lower()].name
                    on.append(self.call(self.var(timer, "Timer"), IN=self.constant(False)))
                    on.append(self.call(self.var(timer, "Timer"), IN=self.constant(True), PT=self._forever()))
            statements.append(self.when(self.var(one.name), *on))
        for step in self.chart.steps:  # read last: beside each step stands whether it is active now
            self.line = step_lines[step.name.lower()]
            statements.append(Keep(self.number(), self.line, self.active(step.name), False))
        self.line = first
        return self.body(statements, source, first)

    def _picture(self, first: int) -> tuple[list[str], dict[str, int], list[int]]:
        """The chart as lines: each step with its actions, below it where its transitions lead; the line of each step and transition."""
        source: list[str] = []
        step_lines: dict[str, int] = {}
        lead_lines = [first] * len(self.chart.transitions)
        wide = max(len(s.name) for s in self.chart.steps) + 2
        for step in self.chart.steps:
            own = [a for a in self.chart.associations if a.step.lower() == step.name.lower()]
            does = [" ".join(w for w in (a.qualifier, a.action, a.time) if w) for a in own]
            step_lines[step.name.lower()] = first + len(source)
            source.append(f"[{step.name}]".ljust(wide + 2) + "  " + ", ".join(does))
            for n, one in enumerate(self.chart.transitions):
                if one.sources and one.sources[-1].lower() == step.name.lower():
                    lead_lines[n] = first + len(source)
                    beside = f"with {' and '.join(one.sources[:-1])}: " if len(one.sources) > 1 else ""
                    when = " ".join(one.condition.split()) or "as drawn"
                    source.append(f"  -> {beside}{' and '.join(one.targets)}  when {when}")
        return source, step_lines, lead_lines

    def _actions(self) -> list[str]:
        """Actions in order of declaration: those with a body, then Boolean variables."""
        named = {a.action.lower(): a.action for a in self.chart.associations}
        return [*(a.name for a in self.chart.actions if a.name.lower() in named),
                *(n for k, n in named.items() if not any(a.name.lower() == k for a in self.chart.actions))]

    def action(self, name: str) -> list[TextBody | LadderBody]:
        """The control of an action, then what it does while it is active, and once more."""
        given = [a for a in self.chart.associations if a.action.lower() == name.lower()]
        own = next((a for a in self.chart.actions if a.name.lower() == name.lower()), None)
        self.line = max(1, given[0].line)
        control = _Control(self, name if own is not None and name.lower() not in self.declared else control_name(name, self.declared), given)
        statements = control.statements()
        source = [f"action {name}", *(f"  {a.qualifier} {a.time + ' ' if a.time else ''}in {a.step}" for a in given)]
        if own is None:
            statements.append(self.when(self.var(control.name, "A"), self.assign(self.var(name), self.var(control.name, "Q"))))
            return [self.body(statements, source, self.line)]
        statements.append(Go(self.number(), self.line, self.no(self.var(control.name, "A")), PAST))
        inside = own.body if isinstance(own.body, TextBody) else _placed(own.body)
        return [self.body(statements, source, self.line, ((PAST, 1 + own.body.count),)), inside]


class _Control:
    """What decides whether an action is active: by its qualifiers, as the standard's ACTION_CONTROL."""

    def __init__(self, chart: _Chart, name: str, given: list[Association]) -> None:
        self.c, self.name, self.given = chart, name, given
        self.fields = [Field("Q", _BOOL), Field("A", _BOOL)]

    def pin(self, *qualifiers: str) -> Expression | None:
        """Whether a step with one of the qualifiers is active; None where none has it."""
        found: list[Expression] = []
        for n, one in enumerate(self.given):
            if one.qualifier in qualifiers:
                self.c.line += n + 1  # beside its line stands whether its step is active
                found.append(self.c.active(one.step))
                self.c.line -= n + 1
        return self.c.joined("OR", found) if found else None

    def part(self, name: str, type_: str = "") -> Var:
        """A part of the control, declared at the first asking."""
        if name not in [f.name for f in self.fields]:
            self.fields.append(Field(name, Named(type_) if type_ else _BOOL))
        return self.c.var(self.name, name)

    def time(self, qualifier: str) -> Expression:
        """How long, as the first association with a qualifier says."""
        one = next(a for a in self.given if a.qualifier == qualifier)
        return self.c.read(one.time, max(1, one.line))

    def statements(self) -> list[Statement]:
        """The action's flag ``Q``, and ``A``: it runs in this evaluation."""
        c = self.c
        made: list[Statement] = []
        on: list[Expression] = []
        if (n := self.pin("N")) is not None:
            on.append(n)
        if (s := self.pin("S")) is not None:
            made.append(self.hold("Stored", s))
            on.append(c.var(self.name, "Stored", "Q1"))
        if (limited := self.pin("L")) is not None:
            made.append(c.call(self.part("Limit", "TON"), IN=limited, PT=self.time("L")))
            on.append(c.joined("AND", [c.var(self.name, "Limit", "IN"), c.no(c.var(self.name, "Limit", "Q"))]))
        if (delayed := self.pin("D")) is not None:
            made.append(c.call(self.part("Delay", "TON"), IN=delayed, PT=self.time("D")))
            on.append(c.var(self.name, "Delay", "Q"))
        if (pulse := self.pin("P", "P1")) is not None:
            made.append(c.call(self.part("Pulse", "R_TRIG"), CLK=pulse))
            on.append(c.var(self.name, "Pulse", "Q"))
        if (end := self.pin("P0")) is not None:
            made.append(c.assign(self.part("Ended"), c.joined("AND", [self.part("Before"), c.no(end)])))
            made.append(c.assign(self.part("Before"), self.pin("P0") or end))
            on.append(c.var(self.name, "Ended"))
        self._stored_and_timed(made, on)
        before = Keep(c.number(), c.line, c.var(self.name, "Q"), False)
        reset = self.pin("R")
        active = c.joined("OR", on) if on else c.constant(False)
        flag = c.joined("AND", [c.no(reset), active]) if reset is not None else active
        made += [before, c.assign(c.var(self.name, "Q"), flag),
                 c.assign(c.var(self.name, "A"), c.joined("OR", [Kept(c.number(), c.line, before.value, before.at, False), c.var(self.name, "Q")]))]
        c.variables.append(Variable(self.name, Structure(tuple(self.fields)), VariableKind.LOCAL, documentation="action", line=c.line, made=True))
        return made

    def hold(self, name: str, by: Expression) -> Statement:
        """A memory that qualifier R resets."""
        reset = self.pin("R")
        return self.c.call(self.part(name, "RS"), S=by, R1=reset if reset is not None else self.c.constant(False))

    def _stored_and_timed(self, made: list[Statement], on: list[Expression]) -> None:
        c = self.c
        if (sd := self.pin("SD")) is not None:
            made.append(self.hold("Stored_delayed", sd))
            made.append(c.call(self.part("Delay_of_stored", "TON"), IN=c.var(self.name, "Stored_delayed", "Q1"), PT=self.time("SD")))
            on.append(c.var(self.name, "Delay_of_stored", "Q"))
        if (ds := self.pin("DS")) is not None:
            made.append(c.call(self.part("Delay_before", "TON"), IN=ds, PT=self.time("DS")))
            made.append(self.hold("Delayed_stored", c.var(self.name, "Delay_before", "Q")))
            on.append(c.var(self.name, "Delayed_stored", "Q1"))
        if (sl := self.pin("SL")) is not None:
            made.append(self.hold("Stored_limited", sl))
            made.append(c.call(self.part("Limit_of_stored", "TON"), IN=c.var(self.name, "Stored_limited", "Q1"), PT=self.time("SL")))
            on.append(c.joined("AND", [c.var(self.name, "Stored_limited", "Q1"), c.no(c.var(self.name, "Limit_of_stored", "Q"))]))


def _placed(body: LadderBody) -> LadderBody:
    """A diagram inside a chart: its rungs are numbered by the file's lines, as all that stands in a chart."""
    return replace(body, rungs=tuple(replace(r, number=max(1, min(e.line for e in r.elements))) for r in body.rungs))
