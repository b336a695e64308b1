"""A fault as either engine notes it becomes a fault as it is told: its element, its words, the loops that were in it."""

from __future__ import annotations

from msgspec import Struct

from whorlograph.model.profile import Profile
from whorlograph.model.steps import Steps
from whorlograph.model.tags import Running
from whorlograph.model.types import ELEMENTARY

from .journal import Fault, Pass
from .loops import loop_text
from .schedule import MOST_STEPS

DECIMALS = frozenset(10 ** n - 1 for n in range(2, 17))  # the most that digits in binary coded decimal have room for
_TOO_LONG = ("watchdog", "too many steps")


class Faults(Struct, frozen=True):
    """Words for faults of one program."""

    running: Running
    steps: Steps
    profile: Profile

    def told(self, fault: Fault, loops: list[Pass]) -> Fault:
        """A fault with what led to it where the scan took too long.

        Args: loops: the jumps back that were taken in the scan, in any order.
        """
        if fault.code not in _TOO_LONG:
            return fault
        known = tuple(sorted(loops))
        return Fault(fault.scan, fault.number, fault.step, fault.element, fault.code, fault.tag,
                     fault.text + loop_text(known, fault.number, self.steps, self.profile), known)

    def text(self, code: str, tag: int | None, value: int = 0, limits: int = 0) -> str:
        """What a fault was, in words.

        Args: value: what did not fit; limits: the highest that would have; of an index, the lowest in the upper half and the
                highest in the lower one.
        """
        if code == "watchdog":
            return f"the scan took longer than the watchdog allows ({self.profile.watchdog // 1_000_000} ms)"
        if code == "too many steps":
            return f"more than {MOST_STEPS:,} steps in one scan"
        if code == "array index":
            high = limits & 0xFFFFFFFF
            return f"index {value} is outside {limits >> 32} to {high - (1 << 32) if high >> 31 else high}"
        if code != "overflow" or tag is None or tag >= len(self.running.tags):
            return code
        one = self.running.tags[tag]
        if not one.type.whole:
            return code
        if value in (-(1 << 63), (1 << 63) - 1):
            return f"the result does not fit {one.type.name} ({one.type.low} to {one.type.high})"
        if one.low is not None and one.type.low <= value <= one.type.high:
            return f"{value} does not fit {one.low} to {one.high}"
        if limits < value and limits in DECIMALS:
            return f"{value} is more than {limits}, the most that its digits have room for"
        # What is calculated may be of another type than the tag that receives it.
        other = (t for t in ELEMENTARY.values() if t.whole and t.high == limits and limits != one.type.high)
        type_ = next(other, one.type)
        return f"{value} does not fit {type_.name} ({type_.low} to {type_.high})"
