"""Text from files as it may be shown: what a terminal, a picture or a table would obey stands there as an escape that can be seen."""

from __future__ import annotations

import re

# Control characters of both sets, line and paragraph separators, marks of direction, what has no width, noncharacters, lone surrogates.
_OBEYED = re.compile("[\x00-\x1f\x7f-\x9f\xad\u061c\u115f\u1160\u17b4\u17b5\u180b-\u180f\u200b-\u200f\u2028-\u202f\u2060-\u206f\u3164\ufe00-\ufe0f"
                     "\ufeff\uffa0\ufff0-\ufffb\ufffe\uffff\ud800-\udfff\U000e0000-\U000e0fff]")
_FORMULA = "=+-@\t\r"


def visible(text: str) -> str:
    """One line of text with nothing in it that would be obeyed: ESC as ``\\x1b``, a mark of direction as ``\\u202e``."""
    return text if text.isascii() and text.isprintable() else _OBEYED.sub(_escape, text)


def visible_lines(text: str) -> str:
    """Text of several lines, each as ``visible`` has it."""
    return "\n".join(map(visible, text.split("\n")))


def json_visible(text: str) -> str:
    """JSON with the escapes of JSON for what would be obeyed; its own line ends stay."""
    return "\n".join(_OBEYED.sub(_json_escape, line) for line in text.split("\n"))


def _json_escape(found: re.Match[str]) -> str:
    code = ord(found.group())
    if code < 0x10000:
        return f"\\u{code:04x}"
    return f"\\u{0xD800 + (code - 0x10000 >> 10):04x}\\u{0xDC00 + (code - 0x10000 & 0x3FF):04x}"


def no_formula(text: str) -> str:
    """A name or text for a table, text to a spreadsheet that would run it as a formula."""
    text = visible(text)
    return "'" + text if text[:1] and text[0] in _FORMULA else text


def csv_cell(text: str) -> str:
    """A name or text as a cell of a table, quoted where it must be."""
    text = no_formula(text)
    return '"' + text.replace('"', '""') + '"' if any(c in text for c in ',;"') or text != text.strip() else text


def markdown(text: str) -> str:
    """Text inside Markdown that starts nothing there: no emphasis, link, heading, list, fence or HTML."""
    return re.sub(r"([\\`*_{}\[\]()<>#+!|~=&:-])", r"\\\1", visible(text))


def fenced(text: str) -> str:
    """Lines as a block of code in Markdown, its fence longer than any within."""
    longest = max((len(run) for run in re.findall("`+", text)), default=0)
    fence = "`" * max(3, longest + 1)
    return f"{fence}\n{visible_lines(text)}\n{fence}"


def _escape(found: re.Match[str]) -> str:
    code = ord(found.group())
    if 0xDC80 <= code <= 0xDCFF:
        return f"\\x{code - 0xDC00:02x}"  # a byte of a file name that is no UTF-8
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"
