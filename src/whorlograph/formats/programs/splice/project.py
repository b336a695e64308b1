"""Changes carried over into a file of the XML form that IEC 61131-10 itself lays down (root ``Project``)."""

from __future__ import annotations

from collections.abc import Iterator

from lxml import etree

from whorlograph.model.chart import ChartBody
from whorlograph.model.errors import ProgramError
from whorlograph.model.program import Pou, Program

from ..iec10 import HIGH, drawn_groups, drawn_kinds
from ..iec10_write import KEY, NAMESPACE, Group, Layout, made, write_configuration, write_initial, write_pou, write_spec
from .cuts import Cut
from .elements import Elements, Form
from .pieces import Piece

FORM = Form(
    NAMESPACE,
    {"Variable": "name", "Task": "name", "Resource": "name", "ProgramInstance": "name", "InputVariable": "parameterName",
     "OutputVariable": "parameterName", "InoutVariable": "parameterName"},
    frozenset(("Type", "BaseType", "ResultType", "InitialValue", "UserDefinedTypeSpec")),
    frozenset(("InputVars", "OutputVars", "InoutVars", "Vars", "TempVars", "ExternalVars", "GlobalVars")),
    frozenset(("Documentation", "BodyContent", "Content")), "Variable", "ConnectionPointIn", "Connection", "RelPosition")
_POUS = ("Program", "FunctionBlock", "Function")
_DECLARED = (*_POUS, "DataTypeDecl")


def project_cuts(data: bytes, root: Piece, old: Program, new: Program) -> list[Cut]:
    """What is to be cut. Args: data: the file in UTF-8."""
    return _Project(data, root, old).cuts(new)


class _Project:
    """A file, its program, and what is to be changed in it."""

    def __init__(self, data: bytes, root: Piece, old: Program) -> None:
        self.root, self.old = root, old
        self.work = Elements(data, root, FORM)
        self.types: dict[str, Piece] = {}
        self.pous: dict[str, Piece] = {}
        types = root.child("Types")
        self.holder: Piece | None = types
        for piece in _declared(types) if types is not None else ():
            self.holder = piece.parent
            found = self.pous if piece.name in _POUS else self.types
            found.setdefault(piece.attributes.get("name", "").lower(), piece)

    def cuts(self, new: Program) -> list[Cut]:
        """All of them."""
        self._declared("type", self.types, {k: k for k in self.old.types}, {k: k for k in new.types}, new)
        self._declared("POU", self.pous, dict.fromkeys(self.old.pous, ""), dict.fromkeys(new.pous, ""), new)
        self._configurations(new)
        header = self.root.child("ContentHeader")
        if header is not None and new.name != self.old.name:
            self.work.attributes(header, _header(self.old.name), _header(new.name))
        return self.work.cuts

    def _declared(self, what: str, there: dict[str, Piece], old: dict[str, str], new: dict[str, str], program: Program) -> None:
        """Types or POUs: gone, changed, new."""
        last: Piece | None = None
        for key in old:
            if key not in new and key in there:
                self.work.remove(there[key])
        fresh: list[tuple[Piece | None, etree._Element]] = []
        for key in new:
            if key not in old:
                node = _type(program, key) if what == "type" else write_pou(program.pous[key], Layout())
                fresh.append((last, node))
                continue
            last = there.get(key, last)
            if key not in there:
                continue
            if what == "type":
                self.work.element(there[key], _type(self.old, key), _type(program, key))
            elif self.old.pous[key] != program.pous[key]:
                self._pou(there[key], self.old.pous[key], program.pous[key])
        for after, node in reversed(fresh):
            holder = after.parent if after is not None else self.holder
            if holder is None:
                raise ProgramError(self.old.file, f"has no place for a new {what}", "declare one in it first")
            self.work.insert(holder, after, node)

    def _pou(self, piece: Piece, old: Pou, new: Pou) -> None:
        if isinstance(new.body, ChartBody) and old.body != new.body:
            raise ProgramError(self.old.file, f"{new.name}: a changed chart is not written back in this form", "use the other form of XML")
        direct = piece.child("Parameters") is None and any(c.name in ("InputVars", "OutputVars", "InoutVars") for c in piece.children)
        layout = _layout(piece)
        self.work.element(piece, write_pou(old, layout, direct), write_pou(new, layout, direct))

    def _configurations(self, new: Program) -> None:
        instances = self.root.child("Instances")
        there = {c.attributes.get("name", ""): c for c in (instances.children if instances is not None else ()) if c.name == "Configuration"}
        old, fresh = {c.name: c for c in self.old.configurations}, {c.name: c for c in new.configurations}
        for name, one in old.items():
            if name not in fresh and name in there:
                self.work.remove(there[name])
            elif name in there and one != fresh[name]:
                self.work.element(there[name], write_configuration(one), write_configuration(fresh[name]))
        last = next(reversed(there.values()), None)
        for name, one in reversed(fresh.items()):
            if name in old:
                continue
            if instances is not None:
                self.work.insert(instances, last, write_configuration(one))
            else:
                node = made("Instances")
                node.append(write_configuration(one))
                self.work.insert(self.root, self.root.children[-1] if self.root.children else None, node)


def _declared(holder: Piece) -> Iterator[Piece]:
    """Types and POUs of a namespace and those inside it."""
    for piece in holder.children:
        if piece.name in ("GlobalNamespace", "NamespaceDecl"):
            yield from _declared(piece)
        elif piece.name in _DECLARED:
            yield piece


def _header(name: str) -> etree._Element:
    node = made("ContentHeader")
    node.set("name", name)
    return node


def _type(program: Program, key: str) -> etree._Element:
    node = made("DataTypeDecl")
    node.set("name", key)
    write_spec(node, "UserDefinedTypeSpec", program.types[key])
    write_initial(node, program.defaults.get(key))
    return node


def _kind(piece: Piece) -> str:
    """What an element says that it is, else its own name."""
    said = next((v for k, v in piece.attributes.items() if k.rpartition(":")[2] == "type"), piece.name)
    return said.rpartition(":")[2]


def _layout(pou: Piece) -> Layout:
    """How the file has a body; its objects bear their number from now on, as they are counted in reading."""
    main = pou.child("MainBody")
    content = main.child("BodyContent") if main is not None else None
    if content is None or _kind(content) not in ("LD", "FBD"):
        return Layout()
    found, count = Layout(), 0
    groups: list[Group] = []
    rungs = (c for c in content.children if c.name in ("Rung", "Network"))
    for n, piece in enumerate(drawn_groups(rungs, lambda c: c.attributes.get("evaluationOrder"))):
        objects = [c for c in piece.children if _kind(c) in drawn_kinds()]
        placed = set()
        for at, one in enumerate(objects):
            number = count + at + 1
            one.attributes[KEY] = str(number)
            if one.child("RelPosition") is not None:
                placed.add(number)
            for pin, point in _outputs(one):
                found.points.setdefault((number, pin), point)
        piece.attributes[KEY] = f"rung {n}"
        label = count + len(objects) + 1 if piece.attributes.get("label") else 0
        ids = tuple(range(count + 1, count + len(objects) + 1))
        groups.append(Group(f"rung {n}", piece.name, piece.attributes.get("evaluationOrder", ""), ids, frozenset(placed), label, n * HIGH))
        count += len(objects) + 1
    found.groups = tuple(groups)
    return found


def _outputs(one: Piece) -> Iterator[tuple[str, str]]:
    """(pin, id) of an object's connection points that lead on."""
    for piece in one.children:
        if piece.name == "ConnectionPointOut":
            yield "", piece.attributes.get("connectionPointOutId", "")
        elif piece.name == "OutputVariables":
            for pin in piece.children:
                for point in pin.children:
                    if pin.name == "OutputVariable" and point.name == "ConnectionPointOut":
                        yield pin.attributes.get("parameterName", ""), point.attributes.get("connectionPointOutId", "")
