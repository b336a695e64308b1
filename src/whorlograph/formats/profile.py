"""Profiles in TOML: every key known, every value checked."""

from __future__ import annotations

import difflib
import tomllib
from enum import StrEnum
from pathlib import Path
from typing import Any, TypeVar

from whorlograph.formats.encodings import decoded
from whorlograph.model.errors import ProfileError
from whorlograph.model.literals import duration
from whorlograph.model.profile import Addressing, Overflow, Profile, Start
from whorlograph.model.shown import visible

_TOP = ("scan_time", "rung_time", "watchdog", "on_overflow", "start", "external", "addressing", "mismatch_after", "system",
        "task", "log", "iolist")
_SYSTEM = ("first_scan", "scan_duration", "longest_scan", "blink")
SHORTEST_BLINK = 1_000_000  # ns; a blinking tag has a row for each half period of the whole log
_IOLIST = ("tag", "address", "device", "location", "terminal", "wiring", "description", "drawing", "no", "nc")
_LOG = ("time", "tag", "value", "skip", "true", "false")
Kind = TypeVar("Kind", bound=StrEnum)


class _Checked:
    """Takes values out of a table, naming the file and the key when one is wrong."""

    def __init__(self, file: str, table: dict[str, Any]) -> None:
        self.file = file
        self.table = table

    def wrong(self, key: str, what: str, remedy: str) -> ProfileError:
        return ProfileError(self.file, f"{key}: {what}", remedy)

    def known(self, table: dict[str, Any], keys: tuple[str, ...], where: str = "") -> None:
        for key in table:
            if key not in keys:
                near = difflib.get_close_matches(key, keys, 1, 0.4)
                remedy = f"did you mean {where}{near[0]}?" if near else f"known keys are {', '.join(keys)}"
                raise ProfileError(self.file, f"unknown key {where}{key}", remedy)

    def time(self, key: str, default: int | None, above_zero: bool = False) -> int | None:
        value = self.table.get(key)
        if value is None:
            return default
        try:
            ns = duration(value)
        except (ValueError, AttributeError, TypeError):
            raise self.wrong(key, f"{str(value)[:40]!r} is no duration", 'write it like "10ms"') from None
        if ns >= 1 << 62:
            raise self.wrong(key, f"{value!r} is too long", "write less than a hundred years")
        if ns < 0 or (above_zero and ns == 0):
            raise self.wrong(key, f"{value!r} is too small", 'write it like "10ms"')
        return ns

    def one_of(self, key: str, kind: type[Kind], default: Kind) -> Kind:
        value = self.table.get(key, default)
        try:
            return kind(value)
        except ValueError:
            choices = ", ".join(f'"{k}"' for k in kind)
            raise self.wrong(key, f"{value!r} is not known", f"write one of {choices}") from None

    def text(self, table: dict[str, Any], key: str) -> str:
        value = table.get(key, "")
        if not isinstance(value, str):
            raise self.wrong(key, f"{value!r} is no text", 'write it in quotes')
        return value

    def count(self, table: dict[str, Any], key: str) -> int:
        value = table.get(key, 0)
        if not isinstance(value, int) or isinstance(value, bool) or value < 0:
            raise self.wrong(key, f"{value!r} is no count of lines", "write it like 5")
        return value

    def words(self, table: dict[str, Any], key: str) -> tuple[str, ...]:
        value = table.get(key, [])
        if not isinstance(value, list) or not all(isinstance(w, str) for w in value):
            raise self.wrong(key, f"{value!r} is no list of words", 'write it like ["made"]')
        return tuple(value)

    def sub(self, key: str, keys: tuple[str, ...]) -> dict[str, Any]:
        table = self.table.get(key, {})
        if not isinstance(table, dict):
            raise self.wrong(key, "is no table", f"write it as [{key}]")
        self.known(table, keys, f"{key}.")
        return table


def _shown(value: Any) -> Any:
    """Keys and texts as they may be shown; names of tags are looked for in that form."""
    if isinstance(value, dict):
        return {visible(k): _shown(v) for k, v in value.items()}
    if isinstance(value, list):
        return [_shown(v) for v in value]
    return visible(value) if isinstance(value, str) else value


def profile_table(path: Path) -> dict[str, Any]:
    """What a profile says, as it stands there. Raises: OSError, ValueError."""
    return tomllib.loads(decoded(path.read_bytes())[0].replace("\r\n", "\n"))


def read_profile(path: Path | None) -> Profile:
    """Read a profile; the defaults where there is no file.

    Raises: ProfileError for a missing file, text that is no TOML, an unknown key or an impossible value.
    """
    if path is None:
        return Profile()
    try:
        table = profile_table(path)
    except OSError as error:
        raise ProfileError(str(path), f"cannot be opened ({error.strerror or error})", "check the name and the rights") from error
    except RecursionError as error:
        raise ProfileError(str(path), "its brackets are nested too deep", "no setting needs more than two") from error
    except ValueError as error:
        why = error if isinstance(error, tomllib.TOMLDecodeError) else "a number in it has too many digits"
        raise ProfileError(str(path), f"not a TOML file ({why})", 'write lines like scan_time = "10ms"') from error
    table = _shown(table)
    check = _Checked(str(path), table)
    check.known(table, _TOP)
    external = table.get("external", [])
    if not isinstance(external, list) or not all(isinstance(t, str) for t in external):
        raise check.wrong("external", "is no list of tags", 'write it like ["Count_Set"]')
    system, log, points = check.sub("system", _SYSTEM), check.sub("log", _LOG), check.sub("iolist", _IOLIST)
    blink = []
    blinking, tasks = system.get("blink", {}), table.get("task", {})
    if not isinstance(blinking, dict):
        raise check.wrong("system.blink", "is no table", 'write it like blink.Flash = "100ms"')
    if not isinstance(tasks, dict):
        raise check.wrong("task", "is no table", "write it as [task.NAME]")
    for tag, period in blinking.items():
        half = _Checked(str(path), {f"system.blink.{tag}": period}).time(f"system.blink.{tag}", None, above_zero=True)
        if half is not None and half < SHORTEST_BLINK:
            raise check.wrong(f"system.blink.{tag}", f"{period!r} is too short", 'write at least "1ms"')
        blink.append((tag, half or 0))
    falling = []
    for task, settings in tasks.items():
        if not isinstance(settings, dict):
            raise check.wrong(f"task.{task}", "is no table", f"write it as [task.{task}]")
        check.known(settings, ("edge",), f"task.{task}.")
        if settings.get("edge", "rising") not in ("rising", "falling"):
            raise check.wrong(f"task.{task}.edge", f"{settings['edge']!r} is not known", 'write "rising" or "falling"')
        if settings.get("edge") == "falling":
            falling.append(task)
    return Profile(
        check.time("scan_time", None, above_zero=True), check.time("rung_time", 0) or 0,
        check.time("watchdog", 200_000_000, above_zero=True) or 0, check.one_of("on_overflow", Overflow, Overflow.HALT),
        check.one_of("start", Start, Start.COLD), tuple(external), check.one_of("addressing", Addressing, Addressing.BYTE),
        check.text(system, "first_scan"), check.text(system, "scan_duration"), check.text(system, "longest_scan"),
        tuple(blink), tuple(falling), check.time("mismatch_after", None), check.text(log, "time"), check.text(log, "tag"),
        check.text(log, "value"), check.count(log, "skip"), check.words(log, "true"), check.words(log, "false"),
        {name: check.text(points, name) for name in _IOLIST[:-2] if name in points}, check.words(points, "no"), check.words(points, "nc"),
        {k: str(v) for k, v in table.items() if not isinstance(v, dict)})
