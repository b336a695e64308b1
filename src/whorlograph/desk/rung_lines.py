"""Rungs typed as a line: one changed as a whole, a fresh one, a copy with other tags; unknown names are declared as they are used."""

from __future__ import annotations

import re
from collections.abc import Callable

from msgspec.structs import replace

from whorlograph.formats.lines.read import Line, read_line
from whorlograph.formats.lines.write import NoLine, written_line
from whorlograph.inquiry.revisions.form import Numbers
from whorlograph.inquiry.revisions.forms import forms
from whorlograph.model.blocks import STANDARD_BLOCKS
from whorlograph.model.edit import declarations
from whorlograph.model.edit.choice import Choice
from whorlograph.model.edit.rungs import drawn
from whorlograph.model.program import Program
from whorlograph.model.types import BOOL, ELEMENTARY, INT, Elementary, Named

ASKS = "A /B [C | D] (Coil) · (S A) · ^A rises, ~A falls · T1:TON(PT := T#5s) · N >= 5 · -> Label"
_NAME = re.compile(r"(?<![\w.#%'])[A-Za-z_]\w*")


def line_choices(program: Program, pou: str, number: int) -> list[Choice[Program]]:
    """What can be done with a whole rung of a ladder body (``number`` from 1)."""
    body = program.pous[pou.lower()].body
    text, why = _line_of(program, pou, number)

    def put(at: int, replaces: bool) -> Callable[[str], Program]:
        return lambda typed: _with_line(program, pou, at, read_line(typed), replaces)

    below = Choice("a new rung below it, as a line", put(number, False), ASKS, edits=True, check=read_line)
    above = Choice("a new rung above it, as a line", put(number - 1, False), ASKS, edits=True, check=read_line)
    if why:
        anew = Choice("the whole rung anew, as a line", put(number, True), f"{ASKS} (as it stands it is no line: {why})", edits=True, check=read_line)
        return [anew, below, above]
    whole = Choice("the whole rung, as a line", put(number, True), ASKS, text, edits=True, check=read_line)
    copy = Choice("a copy below it, with other tags", lambda typed: _copied(program, pou, number, text, typed),
                  "OLD=NEW, OLD=NEW ...: whole names, or parts of them: _1=_2")
    assert body is not None
    kind = [Choice("more of its kind, each locked out by all others", lambda typed: _more_of_its_kind(program, pou, number, text, typed),
                   "the numbers of the new ones: 3, 4")] if _NUMBERED.match(_coil(text)) else []
    return [whole, below, above, copy, *kind]


def _line_of(program: Program, pou: str, number: int) -> tuple[str, str]:
    """A rung as a line, and why there is none: where, read again, it would do something else, it is not offered."""
    body = program.pous[pou.lower()].body
    rung = body.rungs[number - 1]  # type: ignore[union-attr]
    try:
        text = written_line(rung)
        again = drawn(body, number, read_line(text).parts, "", True)  # type: ignore[arg-type]
    except (NoLine, ValueError) as error:
        return "", str(error)
    numbers: Numbers = {}
    same = [f.key for f in forms(body, numbers)] == [f.key for f in forms(again, numbers)]
    return (text, "") if same else ("", "it has something that a line cannot say")


def _with_line(program: Program, pou: str, number: int, line: Line, replaces: bool) -> Program:
    key = pou.lower()
    one = program.pous[key]
    body = drawn(one.body, number, line.parts, line.label, replaces)  # type: ignore[arg-type]
    return declared(replace(program, pous=program.pous | {key: replace(one, body=body)}), pou, line)


def declared(program: Program, pou: str, line: Line) -> Program:
    """The program with all names of a line declared: contacts and coils as BOOL, values as what stands beside them, blocks in the POU.

    Raises: ValueError for a block that is neither of the standard nor of the program.
    """
    for instance, kind in line.blocks:
        if kind.upper() not in STANDARD_BLOCKS and kind.lower() not in program.pous:
            raise ValueError(f"{kind} is no block of the standard, and none of this program")
        type_ = Named(kind.upper() if kind.upper() in STANDARD_BLOCKS else kind)
        program = declarations.with_instance(program, pou, instance, type_)
    for name in line.bits:
        program = declarations.with_tag(program, pou, name, BOOL)
    for name, beside in line.values:
        program = declarations.with_tag(program, pou, name, next((t for other in beside if (t := _type_of(program, pou, other)) is not None), INT))
    return program


def _type_of(program: Program, pou: str, text: str) -> Elementary | None:
    """The type of an operand: a tag's, or what a literal says of itself."""
    found = declarations.declared(program, pou, text)
    if found is not None:
        return found[1].type if isinstance(found[1].type, Elementary) else None
    prefix, sign, _ = text.partition("#")
    if sign:
        return ELEMENTARY.get({"T": "TIME", "D": "DATE", "TOD": "TIME_OF_DAY", "DT": "DATE_AND_TIME"}.get(prefix.upper(), prefix.upper()))
    return ELEMENTARY["REAL"] if re.fullmatch(r"[+-]?\d+\.\d+([eE][+-]?\d+)?", text) else None


def _copied(program: Program, pou: str, number: int, text: str, typed: str) -> Program:
    """A copy of a rung below it, its names changed; each new name is declared as the old one is."""
    pairs = [tuple(p.strip() for p in one.split("=")) for one in typed.split(",") if one.strip()]
    if not pairs or any(len(p) != 2 or not p[0] for p in pairs):
        raise ValueError("write OLD=NEW, several parted by commas")
    fresh: dict[str, str] = {}

    def other(found: re.Match[str]) -> str:
        name = found.group()
        changed = next((new for old, new in pairs if old.lower() == name.lower()), "")
        if not changed:
            changed = name
            for old, new in pairs:
                changed = changed.replace(old, new)
        if changed != name:
            fresh[changed] = name
        return changed

    made = _NAME.sub(other, text)
    if not fresh:
        raise ValueError(f"none of {', '.join(p[0] for p in pairs)} stands in {text}")
    line = read_line(made)
    twice = next((name for name, _ in line.blocks if name in {n for n, _ in read_line(text).blocks}), "")
    if twice:
        raise ValueError(f"{twice} would be executed twice: give the copy one of its own, {twice}=...")
    for new, old in fresh.items():
        found = declarations.declared(program, pou, old)
        if found is not None and isinstance(found[1].type, Elementary):
            program = declarations.with_tag(program, pou, new, found[1].type)
    return _with_line(program, pou, number, line, replaces=False)


# more of a kind

_NUMBERED = re.compile(r"(.*?)(\d+)$")


def _more_of_its_kind(program: Program, pou: str, number: int, text: str, typed: str) -> Program:
    """Further rungs of a kind whose outputs lock one another out: each checks all others, those that are there already too.

    Raises: ValueError where the coil has no number at its end, or nothing like that can be made of what was typed.
    """
    coil = _coil(text)
    found = _NUMBERED.match(coil)
    if found is None:
        raise ValueError(f"{coil or 'what it does'} has no number at its end: of Lane_1 a Lane_3 can be made")
    stem = found[1]
    fresh = re.findall(r"\d+", typed)
    if not fresh or re.sub(r"[\d,\s]", "", typed):
        raise ValueError("write the numbers of the new ones: 3, 4")
    body = program.pous[pou.lower()].body
    there: dict[str, tuple[int, str]] = {}  # by number: its rung, its line
    for rung in body.rungs:  # type: ignore[union-attr]
        line, _ = _line_of(program, pou, rung.number)
        own = _NUMBERED.match(_coil(line))
        if own is not None and own[1] == stem:
            there.setdefault(own[2], (rung.number, line))
    twice = next((n for n in fresh if n in there), "")
    if twice:
        raise ValueError(f"{stem}{twice} is there already")
    every = [*there, *fresh]
    for mine, (at, line) in there.items():
        program = _with_line(program, pou, at, read_line(_checking(line, stem, mine, every)), replaces=True)
    for n, mine in enumerate(fresh):
        made = _checking(_renumbered(text, stem, found[2], mine), stem, mine, every)
        program = _with_line(program, pou, max(at for at, _ in there.values()) + n, read_line(made), replaces=False)
    return program


def _coil(line: str) -> str:
    """The tag of a line's plain coil at its end; "" where it ends in something else."""
    found = re.search(r"\((?:/|S |R )?([A-Za-z_]\w*)\)$", line)
    return found[1] if found is not None else ""


def _renumbered(line: str, stem: str, old: str, new: str) -> str:
    """A line of another number: every name that ends in the old one; contacts of others of the kind stay."""
    def other(found: re.Match[str]) -> str:
        own = _NUMBERED.match(found.group())
        return f"{own[1]}{new}" if own is not None and own[2] == old else found.group()

    return _NAME.sub(other, line)


def _checking(line: str, stem: str, mine: str, every: list[str]) -> str:
    """A line with a normally closed contact of each other one of the kind, where the first of them stood, else before the coil."""
    lock = re.compile(rf"/{re.escape(stem)}\d+(?!\w)\s*")
    others = " ".join(f"/{stem}{n}" for n in every if n != mine)
    first = lock.search(line)
    at = first.start() if first is not None else line.rindex("(")
    return f"{lock.sub('', line[:at])}{others} {lock.sub('', line[at:])}"
