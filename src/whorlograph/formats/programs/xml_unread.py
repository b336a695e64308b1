"""Attributes that stand at an element and that nothing reads: named in a message, that nobody takes them for read (DESIGN section 6)."""

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


class Unread:
    """Collects what is not read, and says each once."""

    def __init__(self) -> None:
        self._found: dict[tuple[str, str], list[etree._Element]] = {}

    def look(self, node: etree._Element, name: str, at: Mapping[str, str] | None = None) -> None:
        """At one element.

        Args: name: its own, or ``pin``, ``section`` (``Pin``, ``Section``) for all of a kind; of others nothing is known; at: its attributes,
            where they have been read.
        """
        known = _KNOWN.get(name)
        if known is None or known.issuperset(node.keys() if at is None else at):
            return
        for key, value in node.attrib.items():
            if key not in known and not str(key).startswith("{") and str(value).strip().lower() not in _NO_MATTER:
                self._found.setdefault((local(node), str(key)), []).append(node)

    def look_at(self, nodes: Iterable[etree._Element], name: str) -> None:
        """At several of one kind."""
        for node in nodes:
            self.look(node, name)

    def say(self, say: Callable[..., None], pou: str = "") -> None:
        """Say what was found, at the first place of each."""
        for (name, key), nodes in self._found.items():
            more = f", nor at {len(nodes) - 1:,} more" if len(nodes) > 1 else ""
            say(nodes[0], f'{key}="{nodes[0].get(key)}" of {name} is not read{more}', "it counts as if it were not there", pou)
        self._found.clear()
