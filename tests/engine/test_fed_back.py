"""Block diagrams whose file says the order: loops of wires, and blocks that have their turn before what feeds them."""

from __future__ import annotations

import os
import unittest
from pathlib import Path
from random import Random

from tests.building import log_of
from tests.diagrams import INPUTS, Gate, block_at, diagram_file, drawn_gates, out_at, random_gates, value_at, wire_from
from tests.engine.agreement import difference
from tests.texts import settled
from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.desk.words import answer_text
from whorlograph.engine.controller import Controller
from whorlograph.formats.programs import read_data
from whorlograph.formats.programs.splice import splice
from whorlograph.inquiry.revisions.change import Verdict
from whorlograph.inquiry.revisions.programs import compare_programs
from whorlograph.model.iolist import IoList
from whorlograph.model.profile import Profile

CASES = int(os.environ.get("WHORLOGRAPH_CASES", "100"))
FIRST = int(os.environ.get("WHORLOGRAPH_FIRST_CASE", "0"))


def _expected(gates: list[Gate], scans: list[dict[str, bool]]) -> list[dict[str, bool]]:
    """What the outputs are, gate by gate in the order of their turns."""
    order = sorted(gates, key=lambda g: g.turn)
    gives, tags, found = {g.number: False for g in gates}, {f"Y{g.number}": False for g in gates}, []
    for inputs in scans:
        tags |= inputs
        for one in order:
            values = [(tags[source] if isinstance(source, str) else gives[source]) != inverted for source, inverted in one.inputs]
            on = {"AND": all(values), "OR": any(values), "XOR": sum(values) % 2 == 1, "NOT": not values[0]}[one.kind]
            gives[one.number] = tags[f"Y{one.number}"] = on != one.inverted
        found.append({name: on for name, on in tags.items() if name[0] == "Y"})
    return found


def _both(elements: str, tags: str, blocks: str = "") -> list[Controller]:
    loaded = read_data(diagram_file(elements, tags, blocks), Path("x.xml"))
    assert not loaded.notices, [str(n) for n in loaded.notices]
    return [Controller(loaded.value, Profile(scan_time=10_000_000), plain=plain) for plain in (True, False)]


class InTurn(unittest.TestCase):
    """Random networks, whose oracle knows nothing but turns."""

    def test_random(self) -> None:
        led_back = 0
        for seed in range(FIRST, FIRST + CASES):
            random = Random(seed)
            gates = random_gates(random)
            scans = [{name: random.random() < 0.5 for name in INPUTS} for _ in range(12)]
            plain, compiled = _both(drawn_gates(gates, random), " ".join((*INPUTS, *(f"Y{g.number}" for g in gates))))
            log = log_of(plain, [(n * 10, name, int(on)) for n, scan in enumerate(scans) for name, on in scan.items()])
            journals = [one.replay(log) for one in (plain, compiled)]
            self.assertEqual(difference(*journals, [t.name for t in plain.running.tags]), "", seed)
            for n, wanted in enumerate(_expected(gates, scans)):
                self.assertEqual({name: bool(settled(compiled, journals[1], name, n + 1)) for name in wanted}, wanted, (seed, n + 1))
            led_back += any("_" in t.name for t in compiled.running.tags)
        self.assertGreater(led_back, CASES // 2)


class ByHand(unittest.TestCase):
    """What leads back, of each kind."""

    SEAL = (value_at(1, 0, "X1") + value_at(2, 20, "X2") + block_at(3, 0, "OR", {"IN1": wire_from(1), "IN2": wire_from(4, "OUT")}, "OUT", order=1)
            + block_at(4, 10, "AND", {"IN1": wire_from(3, "OUT"), "IN2": wire_from(2)}, "OUT", order=2) + out_at(5, 0, "Y1", 4, "OUT"))

    def _values(self, elements: str, tags: str, name: str, rows: list[tuple[int, str, int]], blocks: str = "") -> list[object]:
        found = []
        for one in _both(elements, tags, blocks):
            self.assertEqual(one.notices, [])
            journal = one.replay(log_of(one, [*rows, (60, rows[0][1], rows[0][2])]))
            found.append([settled(one, journal, name, scan) for scan in range(1, 7)])
        self.assertEqual(found[0], found[1])
        return found[1]

    def test_a_seal_in_by_a_wire_and_why_it_is_on(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 1), (10, "X1", 1), (20, "X1", 0), (40, "X2", 0)]
        self.assertEqual(self._values(self.SEAL, "X1 X2 Y1", "Y1", rows), [False, True, True, True, False, False])
        controller = _both(self.SEAL, "X1 X2 Y1")[1]
        session = Session(controller, log_of(controller, [*rows[:-1], (60, "X1", 0)]), IoList({}), [], Paths(Path("x.xml")))
        answer = ask(session, "Y1")
        prove_all(session, answer)
        self.assertIn("it holds itself, and X2 would end it", answer_text(session, answer))
        self.assertEqual([session.tag("X1"), True], [answer.roots[0].tag, answer.roots[0].proved])

    def test_numbers_from_0_on(self) -> None:
        rows = [(0, "X1", 0), (0, "X2", 1), (10, "X1", 1), (20, "X1", 0), (40, "X2", 0)]
        counted = self.SEAL.replace('executionOrderId="1"', 'executionOrderId="0"').replace('executionOrderId="2"', 'executionOrderId="1"')
        self.assertEqual(self._values(counted, "X1 X2 Y1", "Y1", rows), [False, True, True, True, False, False])
        straight = (value_at(1, 0, "X1") + block_at(2, 0, "NOT", {"IN": wire_from(1)}, "OUT", order=3) + block_at(3, 10, "NOT", {"IN": wire_from(2, "OUT")}, "OUT")
                    + out_at(4, 0, "Y1", 3, "OUT"))
        self.assertEqual(self._values(straight, "X1 Y1", "Y1", [(0, "X1", 0), (20, "X1", 1)]), [False, False, True, True, True, True])

    def test_numbers_take_the_type_of_what_goes_in(self) -> None:
        rows = [(0, "X1", 0), (0, "N1", 3)]
        summed = value_at(1, 0, "N1") + block_at(2, 0, "ADD", {"IN1": wire_from(2, "OUT"), "IN2": wire_from(1)}, "OUT", order=1) + out_at(3, 0, "N2", 2, "OUT")
        self.assertEqual(self._values(summed, "X1 N1 N2", "N2", rows), [3, 6, 9, 12, 15, 18])

    def test_beside_a_literal_alone_it_takes_the_type_of_where_the_result_goes(self) -> None:
        counted = value_at(1, 0, "1") + block_at(2, 0, "ADD", {"IN1": wire_from(2, "OUT"), "IN2": wire_from(1)}, "OUT", order=1) + out_at(3, 0, "N1", 2, "OUT")
        running = _both(counted, "X1 N1")[1].running
        self.assertEqual([t.type.name for t in running.tags if "ADD" in t.name], ["INT"])
        self.assertEqual(self._values(counted, "X1 N1", "N1", [(0, "X1", 0)]), [1, 2, 3, 4, 5, 6])

    def test_another_order_is_another_program(self) -> None:
        turned = self.SEAL.replace('executionOrderId="2"', 'executionOrderId="0"').replace('executionOrderId="1"', 'executionOrderId="2"').replace(
            'executionOrderId="0"', 'executionOrderId="1"')
        later = self.SEAL.replace('executionOrderId="2"', 'executionOrderId="7"')
        one, two, same = (read_data(diagram_file(elements, "X1 X2 Y1"), Path("x.xml")).value for elements in (self.SEAL, turned, later))
        self.assertEqual([compare_programs(one, other).verdict for other in (two, same)], [Verdict.ACTS, Verdict.SAME])

    def test_a_pin_of_an_instance_is_read_as_it_was(self) -> None:
        flash = (value_at(1, 20, "T#20ms") + block_at(2, 0, "NOT", {"IN": wire_from(3, "Q")}, "OUT", order=1)
                 + block_at(3, 10, "TON", {"IN": wire_from(2, "OUT"), "PT": wire_from(1)}, "Q ET", "T1", order=2) + out_at(4, 0, "Y1", 3, "Q"))
        self.assertEqual(self._values(flash, "X1 Y1", "Y1", [(0, "X1", 0)], "T1:TON"), [False, False, True, False, False, False])

    def test_without_an_order_or_beyond_what_can_be_kept_it_is_said(self) -> None:
        for elements, said in ((self.SEAL.replace(' executionOrderId="1"', "").replace(' executionOrderId="2"', ""), "its wires form a loop"),
                               (self.SEAL.replace('refLocalId="4" formalParameter="OUT"', 'refLocalId="4" formalParameter="ENO"', 1), "leads back, and what that brings cannot be kept")):
            loaded = read_data(diagram_file(elements, "X1 X2 Y1"), Path("x.xml"))
            notices = [str(n) for n in (*loaded.notices, *Controller(loaded.value, Profile()).notices)]
            self.assertEqual(len(notices), 1, notices)
            self.assertIn(said, notices[0])

    def test_networks_are_one_only_where_their_turns_tell(self) -> None:
        def drawn(read: str, last: int, order: int = 3) -> str:
            return (value_at(1, 0, "X1") + block_at(2, 0, "NOT", {"IN": wire_from(1)}, "OUT", order=1) + value_at(3, 20, read)
                    + block_at(4, 10, "AND", {"IN1": wire_from(2, "OUT"), "IN2": wire_from(3)}, "OUT", order=last) + out_at(5, 0, "Y1", 4, "OUT")
                    + value_at(6, 200, "X2") + block_at(7, 200, "NOT", {"IN": wire_from(6)}, "OUT", order=order) + out_at(8, 200, "Y2", 7, "OUT"))

        for elements, networks, wanted in ((drawn("Y2", 5), 1, [True, True, False]), (drawn("Y2", 2), 2, [False, True, True]),
                                           (drawn("X3", 5), 2, [False, False, False]), (drawn("Y2", 5, 1), 2, [False, True, True])):
            controllers = _both(elements, "X1 X2 X3 Y1 Y2")
            self.assertEqual([len(one.steps.all) for one in controllers], [networks] * 2)
            for one in controllers:
                journal = one.replay(log_of(one, [(0, "X1", 0), (0, "X2", 0), (20, "X2", 1), (20, "X2", 1)], 20))
                self.assertEqual([settled(one, journal, "Y1", scan) for scan in (1, 2, 3)], wanted, elements)

    def test_the_file_stays_as_it_is(self) -> None:
        data = diagram_file(self.SEAL, "X1 X2 Y1")
        program = read_data(data, Path("x.xml")).value
        Controller(program, Profile())
        self.assertEqual(splice(data, program, program), data)
        self.assertEqual(read_data(data, Path("x.xml")).value, program)


if __name__ == "__main__":
    unittest.main()
