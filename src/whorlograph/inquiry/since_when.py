"""Since when a comparison of a measured value with a literal has been as it is: the value itself is never still."""

from __future__ import annotations

import operator
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from whorlograph.engine.code import Const, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.scope.widening import COMPARISONS
from whorlograph.model.log import Ints
from whorlograph.model.types import Elementary, Family

from .symptoms import course

if TYPE_CHECKING:
    from .tracer import Tracer

_COMPARE = {code: getattr(operator, code.lower()) for code in COMPARISONS}
_OTHER_WAY = {"GT": "LT", "GE": "LE", "LT": "GT", "LE": "GE", "EQ": "EQ", "NE": "NE"}


def held_since(tracer: Tracer, compared: Op, seen: Seen, held: bool) -> int | None:
    """The instant (ns) from which on a comparison has been as it is; None where it always was, or where that cannot be told.

    Told of an input that nothing else writes, compared with a literal: its values are those of the log.
    """
    circuit = tracer.circuit(seen.step)
    sides = [circuit.plain(arg) for arg in compared.args]
    if tracer.now is not None or compared.code not in COMPARISONS or len(sides) != 2:
        return None
    code, (one, other) = compared.code, sides
    if isinstance(one, Const):
        code, one, other = _OTHER_WAY[code], other, one
    if not isinstance(one, Load) or not isinstance(other, Const) or isinstance(other.value, (bool, str)) or one.at not in seen.result.cells:
        return None
    tag = seen.result.cells[one.at].number
    address = tracer.tag(tag).address if tag < len(tracer.running.tags) and not tracer.writers.get(tag) else None
    if address is None or address.area != "I":
        return None
    key = tag, code, other.value
    if key not in tracer.turns:
        tracer.turns[key] = _turns(tracer, *key)
    scans, so = tracer.turns[key]
    at = int(np.searchsorted(scans, seen.scan, side="right"))
    if at == 0 or bool(so[at - 1]) != held:
        return None
    since = tracer.time(int(scans[at - 1]))
    return since if since > 0 else None


def _turns(tracer: Tracer, tag: int, code: str, limit: int | float) -> tuple[Ints, NDArray[np.bool_]]:
    """The scans at which an input's comparison turned, and what it was from then on."""
    path = course(tracer.journal, tag)
    values = _numbers(np.concatenate([[path.first], path.values]), tracer.tag(tag).type)
    if values is None:
        return np.zeros(0, np.int64), np.zeros(0, np.bool_)
    so = np.asarray(_COMPARE[code](values, limit))
    turned = np.flatnonzero(so[1:] != so[:-1])
    return path.scans[turned], so[turned + 1]


def _numbers(raws: NDArray[np.int64], type_: Elementary) -> NDArray[np.int64] | NDArray[np.float32] | NDArray[np.float64] | None:
    """Values of a numeric type, from the bits that are kept of them; None of another."""
    if type_.family is Family.REAL:
        return raws.astype(np.uint32).view(np.float32) if type_.bits == 32 else raws.view(np.float64)
    whole = type_.family in (Family.SIGNED, Family.UNSIGNED, Family.TIME)
    return raws if whole and (type_.bits < 64 or type_.family is not Family.UNSIGNED) else None
