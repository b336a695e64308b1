"""Machines of the shipped cases that answer a controller operated by hand: what people did in the case is left to whoever sits at the bench."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.engine.coupling import Coupled

from .bridge.machine import Bridge
from .moving import Belt, Contactor, MovingMachine, Travel
from .small import defects, drives, field, sequences
from .small.kit import SmallCase

# By case: what stands ready at the start, and what moves. Contacts wired normally closed are made anyhow.
_PARTS: dict[str, tuple[tuple[str, ...], tuple[Contactor | Travel | Belt, ...]]] = {
    "kiln": (("Door_LS",), (Contactor("Fan", "Fan_Aux", 15, 12),)),
    "ropewalk": (("Guard_LS",), (Contactor("Strander", "Strander_Aux", 18, 14),)),
    "ferry": (("Oil_OK",), (
        Travel((("East_Down", 1 / 7), ("East_Up", -1 / 8)), (("East_Low_LS", 0.97, True), ("East_High_LS", 0.03, False))),
        Travel((("West_Down", 1 / 7.5), ("West_Up", -1 / 8.5)), (("West_Low_LS", 0.97, True), ("West_High_LS", 0.03, False))))),
    "ciderpress": ((), (Travel((("Pump_1", -0.05), ("Pump_2", -0.05)), (("Level_High", 0.8, True), ("Level_Low", 0.2, True)), 0.5, 0.02),)),
    "watertower": (("Auto_Sw",), (Travel((("Feed", 0.03),), (("Full_LS", 0.95, True), ("Low_LS", 0.3, False)), 0.5, -0.01),)),
    "quarry": ((), (Travel((("Barrier", 1 / 3),), (("Gate_Top_LS", 0.98, True),), 0.0, -1 / 6),)),
    "hayhoist": (("Door_LS",), (Travel((("Hoist", 1 / 9),), (("Top_LS", 0.97, True),), 0.0, -1 / 40),)),
    "bakery": ((), (Belt("Belt", "Piece_LS", 2400, 300), Travel((("Pusher", 3.0),), (("Push_End_LS", 0.95, True),), 0.0, -1.5))),
    "eggs": ((), (Belt("Belt", "Egg_LS", 900, 120),)),
    "sawmill": (("Saw_Aux",), (Belt("Chain", "Log_LS", 6000, 900),)),
}


def machines() -> dict[str, Callable[[], Coupled]]:
    """By case: what makes its machine, the same each time. Other cases have none: nothing there answers an output."""
    small = {c.name: c for module in (drives, sequences, defects, field) for c in vars(module).values() if isinstance(c, SmallCase)}
    found: dict[str, Callable[[], Coupled]] = {"bridge": lambda: Bridge(alone=True)}
    for name, (ready, parts) in _PARTS.items():
        points = [p for p, address in small[name].points if address.startswith("%I")]
        first = (*ready, *(p.tag for p in points if p.wiring == "NC"))
        found[name] = lambda tags=tuple(p.tag for p in points), first=first, parts=parts: MovingMachine(tags, first, parts)  # type: ignore[misc]
    return found
