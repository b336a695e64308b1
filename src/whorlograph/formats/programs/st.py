"""Programs as IEC 61131-3 text: TYPE, POUs, CONFIGURATION (``.st``)."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from whorlograph.formats.encodings import decoded
from whorlograph.formats.text.assigned import assigned_names
from whorlograph.formats.text.body import body_of
from whorlograph.formats.text.chart import chart_body
from whorlograph.formats.text.chart_text import chart_of, looks_like_chart
from whorlograph.formats.text.constants import constants_of, sections_of, with_numbers
from whorlograph.formats.text.declarations import ConfigurationRead, Declared, ResourceRead, Section, TaskRead, TypeNamed
from whorlograph.formats.text.edges import with_edges
from whorlograph.formats.text.instructions import looks_like_instructions
from whorlograph.formats.text.located import without_paths
from whorlograph.formats.text.objects import without_objects
from whorlograph.formats.text.running import without_block_tasks, without_wrong_parts
from whorlograph.formats.text.tokens import Piece, tokens
from whorlograph.formats.text.tree import parse
from whorlograph.formats.text.unreadable import Unreadable
from whorlograph.formats.text.wrong_declarations import declarations_in, without_wrong
from whorlograph.model.errors import ProgramError
from whorlograph.model.place import Loaded, Notice, Place
from whorlograph.model.program import (
    Body,
    Configuration,
    Located,
    OpaqueBody,
    Pou,
    PouKind,
    Program,
    ProgramInstance,
    Resource,
    Task,
    Variable,
    VariableKind,
)
from whorlograph.model.text import TextBody
from whorlograph.model.types import Initial, TypeRef

UNITS = {"TYPE": "END_TYPE", "PROGRAM": "END_PROGRAM", "FUNCTION_BLOCK": "END_FUNCTION_BLOCK", "FUNCTION": "END_FUNCTION",
         "CONFIGURATION": "END_CONFIGURATION", "SECTION": "END_VAR"}
KINDS = {"PROGRAM": PouKind.PROGRAM, "FUNCTION_BLOCK": PouKind.FUNCTION_BLOCK, "FUNCTION": PouKind.FUNCTION}
SECTIONS = {"VAR": VariableKind.LOCAL, "VAR_INPUT": VariableKind.INPUT, "VAR_OUTPUT": VariableKind.OUTPUT, "VAR_IN_OUT": VariableKind.IN_OUT,
            "VAR_TEMP": VariableKind.TEMP, "VAR_EXTERNAL": VariableKind.EXTERNAL, "VAR_GLOBAL": VariableKind.GLOBAL}
_REMARK = re.compile(r"\s*(?://[^\n]*|\(\*[^\n]*\*\)\s*)")


def only_remark(text: str) -> bool:
    """Whether what follows on a line is a comment: it belongs to what stands before it."""
    return _REMARK.fullmatch(text) is not None


def type_end(pieces: list[Piece], at: int) -> int:
    """Behind the type that stands at a token: a name, its length or bounds; an array of one."""
    brackets = {"BEGIN": "END", "OPEN": "CLOSE"}
    of = at + 1 < len(pieces) and pieces[at].kind == "ARRAY"
    closing = brackets.get(pieces[at + 1].kind) if at + 1 < len(pieces) else None
    if closing is None:
        return min(at + 1, len(pieces))
    end = next((i for i in range(at, len(pieces)) if pieces[i].kind == closing), len(pieces) - 1) + 1
    return type_end(pieces, end + 1) if of and end < len(pieces) and pieces[end].kind == "OF" else end


def said_above(text: str, piece: Piece) -> tuple[int, int, str]:
    """The comment that stands by itself right above a token's line: where it begins, where it ends, its words; "" where there is none."""
    line = text.rfind("\n", 0, piece.start) + 1
    above = text[:line].rstrip()
    end = len(above)
    if text.count("\n", end, line) != 1:
        return line, line, ""
    if above.endswith("*)"):
        start = above.rfind("(*")
    else:
        last = above.rfind("\n") + 1
        start = last + above[last:].find("//") if "//" in above[last:] else -1
    if start < 0 or above[above.rfind("\n", 0, start) + 1:start].strip():
        return line, line, ""
    return start, end, " ".join(above[start:end].strip("(*/)").split())


class _Reader:
    """Gathers one file."""

    def __init__(self, text: str, file: str) -> None:
        self.text, self.file = text, file
        self.lines = text.splitlines()
        self.comments: dict[int, str] = {}
        objects = without_objects(tokens(text, self.comments), text)
        self.pieces, self.extends = objects.pieces, objects.extends
        self.notices: list[Notice] = [n for error, effect in objects.said for n in error.notices(file, "", effect)]
        self.types: dict[str, TypeRef] = {}
        self.defaults: dict[str, Initial] = {}
        self.pous: dict[str, Pou] = {}
        self.configurations: list[Configuration] = []
        self.loose: list[Variable] = []
        self.units = 0
        whole = [s for s in sections_of(self.pieces) if s[0].text.upper() == "VAR_GLOBAL"] if any(p.kind == "CONSTANT" for p in self.pieces) else []
        self.constants = constants_of((s for s in whole if any(p.kind == "CONSTANT" for p in s)), _sections, {})

    def say(self, error: Unreadable, effect: str, pou: str = "") -> None:
        self.notices += error.notices(self.file, pou, effect)

    def read(self) -> None:
        at = 0
        while at < len(self.pieces):
            piece = self.pieces[at]
            closing = UNITS.get(piece.kind)
            if piece.kind == "SEMICOLON":
                at += 1  # many put one behind what ends
                continue
            if closing is None:
                end = next((i for i in range(at, len(self.pieces)) if self.pieces[i].kind in UNITS), len(self.pieces))
                what = f"{piece.text!r} begins no type, POU or configuration"
                self.say(Unreadable(piece.line, piece.column, what), "passed over up to the next one")
                at = end
                continue
            end = next((i for i in range(at + 1, len(self.pieces)) if self.pieces[i].kind == closing), -1)
            if end < 0:
                self.say(Unreadable(piece.line, piece.column, f"{piece.text} is not ended by {closing}"), "it is left out")
                at = next((i for i in range(at + 1, len(self.pieces)) if self.pieces[i].kind in KINDS), len(self.pieces))
                continue
            self.unit(self.pieces[at:end + 1])
            at = end + 1

    def unit(self, pieces: list[Piece]) -> None:
        self.units += 1
        try:
            if pieces[0].kind == "TYPE":
                self.type_block(self.types_of(with_numbers(_ended(pieces[1:-1]), self.constants)))
            elif pieces[0].kind == "CONFIGURATION":
                rest, located, wrong = without_paths(with_numbers(pieces, self.constants), _sections)
                for one in wrong:
                    self.say(one, "what it says of that variable is passed over")
                rest, alone = without_block_tasks(rest)
                for one in alone:
                    self.say(one, "it runs where it is called")
                read: ConfigurationRead = self.leniently(rest, _configuration)
                self.configurations.append(self.configuration(read, tuple(located)))
            elif pieces[0].kind == "SECTION":
                self.loose += self.variables(self.leniently(with_numbers(pieces, self.constants), _sections))
            else:
                self.pou(pieces)
        except Unreadable as error:
            self.say(error, f"{pieces[0].text} {pieces[1].text if len(pieces) > 1 else ''} is left out".replace("  ", " "))

    def leniently(self, pieces: list[Piece], read: Callable[[list[Piece]], Any], pou: str = "") -> Any:
        """Read what has declarations in it, without those that cannot be read.

        Raises: Unreadable where something else cannot.
        """
        try:
            return read(pieces)
        except Unreadable as error:
            rest, wrong = without_wrong(pieces, _sections)
            rest, parts = without_wrong_parts(rest, _configuration) if pieces[0].kind == "CONFIGURATION" else (rest, [])
            if not (wrong or parts) or error.ends:
                raise
            found = read(rest)
        for one in wrong:
            self.say(one, "the declaration is left out, and what uses it not executed", pou)
        for one in parts:
            self.say(one, "that part is left out: what it runs does not run", pou)
        return found

    def types_of(self, pieces: list[Piece]) -> list[TypeNamed]:
        """The types of a block, without those that cannot be read."""
        try:
            found: list[TypeNamed] = parse(pieces, "types")
            return found
        except Unreadable as error:
            if error.ends:
                raise
        found = []
        for one in declarations_in(pieces):
            try:
                found += parse(one, "types")
            except Unreadable as error:
                error.behind = []
                self.say(error, f"TYPE {one[0].text} is left out")
        return found

    def type_block(self, found: list[TypeNamed]) -> None:
        for one in found:
            if one.name.lower() in self.types:
                self.say(Unreadable(one.line, 0, f"type {one.name} is declared twice"), "the first counts")
                continue
            self.types[one.name.lower()] = one.type
            if one.initial is not None:
                self.defaults[one.name.lower()] = one.initial

    def variables(self, sections: list[Section]) -> list[Variable]:
        return [v for s in sections for d in s.declared for v in self.declared(s, d)]

    def declared(self, section: Section, one: Declared) -> list[Variable]:
        kind = SECTIONS.get(section.kind, VariableKind.LOCAL)
        kept = bool(section.qualifiers & {"RETAIN", "PERSISTENT"})
        return [Variable(name, one.type, kind, one.address, one.initial, kept, "CONSTANT" in section.qualifiers, self.comments.get(line, ""), line)
                for name, line in one.names]

    def pou(self, pieces: list[Piece]) -> None:
        first, name = pieces[0], pieces[1]
        if name.kind != "NAME":
            raise Unreadable(name.line, name.column, f"{name.text!r} stands where a name was expected")
        begin, returns = 2, None
        if len(pieces) > begin + 1 and pieces[begin].kind == "COLON":
            end = type_end(pieces, begin + 1)
            returns = self.type_at(pieces[begin], pieces[begin + 1:end])
            begin = end
        end = begin
        while pieces[end].kind == "SECTION":
            end = next(i for i in range(end, len(pieces)) if pieces[i].kind in ("END_VAR", UNITS[first.kind])) + 1
            if end >= len(pieces):
                raise Unreadable(first.line, first.column, "a VAR is not ended by END_VAR")
        try:
            declarations = pieces[begin:end]
            known = self.constants
            if known or any(p.kind == "CONSTANT" for p in declarations):
                known = constants_of(sections_of(declarations), _sections, known)
            sections = self.leniently(with_numbers(declarations, known), _sections, name.text)
        except Unreadable as error:
            error.behind += _errors_of(pieces[end:-1], self.text)
            raise
        variables = self.variables(sections)
        edges = {name: d.edge for s in sections for d in s.declared if d.edge for name, _ in d.names}
        place = Place(self.file, first.line, name.text)
        key = name.text.lower()
        if key in self.pous:
            self.say(Unreadable(first.line, first.column, f"{name.text} is declared twice"), "the first counts")
            return
        documentation = said_above(self.text, first)[2]
        body, more = self.body(pieces[end:-1], pieces[end - 1], pieces[-1], name.text, tuple(variables))
        if edges and isinstance(body, TextBody):
            body, seen = with_edges(body, edges)
            more += seen
        elif edges:
            what = f"{', '.join(edges)}: edges of inputs are read in texts only"
            self.say(Unreadable(first.line, first.column, what), "taken as they are", name.text)
        variables += more
        self.pous[key] = Pou(name.text, KINDS[first.kind], tuple(variables), body, returns, documentation, place)

    def type_at(self, colon: Piece, pieces: list[Piece]) -> TypeRef:
        """The type of a function, as it is declared behind a colon."""
        opened, name, closed = (Piece(kind, text, colon.line, colon.column, colon.start) for kind, text in
                                (("SECTION", "VAR"), ("NAME", "x"), ("SEMICOLON", ";")))
        made = [opened, name, colon, *with_numbers(pieces, self.constants), closed, replace(closed, kind="END_VAR", text="END_VAR")]
        return _sections(made)[0].declared[0].type

    def between(self, before: Piece, last: Piece) -> tuple[int, list[str]]:
        """What is written between two tokens: its first line, and its lines, columns kept."""
        begin, behind = before.line, before.column - 1 + len(before.text)
        lines = self.lines[begin - 1:last.line]
        lines[-1] = lines[-1][:last.column - 1]
        lines[0] = "" if only_remark(lines[0][behind:]) else " " * behind + lines[0][behind:]
        while lines and not lines[0].strip():
            begin += 1
            del lines[0]
        while lines and not lines[-1].strip():
            del lines[-1]
        return begin, lines

    def body(self, pieces: list[Piece], before: Piece, last: Piece, pou: str,
             variables: tuple[Variable, ...]) -> tuple[Body, tuple[Variable, ...]]:
        """A body in the language that it begins like, and the variables that a chart is made of."""
        begin, source = self.between(before, last)
        chart = looks_like_chart(pieces)
        try:
            if pou.lower() in self.extends:
                raise self.extends[pou.lower()]
            if chart:
                return chart_body(chart_of(pieces, self.text), variables)
            return body_of(pieces, tuple(source), begin), ()
        except Unreadable as error:
            text = "\n".join(source)
            language = "SFC" if chart else "IL" if looks_like_instructions(pieces) else "ST"
            self.say(error, "its body is not executed: what it alone writes comes from the log", pou)
            return OpaqueBody(language, text, assigned_names(text, language)), ()

    def configuration(self, read: ConfigurationRead, located: tuple[Located, ...]) -> Configuration:
        variables = self.variables([p for p in read.parts if isinstance(p, Section)])
        resources = [self.resource(p) for p in read.parts if isinstance(p, ResourceRead)]
        direct = [p for p in read.parts if isinstance(p, (TaskRead, ProgramInstance))]
        if direct:
            resources.append(self.resource(ResourceRead(read.name, tuple(direct))))
        return Configuration(read.name, tuple(resources), tuple(variables), located)

    def resource(self, read: ResourceRead) -> Resource:
        instances = tuple(self.instance(p) for p in read.parts if isinstance(p, ProgramInstance))
        tasks = tuple(self.task(p) for p in read.parts if isinstance(p, TaskRead))
        return Resource(read.name, instances, tasks, tuple(self.variables([p for p in read.parts if isinstance(p, Section)])))

    def task(self, read: TaskRead) -> Task:
        """A task; what is set of it that nothing reads is said."""
        found: dict[str, str] = {}
        for name, value in read.settings:
            key, what, effect = name.text.upper(), "", ""
            if key not in ("SINGLE", "INTERVAL", "PRIORITY"):
                what, effect = f"{name.text} of task {read.name} is not read", "it counts as if it were not there"
            elif key == "PRIORITY" and not value.replace("_", "").isdigit():
                what, effect = f"the priority {value} of task {read.name} is no whole number from 0 on", "it counts as 0"
            elif key in found:
                what, effect = f"{name.text} of task {read.name} is set twice", "the first counts"
            else:
                found[key] = value
            if what:
                self.say(Unreadable(name.line, name.column, what), effect)
        return Task(read.name, int(found.get("PRIORITY", "0")), found.get("INTERVAL", ""), found.get("SINGLE", ""))

    def instance(self, one: ProgramInstance) -> ProgramInstance:
        """A program with the lines that connect something to it."""
        last = max((v.line for a in one.connected for v in (a.value, a.output) if v is not None), default=0)
        return replace(one, source=tuple(self.lines[one.line - 1:last]))


def _configuration(pieces: list[Piece]) -> ConfigurationRead:
    found: ConfigurationRead = parse(pieces, "configuration")
    return found


def _sections(pieces: list[Piece]) -> list[Section]:
    found: list[Section] = parse(pieces, "sections")
    return found


def _ended(pieces: list[Piece]) -> list[Piece]:
    """Tokens with a semicolon behind each END_STRUCT, which many leave out."""
    found: list[Piece] = []
    for piece, following in zip(pieces, [*pieces[1:], None], strict=True):
        found.append(piece)
        if piece.kind == "END_STRUCT" and (following is None or following.kind not in ("SEMICOLON", "GIVES")):
            found.append(Piece("SEMICOLON", ";", piece.line, piece.column + len(piece.text), piece.end))
    return found


def _errors_of(pieces: list[Piece], text: str) -> list[Unreadable]:
    """The errors of a body whose declarations cannot be read either. Args: text: the whole file's, which the tokens index."""
    try:
        if looks_like_chart(pieces):
            chart_of(pieces, text)
        else:
            body_of(pieces, (), 1)
    except Unreadable as error:
        return [error, *error.behind]
    return []


def read(data: bytes, path: Path) -> Loaded[Program]:
    """Read a text file with types, POUs and a configuration.

    Raises: ProgramError where there is none of them.
    """
    text, _ = decoded(data)
    reader = _Reader(text.replace("\r\n", "\n").replace("\r", "\n"), str(path))
    reader.read()
    if not reader.pous and not reader.types and not reader.configurations:
        first = reader.notices[0] if reader.notices else None
        rest = len(reader.notices) - 1
        more = f"; {rest} more error{'s' * (rest > 1)} behind it" if rest > 0 else ""
        what = f"{first.what}{more}" if first is not None else "there is no TYPE, PROGRAM, FUNCTION or CONFIGURATION in it"
        where = f"{path}:{first.place.line}" if first is not None else str(path)
        raise ProgramError(where, f"is no program text ({what})", "give IEC 61131-3 text, or XML")
    configurations = [*reader.configurations]
    if reader.loose:
        configurations.append(Configuration("", (), tuple(reader.loose)))
    program = Program(path.stem, reader.types, reader.pous, tuple(configurations), str(path), defaults=reader.defaults)
    return Loaded(program, reader.notices)
