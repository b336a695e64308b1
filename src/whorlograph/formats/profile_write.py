"""Profiles written as TOML, as far as profiles go: texts, numbers, lists of texts, tables."""

from __future__ import annotations

import json
import re
from typing import Any

_BARE = re.compile(r"[A-Za-z0-9_-]+")


def profile_text(table: dict[str, Any]) -> str:
    """The text of a profile: single values first, then its tables."""
    lines = [f"{_key(k)} = {_value(v)}" for k, v in table.items() if not isinstance(v, dict)]
    for name, inner in table.items():
        if isinstance(inner, dict):
            lines += _table([name], inner)
    return "\n".join(lines) + "\n"


def _table(path: list[str], table: dict[str, Any]) -> list[str]:
    lines = ["", f"[{'.'.join(map(_key, path))}]"]
    lines += [f"{_key(k)} = {_value(v)}" for k, v in table.items() if not isinstance(v, dict)]
    for name, inner in table.items():
        if isinstance(inner, dict):
            lines += _table([*path, name], inner)
    return lines


def _key(name: str) -> str:
    return name if _BARE.fullmatch(name) else json.dumps(name, ensure_ascii=False)


def _value(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, (list, tuple)):
        return "[" + ", ".join(_value(v) for v in value) + "]"
    return json.dumps(value, ensure_ascii=False) if isinstance(value, str) else str(value)
