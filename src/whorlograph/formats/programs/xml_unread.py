"""What stands at an element or in it and is not read: named in a message, that nobody takes it for read (DESIGN section 6)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from lxml import etree

from .xml_types import local

_NO_MATTER = ("", "false", "none", "0")
_DRAWN = ("localId", "globalId", "width", "height")
_ASKED = ("negated", "edge", "storage", "executionOrderId")
_BOTH_WAYS = tuple(name + way for name in ("negated", "edge", "storage") for way in ("In", "Out"))
_OLDER = {
    "contact": (*_DRAWN, *_ASKED), "coil": (*_DRAWN, *_ASKED), "inVariable": (*_DRAWN, *_ASKED), "outVariable": (*_DRAWN, *_ASKED),
    "inOutVariable": (*_DRAWN, *_BOTH_WAYS, "executionOrderId"), "block": (*_DRAWN, "typeName", "instanceName", "executionOrderId"),
    "jump": (*_DRAWN, "label", "executionOrderId"), "label": (*_DRAWN, "label", "executionOrderId"), "return": (*_DRAWN, "executionOrderId"),
    "connector": (*_DRAWN, "name", "executionOrderId"), "continuation": (*_DRAWN, "name", "executionOrderId"), "comment": _DRAWN,
    "leftPowerRail": _DRAWN, "rightPowerRail": _DRAWN, "step": (*_DRAWN, "name", "initialStep", "negated"), "macroStep": (*_DRAWN, "name"),
    "transition": (*_DRAWN, "priority"), "jumpStep": (*_DRAWN, "targetName"), "actionBlock": (*_DRAWN, "negated"),
    "pin": ("formalParameter", "negated", "edge", "storage", "hidden"), "action": (*_DRAWN, "qualifier", "duration", "indicator"),
    "variable": ("name", "address", "globalId"), "task": ("name", "single", "interval", "priority", "globalId"),
    "section": ("name", "constant", "retain", "nonretain", "persistent", "nonpersistent"), "pouInstance": ("name", "typeName", "type", "globalId"),
}
PLACED = ("id", "globalId", "objectId", "elementId", "evaluationOrder", "executionOrder", "height", "width", "name")
_LATCHED = (*PLACED, "negated", "edge", "latch")
_NEWER = {
    "Contact": (*_LATCHED, "operand"), "Coil": (*_LATCHED, "operand"), "DataSource": (*_LATCHED, "identifier"), "DataSink": (*_LATCHED, "identifier"),
    "Block": (*PLACED, "typeName", "instanceName"), "Jump": (*PLACED, "targetLabel"), "Return": PLACED, "Label": (*PLACED, "label"),
    "Connector": (*PLACED, "label"), "Continuation": (*PLACED, "label"), "LeftPowerRail": PLACED, "RightPowerRail": PLACED,
    "Pin": (*_LATCHED, "parameterName", "hidden"), "Variable": (*PLACED, "address", "orderWithinParamSet"),
    "Task": (*PLACED, "single", "interval", "priority"), "ProgramInstance": (*PLACED, "typeName", "associatedTaskName"),
    "Section": (*PLACED, "constant", "retain", "nonretain", "persistent", "nonpersistent", "accessSpecifier"),
}
_KNOWN = {name: frozenset(known) for name, known in (_OLDER | _NEWER).items()}
_POINTS = ("position", "connectionPointIn", "connectionPointOut")
_PLACES = ("RelPosition", "Size", "ConnectionPointIn", "ConnectionPointOut")
_POU_PARTS = ("Parameters", "ExternalVars", "Vars", "TempVars", "MainBody", "ResultType", "Actions", "Transitions")
_INSIDE = {name: frozenset((*parts, "", "documentation", "addData", "Documentation", "AddData")) for name, parts in {
    **dict.fromkeys(("leftPowerRail", "rightPowerRail", "jump", "return", "label", "connector", "continuation"), _POINTS),
    **dict.fromkeys(("contact", "coil"), (*_POINTS, "variable")),
    **dict.fromkeys(("inVariable", "outVariable", "inOutVariable"), (*_POINTS, "expression")),
    "block": (*_POINTS, "inputVariables", "inOutVariables", "outputVariables"), "comment": (*_POINTS, "content"), "pin": _POINTS,
    "step": (*_POINTS, "connectionPointOutAction"), "macroStep": (*_POINTS, "body"), "transition": (*_POINTS, "condition"), "jumpStep": _POINTS,
    "actionBlock": (*_POINTS, "action"), "action": ("relPosition", "connectionPointOut", "reference", "inline"),
    "section": ("variable",), "variable": ("type", "initialValue"), "types": ("dataTypes", "pous"), "dataTypes": ("dataType",), "pous": ("pou",),
    "dataType": ("baseType", "initialValue"), "pou": ("interface", "body", "actions", "transitions"), "body": ("LD", "FBD", "ST", "IL", "SFC"),
    "instances": ("configurations",),
    "configurations": ("configuration",), "configuration": ("resource", "globalVars", "configVars", "accessVars"),
    "resource": ("task", "globalVars", "pouInstance"), "task": ("pouInstance",), "pouInstance": (),
    **dict.fromkeys(("Contact", "Coil", "DataSource", "DataSink", "Jump", "Return", "Label", "Connector", "Continuation", "LeftPowerRail",
                     "RightPowerRail", "Pin"), _PLACES),
    "Block": (*_PLACES, "InputVariables", "InoutVariables", "OutputVariables"), "Comment": (*_PLACES, "Content"),
    "Section": ("Variable",), "Variable": ("Type", "InitialValue", "Address"), "DataTypeDecl": ("UserDefinedTypeSpec", "InitialValue"),
    **dict.fromkeys(("Program", "FunctionBlock", "Function"), _POU_PARTS), "Parameters": ("InputVars", "OutputVars", "InoutVars", "ResultType"),
    "Instances": ("Configuration",), "Configuration": ("Resource", "GlobalVars", "ConfigVars", "AccessVars"),
    "InputVariables": ("InputVariable",), "OutputVariables": ("OutputVariable",), "InoutVariables": ("InoutVariable",), "MainBody": ("BodyContent",),
    "Resource": ("Task", "GlobalVars", "ProgramInstance"), "Task": (), "ProgramInstance": (),
}.items()}


def inside(name: str) -> frozenset[str]:
    """What is known to stand in an element of a kind, by name."""
    return _INSIDE[name]


class Unread:
    """Collects what is not read, and says each once."""

    def __init__(self) -> None:
        self._found: dict[tuple[str, str], list[etree._Element]] = {}
        self._inner: dict[tuple[str, str], list[etree._Element]] = {}

    def look(self, node: etree._Element, name: str, at: Mapping[str, str] | None = None) -> None:
        """At one element, and what stands in it.

        Args: name: its own, or ``pin``, ``section`` (``Pin``, ``Section``) for all of a kind; of others nothing is known; at: its attributes,
            where they have been read, and what stands in it is looked at there too.
        """
        known = _KNOWN.get(name)
        if known is not None and not known.issuperset(node.keys() if at is None else at):
            for key, value in node.attrib.items():
                if key not in known and not str(key).startswith("{") and str(value).strip().lower() not in _NO_MATTER:
                    self._found.setdefault((local(node), str(key)), []).append(node)
        parts = _INSIDE.get(name) if at is None else None
        if parts is not None:
            for part in node:
                if local(part) not in parts:
                    self.note(node, part)

    def note(self, node: etree._Element, part: etree._Element) -> None:
        """That something in an element is not read."""
        self._inner.setdefault((local(node), local(part)), []).append(part)

    def look_at(self, nodes: Iterable[etree._Element], name: str) -> None:
        """At several of one kind."""
        for node in nodes:
            self.look(node, name)

    def say(self, say: Callable[..., None], pou: str = "") -> None:
        """Say what was found, at the first place of each."""
        for (name, key), nodes in self._found.items():
            more = f", nor at {len(nodes) - 1:,} more" if len(nodes) > 1 else ""
            say(nodes[0], f'{key}="{nodes[0].get(key)}" of {name} is not read{more}', "it counts as if it were not there", pou)
        for (name, inner), nodes in self._inner.items():
            more = f", nor {len(nodes) - 1:,} more" if len(nodes) > 1 else ""
            say(nodes[0], f"{inner} in {name} is not read{more}", "it counts as if it were not there", pou)
        self._found.clear()
        self._inner.clear()
