"""Machines told in a few lines."""

from __future__ import annotations

import unittest

from whorlograph.plant.catalog import cases
from whorlograph.plant.hands_on import machines
from whorlograph.plant.moving import MS, SECOND, Belt, Contactor, MovingMachine, Travel


def course(machine: MovingMachine, outputs: list[tuple[int, dict[str, int]]], end: int) -> list[tuple[int, str, int]]:
    """What a machine does at given outputs (ns, all of them)."""
    found = [c for c in machine.begin() if c[2]]
    for now, values in [*outputs, (end, {})]:
        while (following := machine.next_time()) is not None and following <= now:
            found += machine.advance(following)
        if values:
            machine.outputs(now, values)
    return found


class Moving(unittest.TestCase):
    """Each part alone."""

    def test_a_contactor_reports_back_late_and_a_lock_lets_one_of_two_close(self) -> None:
        parts = (Contactor("K1", "A1", 15, 12, ("K2",)), Contactor("K2", "A2", 18, 9, ("K1",)))
        found = course(MovingMachine(("A1", "A2"), (), parts), [(0, {"K1": 1, "K2": 1}), (SECOND, {"K1": 0, "K2": 1})], 2 * SECOND)
        self.assertEqual(found, [(15 * MS, "A1", 1), (SECOND + 12 * MS, "A1", 0)])
        found = course(MovingMachine(("A1", "A2"), (), parts),
                       [(0, {"K1": 1, "K2": 0}), (SECOND, {"K1": 0, "K2": 0}), (2 * SECOND, {"K1": 0, "K2": 1})], 3 * SECOND)
        self.assertEqual(found[-1], (2 * SECOND + 18 * MS, "A2", 1))

    def test_what_moves_passes_its_switches_in_time_and_stays_at_its_ends(self) -> None:
        ramp = Travel((("Down", 0.1), ("Up", -0.2)), (("Low", 0.9, True), ("High", 0.1, False)))
        found = course(MovingMachine(("Low", "High"), (), (ramp,)),
                       [(0, {"Down": 1, "Up": 0}), (30 * SECOND, {"Down": 0, "Up": 0}), (31 * SECOND, {"Down": 0, "Up": 1})], 40 * SECOND)
        self.assertEqual(found, [(0, "High", 1), (1 * SECOND, "High", 0), (9 * SECOND, "Low", 1),
                                 (31 * SECOND + SECOND // 2, "Low", 0), (31 * SECOND + 9 * SECOND // 2, "High", 1)])

    def test_a_tank_fills_by_itself_and_a_pump_that_is_stopped_midway_goes_on_from_there(self) -> None:
        tank = Travel((("Pump", -0.3),), (("Full", 0.8, True),), 0.5, 0.1)
        found = course(MovingMachine(("Full",), (), (tank,)), [(0, {"Pump": 0}), (4 * SECOND, {"Pump": 1}), (5 * SECOND, {"Pump": 0})], 20 * SECOND)
        self.assertEqual([(round(t / SECOND, 3), v) for t, _, v in found], [(3.0, 1), (4.5, 0), (6.0, 1)])

    def test_a_belt_carries_only_while_it_runs(self) -> None:
        found = course(MovingMachine(("Eye",), (), (Belt("Run", "Eye", 1000, 200),)),
                       [(0, {"Run": 1}), (2500 * MS, {"Run": 0}), (10 * SECOND, {"Run": 1})], 11 * SECOND)
        self.assertEqual([t // MS for t, _, _ in found], [800, 1000, 1800, 2000, 10800, 11000])

    def test_every_machine_names_points_of_its_case(self) -> None:
        known = cases()
        self.assertGreaterEqual(len(machines()), 6)
        for name, machine in machines().items():
            with self.subTest(name):
                listed = known[name].iolist.read_text(encoding="utf-8")
                for _, tag, _ in machine().begin():
                    self.assertIn(f"{tag},", listed)


if __name__ == "__main__":
    unittest.main()
