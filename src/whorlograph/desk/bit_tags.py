"""A bit of a word that a person asks about by name (``Drive_Cmd.3``, ``%QX4.3``): a tag of its own at the bit's address."""

from __future__ import annotations

import re

from msgspec.structs import replace

from whorlograph.model.address import Address, parse_address
from whorlograph.model.errors import UsageError
from whorlograph.model.program import Configuration, Program, Variable, VariableKind
from whorlograph.model.tags import Running, Tag
from whorlograph.model.types import BOOL, Family

_BIT = re.compile(r"(.+)\.(?:%X)?(\d+)", re.IGNORECASE)


def with_bit(program: Program, running: Running, text: str, addressing: str, resource: str = "") -> Program | None:
    """The program with a tag for the bit that a text names; None where it names none, or a tag that is there.

    Args: resource: the one that runs, "" the first. Raises: UsageError where the word lies at no address, or has no such bit.
    """
    if running.find(text) is not None or running.alike(text.strip().lower()):
        return None
    address = parse_address(text)
    if address is not None:
        inside = address.area != "I" and any(_covers(tag, address, addressing) for tag in running.tags[:running.public])
        return _added(program, resource, str(address), address) if address.size == "X" and inside else None
    found = _BIT.fullmatch(text.strip())
    base = running.find(found.group(1)) if found is not None else None
    if found is None or base is None:
        return None
    tag, bit = running.tags[base], int(found.group(2))
    if not tag.type.whole or tag.type.family in (Family.TIME, Family.DATE) or bit >= tag.type.bits:
        raise UsageError(program.file, f"{tag.name} is of type {tag.type.name} and has no bit {bit}", f"ask about {tag.name}")
    if tag.address is None:
        raise UsageError(program.file, f"{tag.name} lies at no address, so its bits are no tags", f"ask about what reads its bit {bit}")
    if tag.address.area == "I":
        raise UsageError(program.file, f"{tag.name} is an input: no rung decides its bit {bit}", "ask about what reads it")
    place = tag.address.span(addressing)[1] + bit
    lies = Address(tag.address.area, "X", (*tag.address.numbers[:-1], place // 8, place % 8))
    return _added(program, resource, f"{tag.name}.{bit}", lies)


def _covers(tag: Tag, address: Address, addressing: str) -> bool:
    """Whether a bit's address lies within a tag's."""
    if tag.address is None or tag.type.family is Family.STRING:
        return False
    (area, first, width), (there, bit, _) = tag.address.span(addressing), address.span(addressing)
    return area == there and first <= bit < first + width


def _added(program: Program, resource: str, name: str, address: Address) -> Program:
    bit, runs = Variable(name, BOOL, VariableKind.GLOBAL, str(address)), program.chosen(resource)[0]
    known = program.configurations or (Configuration("", ()),)
    at = next((i for i, one in enumerate(known) if any(r is runs for r in one.resources)), 0)
    return replace(program, configurations=tuple(replace(c, variables=(*c.variables, bit)) if i == at else c for i, c in enumerate(known)))
