"""The driver of parse tables against lark's own parser, over the same grammar: what it makes, where it refuses, what it expected there."""

from __future__ import annotations

import os
import time
import unittest
from collections.abc import Callable
from importlib.resources import files
from random import Random
from typing import Any
from unittest import mock

import msgspec
from lark import Lark, Token, Transformer, Tree, UnexpectedToken
from lark.lexer import Lexer

from tests.text_strategies import random_text
from whorlograph.formats.text.driver import Driver, Refused
from whorlograph.formats.text.tables import STARTS, Tables, make_tables, tables
from whorlograph.formats.text.tokens import Piece, tokens

SEED = int(os.environ.get("WHORLOGRAPH_SEED", time.strftime("%Y%m%d")))


class _Words(Lexer):
    """Hands tokens on as they are."""

    def __init__(self, conf: object) -> None:
        pass

    def lex(self, data: Any) -> Any:  # type: ignore[override]
        for piece in data:
            yield Token(piece.kind, piece.text, piece.start, piece.line, piece.column)


class _Told(Transformer[Any, Any]):
    """Every node as its name and what it is made of."""

    def __default__(self, data: Any, children: list[Any], meta: Any) -> Any:
        if str(data).startswith("__"):  # a repetition on its way
            return Tree(data, children)
        return (str(data), *[c if isinstance(c, tuple) else ("", str(c) if isinstance(c, Token) else c.text) for c in children])


def _told(name: str) -> Callable[[list[Any]], Any]:
    """The same of what the driver makes."""
    return lambda children: (name, *[c if isinstance(c, tuple) else ("", c.text) for c in children])


class TheTables(unittest.TestCase):
    """What is kept beside the grammar was made of it."""

    def test_the_kept_tables_are_those_of_the_grammar(self) -> None:
        here = files("whorlograph.formats.text")
        made = make_tables(here.joinpath("grammar.lark").read_text(encoding="utf-8"))
        self.assertEqual(msgspec.json.decode(here.joinpath("grammar.json").read_bytes(), type=Tables), made,
                         "python -m whorlograph.formats.text.tables makes them anew")

    def test_another_grammar_is_made_anew(self) -> None:
        made = make_tables('%declare NAME\nsections: NAME*\ntypes: NAME\nconfiguration: NAME\nbody: NAME NAME\noperand: types')
        self.assertNotEqual(made.grammar, tables().grammar)
        with mock.patch("whorlograph.formats.text.tables._grammar", return_value="%declare NAME\n" + "\n".join(f"{s}: NAME" for s in STARTS)):
            self.assertEqual(len(tables.__wrapped__().rules), len(STARTS))


class TheSameAsLark(unittest.TestCase):
    """Statements and expressions of random texts, whole and damaged."""

    def setUp(self) -> None:
        text = files("whorlograph.formats.text").joinpath("grammar.lark").read_text(encoding="utf-8")
        self.lark = Lark(text, parser="lalr", lexer=_Words, start=list(STARTS), maybe_placeholders=False)
        self.drivers = {start: Driver(tables(), start, _told) for start in ("body", "operand", "sections")}

    def of_lark(self, pieces: list[Piece], start: str) -> object:
        try:
            return _Told().transform(self.lark.parse(pieces, start=start))  # type: ignore[arg-type]
        except UnexpectedToken as error:
            at = None if error.token.type == "$END" else error.token.start_pos
            return at, sorted(error.accepts or ())

    def of_driver(self, pieces: list[Piece], start: str) -> object:
        try:
            return self.drivers[start].parse(pieces)
        except Refused as error:
            return error.piece.start if error.piece is not None else None, error.expected

    def test_random_pieces_of_random_texts(self) -> None:
        random = Random(SEED)
        refused = made = 0
        for _ in range(40):
            pieces = tokens(random_text(random))
            for _ in range(25):
                begin = random.randrange(len(pieces))
                if random.random() < 0.7:  # behind the end of a statement
                    begin = next((i + 1 for i in range(begin, len(pieces)) if pieces[i].kind == "SEMICOLON"), begin)
                part = pieces[begin:begin + random.choice((0, 1, 5, 30, 200))]
                if random.random() < 0.6:  # cut behind the end of one
                    part = part[:max((i + 1 for i, p in enumerate(part) if p.kind == "SEMICOLON"), default=len(part))]
                if part and random.random() < 0.3:
                    part = [p for p in part if p is not part[random.randrange(len(part))]]
                for start in self.drivers:
                    expected, found = self.of_lark(part, start), self.of_driver(part, start)
                    self.assertEqual(found, expected, (SEED, start, [p.text for p in part]))
                    if isinstance(found, tuple) and found and isinstance(found[0], str):
                        made += 1
                    else:
                        refused += 1
        self.assertGreater(made, 100)
        self.assertGreater(refused, 100)


if __name__ == "__main__":
    unittest.main()
