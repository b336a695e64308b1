"""The paths of a rung and what stands open on them, against trying every combination of its contacts."""

from __future__ import annotations

import unittest
from itertools import combinations
from random import Random

from tests.building import program_of, session_of
from tests.drawing.test_connections import random_part
from whorlograph.desk.asking import ask, inquiry
from whorlograph.desk.session import Session
from whorlograph.engine.code import Expr
from whorlograph.inquiry.circuit import Circuit, Gate
from whorlograph.inquiry.tracer import Tracer
from whorlograph.model.ladder import Coil, Contact, ContactKind, Wire
from whorlograph.model.parts import Ladder, coil
from whorlograph.model.question import LinkKind

TAGS = [f"X{i}" for i in range(1, 9)]


class Rung:
    """A rung of contacts in series and side by side with inputs set at random, replayed: drawn, and as a circuit."""

    def __init__(self, seed: int) -> None:
        self.session, self.tracer = replayed(seed)
        self.circuit: Circuit = self.tracer.circuit(0)
        self.ids = {e.id: e for e in self.session.controller.steps.all[0].rung.elements}
        coil_ = next(e for e in self.ids.values() if isinstance(e, Coil))
        self.coil, self.wires = coil_.id, coil_.wires
        writer = self.tracer.writers[self.session.running.by_name["y1"]][0]
        assert writer.power is not None
        self.power: Expr = writer.power
        self.seen = self.tracer.seen(0, 3)
        self.flow = self.tracer.flow(0, 3)

    def element(self, gate: Gate) -> int:
        return self.tracer.origin(0, gate.at).element

    def powered(self, wires: tuple[Wire, ...], passing: dict[int, bool]) -> bool:
        """Whether power arrives, followed wire by wire."""
        for wire in wires:
            element = self.ids.get(wire.source)
            if element is None or not isinstance(element, Contact):
                return True
            if passing[element.id] and self.powered(element.wires, passing):
                return True
        return False


def replayed(seed: int) -> tuple[Session, Tracer]:
    """A random rung, five scans of it."""
    random = Random(seed)

    def draw(ladder: Ladder) -> None:
        ladder.rung(*[random_part(random, 2) for _ in range(random.randint(1, 2))], coil("Y1"))

    rows = [(0, tag, random.randint(0, 1)) for tag in TAGS]
    session = session_of(program_of(draw, " ".join([*TAGS, "Y1"])), rows, end=50)
    session.controller.plain = True  # five scans are not worth a compilation
    return session, inquiry(session).tracer


class Circuits(unittest.TestCase):
    """Random rungs."""

    def test_power_arrives_where_a_path_is_complete(self) -> None:
        on = 0
        for seed in range(150):
            r = Rung(seed)
            expected = r.powered(r.wires, dict(r.flow.passes))
            self.assertEqual(bool(r.circuit.complete(r.power, r.seen.result)), expected, seed)
            self.assertEqual(bool(r.circuit.complete(r.power, r.seen.result, False)), not expected, "the ways to be off")
            self.assertEqual(r.circuit.on(r.power, r.seen.result), expected, seed)
            self.assertEqual(r.flow.power[r.coil], expected, seed)
            on += expected
        self.assertGreater(on, 15)
        self.assertLess(on, 135)

    def test_every_path_is_there_once_and_leads_to_the_rail(self) -> None:
        for seed in range(150):
            r = Rung(seed)
            paths = r.circuit.paths(r.power)
            self.assertEqual(len(paths), len(set(paths)))
            for path in paths:
                passing = dict.fromkeys(r.ids, False) | {r.element(g): True for g in path}
                self.assertTrue(r.powered(r.wires, passing), "its contacts alone are enough")
                for gate in path:
                    self.assertFalse(r.powered(r.wires, passing | {r.element(gate): False}), "and every one of them is needed")

    def test_the_blocking_contacts_are_the_fewest_that_would_do(self) -> None:
        checked = 0
        for seed in range(160):
            r = Rung(seed)
            if r.circuit.complete(r.power, r.seen.result):
                continue
            contacts = [e for e in r.ids.values() if isinstance(e, Contact)]
            answer = ask(r.session, "Y1")
            link = next((x for _, x in answer.links() if x.kind is LinkKind.RUNG_FALSE and x.step == 0), None)
            if link is None or not link.blockers:
                continue  # every path asks one tag to be on and off at once
            closed = [c.id for c in contacts if r.flow.passes[c.id]]
            open_ = [c.id for c in contacts if not r.flow.passes[c.id]]
            self.assertTrue(set(link.blockers) <= set(open_), seed)
            done = dict.fromkeys(r.ids, False) | dict.fromkeys([*closed, *link.blockers], True)
            self.assertTrue(r.powered(r.wires, done), "closing them brings power")
            # Fewer only where closing them would turn the same tag's other contact against it.
            for size in range(1, len(link.blockers)):
                for few in combinations(open_, size):
                    turned = dict.fromkeys(r.ids, False) | dict.fromkeys([*closed, *few], True)
                    if r.powered(r.wires, turned):
                        sound = [p for p in r.circuit.paths(r.power)
                                 if set(r.circuit.open_gates(p, r.seen.result)) <= {g for g in p if r.element(g) in few}]
                        self.assertTrue(all(r.circuit.contradicts(p, r.seen.result) for p in sound), (seed, few, link.blockers))
            checked += 1
        self.assertGreater(checked, 30)

    def test_a_path_that_asks_one_tag_to_be_on_and_off_contradicts_itself(self) -> None:
        found = 0
        for seed in range(120):
            r = Rung(seed)
            for path in r.circuit.paths(r.power):
                wanted: dict[str, set[bool]] = {}
                for gate in path:
                    contact = r.ids[r.element(gate)]
                    assert isinstance(contact, Contact)
                    if contact.kind in (ContactKind.NORMALLY_OPEN, ContactKind.NORMALLY_CLOSED):
                        wanted.setdefault(contact.variable, set()).add(contact.kind is ContactKind.NORMALLY_OPEN)
                expected = any(len(states) == 2 for states in wanted.values())
                self.assertEqual(r.circuit.contradicts(path, r.seen.result), expected)
                if expected:
                    self.assertTrue(r.circuit.open_gates(path, r.seen.result))
                found += expected
        self.assertGreater(found, 25)


if __name__ == "__main__":
    unittest.main()
