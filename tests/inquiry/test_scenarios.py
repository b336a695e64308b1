"""Whole questions on small programs: symptom, links, first root and its proof, one table."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from dataclasses import dataclass, field

from tests.building import program_of, session_of
from whorlograph.desk.asking import ask, prove_all
from whorlograph.model.parts import Ladder, call, coil, compare, counter, either, falls, jump, leave, nc, no, reset, rises, series, set_, timer
from whorlograph.model.question import Symptom

Rows = list[tuple[int, str, int]]


@dataclass(frozen=True)
class Scene:
    """A program, a log, a question, and what must be found."""

    name: str
    draw: Callable[[Ladder], None]
    tags: str
    rows: Rows
    tag: str
    symptom: Symptom
    links: tuple[str, ...]
    root: tuple[str, str | None]
    proved: bool | None
    blocks: str = ""
    at: str | None = None
    second: tuple[str, str | None] | None = None
    said: str = ""
    initial: dict[str, str] = field(default_factory=dict)


def _sealed(ladder: Ladder) -> None:
    ladder.rung(either(no("X1"), no("Y1")), no("X2"), no("M1"), coil("Y1"))
    ladder.rung(no("X3"), nc("X4"), coil("M1"))


def _latch(ladder: Ladder) -> None:
    ladder.rung(no("X1"), set_("M1"))
    ladder.rung(no("X2"), no("X3"), reset("M1"))
    ladder.rung(no("M1"), coil("Y1"))


def _jumped(ladder: Ladder) -> None:
    ladder.rung(no("X2"), jump("End"))
    ladder.rung(no("X1"), coil("Y1"))
    ladder.label("End")
    ladder.rung(no("X3"), coil("Y2"))


def _returned(ladder: Ladder) -> None:
    ladder.rung(no("X2"), leave())
    ladder.rung(no("X1"), coil("Y1"))


def _two_coils(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("Y1"))
    ladder.rung(no("X2"), coil("Y1"))


def _timer(ladder: Ladder) -> None:
    ladder.rung(no("X1"), timer("TON", "T1", "T#200ms"), coil("Y1"))


def _off_delay(ladder: Ladder) -> None:
    ladder.rung(no("X1"), timer("TOF", "T1", "T#200ms"), coil("Y1"))


def _counter(ladder: Ladder) -> None:
    ladder.rung(no("X1"), counter("C1", "3", no("X2")), coil("Y1"))


def _divides(ladder: Ladder) -> None:
    ladder.rung(no("X2"), coil("Y1"))
    ladder.rung(no("X1"), call("DIV", ("IN1", "N1"), ("IN2", "N2"), out="N3"))


def _overflows(ladder: Ladder) -> None:
    ladder.rung(no("X2"), coil("Y1"))
    ladder.rung(no("X1"), call("ADD", ("IN1", "N1"), ("IN2", "30000"), out="N1"))


def _contradicts(ladder: Ladder) -> None:
    ladder.rung(no("X1"), nc("X1"), coil("Y1"))


def _never(ladder: Ladder) -> None:
    ladder.rung(no("X1"), no("M1"), coil("Y1"))


def _compares(ladder: Ladder) -> None:
    ladder.rung(no("X1"), compare("GE", "N1", "10"), coil("Y1"))


def _interlocked(ladder: Ladder) -> None:
    ladder.rung(no("X1"), nc("X2"), coil("Y1"))


def _deep(ladder: Ladder) -> None:
    for i in range(1, 9):
        ladder.rung(no(f"M{i}"), coil(f"M{i + 1}"))
    ladder.rung(no("X1"), coil("M1"))
    ladder.rung(no("M9"), coil("Y1"))


def _edge(ladder: Ladder) -> None:
    ladder.rung(rises("X1"), set_("Y1"))
    ladder.rung(falls("X2"), reset("Y1"))


def _let_go(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("Y1"))
    ladder.rung(no("X2"), set_("Y1"))


def _pulse(ladder: Ladder) -> None:
    ladder.rung(rises("X1"), coil("Y1"))


def _bits(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("N1.%X3"))
    ladder.rung(no("X2"), coil("N1.%X4"))
    ladder.rung(no("N1.%X3"), coil("Y1"))


def _flag(ladder: Ladder) -> None:
    ladder.rung(rises("X1"), no("X2"), set_("M1"))
    ladder.rung(no("M1"), timer("TP", "T1", "T#100ms"), coil("Y1"))
    ladder.rung(reset("M1"))


def _two_hands(ladder: Ladder) -> None:
    ladder.rung(no("X1"), timer("TON", "T1", "T#200ms"), coil("M1"))
    ladder.rung(no("X2"), timer("TON", "T2", "T#200ms"), coil("M2"))
    ladder.rung(either(series(nc("M1"), nc("M2")), no("Y1")), no("X1"), no("X2"), coil("Y1"))


def _supervised(ladder: Ladder) -> None:
    ladder.rung(either(no("X1"), no("Y1")), nc("M1"), coil("Y1"))
    ladder.rung(no("Y1"), nc("X2"), timer("TON", "T1", "T#300ms"), set_("M1"))
    ladder.rung(no("X3"), reset("M1"))
    ladder.rung(no("M1"), coil("Y2"))


def _three_writers(ladder: Ladder) -> None:
    ladder.rung(no("X1"), coil("Y1"))
    ladder.rung(no("X2"), coil("M1"))
    ladder.rung(either(no("X3"), no("M1")), coil("Y1"))


SCENES = (
    Scene("a rung that runs again after a jump", _jumped, "X1 X2 X3 Y1 Y2", [(0, "X1", 1), (50, "X2", 1), (100, "X1", 0), (300, "X2", 0), (600, "X2", 0)],
          "Y1", Symptom.DROPPED_OUT, ("resumed", "rung-false", "rung-false"), ("field-input", "X2"), True),
    Scene("a rung that runs again after a return", _returned, "X1 X2 Y1", [(0, "X1", 1), (50, "X2", 1), (100, "X1", 0), (300, "X2", 0), (600, "X2", 0)],
          "Y1", Symptom.DROPPED_OUT, ("resumed", "rung-false", "rung-false"), ("field-input", "X2"), True),
    Scene("a set coil that lets go of what a plain coil writes off", _let_go, "X1 X2 Y1",
          [(0, "X1", 0), (100, "X2", 1), (300, "X2", 0), (600, "X2", 0)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false",), ("field-input", "X2"), True),
    Scene("of two coils the last one counts", _three_writers, "X1 X2 X3 M1 Y1",
          [(0, "X1", 0), (0, "X3", 0), (100, "X2", 1), (300, "X2", 0), (600, "X2", 0)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false", "rung-false"), ("field-input", "X2"), True),
    Scene("an edge lasts one scan", _pulse, "X1 Y1", [(0, "X1", 0), (100, "X1", 1), (600, "X1", 1)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false",), ("field-input", "X1"), False),
    Scene("a bit of a word, while another bit of it goes on changing", _bits, "X1 X2 N1 Y1",
          [(0, "X1", 1), (0, "X2", 0), (200, "X2", 1), (300, "X1", 0), (400, "X2", 0), (600, "X2", 1)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false", "rung-false"), ("field-input", "X1"), True),
    Scene("the interlock behind the interlock opened first", _sealed, "X1 X2 X3 X4 Y1 M1",
          [(0, "X1", 0), (0, "X2", 1), (0, "X3", 1), (0, "X4", 0), (50, "X1", 1), (100, "X1", 0), (300, "X4", 1), (900, "X4", 1)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false", "rung-false"), ("field-input", "X4"), True),
    Scene("what opened as a consequence of the drop is no cause", _sealed, "X1 X2 X3 X4 Y1 M1",
          [(0, "X1", 0), (0, "X2", 1), (0, "X3", 1), (0, "X4", 0), (50, "X1", 1), (100, "X1", 0), (300, "X2", 0), (350, "X3", 0), (900, "X3", 0)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false",), ("field-input", "X2"), True),
    Scene("a button was pressed and an interlock blocked", _sealed, "X1 X2 X3 X4 Y1 M1",
          [(0, "X1", 0), (0, "X2", 0), (0, "X3", 1), (0, "X4", 0), (300, "X1", 1), (500, "X1", 0), (900, "X3", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false",), ("field-input", "X2"), True, said="tried once"),
    Scene("nobody tried", _sealed, "X1 X2 X3 X4 Y1 M1", [(0, "X1", 0), (0, "X2", 1), (0, "X3", 1), (900, "X3", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false",), ("field-input", "X1"), True, said="never tried"),
    Scene("a latch stays on because its reset never came", _latch, "X1 X2 X3 Y1 M1",
          [(0, "X1", 0), (0, "X3", 0), (100, "X1", 1), (200, "X1", 0), (400, "X2", 1), (500, "X2", 0), (1000, "X2", 0)],
          "Y1", Symptom.WILL_NOT_DROP_OUT, ("rung-true", "set-by", "never-set"), ("field-input", "X1"), True, second=("field-input", "X3")),
    Scene("a latch was reset", _latch, "X1 X2 X3 Y1 M1",
          [(0, "X1", 0), (0, "X3", 1), (100, "X1", 1), (200, "X1", 0), (400, "X2", 1), (500, "X2", 0), (1000, "X2", 0)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false", "reset-by"), ("field-input", "X2"), True),
    Scene("a jump keeps an output off", _jumped, "X1 X2 X3 Y1 Y2", [(0, "X1", 0), (50, "X2", 1), (100, "X1", 1), (500, "X1", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("held-by-jump", "rung-true"), ("field-input", "X2"), True),
    Scene("a jump keeps an output on", _jumped, "X1 X2 X3 Y1 Y2", [(0, "X1", 1), (50, "X2", 1), (100, "X1", 0), (500, "X1", 0)],
          "Y1", Symptom.WILL_NOT_DROP_OUT, ("held-by-jump", "rung-true"), ("field-input", "X2"), True),
    Scene("a return keeps an output on", _returned, "X1 X2 Y1", [(0, "X1", 1), (50, "X2", 1), (100, "X1", 0), (500, "X1", 0)],
          "Y1", Symptom.WILL_NOT_DROP_OUT, ("held-by-jump", "rung-true"), ("field-input", "X2"), True),
    Scene("two coils for one tag", _two_coils, "X1 X2 Y1", [(0, "X1", 0), (0, "X2", 0), (100, "X1", 1), (500, "X1", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("overwritten", "rung-false"), ("program", "Y1"), None, second=("field-input", "X2")),
    Scene("of two coils for one tag the later one drops it", _two_coils, "X1 X2 Y1", [(0, "X1", 1), (0, "X2", 1), (300, "X2", 0), (500, "X1", 1)],
          "Y1", Symptom.DROPPED_OUT, ("overwritten", "rung-false"), ("field-input", "X2"), True, second=("program", "Y1")),
    Scene("a flag that is cleared at the program's end was not set again", _flag, "X1 X2 Y1 M1",
          [(0, "X2", 0), (100, "X1", 1), (200, "X1", 0), (500, "X2", 1), (900, "X2", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false", "timer-running", "never-set", "never-set"), ("field-input", "X1"), True, "T1:TP"),
    Scene("of two hands the first was too early", _two_hands, "X1 X2 Y1 M1 M2", [(0, "X1", 0), (0, "X2", 0), (300, "X1", 1), (700, "X2", 1), (1500, "X2", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false", *("rung-true", "block", "rung-true") * 2), ("field-input", "X1"), True, "T1:TON T2:TON", second=("field-input", "X2")),
    Scene("a report that never came, for the alarm that it sets off", _supervised, "X1 X2 X3 Y1 Y2 M1",
          [(0, "X1", 0), (0, "X2", 0), (0, "X3", 0), (100, "X1", 1), (200, "X1", 0), (900, "X2", 0)],
          "Y2", Symptom.WILL_NOT_DROP_OUT, ("rung-true", "set-by", "block", "rung-true", "rung-true", "never-set", "timer-running", "rung-true", "rung-true",
                                            "never-set"), ("field-input", "X2"), True, "T1:TON", second=("field-input", "X3")),
    Scene("a timer whose input keeps falling off", _timer, "X1 Y1", [(0, "X1", 0)] + [(100 * i, "X1", i % 2) for i in range(1, 12)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false", "timer-running"), ("field-input", "X1"), True, "T1:TON"),
    Scene("an off-delay ran out after its input fell", _off_delay, "X1 Y1", [(0, "X1", 1), (300, "X1", 0), (900, "X1", 0)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false", "block", "rung-false"), ("field-input", "X1"), True, "T1:TOF"),
    Scene("a counter set back on its way", _counter, "X1 X2 Y1", [(0, "X1", 0), (0, "X2", 0), (100, "X1", 1), (200, "X1", 0), (300, "X1", 1), (350, "X2", 1),
                                                                  (380, "X2", 0), (400, "X1", 0), (500, "X1", 1), (900, "X1", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false", "counter-short", "reset-by"), ("field-input", "X2"), True, "C1:CTU"),
    Scene("a division by zero halts", _divides, "X1 X2 Y1 N1 N2 N3", [(0, "X1", 0), (0, "X2", 1), (100, "X1", 1), (500, "X1", 1)],
          "Y1", Symptom.DROPPED_OUT, ("halted", "rung-true"), ("fault", "N3"), None, said="dropped out"),
    Scene("an overflow halts, and saturated results would not", _overflows, "X1 X2 Y1 N1", [(0, "X1", 0), (0, "X2", 1), (100, "X1", 1), (500, "X1", 1)],
          "Y1", Symptom.DROPPED_OUT, ("halted", "rung-true"), ("fault", "N1"), True),
    Scene("a path that contradicts itself", _contradicts, "X1 Y1", [(0, "X1", 0), (100, "X1", 1), (500, "X1", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false",), ("program", "Y1"), None),
    Scene("a memory tag that nobody writes", _never, "X1 M1 Y1", [(0, "X1", 0), (100, "X1", 1), (500, "X1", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false",), ("initial-value", "M1"), True),
    Scene("a comparison that a number no longer meets", _compares, "X1 N1 Y1", [(0, "X1", 1), (0, "N1", 30), (200, "N1", 7), (500, "X1", 1)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false", "not-met"), ("field-input", "N1"), True),
    Scene("an input that flickers makes its output chatter", _interlocked, "X1 X2 Y1",
          [(0, "X1", 1), (0, "X2", 0)] + [(1000 + 60 * i, "X2", i % 2) for i in range(1, 30)],
          "Y1", Symptom.CHATTERS, ("rung-false", "rung-true"), ("field-input", "X2"), True, said="since 1.060 s"),
    Scene("a point that the log does not record", _interlocked, "X1 X3 X2 Y1", [(0, "X1", 0), (100, "X1", 1), (500, "X1", 1)],
          "Y1", Symptom.WILL_NOT_DROP_OUT, ("rung-true",), ("field-input", "X1"), True),
    Scene("a long chain to the field", _deep, "X1 Y1 M1 M2 M3 M4 M5 M6 M7 M8 M9", [(0, "X1", 1), (500, "X1", 0), (900, "X1", 0)],
          "Y1", Symptom.DROPPED_OUT, ("rung-false",) * 10, ("field-input", "X1"), True),
    Scene("a pulse between two scans", _interlocked, "X1 X2 Y1", [(0, "X1", 0), (0, "X2", 0), (103, "X1", 1), (106, "X1", 0), (500, "X2", 0)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false", "missed-pulse"), ("field-input", "X1"), True, said="never seen"),
    Scene("a bouncing release is no missed pulse", _interlocked, "X1 X2 Y1",
          [(0, "X1", 0), (0, "X2", 1), (103, "X1", 1), (303, "X1", 0), (304, "X1", 1), (305, "X1", 0), (700, "X2", 1)],
          "Y1", Symptom.WILL_NOT_PULL_IN, ("rung-false",), ("field-input", "X2"), True),
    Scene("a set by an edge stays", _edge, "X1 X2 Y1", [(0, "X1", 0), (0, "X2", 1), (100, "X1", 1), (200, "X1", 0), (500, "X1", 0)],
          "Y1", Symptom.WILL_NOT_DROP_OUT, ("set-by", "never-set"), ("field-input", "X1"), True),
)


class Scenarios(unittest.TestCase):
    """Each scene once."""

    def test_every_scene(self) -> None:
        for scene in SCENES:
            with self.subTest(scene.name):
                session = session_of(program_of(scene.draw, scene.tags, scene.blocks, scene.initial), scene.rows)
                answer = ask(session, scene.tag, scene.at)
                prove_all(session, answer)
                self.assertEqual(answer.symptom, scene.symptom, answer.text)
                self.assertEqual(tuple(link.kind.value for _, link in answer.links() if link.step >= 0 or not link.roots), scene.links)
                found = [(r.kind.value, session.running.tags[r.tag].name if r.tag is not None else None) for r in answer.roots]
                self.assertEqual(found[0], scene.root)
                self.assertIs(answer.roots[0].proved, scene.proved, answer.roots[0].proof)
                if scene.second is not None:
                    self.assertIn(scene.second, [(("field-input" if k == "log-gap" else k), t) for k, t in found[:2]])
                self.assertIn(scene.said, answer.text)
                self.assertTrue(all(r.text and r.proof for r in answer.roots))


if __name__ == "__main__":
    unittest.main()
