"""The pins of standard functions and blocks, for drawings whose names or order are other ones (IEC 61131-3:2013, 6.6.2 and 6.6.3.5)."""

from __future__ import annotations

from msgspec.structs import replace

from .blocks import STANDARD_BLOCKS
from .ladder import Block, Wire
from .typed_functions import typed

FUNCTION_PINS = {"LEFT": ("IN", "L"), "RIGHT": ("IN", "L"), "MID": ("IN", "L", "P"), "INSERT": ("IN1", "IN2", "P"), "DELETE": ("IN", "L", "P"),
                 "REPLACE": ("IN1", "IN2", "L", "P"), "FIND": ("IN1", "IN2"), "SEL": ("G", "IN0", "IN1"), "LIMIT": ("MN", "IN", "MX"),
                 "EXPT": ("IN1", "IN2"), "ATAN2": ("Y", "X"), **dict.fromkeys(("SHL", "SHR", "ROL", "ROR"), ("IN", "N"))}


def output_pin(wire: Wire, block: Block) -> str:
    """The output pin a wire comes from, by name; the only or first one but ENO where the file names none."""
    if wire.pin:
        return wire.pin.upper()
    names = [p.name.upper() for p in block.outputs if p.name.upper() != "ENO"]
    return names[0] if names else "ENO"


def wanted_pins(block: Block) -> tuple[str, ...]:
    """The names of a block's inputs in order, where the standard knows all of them; () for others."""
    name = block.type_name.upper()
    if not block.instance:
        return FUNCTION_PINS.get(typed(name)[0], ())
    return tuple(pin.upper() for pin, _ in STANDARD_BLOCKS[name][0]) if name in STANDARD_BLOCKS else ()


def unknown_pins(block: Block) -> list[str]:
    """The inputs of a standard function or block that it does not have, as they are written."""
    wanted = wanted_pins(block)
    return [p.name for p in block.inputs if p.name.upper() not in (*wanted, "EN")] if wanted else []


def with_standard_pins(block: Block) -> Block:
    """A block with its inputs named and ordered as the standard has them: those it does not have stand for those that are missing, in order,
    where these are as many. The same block where nothing has to be done, or cannot be, and where it names its type: a function of the
    file's own may be called so."""
    wanted = wanted_pins(block)
    if not wanted:
        return block
    given = {p.name.upper() for p in block.inputs}
    unknown, missing = unknown_pins(block), [w for w in wanted if w not in given]
    if unknown and (len(unknown) != len(missing) or typed(block.type_name)[1] is not None):
        return block
    names = dict(zip(unknown, missing, strict=True)) if unknown else {}
    order = ("EN", *wanted)
    inputs = tuple(sorted((replace(p, name=names.get(p.name, p.name)) for p in block.inputs), key=lambda p: order.index(p.name.upper())))
    return block if inputs == block.inputs else replace(block, inputs=inputs)
