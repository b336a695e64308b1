"""How many variables a declaration unfolds to, counted before any is made: small files may ask for more than any memory holds."""

from __future__ import annotations

from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.program import Pou, PouKind, Program, VariableKind
from whorlograph.model.types import ArrayOf, Named, Structure, TypeRef


class Unfolding:
    """Counts by type, each type once."""

    def __init__(self, program: Program) -> None:
        self.program = program
        self._known: dict[str, int] = {}
        self._open: set[str] = set()

    def of(self, type_: TypeRef) -> int:
        """The variables and instances of one of a type; what contains itself counts as nothing there (it is left out and said)."""
        if isinstance(type_, ArrayOf):
            size = self.of(type_.base)
            for low, high in type_.bounds:
                size *= max(0, high - low + 1)
            return size
        if isinstance(type_, Structure):
            return 1 + sum(self.of(f.type) for f in type_.fields)
        return self._named(type_.name.lower()) if isinstance(type_, Named) else 1

    def of_pou(self, pou: Pou) -> int:
        """The variables of one instance of a POU."""
        return 1 + sum(self.of(v.type) for v in pou.variables if v.kind is not VariableKind.EXTERNAL)

    def _named(self, name: str) -> int:
        if name not in self._known:
            if name in self._open:
                return 0
            self._open.add(name)
            declared, pou = self.program.types.get(name), self.program.pous.get(name)
            standard = STANDARD_BLOCKS.get(name.upper())
            if declared is not None:
                found = self.of(declared)
            elif pou is not None and pou.kind is PouKind.FUNCTION_BLOCK:
                found = self.of_pou(pou)
            else:
                found = 1 + sum(map(len, standard)) if standard is not None else 1
            self._open.discard(name)
            self._known[name] = found
        return self._known[name]
