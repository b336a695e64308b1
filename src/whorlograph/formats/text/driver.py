"""Runs a lark grammar's LALR tables over tokens that are made already.

Half of what a text's expressions ask of a parser is to pass a value on from one level of binding to the next, unchanged: ``A`` is a
primary, a power, a product, a sum ... Such steps move one state and nothing else; where they lead from two states is worked out once.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from lark import Lark
from lark.parsers.lalr_analysis import Shift

from .tokens import Piece

_SHIFT, _PASS, _REDUCE = range(3)
END = "$END"


class Refused(Exception):
    """A token that cannot stand where it does: it (None at the end), and the kinds of those that could."""

    def __init__(self, piece: Piece | None, expected: list[str]) -> None:
        super().__init__(piece, expected)
        self.piece, self.expected = piece, expected


def _appended(children: list[Any]) -> Any:
    children[0].children.append(children[1])
    return children[0]


class Driver:
    """Reads texts from one start of a grammar; its values are what the grammar's transformer makes of ``Piece`` tokens."""

    def __init__(self, grammar: Lark, start: str) -> None:
        conf = grammar.parse_interactive(None, start).parser_state.parse_conf
        self._first, self._last = conf.start_state, conf.end_state
        self._actions: dict[int, dict[str, tuple[Any, ...]]] = {}
        self._gotos: dict[int, dict[str, int]] = {}
        for state, row in conf.states.items():
            actions: dict[str, tuple[Any, ...]] = {}
            gotos: dict[str, int] = {}
            for name, (action, argument) in row.items():
                if not name.isupper():
                    gotos[name] = argument
                elif action is Shift:
                    actions[name] = (_SHIFT, argument)
                elif len(argument.expansion) == 1 and argument.options.expand1 and not argument.alias:
                    actions[name] = (_PASS, argument.origin.name, {})
                else:
                    names = [symbol.name for symbol in argument.expansion]
                    # Repetitions (lark names them with two underscores) grow by one: the list is made once, not anew for each.
                    grows = argument.origin.name.startswith("__") and names[:1] == [argument.origin.name] and len(names) == 2 and names[1][0] != "_"
                    actions[name] = (_REDUCE, argument.origin.name, len(names), _appended if grows else conf.callbacks[argument])
            self._actions[state], self._gotos[state] = actions, gotos

    def parse(self, pieces: Iterable[Piece]) -> Any:
        """What the tokens make.

        Raises: Refused at the first that cannot stand where it does; what the transformer raises.
        """
        states, values = [self._first], list[Any]()
        actions, gotos = self._actions, self._gotos
        for piece in pieces:
            kind = piece.kind
            while True:
                entry = actions[states[-1]].get(kind)
                if entry is None:
                    raise Refused(piece, self._expected(states[-1]))
                if entry[0] == _PASS:
                    below = states[-2]
                    states[-1] = entry[2].get(below) or self._passed(entry, below, kind)
                elif entry[0] == _SHIFT:
                    states.append(entry[1])
                    values.append(piece)
                    break
                else:
                    _, name, size, make = entry
                    if size:
                        made = make(values[-size:])
                        del states[-size:], values[-size:]
                        values.append(made)
                    else:
                        values.append(make([]))
                    states.append(gotos[states[-1]][name])
        while states[-1] != self._last:
            entry = actions[states[-1]].get(END)
            if entry is None or entry[0] == _SHIFT:
                raise Refused(None, self._expected(states[-1]))
            size = 1 if entry[0] == _PASS else entry[2]
            if entry[0] == _REDUCE:
                values[len(values) - size:] = [entry[3](values[len(values) - size:])]
            del states[len(states) - size:]
            states.append(gotos[states[-1]][entry[1]])
        return values[-1]

    def _passed(self, entry: tuple[Any, ...], below: int, kind: str) -> int:
        """Where the steps lead that pass a value on, from one state over another: to the first in which something is done with it."""
        first, passes = entry, entry
        while True:
            state = self._gotos[below][passes[1]]
            passes = self._actions[state].get(kind, (_SHIFT,))
            if passes[0] != _PASS:
                first[2][below] = state
                return state

    def _expected(self, state: int) -> list[str]:
        return sorted(self._actions[state])
