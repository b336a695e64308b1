"""Which type an operation is computed in (IEC 61131-3:2013, 6.6.1.6 and figure 11; CONTROLLER.md, Types)."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.model.calendar import date_part, dates_made
from whorlograph.model.types import ELEMENTARY, Elementary, Family

ARITHMETIC = frozenset({"ADD", "SUB", "MUL", "DIV", "MOD", "EXPT", "ATAN2", "ABS", "NEG"})
REALS = frozenset({"SQRT", "LN", "LOG", "EXP", "SIN", "COS", "TAN", "ASIN", "ACOS", "ATAN"})
OF_TWO = frozenset({"EXPT", "ATAN2"})  # real functions of two operands
COMPARISONS = frozenset({"GT", "GE", "EQ", "LE", "LT", "NE"})
BITWISE = frozenset({"AND", "OR", "XOR", "NOT"})
SHIFTS = frozenset({"SHL", "SHR", "ROL", "ROR"})
TEXTS = frozenset({"LEN", "LEFT", "RIGHT", "MID", "CONCAT", "INSERT", "DELETE", "REPLACE", "FIND"})
DATE_SUMS = {"ADD_TOD_TIME": "TIME_OF_DAY", "ADD_DT_TIME": "DATE_AND_TIME", "SUB_DATE_DATE": "TIME", "SUB_TOD_TIME": "TIME_OF_DAY",
             "SUB_TOD_TOD": "TIME", "SUB_DT_TIME": "DATE_AND_TIME", "SUB_DT_DT": "TIME", "CONCAT_DATE_TOD": "DATE_AND_TIME",
             "ADD_LTOD_LTIME": "LTOD", "ADD_LDT_LTIME": "LDT", "SUB_LDATE_LDATE": "LTIME", "SUB_LTOD_LTIME": "LTOD", "SUB_LTOD_LTOD": "LTIME",
             "SUB_LDT_LTIME": "LDT", "SUB_LDT_LDT": "LTIME", "CONCAT_DATE_LTOD": "LDT"}  # IEC 61131-3:2013, tables 35 and 36
TIME_SUMS = frozenset({"ADD_TIME", "SUB_TIME", "ADD_LTIME", "SUB_LTIME"})
SCALED = frozenset({"MULTIME", "DIVTIME", "MUL_TIME", "DIV_TIME", "MUL_LTIME", "DIV_LTIME"})
TIMES = TIME_SUMS | SCALED
CHECKS = frozenset({"IS_VALID", "IS_VALID_BCD"})
ORDERS_OF_BYTES = frozenset({"TO_BIG_ENDIAN", "TO_LITTLE_ENDIAN", "FROM_BIG_ENDIAN", "FROM_LITTLE_ENDIAN"})
NUMBER_PINS = frozenset("GKNLP")  # what chooses, or how many: no operands of the operation's type
SELECTIONS = frozenset({"SEL", "MAX", "MIN", "LIMIT", "MUX", "MOVE"})

_SIGNED_RANK = {"SINT": 1, "INT": 2, "DINT": 3, "LINT": 4}
_UNSIGNED_RANK = {"USINT": 1, "UINT": 2, "UDINT": 3, "ULINT": 4}
_BITS_RANK = {"BOOL": 0, "BYTE": 1, "WORD": 2, "DWORD": 3, "LWORD": 4}
_NUMBER_OF = {"BYTE": ELEMENTARY["USINT"], "WORD": ELEMENTARY["UINT"], "DWORD": ELEMENTARY["UDINT"], "LWORD": ELEMENTARY["ULINT"]}
_SIGNED = [ELEMENTARY[n] for n in ("SINT", "INT", "DINT", "LINT")]


def widen(a: Elementary, b: Elementary) -> Elementary:
    """The type that two operands of different types are both widened to.

    An unsigned operand beside a signed one goes to the signed type that holds both; small integers go to
    REAL, DINT and wider to LREAL; bit strings to the wider one.
    """
    if a == b:
        return a
    if a.family is Family.STRING and b.family is Family.STRING:
        return ELEMENTARY["WSTRING" if "WSTRING" in (a.name, b.name) else "STRING"]
    if Family.REAL in (a.family, b.family):
        other = b if a.family is Family.REAL else a
        real = a if a.family is Family.REAL else b
        if other.family is Family.REAL:
            return a if a.bits >= b.bits else b
        return ELEMENTARY["LREAL"] if other.bits > 16 else real
    if a.family is b.family:
        return a if a.bits >= b.bits else b
    families = {a.family, b.family}
    if families == {Family.SIGNED, Family.UNSIGNED}:
        signed, unsigned = (a, b) if a.family is Family.SIGNED else (b, a)
        if signed.bits > unsigned.bits:
            return signed
        return next((t for t in _SIGNED if t.bits > unsigned.bits), ELEMENTARY["LINT"])
    if Family.TIME in families:
        return a if a.family is Family.TIME else b
    if Family.DATE in families:
        return a if a.family is Family.DATE else b
    return a if a.bits >= b.bits else b


def common(types: list[Elementary | None], target: Elementary | None) -> Elementary:
    """The type of operands, None for untyped literals: of the others, else of the target, else DINT."""
    known = [t for t in types if t is not None]
    if not known:
        return target if target is not None else ELEMENTARY["DINT"]
    found = known[0]
    for type_ in known[1:]:
        found = widen(found, type_)
    return found


def wanted(name: str, target: Elementary | None) -> Elementary | None:
    """The type that literals take of where a result goes, None where that says nothing: what joins, shifts or turns bits is computed of bits."""
    return None if target is not None and name in BITWISE | SHIFTS | ORDERS_OF_BYTES and not target.decides else target


def beside_signs(name: str, kinds: list[Elementary | None]) -> list[Elementary | None]:
    """The types of operands where bits are compared with, or chosen beside, numbers with a sign: as the unsigned numbers that they hold."""
    if name not in COMPARISONS | SELECTIONS or not any(k is not None and k.family is Family.SIGNED for k in kinds):
        return kinds
    return [_NUMBER_OF.get(k.name, k) if k is not None else None for k in kinds]


def dated(name: str, kinds: list[Elementary | None]) -> tuple[Elementary, Elementary] | None:
    """(computed in, result) of functions on dates and times of day; None for others (IEC 61131-3:2013, 6.6.2.5.13)."""
    if name == "DAY_OF_WEEK":
        return kinds[0] or ELEMENTARY["DATE"], ELEMENTARY["INT"]
    made = dates_made(name)
    if made is not None:
        return ELEMENTARY["LINT"], ELEMENTARY[made[0]]
    if date_part(name) is not None:
        return kinds[0] or ELEMENTARY["DATE_AND_TIME"], ELEMENTARY["INT"]
    if name in DATE_SUMS:
        return ELEMENTARY[DATE_SUMS[name]], ELEMENTARY[DATE_SUMS[name]]
    dates = [k for k in kinds if k is not None and k.family is Family.DATE]
    if name not in ("ADD", "SUB") or not dates:
        return None
    found = ELEMENTARY["TIME"] if name == "SUB" and len(dates) == 2 else dates[0]
    return found, found


class Bcd(Struct, frozen=True):
    """A conversion of numbers in binary coded decimal. ``reads``: digits to a number, else the other way; their types, where they are named."""

    reads: bool
    bits: Elementary | None
    number: Elementary | None


def bcd(name: str) -> Bcd | None:
    """The conversion that WORD_BCD_TO_UINT, BCD_TO_UINT, UINT_TO_BCD_WORD or TO_BCD_WORD means (table 24); None where a name is none."""
    left, middle, right = name.upper().rpartition("TO_")
    left = left.rstrip("_")
    reads, digits, number = (True, left.removesuffix("BCD").rstrip("_"), right) if left.endswith("BCD") else (False, right[4:], left)
    if not middle or not (reads or right.startswith("BCD_")):
        return None
    bits, whole = ELEMENTARY.get(digits), ELEMENTARY.get(number)
    right_bits = bits is not None and bits.family is Family.BITS and bits.bits >= 8
    right_number = whole is not None and whole.family in (Family.SIGNED, Family.UNSIGNED)
    if not (right_bits or (reads and not digits)) or not (right_number or (not reads and not number)):
        return None
    return Bcd(reads, bits, whole)


def converted_from(named: Elementary | None, own: Elementary | None, target: Elementary) -> Elementary | None:
    """The type that a conversion function takes its operand as: the one it names, but a whole number as what it is, unless its bits are asked for.

    Args: named: in the function's name, None for TO_INT and the like; own: the operand's, None of an untyped literal.
    """
    if named is None or own is None or not (named.whole and own.whole) or Family.BOOL in (named.family, own.family):
        return named or own
    carries = named.family is Family.BITS is not own.family
    return named if carries and target.of_bits else own


def conversion(name: str) -> tuple[Elementary | None, Elementary] | None:
    """(from, to) of a conversion function: INT_TO_REAL, TO_INT, TRUNC_INT; None where the name is none."""
    upper = name.upper()
    coded = bcd(upper) if "BCD" in upper else None
    if coded is not None and coded.reads and coded.number is not None:
        return coded.bits, coded.number
    if coded is not None and coded.bits is not None:
        return coded.number, coded.bits
    left, middle, right = upper.rpartition("_TO_")
    if middle and left in ELEMENTARY and right in ELEMENTARY:
        return ELEMENTARY[left], ELEMENTARY[right]
    for prefix in ("TO_",):
        if upper.startswith(prefix) and upper[len(prefix):] in ELEMENTARY:
            return None, ELEMENTARY[upper[len(prefix):]]
    return None
