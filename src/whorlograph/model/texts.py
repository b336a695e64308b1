"""Texts as values (STRING and its kin): memory and journal keep a number for each, the same in every run on every machine."""

from __future__ import annotations

from hashlib import blake2b

MOST_LETTERS = 254  # of a STRING that is declared without a length

_TEXTS: dict[int, str] = {0: ""}


def text_id(text: str) -> int:
    """The number that a text is kept as: 63 bits of its hash; 0 the empty one. Two that share one are not to be expected."""
    if not text:
        return 0
    number = int.from_bytes(blake2b(text.encode("utf-8", "surrogatepass"), digest_size=8).digest(), "little") >> 1 or 1
    _TEXTS.setdefault(number, text)
    return number


def text_of(number: int) -> str:
    """The text that a number was made of."""
    return _TEXTS.get(number, "")


def unescaped(text: str) -> str:
    """What a literal between quotes means: ``$N``, ``$'``, ``$$``, ``$41`` (IEC 61131-3:2013, 6.3.3)."""
    if "$" not in text:
        return text
    out: list[str] = []
    at = 0
    while at < len(text):
        if text[at] != "$" or at + 1 >= len(text):
            out.append(text[at])
            at += 1
            continue
        sign = text[at + 1]
        code = text[at + 1:at + 3]
        if sign.upper() in _SIGNS:
            out.append(_SIGNS[sign.upper()])
            at += 2
        elif len(code) == 2 and all(c in "0123456789abcdefABCDEF" for c in code):
            out.append(chr(int(code, 16)))
            at += 3
        else:
            out.append(sign)
            at += 2
    return "".join(out)


_SIGNS = {"L": "\n", "N": "\n", "P": "\f", "R": "\r", "T": "\t", "$": "$", "'": "'", '"': '"'}
