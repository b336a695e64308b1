"""What a standard block would give if it were executed now with what its pins take in: for steps that do not run (CONTROLLER.md, Blocks)."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from whorlograph.model.blocks import family

from .operations import NoValue


def supposed(block: str, taken: Mapping[str, int], before: Mapping[str, int], elapsed: Callable[[], int]) -> dict[str, int]:
    """The outputs of a block by name, raw, but for ET. What it remembers is told by its pins as they were left.

    Raises: NoValue of an F_TRIG of which nobody knows whether it ran before.
    Args: taken: what its pins would take in; before: its pins and outputs as they were left; elapsed: a timer's ET by now (ns), with the input as
        it was left.
    """
    kind = family(block)
    on, was, preset = bool(taken.get("IN")), bool(before.get("IN")), max(0, taken.get("PT", 0))
    if kind == "TON":
        return {"Q": int(on and (preset == 0 or (was and elapsed() >= preset)))}
    if kind == "TOF":
        return {"Q": int(on or (preset > 0 and (was or (bool(before["Q"]) and elapsed() < preset))))}
    if kind == "TP":
        runs = bool(before["Q"]) and elapsed() < preset
        return {"Q": int(runs or (on and not was and preset > 0))}
    if kind == "SR":
        return {"Q1": int(bool(taken["S1"]) or (not taken["R"] and bool(before["Q1"])))}
    if kind == "RS":
        return {"Q1": int(not taken["R1"] and (bool(taken["S"]) or bool(before["Q1"])))}
    if kind == "R_TRIG":
        return {"Q": int(bool(taken["CLK"]) and not before["CLK"])}
    if kind == "F_TRIG":
        if not taken["CLK"] and not before["CLK"]:
            raise NoValue  # the first time it would give a pulse
        return {"Q": int(not taken["CLK"])}
    if kind == "CTU":
        count = 0 if taken["R"] else before["CV"] + int(bool(taken["CU"]) and not before["CU"])
        return {"Q": int(count >= taken["PV"]), "CV": count}
    if kind == "CTD":
        count = taken["PV"] if taken["LD"] else before["CV"] - int(bool(taken["CD"]) and not before["CD"])
        return {"Q": int(count <= 0), "CV": count}
    up, down = (int(bool(taken[pin]) and not before[pin]) for pin in ("CU", "CD"))
    count = 0 if taken["R"] else taken["PV"] if taken["LD"] else before["CV"] + up - down
    return {"QU": int(count >= taken["PV"]), "QD": int(count <= 0), "CV": count}
