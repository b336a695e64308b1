"""The XML form that IEC 61131-10 itself lays down: root ``Project``, elements by ``xsi:type``, wires between connection points."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator
from pathlib import Path
from typing import TypeVar

from lxml import etree
from msgspec.structs import replace

from whorlograph.formats.text.assigned import assigned_names
from whorlograph.formats.text.unreadable import Unreadable
from whorlograph.model.ladder import (
    Block,
    Coil,
    Comment,
    Connector,
    Contact,
    Continuation,
    Element,
    InVariable,
    Jump,
    Label,
    LadderBody,
    LeftRail,
    OutVariable,
    Pin,
    Return,
    RightRail,
    Wire,
)
from whorlograph.model.modifiers import asked_of, coil_kind, contact_kind, is_true, modified, pin_asks
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
from whorlograph.model.registry import resolve
from whorlograph.model.rungs import build
from whorlograph.model.text import TextBody
from whorlograph.model.types import (
    ELEMENTARY,
    ArrayOf,
    Elementary,
    Enumeration,
    Field,
    Initial,
    ListOf,
    Members,
    Named,
    Simple,
    Structure,
    Subrange,
    TypeRef,
)

from .several_bodies import NOT_EXECUTED, opaque
from .xml_ladder import Spot
from .xml_types import bounds_of, is_retained, line_of, local, priority_of, stands_alike, whole, words
from .xml_unread import Unread

ROOT = "Project"
_Node = TypeVar("_Node")
_TYPE = "{http://www.w3.org/2001/XMLSchema-instance}type"
_SECTIONS = {"ExternalVars": VariableKind.EXTERNAL, "Vars": VariableKind.LOCAL, "TempVars": VariableKind.TEMP, "InputVars": VariableKind.INPUT,
             "OutputVars": VariableKind.OUTPUT, "InoutVars": VariableKind.IN_OUT, "GlobalVars": VariableKind.GLOBAL}
_KINDS = {"Program": PouKind.PROGRAM, "FunctionBlock": PouKind.FUNCTION_BLOCK, "Function": PouKind.FUNCTION}
_PATH = "instancePathAndName"
HIGH = 1_000_000  # from one rung's top to the next one's: positions are relative within a rung
STEP = 20  # between elements without a position, in the order of the file


def children(node: etree._Element, name: str) -> Iterator[etree._Element]:
    """An element's children of a name."""
    return (c for c in node if local(c) == name)


def child(node: etree._Element | None, *names: str) -> etree._Element | None:
    """A descendant by the names on the way to it; None where one is missing."""
    for name in names:
        node = next(children(node, name), None) if node is not None else None
    return node


def drawn_groups(nodes: Iterable[_Node], order: Callable[[_Node], str | None]) -> list[_Node]:
    """Rungs or networks in the order in which they are evaluated: by number, else as they stand."""
    return sorted(nodes, key=lambda node: whole(order(node)))


def drawn_kinds() -> Collection[str]:
    """What is drawn in a rung: its objects are counted."""
    return _MAKERS.keys()


def kind_of(node: etree._Element) -> str:
    """What an element says that it is (``xsi:type``), else its own name."""
    return node.get(_TYPE, local(node)).rpartition(":")[2]


class _Reader:
    """Walks the document and collects what it had to set aside."""

    def __init__(self, file: str, data: bytes) -> None:
        self.file, self.data = file, data
        self.notices: list[Notice] = []
        self.unread = Unread()
        self.types: dict[str, TypeRef] = {}
        self.defaults: dict[str, Initial] = {}
        self.pous: dict[str, Pou] = {}

    def say(self, node: etree._Element, what: str, effect: str = "", pou: str = "") -> None:
        self.notices.append(Notice(Place(self.file, line_of(node), pou), what, effect))

    # types

    def type(self, holder: etree._Element) -> TypeRef:
        """The type below a ``Type``, ``BaseType`` or ``ResultType`` element."""
        name = child(holder, "TypeName")
        if name is not None:
            text = (name.text or "").strip()
            return ELEMENTARY.get(text.upper(), Named(text))
        for node in holder:
            if local(node):
                return self.spec(node)
        text = (holder.text or "").strip()
        if text:
            return ELEMENTARY.get(text.upper(), Named(text))
        self.say(holder, "a variable without a type", "taken as BOOL")
        return ELEMENTARY["BOOL"]

    def spec(self, node: etree._Element) -> TypeRef:
        """A type that is laid down where it is used, or by a declaration."""
        kind = kind_of(node)
        if kind == "EnumTypeSpec" or any(local(c) == "Enumerator" for c in node):
            return self.enumeration(node)
        if kind == "ArrayTypeSpec":
            ranges = [r for d in children(node, "DimensionSpec") for r in children(d, "IndexRange")]
            base = child(node, "BaseType")
            of = self.type(base) if base is not None else ELEMENTARY["BOOL"]
            return ArrayOf(tuple(bounds_of(r) for r in ranges), of)
        if kind == "StructTypeSpec":
            return Structure(tuple(self.member(m) for m in children(node, "Member")))
        if "Subrange" in kind:
            base, limits = child(node, "BaseType"), next((r for r in node.iter() if local(r) in ("Range", "IndexRange")), node)
            found = self.type(base) if base is not None else ELEMENTARY["INT"]
            return Subrange(found, whole(limits.get("lower")), whole(limits.get("upper"))) if isinstance(found, Elementary) else found
        inner = child(node, "BaseType") if child(node, "BaseType") is not None else node
        assert inner is not None
        name = child(inner, "TypeName")
        if name is not None:
            return self.type(inner)
        self.say(node, f"type {kind} is not known", "taken as BOOL")
        return ELEMENTARY["BOOL"]

    def member(self, node: etree._Element) -> Field:
        type_ = child(node, "Type")
        return Field(node.get("name", ""), self.type(type_) if type_ is not None else ELEMENTARY["BOOL"], self.initial(child(node, "InitialValue")))

    @staticmethod
    def enumeration(node: etree._Element) -> Enumeration:
        values, following = [], 0
        for item in children(node, "Enumerator"):
            following = whole(item.get("value"), following)
            values.append((item.get("name", ""), following))
            following += 1
        return Enumeration(tuple(values))

    def initial(self, holder: etree._Element | None) -> Initial | None:
        """The value below an ``InitialValue`` element."""
        for node in holder if holder is not None else ():
            name = local(node)
            if name == "SimpleValue":
                return Simple(node.get("value", "").strip())
            if name == "ArrayValue":
                return ListOf(tuple((whole(v.get("repetitionValue"), 1), self.initial(v)) for v in children(node, "Value")))
            if name == "StructValue":
                found = ((v.get("member", ""), self.initial(v)) for v in children(node, "Value"))
                return Members(tuple((member, value) for member, value in found if value is not None))
        return None

    def variables(self, section: etree._Element) -> list[Variable]:
        """The declarations of one section."""
        found = []
        self.unread.look(section, "Section")
        for node in children(section, "Variable"):
            self.unread.look(node, "Variable")
            name, type_ = node.get("name", ""), child(node, "Type")
            if not name:
                self.say(node, "a variable without a name", "it is left out")
                continue
            said = child(node, "Documentation")
            found.append(Variable(name, self.type(type_) if type_ is not None else ELEMENTARY["BOOL"], _SECTIONS[local(section)], self.address(node),
                                  self.initial(child(node, "InitialValue")), is_retained(section), is_true(section.get("constant")),
                                  words(said) if said is not None else "", line_of(node), group=section.get("name", "").strip()))
        return found

    # POUs

    def declared(self, holder: etree._Element) -> None:
        """Types and POUs of a namespace and those inside it."""
        for node in holder:
            name = local(node)
            if name in ("GlobalNamespace", "NamespaceDecl"):
                self.declared(node)
            elif name == "DataTypeDecl":
                self.unread.look(node, name)
                spec = child(node, "UserDefinedTypeSpec")
                if spec is not None:
                    key = node.get("name", "").lower()
                    self.types[key] = self.spec(spec)
                    value = self.initial(child(node, "InitialValue"))
                    if value is not None:
                        self.defaults[key] = value
            elif name in _KINDS:
                self.pou(node, _KINDS[name])
            elif name and name != "Documentation":
                self.say(node, f"{name} is not read")

    def pou(self, node: etree._Element, kind: PouKind) -> None:
        name = node.get("name", "")
        if name.lower() in self.pous:
            self.say(node, f"two POUs are called {name}", "the first counts")
            return
        self.unread.look(node, local(node))
        for part in ("Parameters", "MainBody"):
            self.unread.look_at(children(node, part), part)
        sections = [s for part in node for s in (part if local(part) == "Parameters" else (part,)) if local(s) in _SECTIONS]
        variables = [v for section in sections for v in self.variables(section)]
        result = next((r for r in node.iter() if local(r) == "ResultType"), None)
        contents, said = [c for main in children(node, "MainBody") for c in children(main, "BodyContent")], child(node, "Documentation")
        content = contents[0] if contents else None
        body: Body = OpaqueBody("none", "")
        if content is None or kind_of(content) != "SFC":
            self.say_left(node, name)
        if len(contents) > 1:
            self.say(contents[1], f"the POU has {len(contents)} bodies", NOT_EXECUTED, name)
            body = opaque((one, kind_of(one)) for one in contents)
        elif content is not None and kind_of(content) == "SFC":
            body, more = self.chart(content, node, name, tuple(variables))
            variables += more
        elif content is not None:
            body = self.body(content, name)
        else:
            self.say(node, "the POU has no body", "it does nothing", name)
        self.pous[name.lower()] = Pou(name, kind, tuple(variables), body, self.type(result) if result is not None else None,
                                      words(said) if said is not None else "", Place(self.file, line_of(node), name))

    def say_left(self, node: etree._Element, pou: str) -> None:
        """Actions and transitions belong to charts (IEC 61131-3:2013, 6.7)."""
        for one in (c for name in ("Actions", "Transitions") for group in children(node, name) for c in group if c.get("name")):
            self.say(one, f"{local(one)} {one.get('name')} belongs to no chart", "it is not executed", pou)

    def body(self, node: etree._Element, pou: str) -> Body:
        """A body by its language."""
        language = kind_of(node)
        if language in ("LD", "FBD"):
            return self.diagram(node, language, pou)
        text = "".join(str(t) for t in node.itertext())
        if language in ("ST", "IL"):
            try:
                made: TextBody = resolve("formats.text.body:text_body")(text, max(1, line_of(node)), language)
                return made
            except Unreadable as error:
                self.notices += error.notices(self.file, pou, "its body is not executed: what it alone writes comes from the log",
                                              lambda one: stands_alike(self.data, text, max(1, line_of(node)), one.line, one.column))
                return OpaqueBody(language, text, assigned_names(text, language))
        self.say(node, f"the body is in {language}, which is not executed yet", "opaque: what it alone writes comes from the log", pou)
        return OpaqueBody(language, text, assigned_names(text, language))

    def chart(self, node: etree._Element, pou: etree._Element, name: str, variables: tuple[Variable, ...]) -> tuple[Body, tuple[Variable, ...]]:
        """A sequential chart with its variables; opaque where something in it cannot be read."""
        try:
            read = resolve("formats.programs.iec10_chart:ProjectChart")
            chart = read(node, pou, name, self.say, lambda one: self.diagram(one, kind_of(one), name),
                         lambda one: _Group(self, one, 0, 0, name).beside()).read()
            body, more = resolve("formats.text.chart:chart_body")(chart, variables)
        except Unreadable as error:
            place = Place(self.file, error.line, name)
            self.notices.append(Notice(place, error.what, "its chart is not executed: what it alone writes comes from the log"))
            text = "".join(str(t) for t in node.itertext())
            return OpaqueBody("SFC", text, assigned_names(text, "SFC")), ()
        return body, more

    def diagram(self, node: etree._Element, language: str, pou: str) -> LadderBody:
        """Rungs or networks, in the order in which they are evaluated."""
        groups = drawn_groups((c for c in node if local(c) in ("Rung", "Network")), lambda c: c.get("evaluationOrder"))
        for other in node:
            if local(other) not in ("Rung", "Network", "Documentation", "AddData", ""):
                self.say(other, f"{local(other)} is not read", "the body is executed without it", pou)
        made: list[_Group] = []
        points: dict[str, Wire] = {}
        count = 0
        for n, group in enumerate(groups):
            made.append(_Group(self, group, n * HIGH, count, pou))
            points = made[-1].points | points
            count += len(made[-1].objects) + 1
        elements = tuple(element for one in made for element in one.read(points))
        body, said = build(elements, language)
        for sentence in said:
            self.say(node, sentence, "", pou)
        return body

    # configurations

    def resource(self, node: etree._Element) -> Resource:
        self.unread.look(node, "Resource")
        for name in ("Task", "ProgramInstance"):
            self.unread.look_at(children(node, name), name)
        tasks = tuple(Task(t.get("name", ""), priority_of(t, self.say), t.get("interval", ""), t.get("single", "")) for t in children(node, "Task"))
        instances = tuple(ProgramInstance(p.get("name", ""), p.get("typeName", ""), p.get("associatedTaskName", ""))
                          for p in children(node, "ProgramInstance"))
        return Resource(node.get("name", ""), instances, tasks, tuple(v for s in children(node, "GlobalVars") for v in self.variables(s)))

    def configuration(self, node: etree._Element) -> Configuration:
        self.unread.look(node, "Configuration")
        variables = tuple(v for s in children(node, "GlobalVars") for v in self.variables(s))
        located = tuple(self.located(one) for s in children(node, "ConfigVars") for one in s if one.get(_PATH))
        return Configuration(node.get("name", ""), tuple(self.resource(r) for r in children(node, "Resource")), variables, located)

    def located(self, node: etree._Element) -> Located:
        """What the configuration says of one variable."""
        return Located(node.get(_PATH, "").strip(), self.address(node), self.initial(child(node, "InitialValue")), line_of(node))

    @staticmethod
    def address(node: etree._Element) -> str:
        """The address of a variable; "" where it has none."""
        place = child(node, "Address")
        return (place.get("address") or place.text or "").strip() if place is not None else node.get("address", "").strip()


class _Group:
    """One rung or network: its objects get numbers, and wires lead from connection point to connection point."""

    def __init__(self, reader: _Reader, node: etree._Element, top: int, count: int, pou: str) -> None:
        self.reader, self.node, self.top, self.count, self.pou = reader, node, top, count, pou
        inside = [o for c in node for o in (c if local(c) in ("Network", "Rung") else (c,))]
        self.objects = [c for c in inside if kind_of(c) in _MAKERS]
        self.points = {point: Wire(count + n + 1, pin) for n, one in enumerate(self.objects) for pin, point in self.outputs(one)}

    def beside(self) -> tuple[tuple[Element, ...], dict[str, tuple[int, str]]]:
        """What is drawn beside a chart: elements, and where their connection points are."""
        for one in self.objects:
            self.reader.unread.look(one, kind_of(one))
            for holder in one:
                self.reader.unread.look(holder, local(holder) if local(holder).endswith("utVariables") else "")
            self.reader.unread.look_at((p for holder in one for p in holder if local(p).endswith("utVariable")), "Pin")
        made = [_MAKERS[kind_of(one)](self, one, self.spot(one, n)) for n, one in enumerate(self.objects)]
        asked = {e.id: asked_of(one.get("negated"), one.get("edge"), one.get("latch")) for e, one in zip(made, self.objects, strict=True)
                 if kind_of(one) in ("DataSource", "DataSink")}
        turns = [whole(one.get("evaluationOrder") or one.get("executionOrder")) if kind_of(one) in ("DataSink", "Jump", "Return") else 0
                 for one in self.objects]
        made = [replace(e, turn=turn) if turn else e for e, turn in zip(made, turns, strict=True)]
        found = modified(made, asked)
        return found, {point: (wire.source, wire.pin) for point, wire in self.points.items()}

    def read(self, points: dict[str, Wire]) -> list[Element]:
        """Its elements; ``points`` are the connection points of the whole body, for wires that lead here from another rung."""
        for other in self.node:
            if kind_of(other) not in _MAKERS and local(other) not in ("", "Documentation", "AddData"):
                self.reader.say(other, f"{kind_of(other)} is not read", "the rung is evaluated without it", self.pou)
        self.points = points | self.points
        found: list[Element] = list(self.beside()[0])
        if self.node.get("label"):
            found.append(Label(self.count + len(self.objects) + 1, 0, self.top, label=self.node.get("label", "")))
        return found

    @staticmethod
    def outputs(node: etree._Element) -> Iterator[tuple[str, str]]:
        """(pin, id) of an object's connection points that lead on."""
        for point in children(node, "ConnectionPointOut"):
            yield "", point.get("connectionPointOutId", "")
        for holder in children(node, "OutputVariables"):
            for pin in children(holder, "OutputVariable"):
                for point in children(pin, "ConnectionPointOut"):
                    yield pin.get("parameterName", ""), point.get("connectionPointOutId", "")

    def spot(self, node: etree._Element, n: int) -> Spot:
        place, size = child(node, "RelPosition"), child(node, "Size")
        x, y = (whole(place.get("x")), whole(place.get("y"))) if place is not None else (n * STEP, 0)
        wide, high = (whole(size.get("x")), whole(size.get("y"))) if size is not None else (0, 0)
        return self.count + n + 1, x, self.top + min(y, HIGH - 1), wide, high, line_of(node)

    def wires(self, node: etree._Element) -> tuple[Wire, ...]:
        found = []
        for point in children(node, "ConnectionPointIn"):
            for wire in children(point, "Connection"):
                point_id = wire.get("refConnectionPointOutId", "")
                known = self.points.get(point_id)
                if known is None:
                    self.reader.say(wire, f"a wire comes from connection point {point_id}, which does not exist", "no power comes from there",
                                    self.pou)
                else:
                    found.append(known)
        return tuple(found)

    def left(self, node: etree._Element, spot: Spot) -> Element:
        return LeftRail(*spot)

    def right(self, node: etree._Element, spot: Spot) -> Element:
        return RightRail(*spot)

    def contact(self, node: etree._Element, spot: Spot) -> Element:
        kind, also = contact_kind(asked_of(node.get("negated"), node.get("edge"), node.get("latch")))
        return Contact(*spot, variable=node.get("operand", ""), kind=kind, wires=self.wires(node), also=also)

    def coil(self, node: etree._Element, spot: Spot) -> Element:
        kind, also = coil_kind(asked_of(node.get("negated"), node.get("edge"), node.get("latch")))
        return Coil(*spot, variable=node.get("operand", ""), kind=kind, wires=self.wires(node), also=also)

    def pins(self, node: etree._Element, group: str, name: str) -> tuple[Pin, ...]:
        found = []
        for holder in children(node, group):
            for pin in children(holder, name):
                found.append(Pin(pin.get("parameterName", ""), self.wires(pin), *pin_asks(pin.get("negated"), pin.get("edge"), pin.get("latch"))))
        return tuple(found)

    def block(self, node: etree._Element, spot: Spot) -> Element:
        return Block(*spot, type_name=node.get("typeName", ""), instance=node.get("instanceName", ""),
                     inputs=self.pins(node, "InputVariables", "InputVariable"), in_outs=self.pins(node, "InoutVariables", "InoutVariable"),
                     outputs=self.pins(node, "OutputVariables", "OutputVariable"),
                     execution_order=whole(node.get("evaluationOrder") or node.get("executionOrder")))

    def source(self, node: etree._Element, spot: Spot) -> Element:
        return InVariable(*spot, expression=node.get("identifier", ""), negated=is_true(node.get("negated")))

    def sink(self, node: etree._Element, spot: Spot) -> Element:
        return OutVariable(*spot, expression=node.get("identifier", ""), negated=is_true(node.get("negated")), wires=self.wires(node))

    def jump(self, node: etree._Element, spot: Spot) -> Element:
        return Jump(*spot, label=node.get("targetLabel", ""), wires=self.wires(node))

    def label(self, node: etree._Element, spot: Spot) -> Element:
        return Label(*spot, label=node.get("label", "") or node.get("name", ""))

    def back(self, node: etree._Element, spot: Spot) -> Element:
        return Return(*spot, wires=self.wires(node))

    def connector(self, node: etree._Element, spot: Spot) -> Element:
        return Connector(*spot, name=node.get("name", "") or node.get("label", ""), wires=self.wires(node))

    def continuation(self, node: etree._Element, spot: Spot) -> Element:
        return Continuation(*spot, name=node.get("name", "") or node.get("label", ""))

    def comment(self, node: etree._Element, spot: Spot) -> Element:
        content = child(node, "Content")
        return Comment(*spot, text=words(content if content is not None else node))


_MAKERS = {"LeftPowerRail": _Group.left, "RightPowerRail": _Group.right, "Contact": _Group.contact, "Coil": _Group.coil, "Block": _Group.block,
           "DataSource": _Group.source, "DataSink": _Group.sink, "Jump": _Group.jump, "Label": _Group.label, "Return": _Group.back,
           "Connector": _Group.connector, "Continuation": _Group.continuation, "Comment": _Group.comment}


def read_project(root: etree._Element, path: Path, data: bytes = b"") -> Loaded[Program]:
    """A project in this form, read leniently: what is not known is named in a notice. Source: IEC10.md, IEC 61131-10.

    Args: data: the file, for the columns of errors in its texts.
    """
    reader = _Reader(str(path), data)
    name, date, company, version = path.stem, "", "", ""
    configurations: list[Configuration] = []
    for node in root:
        part = local(node)
        if part == "FileHeader":
            company, version = node.get("companyName", ""), node.get("productVersion", "")
        elif part == "ContentHeader":
            name, date = node.get("name") or name, node.get("modificationDateTime") or node.get("creationDateTime") or ""
        elif part == "Types":
            reader.declared(node)
        elif part == "Instances":
            reader.unread.look(node, part)
            configurations += [reader.configuration(c) for c in children(node, "Configuration")]
        elif part:
            reader.say(node, f"{part} is not read")
    reader.unread.say(reader.say)
    return Loaded(Program(name, reader.types, reader.pous, tuple(configurations), str(path), date, company, version, reader.defaults), reader.notices)
