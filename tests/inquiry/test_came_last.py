"""What closed last when a rung switched its tag on: read from the rows of its contacts, as executing the rung again shows."""

from __future__ import annotations

import unittest
from pathlib import Path
from random import Random

from tests.strategies import random_case, random_log
from whorlograph.desk.asking import inquiry
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.inquiry import commands
from whorlograph.inquiry.circuit import Gate
from whorlograph.inquiry.links.gates import gate_time
from whorlograph.inquiry.tracer import Tracer
from whorlograph.inquiry.writers import Kind, Writer
from whorlograph.model.iolist import IoList


def _executed_again(tracer: Tracer, tag: int, writer: Writer) -> set[Gate]:
    """The same from two evaluations of the rung: at each pull-in, and the one before."""
    journal, circuit, found = tracer.journal, tracer.circuit(writer.step), set[Gate]()
    power = writer.power if writer.power is not None else writer.value
    assert power is not None
    for row in [row for row in journal.rows(tag).tolist() if journal.raw(row)][-commands.PULL_INS:]:
        scan = tracer.scan_of(row)
        if journal.step(row) != writer.step or scan < 2:
            continue
        now, before = tracer.seen(writer.step, scan), tracer.seen(writer.step, scan - 1)
        for path in circuit.complete(power, now.result, not writer.inverted)[:commands.MOST_PATHS]:
            open_then = [gate for gate in path if not circuit.passes(gate, before.result)]
            if open_then:
                found.add(max(open_then, key=lambda gate: gate_time(tracer, gate, now)))
    return found


class CameLast(unittest.TestCase):
    """Random programs of all elements."""

    def test_the_same_as_executed_again(self) -> None:
        of_contacts = gates = 0
        for seed in range(50):
            random = Random(seed)
            program, profile = random_case(random, tasked=seed % 3 == 0)
            controller = Controller(program, profile)
            session = Session(controller, random_log(random, controller.running), IoList({}), [], Paths(Path("x.xml")))
            assert session.journal.complete
            tracer = inquiry(session).tracer
            for tag in session.running.tags[:session.running.public]:
                for writer in tracer.writers.get(tag.index, ()) if tracer.boolean(tag.index) else ():
                    power = writer.power if writer.power is not None else writer.value
                    if writer.kind is Kind.BLOCK or power is None or writer.bit >= 0:
                        continue
                    circuit = tracer.circuit(writer.step)
                    contacts = commands._contacts(tracer, circuit, writer, tag.index, circuit.paths(power, not writer.inverted))
                    found = commands._gates_that_came_last(tracer, tag.index, writer)
                    of_contacts += contacts is not None and bool(found)
                    gates += len(found)
                    with self.subTest(seed=seed, tag=tag.name):
                        self.assertEqual(found, _executed_again(tracer, tag.index, writer))
        self.assertGreater(of_contacts, 20)
        self.assertGreater(gates, 60)


if __name__ == "__main__":
    unittest.main()
