"""The limits that files are held to, each with its reason; what goes beyond is said (docs/limits.md)."""

from __future__ import annotations

MOST_NUMBER = 400  # characters of a number: no type holds more, and Python itself refuses 4300
MOST_NAME = 4_000  # characters of a name in a body: what is longer is damage, not a name
LONG_GAP = 86_400_000_000_000  # ns without a row that are worth a word: a shift or a night is none
