"""Changes carried over into a program text (``.st``): declaration by declaration, statement texts as a whole; comments and layout stay."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Callable, Iterable

from msgspec.structs import replace

from whorlograph.formats.encodings import decoded
from whorlograph.formats.text.objects import without_objects
from whorlograph.formats.text.tokens import Piece, tokens
from whorlograph.formats.text.written import declared_text, instance_text, remark_text, task_text, type_text, variable_text
from whorlograph.model.chart import ChartBody
from whorlograph.model.errors import ProgramError
from whorlograph.model.program import Body, Configuration, OpaqueBody, Pou, Program, Resource, Variable, VariableKind
from whorlograph.model.text import TextBody
from whorlograph.model.types import Structure

from ..st import KINDS, SECTIONS, UNITS, only_remark, said_above, type_end
from ..xml_chart_write import own_variables
from .cuts import Cut, cut
from .declared import Declaration, Section, declarations, section_of, statements, units

_WORDS = {kind: word for word, kind in SECTIONS.items()}
_POUS = {kind: word for word, kind in KINDS.items()}
_HEADER = re.compile(r"\s*(?:EXTENDS|IMPLEMENTS)\b", re.IGNORECASE)
_REMARK = re.compile(r"[ \t]*(?://[^\n]*|\(\*.*?\*\))", re.DOTALL)


def splice_text(data: bytes, old: Program, new: Program) -> bytes:
    """The text of a program with the changes that lead to another one. Raises: ProgramError for what it cannot hold."""
    text, encoding = decoded(data)
    ends = "\r\n" if "\r\n" in text else "\n"
    plain = text.replace("\r\n", "\n").replace("\r", "\n")
    work = _Text(plain, old)
    work.program(new)
    offsets = _offsets(text, encoding, len(data))
    try:
        cuts = [Cut(offsets(c.start), offsets(c.end), c.text.decode().replace("\n", ends).encode(encoding)) for c in work.cuts]
    except UnicodeEncodeError as error:
        letter = error.object[error.start]
        raise ProgramError(old.file, f"the letter {letter!r} cannot be written in its encoding", "save the file as UTF-8 first") from error
    return cut(data, cuts)


def _offsets(text: str, encoding: str, size: int) -> Callable[[int], int]:
    """From a place in the text with plain line ends to the byte of the file."""
    doubled = [m.start() - n for n, m in enumerate(re.finditer("\r\n", text))]
    each = 2 if encoding.startswith("utf-16") else 1
    wide, more = [], [0]
    for match in re.finditer(r"[^\x00-\x7f]", text) if encoding != "cp1252" else ():
        wide.append(match.start())
        more.append(more[-1] + len(match[0].encode(encoding)) - each)
    begin = size - len(text.encode(encoding, "replace"))

    def byte(at: int) -> int:
        there = at + bisect_left(doubled, at)
        return begin + each * there + more[bisect_left(wide, there)]
    return byte


class _Text:
    """One file on its way."""

    def __init__(self, text: str, old: Program) -> None:
        self.text, self.old = text, old
        self.comments: dict[int, str] = {}
        self.pieces = without_objects(tokens(text, self.comments), text).pieces
        self.cuts: list[Cut] = []
        self.units: list[list[Piece]] = []
        self.declared: dict[int, list[Declaration]] = {}  # by line
        at = 0
        while at < len(self.pieces):
            closing = UNITS.get(self.pieces[at].kind)
            end = next((i for i in range(at + 1, len(self.pieces)) if self.pieces[i].kind == closing), -1) if closing else -1
            if end >= 0:
                self.units.append(self.pieces[at:end + 1])
                at = end
            at += 1

    def cut(self, start: int, end: int, text: str) -> None:
        self.cuts.append(Cut(start, end, text.encode()))

    def refuse(self, what: str, remedy: str) -> ProgramError:
        return ProgramError(self.old.file, what, remedy)

    # the whole

    def program(self, new: Program) -> None:
        self.types(new)
        there: dict[str, list[Piece]] = {}
        for unit in self.units:
            if unit[0].kind in KINDS:
                there.setdefault(unit[1].text.lower(), unit)
        last = len(self.text)
        for key, unit in there.items():
            if key in self.old.pous and key not in new.pous:
                self.remove(self.above(unit[0]), self.line_end(unit[-1]))
            elif key in self.old.pous and self.old.pous[key] != new.pous[key]:
                self.pou(unit, self.old.pous[key], new.pous[key])
        for key, pou in new.pous.items():
            if key not in self.old.pous:
                before = "" if self.text.endswith("\n") or not self.text else "\n"
                self.cuts.insert(0, Cut(last, last, f"{before}\n{self.whole(pou)}".encode()))
        self.configurations(new)

    def types(self, new: Program) -> None:
        blocks = [u for u in self.units if u[0].kind == "TYPE"]
        there: dict[str, tuple[Piece, Piece, list[Piece]]] = {}
        for unit in blocks:
            for names, pieces in statements(unit[1:-1]):
                there.setdefault(names[0].text.lower(), (pieces[0], pieces[-1], pieces))
        for key, (first, last, pieces) in there.items():
            if key not in self.old.types:
                continue
            if key not in new.types:
                self.remove(first.start, self.line_end(last))
                continue
            one, two = self.old.types[key], new.types[key]
            starts = self.old.defaults.get(key), new.defaults.get(key)
            if one == two and starts[0] == starts[1]:
                continue
            if isinstance(one, Structure) and isinstance(two, Structure) and starts[0] == starts[1]:
                self.members(pieces, one, two)
            else:
                self.cut(first.start, last.end, f"{first.text} : {declared_text(two, starts[1])};")
        fresh = [k for k in new.types if k not in self.old.types]
        lines = [f"  {k} : {declared_text(new.types[k], new.defaults.get(k))};\n" for k in fresh]
        if fresh and blocks:
            at = self.line_start(blocks[-1][-1])
            self.cut(at, at, ("" if at != blocks[-1][-1].start or self.text[at - 1:at] == "\n" else "\n") + "".join(lines))
        elif fresh:
            self.cut(0, 0, f"TYPE\n{''.join(lines)}END_TYPE\n\n")

    def members(self, pieces: list[Piece], one: Structure, two: Structure) -> None:
        """The members of a structure, as declarations are."""
        first = next(i for i, p in enumerate(pieces) if p.kind == "STRUCT")
        last = max(i for i, p in enumerate(pieces) if p.kind == "END_STRUCT")
        inside = declarations(pieces[first + 1:last])
        section = Section(VariableKind.LOCAL, False, False, pieces[first], pieces[first], pieces[last], inside)
        as_variables = [tuple(Variable(f.name, f.type, VariableKind.LOCAL, initial=f.initial) for f in s.fields) for s in (one, two)]
        self.variables([section], as_variables[0], as_variables[1], pieces[first])

    # POUs

    def whole(self, pou: Pou) -> str:
        """A new POU."""
        if not isinstance(pou.body, TextBody) and not (isinstance(pou.body, OpaqueBody) and pou.body.language in ("ST", "IL", "none")):
            raise self.refuse(f"{pou.name} is drawn, and cannot be written as text", "write the program as XML")
        word = _POUS[pou.kind]
        said = f"{remark_text(pou.documentation)}\n" if pou.documentation else ""
        returns = f" : {type_text(pou.returns)}" if pou.returns is not None else ""
        sections = self.sections(own_variables(pou.variables))
        return f"{said}{word} {pou.name}{returns}\n{sections}{_source(pou.body)}\nEND_{word}\n"

    @staticmethod
    def sections(variables: Iterable[Variable]) -> str:
        """Declarations in sections, a new one where the kind changes."""
        out, last = "", None
        for one in variables:
            what = (one.kind, one.retain, one.constant)
            if what != last:
                out += ("END_VAR\n" if out else "") + f"{_opening(one)}\n"
                last = what
            out += f"  {variable_text(one, True)}\n"
        return out + ("END_VAR\n" if out else "")

    def pou(self, unit: list[Piece], old: Pou, new: Pou) -> None:
        if old.kind is not new.kind:
            raise self.refuse(f"{new.name} became a {new.kind.value}", "declare it under a new name")
        if old.name != new.name:
            self.cut(unit[1].start, unit[1].end, new.name)
        begin = 2
        if unit[2].kind == "COLON":
            begin = type_end(unit, 3)
        if old.returns != new.returns:
            self.cut(unit[1].end, unit[begin - 1].end, f" : {type_text(new.returns)}" if new.returns is not None else "")
        if old.documentation != new.documentation:
            self.said(unit[0], new.documentation)
        sections, end = [], begin
        while unit[end].kind == "SECTION":
            last = next(i for i in range(end, len(unit)) if unit[i].kind == "END_VAR")
            sections.append(self.section(unit[end:last + 1]))
            end = last + 1
        if not sections and own_variables(new.variables) and _HEADER.match(self.text, unit[begin - 1].end):
            raise self.refuse(f"{new.name} extends or implements another, and has no VAR yet", "begin a VAR ... END_VAR there by hand")
        self.variables(sections, own_variables(old.variables), own_variables(new.variables), unit[begin - 1])
        if old.body != new.body:
            self.body(unit[end - 1], unit[-1], old.body, new.body, new.name)

    def said(self, first: Piece, text: str) -> None:
        """What is said above a POU."""
        start, end, words = said_above(self.text, first)
        remark = remark_text(text) if text else ""
        if words:
            self.cut(start, end if remark else min(len(self.text), end + 1), remark)
        elif remark:
            self.cut(start, start, f"{remark}\n")

    def body(self, before: Piece, last: Piece, old: Body, new: Body, name: str) -> None:
        if isinstance(new, ChartBody) or not isinstance(new, (TextBody, OpaqueBody)):
            raise self.refuse(f"{name}: a changed {'chart' if isinstance(new, ChartBody) else 'drawing'} is not written back as text",
                              "use XML for it")
        if isinstance(old, TextBody) and isinstance(new, TextBody) and old.source == new.source:
            return
        between = self.text[before.end:last.start]
        lines = between.split("\n")
        begin = next((i for i, line in enumerate(lines) if line.strip() and not (i == 0 and only_remark(line))), len(lines) - 1)
        end = next((i for i in range(len(lines) - 1, -1, -1) if lines[i].strip()), begin)
        source = _source(new)
        if begin == 0:  # the body begins on the line of what stands before it
            blank = " " * (before.column - 1 + len(before.text))
            source = source.removeprefix(blank) if source.startswith(blank) else f"\n{source}"
        start = before.end + sum(len(line) + 1 for line in lines[:begin])
        stop = before.end + sum(len(line) + 1 for line in lines[:end]) + len(lines[end])
        self.cut(start, max(start, stop), source + ("" if end < len(lines) - 1 or source.endswith((" ", "\n")) else "\n"))

    # declarations

    def section(self, pieces: list[Piece]) -> Section:
        """A section from its tokens; what it declares is known by line from now on."""
        found = section_of(pieces)
        for one in found.declared:
            for line in {*one.lines}:
                self.declared.setdefault(line, []).append(one)
        return found

    def variables(self, sections: list[Section], old: tuple[Variable, ...], new: tuple[Variable, ...], before: Piece) -> None:
        """Declarations of one place. Args: before: the token behind which a first section may stand."""
        was, now = {v.name.lower(): v for v in old}, {v.name.lower(): v for v in new}
        if [_bare(v) for v in old] == [_bare(v) for v in new]:
            return
        stays = [k for k in now if k in was and _kind(was[k]) == _kind(now[k])]
        moved = stays != [k for k in was if k in now and _kind(was[k]) == _kind(now[k])]
        kept = set() if moved else set(stays)
        behind: dict[str, list[str]] = {}  # by a variable that stays, the new ones that follow it
        last = ""
        for k in now:
            if k in kept:
                last = k
            else:
                behind.setdefault(last, []).append(k)
        placed: set[str] = set()
        final = before
        for section in sections:
            for unit in units(section):
                self.unit(section, unit, was, now, kept, behind, placed)
            final = section.closed
        rest = [k for k in now if k not in kept and k not in placed]
        anchors = {n: s for s in sections for d in s.declared for n in d.names}
        for last, names in behind.items():
            names = [n for n in names if n in rest]
            if names:
                anchor = anchors[last].closed if last else before if any(n in kept for n in now) else final
                text = self.sections(now[n] for n in names).rstrip("\n")
                end = self.line_end(anchor)
                if self.text[end:end + 1] in ("\n", ""):
                    self.cut(end, end, f"\n{text}")
                    continue
                said = self.comments.get(anchor.line, "") if self.declared.get(anchor.line) else ""
                self.cut(anchor.end, anchor.end, (f" {remark_text(said)}" if said else "") + f"\n{text}\n")

    def unit(self, section: Section, unit: list[Declaration], was: dict[str, Variable], now: dict[str, Variable], kept: set[str],
             behind: dict[str, list[str]], placed: set[str]) -> None:
        """Declarations that share a line, and with it what is said behind them."""
        here = [self.remaining(section, one, now, kept, behind, placed) for one in unit]
        same = [names[:len(one.names)] == one.names and all(_bare(was[n]) == _bare(now[n]) for n in one.names)
                for one, names in zip(unit, here, strict=True)]
        grown = [len(names) > len(one.names) for one, names in zip(unit, here, strict=True)]
        if all(same) and not any(grown):
            return
        end = self.line_end(unit[-1].last)
        indent = self.indent(unit[0].first)
        if all(same) and not any(grown[:-1]) and self.text[end:end + 1] in ("\n", ""):
            fresh = here[-1][len(unit[-1].names):]
            self.cut(end, end, "".join(f"\n{indent}{variable_text(now[n], True)}" for n in fresh))
            return
        if not any(here):
            self.remove(unit[0].first.start, end)
            return
        if any(one.edge for one in unit):
            raise self.refuse(f"{unit[0].first.text} is declared with an edge, which is not written back", "change it by hand")
        if all(self.quiet(one, names, was, now) for one, names in zip(unit, here, strict=True)):
            for one, names, stays in zip(unit, here, same, strict=True):
                if not names:
                    self.cut(one.first.start, one.last.end, "")
                elif not stays or names != one.names:
                    self.cut(one.first.start, one.last.end, " ".join(variable_text(now[n], False) for n in names))
            return
        start = unit[0].first.start
        line = self.line_of(start)
        front = ""
        if self.text[line:start].strip():
            beside = any(d not in unit for d in self.declared.get(unit[0].first.line, ()))
            said = self.comments.get(unit[0].first.line, "")
            front = (f"{remark_text(said)}" if beside and said else "") + f"\n{indent}"
        follows = f"\n{indent}" if self.text[end:end + 1] not in ("\n", "") else ""
        self.cut(start, end, front + f"\n{indent}".join(variable_text(now[n], True) for names in here for n in names) + follows)

    def remaining(self, section: Section, one: Declaration, now: dict[str, Variable], kept: set[str], behind: dict[str, list[str]],
                  placed: set[str]) -> list[str]:
        """What is left of a declaration's names, and the new ones that follow them."""
        found: list[str] = []
        for name in one.names:
            if name in kept:
                found.append(name)
                for more in behind.get(name, ()):
                    if _kind(now[more]) != (section.kind, section.retain, section.constant):
                        break
                    found.append(more)
                    placed.add(more)
        return found

    @staticmethod
    def quiet(one: Declaration, here: list[str], was: dict[str, Variable], now: dict[str, Variable]) -> bool:
        """Whether a declaration can be written anew on its line, and leave what is said there alone."""
        return all(n in one.names and was[n].documentation == now[n].documentation for n in here) and {*one.lines, one.last.line} == {one.last.line}

    # configurations

    def configurations(self, new: Program) -> None:
        old = {c.name.lower(): c for c in self.old.configurations}
        fresh = {c.name.lower(): c for c in new.configurations}
        loose = [self.section(u) for u in self.units if u[0].kind == "SECTION"]
        if loose or "" in fresh:
            nothing = Configuration("", ())
            if "" in fresh and not loose and "" not in old:
                self.cut(len(self.text), len(self.text), f"\n{self.sections(fresh[''].variables)}")
            else:
                self.variables(loose, old.get("", nothing).variables, fresh.get("", nothing).variables, loose[-1].closed)
        for unit in (u for u in self.units if u[0].kind == "CONFIGURATION"):
            name = unit[1].text.lower()
            if name in old and name not in fresh:
                self.remove(unit[0].start, self.line_end(unit[-1]))
            elif name in old and old[name] != fresh[name]:
                self.configuration(unit, old[name], fresh[name])
        for name, one in fresh.items():
            if name and name not in old:
                inside = "".join(f"RESOURCE {r.name} ON CPU\n{self.sections(r.variables)}{self.runs(r, '  ')}END_RESOURCE\n" for r in one.resources)
                end = len(self.text)
                self.cut(end, end, f"\nCONFIGURATION {one.name}\n{self.sections(one.variables)}{inside}END_CONFIGURATION\n")

    @staticmethod
    def runs(resource: Resource, indent: str) -> str:
        """Tasks and program instances, a line each."""
        lines = [*(task_text(t) for t in resource.tasks), *(f"PROGRAM {instance_text(i)};" for i in resource.instances)]
        return "".join(f"{indent}{line}\n" for line in lines)

    def configuration(self, unit: list[Piece], old: Configuration, new: Configuration) -> None:
        sections: dict[str, list[Section]] = {"": []}
        runs: dict[str, dict[str, list[Piece]]] = {"": {}}
        heads = {"": unit[1]}
        ends = {"": unit[-1]}
        resource, at = "", 2
        while at < len(unit):
            piece, word = unit[at], unit[at].text.upper()
            if word == "RESOURCE":
                resource = unit[at + 1].text.lower()
                sections[resource], runs[resource], heads[resource] = [], {}, unit[at + 3]
                at += 4
            elif word == "END_RESOURCE":
                ends[resource], resource = piece, ""
                at += 1
            elif piece.kind == "SECTION":
                end = next(i for i in range(at, len(unit)) if unit[i].kind == "END_VAR")
                sections[resource].append(self.section(unit[at:end + 1]))
                at = end + 1
            elif word in ("TASK", "PROGRAM"):
                end = next(i for i in range(at, len(unit)) if unit[i].kind == "SEMICOLON")
                named = at + 1 + (unit[at + 1].kind in ("RETAIN", "NON_RETAIN", "CONSTANT", "PERSISTENT"))
                runs[resource][f"{word} {unit[named].text.lower()}"] = unit[named if word == "PROGRAM" else at:end + 1]
                at = end + 1
            else:
                at += 1
        self.variables(sections[""], old.variables, new.variables, heads[""])
        before, after = ({r.name.lower(): r for r in c.resources} for c in (old, new))
        if list(before) != list(after):
            raise self.refuse("resources came or went", "write them by hand")
        for name, one in before.items():
            inside = name if name in heads else ""  # tasks without a resource make one of the configuration's name
            two = after[name]
            if inside:
                self.variables(sections[inside], one.variables, two.variables, heads[inside])
            self.running(runs[inside], one, two, ends[inside])

    def running(self, there: dict[str, list[Piece]], old: Resource, new: Resource, end: Piece) -> None:
        """Tasks and instances: changed, gone, new."""
        for word, was, now in (("TASK", {t.name.lower(): task_text(t) for t in old.tasks}, {t.name.lower(): task_text(t) for t in new.tasks}),
                               ("PROGRAM", {i.name.lower(): instance_text(i) for i in old.instances},
                                {i.name.lower(): instance_text(i) for i in new.instances})):
            if [n for n in was if n in now] != [n for n in now if n in was]:
                raise self.refuse("programs run in another order", "write it by hand")
            for name, text in was.items():
                pieces = there.get(f"{word} {name}")
                if pieces is None or now.get(name) == text:
                    continue
                if name not in now:
                    start = pieces[0].start if word == "TASK" else self.text.upper().rindex("PROGRAM", 0, pieces[0].start)
                    self.remove(start, self.line_end(pieces[-1]))
                elif word == "TASK":
                    self.cut(pieces[0].start, pieces[-1].end, now[name])
                else:
                    last = next(i for i, p in enumerate(pieces) if p.kind in ("OPEN", "SEMICOLON"))
                    self.cut(pieces[0].start, pieces[last - 1].end, now[name])
            lines = [text if word == "TASK" else f"PROGRAM {text};" for name, text in now.items() if name not in was]
            at = self.line_start(end)
            if lines:
                self.cut(at, at, "".join(f"  {line}\n" for line in lines) if self.text[at - 1:at] == "\n" else " ".join(lines) + " ")

    # places

    def indent(self, piece: Piece) -> str:
        """The blanks before a token that is the first on its line, else two."""
        before = self.text[self.line_of(piece.start):piece.start]
        return before if not before.strip() else "  "

    def line_of(self, at: int) -> int:
        """Where the line of a place begins."""
        return self.text.rfind("\n", 0, at) + 1

    def line_start(self, piece: Piece) -> int:
        """Where a token's line begins, if the token is the first on it; else the token."""
        start = self.line_of(piece.start)
        return piece.start if self.text[start:piece.start].strip() else start

    def line_end(self, piece: Piece) -> int:
        """Behind a declaration and the remark that follows it on its line."""
        end = piece.end
        while (found := _REMARK.match(self.text, end)) is not None and "\n" not in self.text[end:found.start()]:
            end = found.end()
        return end

    def above(self, piece: Piece) -> int:
        """Where a POU begins, with what is said above it."""
        start, _, words = said_above(self.text, piece)
        return start if words else piece.start

    def remove(self, start: int, end: int) -> None:
        """Take something out, with its line where nothing else stands on it."""
        line = self.line_of(start)
        stop = self.text.find("\n", end)
        stop = len(self.text) if stop < 0 else stop
        if not self.text[line:start].strip() and not self.text[end:stop].strip():
            start, end = line, min(len(self.text), stop + 1)
        self.cut(start, end, "")


def _source(body: Body) -> str:
    return "\n".join(body.source) if isinstance(body, TextBody) else body.text if isinstance(body, OpaqueBody) else ""


def _kind(one: Variable) -> tuple[VariableKind, bool, bool]:
    return one.kind, one.retain, one.constant


def _bare(one: Variable) -> Variable:
    return replace(one, line=0)


def _opening(one: Variable) -> str:
    return _WORDS[one.kind] + " RETAIN" * one.retain + " CONSTANT" * one.constant
