"""The standard function blocks' pins (IEC 61131-3:2013, 6.6.3.5). What they do is the engines' affair."""

from __future__ import annotations

from .types import BOOL, ELEMENTARY, INT, TIME, Elementary

Pins = tuple[tuple[str, Elementary], ...]

TIMERS = frozenset({"TON", "TOF", "TP"})
COUNTERS = frozenset({"CTU", "CTD", "CTUD"})


def _table() -> dict[str, tuple[Pins, Pins]]:
    timer: tuple[Pins, Pins] = ((("IN", BOOL), ("PT", TIME)), (("Q", BOOL), ("ET", TIME)))
    table: dict[str, tuple[Pins, Pins]] = {}
    for name in ("TON", "TOF", "TP"):
        for suffix in ("", "_TIME", "_LTIME"):
            table[name + suffix] = timer
    for suffix in ("", "_INT", "_DINT", "_LINT", "_UDINT", "_ULINT"):
        count = ELEMENTARY[suffix[1:]] if suffix else INT
        table["CTU" + suffix] = ((("CU", BOOL), ("R", BOOL), ("PV", count)), (("Q", BOOL), ("CV", count)))
        table["CTD" + suffix] = ((("CD", BOOL), ("LD", BOOL), ("PV", count)), (("Q", BOOL), ("CV", count)))
        table["CTUD" + suffix] = ((("CU", BOOL), ("CD", BOOL), ("R", BOOL), ("LD", BOOL), ("PV", count)),
                                  (("QU", BOOL), ("QD", BOOL), ("CV", count)))
    table["R_TRIG"] = table["F_TRIG"] = ((("CLK", BOOL),), (("Q", BOOL),))
    table["SR"] = ((("S1", BOOL), ("R", BOOL)), (("Q1", BOOL),))
    table["RS"] = ((("S", BOOL), ("R1", BOOL)), (("Q1", BOOL),))
    return table


STANDARD_BLOCKS = _table()


def family(type_name: str) -> str:
    """The block a variant is one of: CTU for CTU_DINT, TON for TON_LTIME."""
    upper = type_name.upper()
    return upper if upper in ("R_TRIG", "F_TRIG") else upper.partition("_")[0]
