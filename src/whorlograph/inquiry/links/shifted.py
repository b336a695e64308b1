"""Bits that are shifted through a word: which write brought a bit last, though it may have left it as it was."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const, Load, Op
from whorlograph.engine.scope.widening import SHIFTS

from ..writers import Writer
from .latest import latest

if TYPE_CHECKING:
    from ..tracer import Tracer, Vantage


def shift_of(tracer: Tracer, writer: Writer) -> tuple[Op, Load, int] | None:
    """A shift or rotation by a fixed number of places that a write computes: it, the word and the places; None where it is none."""
    circuit = tracer.circuit(writer.step)
    made = circuit.plain(writer.value)
    if not isinstance(made, Op) or made.code not in SHIFTS:
        return None
    word, places = (circuit.plain(one) for one in made.args)
    if not isinstance(word, Load) or not isinstance(places, Const) or not isinstance(places.value, int):
        return None
    return made, word, places.value


def brought(tracer: Tracer, tag: int, view: Vantage, bit: int) -> tuple[Writer, int] | None:
    """The write that gave a bit of a word last before a view, and its scan; None where nothing shifts the word, or that is not known."""
    writers = [w for w in tracer.writers.get(tag, ()) if w.bit < 0 or w.bit == bit]
    if not any(shift_of(tracer, w) is not None for w in writers if w.bit < 0):
        return None
    return latest(tracer, tag, writers, view)
