"""A made-up machine that does the same again and again, with known deviations."""

from __future__ import annotations

from random import Random

from msgspec import Struct

from tests.building import program_of, session_of
from whorlograph.desk.session import Session
from whorlograph.model.parts import Ladder, coil, either, nc, no

TAGS = tuple(f"X{n}" for n in range(9))
KINDS = ("late", "missing", "swapped", "additional", "aborted")


class Made(Struct):
    """A log of cycles: the session, in which cycle (from 1) what was put in, and the tag that does it first."""

    session: Session
    cycle: int = 0
    tag: str = ""
    kind: str = ""


def schedule(random: Random) -> list[tuple[float, str, int]]:
    """When in a cycle (ms after its start) each tag comes and goes: each after the one before, some overlapping."""
    found, at = [], 400.0
    for tag in TAGS[1:]:
        at += random.uniform(600, 2500)
        lasts = random.uniform(500, 4000)
        found += [(at, tag, 1), (at + lasts, tag, 0)]
    return sorted(found)


def machine(seed: int, kind: str = "", cycles: int = 24, noise: float = 0.004, drift: float = 0.0, late: float = 0.05) -> Made:
    """A log. Args: kind: what one cycle does otherwise; noise: standard deviation of each interval, as a share of it; drift: by which share
    one interval grows from the first to the last cycle; late: by which share of a cycle something comes late."""
    random = Random(seed)
    plan = schedule(random)
    length = plan[-1][0]
    odd = random.randrange(2, cycles - 2) if kind else -1
    drifting = max(range(1, len(plan)), key=lambda i: (plan[i][0] - plan[i - 1][0] > 300, random.random()))
    made = Made(None, odd + 1, "", kind)  # type: ignore[arg-type]
    rows: list[tuple[int, str, int]] = [(0, t, 0) for t in TAGS]
    start = 3000.0
    place = random.randrange(2, len(plan) - 4)
    for n in range(cycles):
        rows += [(round(start), "X0", 1), (round(start + 250), "X0", 0)]
        at, before = 0.0, 0.0
        mine: list[tuple[float, str, int]] = []
        for i, (planned, tag, value) in enumerate(plan):
            gap = planned - before
            grown = 1 + drift * n / max(1, cycles - 1) if drift and i == drifting else 1.0
            at += gap * max(0.2, random.gauss(1, noise)) * grown
            if n == odd and kind == "late" and i == place:
                at += late * length
                made.tag = tag
            mine.append((at, tag, value))
            before = planned
        if n == odd and kind == "missing":
            made.tag = mine[place][1]
            mine = [m for m in mine if m[1] != made.tag]
        if n == odd and kind == "swapped":
            one = next(i for i in range(place, len(mine)) if mine[i][2] == 1) if any(m[2] for m in mine[place:]) else place
            other = next((i for i in range(one + 1, len(mine)) if mine[i][1] != mine[one][1]), one)
            (a, first, v), (b, second, w) = mine[one], mine[other]
            mine[one], mine[other] = (a, second, w), (b, first, v)
            made.tag = second
            mine.sort()
        if n == odd and kind == "additional":
            made.tag = random.choice(TAGS[1:])
            ons = [m for m in mine if m[1] == made.tag and m[2]]
            begin = ons[0][0] + 150
            mine += [(begin, made.tag, 0), (begin + 60, made.tag, 1)]
            mine.sort()
        stop = length * 0.4 if n == odd and kind == "aborted" else float("inf")
        done = [m for m in mine if m[0] < stop]
        on = {tag for _, tag, value in done if value} - {tag for _, tag, value in done if not value}
        rows += [(round(start + t), tag, value) for t, tag, value in done]
        end = start + min(stop, mine[-1][0])
        if stop < float("inf"):
            rows += [(round(end + 20), tag, 0) for tag in sorted(on)]
        start = end + random.uniform(300, 6000)
    rows.append((round(start + 1000), "X8", 0))

    def draw(ladder: Ladder) -> None:
        ladder.rung(either(no("X1"), no("X2"), no("X3")), nc("X8"), coil("Y1"))
        ladder.rung(either(no("X4"), no("X5"), no("X6"), no("X7")), no("X0"), coil("Y2"))

    made.session = session_of(program_of(draw, " ".join((*TAGS, "Y1", "Y2"))), sorted(rows, key=lambda r: r[0]))
    return made
