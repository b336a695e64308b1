"""The I/O list: what each address is wired to."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

from .address import Address, parse_address


class Wiring(StrEnum):
    """How a device's contact is wired."""

    NORMALLY_OPEN = "NO"
    NORMALLY_CLOSED = "NC"
    UNKNOWN = ""


class Point(Struct, frozen=True):
    """One point: its tag and address, the device, where it is, on which terminal, how it is wired."""

    tag: str
    address: str = ""
    device: str = ""
    location: str = ""
    terminal: str = ""
    wiring: Wiring = Wiring.UNKNOWN
    description: str = ""
    drawing: str = ""

    @property
    def whereabouts(self) -> str:
        """Where to go: device, location, terminal, as far as the list says."""
        terminal = f"terminal {self.terminal}" if self.terminal else ""
        return ", ".join(p for p in (self.device, self.location, terminal) if p)


    def elsewhere(self, address: Address | None) -> Address | None:
        """The address that the list gives, where it is another one than the program's; None where either says nothing, or it is the same."""
        mine = parse_address(self.address if self.address.startswith("%") else f"%{self.address}")
        return mine if mine is not None and address is not None and mine.span("byte") != address.span("byte") else None


class IoList(Struct, frozen=True):
    """Points by tag number of the program they were bound to."""

    points: dict[int, Point]
    file: str = ""
    unbound: tuple[Point, ...] = ()

    def get(self, tag: int) -> Point | None:
        """The point of a tag, if the list has one."""
        return self.points.get(tag)
