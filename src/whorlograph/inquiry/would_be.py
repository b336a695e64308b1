"""What a write that is not executed would give, if its condition held, with what its step reads now."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const, Convert, Expr, Load, Op, Value
from whorlograph.engine.evaluate.operations import NoValue, converted, operation
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.literals import cooked, single
from whorlograph.model.types import ELEMENTARY

from .writers import Kind, Writer

if TYPE_CHECKING:
    from .tracer import Tracer


def would_give(tracer: Tracer, writer: Writer, scan: int) -> Value | None:
    """The value that a write would give its tag in its step's last evaluation up to a scan.

    None where it was executed, where it depends on more than fixed tags and literals, and where a computed subscript says which tag that is.
    """
    ran = tracer.paths.last_run(tracer.journal, writer.step, scan)
    if writer.kind is not Kind.VALUE or writer.guard is None or writer.value is None or ran <= 0:
        return None
    seen = tracer.seen(writer.step, ran)
    target = getattr(tracer.written.nodes(writer.step).get(writer.at, (None, ()))[0], "target", None)
    if writer.at in seen.result.stored or target is None or target.terms:
        return None
    try:
        return _value(tracer, writer.value, seen)
    except (NoValue, ZeroDivisionError, OverflowError, RecursionError):
        return None


def _value(tracer: Tracer, one: Expr, seen: Seen) -> Value:
    """A value with what was read at the step's beginning. Raises: NoValue where that is not known."""
    circuit, mode = tracer.circuit(seen.step), tracer.controller.profile.on_overflow
    made = circuit.made(one)
    if isinstance(made, Const):
        return single(float(made.value)) if made.type == "REAL" else made.value
    if isinstance(made, Load) and not made.target.terms:
        cell = tracer.cell(made, seen)
        if cell is None or tracer.running.tags[cell.number].computed or any(w.step == seen.step for w in tracer.writers.get(cell.number, ())):
            raise NoValue  # what the step itself gives is not known before
        bits = tracer.journal.value_at(cell.number, seen.position)
        return bool(bits >> cell.bit & 1) if cell.bit >= 0 else cooked(bits, ELEMENTARY[made.target.type])
    if isinstance(made, Op):
        of = made.type if made.code in ("SEL", "MUX", "TEXT_WHOLE", "TEXT_REAL") else made.args[0].type
        return operation(made.code, [_value(tracer, arg, seen) for arg in made.args], ELEMENTARY[of], mode)
    if isinstance(made, Convert):
        return converted(made, _value(tracer, made.value, seen), ELEMENTARY[made.value.type], ELEMENTARY[made.type], mode)
    raise NoValue
