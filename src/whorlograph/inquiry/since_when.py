"""Since when a comparison of a measured value with a literal has been as it is: the value itself is never still."""

from __future__ import annotations

import operator
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.engine.code import Const, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.scope.widening import COMPARISONS
from whorlograph.model.literals import said_value
from whorlograph.model.log import Ints
from whorlograph.model.question import RootKind
from whorlograph.model.types import Elementary, Family

from .circuit import MIRRORED, NEGATED
from .symptoms import course
from .trail import Root

if TYPE_CHECKING:
    from .tracer import Tracer

_COMPARE = {code: getattr(operator, code.lower()) for code in COMPARISONS}
_SIDES = {"GT": "above {}", "GE": "at {} or above", "LT": "below {}", "LE": "at {} or below", "EQ": "at {}", "NE": "off {}"}


class Side(Struct, frozen=True):
    """That a comparison of an input (``tag``) with a limit has been as it is: from one instant (ns; None: the log's start) to another (None: on)."""

    tag: int
    code: str
    limit: int | float
    since: int | None
    until: int | None

    def words(self, tracer: Tracer) -> str:
        """On which side of its limit the value is."""
        return _SIDES[self.code].format(said_value(self.limit, tracer.tag(self.tag).type))


def side(tracer: Tracer, compared: Op, seen: Seen, held: bool) -> Side | None:
    """Since when a comparison has been as it is; None where that cannot be told.

    Told of an input that nothing else writes, compared with a literal: its values are those of the log.
    """
    circuit = tracer.circuit(seen.step)
    sides = [circuit.plain(arg) for arg in compared.args]
    if tracer.now is not None or compared.code not in COMPARISONS or len(sides) != 2:
        return None
    code, (one, other) = compared.code, sides
    if isinstance(one, Const):
        code, one, other = MIRRORED[code], other, one
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
    first = bool(so[at - 1]) if at > 0 else not so[0] if len(so) else held
    if first != held:
        return None
    since = tracer.time(int(scans[at - 1])) if at > 0 else 0
    until = tracer.time(int(scans[at])) if at < len(scans) else None
    return Side(tag, code if held else NEGATED[code], other.value, since if since > 0 else None, until)


def tell(tracer: Tracer, root: Root, side: Side) -> None:
    """Let a root say on which side of its limit a measured value has been, where it has had more than one value there."""
    if root.since is None or root.kind is not RootKind.FIELD_INPUT or tracer.boolean(side.tag):
        return
    here, asked = tracer.stretches(side.tag).at(root.since), tracer.asked or root.since
    until = min(side.until, asked) if side.until is not None else asked
    if here is None or not ((side.since or 0) < here.start or (here.ended and here.start + here.length < until)):
        return
    name, words = tracer.name(side.tag), side.words(tracer)
    begun = tracer.at(side.since) if side.since is not None else "the log's start"
    if side.until is not None and side.until <= asked:
        read = tracer.state_word(root.value, side.tag)
        root.text = f"{name} was {words} from {begun} to {tracer.at(side.until)}; it read {read} at {tracer.at(root.since)}"
        return
    value = tracer.value(side.tag, tracer.journal.settled(side.tag, tracer.journal.clock.scan_at(asked)))
    root.text = f"{name} {words} {'since' if side.since is not None else 'from'} {begun}; it reads {tracer.state_word(value, side.tag)} now"


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
