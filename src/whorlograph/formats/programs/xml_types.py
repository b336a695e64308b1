"""Types, initial values and words of the XML exchange format."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from lxml import etree

from whorlograph.model.modifiers import is_true
from whorlograph.model.types import (
    ELEMENTARY,
    UNBOUND,
    ArrayOf,
    Elementary,
    Enumeration,
    Family,
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


def local(node: etree._Element) -> str:
    """An element's name without its namespace; "" for what is no element."""
    tag = node.tag
    return tag.rpartition("}")[2] if isinstance(tag, str) else ""


def is_retained(section: etree._Element | Mapping[str, str]) -> bool:
    """Whether the variables of a section, by its attributes, keep their values over a loss of power: *persistent* ones do too."""
    return is_true(section.get("retain")) or is_true(section.get("persistent"))


def priority_of(task: etree._Element, say: Callable[..., None]) -> int:
    """How urgent a task is; said where that is no number."""
    text = task.get("priority", "").strip()
    if text and whole(text, -1) < 0:
        say(task, f"the priority {text} of task {task.get('name', '')} is no whole number from 0 on", "it counts as 0")
    return max(0, whole(text))


def line_of(node: etree._Element) -> int:
    """The line an element stands on in its file, from 1; 0 where it is not known."""
    line = node.sourceline
    return line if isinstance(line, int) else 0


def stands_alike(data: bytes, text: str, first: int, line: int, column: int) -> bool:
    """Whether a column of a text is that of the file: its line begins as the file's does, no entity stands before it.

    Args: first: the line of the file in which the text begins; line, column: of the file, and of the text.
    """
    lines, mine = data.split(b"\n", line)[:line], text.split("\n", line - first + 1)[:line - first + 1]
    if not 0 < line - first < len(mine) or len(lines) < line:
        return False
    return lines[line - 1].decode("utf-8", "replace")[:column - 1] == mine[line - first][:column - 1]


def words(node: etree._Element) -> str:
    """The text of a piece of documentation; paragraphs are set apart by a dot."""
    return " · ".join(t for t in (" ".join(str(part).split()) for part in node.itertext()) if t)


def read_type(holder: etree._Element, say: Callable[..., None]) -> TypeRef:
    """The type below a ``type``, ``baseType`` or ``returnType`` element; BOOL where there is none."""
    node = next((c for c in holder if local(c)), None)
    if node is None:
        say(holder, "a variable without a type", "taken as BOOL")
        return ELEMENTARY["BOOL"]
    name = local(node)
    if name.upper() in ELEMENTARY:
        found, length = ELEMENTARY[name.upper()], whole(node.get("length"))
        return Subrange(found, 0, length) if length and found.family is Family.STRING else found
    if name == "derived":
        return _named(node.get("name", ""))
    if name == "array":
        bounds = tuple(bounds_of(d) for d in node if local(d) == "dimension")
        base = next((c for c in node if local(c) == "baseType"), None)
        return ArrayOf(bounds, read_type(base, say) if base is not None else ELEMENTARY["BOOL"])
    if name == "struct":
        return Structure(tuple(_field(v, say) for v in node if local(v) == "variable"))
    if name == "enum":
        return Enumeration(_enum_values(node))
    if name in ("subrangeSigned", "subrangeUnsigned"):
        limits = next((c for c in node if local(c) == "range"), None)
        base_node = next((c for c in node if local(c) == "baseType"), None)
        base_type = read_type(base_node, say) if base_node is not None else ELEMENTARY["INT"]
        if limits is None or not isinstance(base_type, Elementary):
            return ELEMENTARY["INT"]
        return Subrange(base_type, whole(limits.get("lower")), whole(limits.get("upper")))
    say(node, f"type {name} is not known", "taken as a block of that name")
    return Named(name)


def _named(name: str) -> TypeRef:
    return ELEMENTARY.get(name.upper(), Named(name))


def _field(node: etree._Element, say: Callable[..., None]) -> Field:
    type_: TypeRef = ELEMENTARY["BOOL"]
    initial = None
    for child in node:
        if local(child) == "type":
            type_ = read_type(child, say)
        elif local(child) == "initialValue":
            initial = read_initial(child)
    return Field(node.get("name", ""), type_, initial)


def _enum_values(node: etree._Element) -> tuple[tuple[str, int], ...]:
    values, following = [], 0
    for item in node.iter():
        if local(item) == "value" and item.get("name"):
            given = item.get("value")
            following = whole(given) if given else following
            values.append((item.get("name", ""), following))
            following += 1
    return tuple(values)


def read_initial(holder: etree._Element) -> Initial | None:
    """The value below an ``initialValue`` element."""
    for node in holder:
        name = local(node)
        if name == "simpleValue":
            return Simple(node.get("value", "").strip())
        if name == "arrayValue":
            return ListOf(tuple((whole(v.get("repetitionValue"), 1), read_initial(v)) for v in node if local(v) == "value"))
        if name == "structValue":
            found = ((v.get("member", ""), read_initial(v)) for v in node if local(v) == "value")
            return Members(tuple((member, value) for member, value in found if value is not None))
    return None


def bounds_of(node: etree._Element) -> tuple[int, int]:
    """The lowest and highest subscript that a dimension tells; ``*`` where what is handed over does."""
    return UNBOUND if node.get("lower") == node.get("upper") == "*" else (whole(node.get("lower")), whole(node.get("upper")))


def whole(text: str | None, default: int = 0) -> int:
    """A number as files write it, ``12`` or ``12.0``; the default where there is none, or one beyond 64 bits."""
    if not text:
        return default
    try:
        number = int(text)
    except ValueError:
        try:
            number = int(float(text))
        except (ValueError, OverflowError):
            return default
    return number if -(1 << 63) <= number < 1 << 63 else default
