"""Single characters of texts, ``Name[2]`` (IEC 61131-3:2013, 6.4.2): read as MID of one letter there, written as REPLACE of it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from msgspec.structs import replace

from whorlograph.model.declared_types import plain_type, type_at
from whorlograph.model.program import Pou, Program, VariableKind
from whorlograph.model.text import Apply, Argument, Assign, Constant, Expression, Sub, TextBody, Var, remade
from whorlograph.model.types import ArrayOf, Elementary, Family, Structure, Subrange, TypeRef

from .rewriting import fresh_numbers, texts_of, with_texts
from .text_parts import parts


def with_characters(program: Program, resource: str = "") -> Program:
    """The program with such reads and writes as calls. Args: resource: the one that runs, whose globals are seen."""
    globals_ = program.chosen(resource)[1]
    variables = (v for p in program.pous.values() for v in p.variables if v.kind is not VariableKind.EXTERNAL)
    types = {id(t): t for t in (*program.types.values(), *(v.type for v in (*globals_, *variables)))}  # most are of few
    if not any(map(_has_text, types.values())):
        return program
    outside: dict[str, TypeRef] = {v.name.lower(): v.type for v in globals_}
    return replace(program, pous={key: _read(program, pou, outside) for key, pou in program.pous.items()})


def _has_text(type_: TypeRef) -> bool:
    """Whether texts are among what a type holds."""
    if isinstance(type_, (Elementary, Subrange)):
        return (type_ if isinstance(type_, Elementary) else type_.base).family is Family.STRING
    if isinstance(type_, ArrayOf):
        return _has_text(type_.base)
    return isinstance(type_, Structure) and any(_has_text(f.type) for f in type_.fields)


def _read(program: Program, pou: Pou, outside: dict[str, TypeRef]) -> Pou:
    if isinstance(pou.body, TextBody) and not pou.body.may_hold("]"):
        return pou
    reader = _Reader(program, outside | {v.name.lower(): v.type for v in pou.variables}, fresh_numbers(texts_of(pou)))
    return with_texts(pou, reader.body)


class _Reader:
    """One POU, its names as they are declared."""

    def __init__(self, program: Program, known: dict[str, TypeRef], numbers: Iterator[int]) -> None:
        self.program, self.known, self.numbers = program, known, numbers

    def body(self, text: TextBody) -> TextBody:
        """A body with calls where characters are read and written."""
        held = any(isinstance(p, Var) and self.is_character(p) for s in text.statements for p in parts(s))
        return replace(text, statements=self.anew(text.statements)) if held else text

    def is_character(self, one: Var) -> bool:
        """Whether a name stands for a character of a text."""
        last = one.steps[-1] if one.steps else None
        if not isinstance(last, Sub) or len(last.values) != 1:
            return False
        type_ = plain_type(type_at(self.program, self.known, one.base, one.steps[:-1]), self.program)
        held = type_.base if isinstance(type_, Subrange) else type_
        return isinstance(held, Elementary) and held.family is Family.STRING

    def anew(self, node: Any) -> Any:
        """A part of the tree with such calls."""
        if isinstance(node, Assign) and self.is_character(node.target):
            whole, at = self.parted(node.target)
            read, value = replace(whole, at=next(self.numbers)), self.anew(node.value)
            return Assign(node.at, node.line, whole, self.call("REPLACE", node.line, IN1=read, IN2=value, L=self.one(node.line), P=at))
        if isinstance(node, Var) and self.is_character(node):
            whole, at = self.parted(node)
            return self.call("MID", node.line, IN=whole, L=self.one(node.line), P=at)
        made = remade(node, self.anew)
        # What counts a loop, is called, or takes what comes out stays a variable: that a character is none is said there.
        kept = {f: getattr(node, f) for f in ("variable", "called", "output") if hasattr(node, f)}
        return replace(made, **kept) if kept else made

    def parted(self, one: Var) -> tuple[Var, Expression]:
        """The text that a character belongs to, and the place of it."""
        last = one.steps[-1]
        assert isinstance(last, Sub)
        place: Expression = self.anew(last.values[0])
        return replace(one, steps=self.anew(one.steps[:-1])), place

    def one(self, line: int) -> Constant:
        return Constant(next(self.numbers), line, "1", "", 1)

    def call(self, name: str, line: int, **given: Expression) -> Apply:
        called = Var(next(self.numbers), line, name)
        return Apply(next(self.numbers), line, called, tuple(Argument(pin, value) for pin, value in given.items()))
