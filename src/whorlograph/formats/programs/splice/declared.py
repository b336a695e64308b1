"""Where declarations stand in the tokens of a program text: sections, their declarations, and those that share lines."""

from __future__ import annotations

from msgspec import Struct, field

from whorlograph.formats.text.tokens import Piece
from whorlograph.model.program import VariableKind

from ..st import SECTIONS


class Declaration(Struct):
    """A declaration: its names, and from which token to which it goes (the semicolon)."""

    names: list[str]
    lines: list[int]
    first: Piece
    last: Piece
    edge: bool = False


class Section(Struct):
    """A section of declarations: kind, RETAIN, CONSTANT; what stands in it; its first token, the last before what is declared, its end."""

    kind: VariableKind
    retain: bool
    constant: bool
    first: Piece
    opened: Piece
    closed: Piece
    declared: list[Declaration] = field(default_factory=list)


def statements(pieces: list[Piece]) -> list[tuple[list[Piece], list[Piece]]]:
    """Declarations of a list of tokens, each up to its semicolon: its names and all of it."""
    found: list[tuple[list[Piece], list[Piece]]] = []
    at = 0
    while at < len(pieces):
        depth, end = 0, at
        while end < len(pieces) and (depth or pieces[end].kind != "SEMICOLON"):
            depth += (pieces[end].kind == "STRUCT") - (pieces[end].kind == "END_STRUCT")
            end += 1
        inside = pieces[at:end + 1]
        stop = next((i for i, p in enumerate(inside) if p.kind in ("COLON", "AT")), len(inside))
        found.append(([p for p in inside[:stop] if p.kind == "NAME"], inside))
        at = end + 1
    return found


def declarations(pieces: list[Piece]) -> list[Declaration]:
    """The declarations in a list of tokens."""
    return [Declaration([n.text.lower() for n in names], [n.line for n in names], inside[0], inside[-1], any(p.kind == "EDGE" for p in inside))
            for names, inside in statements(pieces)]


def units(section: Section) -> list[list[Declaration]]:
    """Declarations in groups that share lines."""
    found: list[list[Declaration]] = []
    for one in section.declared:
        if found and one.first.line <= found[-1][-1].last.line:
            found[-1].append(one)
        else:
            found.append([one])
    return found


def section_of(pieces: list[Piece]) -> Section:
    """A section from its tokens."""
    at, flags = 1, set()
    while pieces[at].kind in ("CONSTANT", "RETAIN", "NON_RETAIN", "PERSISTENT"):
        flags.add(pieces[at].kind)
        at += 1
    kind = SECTIONS.get(pieces[0].text.upper(), VariableKind.LOCAL)
    inside = declarations(pieces[at:-1])
    return Section(kind, bool(flags & {"RETAIN", "PERSISTENT"}), "CONSTANT" in flags, pieces[0], pieces[at - 1], pieces[-1], inside)
