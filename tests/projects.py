"""A program written in the XML form that IEC 61131-10 lays down (IEC10.md): rung by rung, every wire between numbered connection points."""

from __future__ import annotations

from lxml import etree

from whorlograph.model import ladder as l
from whorlograph.model.program import Pou, PouKind, Program, Variable, VariableKind
from whorlograph.model.text import TextBody
from whorlograph.model.types import ArrayOf, Elementary, Enumeration, Initial, ListOf, Named, Simple, Structure, Subrange, TypeRef

_XSI = "{http://www.w3.org/2001/XMLSchema-instance}type"
_SPACE = "www.iec.ch/public/TC65SC65BWG7TF10"
_SECTIONS = {VariableKind.EXTERNAL: "ExternalVars", VariableKind.LOCAL: "Vars", VariableKind.TEMP: "TempVars", VariableKind.INPUT: "InputVars",
             VariableKind.OUTPUT: "OutputVars", VariableKind.IN_OUT: "InoutVars", VariableKind.GLOBAL: "GlobalVars"}
_PARAMETERS = (VariableKind.INPUT, VariableKind.OUTPUT, VariableKind.IN_OUT)
_POUS = {PouKind.PROGRAM: "Program", PouKind.FUNCTION_BLOCK: "FunctionBlock", PouKind.FUNCTION: "Function"}


def _sub(parent: etree._Element, tag: str, kind: str = "", /, **attributes: object) -> etree._Element:
    node = etree.SubElement(parent, f"{{{_SPACE}}}{tag}", {k: str(v) for k, v in attributes.items()})
    if kind:
        node.set(_XSI, kind)
    return node


def _named(parent: etree._Element, type_: TypeRef) -> None:
    if isinstance(type_, (Elementary, Named)):
        _sub(parent, "TypeName").text = type_.name
    else:
        _spec(parent, "InstantlyDefinedType", type_)


def _spec(parent: etree._Element, tag: str, type_: TypeRef) -> None:
    if isinstance(type_, ArrayOf):
        node = _sub(parent, tag, "ArrayTypeSpec")
        dimensions = _sub(node, "DimensionSpec")
        for low, high in type_.bounds:
            _sub(dimensions, "IndexRange", lower=low, upper=high)
        _named(_sub(node, "BaseType"), type_.base)
    elif isinstance(type_, Structure):
        node = _sub(parent, tag, "StructTypeSpec")
        for part in type_.fields:
            member = _sub(node, "Member", name=part.name)
            _named(_sub(member, "Type"), part.type)
            _start(member, part.initial)
    elif isinstance(type_, Enumeration):
        node = _sub(parent, tag, "EnumTypeSpec")
        for name, value in type_.values:
            _sub(node, "Enumerator", name=name, value=value)
    elif isinstance(type_, Subrange):
        node = _sub(parent, tag, "SubrangeTypeSpec")
        _named(_sub(node, "BaseType"), type_.base)
        _sub(node, "Range", lower=type_.low, upper=type_.high)
    else:
        _named(_sub(parent, tag, "AliasTypeSpec"), type_)


def _start(parent: etree._Element, initial: Initial | None) -> None:
    if initial is not None:
        _value(_sub(parent, "InitialValue"), initial)


def _value(holder: etree._Element, initial: Initial | None) -> None:
    if isinstance(initial, Simple):
        _sub(holder, "SimpleValue", value=initial.text)
    elif isinstance(initial, ListOf):
        node = _sub(holder, "ArrayValue")
        for times, item in initial.items:
            _value(_sub(node, "Value", repetitionValue=times), item)
    elif initial is not None:
        node = _sub(holder, "StructValue")
        for name, value in initial.items:
            _value(_sub(node, "Value", member=name), value)


def _variables(parent: etree._Element, variables: list[Variable]) -> None:
    for variable in variables:  # a section each: the order of the declarations stays
        section = _sub(parent, _SECTIONS[variable.kind], retain=str(variable.retain).lower(), constant=str(variable.constant).lower())
        node = _sub(section, "Variable", name=variable.name)
        _named(_sub(node, "Type"), variable.type)
        _start(node, variable.initial)
        if variable.address:
            _sub(node, "Address", address=variable.address)
        if variable.documentation:
            _sub(node, "Documentation").text = variable.documentation


class _Diagram:
    """One body: connection points are numbered as they are asked for."""

    def __init__(self, body: l.LadderBody) -> None:
        self.body = body
        self.rails = {e.id for e in body.elements if isinstance(e, l.LeftRail)}
        self.points: dict[tuple[int, str], int] = {}
        blocks = [e for e in body.elements if isinstance(e, l.Block)]
        self.wires = [w for e in body.elements for w in getattr(e, "wires", ())] + [w for b in blocks for p in (*b.inputs, *b.in_outs) for w in p.wires]

    def point(self, element: int, pin: str) -> int:
        return self.points.setdefault((element, pin), len(self.points) + 1)

    def inward(self, parent: etree._Element, wires: tuple[l.Wire, ...], rung: int) -> None:
        node = _sub(parent, "ConnectionPointIn")
        for wire in wires:
            source = -rung if wire.source in self.rails else wire.source
            _sub(node, "Connection", refConnectionPointOutId=self.point(source, wire.pin if source > 0 else ""))

    def outward(self, parent: etree._Element, element: int, pin: str = "") -> None:
        _sub(parent, "ConnectionPointOut", connectionPointOutId=self.point(element, pin))

    def write(self, parent: etree._Element, backwards: bool) -> None:
        """Its rungs; ``backwards`` in the file, in their order by ``evaluationOrder``."""
        fbd = self.body.language == "FBD"
        rungs = self.body.rungs[::-1] if backwards else self.body.rungs
        behind = len(self.body.rungs) + 1
        for label in (k for k, v in self.body.targets.items() if v == behind):  # labels after the last rung
            _sub(_sub(parent, "Rung", evaluationOrder=behind), "LdObject", "Label", label=label)
        for rung in rungs:
            node = _sub(parent, "Network" if fbd else "Rung", evaluationOrder=rung.number, **({"label": rung.labels[0]} if rung.labels else {}))
            if not fbd:
                self.outward(_sub(node, "LdObject", "LeftPowerRail"), -rung.number)
            for element in rung.elements:
                self.element(node, element, rung.number)

    def element(self, parent: etree._Element, e: l.Element, rung: int) -> None:
        if isinstance(e, l.Contact):
            kind = {l.ContactKind.NORMALLY_CLOSED: {"negated": "true"}, l.ContactKind.RISING: {"edge": "rising"},
                    l.ContactKind.FALLING: {"edge": "falling"}}.get(e.kind, {})
            node = _sub(parent, "LdObject", "Contact", operand=e.variable, **kind)
        elif isinstance(e, l.Coil):
            kind = {l.CoilKind.NEGATED: {"negated": "true"}, l.CoilKind.SET: {"latch": "set"}, l.CoilKind.RESET: {"latch": "reset"},
                    l.CoilKind.RISING: {"edge": "rising"}, l.CoilKind.FALLING: {"edge": "falling"}}.get(e.kind, {})
            node = _sub(parent, "LdObject", "Coil", operand=e.variable, **kind)
        elif isinstance(e, l.Block):
            self.block(parent, e, rung)
            return
        elif isinstance(e, (l.InVariable, l.OutVariable, l.InOutVariable)):
            kind_name = "DataSink" if isinstance(e, l.OutVariable) else "DataSource"
            node = _sub(parent, "FbdObject", kind_name, identifier=e.expression, negated=str(getattr(e, "negated", False)).lower())
        elif isinstance(e, l.Jump):
            node = _sub(parent, "LdObject", "Jump", targetLabel=e.label)
        elif isinstance(e, (l.Connector, l.Continuation)):
            node = _sub(parent, "CommonObject", type(e).__name__, name=e.name)
        elif isinstance(e, l.Return):
            node = _sub(parent, "LdObject", "Return")
        else:
            return
        if e.turn:
            node.set("evaluationOrder", str(e.turn))
        _sub(node, "RelPosition", x=e.x, y=e.y)
        if hasattr(e, "wires"):
            self.inward(node, e.wires, rung)
        if not isinstance(e, (l.OutVariable, l.Jump, l.Return, l.Connector)):
            self.outward(node, e.id)

    def block(self, parent: etree._Element, e: l.Block, rung: int) -> None:
        more = {**({"instanceName": e.instance} if e.instance else {}), **({"evaluationOrder": e.execution_order} if e.execution_order else {})}
        node = _sub(parent, "FbdObject", "Block", typeName=e.type_name, **more)
        _sub(node, "RelPosition", x=e.x, y=e.y)
        for group, one, pins in (("InputVariables", "InputVariable", e.inputs), ("InoutVariables", "InoutVariable", e.in_outs),
                                 ("OutputVariables", "OutputVariable", e.outputs)):
            holder = _sub(node, group)
            for pin in pins:
                edge = {"edge": pin.edge.value} if pin.edge is not l.Edge.NONE else {}
                made = _sub(holder, one, parameterName=pin.name, negated=str(pin.negated).lower(), **edge)
                if group == "OutputVariables":
                    self.outward(made, e.id, pin.name)
                else:
                    self.inward(made, pin.wires, rung)
            if group == "OutputVariables":  # outputs that are wired but not listed
                for name in sorted({w.pin for w in self.wires if w.source == e.id} - {p.name for p in pins}):
                    self.outward(_sub(holder, one, parameterName=name), e.id, name)


def _pou(parent: etree._Element, pou: Pou, backwards: bool) -> None:
    node = _sub(parent, _POUS[pou.kind], name=pou.name)
    holder = _sub(node, "Parameters")
    if pou.returns is not None:
        _named(_sub(node, "ResultType"), pou.returns)
    _variables(holder, [v for v in pou.variables if v.kind in _PARAMETERS])
    _variables(node, [v for v in pou.variables if v.kind not in _PARAMETERS])
    main = _sub(node, "MainBody")
    if isinstance(pou.body, l.LadderBody):
        _Diagram(pou.body).write(_sub(main, "BodyContent", pou.body.language), backwards)
    elif isinstance(pou.body, TextBody):
        _sub(main, "BodyContent", "ST").text = "\n".join(pou.body.source)


def charts_project(data: bytes) -> bytes:
    """A document of the older form with charts, in this form: element by element."""
    root = etree.Element(f"{{{_SPACE}}}Project", {"schemaVersion": "1.0"}, nsmap={None: _SPACE})  # type: ignore[dict-item]
    _sub(root, "ContentHeader", name="charts")
    space = _sub(_sub(root, "Types"), "GlobalNamespace")
    for old in etree.fromstring(data).iter("{*}pou"):
        pou = _sub(space, "Program", name=old.get("name", ""))
        for variable in old.iter("{*}variable"):
            kind = next(variable.iter("{*}type"), None)
            if kind is not None:
                made = _sub(_sub(pou, "Vars"), "Variable", name=variable.get("name", ""))
                _sub(_sub(made, "Type"), "TypeName").text = etree.QName(kind[0]).localname if not kind[0].get("name") else kind[0].get("name")
                for value in variable.iter("{*}simpleValue"):
                    _sub(_sub(made, "InitialValue"), "SimpleValue", value=value.get("value", ""))
        for group, one in (("actions", "action"), ("transitions", "transition")):
            for holder in old.findall(f"{{*}}{group}"):
                there = _sub(pou, group.capitalize())
                for named in holder:
                    _content(_sub(there, one.capitalize(), name=named.get("name", "")), named.find("{*}body"), "MainBody")
        chart = next(old.iter("{*}SFC"))
        body = _sub(_sub(pou, "MainBody"), "BodyContent", "SFC")
        for node in chart:
            _part(body, node)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)


def _content(parent: etree._Element, body: etree._Element | None, holder: str = "") -> None:
    assert body is not None
    language = etree.QName(body[0]).localname
    made = _sub(_sub(parent, holder) if holder else parent, "BodyContent", language)
    if language == "LD":
        rung = _sub(made, "Rung", evaluationOrder=1)
        for node in body[0]:
            _part(rung, node)
    else:
        made.text = "".join(body[0].itertext())


def _part(parent: etree._Element, old: etree._Element) -> None:
    """One element of a diagram or chart: its connection points are ten times its number, a pin's name behind it."""
    name, number = etree.QName(old).localname, old.get("localId", "")
    kind = {"inVariable": "DataSource", "outVariable": "DataSink"}.get(name, name[0].upper() + name[1:])
    more = {k: old.get(k, "") for k in ("name", "initialStep", "targetName", "priority", "typeName", "negated") if old.get(k)}
    if name in ("inVariable", "outVariable"):
        more["identifier"] = "".join(old.find("{*}expression").itertext())  # type: ignore[union-attr]
    if name in ("contact", "coil"):
        more["operand"] = "".join(old.find("{*}variable").itertext())  # type: ignore[union-attr]
    node = _sub(parent, "LdObject" if name in ("contact", "coil", "leftPowerRail") else "SfcObject", kind, **more)
    place = old.find("{*}position")
    if place is not None:
        _sub(node, "RelPosition", x=place.get("x", "0"), y=place.get("y", "0"))
    for point in old.findall("{*}connectionPointIn"):
        _inward(node, point)
    for groups, one, given in (("InputVariables", "InputVariable", "inputVariables"), ("OutputVariables", "OutputVariable", "outputVariables")):
        for pin in old.findall(f"{{*}}{given}/{{*}}variable"):
            holder = node.find(f"{{*}}{groups}")
            made = _sub(holder if holder is not None else _sub(node, groups), one, parameterName=pin.get("formalParameter", ""))
            if one == "OutputVariable":
                _sub(made, "ConnectionPointOut", connectionPointOutId=f"{number}0{pin.get('formalParameter')}")
            for point in pin.findall("{*}connectionPointIn"):
                _inward(made, point)
    for condition in old.findall("{*}condition"):
        made = _sub(node, "Condition", **({"negated": condition.get("negated", "")} if condition.get("negated") else {}))
        for inside in condition:
            if etree.QName(inside).localname == "reference":
                _sub(made, "Reference", name=inside.get("name", ""))
            elif etree.QName(inside).localname == "connectionPointIn":
                _inward(made, inside)
            else:
                _content(_sub(made, "Inline"), inside)
    for held in old.findall("{*}body/{*}SFC"):
        inside = _sub(node, "BodyContent", "SFC")
        for one in held:
            _part(inside, one)
    for action in old.findall("{*}action"):
        made = _sub(node, "Action", qualifier=action.get("qualifier", "N"), **({"duration": action.get("duration", "")} if action.get("duration") else {}))
        for inside in action:
            _sub(made, "Reference", name=inside.get("name", ""))
    _sub(node, "ConnectionPointOut", connectionPointOutId=f"{number}0")


def _inward(parent: etree._Element, point: etree._Element) -> None:
    made = _sub(parent, "ConnectionPointIn")
    for wire in point:
        _sub(made, "Connection", refConnectionPointOutId=f"{wire.get('refLocalId')}0{wire.get('formalParameter', '')}")


def project(program: Program, backwards: bool = False) -> bytes:
    """The document; with ``backwards`` the rungs stand in the file in the opposite order, and their numbers say which comes first."""
    root = etree.Element(f"{{{_SPACE}}}Project", {"schemaVersion": "1.0"}, nsmap={None: _SPACE})  # type: ignore[dict-item]
    _sub(root, "FileHeader", companyName="Sluice works", productVersion="7")
    _sub(root, "ContentHeader", name=program.name, creationDateTime="2031-04-01T00:00:00")
    space = _sub(_sub(_sub(root, "Types"), "GlobalNamespace"), "NamespaceDecl", name="plant")
    for name, type_ in program.types.items():
        declared = _sub(space, "DataTypeDecl", name=name)
        _spec(declared, "UserDefinedTypeSpec", type_)
        _start(declared, program.defaults.get(name))
    for pou in program.pous.values():
        _pou(space, pou, backwards)
    for configuration in program.configurations:
        node = _sub(_sub(root, "Instances"), "Configuration", name=configuration.name)
        for resource in configuration.resources:
            holder = _sub(node, "Resource", name=resource.name)
            _variables(holder, list(resource.variables))
            for task in resource.tasks:
                timing = {**({"interval": task.interval} if task.interval else {}), **({"single": task.single} if task.single else {})}
                _sub(holder, "Task", name=task.name, priority=task.priority, **timing)
            for one in resource.instances:
                _sub(holder, "ProgramInstance", name=one.name, typeName=one.pou, **({"associatedTaskName": one.task} if one.task else {}))
        _variables(node, list(configuration.variables))
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
