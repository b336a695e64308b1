"""The paths of a rung and what stands open on them, against trying every combination of its contacts."""

from __future__ import annotations

import unittest
from itertools import combinations
from random import Random

from tests.building import program_of, session_of
from tests.drawing.test_connections import random_part
from whorlograph.desk.asking import ask, inquiry
from whorlograph.desk.session import Session
from whorlograph.inquiry.circuit import Circuit, passes
from whorlograph.inquiry.tracer import Tracer
from whorlograph.model.ladder import Coil, Contact, ContactKind, Wire
from whorlograph.model.question import LinkKind
from whorlograph.plant.rungs import Ladder, coil

TAGS = [f"X{i}" for i in range(1, 9)]


def random_rung(seed: int) -> tuple[Session, Tracer, Circuit, tuple[Wire, ...]]:
    """A rung of contacts in series and side by side with inputs set at random, replayed; the wires into its coil."""
    random = Random(seed)

    def draw(ladder: Ladder) -> None:
        ladder.rung(*[random_part(random, 2) for _ in range(random.randint(1, 2))], coil("Y1"))

    rows = [(0, tag, random.randint(0, 1)) for tag in TAGS]
    session = session_of(program_of(draw, " ".join([*TAGS, "Y1"])), rows, end=50)
    session.controller.plain = True  # five scans are not worth a compilation
    tracer = inquiry(session).tracer
    circuit = tracer.circuit(0)
    output = next(e for e in session.controller.steps.all[0].rung.elements if isinstance(e, Coil))
    return session, tracer, circuit, output.wires


class Circuits(unittest.TestCase):
    """Random rungs."""

    def powered(self, circuit: Circuit, wires: tuple[Wire, ...], passing: dict[int, bool]) -> bool:
        """Whether power arrives, followed wire by wire."""
        for wire in wires:
            element = circuit.ids.get(wire.source)
            if element is None or not isinstance(element, Contact):
                return True
            if passing[element.id] and self.powered(circuit, element.wires, passing):
                return True
        return False

    def test_power_arrives_where_a_path_is_complete(self) -> None:
        on = 0
        for seed in range(150):
            _, tracer, circuit, wires = random_rung(seed)
            flow = tracer.flow(0, 3)
            expected = self.powered(circuit, wires, dict(flow.passes))
            self.assertEqual(bool(circuit.complete(wires, flow)), expected, seed)
            output = next(e for e in circuit.ids.values() if isinstance(e, Coil))
            self.assertEqual(flow.power[output.id], expected, seed)
            on += expected
        self.assertGreater(on, 15)
        self.assertLess(on, 135)

    def test_every_path_is_there_once_and_leads_to_the_rail(self) -> None:
        for seed in range(150):
            _, _, circuit, wires = random_rung(seed)
            paths = circuit.paths(wires)
            self.assertEqual(len(paths), len(set(paths)))
            for path in paths:
                passing = dict.fromkeys(circuit.ids, False) | {g.element: True for g in path}
                self.assertTrue(self.powered(circuit, wires, passing), "its contacts alone are enough")
                for gate in path:
                    self.assertFalse(self.powered(circuit, wires, passing | {gate.element: False}), "and every one of them is needed")

    def test_the_blocking_contacts_are_the_fewest_that_would_do(self) -> None:
        checked = 0
        for seed in range(160):
            session, tracer, circuit, wires = random_rung(seed)
            flow = tracer.flow(0, 3)
            if circuit.complete(wires, flow):
                continue
            contacts = [e for e in circuit.ids.values() if isinstance(e, Contact)]
            answer = ask(session, "Y1")
            link = next((x for _, x in answer.links() if x.kind is LinkKind.RUNG_FALSE and x.step == 0), None)
            if link is None or not link.blockers:
                continue  # every path asks one tag to be on and off at once
            closed = [c.id for c in contacts if flow.passes[c.id]]
            open_ = [c.id for c in contacts if not flow.passes[c.id]]
            self.assertTrue(set(link.blockers) <= set(open_), seed)
            done = dict.fromkeys(circuit.ids, False) | dict.fromkeys([*closed, *link.blockers], True)
            self.assertTrue(self.powered(circuit, wires, done), "closing them brings power")
            # Fewer only where closing them would turn the same tag's other contact against it.
            for size in range(1, len(link.blockers)):
                for few in combinations(open_, size):
                    turned = dict.fromkeys(circuit.ids, False) | dict.fromkeys([*closed, *few], True)
                    if self.powered(circuit, wires, turned):
                        sound = [p for p in circuit.paths(wires) if set(circuit.open_gates(p, flow)) <= {g for g in p if g.element in few}]
                        self.assertTrue(all(circuit.contradicts(p, flow) for p in sound), (seed, few, link.blockers))
            checked += 1
        self.assertGreater(checked, 30)

    def test_a_path_that_asks_one_tag_to_be_on_and_off_contradicts_itself(self) -> None:
        found = 0
        for seed in range(120):
            _, tracer, circuit, wires = random_rung(seed)
            flow = tracer.flow(0, 3)
            for path in circuit.paths(wires):
                wanted: dict[str, set[bool]] = {}
                for gate in path:
                    contact = circuit.contact(gate)
                    assert contact is not None
                    wanted.setdefault(contact.variable, set()).add(contact.kind is ContactKind.NORMALLY_OPEN)
                expected = any(len(states) == 2 for states in wanted.values())
                self.assertEqual(circuit.contradicts(path, flow), expected)
                if expected:
                    self.assertFalse(all(passes(g, flow) for g in path))
                found += expected
        self.assertGreater(found, 25)


if __name__ == "__main__":
    unittest.main()
