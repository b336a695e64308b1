"""The cases that ship: where their files are, what is complained of."""

from __future__ import annotations

from pathlib import Path

from msgspec import Struct

CASES = Path(__file__).parent / "cases"


class Case(Struct, frozen=True):
    """A shipped case: its files, the tag complained of, and the complaint in a sentence."""

    name: str
    title: str
    complaint: str
    tag: str
    program: Path
    log: Path
    iolist: Path
    profile: Path


def cases() -> dict[str, Case]:
    """The shipped cases by name."""
    bridge = CASES / "bridge"
    found = [Case("bridge", "Skerrow Bridge", "During the sixth opening of the day the raise pump dropped out at a quarter of the travel "
                  "and would not restart.", "Raise_Pump", bridge / "skerrow_bridge.xml", bridge / "shift.csv", bridge / "io_list.csv",
                  bridge / "profile.toml")]
    return {c.name: c for c in found}
