"""Programs written as XML of the exchange format (IEC 61131-10)."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import groupby
from typing import Any

from lxml import etree

from whorlograph.model.chart import ChartBody
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
)
from whorlograph.model.modifiers import asks, attributes_of, is_variable
from whorlograph.model.program import Configuration, OpaqueBody, Pou, PouKind, Program, Variable, VariableKind
from whorlograph.model.text import TextBody
from whorlograph.model.types import UNBOUND, ArrayOf, Elementary, Enumeration, Family, Initial, ListOf, Named, Simple, Structure, Subrange, TypeRef

from .xml_chart_write import ChartWriter, own_variables
from .xml_types import local

NAMESPACE = "http://www.plcopen.org/xml/tc6_0201"
_XHTML = "http://www.w3.org/1999/xhtml"
_SECTIONS = {VariableKind.INPUT: "inputVars", VariableKind.OUTPUT: "outputVars", VariableKind.IN_OUT: "inOutVars",
             VariableKind.LOCAL: "localVars", VariableKind.TEMP: "tempVars", VariableKind.EXTERNAL: "externalVars",
             VariableKind.GLOBAL: "globalVars"}
_NAMES = {"STRING": "string", "WSTRING": "wstring", "CHAR": "char", "WCHAR": "wchar", "TIME_OF_DAY": "TOD", "DATE_AND_TIME": "DT"}
_KINDS = {PouKind.PROGRAM: "program", PouKind.FUNCTION_BLOCK: "functionBlock", PouKind.FUNCTION: "function"}


def _nsmap(namespace: str) -> Any:
    """The default namespace; lxml's stubs do not know that a prefix may be None."""
    return {None: namespace}


def _sub(parent: etree._Element, tag_name: str, /, **attributes: object) -> etree._Element:
    return etree.SubElement(parent, f"{{{NAMESPACE}}}{tag_name}", {k: str(v) for k, v in attributes.items()})


def _words(parent: etree._Element, name: str, text: str) -> None:
    holder = _sub(parent, name)
    body = etree.SubElement(holder, f"{{{_XHTML}}}p", nsmap=_nsmap(_XHTML))
    body.text = text


def _type(parent: etree._Element, type_: TypeRef) -> None:
    if isinstance(type_, Elementary):
        _sub(parent, _NAMES.get(type_.name, type_.name))
    elif isinstance(type_, Subrange) and type_.base.family is Family.STRING:
        _sub(parent, _NAMES[type_.base.name], length=type_.high)
    elif isinstance(type_, Named):
        _sub(parent, "derived", name=type_.name)
    elif isinstance(type_, ArrayOf):
        node = _sub(parent, "array")
        for low, high in type_.bounds:
            unbound = (low, high) == UNBOUND
            _sub(node, "dimension", lower="*" if unbound else low, upper="*" if unbound else high)
        _type(_sub(node, "baseType"), type_.base)
    elif isinstance(type_, Structure):
        node = _sub(parent, "struct")
        for part in type_.fields:
            field = _sub(node, "variable", name=part.name)
            _type(_sub(field, "type"), part.type)
            _initial(field, part.initial)
    elif isinstance(type_, Enumeration):
        values = _sub(_sub(parent, "enum"), "values")
        for name, number in type_.values:
            _sub(values, "value", name=name, value=number)
    elif isinstance(type_, Subrange):
        node = _sub(parent, "subrangeSigned" if type_.base.low < 0 else "subrangeUnsigned")
        _sub(node, "range", lower=type_.low, upper=type_.high)
        _type(_sub(node, "baseType"), type_.base)


def _initial(parent: etree._Element, initial: Initial | None) -> None:
    if initial is None:
        return
    _value(_sub(parent, "initialValue"), initial)


def _value(holder: etree._Element, initial: Initial) -> None:
    if isinstance(initial, Simple):
        _sub(holder, "simpleValue", value=initial.text)
    elif isinstance(initial, ListOf):
        node = _sub(holder, "arrayValue")
        for times, item in initial.items:
            value = _sub(node, "value", repetitionValue=times)
            if item is not None:
                _value(value, item)
    else:
        node = _sub(holder, "structValue")
        for name, item in initial.items:
            _value(_sub(node, "value", member=name), item)


def _variables(parent: etree._Element, variables: tuple[Variable, ...]) -> None:
    for (kind, retain, constant, group), members in groupby(variables, lambda v: (v.kind, v.retain, v.constant, v.group)):
        flags = {**({"name": group} if group else {}), **({"constant": "true"} if constant else {}), **({"retain": "true"} if retain else {})}
        section = _sub(parent, _SECTIONS[kind], **flags)
        for variable in members:
            node = _sub(section, "variable", name=variable.name, **({"address": variable.address} if variable.address else {}))
            _type(_sub(node, "type"), variable.type)
            _initial(node, variable.initial)
            if variable.documentation:
                _words(node, "documentation", variable.documentation)


def _in(parent: etree._Element, wires: tuple[Wire, ...], y: int) -> None:
    point = _sub(parent, "connectionPointIn")
    _sub(point, "relPosition", x=0, y=y)
    for wire in wires:
        _sub(point, "connection", refLocalId=wire.source, **({"formalParameter": wire.pin} if wire.pin else {}))


def _out(parent: etree._Element, x: int, y: int) -> None:
    _sub(_sub(parent, "connectionPointOut"), "relPosition", x=x, y=y)


def _pins(parent: etree._Element, group: str, pins: tuple[Pin, ...], element: Block, inward: bool) -> None:
    holder = _sub(parent, group)
    for i, pin in enumerate(pins):
        flags = {**({"negated": "true"} if pin.negated else {}), **({"edge": str(pin.edge)} if pin.edge is not Edge.NONE else {}),
                 **attributes_of((pin.storage,) if pin.storage else ())}
        node = _sub(holder, "variable", formalParameter=pin.name, **flags)
        y = 28 + 20 * i
        if inward:
            _in(node, pin.wires, y)
        else:
            _out(node, element.width, y)


def _element(body: etree._Element, element: Element) -> None:
    size = {"localId": element.id, "width": element.width, "height": element.height}
    variable = element if isinstance(element, Coil) and is_variable(element, local(body)) else None
    name, extra = _shape(element) if variable is None else ("outVariable", attributes_of(asks(variable)))
    turn = {"executionOrderId": element.turn} if element.turn else {}
    node = _sub(body, name, **size, **extra, **turn)
    _sub(node, "position", x=element.x, y=element.y)
    middle = element.height // 2
    if isinstance(element, LeftRail):
        point = _sub(node, "connectionPointOut", formalParameter="")
        _sub(point, "relPosition", x=element.width, y=middle)
    elif variable is not None:
        _in(node, variable.wires, middle)
        _sub(node, "expression").text = variable.variable
    elif isinstance(element, (Contact, Coil)):
        _in(node, element.wires, middle)
        _out(node, element.width, middle)
        _sub(node, "variable").text = element.variable
    elif isinstance(element, Block):
        _pins(node, "inputVariables", element.inputs, element, True)
        _pins(node, "inOutVariables", element.in_outs, element, True)
        _pins(node, "outputVariables", element.outputs, element, False)
    elif isinstance(element, InVariable):
        _out(node, element.width, middle)
        _sub(node, "expression").text = element.expression
    elif isinstance(element, (OutVariable, InOutVariable)):
        _in(node, element.wires, middle)
        if isinstance(element, InOutVariable):
            _out(node, element.width, middle)
        _sub(node, "expression").text = element.expression
    elif isinstance(element, (Jump, Return, Connector)):
        _in(node, element.wires, middle)
    elif isinstance(element, Continuation):
        _out(node, element.width, middle)
    elif isinstance(element, Comment):
        _words(node, "content", element.text)


def _shape(element: Element) -> tuple[str, Mapping[str, object]]:
    """The XML element's name and its own attributes."""
    if isinstance(element, (Contact, Coil)):
        return type(element).__name__.lower(), {"negated": "false", **attributes_of(asks(element))}
    if isinstance(element, Block):
        return "block", {"typeName": element.type_name, **({"instanceName": element.instance} if element.instance else {}),
                         **({"executionOrderId": element.execution_order} if element.execution_order else {})}
    if isinstance(element, (Jump, Label)):
        return ("jump" if isinstance(element, Jump) else "label"), {"label": element.label}
    if isinstance(element, (Connector, Continuation)):
        return ("connector" if isinstance(element, Connector) else "continuation"), {"name": element.name}
    if isinstance(element, (InVariable, OutVariable)):
        kind = "inVariable" if isinstance(element, InVariable) else "outVariable"
        return kind, attributes_of((*(("inverted",) if element.negated else ()), *element.also))
    if isinstance(element, InOutVariable):
        return "inOutVariable", {name + "In": value for name, value in attributes_of(element.also).items()}
    names = {LeftRail: "leftPowerRail", RightRail: "rightPowerRail", Return: "return", Comment: "comment"}
    return names[type(element)], {}


def _body(parent: etree._Element, body: LadderBody | TextBody) -> None:
    """A body in its language."""
    if isinstance(body, TextBody):
        _words(parent, body.language, "\n".join(body.source))
        return
    diagram = _sub(parent, body.language)
    for element in body.elements:
        _element(diagram, element)


def _pou(parent: etree._Element, pou: Pou) -> None:
    node = _sub(parent, "pou", name=pou.name, pouType=_KINDS[pou.kind])
    interface = _sub(node, "interface")
    if pou.returns is not None:
        _type(_sub(interface, "returnType"), pou.returns)
    chart = ChartWriter(pou.body.chart, _sub, _body) if isinstance(pou.body, ChartBody) else None
    _variables(interface, own_variables(pou.variables))
    if chart is not None:
        chart.actions(node)
        chart.transitions(node)
    body = _sub(node, "body")
    if chart is not None:
        chart.write(body)
    elif isinstance(pou.body, (LadderBody, TextBody)):
        _body(body, pou.body)
    elif isinstance(pou.body, OpaqueBody) and pou.body.language in ("ST", "IL"):
        _words(body, pou.body.language, pou.body.text)
    if pou.documentation:
        _words(node, "documentation", pou.documentation)


def _configuration(parent: etree._Element, configuration: Configuration) -> None:
    node = _sub(parent, "configuration", name=configuration.name)
    for resource in configuration.resources:
        holder = _sub(node, "resource", name=resource.name)
        tasks = {}
        for task in resource.tasks:
            timing = {**({"interval": task.interval} if task.interval else {}), **({"single": task.single} if task.single else {})}
            tasks[task.name] = _sub(holder, "task", name=task.name, priority=task.priority, **timing)
        _variables(holder, resource.variables)
        for instance in resource.instances:
            _sub(tasks.get(instance.task, holder), "pouInstance", name=instance.name, typeName=instance.pou)
    _variables(node, configuration.variables)
    if configuration.located:
        given = _sub(node, "configVars")
        for one in configuration.located:
            address = {"address": one.address} if one.address else {}
            said = _sub(given, "configVariable", instancePathAndName=one.path, **address)
            _sub(_sub(said, "type"), "BOOL")
            _initial(said, one.initial)


def write_xml(program: Program) -> bytes:
    """A program as an XML document, UTF-8, ending in a line break."""
    root = etree.Element(f"{{{NAMESPACE}}}project", nsmap=_nsmap(NAMESPACE))
    _sub(root, "fileHeader", companyName=program.company, productName="", productVersion=program.version,
         creationDateTime=program.date or "2031-01-01T00:00:00")
    content = _sub(root, "contentHeader", name=program.name, modificationDateTime=program.date or "2031-01-01T00:00:00")
    info = _sub(content, "coordinateInfo")
    for language in ("fbd", "ld", "sfc"):
        _sub(_sub(info, language), "scaling", x=1, y=1)
    types = _sub(root, "types")
    data = _sub(types, "dataTypes")
    for name, type_ in program.types.items():
        declared = _sub(data, "dataType", name=name)
        _type(_sub(declared, "baseType"), type_)
        _initial(declared, program.defaults.get(name))
    pous = _sub(types, "pous")
    for pou in program.pous.values():
        _pou(pous, pou)
    configurations = _sub(_sub(root, "instances"), "configurations")
    for configuration in program.configurations:
        _configuration(configurations, configuration)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
