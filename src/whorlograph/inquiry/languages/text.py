"""The words of Structured Text (IEC 61131-3:2013, 7.3)."""

from __future__ import annotations

import operator
from functools import lru_cache

from whorlograph.engine.access import How, Use
from whorlograph.engine.code import Passing
from whorlograph.engine.scope.text_parts import parts
from whorlograph.model.chart import PAST, ChartBody
from whorlograph.model.declared_types import type_at
from whorlograph.model.paths import Bit, Member
from whorlograph.model.program import Body, Pou, Program, written_name
from whorlograph.model.steps import Step, segments
from whorlograph.model.text import (
    Apply,
    Assign,
    Binary,
    Case,
    Choose,
    Constant,
    Do,
    Expression,
    For,
    Go,
    Kept,
    Leave,
    Statement,
    Sub,
    TextBody,
    Unary,
    Until,
    Var,
    While,
)
from whorlograph.model.types import Named, TypeRef
from whorlograph.model.word_parts import assigned_part, read_part

_SIGNS = {"ADD": "+", "SUB": "-", "MUL": "*", "DIV": "/", "MOD": "MOD", "EXPT": "**", "AND": "AND", "OR": "OR", "XOR": "XOR", "EQ": "=", "NE": "<>",
          "LT": "<", "LE": "<=", "GT": ">", "GE": ">="}
_SUMS = {"ADD": operator.add, "SUB": operator.sub, "MUL": operator.mul}  # of what is known in a pass
_NAMES = {"Choose": "IF", "Case": "CASE", "For": "FOR", "While": "WHILE", "Until": "REPEAT"}


def written_out(one: Expression, deep: int = 0, passing: Passing = ()) -> str:
    """An expression as it could be written. Args: passing: what variables are, of loops that are laid out."""
    if isinstance(one, Constant):
        return one.text
    if isinstance(one, Var):
        base = written_name(one.base)
        number = next((n for name, n in reversed(passing) if name.lower() == one.base.lower()), None) if not one.steps else None
        text = base if number is None else str(number)
        for step in one.steps:
            if isinstance(step, Sub):
                text += f"[{', '.join(written_out(v, 0, passing) for v in step.values)}]"
            else:
                text += f".{step.name}" if isinstance(step, Member) else f".{step.number}" if isinstance(step, Bit) else ""
        return text
    if isinstance(one, Unary):
        return f"{'-' if one.code == 'NEG' else 'NOT '}{written_out(one.value, 1, passing)}"
    if isinstance(one, Binary):
        left, right = written_out(one.left, 1, passing), written_out(one.right, 1, passing)
        if passing and one.code in _SUMS and left.isdecimal() and right.isdecimal():
            return str(_SUMS[one.code](int(left), int(right)))
        text = f"{left} {_SIGNS.get(one.code, one.code)} {right}"
        return f"({text})" if deep else text
    if isinstance(one, Kept):
        return written_out(one.value, deep, passing)
    part = read_part(one)
    if part is not None:
        return f"{written_out(part[0], 1, passing)}.{part[1]}"
    given = ", ".join(written_out(a.value, 0, passing) for a in one.arguments if a.value is not None)
    return f"{written_out(one.called, 0, passing)}({given})"


def _assignment(one: Assign, passing: Passing) -> str:
    """An assignment as it could be written, also to a part of a word."""
    target = written_out(one.target, 0, passing)
    part = assigned_part(one)
    if part is not None:
        return f"{target}.{part[0]} := {_short(written_out(part[1], 0, passing))}"
    return f"{target} := {_short(written_out(one.value, 0, passing))}"


class Text:
    """Names of what a statement is made of."""

    def role(self, step: Step, use: Use) -> str:
        """How a node uses a tag."""
        found = _node(step, use.element)
        if step.instance.pou is not None and isinstance(step.instance.pou.body, ChartBody):
            of_chart = _in_chart(step, use)
            if of_chart:
                return of_chart
        if use.how is How.SUBSCRIPT:
            return "subscript"
        if isinstance(found, Assign):
            return "assigned"
        if isinstance(found, For):
            return "counts the loop"
        if isinstance(found, Apply):
            return "block" if use.how in (How.BLOCK, How.PIN) else f"output of {written_out(found.called)}"
        return "assigned" if use.writes else f"read in {_where(step, use.element)}"

    def gate(self, step: Step, element: int, what: str, passing: Passing = ()) -> str:
        """What decides at a node; "" of an array or structure that is taken whole, where the tag itself tells it."""
        found = _node(step, element)
        if isinstance(found, Assign):
            return ""
        if isinstance(found, Case) and what.startswith("label"):
            branch, _, which = what.split()[1].partition(".")
            labels = found.branches[int(branch) - 1].labels
            labels = labels[int(which) - 1:int(which)] if which else labels
            texts = [written_out(one.low, 0, passing) + (f"..{written_out(one.high, 0, passing)}" if one.high is not None else "") for one in labels]
            return f"{written_out(found.selector, 0, passing)} = {' or '.join(texts[:3])}"
        if isinstance(found, For) and what == "past":
            return f"{written_out(found.variable, 0, passing)} past {written_out(found.last, 0, passing)}"
        if isinstance(found, Apply) and what not in ("", "OUT", "EN", "call"):
            return f"{written_out(found.called, 0, passing)}.{what}"
        if isinstance(found, Var) and what not in ("", "gate", "handed", "test"):
            call = _given_out(step, found)
            if call is not None:
                return f"{written_out(call.called, 0, passing)}.{_pin(call, found) or what}"
        if isinstance(found, (Constant, Var, Unary, Binary, Apply)):
            return _short(written_out(found, 0, passing), 60)
        return _NAMES.get(type(found).__name__, "a condition")

    def powered(self, on: bool) -> str:
        """A condition holds or not."""
        return "is TRUE" if on else "is FALSE"

    def lacking(self) -> str:
        """A condition does not hold."""
        return "its condition is FALSE"

    def giving(self) -> str:
        """A condition lets the whole hold."""
        return "would make it TRUE"

    def fell(self) -> str:
        """A condition does not open."""
        return "became FALSE"

    def off(self) -> str:
        """What is FALSE."""
        return "off"

    def wanted(self, said: str, on: bool) -> str:
        """A condition's words where it must hold, or must not."""
        return said if on else f"NOT ({said})" if " " in said else f"NOT {said}"

    def enabled(self, name: str) -> str:
        """What decides whether something is executed."""
        return f"the condition for {name}" if name else "the condition"

    def writing(self, source: str, tag: str) -> str:
        """An assignment names what it writes itself."""
        return self.enabled(source)

    def block(self, step: Step, element: int, passing: Passing = ()) -> str:
        """A block or function that is called."""
        found = _node(step, element)
        if isinstance(found, (Unary, Binary)):
            return _SIGNS.get(found.code, found.code)
        return written_out(found.called, 0, passing) if isinstance(found, Apply) else ""

    def source(self, step: Step, element: int, passing: Passing = ()) -> str:
        """The function whose result an assignment takes."""
        found = _node(step, element)
        return _assignment(found, passing) if isinstance(found, Assign) else ""

    def value(self, step: Step, element: int, passing: Passing = ()) -> str:
        """A name or literal as it is written."""
        found = _node(step, element)
        return written_out(found, 0, passing) if isinstance(found, (Constant, Var)) else ""

    def called(self, pou: Pou, program: Program) -> list[str]:
        """The functions that a body calls, and the types of the blocks, each once."""
        known = {v.name.lower(): v.type for v in (*program.chosen()[1], *pou.variables)}
        found = [_type_of(p.called, known, program) for s in _statements(pou.body) for p in parts(s) if isinstance(p, Apply)]
        return list(dict.fromkeys(found))

    def line(self, step: Step, element: int) -> int:
        """The line in which a node begins."""
        found = _node(step, element)
        return found.line if found is not None else 0

    def labels(self, body: Body) -> list[tuple[str, int]]:
        """Of an instruction list, each with the line that it stands before."""
        found = body.labels if isinstance(body, TextBody) else ()
        lines = [s.line for s in _statements(body)]
        return [(name, lines[index] if index < len(lines) else 0) for name, index in found]

    def jumps(self, body: Body) -> list[tuple[str, int]]:
        """Of an instruction list, each with its step's line."""
        return [(p.label, s.line) for s in _statements(body) for p in parts(s) if isinstance(p, Go)]

    def areas(self, body: Body) -> list[tuple[str, int, int]]:
        """There are none."""
        return []

    def explained(self, step: Step, element: int) -> str:
        """Under which word a node is explained."""
        found = _node(step, element)
        if isinstance(found, Apply):
            return found.called.base.partition("_")[0]
        return found.code if isinstance(found, (Unary, Binary)) else ""

    def words(self, step: Step) -> list[str]:
        """All that can be read in a statement."""
        found: list[str] = []
        for part in parts(step.rung.statement) if step.rung.statement is not None else ():
            if isinstance(part, Var):
                found.append(written_out(part))
            elif isinstance(part, Apply):
                found.append(written_out(part.called))
            elif isinstance(part, Constant):
                found.append(part.text)
        return found

    def condition(self, step: Step, element: int) -> str:
        """What a condition decides."""
        found = _node(step, element)
        if isinstance(found, Go):
            return f"jump condition of {found.label}" if found.label != PAST else ""  # by which a chart passes an action over
        return "return condition" if isinstance(found, Leave) and found.kind == "RETURN" else ""


def _in_chart(step: Step, use: Use) -> str:
    """How what a chart makes of itself uses a tag: its picture, a transition, the control of an action; "" in an action's own statements."""
    head = (step.source or ("",))[0]
    if head.startswith("["):
        return "step of the chart" if use.writes else "the chart goes on by it"
    if head.startswith("action "):
        return f"{'written by' if use.writes else 'lets run'} {head}"
    name, of_transition, _ = head.partition(": ")
    if not of_transition or " while " not in f" {head}":
        return ""
    return "transition" if use.writes else f"condition of {name}"


def _type_of(called: Var, known: dict[str, TypeRef], program: Program) -> str:
    """The type of the block that a name stands for; of a function its own name."""
    type_ = type_at(program, known, called.base, called.steps)
    return written_name(type_.name if isinstance(type_, Named) else called.base)


def _short(text: str, most: int = 40) -> str:
    return text if len(text) <= most else f"{text[:most - 3].rstrip()}..."


def _statements(body: Body) -> tuple[Statement, ...]:
    return tuple(s for part in segments(body) if isinstance(part, TextBody) for s in part.statements)


@lru_cache(maxsize=2000)
def _nodes(statement: Statement) -> dict[int, Statement | Expression]:
    return {p.at: p for p in parts(statement)}


def _node(step: Step, element: int) -> Statement | Expression | None:
    return _nodes(step.rung.statement).get(element) if step.rung.statement is not None else None


def _given_out(step: Step, var: Var) -> Apply | None:
    """The call that gives a variable one of its outputs."""
    statement = step.rung.statement
    calls = (p for p in parts(statement) if isinstance(p, Apply)) if statement is not None else ()
    return next((c for c in calls if any(a.output is var for a in c.arguments)), None)


def _pin(call: Apply, var: Var) -> str:
    return next((a.name for a in call.arguments if a.output is var), "")


def _where(step: Step, element: int) -> str:
    """The innermost statement that a node stands in, by its word."""
    word = "a statement"
    for part in parts(step.rung.statement) if step.rung.statement is not None else ():
        if isinstance(part, (Assign, Do, Choose, Case, For, While, Until)) and any(p.at == element for p in parts(part)):
            word = "an assignment" if isinstance(part, Assign) else "a call" if isinstance(part, Do) else _NAMES[type(part).__name__]
    return word


TEXT = Text()
