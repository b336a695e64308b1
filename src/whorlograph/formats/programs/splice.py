"""A changed program written back into its own file: byte for byte the same but for what was changed (DESIGN section 8).

What our writer would write of the old program and of the new one is compared element by element; each difference is carried over into the
file. So comments, layout, added data and whatever this program does not know stay as they are.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from lxml import etree
from msgspec import Struct

from whorlograph.model.errors import ProgramError
from whorlograph.model.program import Program

from .pieces import Piece, Pieces
from .xml_types import local
from .xml_write import NAMESPACE, write_xml

_KEYS = {"pou": "name", "dataType": "name", "variable": "name", "task": "name", "configuration": "name", "resource": "name", "pouInstance": "name",
         "action": "name", "transition": "name", "value": "name"}
_WHOLE = {"type", "baseType", "returnType", "initialValue", "SFC", "actions", "transitions"}  # replaced as a whole where anything in them differs
_SECTIONS = {"inputVars", "outputVars", "inOutVars", "localVars", "tempVars", "externalVars", "globalVars"}
_TEXTS = {"ST", "IL", "documentation", "content"}  # their words stand in an element inside
_ENCODING = re.compile(rb"<\?xml[^>]*encoding=[\"']([A-Za-z0-9._-]+)[\"']")


class Cut(Struct, frozen=True):
    """Bytes from one place to before another, and what stands there instead."""

    start: int
    end: int
    text: bytes


def splice(data: bytes, old: Program, new: Program) -> bytes:
    """The file of a program with the changes that lead to another one.

    Args: data: the file; old: the program as it was read from it; new: the same program, changed.
    Raises: ProgramError where the file is in a form that cannot be written back.
    """
    if old == new:
        return data
    found = _ENCODING.match(data[:200].lstrip(b"\xef\xbb\xbf"))
    encoding = found.group(1).decode() if found else "utf-8"
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encoding = "utf-16"
    if encoding.lower().replace("-", "") not in ("utf8", "usascii", "ascii"):
        text = data.decode(encoding)
        changed = _spliced(text.encode("utf-8"), old, new).decode("utf-8").encode(encoding)
        return changed if data[:2] != b"\xfe\xff" else b"\xfe\xff" + changed.decode(encoding).encode("utf-16-be")
    return _spliced(data, old, new)


def _spliced(data: bytes, old: Program, new: Program) -> bytes:
    body = re.sub(rb"encoding=[\"'][^\"']*[\"']", lambda m: b" " * len(m[0]), data[:200]) + data[200:]  # it is UTF-8 by now, whatever it says
    pieces = Pieces(body, old.file)
    root = pieces.root
    if root is None or root.name != "project":
        raise ProgramError(old.file, "is in a form that is not written back", "export it in the other XML form")
    before, after = etree.fromstring(write_xml(old)), etree.fromstring(write_xml(new))
    work = _Work(data, body, root)
    work.element(root, before, after)
    for cut in sorted(work.cuts, key=lambda c: (c.start, c.end), reverse=True):
        data = data[:cut.start] + cut.text + data[cut.end:]
    return data


class _Work:
    """Gathers the cuts."""

    def __init__(self, data: bytes, body: bytes, root: Piece) -> None:
        self.data = data
        self.cuts: list[Cut] = []
        name = re.match(rb"<([\w.-]+:)?", body[root.start:])
        self.prefix = (name.group(1) or b"").decode() if name else ""
        self.end = "\r\n" if b"\r\n" in data[:5000] else "\n"

    # comparing

    def element(self, piece: Piece, before: etree._Element, after: etree._Element) -> None:
        """Carry what differs between two elements over into the one of the file."""
        if _same(before, after):
            return
        name = local(before)
        if name in _WHOLE:
            self.replace(piece, after)
            return
        if name in _TEXTS:
            while len(after):  # what stands between elements is our writer's indentation
                after = after[0]
            self.words(piece, after.text or "")
            return
        self.attributes(piece, before, after)
        if not len(before) and not len(after):
            if (before.text or "") != (after.text or ""):
                self.words(piece, after.text or "")
            return
        if name == "connectionPointIn":
            self.connections(piece, after)
        elif any(local(c) in _SECTIONS for c in (*before, *after)):
            self.sections(piece, before, after)
        else:
            self.children(piece, list(before), list(after), key=_key)

    def attributes(self, piece: Piece, before: etree._Element, after: etree._Element) -> None:
        """Attributes that were changed, added, taken away."""
        tag = self.data[piece.start:piece.open]
        fresh = tag
        for name in dict.fromkeys((*before.attrib, *after.attrib)):
            one, two = before.get(name), after.get(name)
            if one == two:
                continue
            pattern = re.compile(rb"(\s)" + str(name).encode() + rb"\s*=\s*(\"[^\"]*\"|'[^']*')")
            if two is None:
                fresh = pattern.sub(b"", fresh, count=1)
            elif pattern.search(fresh):
                fresh = pattern.sub(lambda m, n=str(name), v=two: m[1] + f'{n}="{_escaped(v, True)}"'.encode(), fresh, count=1)  # type: ignore[misc]
            else:
                at = len(fresh) - (2 if fresh.endswith(b"/>") else 1)
                at -= len(fresh[:at]) - len(fresh[:at].rstrip())
                fresh = fresh[:at] + f' {name}="{_escaped(two, True)}"'.encode() + fresh[at:]
        if fresh != tag:
            self.cuts.append(Cut(piece.start, piece.open, fresh))

    def words(self, piece: Piece, text: str) -> None:
        """Other words, in the innermost element that holds them."""
        while piece.children:
            piece = piece.children[0]
        written = _escaped(text, False).replace("\n", self.end).encode()
        if piece.empty:
            tag = self.data[piece.start:piece.open]
            name = re.match(rb"<([\w:.-]+)", tag)
            assert name is not None
            self.cuts.append(Cut(piece.start, piece.end, tag[:-2].rstrip() + b">" + written + b"</" + name.group(1) + b">"))
        else:
            self.cuts.append(Cut(piece.open, piece.close, written))

    def connections(self, piece: Piece, after: etree._Element) -> None:
        """All wires of a point anew, other things at it stay."""
        for one in piece.children:
            if one.name == "connection":
                self.remove(one)
        last = next((c for c in reversed(piece.children) if c.name == "relPosition"), None)
        for one_after in [c for c in after if local(c) == "connection"][::-1]:
            self.insert(piece, last, one_after)

    def children(self, piece: Piece, before: list[etree._Element], after: list[etree._Element], key: Callable[[etree._Element], str]) -> None:
        """Children by name and key: gone, new, changed; where they stand in another order the new ones stand as a whole."""
        old, new = {key(c): c for c in before}, {key(c): c for c in after}
        there = {_piece_key(c): c for c in reversed(piece.children)}
        common = [k for k in new if k in old]
        if common != [k for k in old if k in new]:
            for k in old:
                if k in there:
                    self.remove(there[k])
            for one in after[::-1]:
                self.insert(piece, None, one)
            return
        for k in old:
            if k not in new and k in there:
                self.remove(there[k])
        last: Piece | None = None
        fresh: list[tuple[Piece | None, etree._Element]] = []
        for k, one in new.items():
            if k in old and k in there:
                last = there[k]
                self.element(last, old[k], one)
            elif k not in old or (k not in there and not _same(one, old[k])):
                fresh.append((last, one))
        for after_piece, one in fresh[::-1]:
            self.insert(piece, after_piece, one)

    def sections(self, piece: Piece, before: etree._Element, after: etree._Element) -> None:
        """Declarations: by section and name, whatever groups the file has them in; then what stands beside them."""
        old = _declared(before)
        new = _declared(after)
        there = {(s.name, v.attributes.get("name", "")): v for s in piece.children if s.name in _SECTIONS for v in s.children if v.name == "variable"}
        kept = [k for k in new if k in old and _flags(old[k]) == _flags(new[k])]
        moved = kept != [k for k in old if k in new and _flags(old[k]) == _flags(new[k])]
        for k in old:
            if (k not in kept or moved) and k in there:
                self.remove(there[k])
        last: Piece | None = None
        fresh: list[tuple[Piece | None, tuple[str, str]]] = []
        for k, variable in new.items():
            if k in kept and not moved and k in there:
                last = there[k]
                self.element(last, old[k], variable)
            else:
                fresh.append((last, k))
        sections: dict[tuple[int, str], list[etree._Element]] = {}
        anchors: dict[int, Piece | None] = {}
        for after_piece, k in fresh[::-1]:
            holder = after_piece.parent if after_piece is not None else None
            if holder is not None and holder.name == k[0] and _same_flags(holder, new[k]):
                self.insert(holder, after_piece, new[k])
            else:
                anchors[id(holder)] = holder
                sections.setdefault((id(holder), f"{k[0]} {_flags(new[k])}"), []).insert(0, new[k])
        returned = next((s for s in piece.children if s.name == "returnType"), None)
        for (number, _), variables in sections.items():
            parent = variables[0].getparent()
            assert parent is not None
            made = etree.Element(parent.tag, {str(k): str(v) for k, v in parent.attrib.items()})
            for one in variables:
                made.append(etree.fromstring(etree.tostring(one)))
            self.insert(piece, anchors[number] or returned, made)
        others = [[c for c in side if local(c) not in _SECTIONS] for side in (before, after)]
        self.children(piece, others[0], others[1], _key)

    # cutting

    def remove(self, piece: Piece) -> None:
        """Take an element out, with the blanks before it."""
        start = piece.start
        while start and self.data[start - 1:start].isspace():
            start -= 1
        self.cuts.append(Cut(start, piece.end, b""))

    def replace(self, piece: Piece, made: etree._Element) -> None:
        """Put one in another's place."""
        self.cuts.append(Cut(piece.start, piece.end, self.written(made, self.indent(piece)).lstrip().encode()))

    def insert(self, holder: Piece, last: Piece | None, made: etree._Element) -> None:
        """Add an element to a holder, behind one of its children, else before all of them."""
        indent = self.indent(holder.children[0]) if holder.children else self.indent(holder) + "  "
        text = self.end + self.written(made, indent)
        if holder.empty:
            tag = self.data[holder.start:holder.open]
            name = re.match(rb"<([\w:.-]+)", tag)
            assert name is not None
            closing = b"</" + name.group(1) + b">"
            known = next((n for n, c in enumerate(self.cuts) if (c.start, c.end) == (holder.start, holder.end) and c.text.endswith(closing)), None)
            if known is None:
                whole = self._opened(holder, tag) + (text + self.end + self.indent(holder)).encode() + closing
                self.cuts = [c for c in self.cuts if (c.start, c.end) != (holder.start, holder.open)] + [Cut(holder.start, holder.end, whole)]
            else:
                cut = self.cuts[known]
                at = cut.text.index(b">") + 1
                self.cuts[known] = Cut(cut.start, cut.end, cut.text[:at] + text.encode() + cut.text[at:])
            return
        at = last.end if last is not None else holder.open
        if last is None and not holder.children:
            inside = self.data[holder.open:holder.close]
            text += self.end + self.indent(holder) if not inside.strip() and b"\n" not in inside else ""
        self.cuts.append(Cut(at, at, text.encode()))

    def _opened(self, holder: Piece, tag: bytes) -> bytes:
        changed = next((c.text for c in self.cuts if (c.start, c.end) == (holder.start, holder.open)), tag)
        return changed[:-2].rstrip() + b">"

    def indent(self, piece: Piece) -> str:
        """The blanks before an element on its line."""
        start = self.data.rfind(b"\n", 0, piece.start) + 1
        before = self.data[start:piece.start]
        return before.decode("utf-8", "replace") if not before.strip() else ""

    def written(self, made: etree._Element, indent: str) -> str:
        """An element as text, in the file's prefix, its children below it."""
        tag = made.tag if isinstance(made.tag, str) else ""
        own = tag.startswith(f"{{{NAMESPACE}}}") or not tag.startswith("{")
        name = (self.prefix if own else "") + local(made)
        space = "" if own else f' xmlns="{tag[1:].partition("}")[0]}"'
        attributes = space + "".join(f' {k!s}="{_escaped(str(v), True)}"' for k, v in made.attrib.items())
        if not len(made):
            text = _escaped(made.text, False) if isinstance(made.text, str) else ""
            return f"{indent}<{name}{attributes}>{text}</{name}>" if text else f"{indent}<{name}{attributes}/>"
        inside = "".join(self.end + self.written(c, indent + "  ") for c in made)
        return f"{indent}<{name}{attributes}>{inside}{self.end}{indent}</{name}>"


def _same(one: etree._Element, two: etree._Element) -> bool:
    """Whether two elements of our own writer say the same."""
    if one.tag != two.tag or len(one) != len(two) or one.attrib != two.attrib:
        return False
    return all(_same(a, b) for a, b in zip(one, two, strict=True)) if len(one) else (one.text or "") == (two.text or "")


def _key(node: etree._Element) -> str:
    return _named(local(node), {str(k): str(v) for k, v in node.attrib.items()})


def _piece_key(piece: Piece) -> str:
    return _named(piece.name, piece.attributes)


def _named(name: str, attributes: dict[str, str]) -> str:
    """What an element is among its brothers."""
    by = "localId" if "localId" in attributes else "formalParameter" if "formalParameter" in attributes else _KEYS.get(name, "")
    return f"{name} {attributes.get(by, '')}".rstrip()


def _declared(holder: etree._Element) -> dict[tuple[str, str], etree._Element]:
    return {(local(s), v.get("name", "")): v for s in holder if local(s) in _SECTIONS for v in s}


def _flags(variable: etree._Element) -> str:
    parent = variable.getparent()
    return " ".join(f for f in ("retain", "constant") if parent is not None and parent.get(f) == "true")


def _same_flags(section: Piece, variable: etree._Element) -> bool:
    return " ".join(f for f in ("retain", "constant") if section.attributes.get(f) == "true") == _flags(variable)


def _escaped(text: str, quoted: bool) -> str:
    text = text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return text.replace('"', "&quot;").replace("\n", "&#10;") if quoted else text
