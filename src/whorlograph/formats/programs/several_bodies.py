"""A POU with several bodies: in which order they run is nowhere laid down, so none is executed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from lxml import etree

from whorlograph.formats.text.assigned import assigned_names
from whorlograph.model.program import OpaqueBody

from .xml_types import local

NOT_EXECUTED = "none of them is executed: what they alone write comes from the log"


def opaque(bodies: Iterable[tuple[etree._Element, str]]) -> OpaqueBody:
    """Their texts, and the names that they can be seen to write. Args: bodies: each with its language."""
    texts: list[str] = []
    written: dict[str, None] = {}
    languages: dict[str, None] = {}
    for body, language in bodies:
        texts.append("".join(str(t) for t in body.itertext()))
        languages.setdefault(language)
        written |= dict.fromkeys(_drawn(body) if language in ("LD", "FBD") else assigned_names(texts[-1], language))
    return OpaqueBody(" and ".join(languages), "\n".join(texts), tuple(written))


def _drawn(body: etree._Element) -> Iterator[str]:
    """What coils and variables behind blocks write, in either form of XML."""
    for node in body.iter(etree.Element):
        kind = next((str(value).rpartition(":")[2] for key, value in node.items() if str(key).endswith("}type")), local(node))
        if kind in ("Coil", "DataSink"):
            yield str(node.get("operand") or node.get("identifier") or "")
        elif kind in ("coil", "outVariable", "inOutVariable"):
            yield from ((part.text or "").strip() for part in node if local(part) in ("variable", "expression"))
