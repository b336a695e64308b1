"""Values of logged tags as raw bits."""

from __future__ import annotations

import re
from collections.abc import Callable

from whorlograph.model.limits import MOST_NUMBER
from whorlograph.model.literals import literal, raw
from whorlograph.model.shown import visible
from whorlograph.model.tags import Tag
from whorlograph.model.types import Family

_ON = {"1": 1, "0": 0, "true": 1, "false": 0, "on": 1, "off": 0, "1.0": 1, "0.0": 0, "yes": 1, "no": 0,
       "high": 1, "low": 0, "coming": 1, "going": 0,
       # German, French, Italian, Spanish, Portuguese, Dutch, Danish and Norwegian, Swedish
       "wahr": 1, "falsch": 0, "ein": 1, "aus": 0, "ja": 1, "nein": 0, "kommt": 1, "geht": 0, "vrai": 1, "faux": 0, "oui": 1, "non": 0,
       "vero": 1, "falso": 0, "sì": 1, "verdadero": 1, "sí": 1, "verdadeiro": 1, "sim": 1, "não": 0, "waar": 1, "onwaar": 0, "aan": 1, "uit": 0,
       "nee": 0, "sand": 1, "falsk": 0, "nej": 0, "nei": 0, "sant": 1, "falskt": 0}
_NUMBER = re.compile(r"([01])[.,]0*$")
_CLOCK = re.compile(r"(-?)(\d+):(\d\d):(\d\d(?:\.\d+)?)")
_LOCAL_DATE = re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})")
_PREFIX = {"DATE": "D", "LDATE": "D", "TIME_OF_DAY": "TOD", "LTOD": "TOD", "DATE_AND_TIME": "DT", "LDT": "DT"}
_TWO_MEANINGS = {"open", "opened", "closed", "close", "made", "broken"}


def value_reader(tag: Tag, true: tuple[str, ...] = (), false: tuple[str, ...] = ()) -> Callable[[str], int | None]:
    """A function from a cell's text to raw bits; it returns None for what is no value of the tag's type.

    Args: true, false: further words for a BOOL, as the profile gives them.
    """
    if tag.type.family is Family.BOOL:
        words = _ON | dict.fromkeys((w.strip().lower() for w in true), 1) | dict.fromkeys((w.strip().lower() for w in false), 0)
        return lambda text: _bool(text.strip().lower(), words)
    if tag.type.family is Family.STRING:
        return lambda text: _text(text, tag)
    if tag.type.family is Family.REAL:
        return lambda text: _real(text, tag)
    if tag.enumeration is not None:
        names = {name.lower(): number for name, number in tag.enumeration.values}
        return lambda text: names.get(text.strip().rpartition("#")[2].lower(), _whole(text, tag))
    if tag.type.family in (Family.TIME, Family.DATE):
        return lambda text: _timed(text, tag)
    return lambda text: _whole(text, tag)


def meaning(text: str) -> str:
    """What to add where a word means one thing for contacts and the other for valves: it is never guessed."""
    word = visible(text.strip())
    return f', say what it means in the profile: [log] true = ["{word}"] or false = ["{word}"]' if word.lower() in _TWO_MEANINGS else ""


def _bool(text: str, words: dict[str, int]) -> int | None:
    found = words.get(text)
    if found is None and (number := _NUMBER.match(text)) is not None:
        return int(number.group(1))
    return found


def _text(text: str, tag: Tag) -> int:
    """A text as it stands, quotes around it left out."""
    quoted = literal(text.strip()) if text.strip()[:1] == "'" else None
    value = quoted[1] if quoted is not None and isinstance(quoted[1], str) else text
    return raw(value[:tag.high], tag.type)


def _real(text: str, tag: Tag) -> int | None:
    text = text.strip()
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        return None
    if value != value or value in (float("inf"), float("-inf")):
        return None
    bits = raw(value, tag.type)
    return None if tag.type.bits == 32 and bits & 0x7F800000 == 0x7F800000 else bits


def _timed(text: str, tag: Tag) -> int | None:
    """A duration, a date or a time of day: as a literal, in nanoseconds, or as recorders write it, without what a literal begins with."""
    found = _whole(text, tag)
    body = text.strip().replace(",", ".")
    if found is not None or len(body) > MOST_NUMBER:
        return found
    if tag.type.family is Family.TIME:
        clock = _CLOCK.fullmatch(body)
        return _whole("T#{}{}h{}m{}s".format(*clock.groups()) if clock is not None else f"T#{body.replace(' ', '')}", tag)
    if (local := _LOCAL_DATE.match(body)) is not None:
        body = f"{local.group(3)}-{int(local.group(2)):02}-{int(local.group(1)):02}{body[local.end():]}"
    if tag.type.name in ("DATE", "LDATE") and re.fullmatch(r"[ T][0:.]+", body[10:]):
        body = body[:10]  # a recorder of instants writes midnight to a date
    return _whole(f"{_PREFIX[tag.type.name]}#{body}", tag)


def _whole(text: str, tag: Tag) -> int | None:
    text = text.strip()
    if len(text) > MOST_NUMBER:
        return None
    try:
        value = int(text)
    except ValueError:
        found = literal(text.replace(",", "."))
        if found is None or isinstance(found[1], str) or (isinstance(found[1], float) and not found[1].is_integer()):
            return None
        value = int(found[1])
    if not tag.type.bits or not tag.type.low <= value <= tag.type.high:
        return None
    return raw(value, tag.type)
