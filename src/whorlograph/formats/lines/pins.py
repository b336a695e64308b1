"""Through which pins power goes in and out of a block, where nothing else is said."""

from __future__ import annotations

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.types import BOOL

COMPARISONS = {"EQ": "=", "NE": "<>", "LT": "<", "LE": "<=", "GT": ">", "GE": ">="}


def power_of(type_name: str) -> tuple[str, str]:
    """(pin in, pin out): of a standard block its first of type BOOL, of a comparison EN and OUT, else EN and ENO."""
    upper = type_name.upper()
    if upper in STANDARD_BLOCKS:
        inputs, outputs = STANDARD_BLOCKS[upper]
        return next(n for n, t in inputs if t is BOOL), next(n for n, t in outputs if t is BOOL)
    return ("EN", "OUT") if upper in COMPARISONS else ("EN", "ENO")
