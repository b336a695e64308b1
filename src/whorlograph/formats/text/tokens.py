"""The tokens of the text languages (IEC 61131-3:2013, 6.1 to 6.3): what grammar sees of a text."""

from __future__ import annotations

import re
from collections.abc import Callable

from msgspec import Struct

_SECTIONS = ("VAR", "VAR_INPUT", "VAR_OUTPUT", "VAR_IN_OUT", "VAR_TEMP", "VAR_EXTERNAL", "VAR_GLOBAL", "VAR_ACCESS", "VAR_CONFIG")
_WORDS = ("END_VAR", "CONSTANT", "RETAIN", "NON_RETAIN", "PERSISTENT", "AT", "OF", "ARRAY", "STRUCT", "END_STRUCT", "TYPE", "END_TYPE", "PROGRAM",
          "END_PROGRAM", "FUNCTION", "END_FUNCTION", "FUNCTION_BLOCK", "END_FUNCTION_BLOCK", "CONFIGURATION", "END_CONFIGURATION", "RESOURCE",
          "END_RESOURCE", "ON", "TASK", "WITH", "IF", "THEN", "ELSIF", "ELSE", "END_IF", "CASE", "END_CASE", "FOR", "TO", "BY", "DO", "END_FOR",
          "WHILE", "END_WHILE", "REPEAT", "UNTIL", "END_REPEAT", "EXIT", "CONTINUE", "RETURN", "AND", "OR", "XOR", "NOT", "MOD")
KEYWORDS = {word: word for word in _WORDS} | dict.fromkeys(_SECTIONS, "SECTION") | {"TRUE": "LITERAL", "FALSE": "LITERAL",
                                                                                             "R_EDGE": "EDGE", "F_EDGE": "EDGE"}

_TOKEN = re.compile(r"""
    \s*(?:(?P<word>[^\W\d]\w*+(?!\#)) | (?P<sign>(?!\(\*|/[/*])(?::=|=>|\.\.|<=|>=|<>|\*\*|[-+*/=<>()\[\],;:.&]))
  | (?P<comment>//[^\n]*|\(\*(?:[^*(]|\*(?!\))|\((?!\*))*+\*\)|/\*(?:[^*/]|\*(?!/)|/(?!\*))*+\*/) | (?P<block>\(\*|/\*)
  | (?P<pragma>\{[^}]*\})
  | (?P<typed>[^\W\d]\w*\#(?:(?:2|8|16)\#[0-9A-Fa-f_]+|[+-]?\d[\w.:+-]*?(?=[^\w.:+-]|$)|[^\W\d]\w*|'(?:\$.|[^'$])*'))
  | (?P<based>(?:2|8|16)\#[0-9A-Fa-f_]+)
  | (?P<number>\d[\d_]*(?:\.\d[\d_]*)?(?:[eE][+-]?\d+)?)
  | (?P<direct>%[IQMiqm][XBWDLxbwdl]?[\d*]+(?:\.\d+)*) | (?P<bit>%[XxBbWwDd]\d+)
  | (?P<name>[^\W\d]\w*)
  | (?P<string>'(?:\$.|[^'$])*'|"(?:\$.|[^"$])*"))
""", re.VERBOSE)
_SIGNS = {":=": "GIVES", "=>": "GOES", "..": "UPTO", "<=": "COMPARE", ">=": "COMPARE", "<": "COMPARE", ">": "COMPARE", "=": "EQUAL",
          "<>": "EQUAL", "**": "POWER", "+": "PLUS", "-": "MINUS", "*": "TIMES", "/": "TIMES", "(": "OPEN",
          ")": "CLOSE", "[": "BEGIN", "]": "END", ",": "COMMA", ";": "SEMICOLON",
          ":": "COLON", ".": "DOT", "&": "AND"}
COMMENTS = {"(*": "*)", "/*": "*/"}
_NO_TOKENS = ("comment", "block", "pragma")
_TIMES = {"T", "TIME", "LT", "LTIME"}
_DATES = {"D", "DATE", "LD", "LDATE", "TOD", "TIME_OF_DAY", "LTOD", "DT", "DATE_AND_TIME", "LDT"}
_PLAIN_NUMBER = re.compile(r"[+-]?(?:\d[\d_]*(?:\.\d[\d_]*)?(?:[eE][+-]?\d+)?)")
_DURATION = re.compile(r"[+-]?(?:[\d_]+(?:\.\d+)?(?:ms|us|ns|d|h|m|s)_?)+", re.IGNORECASE)
_MOMENT = re.compile(r"[\d:._-]+")


class Piece(Struct):
    """A token: what it is to the grammar, its text, where it begins (line and column from 1; offset in the text)."""

    kind: str
    text: str
    line: int
    column: int
    start: int

    @property
    def end(self) -> int:
        """The offset behind it."""
        return self.start + len(self.text)


def tokens(text: str, comments: dict[int, str] | None = None) -> list[Piece]:
    """All tokens; a character that begins none is one of kind ``STRAY``.

    Args: comments: takes each comment's words, by the line on which it begins.
    """
    found: list[Piece] = []
    add, count, seen = found.append, text.count, {**_SIGNS, **KEYWORDS}
    behind, line, begun = 0, 1, 0  # how far it is read; the line at work, and where that begins
    before = ""  # the kind of the token before
    again = True
    while again:
        again = False
        for match in _TOKEN.finditer(text, behind):
            if match.start() != behind:
                line, begun = _strays(text, behind, match.start(), line, begun, add)
                behind = match.start()
            kind = match.lastgroup
            assert kind is not None
            word = match[kind]
            end = match.end()
            at = end - len(word)
            if at - behind > 1 or text[behind] == "\n":
                lines = count("\n", behind, at)
                if lines:
                    line += lines
                    begun = text.rindex("\n", behind, at) + 1
            behind = end
            if kind == "word":
                before = "NAME" if before == "DOT" else seen.get(word) or seen.setdefault(word, KEYWORDS.get(word.upper(), "NAME"))
                add(Piece(before, word, line, at - begun + 1, at))
                continue
            if kind == "sign":
                before = seen[word]
                add(Piece(before, word, line, at - begun + 1, at))
                continue
            if kind == "block":  # a comment that holds others, or is not ended
                again = True
                behind = _comment_end(text, at)
                if not behind:
                    add(Piece("STRAY", word, line, at - begun + 1, at))
                    behind = end
                    break
            elif kind == "typed":
                behind = at + _typed_length(word)
                again = behind < end
            if kind not in _NO_TOKENS:
                word = text[at:behind]
                before = _kind(kind, word)
                add(Piece(before, word, line, at - begun + 1, at))
            elif comments is not None and kind != "pragma":
                comments[line] = " ".join(text[at:behind].strip("(*/)").split())
            lines = count("\n", at, behind)
            if lines:
                line += lines
                begun = text.rindex("\n", at, behind) + 1
            if again:
                break
    _strays(text, behind, len(text), line, begun, add)
    return found


def _strays(text: str, start: int, end: int, line: int, begun: int, add: Callable[[Piece], None]) -> tuple[int, int]:
    """Characters that begin no token, and white space between them. Returns: the line behind them, and where that begins."""
    for at in range(start, end):
        if text[at] == "\n":
            line, begun = line + 1, at + 1
        elif not text[at].isspace():
            add(Piece("STRAY", text[at], line, at - begun + 1, at))
    return line, begun


def _kind(kind: str, word: str) -> str:
    """What a literal, an address or a name with its type is to the grammar."""
    if kind == "typed":
        prefix, _, rest = word.partition("#")
        return "NAME" if (rest[:1].isalpha() or rest[:1] == "_") and prefix.upper() != "BOOL" and not _is_time(prefix) else "LITERAL"
    if kind == "number":
        return "NUMBER" if word.replace("_", "").isdigit() else "LITERAL"
    if kind == "bit":
        return "BIT" if word[1] in "Xx" else "PART"
    return {"based": "LITERAL", "string": "LITERAL", "direct": "DIRECT", "name": "NAME"}[kind]


def _is_time(prefix: str) -> bool:
    return prefix.upper() in _TIMES or prefix.upper() in _DATES


def _typed_length(word: str) -> int:
    """How much of what follows a ``#`` belongs to a literal: a duration ends at its units, a number before an operator."""
    prefix, _, rest = word.partition("#")
    upper = prefix.upper()
    pattern = _DURATION if upper in _TIMES else _MOMENT if upper in _DATES else _PLAIN_NUMBER
    match = pattern.match(rest)
    if rest[:1] in "'_" or rest[:1].isalpha() or "#" in rest or match is None:
        return len(word)
    return len(prefix) + 1 + match.end()


def _comment_end(text: str, at: int) -> int:
    """Behind a comment: nested ones count, unless one of them is never closed. 0 where it is not ended itself."""
    opens = text[at:at + 2]
    closes = COMMENTS[opens]
    depth, here = 0, at
    while here < len(text):
        if text.startswith(opens, here):
            depth, here = depth + 1, here + 2
        elif text.startswith(closes, here):
            depth, here = depth - 1, here + 2
            if not depth:
                return here
        else:
            here = min((i for i in (text.find(opens, here), text.find(closes, here)) if i >= 0), default=len(text))
    end = text.find(closes, at + 2)
    return end + 2 if end >= 0 else 0
