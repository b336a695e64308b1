"""The grammar's LALR tables, made once by lark and kept beside it: loading them takes a tenth of the time of making them.

``python -m whorlograph.formats.text.tables`` makes them anew after the grammar was changed.
"""

from __future__ import annotations

from functools import cache
from hashlib import sha256
from importlib.resources import files
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct

from whorlograph.formats.decoding import from_json

STARTS = ("sections", "types", "configuration", "body", "operand")
_NAME = "grammar.json"


class Rule(Struct, frozen=True, array_like=True):
    """What is put together: symbols to ``origin``; ``node`` names what is made of them, "": of one child nothing but itself."""

    origin: str
    node: str
    symbols: tuple[str, ...]


class Tables(Struct, frozen=True):
    """Of each start the first state and the last; of each state what follows on a symbol: the next state, or minus a rule's number, -1 the first.

    ``grammar``: the digest of its text.
    """

    grammar: str
    starts: dict[str, tuple[int, int]]
    rules: tuple[Rule, ...]
    states: tuple[dict[str, int], ...]


def _grammar() -> str:
    return files(__package__).joinpath("grammar.lark").read_text(encoding="utf-8")


def _digest(grammar: str) -> str:
    return sha256(grammar.encode()).hexdigest()


@cache
def tables() -> Tables:
    """The tables of the grammar as it stands: as they were kept, if that is what they were made of."""
    grammar = _grammar()
    kept = files(__package__).joinpath(_NAME)
    if kept.is_file():
        found = from_json(kept.read_bytes(), Tables)
        if found.grammar == _digest(grammar):
            return found
    return make_tables(grammar)


def make_tables(grammar: str) -> Tables:
    """The tables of a grammar over tokens that are made already. States and rules are numbered the same way each time."""
    from lark import Lark
    from lark.lexer import Lexer
    from lark.parsers.lalr_analysis import Shift

    class NoLexer(Lexer):
        """Texts come as tokens."""

        def __init__(self, conf: object) -> None:
            pass

        def lex(self, data: Any) -> Any:  # type: ignore[override]
            """None of the grammar's own."""
            return iter(())

    lark = Lark(grammar, parser="lalr", lexer=NoLexer, start=list(STARTS), maybe_placeholders=False)
    confs = {start: lark.parse_interactive(None, start).parser_state.parse_conf for start in STARTS}
    states: dict[int, dict[str, Any]] = next(iter(confs.values())).states
    order: dict[int, int] = {}
    waiting = [confs[start].start_state for start in STARTS]
    for state in waiting:  # those that follow are found on the way
        if state not in order:
            order[state] = len(order)
            waiting += [argument for _, (action, argument) in sorted(states[state].items()) if action is Shift]
    rules: dict[Rule, int] = {}
    rows = []
    for state in order:
        row = {}
        for symbol, (action, argument) in sorted(states[state].items()):
            if action is not Shift:
                names = tuple(str(part.name) for part in argument.expansion)
                node = argument.alias or ("" if argument.options.expand1 else argument.origin.name)
                rule = Rule(str(argument.origin.name), str(node), names)
            row[str(symbol)] = order[argument] if action is Shift else -1 - rules.setdefault(rule, len(rules))
        rows.append(row)
    starts = {start: (order[conf.start_state], order[conf.end_state]) for start, conf in confs.items()}
    return Tables(_digest(grammar), starts, tuple(rules), tuple(rows))


def main() -> None:
    """Keep the tables of the grammar beside it."""
    text = msgspec.json.encode(make_tables(_grammar())).replace(b"},{", b"},\n{").replace(b"],[", b"],\n[")
    Path(__file__).with_name(_NAME).write_bytes(text + b"\n")


if __name__ == "__main__":
    main()
