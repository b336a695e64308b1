"""What stands beside an element besides what it is: inverted, at an edge, set, reset (IEC 61131-10).

What comes to a contact or coil of the standard becomes one: a block diagram's variable that is set is a set coil. What comes to none is kept and
said, and the rung around it is not executed.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from msgspec.structs import replace

from .ladder import Block, Coil, CoilKind, Contact, ContactKind, Edge, Element, InOutVariable, InVariable, OutVariable, Pin, wires_of
from .pins import output_pin

Asked = tuple[str, ...]  # of "inverted", "rising" or "falling", "set" or "reset"; as the file has it where it is none of these

WORDS = {"inverted": "inverted", "rising": "at a rising edge", "falling": "at a falling edge", "set": "set", "reset": "reset"}
_COILS = {"inverted": CoilKind.NEGATED, "rising": CoilKind.RISING, "falling": CoilKind.FALLING, "set": CoilKind.SET, "reset": CoilKind.RESET}
_NOTHING = ("", "none", "false", "0")
_TRUE = ("true", "1")
_CONTACTS = {"inverted": ContactKind.NORMALLY_CLOSED, "rising": ContactKind.RISING, "falling": ContactKind.FALLING}


def is_true(text: str | None) -> bool:
    """Whether an attribute of a file says yes: ``true`` or ``1`` (XML Schema, boolean), in capitals too."""
    return text is not None and (text == "true" or text.strip().lower() in _TRUE)


def asked_of(negated: str | None, edge: str | None, storage: str | None) -> Asked:
    """What files ask for by three attributes; what they say that is none of it, as it stands there: ``edge="both"``."""
    if (negated is None or negated == "false") and not edge and not storage:
        return ()
    found = _word("negated", negated, _TRUE), _word("edge", edge, ("rising", "falling")), _word("storage", storage, ("set", "reset"))
    return tuple(filter(None, found))


def _word(name: str, text: str | None, known: tuple[str, ...]) -> str:
    found = (text or "").strip().lower()
    if found in _NOTHING:
        return ""
    return f'{name}="{text}"' if found not in known else "inverted" if known is _TRUE else found


def pin_asks(negated: str | None, edge: str | None, storage: str | None) -> tuple[bool, Edge, str]:
    """What files ask of a pin by the same attributes: inverted, at an edge, and what else there is."""
    asked = asked_of(negated, edge, storage)
    if not asked:
        return False, Edge.NONE, ""
    edges, others = [Edge(a) for a in asked if a in ("rising", "falling")], [a for a in asked if a not in ("inverted", "rising", "falling")]
    return "inverted" in asked, edges[0] if edges else Edge.NONE, next((a for a in others if a not in WORDS), "".join(others))


def told(asked: Iterable[str]) -> str:
    """What is asked for, in words."""
    return " and ".join(WORDS.get(a, a) for a in asked)


def attributes_of(asked: Asked, storage: str = "storage") -> dict[str, str]:
    """The same three attributes, as files write them. Args: storage: what the form calls what is set or reset."""
    found: dict[str, str] = {}
    for one in asked:
        name, _, text = one.partition("=")
        if not text:
            name, text = ("negated", '"true"') if one == "inverted" else ("edge" if one in ("rising", "falling") else "storage", f'"{one}"')
        found[storage if name == "storage" else name] = text[1:-1]
    return found


def coil_kind(asked: Asked) -> tuple[CoilKind, Asked]:
    """What coil that is, and what of it no such coil is."""
    last = next((a for a in reversed(asked) if a in _COILS), "")
    return (_COILS[last], tuple(a for a in asked if a != last)) if last else (CoilKind.PLAIN, asked)


def contact_kind(asked: Asked) -> tuple[ContactKind, Asked]:
    """What contact that is, and what of it no such contact is."""
    last = next((a for a in reversed(asked) if a in _CONTACTS), "")
    return (_CONTACTS[last], tuple(a for a in asked if a != last)) if last else (ContactKind.NORMALLY_OPEN, asked)


def asks(element: Coil | Contact) -> Asked:
    """What a file has to ask for, that such an element is read."""
    named = _COILS if isinstance(element, Coil) else _CONTACTS
    return (*(w for w in WORDS if w in element.also or named.get(w) is element.kind), *(a for a in element.also if a not in WORDS))


def is_variable(coil: Coil, language: str) -> bool:
    """Whether such a coil is a variable that a block diagram sets, resets, or writes at an edge."""
    return language == "FBD" and coil.kind not in (CoilKind.PLAIN, CoilKind.NEGATED)


def modified(elements: Sequence[Element], asked: Mapping[int, Asked]) -> tuple[Element, ...]:
    """Elements with what is asked of pins and variables put where it is executed.

    Args: asked: by the element of a variable, what it is asked for; that it is inverted stands at itself.
    """
    asked = {number: besides for number, what in asked.items() if (besides := tuple(a for a in what if a != "inverted"))}
    passing = any(_passes_on(p) for e in elements if isinstance(e, Block) for p in e.outputs)
    if not asked and not passing:
        return tuple(elements)
    by_id = {e.id: e for e in elements}
    if not any(isinstance(by_id.get(number), InVariable) for number in asked):
        return tuple([_written(e, by_id, asked) if isinstance(e, OutVariable) else e for e in elements])
    users = _users(elements)
    return tuple([_block(e, asked, by_id) if isinstance(e, Block) else _written(e, by_id, asked) if isinstance(e, OutVariable)
                  else _read(e, users, asked) if isinstance(e, InVariable) else e for e in elements])


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
                yield f"{pin.name} of {name} is to be {told((pin.storage,))} by its wire"
        for pin in one.outputs:
            if _passes_on(pin):
                users = users or _users(rung)
                fed = [u for u in users.get(one.id, ()) if any(w.source == one.id and output_pin(w, one) == pin.name.upper() for w in wires_of(u))]
                if not all(isinstance(u, Coil) and {*_of_pin(pin)} <= {*asks(u)} for u in fed):
                    yield f"{pin.name} of {name} is passed on {told((pin.storage or pin.edge.value,))}, and not to variables alone"


def _told(one: Element) -> str:
    if isinstance(one, (Coil, Contact)):
        return f"{one.variable} is {'written' if isinstance(one, Coil) else 'read'} {told(asks(one))}{' at once' if len(asks(one)) > 1 else ''}"
    text = one.expression if isinstance(one, (InVariable, OutVariable, InOutVariable)) else "an element"
    return f"{text} is passed on {told(one.also)}"


def _passes_on(pin: Pin) -> bool:
    return bool(pin.storage) or pin.edge is not Edge.NONE


def _of_pin(pin: Pin) -> Asked:
    return tuple(filter(None, ("" if pin.edge is Edge.NONE else pin.edge.value, pin.storage)))


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
