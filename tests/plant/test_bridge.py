"""The simulated bridge and the case it made."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from whorlograph.desk.asking import ask, prove_all
from whorlograph.desk.session import Paths, Session, load
from whorlograph.engine.controller import Controller
from whorlograph.engine.coupling import run_coupled
from whorlograph.engine.settled import settle
from whorlograph.model.ladder import CoilKind, Jump, LadderBody
from whorlograph.model.question import LinkKind, Symptom
from whorlograph.plant import make
from whorlograph.plant.bridge.machine import Bridge
from whorlograph.plant.bridge.program import bridge_program
from whorlograph.plant.catalog import cases


def bridge_session() -> Session:
    """The shipped case."""
    one = cases()["bridge"]
    return load(Paths(one.program, (one.log,), one.iolist, one.profile, title=one.title))


class Case(unittest.TestCase):
    """Shipped files and their complaint."""

    session: Session

    @classmethod
    def setUpClass(cls) -> None:
        cls.session = bridge_session()

    def test_the_files_are_what_the_generator_makes(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            make.make_bridge(Path(folder))
            for path in sorted(make.BRIDGE.iterdir()):
                with self.subTest(path.name):
                    self.assertEqual((Path(folder) / path.name).read_bytes(), path.read_bytes())

    def test_nothing_of_the_files_is_set_aside(self) -> None:
        self.assertEqual(self.session.notices, [])
        self.assertEqual(self.session.log.set_aside, 0)

    def test_replaying_the_log_gives_what_the_coupled_run_gave(self) -> None:
        program = bridge_program()
        end = 3600 * 10**9
        controller = Controller(program, self.session.profile)
        coupled = run_coupled(controller, Bridge(), end)
        replayed = self.session.controller.replay(self.session.log, until=end)
        mine, theirs = settle(coupled.journal, controller.running), settle(replayed, self.session.running)
        self.assertEqual(mine.scans.tolist(), theirs.scans.tolist())
        self.assertEqual(mine.values.tolist(), theirs.values.tolist())
        self.assertGreater(len(mine.scans), 1000)

    def test_the_complaint_ends_at_the_worn_switch(self) -> None:
        answer = ask(self.session, "Raise_Pump")
        root = answer.roots[0]
        self.assertEqual(answer.symptom, Symptom.DROPPED_OUT)
        assert root.tag is not None and root.point is not None
        self.assertEqual(self.session.running.tags[root.tag].name, "East_Down_LS")
        self.assertEqual(root.point.whereabouts, "LS-12, junction box 3, terminal 14")
        self.assertIn("growing longer", root.text)
        self.assertGreaterEqual(len(root.short), 10)
        prove_all(self.session, answer)
        self.assertIs(root.proved, True)

    def test_it_will_not_restart_because_of_the_same_switch(self) -> None:
        answer = ask(self.session, "Raise_Pump", symptom=Symptom.WILL_NOT_PULL_IN)
        assert answer.roots[0].tag is not None
        self.assertEqual(self.session.running.tags[answer.roots[0].tag].name, "East_Down_LS")
        self.assertEqual(len(answer.attempts), 3)

    def test_the_lamp_that_stayed_on_leads_to_the_acknowledge_button(self) -> None:
        answer = ask(self.session, "Lamp_Bolt_Slow")
        names = [self.session.running.tags[r.tag].name for r in answer.roots[:2] if r.tag is not None]
        self.assertIn("Ack_PB", names)
        self.assertIn(LinkKind.SET_BY, {link.kind for _, link in answer.links()})

    def test_the_recorded_outputs_agree_with_the_program(self) -> None:
        from whorlograph.inquiry.mismatch import compared_tags, differences

        tags = compared_tags(self.session.controller, self.session.log)
        self.assertEqual(len(tags), 3)
        for tag in tags:
            self.assertEqual(differences(self.session.controller, self.session.journal, self.session.log, tag), [])

    def test_the_program_has_what_the_case_needs(self) -> None:
        bodies = [p.body for p in self.session.program.pous.values() if isinstance(p.body, LadderBody)]
        elements = [e for b in bodies for e in b.elements]
        self.assertGreaterEqual(len(bodies), 5)
        self.assertGreaterEqual(sum(len(b.rungs) for b in bodies), 60)
        self.assertTrue(any(isinstance(e, Jump) for e in elements))
        coils = {getattr(e, "kind", None) for e in elements}
        self.assertTrue({CoilKind.SET, CoilKind.RESET} <= coils)
        inputs = [t for t in self.session.running.tags if t.address is not None and t.address.area == "I"]
        self.assertGreaterEqual(len(inputs), 40)


if __name__ == "__main__":
    unittest.main()
