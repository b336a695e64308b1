"""Which bits of a word keep it from being what it is compared with, and why each stands as it does."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Load, Op
from whorlograph.engine.evaluate.steps import Seen

from ..circuit import Circuit
from ..trail import Link
from .field_input import input_root
from .pins import explain_read

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST = 8  # bits that are told; of a word of which more are otherwise it is no matter of bits


def add(tracer: Tracer, found: Link, circuit: Circuit, compared: Op, seen: Seen, depth: int, change: bool) -> bool:
    """Add to the link of a comparison for equality that does not hold each bit of the word that is otherwise. Returns: whether that says all.

    Only of a word that is looked at through a mask, or whose bits are written one by one: a number of a step or a code counts as a whole.
    Args: change: the bits are told alone; what changed is told by who asks.
    """
    load, bits = _wanted(tracer, circuit, compared, seen)
    if load is None or not 1 <= len(bits) <= MOST:
        return False
    tag = seen.result.cells[load.at].number
    for state, these in (("off", [bit for bit, on in bits.items() if on]), ("on", [bit for bit, on in bits.items() if not on])):
        if these:
            several = len(these) > 1
            found.text += f"; its bit{'s' if several else ''} {' and '.join(map(str, these))} {'are' if several else 'is'} {state}"
    if change:
        return False
    for bit in bits:
        if tracer.writers.get(tag):
            child = explain_read(tracer, tag, load, seen, False, depth, bit)
            found.children += [child] if child is not None else []
        else:
            root = input_root(tracer, tag, seen.position, bit)
            root.step = seen.step
            found.roots.append(root)
    return bool(found.children or found.roots)


def _wanted(tracer: Tracer, circuit: Circuit, compared: Op, seen: Seen) -> tuple[Load | None, dict[int, bool]]:
    """The word that is compared with a literal, and its bits that are otherwise: of each whether it should be on."""
    numbers = [circuit.literal(arg) for arg in compared.args]
    wanted = next((int(one.value) for one in numbers if one is not None and isinstance(one.value, int)), None)
    side = next((circuit.plain(arg) for arg, one in zip(compared.args, numbers, strict=True) if one is None), None)
    mask = -1
    if isinstance(side, Op) and side.code == "AND" and len(side.args) == 2:
        masks = [int(one.value) for arg in side.args if (one := circuit.literal(arg)) is not None and isinstance(one.value, int)]
        mask = masks[0] if len(masks) == 1 else 0
        side = next((inner for arg in side.args if isinstance(inner := circuit.plain(arg), Load)), None)
    if compared.code != "EQ" or wanted is None or mask == 0 or not isinstance(side, Load):
        return None, {}
    if side.at not in seen.result.raws or side.at not in seen.result.cells:
        return None, {}
    cell = seen.result.cells[side.at]
    writers = tracer.writers.get(cell.number, ())
    if cell.bit >= 0 or wanted & ~mask or (mask == -1 and not (writers and all(w.bit >= 0 for w in writers))):
        return None, {}
    other = (int(seen.result.raws[side.at]) ^ wanted) & mask
    return side, {bit: bool(wanted >> bit & 1) for bit in range(64) if other >> bit & 1}
