"""POUs, types and configurations written in the XML form that IEC 61131-10 itself lays down (IEC10.md)."""

from __future__ import annotations

from itertools import count

from lxml import etree
from msgspec import Struct, field

from whorlograph.model.errors import ProgramError
from whorlograph.model.ladder import (
    Block,
    Coil,
    Comment,
    Connector,
    Contact,
    Continuation,
    Edge,
    Element,
    InOutVariable,
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
    wires_of,
)
from whorlograph.model.modifiers import asks, attributes_of, is_variable
from whorlograph.model.program import Configuration, Pou, PouKind, Resource, Task, Variable, VariableKind
from whorlograph.model.types import UNBOUND, ArrayOf, Elementary, Enumeration, Initial, ListOf, Named, Simple, Structure, Subrange, TypeRef

from .iec10 import HIGH, STEP
from .xml_chart_write import own_variables

NAMESPACE = "www.iec.ch/public/TC65SC65BWG7TF10"
KEY = "wg"  # which object of a file an element is: told apart by it when changes are carried over, never written
_TYPE = "{http://www.w3.org/2001/XMLSchema-instance}type"
_SECTIONS = {VariableKind.EXTERNAL: "ExternalVars", VariableKind.LOCAL: "Vars", VariableKind.TEMP: "TempVars", VariableKind.INPUT: "InputVars",
             VariableKind.OUTPUT: "OutputVars", VariableKind.IN_OUT: "InoutVars", VariableKind.GLOBAL: "GlobalVars"}
_PARAMETERS = (VariableKind.INPUT, VariableKind.OUTPUT, VariableKind.IN_OUT)
_POUS = {PouKind.PROGRAM: "Program", PouKind.FUNCTION_BLOCK: "FunctionBlock", PouKind.FUNCTION: "Function"}


class Group(Struct):
    """A rung or network of a file: which objects stand in it, which of them have a position, its number and the label it bears."""

    key: str
    name: str = "Rung"
    order: str = ""
    ids: tuple[int, ...] = ()
    placed: frozenset[int] = frozenset()
    label: int = 0
    top: int = 0


class Layout(Struct):
    """How a file has a body: its rungs in their order, and its connection points by object and pin."""

    groups: tuple[Group, ...] = ()
    points: dict[tuple[int, str], str] = field(default_factory=dict)


def _sub(parent: etree._Element, name: str, kind: str = "", /, **attributes: object) -> etree._Element:
    node = etree.SubElement(parent, f"{{{NAMESPACE}}}{name}")
    if kind:
        node.set(_TYPE, kind)
    for key, value in attributes.items():
        if value not in ("", None, False):
            node.set(key, "true" if value is True else str(value))
    return node


def made(name: str) -> etree._Element:
    """An element by itself."""
    return etree.Element(f"{{{NAMESPACE}}}{name}")


# types and variables

def write_type(parent: etree._Element, type_: TypeRef) -> None:
    """A type where it is used: by its name, else laid down there."""
    if isinstance(type_, (Elementary, Named)):
        _sub(parent, "TypeName").text = type_.name
    else:
        write_spec(parent, "InstantlyDefinedType", type_)


def write_spec(parent: etree._Element, name: str, type_: TypeRef) -> etree._Element:
    """A type laid down."""
    if isinstance(type_, ArrayOf):
        node = _sub(parent, name, "ArrayTypeSpec")
        dimensions = _sub(node, "DimensionSpec")
        for low, high in type_.bounds:
            unbound = (low, high) == UNBOUND
            _sub(dimensions, "IndexRange", lower="*" if unbound else str(low), upper="*" if unbound else str(high))
        write_type(_sub(node, "BaseType"), type_.base)
    elif isinstance(type_, Structure):
        node = _sub(parent, name, "StructTypeSpec")
        for part in type_.fields:
            member = _sub(node, "Member", name=part.name)
            write_type(_sub(member, "Type"), part.type)
            write_initial(member, part.initial)
    elif isinstance(type_, Enumeration):
        node = _sub(parent, name, "EnumTypeSpec")
        for name_of, value in type_.values:
            _sub(node, "Enumerator", name=name_of, value=str(value))
    elif isinstance(type_, Subrange):
        node = _sub(parent, name, "SubrangeTypeSpec")
        write_type(_sub(node, "BaseType"), type_.base)
        _sub(node, "Range", lower=str(type_.low), upper=str(type_.high))
    else:
        node = _sub(parent, name, "AliasTypeSpec")
        write_type(node, type_)
    return node


def write_initial(parent: etree._Element, initial: Initial | None) -> None:
    """What something starts with, where it says so."""
    if initial is not None:
        _value(_sub(parent, "InitialValue"), initial)


def _value(holder: etree._Element, initial: Initial | None) -> None:
    if isinstance(initial, Simple):
        holder.append(simple := made("SimpleValue"))
        simple.set("value", initial.text)
    elif isinstance(initial, ListOf):
        node = _sub(holder, "ArrayValue")
        for times, item in initial.items:
            _value(_sub(node, "Value", repetitionValue=times if times != 1 else ""), item)
    elif initial is not None:
        node = _sub(holder, "StructValue")
        for name, value in initial.items:
            _value(_sub(node, "Value", member=name), value)


def _write_variables(parent: etree._Element, variables: tuple[Variable, ...]) -> None:
    """Sections of declarations: a new one where the kind changes."""
    section: etree._Element | None = None
    last: tuple[VariableKind, bool, bool, str] | None = None
    for one in variables:
        what = (one.kind, one.retain, one.constant, one.group)
        if section is None or what != last:
            named = {"name": one.group} if one.group else {}
            section, last = _sub(parent, _SECTIONS[one.kind], **named, retain=one.retain, constant=one.constant), what
        node = _sub(section, "Variable", name=one.name)
        write_type(_sub(node, "Type"), one.type)
        write_initial(node, one.initial)
        if one.address:
            _sub(node, "Address", address=one.address)
        if one.documentation:
            _sub(node, "Documentation").text = one.documentation


# POUs

def write_pou(pou: Pou, layout: Layout, direct: bool = False) -> etree._Element:
    """A POU. Args: layout: how the file has its body; direct: whether parameters stand beside the other variables."""
    node = made(_POUS[pou.kind])
    node.set("name", pou.name)
    variables = own_variables(pou.variables)
    if pou.documentation:
        _sub(node, "Documentation").text = pou.documentation
    parameters = tuple(v for v in variables if v.kind in _PARAMETERS)
    if parameters and not direct:
        _write_variables(_sub(node, "Parameters"), parameters)
    if pou.returns is not None:
        write_type(_sub(node, "ResultType"), pou.returns)
    _write_variables(node, variables if direct else tuple(v for v in variables if v.kind not in _PARAMETERS))
    body = pou.body
    if isinstance(body, LadderBody):
        _Diagram(body, layout).write(_sub(_sub(node, "MainBody"), "BodyContent", body.language))
    elif body.language in ("ST", "IL"):
        text = body.text if hasattr(body, "text") else "\n".join(getattr(body, "source", ()))
        _sub(_sub(node, "MainBody"), "BodyContent", body.language).text = text
    elif body.language != "none":
        _sub(_sub(node, "MainBody"), "BodyContent", body.language)
    return node


class _Diagram:
    """A ladder body or block diagram."""

    def __init__(self, body: LadderBody, layout: Layout) -> None:
        self.body, self.layout = body, layout
        self.points = dict(layout.points)
        taken = {p for p in self.points.values() if p.isdigit()}
        self.fresh = count(max((int(p) for p in taken), default=0) + 1)
        self.present = {e.id for e in body.elements}
        self.wired = {(w.source, w.pin) for e in body.elements for w in wires_of(e)}
        self.home = {id_: n for n, group in enumerate(layout.groups) for id_ in group.ids}
        self.labels = {g.label for g in layout.groups if g.label}

    def write(self, parent: etree._Element) -> None:
        """Its rungs: those of the file in their place, new ones behind, numbered anew where their order is another one."""
        groups = [*self.layout.groups]
        there: dict[int, list[Element]] = {n: [] for n in range(len(groups))}
        for element in self.body.elements:
            if element.id in self.home:
                there[self.home[element.id]].append(element)
        order: list[int] = []
        labels: dict[int, list[str]] = {}
        homes = [next((self.home[e.id] for e in rung.elements if e.id in self.home), -1) for rung in self.body.rungs]
        for n, rung in enumerate(self.body.rungs):
            at = homes[n]
            if at < 0 and order and order[-1] in homes[n + 1:]:  # amid what one rung of the file fell apart into
                at = order[-1]
            if at < 0:
                at = len(groups)
                name = "Network" if self.body.language == "FBD" else "Rung"
                groups.append(Group(f"new {rung.number}", name, top=rung.top // HIGH * HIGH))
                there[at] = []
            there[at] += [e for e in rung.elements if e.id not in self.home]
            labels.setdefault(at, []).extend(rung.labels)
            if at not in order:
                order.append(at)
        placed = {e.id for elements in there.values() for e in elements}
        for element in self.body.elements:
            if element.id not in placed and element.id not in self.labels:
                there[self._nearest(element, there)].append(element)
        present = {e.id: e for e in self.body.elements}
        for n, group in enumerate(groups):
            label = present.get(group.label)
            if isinstance(label, Label) and n not in labels and not any(label.label in found for found in labels.values()):
                labels[n] = [label.label]  # behind the last rung
        kept = [n for n in range(len(groups)) if there[n] or labels.get(n)]
        order += [n for n in kept if n not in order]
        numbers = [int(groups[n].order) for n in order if groups[n].order.isdigit()]
        if len(numbers) == len(order) and numbers == sorted(numbers):
            orders = dict(zip(order, numbers, strict=True))
        elif order != sorted(order) or any(g.order for g in groups):
            orders = {n: at + 1 for at, n in enumerate(order)}
        else:
            orders = {}
        for n in kept:
            group = groups[n]
            drawn = {e.label for e in there[n] if isinstance(e, Label)}
            wanted = [one for one in labels.get(n, ()) if one not in drawn]
            node = _sub(parent, group.name, evaluationOrder=str(orders.get(n, "")), label=wanted[0] if wanted else "")
            node.set(KEY, group.key)
            for element in sorted(there[n], key=lambda e, g=group: g.ids.index(e.id) if e.id in g.ids else len(g.ids) + e.id):  # type: ignore[misc]
                if not isinstance(element, Label) or n not in labels or element.label in labels[n]:
                    self.element(node, element, group)
            for one in wanted[1:]:
                _sub(node, "LdObject", "Label", label=one)

    def _nearest(self, element: Element, there: dict[int, list[Element]]) -> int:
        """The group whose objects stand nearest."""
        if not there:
            raise ProgramError("", "a body without a rung cannot hold this", "add it to a rung")
        return min(there, key=lambda n: min((abs(e.y - element.y) for e in there[n]), default=HIGH * HIGH))

    def point(self, element: int, pin: str) -> str:
        """The connection point of an object's output."""
        known = self.points.get((element, pin))
        if known is None:
            known = self.points[element, pin] = str(next(self.fresh))
        return known

    def inward(self, parent: etree._Element, wires: tuple[Wire, ...]) -> None:
        wires = tuple(w for w in wires if w.source in self.present)
        if wires:
            node = _sub(parent, "ConnectionPointIn")
            for wire in wires:
                _sub(node, "Connection", refConnectionPointOutId=self.point(wire.source, wire.pin))

    def outward(self, parent: etree._Element, element: int, pin: str = "") -> None:
        if (element, pin) in self.points or (element, pin) in self.wired:
            _sub(parent, "ConnectionPointOut", connectionPointOutId=self.point(element, pin))

    def element(self, parent: etree._Element, e: Element, group: Group) -> None:
        """One object with its place, its wires and its connection points."""
        node = self.object(parent, e)
        if e.turn:
            node.set("evaluationOrder", str(e.turn))
        node.set(KEY, str(e.id))
        at = group.ids.index(e.id) if e.id in group.ids else -1
        x, y = e.x, e.y - group.top
        if at < 0 or e.id in group.placed or (x, y) != (at * STEP, 0):
            place = _sub(node, "RelPosition")
            place.set("x", str(x))
            place.set("y", str(y))
            node.insert(0, place)
        if not isinstance(e, Block):
            self.inward(node, wires_of(e))
            self.outward(node, e.id)

    def object(self, parent: etree._Element, e: Element) -> etree._Element:
        if isinstance(e, Coil) and is_variable(e, self.body.language):
            return _sub(parent, "FbdObject", "DataSink", identifier=e.variable, **attributes_of(asks(e), "latch"))
        if isinstance(e, (Contact, Coil)):
            return _sub(parent, "LdObject", type(e).__name__, operand=e.variable, **attributes_of(asks(e), "latch"))
        if isinstance(e, Block):
            return self.block(parent, e)
        if isinstance(e, (LeftRail, RightRail)):
            return _sub(parent, "LdObject", "LeftPowerRail" if isinstance(e, LeftRail) else "RightPowerRail")
        if isinstance(e, Jump):
            return _sub(parent, "LdObject", "Jump", targetLabel=e.label)
        if isinstance(e, Label):
            return _sub(parent, "LdObject", "Label", label=e.label)
        if isinstance(e, Return):
            return _sub(parent, "LdObject", "Return")
        if isinstance(e, (Connector, Continuation)):
            return _sub(parent, "CommonObject", type(e).__name__, name=e.name)
        if isinstance(e, Comment):
            node = _sub(parent, "CommonObject", "Comment")
            _sub(node, "Content").text = e.text
            return node
        assert isinstance(e, (InVariable, OutVariable, InOutVariable))
        kind = "DataSink" if isinstance(e, OutVariable) else "DataSource"
        inverted = ("inverted",) if not isinstance(e, InOutVariable) and e.negated else ()
        return _sub(parent, "FbdObject", kind, identifier=e.expression, **attributes_of((*inverted, *e.also), "latch"))

    def block(self, parent: etree._Element, e: Block) -> etree._Element:
        order = {"evaluationOrder": e.execution_order} if e.execution_order else {}
        node = _sub(parent, "FbdObject", "Block", typeName=e.type_name, instanceName=e.instance, **order)
        known = {p.name for p in e.outputs}
        more = {pin for element, pin in (*self.points, *self.wired) if element == e.id} - known
        outputs = (*e.outputs, *(Pin(name) for name in sorted(more)))
        for groups, name, pins in (("InputVariables", "InputVariable", e.inputs), ("InoutVariables", "InoutVariable", e.in_outs),
                                   ("OutputVariables", "OutputVariable", outputs)):
            holder = _sub(node, groups) if pins else node
            for pin in pins:
                plain = {"negated": pin.negated, "edge": pin.edge.value if pin.edge is not Edge.NONE else "", "latch": ""}
                one = _sub(holder, name, parameterName=pin.name, **(plain | attributes_of((pin.storage,) if pin.storage else (), "latch")))
                self.inward(one, pin.wires)
                if name == "OutputVariable":
                    self.outward(one, e.id, pin.name)
        return node


# configurations

def write_configuration(one: Configuration) -> etree._Element:
    """A configuration with its resources."""
    node = made("Configuration")
    node.set("name", one.name)
    for resource in one.resources:
        _write_resource(_sub(node, "Resource", name=resource.name), resource)
    _write_variables(node, one.variables)
    return node


def _write_resource(holder: etree._Element, resource: Resource) -> None:
    _write_variables(holder, resource.variables)
    for task in resource.tasks:
        _write_task(holder, task)
    for one in resource.instances:
        _sub(holder, "ProgramInstance", name=one.name, typeName=one.pou, associatedTaskName=one.task)


def _write_task(holder: etree._Element, task: Task) -> None:
    node = _sub(holder, "Task", name=task.name, interval=task.interval, single=task.single)
    if task.priority:
        node.set("priority", str(task.priority))
