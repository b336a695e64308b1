"""Constants as bounds in both XML forms: their numbers put in place of their names before anything is read (IEC 61131-3:2013, 6.5.2)."""

from __future__ import annotations

from collections.abc import Iterator

from lxml import etree

from .xml_types import local

Scope = etree._Element | None  # a POU, None for what is global
_POUS = {"pou", "Program", "FunctionBlock", "Function"}


def put_numbers(root: etree._Element) -> list[tuple[etree._Element, str]]:
    """Replace names in bounds. Returns: the names that are no constants there, each with its element."""
    unknown: list[tuple[etree._Element, str]] = []
    named = [node for node in root.iter(etree.Element) for key in ("lower", "upper", "length") if _is_name(node.get(key))]
    if not named:
        return unknown
    known = _constants(root)
    for node in dict.fromkeys(named):
        inner, outer = known.get(_scope(node), {}), known.get(None, {})
        for key in ("lower", "upper", "length"):
            name = str(node.get(key) or "").strip()
            if not _is_name(name):
                continue
            number = inner.get(name.lower(), outer.get(name.lower()))
            if number is None:
                unknown.append((node, name))
            else:
                node.set(key, number)
    return unknown


def _is_name(text: object) -> bool:
    return isinstance(text, str) and text.strip()[:1].isalpha()


def _constants(root: etree._Element) -> dict[Scope, dict[str, str]]:
    """By POU: the numbers that are declared constant in it, by name in lower case."""
    found: dict[Scope, dict[str, str]] = {}
    for section in root.iter(etree.Element):
        if section.get("constant") != "true":
            continue
        for variable in section:
            value = next(_values(variable), None)
            if variable.get("name") and value is not None:
                found.setdefault(_scope(section), {})[str(variable.get("name")).lower()] = value
    return found


def _values(variable: etree._Element) -> Iterator[str]:
    for node in variable.iter(etree.Element):
        value = str(node.get("value") or "").rpartition("#")[2].strip()
        if local(node).lower() == "simplevalue" and value.lstrip("+-").isdecimal():
            yield value


def _scope(node: etree._Element) -> Scope:
    return next((a for a in node.iterancestors() if local(a) in _POUS), None)
