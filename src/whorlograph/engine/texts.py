"""Operations of the code on texts (IEC 61131-3:2013, 6.6.2.5.11); the front makes MID, INSERT, DELETE and REPLACE of them."""

from __future__ import annotations

from whorlograph.model.literals import number_in, text_for
from whorlograph.model.types import ELEMENTARY, Elementary

OPERATIONS = ("TEXT_CONCAT", "TEXT_LEFT", "TEXT_RIGHT", "TEXT_TAIL", "TEXT_LEN", "TEXT_FIND", "TEXT_ORDER", "TEXT_CUT", "TEXT_OF", "TEXT_WHOLE",
              "TEXT_REAL")
TYPES = tuple(ELEMENTARY)
Value = bool | int | float | str


def text_operation(code: str, a: Value, b: Value, type_: Elementary) -> Value:
    """One operation.

    Args: type_: of ``TEXT_OF`` that of the value, of ``TEXT_WHOLE`` that of the number which the text is read as.
    Returns: a text; a number for ``TEXT_LEN``, ``TEXT_FIND`` (from 1, 0: nowhere), ``TEXT_ORDER`` (-1, 0, 1), ``TEXT_WHOLE``, ``TEXT_REAL``.
    """
    if code == "TEXT_OF":
        return text_for(a, type_)
    one = str(a)
    if code == "TEXT_CONCAT":
        return one + str(b)
    if code == "TEXT_LEN":
        return len(one)
    if code == "TEXT_FIND":
        return one.find(str(b)) + 1 if b != "" else 0
    if code == "TEXT_ORDER":
        return (one > str(b)) - (one < str(b))
    if code in ("TEXT_WHOLE", "TEXT_REAL"):
        found = number_in(one, type_)
        return float(found) if code == "TEXT_REAL" else max(-(1 << 63), min((1 << 63) - 1, int(found)))
    count = max(0, int(b))
    if code == "TEXT_RIGHT":
        return one[len(one) - count:] if count < len(one) else one
    return one[count:] if code == "TEXT_TAIL" else one[:count]
