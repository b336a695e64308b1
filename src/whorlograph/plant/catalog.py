"""The cases that ship: where their files are, what is complained of."""

from __future__ import annotations

import json
from pathlib import Path

from msgspec import Struct

CASES = Path(__file__).parent / "cases"


class Case(Struct, frozen=True):
    """A shipped case: its files, the tag complained of, the complaint in a sentence; the symptom and time (s) to ask for, "" and None where the
    tag's state decides; what must be found (kind and tag, "" none), and two paragraphs that teach."""

    name: str
    title: str
    complaint: str
    tag: str
    program: Path
    log: Path
    iolist: Path
    profile: Path
    symptom: str = ""
    at: float | None = None
    root: tuple[str, str] = ("", "")
    links: tuple[str, ...] = ()
    teach: tuple[str, ...] = ()


def cases() -> dict[str, Case]:
    """The shipped cases by name, the bridge first."""
    bridge = CASES / "bridge"
    found = [Case("bridge", "Skerrow Bridge", "During the sixth opening of the day the raise pump dropped out at a quarter of the travel "
                  "and would not restart.", "Raise_Pump", bridge / "skerrow_bridge.xml", bridge / "shift.csv", bridge / "io_list.csv",
                  bridge / "profile.toml", root=("field-input", "East_Down_LS"))]
    for folder in sorted(p.parent for p in CASES.glob("*/case.json")):
        told = json.loads((folder / "case.json").read_text("utf-8"))
        program = next(p for p in (folder / f"{folder.name}.xml", folder / f"{folder.name}.st") if p.is_file())
        found.append(Case(folder.name, told["title"], told["complaint"], told["tag"], program, folder / "log.csv",
                          folder / "io_list.csv", folder / "profile.toml", told["symptom"], told["at"] if told["at"] >= 0 else None,
                          tuple(told["root"]), tuple(told["links"]), tuple(told["teach"])))
    return {c.name: c for c in found}
