"""Rungs changed: contacts and coils turned, put in, taken out; values at pins; rungs moved, copied, taken out; comments."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace

from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Comment,
    Contact,
    ContactKind,
    Element,
    InOutVariable,
    InVariable,
    Jump,
    Label,
    LadderBody,
    LeftRail,
    OutVariable,
    RightRail,
    Rung,
    Wire,
    wires_of,
)
from whorlograph.model.parts import Ladder, Part
from whorlograph.model.program import Body
from whorlograph.model.rungs import build

from .choice import Choice

WIDTH, HEIGHT, GAP = 20, 15, 60  # of a contact, and the room that one more takes


def rung_of(body: LadderBody, element: int) -> Rung | None:
    """The rung that an element stands in."""
    return next((r for r in body.rungs if any(e.id == element for e in r.elements)), None)


def number_of(body: Body, element: int) -> int:
    """The number of the rung of ladder that an element stands in; 0 where there is none."""
    rung = rung_of(body, element) if isinstance(body, LadderBody) and body.language == "LD" else None
    return rung.number if rung is not None else 0


def count(body: Body) -> int:
    """How many rungs of ladder a body has."""
    return len(body.rungs) if isinstance(body, LadderBody) and body.language == "LD" else 0


def rewired(one: Element, change: Callable[[tuple[Wire, ...]], tuple[Wire, ...]]) -> Element:
    """An element with other connections into it."""
    if isinstance(one, Block):
        return replace(one, inputs=tuple(replace(p, wires=change(p.wires)) for p in one.inputs),
                       in_outs=tuple(replace(p, wires=change(p.wires)) for p in one.in_outs))
    return replace(one, wires=change(one.wires)) if hasattr(one, "wires") else one


def _built(body: LadderBody, elements: list[Element]) -> LadderBody:
    return build(tuple(elements), body.language)[0]


def _put(body: LadderBody, changed: Element) -> LadderBody:
    return _built(body, [changed if e.id == changed.id else e for e in body.elements])


def _fresh(body: LadderBody) -> int:
    return max((e.id for e in body.elements), default=0) + 1


def turned(body: LadderBody, element: int, kind: ContactKind | CoilKind) -> LadderBody:
    """A contact or coil of another kind, and nothing besides."""
    one = next(e for e in body.elements if e.id == element)
    assert isinstance(one, (Contact, Coil))
    return _put(body, replace(one, kind=kind, also=()))


def renamed(body: LadderBody, element: int, text: str) -> LadderBody:
    """Another tag at a contact or coil, another tag or value at a pin, another label at a jump."""
    if not text.strip():
        raise ValueError("a name or value is needed")
    one = next(e for e in body.elements if e.id == element)
    name = "variable" if isinstance(one, (Contact, Coil)) else "label" if isinstance(one, (Jump, Label)) else "expression"
    return _put(body, replace(one, **{name: text.strip()}))


def taken_out(body: LadderBody, element: int) -> LadderBody:
    """A contact or coil less. In series the path closes over it; a branch of its own that held nothing else goes with it."""
    one = next(e for e in body.elements if e.id == element)
    consumers = [e for e in body.elements if any(w.source == element for w in wires_of(e))]
    does = [e for e in _rung(body, element).elements if isinstance(e, (Coil, Block, Jump, OutVariable))]
    if isinstance(one, Coil) and not consumers and len(does) == 1:
        raise ValueError("it is all that the rung does: take the rung out instead")
    own = wires_of(one)
    alone = _is_branch(body, one, consumers)

    def closed(wires: tuple[Wire, ...]) -> tuple[Wire, ...]:
        if all(w.source != element for w in wires):
            return wires
        rest = tuple(w for w in wires if w.source != element)
        return rest if alone else (*rest, *(w for w in own if w not in rest))

    return _built(body, [rewired(e, closed) for e in body.elements if e.id != element])


def _rung(body: LadderBody, element: int) -> Rung:
    found = rung_of(body, element)
    assert found is not None
    return found


def _is_branch(body: LadderBody, one: Element, consumers: list[Element]) -> bool:
    """Whether an element is a branch by itself: where it comes together with others, and begins where they do."""
    rails = {e.id for e in body.elements if isinstance(e, LeftRail)}
    for consumer in consumers:
        groups = [p.wires for p in (*consumer.inputs, *consumer.in_outs)] if isinstance(consumer, Block) else [wires_of(consumer)]
        for wires in groups:
            if any(w.source == one.id for w in wires) and len(wires) < 2:
                return False
    sources = {w.source for w in wires_of(one)}
    feeds = {s: sum(any(w.source == s for w in wires_of(e)) for e in body.elements) for s in sources}
    return bool(consumers) and all(s in rails or count > 1 for s, count in feeds.items())


def in_series(body: LadderBody, element: int, tag: str, kind: ContactKind = ContactKind.NORMALLY_OPEN) -> LadderBody:
    """One more contact before an element: all its power comes through it. Of a block, that of its first pin with power."""
    if not tag.strip():
        raise ValueError("a tag is needed")
    one, fresh = next(e for e in body.elements if e.id == element), _fresh(body)
    rung = _rung(body, element)
    own = {e.id for e in rung.elements}
    at = next((n for n, p in enumerate(one.inputs) if any(not isinstance(_by_id(body, w.source), InVariable) for w in p.wires)), None) \
        if isinstance(one, Block) else 0
    wires = (one.inputs[at].wires if at is not None else ()) if isinstance(one, Block) else wires_of(one)
    if not wires or isinstance(one, (InVariable, InOutVariable)):
        raise ValueError("no power comes to it from the left")
    contact = Contact(fresh, one.x, one.y, WIDTH, HEIGHT, 0, tag.strip(), kind, wires)
    made: list[Element] = []
    for e in body.elements:
        moved = replace(e, x=e.x + GAP) if e.id in own and e.x >= one.x else e
        if e.id == element:
            if isinstance(moved, Block):
                moved = replace(moved, inputs=tuple(replace(p, wires=(Wire(fresh),)) if n == at else p for n, p in enumerate(moved.inputs)))
            else:
                moved = rewired(moved, lambda _: (Wire(fresh),))
            made.append(contact)
        made.append(moved)
    return _built(body, made)


def _by_id(body: LadderBody, number: int) -> Element | None:
    return next((e for e in body.elements if e.id == number), None)


def beside(body: LadderBody, element: int, tag: str, kind: ContactKind = ContactKind.NORMALLY_OPEN) -> LadderBody:
    """One more contact beside another one: power comes through either."""
    if not tag.strip():
        raise ValueError("a tag is needed")
    one, fresh = next(e for e in body.elements if e.id == element), _fresh(body)
    if not isinstance(one, Contact):
        raise ValueError("only beside a contact there is room for another path")
    rung = _rung(body, element)
    bottom = max(e.y + max(e.height, HEIGHT) for e in rung.elements)
    contact = Contact(fresh, one.x, bottom + HEIGHT, WIDTH, HEIGHT, 0, tag.strip(), kind, one.wires)

    def joined(wires: tuple[Wire, ...]) -> tuple[Wire, ...]:
        return (*wires, Wire(fresh)) if any(w.source == element for w in wires) else wires

    own = {e.id for e in rung.elements}
    made = [rewired(replace(e, y=e.y + 2 * HEIGHT) if e.id not in own and e.y >= bottom and not isinstance(e, (LeftRail, RightRail)) else e, joined)
            for e in body.elements]
    return _built(body, [*made, contact])


def without_rung(body: LadderBody, number: int) -> LadderBody:
    """A rung less (``number`` from 1), with its comment; labels stay where they stand."""
    rung = body.rungs[number - 1]
    gone = {e.id for e in rung.elements} | {e.id for e in _comments(body, number)}
    return _built(body, [e for e in body.elements if e.id not in gone])


def _comments(body: LadderBody, number: int) -> list[Comment]:
    """The comments that belong to a rung: between the one above and it."""
    tops = [r.top for r in body.rungs]
    low, high = (tops[number - 2] if number > 1 else None), tops[number - 1]
    return [e for e in body.elements if isinstance(e, Comment) and e.y <= high and (low is None or e.y > low)]


def swapped(body: LadderBody, number: int) -> LadderBody:
    """A rung and the one below it, each in the other's place, with their comments; labels stay where they stand."""
    if number >= len(body.rungs):
        raise ValueError("there is no rung below it")
    upper, lower = body.rungs[number - 1], body.rungs[number]
    one = {e.id for e in upper.elements} | {e.id for e in _comments(body, number)}
    other = {e.id for e in lower.elements} | {e.id for e in _comments(body, number + 1)}
    first = min(e.y for e in body.elements if e.id in one)
    second = min(e.y for e in body.elements if e.id in other)
    ends = [max(e.y + e.height for e in body.elements if e.id in ids) for ids in (one, other)]
    down, up = ends[1] - ends[0], second - first
    return _built(body, [replace(e, y=e.y + down) if e.id in one else replace(e, y=e.y - up) if e.id in other else e for e in body.elements])


def drawn(body: LadderBody, number: int, parts: tuple[Part, ...], label: str, replaces: bool) -> LadderBody:
    """A rung of other parts in the place of one, or a fresh one below it (``number`` 0: above all). Its comment stays.

    Args: label: its own, "" none: the one that stands there stays where it is replaced.
    """
    rung = body.rungs[number - 1] if number else None
    rest = [e for e in body.elements if not (replaces and rung is not None and any(e.id == r.id for r in rung.elements))]
    bottom = max(e.y + max(e.height, HEIGHT) for e in rung.elements) if rung is not None else \
        min((e.y for e in body.elements if not isinstance(e, LeftRail)), default=40) - 1
    top = rung.top if replaces and rung is not None else bottom + HEIGHT + 1
    rails = [e for e in body.elements if isinstance(e, LeftRail)]
    fed = [e.id for e in rails if any(w.source == e.id for r in body.rungs if rung is None or r.number == rung.number
                                      for one in r.elements for w in wires_of(one))]
    fresh = _fresh(body)
    rail = next(iter(fed), rails[0].id if rails else 0)
    if rails and len(rails) > 1 and not replaces:  # a rail to each rung
        rest.append(LeftRail(fresh, rails[0].x, top, rails[0].width, rails[0].height))
        rail, fresh = fresh, fresh + 1
    ladder = Ladder([], top, fresh, rail)
    if label and not replaces:
        ladder.label(label)
    ladder.rung(*parts)
    grown = ladder.y - top if not replaces else max(0, max(e.y + max(e.height, HEIGHT) for e in ladder.elements) - bottom)
    if rail == 0:
        rest.insert(0, ladder.elements.pop(0))
    lower = [replace(e, y=e.y + grown) if e.y > bottom and not isinstance(e, (LeftRail, RightRail)) else e for e in rest]
    if not replaces:
        lower = [replace(e, y=e.y + grown) if isinstance(e, LeftRail) and e.y > bottom and e.id != rail else e for e in lower]
    return _built(body, [*lower, *ladder.elements])


def _labels(body: LadderBody, number: int) -> list[Label]:
    """The labels that stand for a rung: between the one above and it."""
    rung, above = body.rungs[number - 1], body.rungs[number - 2].top if number > 1 else None
    return [e for e in body.elements if isinstance(e, Label) and e.y <= rung.top and (above is None or e.y > above)]


def labelled(body: LadderBody, number: int, text: str) -> LadderBody:
    """A rung with another label; "" takes it away."""
    rung, mine = body.rungs[number - 1], _labels(body, number)
    rest = [e for e in body.elements if e.id not in {m.id for m in mine}]
    name = text.strip()
    if not name:
        return _built(body, rest)
    if any(isinstance(e, Label) and e.label.lower() == name.lower() for e in rest):
        raise ValueError(f"the label {name} stands at another rung already")
    if mine:
        return _built(body, [*rest, replace(mine[0], label=name)])
    return _built(body, [*rest, Label(_fresh(body), min(e.x for e in rung.elements), rung.top, 60, HEIGHT, 0, name)])


def commented(body: LadderBody, number: int, text: str) -> LadderBody:
    """A rung with another comment; "" takes it away."""
    found = _comments(body, number)
    rest = [e for e in body.elements if e.id not in {c.id for c in found}]
    if not text.strip():
        return _built(body, rest)
    if found:
        changed = replace(found[0], text=text.strip())
        return _built(body, [changed if e.id == changed.id else e for e in body.elements if e.id not in {c.id for c in found[1:]}])
    rung = body.rungs[number - 1]
    left = min(e.x for e in rung.elements)
    return _built(body, [*rest, Comment(_fresh(body), left, rung.top, 100, HEIGHT, 0, text.strip())])


def choices(body: Body, element: int) -> list[Choice[LadderBody]]:
    """What can be changed at an element, what is done most first; nothing in a body that is not drawn."""
    if not isinstance(body, LadderBody):
        return []
    one, rung = _by_id(body, element), rung_of(body, element)
    if one is None or rung is None:
        return []
    found: list[Choice[LadderBody]] = []
    if isinstance(one, Contact):
        found += [Choice(f"make it {_KINDS[k]}", lambda _, k=k: turned(body, element, k)) for k in ContactKind if k is not one.kind]  # type: ignore[misc]
    if isinstance(one, Coil):
        found += [Choice(f"make it a {_COILS[k]}", lambda _, k=k: turned(body, element, k)) for k in CoilKind if k is not one.kind]  # type: ignore[misc]
    if isinstance(one, (Contact, Coil)):
        found.append(Choice("another tag", partial(renamed, body, element), "the tag", one.variable, True))
    if isinstance(one, Jump):
        found.append(Choice("another label", partial(renamed, body, element), "the label", one.label))
    if isinstance(one, (InVariable, OutVariable, InOutVariable)):
        found.append(Choice("another value or tag", partial(renamed, body, element), "a literal (T#5s, 10, TRUE) or a tag", one.expression))
    if isinstance(one, Block):
        found += _pins(body, one)
    if isinstance(one, (Contact, Coil, Block, Jump)):
        found += [Choice(f"a {k.value} contact before it", partial(in_series, body, element, kind=k), "its tag", "", True) for k in _PUT_IN]
    if isinstance(one, Contact):
        found += [Choice(f"a {k.value} contact beside it", partial(beside, body, element, kind=k), "its tag", "", True) for k in _PUT_IN]
    if isinstance(one, (Contact, Coil)):
        found.append(Choice("take it out", lambda _: taken_out(body, element)))
    for block in rung.elements:
        if isinstance(block, Block) and block is not one:
            found += _pins(body, block)
    number = rung.number
    found.append(Choice("the rung's comment", partial(commented, body, number), "words; nothing takes them away", rung.comment, edits=True))
    found.append(Choice("the rung's label, for jumps", partial(labelled, body, number), "a name; nothing takes it away",
                        " ".join(e.label for e in _labels(body, number))))
    if number < len(body.rungs):
        found.append(Choice("the rung one down", lambda _: swapped(body, number)))
    if number > 1:
        found.append(Choice("the rung one up", lambda _: swapped(body, number - 1)))
    found.append(Choice("take the rung out", lambda _: without_rung(body, number)))
    return found


def _pins(body: LadderBody, block: Block) -> list[Choice[LadderBody]]:
    """Other values at the pins of a block."""
    found: list[Choice[LadderBody]] = []
    for pin in block.inputs:
        fed = _by_id(body, pin.wires[0].source) if len(pin.wires) == 1 else None
        if isinstance(fed, InVariable):
            label = f"another {pin.name} of {block.instance or block.type_name}"
            found.append(Choice(label, partial(renamed, body, fed.id), "a literal (T#5s, 10, TRUE) or a tag", fed.expression))
    return found


_PUT_IN = (ContactKind.NORMALLY_OPEN, ContactKind.NORMALLY_CLOSED)
_KINDS = {ContactKind.NORMALLY_OPEN: "normally open", ContactKind.NORMALLY_CLOSED: "normally closed", ContactKind.RISING: "pass at a rising edge",
          ContactKind.FALLING: "pass at a falling edge"}
_COILS = {CoilKind.PLAIN: "plain coil", CoilKind.NEGATED: "negated coil", CoilKind.SET: "set coil", CoilKind.RESET: "reset coil",
          CoilKind.RISING: "coil of the rising edge", CoilKind.FALLING: "coil of the falling edge"}
