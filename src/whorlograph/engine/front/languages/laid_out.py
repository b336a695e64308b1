"""Which loops are laid out: FOR over a few passes whose number the text tells, so that in each of them everything is known by its name.

``FOR i := 1 TO 3 DO K[i] := P[i].Cmd; END_FOR`` becomes what it does: K[1] := P[1].Cmd and so on, each pass still a step of its own. So each
element of an array has the writers that it has, and no more.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterable

from whorlograph.engine.calls import every
from whorlograph.engine.code import Action, Base, Call, Const, Copy, Expr, Op, Spot, Target
from whorlograph.engine.front.builder import widened
from whorlograph.engine.nodes import may_write
from whorlograph.engine.scope.chosen_calls import made_of
from whorlograph.engine.scope.text_parts import inner
from whorlograph.model.limits import MOST_LAID_OUT
from whorlograph.model.text import Case, Choose, Constant, Expression, For, Leave, Statement, Unary, Until, While
from whorlograph.model.types import ELEMENTARY, Elementary

_TESTS: dict[str, Callable[[int, int], bool]] = {
    "EQ": operator.eq, "NE": operator.ne, "LT": operator.lt, "LE": operator.le, "GT": operator.gt, "GE": operator.ge}
_SUMS: dict[str, Callable[[int, int], int]] = {
    "ADD": operator.add, "SUB": operator.sub, "MUL": operator.mul, "DIV": lambda a, b: _quotient(a, b), "MOD": lambda a, b: a - b * _quotient(a, b)}


Number = Callable[[Expression], int | None]  # a number that the text tells; None where it is computed


def passes_of(one: For, type_: Elementary, number: Number) -> list[int]:
    """What a loop's variable is in each pass, and last what it is left with; [] where its text does not tell, or no pass is made.

    Args: type_: that of the variable.
    """
    numbers = _range(one, number)
    if not numbers or len(numbers) > MOST_LAID_OUT or one.variable.steps or not type_.whole:
        return []
    found = [*numbers, numbers[-1] + numbers.step]
    last, by = number(one.last), numbers.step
    return found if last is not None and all(type_.low <= n <= type_.high for n in (numbers[0], last, by, found[-1])) else []


def _range(one: For, number: Number) -> range:
    """What a loop's variable is in its passes; empty where its text does not tell."""
    first, last, by = number(one.first), number(one.last), number(one.by) if one.by is not None else 1
    return range(first, last + (1 if by > 0 else -1), by) if first is not None and last is not None and by else range(0)


def size_of(one: Statement | Expression, number: Number) -> int:
    """How many parts something has when it is laid out."""
    if isinstance(one, Case) and made_of(one) is not None:
        return 2 + size_of(one.other[0], number)  # one of its branches
    parts = 1 + sum(size_of(p, number) for p in inner(one))
    return parts * max(1, len(_range(one, number))) if isinstance(one, For) else parts


def leaving(one: Statement) -> str:
    """EXIT or CONTINUE, where a statement is ``IF ... THEN ...; EXIT; END_IF;``; "" for others."""
    branch = one.branches[0] if isinstance(one, Choose) and len(one.branches) == 1 and not one.other else None
    last = branch.statements[-1] if branch is not None and branch.statements else None
    return last.kind if isinstance(last, Leave) and last.kind != "RETURN" else ""


def leaves_only_so(statements: tuple[Statement, ...]) -> bool:
    """Whether a pass is left by such statements alone, directly within it, and no EXIT stands behind a CONTINUE: what comes behind the pass would
    have to stand twice."""
    kinds = [kind for one in statements if (kind := leaving(one))]
    if "CONTINUE" in kinds and "EXIT" in kinds[kinds.index("CONTINUE"):]:
        return False
    for one in statements:
        inside = one.branches[0].statements[:-1] if isinstance(one, Choose) and leaving(one) else (one,)
        if any(_may_leave(part) for part in inside):
            return False
    return True


def _may_leave(one: Statement | Expression, looped: bool = False) -> bool:
    """Whether a statement may leave the pass it stands in, or the whole step; what leaves a loop within it stays there."""
    if isinstance(one, Leave):
        return one.kind == "RETURN" or not looped
    return any(_may_leave(part, looped or isinstance(one, (For, While, Until))) for part in inner(one))


def writes(actions: Iterable[Action], target: Target) -> bool:
    """Whether actions may write a variable that lies alone in a cell."""
    return any(_hands(one, target) if isinstance(one, Call) else _covers(one, target) if isinstance(one, Copy) else may_write(one, target)
               for one in every(actions))


def folded(one: Op) -> Expr:
    """An operation on numbers that are known, as what it gives; others, and what its type does not hold, as they are."""
    values = [a.value for a in one.args if isinstance(a, Const) and isinstance(a.value, int) and not isinstance(a.value, bool)]
    if len(values) != 2 or len(one.args) != 2:
        return one
    if one.code in _TESTS:
        return Const(_TESTS[one.code](*values), "BOOL", one.at)
    type_ = ELEMENTARY[one.type]
    if one.code in _SUMS and type_.whole and (values[1] or one.code not in ("DIV", "MOD")):
        found = _SUMS[one.code](*values)
        return Const(found, one.type, one.at) if type_.low <= found <= type_.high else one
    return one


def as_number(value: Expr, type_: Elementary, at: int) -> Expr:
    """A value widened to a type; a number as such."""
    if isinstance(value, Const) and isinstance(value.value, int) and not isinstance(value.value, bool) and type_.whole:
        return Const(value.value, type_.name, value.at)
    return widened(value, type_, at)


def _quotient(a: int, b: int) -> int:
    return abs(a) // abs(b) * (1 if (a < 0) == (b < 0) else -1)


def _hands(call: Call, target: Target) -> bool:
    if target.base == Base.GLOBAL:
        return True
    return any(not isinstance(r, Spot) and r is not None and (r.base, r.cell) == (target.base, target.cell) for r in call.refs)


def _covers(copy: Copy, target: Target) -> bool:
    into = copy.target
    return into.base == target.base and (bool(into.terms) or into.cell <= target.cell < into.cell + copy.cells)


def written_number(one: Expression) -> int | None:
    """A number as it is written; None for anything else."""
    if isinstance(one, Unary) and one.code == "NEG":
        found = written_number(one.value)
        return -found if found is not None else None
    return one.value if isinstance(one, Constant) and isinstance(one.value, int) and not isinstance(one.value, bool) else None
