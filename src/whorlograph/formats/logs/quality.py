"""What a recorder itself says of a row: its quality. A value of bad quality is none of the device's, and its row is set aside.

Words, status codes of OPC UA (IEC 62541-4, 7.39: the highest bit is set where a value is bad), the scheme of 0 to 255 that several recorders
write (192 and more good, under 64 bad), and whether a value is valid.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable

from whorlograph.model.shown import visible

NAMES = ("quality", "quality code", "quality_code", "qualitycode", "status code", "status_code", "statuscode", "qualität", "qualitaet", "qualité",
         "calidad")
_VALID = ("valid", "validity", "isvalid", "is valid", "is_valid", "gültig", "gueltig", "valide", "válido")
_OR_OTHERWISE = ("status",)  # a quality where all it says is a word for one
_YES, _NO = ("true", "1", "yes", "y", "ja", "wahr", "oui", "vrai", "sí", "si"), ("false", "0", "no", "n", "nein", "falsch", "non", "faux")
_GOOD = ("good", "gut", "ok", "valid", "uncertain", "bon", "buena")
_BAD = ("bad", "schlecht", "invalid", "not valid", "mauvais", "mala")
_HIGHEST, _UNCERTAIN, _WHOLE = 1 << 31, 1 << 30, 1 << 32

IsBad = Callable[[str], bool]


def quality_column(header: list[str], others: Collection[int | None]) -> int | None:
    """The column of a long table that tells the quality of its rows. Args: others: columns that are something else."""
    names = {i: name.strip().lower() for i, name in enumerate(header) if i not in others}
    return next((i for known in ((*NAMES, *_VALID), _OR_OTHERWISE) for i, name in names.items() if name in known), None)


def is_surely_one(name: str) -> bool:
    """Whether a column of a name tells the quality, whatever it says."""
    return name.strip().lower() not in _OR_OTHERWISE


def bad_by(samples: Iterable[str], name: str) -> IsBad | None:
    """How a cell tells that its row's value is bad; None where some of the cells are not understood. Args: name: the column's."""
    known = {text.strip() for text in samples} - {""}
    if not is_surely_one(name) and not known:
        return None
    if name.strip().lower() in _VALID and all(text.lower() in (*_YES, *_NO) for text in known):
        return lambda text: text.strip().lower() in _NO
    if all(_word(text) is not None for text in known):
        return lambda text: _word(text) is True
    if not is_surely_one(name):
        return None
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
