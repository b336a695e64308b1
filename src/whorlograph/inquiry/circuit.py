"""A rung as a circuit: the paths that could bring power to a pin, and what stands open on them."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.engine.power import Flow
from whorlograph.engine.scope.rung_types import output_pin
from whorlograph.model.ladder import Block, Coil, Connector, Contact, ContactKind, Continuation, InOutVariable, InVariable, Wire
from whorlograph.model.steps import Step

MOST_PATHS = 3_000


class Gate(Struct, frozen=True):
    """A place on a path that passes power or not: a contact, a block's output pin, or a value wired in."""

    element: int
    pin: str = ""


Path = tuple[Gate, ...]


class Circuit:
    """The paths of one rung."""

    def __init__(self, step: Step, rails: set[int]) -> None:
        self.step, self.rails = step, rails
        self.ids = {e.id: e for e in step.rung.elements}

    def paths(self, wires: tuple[Wire, ...]) -> list[Path]:
        """All paths from the left rail to where these wires end, each once, shortest first; at most 3,000.

        An ENO leads on to its block's EN; another output of a block is a gate where a path begins.
        """
        found: list[Path] = []
        stack: list[tuple[Wire, Path, frozenset[int]]] = [(w, (), frozenset()) for w in reversed(wires)]
        while stack and len(found) < MOST_PATHS:
            wire, tail, seen = stack.pop()
            element = self.ids.get(wire.source)
            if element is None:
                if wire.source in self.rails:
                    found.append(tail)
                continue
            if element.id in seen:
                continue
            seen = seen | {element.id}
            following: tuple[Wire, ...] = ()
            if isinstance(element, Contact):
                tail, following = (Gate(element.id), *tail), element.wires
            elif isinstance(element, (Coil, Connector)):
                following = element.wires
            elif isinstance(element, Continuation):
                other = self.step.rung.continued.get(element.id)
                following = (Wire(other),) if other is not None else ()
            elif isinstance(element, Block):
                pin = output_pin(wire, element)
                enable = next((p for p in element.inputs if p.name.upper() == "EN"), None)
                if pin == "ENO" and enable is not None and enable.wires and not enable.negated:
                    following = enable.wires
                elif pin == "ENO":
                    found.append(tail)
                else:
                    found.append((Gate(element.id, pin), *tail))
            elif isinstance(element, (InVariable, InOutVariable)):
                found.append((Gate(element.id), *tail))
            stack += [(w, tail, seen) for w in reversed(following)]
        return sorted(dict.fromkeys(found), key=len)

    def open_gates(self, path: Path, flow: Flow) -> list[Gate]:
        """The gates of a path that do not pass."""
        return [g for g in path if not passes(g, flow)]

    def complete(self, wires: tuple[Wire, ...], flow: Flow) -> list[Path]:
        """The paths on which every gate passes."""
        return [p for p in self.paths(wires) if not self.open_gates(p, flow)]

    def contact(self, gate: Gate) -> Contact | None:
        """The contact that a gate is, if it is one."""
        element = self.ids.get(gate.element)
        return element if isinstance(element, Contact) else None

    def contradicts(self, path: Path, flow: Flow) -> bool:
        """Whether a path asks one tag to be on and off at once."""
        asked: dict[int, bool] = {}
        for gate in path:
            contact, tag = self.contact(gate), flow.tags.get(gate.element)
            if contact is None or tag is None or contact.kind not in (ContactKind.NORMALLY_OPEN, ContactKind.NORMALLY_CLOSED):
                continue
            wanted = contact.kind is ContactKind.NORMALLY_OPEN
            if asked.setdefault(tag, wanted) != wanted:
                return True
        return False


def passes(gate: Gate, flow: Flow) -> bool:
    """Whether a gate passes power, whatever comes in."""
    if not gate.pin and gate.element in flow.passes:
        return flow.passes[gate.element]
    return bool(flow.out.get((gate.element, gate.pin), False))
