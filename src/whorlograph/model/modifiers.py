"""What stands beside an element besides what it is: inverted, at an edge, set, reset (IEC 61131-10).

What comes to a contact or coil of the standard becomes one: a block diagram's variable that is set is a set coil. What comes to none is kept and
said, and the rung around it is not executed.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from msgspec.structs import replace

from .ladder import Block, Coil, CoilKind, Contact, ContactKind, Edge, Element, InOutVariable, InVariable, OutVariable, Pin, wires_of
from .pins import output_pin

Asked = tuple[str, ...]  # of "inverted", "rising" or "falling", "set" or "reset"

WORDS = {"inverted": "inverted", "rising": "at a rising edge", "falling": "at a falling edge", "set": "set", "reset": "reset"}
_COILS = {"inverted": CoilKind.NEGATED, "rising": CoilKind.RISING, "falling": CoilKind.FALLING, "set": CoilKind.SET, "reset": CoilKind.RESET}
_CONTACTS = {"inverted": ContactKind.NORMALLY_CLOSED, "rising": ContactKind.RISING, "falling": ContactKind.FALLING}


def asked_of(negated: str | None, edge: str | None, storage: str | None) -> Asked:
    """What files ask for by three attributes."""
    found = ["inverted"] if negated == "true" else []
    found += [a for a in (edge,) if a in ("rising", "falling")]
    return (*found, *(a for a in (storage,) if a in ("set", "reset")))


def attributes_of(asked: Asked, storage: str = "storage") -> dict[str, str]:
    """The same three attributes, as files write them. Args: storage: what the form calls what is set or reset."""
    return {"negated" if a == "inverted" else "edge" if a in ("rising", "falling") else storage: "true" if a == "inverted" else a for a in asked}


def coil_kind(asked: Asked) -> tuple[CoilKind, Asked]:
    """What coil that is, and what of it no such coil is."""
    return (_COILS[asked[-1]], asked[:-1]) if asked else (CoilKind.PLAIN, ())


def contact_kind(asked: Asked) -> tuple[ContactKind, Asked]:
    """What contact that is, and what of it no such contact is."""
    last = next((a for a in reversed(asked) if a in _CONTACTS), "")
    return (_CONTACTS[last], tuple(a for a in asked if a != last)) if last else (ContactKind.NORMALLY_OPEN, asked)


def asks(element: Coil | Contact) -> Asked:
    """What a file has to ask for, that such an element is read."""
    named = _COILS if isinstance(element, Coil) else _CONTACTS
    return tuple(w for w in WORDS if w in element.also or named.get(w) is element.kind)


def is_variable(coil: Coil, language: str) -> bool:
    """Whether such a coil is a variable that a block diagram sets, resets, or writes at an edge."""
    return language == "FBD" and coil.kind not in (CoilKind.PLAIN, CoilKind.NEGATED)


def modified(elements: Sequence[Element], asked: Mapping[int, Asked]) -> tuple[Element, ...]:
    """Elements with what is asked of pins and variables put where it is executed.

    Args: asked: by the element of a variable, what it is asked for besides being inverted.
    """
    by_id = {e.id: e for e in elements}
    if not asked and not any(_passes_on(p) for e in elements if isinstance(e, Block) for p in e.outputs):
        return tuple(elements)
    users = _users(elements)
    return tuple(_block(e, asked, by_id) if isinstance(e, Block) else _written(e, by_id, asked) if isinstance(e, OutVariable)
                 else _read(e, users, asked) if isinstance(e, InVariable) else e for e in elements)


def odd_modifier(rung: Sequence[Element]) -> str:
    """What a rung asks for that is not executed, in words; "" where there is nothing."""
    return next(_oddities(rung), "")


def _oddities(rung: Sequence[Element]) -> Iterator[str]:
    users: dict[int, list[Element]] | None = None
    for one in rung:
        if one.also:
            yield _told(one)
        if not isinstance(one, Block):
            continue
        name = one.instance or one.type_name
        for pin in (*one.inputs, *one.in_outs):
            if pin.storage:
                yield f"{pin.name} of {name} is to be {WORDS[pin.storage]} by its wire"
        for pin in one.outputs:
            if _passes_on(pin):
                users = users or _users(rung)
                fed = [u for u in users.get(one.id, ()) if any(w.source == one.id and output_pin(w, one) == pin.name.upper() for w in wires_of(u))]
                if not all(isinstance(u, Coil) and {*_of_pin(pin)} <= {*asks(u)} for u in fed):
                    yield f"{pin.name} of {name} is passed on {WORDS.get(pin.storage) or WORDS[pin.edge.value]}, and not to variables alone"


def _told(one: Element) -> str:
    if isinstance(one, (Coil, Contact)):
        return f"{one.variable} is {'written' if isinstance(one, Coil) else 'read'} {' and '.join(WORDS[a] for a in asks(one))} at once"
    text = one.expression if isinstance(one, (InVariable, OutVariable, InOutVariable)) else "an element"
    return f"{text} is passed on {' and '.join(WORDS[a] for a in one.also)}"


def _passes_on(pin: Pin) -> bool:
    return bool(_of_pin(pin))


def _of_pin(pin: Pin) -> Asked:
    return asked_of(None, pin.edge.value, pin.storage)


def _users(elements: Sequence[Element]) -> dict[int, list[Element]]:
    users: dict[int, list[Element]] = {}
    for one in elements:
        for wire in wires_of(one):
            users.setdefault(wire.source, []).append(one)
    return users


def _written(one: OutVariable, by_id: Mapping[int, Element], asked: Mapping[int, Asked]) -> Element:
    """What is written: a coil where it is set, reset or at an edge, by itself or by the pin that it is wired to."""
    wanted = asked.get(one.id, ())
    source = by_id.get(one.wires[0].source) if len(one.wires) == 1 else None
    if not wanted and isinstance(source, Block):
        wanted = next((_of_pin(p) for p in source.outputs if p.name.upper() == output_pin(one.wires[0], source)), ())
    if not wanted:
        return one
    kind, also = coil_kind((*(("inverted",) if one.negated else ()), *wanted))
    return Coil(one.id, one.x, one.y, one.width, one.height, one.line, one.expression, kind, one.wires, also=also, turn=one.turn)


def _read(one: InVariable, users: Mapping[int, Sequence[Element]], asked: Mapping[int, Asked]) -> Element:
    """What is read: an edge is one of the pins that it goes to."""
    wanted = asked.get(one.id, ())
    if not wanted or (len(wanted) == 1 and wanted[0] in ("rising", "falling") and all(_alone_in(one, u) for u in users.get(one.id, ()))):
        return one
    return replace(one, also=wanted)


def _alone_in(one: InVariable, user: Element) -> bool:
    """Whether it goes to inputs of a block, each wired to nothing else and at no edge of its own."""
    if not isinstance(user, Block) or any(w.source == one.id for p in user.in_outs for w in p.wires):
        return False
    return all(len(p.wires) == 1 and p.edge is Edge.NONE for p in user.inputs if any(w.source == one.id for w in p.wires))


def _block(one: Block, asked: Mapping[int, Asked], by_id: Mapping[int, Element]) -> Element:
    """A block whose inputs look for the edges that the variables at them are asked for."""
    inputs = tuple(_at_edge(p, asked, by_id) for p in one.inputs)
    return replace(one, inputs=inputs) if inputs != one.inputs else one


def _at_edge(pin: Pin, asked: Mapping[int, Asked], by_id: Mapping[int, Element]) -> Pin:
    source = by_id.get(pin.wires[0].source) if len(pin.wires) == 1 else None
    wanted = asked.get(source.id, ()) if isinstance(source, InVariable) else ()
    return replace(pin, edge=Edge(wanted[0])) if wanted in (("rising",), ("falling",)) and pin.edge is Edge.NONE else pin
