"""Data types of IEC 61131-3:2013, 6.4: elementary ones, and those that a program declares."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct


class Family(StrEnum):
    """Which values a type holds, and so how it is computed with."""

    BOOL = "bool"
    SIGNED = "signed"
    UNSIGNED = "unsigned"
    BITS = "bits"
    REAL = "real"
    TIME = "time"
    DATE = "date"
    STRING = "string"


class Elementary(Struct, frozen=True, tag=True):
    """An elementary type. ``bits`` is its width; times and dates are 64-bit nanoseconds."""

    name: str
    family: Family
    bits: int

    @property
    def low(self) -> int:
        """The smallest value of an integer, bit string or time."""
        return -(1 << (self.bits - 1)) if self.family in (Family.SIGNED, Family.TIME, Family.DATE) else 0

    @property
    def high(self) -> int:
        """The largest value of an integer, bit string or time."""
        signed = self.family in (Family.SIGNED, Family.TIME, Family.DATE)
        return (1 << (self.bits - 1)) - 1 if signed else (1 << self.bits) - 1

    @property
    def whole(self) -> bool:
        """Whether values are whole numbers (BOOL, REAL and strings are not)."""
        return self.family not in (Family.BOOL, Family.REAL, Family.STRING)

    @property
    def of_bits(self) -> bool:
        """Whether its bits can be named, joined and moved: bit strings and integers."""
        return self.family in (Family.BITS, Family.SIGNED, Family.UNSIGNED)

    @property
    def decides(self) -> bool:
        """Whether a value of it can be a condition, choose, or count."""
        return self.of_bits or self.family is Family.BOOL

    def has_bit(self, number: int) -> bool:
        """Whether a variable of it has a bit of that number."""
        return self.of_bits and number < self.bits


def _table() -> dict[str, Elementary]:
    rows = [
        ("BOOL", Family.BOOL, 1), ("BYTE", Family.BITS, 8), ("WORD", Family.BITS, 16),
        ("DWORD", Family.BITS, 32), ("LWORD", Family.BITS, 64),
        ("SINT", Family.SIGNED, 8), ("INT", Family.SIGNED, 16), ("DINT", Family.SIGNED, 32),
        ("LINT", Family.SIGNED, 64), ("USINT", Family.UNSIGNED, 8), ("UINT", Family.UNSIGNED, 16),
        ("UDINT", Family.UNSIGNED, 32), ("ULINT", Family.UNSIGNED, 64),
        ("REAL", Family.REAL, 32), ("LREAL", Family.REAL, 64),
        ("TIME", Family.TIME, 64), ("LTIME", Family.TIME, 64),
        ("DATE", Family.DATE, 64), ("LDATE", Family.DATE, 64),
        ("TIME_OF_DAY", Family.DATE, 64), ("LTOD", Family.DATE, 64),
        ("DATE_AND_TIME", Family.DATE, 64), ("LDT", Family.DATE, 64),
        ("STRING", Family.STRING, 0), ("WSTRING", Family.STRING, 0),
        ("CHAR", Family.STRING, 0), ("WCHAR", Family.STRING, 0),
    ]
    table = {name: Elementary(name, family, bits) for name, family, bits in rows}
    table["TOD"] = table["TIME_OF_DAY"]
    table["DT"] = table["DATE_AND_TIME"]
    return table


ELEMENTARY = _table()
BOOL = ELEMENTARY["BOOL"]
INT = ELEMENTARY["INT"]
DINT = ELEMENTARY["DINT"]
LINT = ELEMENTARY["LINT"]
REAL = ELEMENTARY["REAL"]
LREAL = ELEMENTARY["LREAL"]
TIME = ELEMENTARY["TIME"]


class Named(Struct, frozen=True, tag=True):
    """A type called by its name: a data type, a function block or a standard block."""

    name: str


UNBOUND = (1 << 62, -(1 << 62))  # of a subscript of ``ARRAY[*]`` (IEC 61131-3:2013, 6.5.3)


class ArrayOf(Struct, frozen=True, tag=True):
    """An array; ``bounds`` holds (lowest, highest) of each subscript, the last varies fastest; ``UNBOUND`` where what is handed over tells them."""

    bounds: tuple[tuple[int, int], ...]
    base: TypeRef


class Field(Struct, frozen=True):
    """One member of a structure."""

    name: str
    type: TypeRef
    initial: Initial | None = None


class Structure(Struct, frozen=True, tag=True):
    """A structure with its members in order."""

    fields: tuple[Field, ...]


class Enumeration(Struct, frozen=True, tag=True):
    """An enumeration; values count from 0 unless the declaration gives them."""

    values: tuple[tuple[str, int], ...]


class Subrange(Struct, frozen=True, tag=True):
    """An integer type with narrower limits."""

    base: Elementary
    low: int
    high: int


TypeRef = Elementary | Named | ArrayOf | Structure | Enumeration | Subrange


class Simple(Struct, frozen=True, tag=True):
    """An initial value as written."""

    text: str


class ListOf(Struct, frozen=True, tag=True):
    """Initial values of an array in order, each with how often it is repeated."""

    items: tuple[tuple[int, Initial | None], ...]


class Members(Struct, frozen=True, tag=True):
    """Initial values of a structure by member name."""

    items: tuple[tuple[str, Initial], ...]


Initial = Simple | ListOf | Members
