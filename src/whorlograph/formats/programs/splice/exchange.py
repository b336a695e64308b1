"""Changes carried over into a file of the older form of XML (root ``project``)."""

from __future__ import annotations

from lxml import etree

from whorlograph.model.program import Program

from ..xml_write import NAMESPACE, write_xml
from .cuts import Cut
from .elements import Elements, Form
from .pieces import Piece

FORM = Form(
    NAMESPACE,
    {"pou": "name", "dataType": "name", "variable": "name", "task": "name", "configuration": "name", "resource": "name", "pouInstance": "name",
     "action": "name", "transition": "name", "value": "name"},
    frozenset(("type", "baseType", "returnType", "initialValue", "SFC", "actions", "transitions")),
    frozenset(("inputVars", "outputVars", "inOutVars", "localVars", "tempVars", "externalVars", "globalVars")),
    frozenset(("ST", "IL", "documentation", "content")), "variable", "connectionPointIn", "connection", "relPosition")


def exchange_cuts(data: bytes, root: Piece, old: Program, new: Program) -> list[Cut]:
    """What is to be cut. Args: data: the file in UTF-8."""
    work = Elements(data, root, FORM)
    work.element(root, etree.fromstring(write_xml(old)), etree.fromstring(write_xml(new)))
    return work.cuts
