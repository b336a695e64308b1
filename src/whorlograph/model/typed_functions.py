"""Functions of the standard that name the type they are computed in: ADD_INT, GT_REAL, SEL_BOOL (IEC 61131-3:2013, 6.6.1.7)."""

from __future__ import annotations

from functools import lru_cache

from .types import ELEMENTARY, Elementary, Family

_NUMBERS = (Family.SIGNED, Family.UNSIGNED, Family.REAL)
_BITS = (Family.BITS, Family.BOOL)
_ALL = (*_NUMBERS, *_BITS, Family.TIME, Family.DATE)
COMPARED = ("GT", "GE", "EQ", "LE", "LT", "NE")
# By function the families of types that it is computed in; those of times and dates that have names of their own are none of these.
_OF: dict[str, tuple[Family, ...]] = {
    **dict.fromkeys(("ADD", "SUB", "MUL", "DIV", "ABS"), _NUMBERS), "MOD": (Family.SIGNED, Family.UNSIGNED),
    **dict.fromkeys(("SQRT", "LN", "LOG", "EXP", "SIN", "COS", "TAN", "ASIN", "ACOS", "ATAN", "ATAN2", "EXPT"), (Family.REAL,)),
    **dict.fromkeys((*COMPARED, "SEL", "MAX", "MIN", "LIMIT", "MUX", "MOVE"), _ALL), **dict.fromkeys(("AND", "OR", "XOR", "NOT"), _BITS),
    **dict.fromkeys(("SHL", "SHR", "ROL", "ROR"), (Family.BITS,)),
    **dict.fromkeys(("LEN", "LEFT", "RIGHT", "MID", "CONCAT", "INSERT", "DELETE", "REPLACE", "FIND"), (Family.STRING,))}


@lru_cache(1024)
def typed(name: str) -> tuple[str, Elementary | None]:
    """A function in capitals without the type that it names, and that type; None where it names none."""
    upper = name.upper()
    base, _, suffix = upper.rpartition("_")
    type_ = ELEMENTARY.get(suffix)
    return (base, type_) if type_ is not None and type_.family in _OF.get(base, ()) else (upper, None)
