"""A rung written as a line of text."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Contact,
    ContactKind,
    Edge,
    Element,
    InVariable,
    Jump,
    OutVariable,
    Pin,
    Return,
    Rung,
    Wire,
)
from whorlograph.model.rungs import evaluation_order

from .pins import COMPARISONS, power_of

_CONTACTS = {ContactKind.NORMALLY_OPEN: "", ContactKind.NORMALLY_CLOSED: "/", ContactKind.RISING: "^", ContactKind.FALLING: "~"}
_COILS = {CoilKind.PLAIN: "", CoilKind.NEGATED: "/", CoilKind.SET: "S ", CoilKind.RESET: "R ", CoilKind.RISING: "^", CoilKind.FALLING: "~"}
MOST = 60  # items: a longer line cannot be read


class _Branches(Struct, frozen=True):
    """Paths side by side."""

    paths: tuple[tuple[_Item, ...], ...]


_Item = int | _Branches  # an element's id, or what stands side by side
_Path = tuple[_Item, ...]


class NoLine(Exception):
    """A rung that cannot be written in a line; why."""


def written_line(rung: Rung) -> str:
    """A rung as a line, without its labels.

    Raises: NoLine where it is not made of paths side by side, or has what a line cannot say.
    """
    return _Writer(rung).line()


class _Writer:
    def __init__(self, rung: Rung) -> None:
        self.rung = rung
        self.ids = {e.id: e for e in rung.elements}
        self.known: dict[int, _Path] = {}
        self.blocks: set[int] = set()
        self.way: dict[int, str] = {}  # by block: the pin from which power goes on

    def line(self) -> str:
        order = evaluation_order(self.rung)
        if self.rung.fault:
            raise NoLine(self.rung.fault)
        consumed = {w.source for e in order for w in self._power_in(e)}
        paths = [(*self.before(e), e.id) for e in order
                 if isinstance(e, (Coil, Jump, Return)) or (isinstance(e, Block) and e.id not in consumed)]
        if any(isinstance(e, Contact) and e.id not in consumed for e in order) or not paths:
            raise NoLine("a path of it leads nowhere")
        text = self.text(self.together(paths))
        if len(text) > 2000:
            raise NoLine("it is too long for a line")
        return text

    # paths

    def _power_in(self, one: Element) -> list[Wire]:
        """All wires into an element that bring power."""
        wires = [w for p in one.inputs for w in p.wires] if isinstance(one, Block) else list(getattr(one, "wires", ()))
        return [w for w in wires if isinstance(self.ids.get(w.source), (Contact, Block, Coil)) and not isinstance(one, OutVariable)]

    def before(self, one: Element) -> _Path:
        """What power goes through before an element."""
        if one.id not in self.known:
            main = self._main(one) if isinstance(one, Block) else None
            on_rail = isinstance(one, Block) and main is None  # without EN it is executed always
            self.known[one.id] = () if on_rail else self.over(main.wires if main is not None else getattr(one, "wires", ()))
        return self.known[one.id]

    def over(self, wires: tuple[Wire, ...]) -> _Path:
        """What power goes through that comes over some wires."""
        if not wires:
            raise NoLine("something in it has no power from the left")
        found: list[_Path] = []
        for wire in wires:
            source = self.ids.get(wire.source)
            if source is None:  # the rail
                found.append(())
            elif isinstance(source, Contact) or (isinstance(source, Block) and self.way.setdefault(source.id, wire.pin.upper()) == wire.pin.upper()):
                found.append((*self.before(source), source.id))
            else:
                raise NoLine("power goes on from two pins of a block, or through a coil")
        unique = list(dict.fromkeys(found))
        if len(unique) > 1 and () in unique:
            raise NoLine("a wire of it goes around contacts")
        return self.joined(unique)

    def joined(self, paths: list[_Path]) -> _Path:
        """Paths that come together: what they share at first, then side by side."""
        if len(paths) == 1:
            return paths[0]
        shared = _shared(paths)
        rests = [p[len(shared):] for p in paths]
        if not all(rests):
            raise NoLine("a wire of it goes around contacts")
        return (*shared, _Branches(tuple(self._grouped(rests, ends=False))))

    def together(self, paths: list[_Path]) -> _Path:
        """The paths to all that the rung does."""
        if len(paths) == 1:
            return paths[0]
        shared = _shared(paths)
        rests = [p[len(shared):] for p in paths]
        if not all(rests):
            raise NoLine("what it does comes in the middle of it")
        if all(len(r) == 1 and isinstance(r[0], int) and isinstance(self.ids[r[0]], (Coil, Jump, Return)) for r in rests):
            return (*shared, *(r[0] for r in rests))
        return (*shared, _Branches(tuple(self._grouped(rests, ends=True))))

    def _grouped(self, rests: list[_Path], ends: bool) -> list[_Path]:
        """Neighbours that begin alike as one path."""
        found: list[list[_Path]] = []
        for rest in rests:
            if found and found[-1][0][0] == rest[0]:
                found[-1].append(rest)
            else:
                found.append([rest])
        return [(self.together(group) if ends else self.joined(group)) for group in found]

    # words

    def text(self, path: _Path) -> str:
        """A path in words."""
        return " ".join(self.word(one) for one in path)

    def word(self, item: _Item) -> str:
        """One item of it."""
        if isinstance(item, _Branches):
            return f"[{' | '.join(self.text(p) for p in item.paths)}]"
        one = self.ids[item]
        if isinstance(one, Contact):
            return f"{_CONTACTS[one.kind]}{_name(one.variable)}"
        if isinstance(one, Coil):
            return f"({_COILS[one.kind]}{_name(one.variable)})"
        if isinstance(one, Jump):
            return f"-> {_name(one.label)}"
        if isinstance(one, Return):
            return "<-"
        assert isinstance(one, Block)
        return self.block(one)

    def _main(self, one: Block) -> Pin | None:
        """The pin through which power comes: where none is usual, the first that contacts feed. None: a block without EN that nothing feeds."""
        name = power_of(one.type_name)[0]
        fed = [p for p in one.inputs if p.wires and not any(isinstance(self.ids.get(w.source), InVariable) for w in p.wires)]
        found = next((p for p in fed if p.name.upper() == name), fed[0] if fed else None)
        if (found is None and any(p.name.upper() == name for p in one.inputs)) or (found is None and name != "EN"):
            raise NoLine(f"{one.instance or one.type_name} gets no power at {name}")
        return found

    def block(self, one: Block) -> str:
        """A block with its pins."""
        if one.id in self.blocks:
            raise NoLine(f"{one.instance or one.type_name} stands on two paths of it")
        self.blocks.add(one.id)
        main, pins = self._main(one), (*one.inputs, *one.outputs)
        if one.in_outs or any(p.storage for p in pins):
            raise NoLine(f"a pin of {one.instance or one.type_name} is stored, or in and out")
        given = [(p, self.argument(p)) for p in one.inputs if p is not main and p.wires]
        variables = [e for e in self.rung.elements if isinstance(e, OutVariable)]
        outs = [(w.pin, e.expression) for e in variables for w in e.wires if w.source == one.id]
        if any(e.negated or len(e.wires) != 1 for e in variables):
            raise NoLine("what it writes is inverted or comes from several pins")
        plain = not outs and not any(text.startswith("[") for _, text in given) and not any(_marked(p) for p in pins)
        if one.type_name.upper() in COMPARISONS and plain and not self.before(one) and self.way.get(one.id, "OUT") == "OUT" \
                and [p.name.upper() for p, _ in given] == ["IN1", "IN2"]:
            return f"{given[0][1]} {COMPARISONS[one.type_name.upper()]} {given[1][1]}"
        names = {p.name.upper(): p for p in one.outputs}
        usual = power_of(one.type_name)
        inside = [f"{_marked(p)}{p.name}" for p in pins if _marked(p) and p.name.upper() in usual and (p is main or p.name.upper() == usual[1])]
        if main is not None and main.name.upper() != usual[0]:
            inside.append(f"{_marked(main)}{main.name} := _")
        way = next((p for p in one.outputs if p.name.upper() == self.way.get(one.id)), None)
        if self.way.get(one.id, usual[1]) != usual[1]:
            inside.append(f"{_marked(way) if way is not None else ''}{way.name if way is not None else self.way[one.id]} => _")
        inside += [f"{_marked(p)}{p.name} := {text}" for p, text in given]
        inside += [f"{_marked(names[n.upper()]) if n.upper() in names else ''}{n or 'OUT'} => {_name(tag)}" for n, tag in outs]
        return f"{f'{one.instance}:' if one.instance else ''}{one.type_name}({', '.join(inside)})"

    def argument(self, pin: Pin) -> str:
        """What goes into a pin."""
        source = self.ids.get(pin.wires[0].source) if len(pin.wires) == 1 else None
        if isinstance(source, InVariable):
            if source.negated or any(c in source.expression for c in " ()|") or not source.expression:
                raise NoLine("a pin of it takes an expression")
            return source.expression
        return f"[{self.text(self.over(pin.wires))}]"


def _shared(paths: list[_Path]) -> _Path:
    """What several paths begin with."""
    length = 0
    while all(len(p) > length for p in paths) and len({p[length] for p in paths}) == 1:
        length += 1
    return paths[0][:length]


def _marked(pin: Pin) -> str:
    """The sign before a pin's name."""
    return "/" if pin.negated else {Edge.RISING: "^", Edge.FALLING: "~"}.get(pin.edge, "")


def _name(text: str) -> str:
    if not text or any(c in text for c in " ()|,"):
        raise NoLine(f"{text!r} is no name that a line can hold")
    return text
