"""Power flow worked out from the journal against what the engine wrote: two ways to the same values."""

from __future__ import annotations

import unittest

from tests.building import MS, program_of, session_of
from tests.strategies import replayed
from whorlograph.engine.controller import Controller
from whorlograph.engine.power import PowerFlow
from whorlograph.model.ladder import Block, Coil, CoilKind, Contact, ContactKind
from whorlograph.model.parts import Ladder, coil, no, timer
from whorlograph.model.types import Family


class Power(unittest.TestCase):
    """On random programs: jumps, calls, blocks, several writers."""

    def test_a_timer_s_present_value_goes_on_in_scans_in_which_nothing_changes(self) -> None:
        # X0 on from 100 to 200 ms; presets 50 ms: by the standard's timing diagrams, IEC 61131-3:2013, figure 15
        expected = {
            "TON": lambda t: min(t - 100, 50) if 100 <= t < 200 else 0,
            "TOF": lambda t: min(t - 200, 50) if t >= 200 else 0,
            "TP": lambda t: min(t - 100, 50) if 100 <= t < 200 else 0,
        }
        for kind, wanted in expected.items():
            def draw(one: Ladder, kind: str = kind) -> None:
                one.rung(no("X0"), timer(kind, "T", "T#50ms"), coil("Y0"))

            rows = [(0, "X0", 0), (100, "X0", 1), (200, "X0", 0), (300, "X0", 0)]
            session = session_of(program_of(draw, "X0 Y0", f"T:{kind}"), rows)
            power, step = PowerFlow(session.controller.again()), session.controller.steps.all[0]
            block = next(e for e in step.rung.elements if isinstance(e, Block))
            for scan in range(1, session.journal.clock.last + 1):
                at = session.journal.clock.start(scan) // MS
                with self.subTest(kind, ms=at):
                    flow = power.flow(session.journal, step, scan)
                    self.assertEqual(flow.out[block.id, "ET"], wanted(at) * MS)

    def test_a_coil_s_power_is_what_the_engine_wrote(self) -> None:
        checked = dict.fromkeys((CoilKind.PLAIN, CoilKind.NEGATED, CoilKind.SET, CoilKind.RESET), 0)
        for seed in range(40):
            random, controller, journal = replayed(seed)
            paths, power = controller.paths, PowerFlow(controller.again())
            last = min(journal.clock.last, 400)
            if journal.fault is not None:
                last = min(last, journal.fault.scan - 1)
            for step in controller.steps.all[:controller.steps.cyclic]:
                coils = [e for e in step.rung.elements if isinstance(e, Coil)]
                for scan in [random.randint(1, last) for _ in range(6)] if last > 0 else []:
                    if paths.skipped(journal, step.index, scan) is not None:
                        continue
                    low, high = journal.settled_position(scan - 1), journal.settled_position(scan)
                    if len({journal.moment(r).step for r in range(low, high) if journal.step(r) == step.index}) > 1:
                        continue  # evaluated twice, by a jump backwards
                    flow = power.flow(journal, step, scan)
                    written = [flow.tags.get(c.id) for c in coils]
                    after = paths.done(journal, step.index, scan)
                    for one in coils:
                        tag = flow.tags.get(one.id)
                        if tag is None or written.count(tag) > 1 or one.kind not in checked or tag >= controller.running.public:
                            continue
                        if step.index in _shared_writers(controller, tag):
                            continue
                        bit = one.variable.rpartition(".")[2].lstrip("%X") if controller.running.tags[tag].type.family is not Family.BOOL else "0"
                        value, on = bool(journal.value_at(tag, after) >> int(bit) & 1), flow.power[one.id]
                        if one.kind is CoilKind.PLAIN:
                            self.assertEqual(value, on, (seed, step.index, scan))
                        elif one.kind is CoilKind.NEGATED:
                            self.assertEqual(value, not on, (seed, step.index, scan))
                        elif one.kind is CoilKind.SET and on:
                            self.assertTrue(value, (seed, step.index, scan))
                        elif one.kind is CoilKind.RESET and on:
                            self.assertFalse(value, (seed, step.index, scan))
                        checked[one.kind] += 1
        for kind, count in checked.items():
            self.assertGreater(count, 50, kind)

    def test_contacts_pass_by_the_value_their_rung_saw(self) -> None:
        checked = 0
        for seed in range(60, 90):
            random, controller, journal = replayed(seed)
            paths, power = controller.paths, PowerFlow(controller.again())
            last = min(journal.clock.last, 300)
            for step in controller.steps.all[:controller.steps.cyclic]:
                own = {e.variable.lower() for e in step.rung.elements if isinstance(e, Coil)}
                plain = all(isinstance(e, (Contact, Coil)) or not hasattr(e, "instance") for e in step.rung.elements)
                for scan in [random.randint(1, last) for _ in range(3)] if last > 0 else []:
                    if paths.skipped(journal, step.index, scan) is not None:
                        continue
                    flow = power.flow(journal, step, scan)
                    for one in step.rung.elements:
                        if not isinstance(one, Contact) or one.kind not in (ContactKind.NORMALLY_OPEN, ContactKind.NORMALLY_CLOSED):
                            continue
                        tag = flow.tags.get(one.id)
                        if tag is None or one.variable.lower() in own or "." in one.variable.lstrip("%") or not plain:
                            continue
                        value = bool(journal.value_at(tag, paths.seen(journal, step.index, scan)))
                        self.assertEqual(flow.passes[one.id], value == (one.kind is ContactKind.NORMALLY_OPEN), (seed, step.index, scan))
                        checked += 1
        self.assertGreater(checked, 300)

    def test_a_rung_that_did_not_run_shows_the_last_time_it_did(self) -> None:
        shown = 0
        for seed in range(90, 125):
            _random, controller, journal = replayed(seed)
            paths, power = controller.paths, PowerFlow(controller.again())
            last = min(journal.clock.last, 300)
            for step in controller.steps.all[:controller.steps.cyclic:3]:
                for scan in range(1, last, max(1, last // 9)):
                    flow = power.flow(journal, step, scan)
                    if flow.skip is None:
                        self.assertEqual(flow.scan, scan)
                        continue
                    self.assertLess(flow.scan, scan)
                    if flow.scan:
                        self.assertIsNone(paths.skipped(journal, step.index, flow.scan))
                    for between in range(flow.scan + 1, scan + 1):
                        self.assertIsNotNone(paths.skipped(journal, step.index, between))
                    shown += 1
        self.assertGreater(shown, 60)


def _shared_writers(controller: Controller, tag: int) -> set[int]:
    """Steps that write a tag by more than one element, or through what shares bits with it."""
    from whorlograph.engine.scope.overlap import shared_bits

    shares = shared_bits(controller.running.tags[:controller.running.public], controller.profile.addressing)
    near = {s.other for s in shares.get(tag, ())}
    writers: dict[int, int] = {}
    for use in controller.access.all:
        if use.writes and (use.may_be(tag) or any(use.may_be(t) for t in near)):
            writers[use.step] = writers.get(use.step, 0) + 1
    return {step for step, count in writers.items() if count > 1}


if __name__ == "__main__":
    unittest.main()
