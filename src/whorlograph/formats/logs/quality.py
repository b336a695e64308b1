"""What a recorder itself says of a row: its quality. A value of bad quality is none of the device's, and its row is set aside.

Words, status codes of OPC UA (IEC 62541-4, 7.39: the highest bit is set where a value is bad), and the scheme of 0 to 255 that several recorders
write (192 and more good, under 64 bad).
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable

from whorlograph.model.shown import visible

NAMES = ("quality", "quality code", "quality_code", "qualitycode", "status code", "status_code", "statuscode", "qualität", "qualitaet", "qualité",
         "calidad")
_GOOD = ("good", "gut", "ok", "valid", "uncertain", "bon", "buena")
_BAD = ("bad", "schlecht", "invalid", "not valid", "mauvais", "mala")
_HIGHEST, _UNCERTAIN, _WHOLE = 1 << 31, 1 << 30, 1 << 32

IsBad = Callable[[str], bool]


def quality_column(header: list[str], others: Collection[int | None]) -> int | None:
    """The column of a long table that tells the quality of its rows. Args: others: columns that are something else."""
    return next((i for i, name in enumerate(header) if i not in others and name.strip().lower() in NAMES), None)


def bad_by(samples: Iterable[str]) -> IsBad | None:
    """How a cell tells that its row's value is bad; None where some of the cells are not understood."""
    known = {text.strip() for text in samples} - {""}
    if all(_word(text) is not None for text in known):
        return lambda text: _word(text) is True
    numbers = {_number(text) for text in known}
    found = [n for n in numbers if n is not None]
    if len(found) < len(numbers):
        return None
    if max(found) >= _UNCERTAIN or not any(found):
        return lambda text: bool((_number(text) or 0) & _HIGHEST)
    if 192 <= max(found) < 256:
        return lambda text: (number := _number(text)) is not None and number < 64
    return None


def bad_text(tag: str, cell: str) -> str:
    """Why a row is set aside, in words."""
    return f"the recorder calls this value of {visible(tag.strip())[:60]} bad ({visible(cell.strip())[:40]})"


def _word(text: str) -> bool | None:
    """Whether a word says bad; None of what is none that is known."""
    word = text.strip().lower()
    return True if word.startswith(_BAD) else False if word.startswith(_GOOD) else None


def _number(text: str) -> int | None:
    """A code, decimal or hexadecimal."""
    try:
        number = int(text, 16) if text.strip().lower().startswith("0x") else int(text)
    except ValueError:
        return None
    return number % _WHOLE if -_HIGHEST <= number < _WHOLE else None
