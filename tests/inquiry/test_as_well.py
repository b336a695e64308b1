"""Where one contact blocks and others beside it would do: they are named, and each really would."""

from __future__ import annotations

import re
from random import Random
from unittest import TestCase

from tests.building import Draw, program_of, session_of
from tests.inquiry.test_everyday import asked
from whorlograph.model.parts import Ladder, Part, coil, either, nc, no, reset, series, set_
from whorlograph.model.question import Symptom

_NAMES = [f"X{n}" for n in range(1, 9)]
_TAGS = f"{' '.join(_NAMES)} M1 Y1"
_LACKS = re.compile(r"Main 1: (?P<missing>.+?) blocks?(?P<others>(?:; .+)?)$")
_OTHER = re.compile(r"; (?P<named>.+?) would give power (?:as well|in the place of (?P<one>X\d(?: \(normally closed\))?))")

Node = tuple[str, bool] | tuple[str, list["Node"]]  # a contact and whether it is normally closed; "series" or "parallel" and the parts


def _line(draw: Draw, rows: list[tuple[int, str, int]], symptom: Symptom | None = None, blocks: str = "") -> list[str]:
    return asked(session_of(program_of(draw, _TAGS, blocks), rows, 2000), "Y1", None, symptom).text.split("\n")


class TestAsWell(TestCase):
    """By hand."""

    def test_a_reset_that_two_stops_give(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(no("X1"), set_("Y1"))
            ladder.rung(either(nc("X2"), nc("X3")), reset("Y1"))

        lines = _line(draw, [(0, "X2", 1), (0, "X3", 1), (500, "X1", 1), (700, "X1", 0)])
        self.assertIn("Y1 was not reset after 0.500 s: no power in Main 2: X2 (normally closed) blocks; "
                      "X3 (normally closed) would give power as well", lines)

    def test_many_are_counted(self) -> None:
        lines = _line(lambda ladder: ladder.rung(either(*map(no, _NAMES)), coil("Y1")), [])
        self.assertIn("Y1 has no power in Main 1: X1 blocks; X2 or X3 or one of 5 more would give power as well", lines)

    def test_in_the_place_of_one_of_two(self) -> None:
        lines = _line(lambda ladder: ladder.rung(either(no("X1"), no("X2")), no("X3"), coil("Y1")), [])
        self.assertIn("Y1 has no power in Main 1: X1 and X3 block; X2 would give power in the place of X1", lines)

    def test_one_that_lacks_more_is_not_named(self) -> None:
        lines = _line(lambda ladder: ladder.rung(either(no("X1"), series(no("X2"), no("X3"))), coil("Y1")), [])
        self.assertIn("Y1 has no power in Main 1: X1 blocks", lines)

    def test_a_seal_in_is_not_named(self) -> None:
        lines = _line(lambda ladder: ladder.rung(either(no("X1"), no("Y1")), coil("Y1")), [])
        self.assertIn("Y1 has no power in Main 1: X1 blocks", lines)

    def test_a_negated_coil_says_first_what_comes_of_it(self) -> None:
        def draw(ladder: Ladder) -> None:
            ladder.rung(either(no("X1"), no("X2")), Part("coil", "Y1", coil=coil("Y1").coil.NEGATED))

        lines = _line(draw, [], Symptom.WILL_NOT_DROP_OUT)
        self.assertIn("Y1 has no power in Main 1: X1 blocks, so its negated coil is on; X2 would give power as well", lines)


class TestEachWould(TestCase):
    """Random circuits, evaluated by themselves."""

    def test_random(self) -> None:
        random, named = Random(20261201), 0
        for _ in range(120):
            top: Node = ("series", [_part(random, 2) for _ in range(random.randint(1, 2))])
            state = {name: random.random() < 0.3 for name in _NAMES}
            if _on(top, state):
                continue

            def draw(ladder: Ladder, top: Node = top) -> None:
                ladder.rung(*map(_drawn, top[1]), coil("Y1"))  # type: ignore[arg-type]

            lines = _line(draw, [(0, name, int(on)) for name, on in state.items()], Symptom.WILL_NOT_PULL_IN)
            found = next((m for line in lines if (m := _LACKS.search(line))), None)
            if found is None:
                continue
            missing = found["missing"].split(" and ")
            if " more" in found["missing"]:
                continue
            self.assertTrue(_on(top, state | _wanted(missing)), lines)
            for other in _OTHER.finditer(found["others"]):
                spared = other["one"] or missing[0]
                for name in re.sub(r" or one of \d+ more", "", other["named"]).split(" or "):
                    named += 1
                    self.assertTrue(_on(top, state | _wanted([*(m for m in missing if m != spared), name])), (name, lines))
        self.assertGreater(named, 30)


def _part(random: Random, depth: int) -> Node:
    if depth == 0 or random.random() < 0.2:
        return random.choice(_NAMES), random.random() < 0.3
    return random.choice(("series", "parallel", "parallel")), [_part(random, depth - 1) for _ in range(random.randint(2, 3))]


def _drawn(node: Node) -> Part:
    kind, rest = node
    if isinstance(rest, list):
        return (series if kind == "series" else either)(*map(_drawn, rest))
    return nc(kind) if rest else no(kind)


def _on(node: Node, state: dict[str, bool]) -> bool:
    kind, rest = node
    if isinstance(rest, list):
        return (all if kind == "series" else any)(_on(part, state) for part in rest)
    return state[kind] != rest


def _wanted(gates: list[str]) -> dict[str, bool]:
    return {gate.split(" ")[0]: "normally closed" not in gate for gate in gates}
