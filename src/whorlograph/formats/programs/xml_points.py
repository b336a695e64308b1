"""Names and values that stand at a connection point itself, instead of a wire, in the older form of XML (IEC 61131-10, its predecessor's schema).

They are made the variables with a wire that they stand for, before anything is read.
"""

from __future__ import annotations

from lxml import etree

from .xml_types import local, whole


def wire_points(body: etree._Element) -> None:
    """Put a variable with a wire in place of each name or value that stands at a connection point of a diagram."""
    space = body.tag.rpartition("}")[0] + "}"
    at_points = [(point, text) for text in body.iter(space + "expression") if (point := text.getparent()) is not None
                 and local(point) in ("connectionPointIn", "connectionPointOut") and (text.text or "").strip()]
    fresh = max((whole(child.get("localId")) for child in body if local(child)), default=0) if at_points else 0
    for n, (point, text) in enumerate(at_points):
        around = list(point.iterancestors())[:4]  # of an element itself, or of a pin of a block; not of a body within a chart
        holder = around[0] if body in around[1:2] else around[2] if body in around[3:4] and local(around[0]) == "variable" else None
        if holder is None:
            continue
        inward = local(point) == "connectionPointIn"
        pin = point.getparent()
        made = etree.SubElement(body, space + ("inVariable" if inward else "outVariable"), localId=str(fresh + n + 1))
        made.sourceline = text.sourceline
        _place(made, holder, point, space, inward)
        etree.SubElement(made, space + "expression").text = text.text
        named = {"formalParameter": pin.get("formalParameter", "")} if pin is not None and pin is not holder and not inward else {}
        wired, source = (point, made) if inward else (etree.SubElement(made, space + "connectionPointIn"), holder)
        etree.SubElement(wired, space + "connection", {"refLocalId": source.get("localId", ""), **named})


def _place(made: etree._Element, holder: etree._Element, point: etree._Element, space: str, inward: bool) -> None:
    """Beside the element whose point it stands at, at the height of the point."""
    place, within = (next(node.iterchildren(space + name), None) for node, name in ((holder, "position"), (point, "relPosition")))
    x, y = (whole(place.get("x")), whole(place.get("y"))) if place is not None else (0, 0)
    y += whole(within.get("y")) if within is not None else 0
    etree.SubElement(made, space + "position", x=str(max(0, x - 1) if inward else x + whole(holder.get("width")) + 1), y=str(y))
