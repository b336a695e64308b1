"""What a text that is not executed can be seen to write."""

from __future__ import annotations

import re

_GIVEN = re.compile(r"([^\W\d][\w.]*)(?:\[[^\]]*\])?\s*:=")
_STORED = re.compile(r"^[ \t]*(?:\w+[ \t]*:[ \t]*)?(?:STN?|S|R)[ \t]+([^\W\d][\w.]*)", re.MULTILINE | re.IGNORECASE)


def assigned_names(text: str, language: str) -> tuple[str, ...]:
    """The names left of ``:=``, of an instruction list those behind ST, S and R; each once."""
    pattern = _STORED if language == "IL" else _GIVEN
    return tuple(dict.fromkeys(m.group(1) for m in pattern.finditer(text)))
