"""The standard function blocks, evaluated plainly (IEC 61131-3:2013, 6.6.3.5; CONTROLLER.md, Blocks)."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

Values = dict[str, "bool | int"]


class Memory(Struct):
    """What a block remembers beside its pins: the inputs it saw last, and a timer's state."""

    first: bool = False
    second: bool = False
    start: int = 0
    running: bool = False
    elapsed: int = 0


def ton(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """On-delay timer."""
    preset = max(0, pins["PT"])
    if not pins["IN"]:
        pins["Q"], pins["ET"], memory.first = False, 0, False
        return
    if not memory.first:
        memory.first, memory.start = True, now
    pins["ET"] = min(now - memory.start, preset)
    pins["Q"] = now - memory.start >= preset


def tof(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Off-delay timer; a preset that changes after the drop alters nothing."""
    preset = max(0, pins["PT"])
    if pins["IN"]:
        pins["Q"], pins["ET"] = True, 0
        memory.first, memory.running = True, False
        return
    if memory.first:
        memory.first, memory.running, memory.start = False, True, now
    if memory.running:
        pins["ET"] = min(now - memory.start, preset)
        if now - memory.start >= preset:
            memory.running = False
            pins["Q"] = False


def tp(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Pulse; a rise in the evaluation that ends a pulse starts the next."""
    preset = max(0, pins["PT"])
    if memory.running:
        pins["ET"] = min(now - memory.start, preset)
        if now - memory.start >= preset:
            memory.running = False
            pins["Q"] = False
    if pins["IN"] and not memory.first and not memory.running and preset > 0:
        memory.running, memory.start = True, now
        pins["Q"], pins["ET"] = True, 0
    if not memory.running and not pins["IN"]:
        pins["ET"] = 0
    memory.first = bool(pins["IN"])


def ctu(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Up counter: reset wins, and a rise of CU meanwhile is used up."""
    rise = pins["CU"] and not memory.first
    memory.first = bool(pins["CU"])
    if pins["R"]:
        pins["CV"] = 0
    elif rise and pins["CV"] < high:
        pins["CV"] += 1
    pins["Q"] = pins["CV"] >= pins["PV"]


def ctd(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Down counter."""
    rise = pins["CD"] and not memory.first
    memory.first = bool(pins["CD"])
    if pins["LD"]:
        pins["CV"] = pins["PV"]
    elif rise and pins["CV"] > low:
        pins["CV"] -= 1
    pins["Q"] = pins["CV"] <= 0


def ctud(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Up-down counter: reset before load before counting; both rises at once count nothing."""
    up, down = pins["CU"] and not memory.first, pins["CD"] and not memory.second
    memory.first, memory.second = bool(pins["CU"]), bool(pins["CD"])
    if pins["R"]:
        pins["CV"] = 0
    elif pins["LD"]:
        pins["CV"] = pins["PV"]
    elif up and not down and pins["CV"] < high:
        pins["CV"] += 1
    elif down and not up and pins["CV"] > low:
        pins["CV"] -= 1
    pins["QU"], pins["QD"] = pins["CV"] >= pins["PV"], pins["CV"] <= 0


def r_trig(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Rising edge."""
    pins["Q"] = bool(pins["CLK"] and not memory.first)
    memory.first = bool(pins["CLK"])


def f_trig(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Falling edge; Q at the first execution with CLK FALSE (standard's ``Q := NOT CLK AND NOT M; M := NOT CLK``)."""
    pins["Q"] = bool(not pins["CLK"] and not memory.first)
    memory.first = not pins["CLK"]


def sr(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Bistable, set dominant."""
    pins["Q1"] = bool(pins["S1"] or (pins["Q1"] and not pins["R"]))


def rs(pins: Values, memory: Memory, now: int, low: int, high: int) -> None:
    """Bistable, reset dominant."""
    pins["Q1"] = bool(not pins["R1"] and (pins["S"] or pins["Q1"]))


BLOCKS: dict[str, Callable[[Values, Memory, int, int, int], None]] = {
    "TON": ton, "TOF": tof, "TP": tp, "CTU": ctu, "CTD": ctd, "CTUD": ctud, "R_TRIG": r_trig, "F_TRIG": f_trig,
    "SR": sr, "RS": rs,
}
