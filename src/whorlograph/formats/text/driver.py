"""Runs a grammar's LALR tables over tokens that are made already.

Half of what a text's expressions ask of a parser is to pass a value on from one level of binding to the next, unchanged: ``A`` is a
primary, a power, a product, a sum ... Such steps move one state and nothing else; where they lead from two states is worked out once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from .tables import Rule, Tables
from .tokens import Piece

Maker = Callable[[str], Callable[[list[Any]], Any]]

_SHIFT, _PASS, _REDUCE = range(3)
END = "$END"


class Refused(Exception):
    """A token that cannot stand where it does: it (None at the end), and the kinds of those that could."""

    def __init__(self, piece: Piece | None, expected: list[str]) -> None:
        super().__init__(piece, expected)
        self.piece, self.expected = piece, expected


class _Gathered:
    """A repetition on its way, or parts that stand without a node of their own."""

    __slots__ = ("children",)

    def __init__(self, children: list[Any]) -> None:
        self.children = children


def _appended(children: list[Any]) -> Any:
    children[0].children.append(children[1])
    return children[0]


def _spread(children: list[Any]) -> list[Any]:
    """Repetitions replaced by what they consist of."""
    found: list[Any] = []
    for child in children:
        if isinstance(child, _Gathered):
            found += child.children
        else:
            found.append(child)
    return found


def _made(rule: Rule, maker: Maker) -> Callable[[list[Any]], Any]:
    """What is made of a rule's symbols; lark names repetitions with two underscores, and they have no node of their own."""
    if rule.origin.startswith("_"):
        # Repetitions grow by one: the list is made once, not anew for each.
        if rule.symbols[:1] == (rule.origin,) and len(rule.symbols) == 2 and rule.symbols[1][0] != "_":
            return _appended
        return lambda children: _Gathered(_spread(children))
    spread = any(name.startswith("_") for name in rule.symbols)
    if not rule.node:
        node = maker(rule.origin)

        def one(children: list[Any]) -> Any:
            children = _spread(children)
            return children[0] if len(children) == 1 else node(children)

        return one
    make = maker(rule.node)
    return (lambda children: make(_spread(children))) if spread else make


class Driver:
    """Reads texts from one start of a grammar.

    Args: maker: by name of a node what makes it of its children: ``Piece`` tokens, and what was made of them before.
    """

    def __init__(self, tables: Tables, start: str, maker: Maker) -> None:
        self._first, self._last = tables.starts[start]
        self._actions: list[dict[str, tuple[Any, ...]]] = []
        self._gotos: list[dict[str, int]] = []
        # A symbol that stands for another, unchanged, is passed on: nothing is made of it.
        passes = [not rule.node and len(rule.symbols) == 1 for rule in tables.rules]
        makes = [None if passed else _made(rule, maker) for rule, passed in zip(tables.rules, passes, strict=True)]
        for row in tables.states:
            actions: dict[str, tuple[Any, ...]] = {}
            gotos: dict[str, int] = {}
            for name, following in row.items():
                if not name.isupper():
                    gotos[name] = following
                elif following >= 0:
                    actions[name] = (_SHIFT, following)
                else:
                    rule = tables.rules[-1 - following]
                    if passes[-1 - following]:
                        actions[name] = (_PASS, rule.origin, {})
                    else:
                        actions[name] = (_REDUCE, rule.origin, len(rule.symbols), makes[-1 - following])
            self._actions.append(actions)
            self._gotos.append(gotos)

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
                    raise Refused(piece, self._expected(states))
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
                raise Refused(None, self._expected(states))
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

    def _expected(self, states: list[int]) -> list[str]:
        """What can stand here: a state alone also knows what may follow elsewhere."""
        return sorted(kind for kind in self._actions[states[-1]] if self._takes(list(states), kind))

    def _takes(self, states: list[int], kind: str) -> bool:
        """Whether a token can be put on a stack of states, which is used up."""
        while states[-1] != self._last or kind != END:
            entry = self._actions[states[-1]].get(kind)
            if entry is None or entry[0] == _SHIFT:
                return entry is not None
            size = 1 if entry[0] == _PASS else entry[2]
            del states[len(states) - size:]
            states.append(self._gotos[states[-1]][entry[1]])
        return True
