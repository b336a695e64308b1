"""Blocks of an array called by a computed subscript: a choice between calls of each of them (IEC 61131-3:2013, 6.6.3).

``R[i](Up := X)`` becomes ``CASE i OF 1: R[1](Up := X); 2: ... ELSE R[i](Up := X)``: so each call is known before anything runs, and whether it was
made in a scan; what is left for ELSE halts, since there is no such block.
"""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from whorlograph.model.paths import Member
from whorlograph.model.program import Pou, Program
from whorlograph.model.tags import Aggregate, Running, member
from whorlograph.model.text import Case, Constant, Do, Labelled, Node, Range, Statement, Sub, TextBody, remade

from .rewriting import fresh_numbers, texts_of, with_texts
from .text_parts import parts
from .text_types import Scope, is_chosen


def has_chosen(pou: Pou) -> bool:
    """Whether a body calls something by a computed subscript."""
    return any(isinstance(p, Do) and is_chosen(p.call.called) for text in texts_of(pou) if text is not pou.body or text.may_hold("]")
               for s in text.statements for p in parts(s))


def made_of(one: Case) -> Do | None:
    """The call that a choice was made of; None for one that stands in the program."""
    call = one.other[0] if len(one.other) == 1 else None
    return call if isinstance(call, Do) and is_chosen(call.call.called) else None


def made_up(statement: Statement) -> set[int]:
    """The numbers of all parts of the choices in a statement that were made of calls."""
    return {p.at for case in parts(statement) if isinstance(case, Case) and made_of(case) is not None
            for branch in case.branches for s in branch.statements for p in parts(s)} | {
        p.at for case in parts(statement) if isinstance(case, Case) and made_of(case) is not None for s in case.other for p in parts(s)}


def with_chosen(program: Program, running: Running) -> Program:
    """The program with a choice for each such call. Args: running: what it makes without them, which tells what names mean."""
    pous = dict(program.pous)
    for one in [*running.instances(), *running.functions.values()]:
        key = one.type_name.lower()
        if one.pou is None or pous.get(key) is not one.pou or not has_chosen(one.pou):
            continue
        pous[key] = with_texts(one.pou, _Chooser(Scope(one, running), one.pou).body)
    return replace(program, pous=pous)


class _Chooser:
    """One POU on its way: nodes that are added get numbers of their own."""

    def __init__(self, scope: Scope, pou: Pou) -> None:
        self.scope = scope
        self.numbers = fresh_numbers(texts_of(pou))

    def body(self, text: TextBody) -> TextBody:
        """A body with its calls chosen."""
        return replace(text, statements=self.anew(text.statements))

    def anew(self, part: Any) -> Any:
        """A part of the tree with choices in place of such calls."""
        if isinstance(part, Do):
            return self.choice(part) if is_chosen(part.call.called) and self.scope.block(part.call) is not None else part
        return remade(part, self.anew)

    def choice(self, one: Do) -> Statement:
        """A call as a choice: by its first computed subscript, those behind it within each branch."""
        steps, at, place = one.call.called.steps, self.scope.instance.scope.get(one.call.called.base.lower()), -1
        ref: Any = at if at is not None else self.scope.running.scope.scope.get(one.call.called.base.lower())
        ref = getattr(ref, "shape", ref)
        for n, step in enumerate(steps):
            if isinstance(step, Sub) and isinstance(ref, Aggregate):
                which = next((i for i, v in enumerate(step.values) if not isinstance(v, Constant)), -1)
                if which >= 0:
                    place = n
                    break
                ref = ref.items[0] if ref.items else None
            elif isinstance(step, Member):
                ref = member(ref, step.name)
        if place < 0 or not isinstance(ref, Aggregate):
            return one
        step = steps[place]
        assert isinstance(step, Sub)
        low, high = ref.bounds[which]
        branches = []
        for number in range(low, high + 1):
            chosen = Constant(next(self.numbers), one.line, str(number), "", number)
            sub = Sub((*step.values[:which], chosen, *step.values[which + 1:]))
            called = replace(one.call.called, steps=(*steps[:place], sub, *steps[place + 1:]))
            copy = self.numbered(Do(one.at, one.line, replace(one.call, called=called)))
            inner = self.choice(copy) if is_chosen(copy.call.called) else copy
            label = Constant(next(self.numbers), one.line, str(number), "", number)
            branches.append(Labelled((Range(label),), (inner,)))
        return Case(next(self.numbers), one.line, self.numbered(step.values[which]), tuple(branches), (one,))

    def numbered(self, part: Any) -> Any:
        """A copy whose nodes have numbers of their own."""
        made = remade(part, self.numbered)
        return replace(made, at=next(self.numbers)) if isinstance(made, Node) else made

