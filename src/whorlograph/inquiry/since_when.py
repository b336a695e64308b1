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
from .symptoms import Course, course
from .trail import Root

if TYPE_CHECKING:
    from .tracer import Tracer

LIKE = 20  # last changes of a tag that has to take on an input's value
_COMPARE = {code: getattr(operator, code.lower()) for code in COMPARISONS}
_PASSES = ("GT", "GE", "LT", "LE")
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


class Limit(Struct, frozen=True):
    """A comparison of a number with a literal, or with another tag (``other``), from the number's side; ``words``: how its step puts it."""

    code: str
    number: int | float
    words: str
    other: int | None = None


def limit_of(tracer: Tracer, compared: Op, seen: Seen, words: str) -> tuple[int, Limit] | None:
    """The tag that is compared and with what, of a comparison with a limit that a number goes above or below; None of another."""
    found = _with_literal(tracer, compared, seen)
    if found is not None:
        return (found[0], Limit(found[1], found[2], words)) if found[1] in _PASSES else None
    cells = [seen.result.cells.get(one.at) for one in map(tracer.circuit(seen.step).plain, compared.args) if isinstance(one, Load)]
    if tracer.now is not None or compared.code not in _PASSES or len(cells) != 2 or cells[0] is None or cells[1] is None:
        return None
    return cells[0].number, Limit(compared.code, 0, words, cells[1].number)


def course_of(tracer: Tracer, tag: int, limit: Limit) -> Course:
    """Whether a number was on its side of a limit, scan by scan."""
    one, other = course(tracer.journal, tag), course(tracer.journal, limit.other) if limit.other is not None else None
    scans = one.scans if other is None else np.union1d(one.scans, other.scans)
    values = _numbers(np.append(one.first, one.at_all(scans)), tracer.tag(tag).type)
    limits = _numbers(np.append(other.first, other.at_all(scans)), tracer.tag(limit.other).type) if other is not None and limit.other is not None \
        else limit.number
    so = np.asarray(_COMPARE[limit.code](values, limits)) if values is not None and limits is not None else np.zeros(1, np.bool_)
    turned = np.flatnonzero(so[1:] != so[:-1])
    return Course(int(so[0]), scans[turned], so[turned + 1].astype(np.int64))


def side(tracer: Tracer, compared: Op, seen: Seen, held: bool) -> Side | None:
    """Since when a comparison has been as it is; None where that cannot be told.

    Told of an input that nothing else writes, compared with a literal: its values are those of the log.
    """
    found = _with_literal(tracer, compared, seen)
    return _side(tracer, *found, seen.scan, held) if found is not None and _measured(tracer, found[0]) else None


def _with_literal(tracer: Tracer, compared: Op, seen: Seen) -> tuple[int, str, int | float] | None:
    """The tag that a comparison looks at, how, and the literal that it is compared with; None of another."""
    circuit = tracer.circuit(seen.step)
    sides = [circuit.plain(arg) for arg in compared.args]
    if tracer.now is not None or compared.code not in COMPARISONS or len(sides) != 2:
        return None
    code, (one, other) = compared.code, sides
    if isinstance(one, Const):
        code, one, other = MIRRORED[code], other, one
    if not isinstance(one, Load) or not isinstance(other, Const) or isinstance(other.value, (bool, str)) or one.at not in seen.result.cells:
        return None
    return seen.result.cells[one.at].number, code, other.value


def side_behind(tracer: Tracer, compared: Op, seen: Seen, held: bool, tag: int) -> Side | None:
    """Since when the input that a comparison reads through tags that take its value on has been as it is.

    Its limit is a literal, or what a tag held then; None where the input is not what is compared, changed or delayed on the way.
    """
    circuit, result = tracer.circuit(seen.step), seen.result
    sides = [circuit.plain(arg) for arg in compared.args]
    if tracer.now is not None or compared.code not in COMPARISONS or len(sides) != 2 or not _measured(tracer, tag):
        return None
    first, second = sides
    for code, one, other in ((compared.code, first, second), (MIRRORED[compared.code], second, first)):
        if not isinstance(one, Load) or one.at not in result.cells or not _takes_on(tracer, result.cells[one.at].number, tag, seen.scan):
            continue
        limit = other.value if isinstance(other, Const) else result.values.get(other.at) if isinstance(other, Load) else None
        if isinstance(limit, (int, float)) and not isinstance(limit, bool):
            return _side(tracer, tag, code, limit, seen.scan, held)
    return None


def _measured(tracer: Tracer, tag: int) -> bool:
    """Whether nothing but the log gives an input its value."""
    address = tracer.tag(tag).address if tag < len(tracer.running.tags) and not tracer.writers.get(tag) else None
    return address is not None and address.area == "I"


def _takes_on(tracer: Tracer, copy: int, tag: int, scan: int) -> bool:
    """Whether a tag is an input, or has had its values at its last changes, in the same scan or the one before."""
    if copy == tag:
        return True
    if tracer.tag(copy).type.name != tracer.tag(tag).type.name:
        return False
    mine, theirs = course(tracer.journal, copy), course(tracer.journal, tag)
    changes = [s for s in mine.scans.tolist() if s <= scan][-LIKE:]
    return bool(changes) and all(mine.at(s) in (theirs.at(s), theirs.at(s - 1)) for s in changes)


def _side(tracer: Tracer, tag: int, code: str, limit: int | float, scan: int, held: bool) -> Side | None:
    """Since when a comparison of an input with a limit has been as it is in a scan; None where its values there say otherwise."""
    key = tag, code, limit
    if _numbers(np.zeros(0, np.int64), tracer.tag(tag).type) is None:
        return None
    if key not in tracer.turns:
        tracer.turns[key] = _turns(tracer, *key)
    scans, so = tracer.turns[key]
    at = int(np.searchsorted(scans, scan, side="right"))
    first = bool(so[at - 1]) if at > 0 else not so[0] if len(so) else held
    if first != held:
        return None
    since = tracer.time(int(scans[at - 1])) if at > 0 else 0
    until = tracer.time(int(scans[at])) if at < len(scans) else None
    return Side(tag, code if held else NEGATED[code], limit, since if since > 0 else None, until)


def tell(tracer: Tracer, root: Root, side: Side) -> None:
    """Let a root say on which side of its limit a measured value has been, where it has had more than one value there."""
    if root.since is None or root.kind is not RootKind.FIELD_INPUT or tracer.boolean(side.tag):
        return
    if side.since is not None and side.since < root.since:
        root.crossed = side.since
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
    whole = type_.family in (Family.SIGNED, Family.UNSIGNED, Family.TIME, Family.DATE)
    return raws if whole and (type_.bits < 64 or type_.family is not Family.UNSIGNED) else None
