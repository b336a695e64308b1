"""What differs between two trees of our own writer, carried over into the elements of a file: the rest of it stays byte for byte.

What our writer would write of the old program and of the new one is compared element by element; each difference is carried over into the
file. So comments, layout, added data and whatever this program does not know stay as they are.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from lxml import etree
from msgspec import Struct

from whorlograph.model.modifiers import is_true

from ..iec10_write import KEY
from ..xml_types import is_retained, local
from .cuts import Cut
from .pieces import Piece

_XSI = "http://www.w3.org/2001/XMLSchema-instance"
_KIND = f"{{{_XSI}}}type"


class Form(Struct, frozen=True):
    """How a form of XML names things.

    ``keys``: by an element's name the attribute that tells it from its brothers; ``whole``: what is replaced as a whole where anything in it
    differs; ``sections``: groups of declarations, ``variable`` each of them; ``texts``: whose words may stand in an element inside;
    ``inward``: what gathers the wires (``wire``) that lead to a point.
    """

    namespace: str
    keys: dict[str, str]
    whole: frozenset[str]
    sections: frozenset[str]
    texts: frozenset[str]
    variable: str
    inward: str
    wire: str
    place: str


class Elements:
    """Gathers the cuts. Args: data: the file; root: its elements; form: how they are named."""

    def __init__(self, data: bytes, root: Piece, form: Form) -> None:
        self.data, self.form = data, form
        self.cuts: list[Cut] = []
        name = re.match(rb"<([\w.-]+:)?", data[root.start:])
        self.prefix = (name.group(1) or b"").decode() if name else ""
        known = re.search(rb"xmlns:([\w.-]+)\s*=\s*[\"']" + _XSI.encode(), data[root.start:root.open])
        self.xsi = known.group(1).decode() if known is not None else ""
        self.end = "\r\n" if b"\r\n" in data[:5000] else "\n"

    # comparing

    def element(self, piece: Piece, before: etree._Element, after: etree._Element) -> None:
        """Carry what differs between two elements over into the one of the file."""
        if _same(before, after):
            return
        name = local(before)
        if name in self.form.whole or before.get(_KIND) != after.get(_KIND):
            self.replace(piece, after)
            return
        if name in self.form.texts and not any(KEY in c.attrib for c in (*before, *after)):
            while len(after):  # what stands between elements is our writer's indentation
                after = after[0]
            self.words(piece, after.text or "")
            return
        self.attributes(piece, before, after)
        if not len(before) and not len(after):
            if (before.text or "") != (after.text or ""):
                self.words(piece, after.text or "")
            return
        if name == self.form.inward:
            self.connections(piece, after)
        elif any(local(c) in self.form.sections for c in (*before, *after)):
            self.sections(piece, before, after)
        else:
            self.children(piece, list(before), list(after))

    def attributes(self, piece: Piece, before: etree._Element, after: etree._Element) -> None:
        """Attributes that were changed, added, taken away."""
        tag = self.data[piece.start:piece.open]
        fresh = tag
        for name in dict.fromkeys((*before.attrib, *after.attrib)):
            one, two = before.get(name), after.get(name)
            if one == two or name in (KEY, _KIND):
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
            if one.name == self.form.wire:
                self.remove(one)
        last = next((c for c in reversed(piece.children) if c.name == self.form.place), None)
        for one_after in [c for c in after if local(c) == self.form.wire][::-1]:
            self.insert(piece, last, one_after)

    def children(self, piece: Piece, before: list[etree._Element], after: list[etree._Element]) -> None:
        """Children by name and key: gone, new, changed; where they stand in another order the new ones stand as a whole."""
        old, new = {self.key(c): c for c in before}, {self.key(c): c for c in after}
        there = {self.piece_key(c): c for c in reversed(piece.children)}
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
            elif k in there and local(one) == self.form.inward:  # it stands there, without a wire
                last = there[k]
                self.connections(last, one)
            elif k not in old or (k not in there and not _same(one, old[k])):
                fresh.append((last, one))
        for after_piece, one in fresh[::-1]:
            self.insert(piece, after_piece, one)

    def sections(self, piece: Piece, before: etree._Element, after: etree._Element) -> None:
        """Declarations: by section and name, whatever groups the file has them in; then what stands beside them."""
        old = self.declared(before)
        new = self.declared(after)
        there = {(s.name, v.attributes.get("name", "")): v for s in piece.children if s.name in self.form.sections
                 for v in s.children if v.name == self.form.variable}
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
        returned = next((s for s in piece.children if s.name in ("returnType", "ResultType")), None)
        for (number, _), variables in sections.items():
            parent = variables[0].getparent()
            assert parent is not None
            made = etree.Element(parent.tag, {str(k): str(v) for k, v in parent.attrib.items()})
            for one in variables:
                made.append(etree.fromstring(etree.tostring(one)))
            self.insert(piece, anchors[number] or returned, made)
        others = [[c for c in side if local(c) not in self.form.sections] for side in (before, after)]
        self.children(piece, others[0], others[1])

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
        own = tag.startswith(f"{{{self.form.namespace}}}") or not tag.startswith("{")
        name = (self.prefix if own else "") + local(made)
        space = "" if own else f' xmlns="{tag[1:].partition("}")[0]}"'
        attributes = space + "".join(self.attribute(str(k), str(v)) for k, v in made.attrib.items() if k != KEY)
        if not len(made):
            text = _escaped(made.text, False) if isinstance(made.text, str) else ""
            return f"{indent}<{name}{attributes}>{text}</{name}>" if text else f"{indent}<{name}{attributes}/>"
        inside = "".join(self.end + self.written(c, indent + "  ") for c in made)
        return f"{indent}<{name}{attributes}>{inside}{self.end}{indent}</{name}>"


    def attribute(self, name: str, value: str) -> str:
        """An attribute as text; what an element is (``xsi:type``) in the file's prefix."""
        if name != _KIND:
            return f' {name}="{_escaped(value, True)}"'
        return f' {self.xsi}:type="{value}"' if self.xsi else f' xmlns:xsi="{_XSI}" xsi:type="{value}"'

    # keys

    def key(self, node: etree._Element) -> str:
        """What one of our writer's elements is among its brothers."""
        return self.named(local(node), {str(k): str(v) for k, v in node.attrib.items()})

    def piece_key(self, piece: Piece) -> str:
        """The same of an element of the file."""
        return self.named(piece.name, piece.attributes)

    def named(self, name: str, attributes: dict[str, str]) -> str:
        """An element's name and what tells it from its brothers."""
        if KEY in attributes:
            return f"{KEY} {attributes[KEY]}"
        by = "localId" if "localId" in attributes else "formalParameter" if "formalParameter" in attributes else self.form.keys.get(name, "")
        return f"{name} {attributes.get(by, '')}".rstrip()

    def declared(self, holder: etree._Element) -> dict[tuple[str, str], etree._Element]:
        """The declarations in an element's sections."""
        return {(local(s), v.get("name", "")): v for s in holder if local(s) in self.form.sections for v in s}


def _same(one: etree._Element, two: etree._Element) -> bool:
    """Whether two elements of our own writer say the same."""
    if one.tag != two.tag or len(one) != len(two) or one.attrib != two.attrib:
        return False
    return all(_same(a, b) for a, b in zip(one, two, strict=True)) if len(one) else (one.text or "") == (two.text or "")


def _flags(variable: etree._Element) -> str:
    parent = variable.getparent()
    return _kept(parent) if parent is not None else ""


def _same_flags(section: Piece, variable: etree._Element) -> bool:
    return _kept(section.attributes) == _flags(variable)


def _kept(attributes: Mapping[str, str] | etree._Element) -> str:
    """How the variables of a section are kept, in the words of its attributes, and what it is called."""
    flags = ("retain",) * is_retained(attributes) + ("constant",) * is_true(attributes.get("constant"))
    return " ".join((*flags, (attributes.get("name") or "").strip()))


def _escaped(text: str, quoted: bool) -> str:
    text = text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return text.replace('"', "&quot;").replace("\n", "&#10;") if quoted else text
