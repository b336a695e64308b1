"""Constants as bounds in both XML forms: their numbers put in place of their names before anything is read (IEC 61131-3:2013, 6.5.2)."""

from __future__ import annotations

from collections.abc import Iterator

from lxml import etree

from whorlograph.model.modifiers import is_true

from .xml_types import local

Scope = etree._Element | None  # a POU, None for what is global
_BOUNDS = ("lower", "upper", "length")
_BODIES = {"body", "MainBody"}
_POUS = {"pou", "Program", "FunctionBlock", "Function"}


def put_numbers(root: etree._Element, data: bytes) -> list[tuple[etree._Element, str]]:
    """Replace names in bounds. Args: data: the file. Returns: the names that are no constants there, each with its element."""
    unknown: list[tuple[etree._Element, str]] = []
    if data.isascii() and b"\0" not in data and not any(key.encode() in data for key in _BOUNDS):
        return unknown
    named = [node for node in _declared(root) if any(_is_name(node.get(key)) for key in _BOUNDS)]
    if not named:
        return unknown
    known = _constants(root)
    for node in named:
        inner, outer = known.get(_scope(node), {}), known.get(None, {})
        for key in _BOUNDS:
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
    return isinstance(text, str) and text.strip()[:1].replace("_", "a").isalpha()


def _declared(root: etree._Element) -> Iterator[etree._Element]:
    """All elements outside of bodies, in which nothing is declared: nearly all of a file lies in these."""
    todo = [root]
    while todo:
        node = todo.pop()
        yield node
        todo += [c for c in reversed(node) if local(c) and local(c) not in _BODIES]


def _constants(root: etree._Element) -> dict[Scope, dict[str, str]]:
    """By POU: the numbers that are declared constant in it, by name in lower case."""
    found: dict[Scope, dict[str, str]] = {}
    for section in _declared(root):
        if not is_true(section.get("constant")):
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
