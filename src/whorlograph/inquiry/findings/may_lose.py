"""A conversion that can lose value."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.engine.code import Convert, Expr, Load, Op
from whorlograph.model.types import ELEMENTARY

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Numbers brought into a type that cannot hold all of them, without a comparison that keeps them within."""
    for tag, writers in facts.written():
        for writer in writers:
            if writer.kind is not Kind.VALUE or writer.value is None:
                continue
            lost = _narrowed(facts, writer.step, writer.value)
            if lost is not None and not facts.guarded(writer, lost[2]):
                source, target, _ = lost
                yield facts.finding("may-lose", writer, tag, f"{facts.place(writer.step)} brings {source} into {target}",
                                    "larger values are cut, or stop the controller, as the profile says", 2)


def _narrowed(facts: Facts, step: int, value: Expr) -> tuple[str, str, list[int]] | None:
    """(type from, type to, the tags read) of a conversion to a smaller whole type; None where there is none."""
    circuit = facts.tracer.circuit(step)
    made: Expr | None = circuit.made(value)
    while made is not None:
        if isinstance(made, Convert):
            inner = circuit.made(made.value)
            source = ELEMENTARY.get(getattr(inner, "type", ""))
            target = ELEMENTARY.get(made.type)
            if made.rule in ("TO", "TRUNC") and source is not None and target is not None and target.whole and not (
                    source.whole and target.low <= source.low and source.high <= target.high):
                read = [facts.load_tag(step, x) for x in circuit.loads(inner) if isinstance(x, Load)]
                return source.name, target.name, [t for t in read if t is not None]
            made = inner
        elif isinstance(made, Op) and made.args:
            made = circuit.made(made.args[0])
        else:
            return None
    return None
