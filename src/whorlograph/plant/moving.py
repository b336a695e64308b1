"""A machine told in a few lines: contactors that report back late, things that move between two ends or fill and run empty, belts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from heapq import heapify, heappop, heappush

from msgspec import Struct

from whorlograph.engine.coupling import Change

MS = 1_000_000
SECOND = 1_000 * MS


class Contactor(Struct, frozen=True):
    """An auxiliary contact that follows its coil, so many ms later; ``unless``: outputs whose contactor, pulled in first, keeps this one out by
    a mechanical lock."""

    output: str
    tag: str
    on: int = 15
    off: int = 12
    unless: tuple[str, ...] = ()


class Travel(Struct, frozen=True):
    """Something between 0 and 1: each output that is on moves it by so much a second, ``drift`` moves it always.

    ``switches``: (tag, place, above): on beyond the place, or on before it.
    """

    rates: tuple[tuple[str, float], ...]
    switches: tuple[tuple[str, float, bool], ...]
    start: float = 0.0
    drift: float = 0.0


class Belt(Struct, frozen=True):
    """While an output is on, something passes a switch every so many ms, and stays so long before it."""

    output: str
    tag: str
    every: int
    lasting: int


class MovingMachine:
    """Answers a controller's outputs. Args: first: inputs that are on at the start."""

    def __init__(self, inputs: Iterable[str], first: Iterable[str], parts: Iterable[Contactor | Travel | Belt]) -> None:
        self.state = dict.fromkeys(inputs, 0) | dict.fromkeys(first, 1)
        parts = tuple(parts)
        self.contactors = [p for p in parts if isinstance(p, Contactor)]
        self.belts = [p for p in parts if isinstance(p, Belt)]
        self.travels = [p for p in parts if isinstance(p, Travel)]
        self.places = [t.start for t in self.travels]
        self.out: dict[str, int] = {}
        self.since = 0
        self._last_speeds = [0.0] * len(self.travels)
        self.due: list[tuple[int, int, str, int]] = []
        self.pulled: set[str] = set()
        self.count = 0

    def begin(self) -> Iterable[Change]:
        """Everything stands where it starts."""
        for travel in self.travels:
            for tag, place, above in travel.switches:
                self.state[tag] = int((travel.start >= place) == above)
        self._plan(0)
        return [(0, tag, value) for tag, value in self.state.items()]

    def next_time(self) -> int | None:
        """When a contact turns next."""
        return self.due[0][0] if self.due else None

    def advance(self, now: int) -> Iterable[Change]:
        """The contacts that turn by a time."""
        found: list[Change] = []
        while self.due and self.due[0][0] <= now:
            time, _, tag, value = heappop(self.due)
            if self.state[tag] != value:
                self.state[tag] = value
                found.append((time, tag, value))
            for belt in self.belts:
                if belt.tag == tag and not value and self.out.get(belt.output):
                    self._put(time + (belt.every - belt.lasting) * MS, tag, 1)
                    self._put(time + belt.every * MS, tag, 0)
        return found

    def outputs(self, now: int, values: Mapping[str, int]) -> None:
        """The outputs from a time on."""
        before, self.out = self.out, dict(values)
        self._move(now)
        for one in self.contactors:
            if bool(values.get(one.output)) == bool(before.get(one.output)):
                continue
            if not values.get(one.output):
                if one.output in self.pulled:
                    self.pulled.discard(one.output)
                    self._put(now + one.off * MS, one.tag, 0)
            elif not any(other in self.pulled for other in one.unless):
                self.pulled.add(one.output)
                self._put(now + one.on * MS, one.tag, 1)
        for belt in self.belts:
            if bool(values.get(belt.output)) != bool(before.get(belt.output)):
                self.due = [d for d in self.due if d[2] != belt.tag]
                heapify(self.due)
                if values.get(belt.output):
                    self._put(now + (belt.every - belt.lasting) * MS, belt.tag, 1)
                    self._put(now + belt.every * MS, belt.tag, 0)
        self._plan(now)

    def _speed(self, travel: Travel) -> float:
        return travel.drift + sum(rate for output, rate in travel.rates if self.out.get(output))

    def _move(self, now: int) -> None:
        """Bring all places up to a time, by the outputs since the last one."""
        moved = [p + v * (now - self.since) / SECOND for p, v in zip(self.places, self._last_speeds, strict=True)]
        self.places = [min(1.0, max(0.0, p)) for p in moved]
        self.since = now

    def _plan(self, now: int) -> None:
        """When each switch is passed, as everything moves now."""
        planned = {tag for t in self.travels for tag, _, _ in t.switches}
        self.due = [d for d in self.due if d[2] not in planned]
        heapify(self.due)
        self._last_speeds = [self._speed(t) for t in self.travels]
        for travel, place, speed in zip(self.travels, self.places, self._last_speeds, strict=True):
            for tag, at, above in travel.switches:
                if speed and (at - place) / speed > 0 and 0.0 <= at <= 1.0:
                    self._put(now + max(1, round((at - place) / speed * 1000)) * MS, tag, int((speed > 0) == above))

    def _put(self, time: int, tag: str, value: int) -> None:
        self.count += 1
        heappush(self.due, (time, self.count, tag, value))
