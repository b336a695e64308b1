"""The bridge as a machine: positions, pressure, delays, bounce, traffic, wind, a keeper, and a worn switch."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from heapq import heappop, heappush
from random import Random

from msgspec import Struct

from whorlograph.engine.coupling import Change

from .points import POINTS

MS = 1_000_000
SECOND = 1_000 * MS
MINUTE = 60 * SECOND
SHIFT = 8 * 60 * MINUTE

# Minutes after the shift's start at which an opening is asked for; the sixth is the one that fails.
OPENINGS = (54, 160, 257, 349, 405, 452)
SLOW_BOLT_OPENING = 3
MAINTENANCE = (205, 214)
GUST = (312, 313)


class Axis(Struct):
    """Something that moves between 0 and 1: full travel takes ``up`` or ``down`` ns."""

    up: int
    down: int
    position: float = 0.0
    speed: int = 0
    since: int = 0
    version: int = 0

    def at(self, now: int) -> float:
        """Where it is at a time."""
        travel = self.up if self.speed > 0 else self.down
        return min(1.0, max(0.0, self.position + self.speed * (now - self.since) / travel)) if self.speed else self.position

    def drive(self, now: int, speed: int) -> bool:
        """Move up (1), down (-1) or stop (0) from a time on; whether that is news."""
        if speed == self.speed:
            return False
        self.position, self.since, self.speed = self.at(now), now, speed
        self.version += 1
        return True

    def reaches(self, place: float) -> int | None:
        """When it passes a place; None if it does not on this course."""
        distance = (place - self.position) * self.speed
        if not self.speed or distance <= 0:
            return None
        travel = self.up if self.speed > 0 else self.down
        return self.since + int(distance * travel)


class Bridge:
    """Skerrow Bridge coupled to its controller; the same seed gives the same shift.

    Args: alone: nobody is there: no boat, no keeper, no traffic, no gust; what is wired and what moves still answers.
    """

    def __init__(self, seed: int = 20310611, alone: bool = False) -> None:
        self.alone = alone
        self.random = Random(seed)
        self.queue: list[tuple[int, int, Callable[[int], None]]] = []
        self.count = 0
        self.state: dict[str, int] = {}
        self.given: list[Change] = []
        self.out: dict[str, int] = {}
        self.barriers = {"East": Axis(7 * SECOND, 8 * SECOND, 1.0), "West": Axis(7 * SECOND, 8 * SECOND, 1.0)}
        self.bolts = Axis(2600 * MS, 2900 * MS, 0.0)
        self.leaf = Axis(75 * SECOND, 68 * SECOND, 0.0)
        self.opening = -1
        self.flicks = 0
        self.keeper_waits = ""

    # the coupling protocol

    def begin(self) -> Iterable[Change]:
        """The shift begins: the bridge is closed to boats, the road is open."""
        on = ("Desk_Key", "Stop_PB_N", "EStop_Desk_N", "EStop_East_N", "EStop_West_N", "EStop_Pit_N", "East_Up_LS", "West_Up_LS",
              "East_Trip_N", "West_Trip_N", "Bolt_In_LS", "Leaf_Seated_LS", "Leaf_Over_N", "Pump_Trip_N", "Oil_Level_N", "Oil_Hot_N",
              "Mains_OK", "Batt_OK")
        for point in POINTS:
            if point.address.startswith("%IX"):
                self.state[point.tag] = int(point.tag in on)
                self.given.append((0, point.tag, self.state[point.tag]))
        self.put(0, "Wind_Speed", 64)
        if self.alone:
            return self._taken()
        for i, minute in enumerate(OPENINGS):
            self.later(minute * MINUTE + self.random.randrange(20_000) * MS, lambda now, i=i: self.ask_opening(now, i))  # type: ignore[misc]
        self.later(20 * MINUTE, lambda now: self.press(now, "Lamp_Test_PB", 2500))
        self.later(MAINTENANCE[0] * MINUTE, self.maintenance)
        self.later(GUST[0] * MINUTE, self.gust)
        self.later(402 * MINUTE, lambda now: self.put(now, "Filter_Dirty", 1))
        for side in ("East", "West"):
            self.later(self.random.randrange(3_000, 30_000) * MS, lambda now, side=side: self.vehicle(now, side))  # type: ignore[misc]
        self.later(30 * SECOND, self.wind)
        return self._taken()

    def next_time(self) -> int | None:
        """When the next thing happens by itself."""
        return self.queue[0][0] if self.queue else None

    def advance(self, now: int) -> Iterable[Change]:
        """All that happens at a time."""
        while self.queue and self.queue[0][0] <= now:
            _, _, action = heappop(self.queue)
            action(now)
        return self._taken()

    def outputs(self, now: int, values: Mapping[str, int]) -> None:
        """The controller's outputs act on barriers, bolts, pump and valves, and on the keeper, who sees the lamps."""
        before, self.out = self.out, dict(values)
        for side, axis in self.barriers.items():
            if axis.drive(now, values[f"{side}_Raise_K"] - values[f"{side}_Lower_K"]):
                self.watch(axis, f"{side}_Up_LS", 0.985, above=True)
                self.watch(axis, f"{side}_Down_LS", 0.015, above=False)
        if self.bolts.drive(now, values["Bolt_Draw"] - values["Bolt_Drive"]):
            slow = self.opening == SLOW_BOLT_OPENING and values["Bolt_Draw"]
            self.bolts.up = 7400 * MS if slow else 2600 * MS
            self.watch(self.bolts, "Bolt_Out_LS", 0.98, above=True)
            self.watch(self.bolts, "Bolt_In_LS", 0.02, above=False)
        if values["Raise_Pump"] != before.get("Raise_Pump", 0):
            self.pump(now, values["Raise_Pump"])
        moving = 1 if values["Raise_Valve"] and values["Raise_Pump"] else -1 if values["Lower_Valve"] else 0
        if self.leaf.drive(now, moving):
            self.watch(self.leaf, "Leaf_Seated_LS", 0.004, above=False)
            self.watch(self.leaf, "Leaf_Quarter_LS", 0.25, above=True)
            self.watch(self.leaf, "Leaf_Top_LS", 0.995, above=True)
            if moving:
                self.shake(now, moving)
        self.look(now, before)

    # doing things

    def later(self, time: int, action: Callable[[int], None]) -> None:
        """Do something at a time."""
        self.count += 1
        heappush(self.queue, (time - time % MS, self.count, action))

    def put(self, now: int, tag: str, value: int) -> None:
        """An input changes."""
        if self.state.get(tag) != value:
            self.state[tag] = value
            self.given.append((now, tag, value))

    def _taken(self) -> list[Change]:
        given, self.given = self.given, []
        return given

    def press(self, now: int, tag: str, milliseconds: int) -> None:
        """A button is pressed and springs back."""
        self.put(now, tag, 1)
        self.later(now + milliseconds * MS, lambda then: self.put(then, tag, 0))

    def bounce(self, now: int, tag: str, value: int) -> None:
        """A contact changes and bounces once or twice within a few milliseconds."""
        self.put(now, tag, value)
        at = now
        for _ in range(self.random.choice((0, 1, 1, 2))):
            at += self.random.randint(1, 2) * MS
            self.later(at, lambda then: self.put(then, tag, 1 - value))
            at += self.random.randint(1, 2) * MS
            self.later(at, lambda then: self.put(then, tag, value))

    def watch(self, axis: Axis, switch: str, place: float, above: bool) -> None:
        """A position switch changes when the axis passes its place."""
        time = axis.reaches(place)
        if time is None:
            return
        value = int((axis.speed > 0) == above)
        version = axis.version

        def passed(now: int) -> None:
            if axis.version == version and self.state[switch] != value:
                self.bounce(now, switch, value)

        self.later(time + MS, passed)

    def pump(self, now: int, on: int) -> None:
        """Feedback and pressure follow the pump contactor, late."""
        delay = self.random.randint(70, 110) * MS if on else self.random.randint(25, 45) * MS
        self.later(now + delay, lambda then: self.bounce(then, "Pump_Fb", on))
        rise = self.random.randint(550, 700) * MS if on else self.random.randint(1300, 1700) * MS

        def pressure(then: int) -> None:
            if self.out.get("Raise_Pump", 0) == on:
                self.put(then, "Press_OK", on)

        self.later(now + rise, pressure)

    def shake(self, now: int, direction: int) -> None:
        """The moving leaf shakes the pier: the worn east barrier switch opens for a moment, longer as the day goes on."""
        if self.opening < 1:
            return
        if self.opening == 5 and direction > 0:
            self.flick(self.leaf.reaches(0.266) or now, 46)
            return
        for _ in range(2 if self.opening < 4 else 1):
            place = 0.15 + 0.6 * self.random.random()
            time = self.leaf.reaches(place if direction > 0 else 1 - place)
            if time is not None:
                self.flicks += 1
                self.flick(time, min(22, 5 + self.flicks + self.random.randint(0, 3)))

    def flick(self, time: int, milliseconds: int) -> None:
        """The east barrier switch opens and closes again."""
        version = self.leaf.version

        def opens(now: int) -> None:
            if self.leaf.version == version and self.state["East_Down_LS"]:
                self.put(now, "East_Down_LS", 0)
                self.later(now + milliseconds * MS, lambda then: self.put(then, "East_Down_LS", 1))

        self.later(time, opens)

    # the keeper

    def ask_opening(self, now: int, number: int) -> None:
        """A boat comes; the keeper asks for an opening."""
        self.opening = number
        self.put(now, "Boat_Near", 1)
        self.later(now + 4 * SECOND, lambda then: self.press(then, "Open_PB", 700))
        self.keeper_waits = "ready"

    def look(self, now: int, before: Mapping[str, int]) -> None:
        """The keeper sees the lamps and acts, after a moment."""
        if self.alone:
            return
        reaction = self.random.randint(1800, 4200) * MS
        if self.keeper_waits == "ready" and self.out["Lamp_Ready"] and not before.get("Lamp_Ready", 0):
            self.keeper_waits = "top"
            self.later(now + reaction, lambda then: self.press(then, "Raise_PB", 900))
        elif self.keeper_waits == "top" and self.out["Chan_Green"] and not before.get("Chan_Green", 0):
            self.keeper_waits = "passed"
            passing = self.random.randint(150, 260) * SECOND
            self.later(now + passing, lambda then: self.put(then, "Boat_Near", 0))
            self.later(now + passing + 12 * SECOND, lambda then: self.press(then, "Lower_PB", 800))
        elif self.keeper_waits == "top" and before.get("Raise_Pump", 0) and not self.out["Raise_Pump"] and not self.out["Chan_Green"] \
                and self.leaf.at(now) < 0.9:
            self.keeper_waits = "puzzled"
            for wait in (28_400, 71_900, 243_000):
                self.later(now + wait * MS, lambda then: self.press(then, "Raise_PB", 1100))

    def maintenance(self, now: int) -> None:
        """Bolts greased: key to maintenance, bolts drawn and driven by hand from the pit."""
        self.put(now, "Desk_Key", 0)
        self.put(now, "Maint_Key", 1)
        self.later(now + 60 * SECOND, lambda then: self.press(then, "Bolt_Hand_PB", 9_000))
        self.later(now + 180 * SECOND, lambda then: self.press(then, "Bolt_Hand_PB", 12_000))
        end = now + (MAINTENANCE[1] - MAINTENANCE[0]) * MINUTE

        def over(then: int) -> None:
            self.put(then, "Maint_Key", 0)
            self.put(then, "Desk_Key", 1)

        self.later(end, over)

    def gust(self, now: int) -> None:
        """A gust trips the wind alarm between two openings; the keeper acknowledges it, in a while."""
        self.put(now, "Wind_High", 1)
        self.later(now + (GUST[1] - GUST[0]) * MINUTE - 14 * SECOND, lambda then: self.put(then, "Wind_High", 0))
        self.later(now + 11 * MINUTE, lambda then: self.press(then, "Ack_PB", 600))

    # the surroundings

    def vehicle(self, now: int, side: str) -> None:
        """A vehicle passes a loop, if the road is open."""
        tag = f"Loop_{side}"
        if not self.out.get("Road_Red", 0):
            self.put(now, tag, 1)
            self.later(now + self.random.randint(700, 2600) * MS, lambda then: self.put(then, tag, 0))
        self.later(now + self.random.randint(9_000, 70_000) * MS, lambda then: self.vehicle(then, side))

    def wind(self, now: int) -> None:
        """Wind speed wanders; a gust shows in it."""
        gust = 90 if GUST[0] * MINUTE <= now < GUST[1] * MINUTE else 0
        base = 70 + self.random.randint(-25, 35)
        self.put(now, "Wind_Speed", base + gust)
        self.later(now + 30 * SECOND, self.wind)
