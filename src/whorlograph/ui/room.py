"""How much a screen of a size shows: decided here and nowhere else."""

from __future__ import annotations

from textual.geometry import Size

WIDE = 120  # columns from which the strands stand side by side
LOW = 34  # lines below which a list needs them all


def is_wide(size: Size) -> bool:
    """Whether rungs and trail stand side by side."""
    return size.width >= WIDE


def is_tiny(size: Size) -> bool:
    """Whether a screen holds one strand only."""
    return size.width < 60 or size.height < 16


def is_low(size: Size) -> bool:
    """Whether a list leaves no room for a rung below it."""
    return size.height < LOW
