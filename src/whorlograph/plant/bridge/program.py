"""The bridge's controller program: six POUs, written rung by rung."""

from __future__ import annotations

from collections.abc import Callable

from whorlograph.model.parts import Ladder, call, coil, compare, counter, either, jump, nc, no, reset, rises, series, set_, timer
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Variable, VariableKind
from whorlograph.model.types import BOOL, INT, Named

from .points import POINTS

STEPS = (("Step_Idle", 0, "road open"), ("Step_Close", 10, "road signals red, bell"), ("Step_Barr", 20, "barriers go down"),
         ("Step_Bolts", 30, "nose bolts are drawn"), ("Step_Raise", 40, "leaf may be raised"), ("Step_Open", 60, "channel open"),
         ("Step_Lower", 70, "leaf goes down"), ("Step_Seat", 80, "nose bolts are driven"), ("Step_Barr_Up", 90, "barriers go up"))


def _guards(ladder: Ladder) -> None:
    ladder.rung(no("EStop_Desk_N"), no("EStop_East_N"), no("EStop_West_N"), no("EStop_Pit_N"), coil("Chain_OK"),
                comment="emergency-stop chain closed")
    ladder.rung(no("East_Trip_N"), no("West_Trip_N"), no("Pump_Trip_N"), coil("Trips_OK"), comment="no motor protection tripped")
    ladder.rung(no("Oil_Level_N"), no("Oil_Hot_N"), coil("Oil_OK"), comment="oil level and temperature")
    ladder.rung(no("Raise_Pump"), nc("Pump_Fb"), timer("TON", "Pump_Fb_T", "T#1500ms"), set_("Pump_Fault"),
                comment="pump contactor did not pull in")
    ladder.rung(no("Ack_PB"), nc("Raise_Pump"), reset("Pump_Fault"))
    ladder.rung(no("Raise_Pump"), nc("Press_OK"), timer("TON", "Press_T", "T#4s"), set_("Press_Fault"), comment="no pressure in time")
    ladder.rung(no("Ack_PB"), nc("Raise_Pump"), reset("Press_Fault"))
    ladder.rung(either(no("Wind_High"), compare("GE", "Wind_Speed", "190")), timer("TON", "Wind_T", "T#3s"), set_("Wind_Alarm"),
                comment="wind above limit for three seconds")
    ladder.rung(no("Ack_PB"), nc("Wind_High"), reset("Wind_Alarm"), comment="wind alarm until acknowledged")
    ladder.rung(no("Chain_OK"), no("Trips_OK"), no("Oil_OK"), nc("Pump_Fault"), nc("Press_Fault"), no("Stop_PB_N"), no("Mains_OK"),
                coil("Drive_OK"), comment="drives may run")
    ladder.rung(no("Maint_Key"), nc("Desk_Key"), coil("Maint_Mode"), comment="maintenance mode")
    ladder.rung(nc("Flash_B"), timer("TON", "Flash_Ta", "T#400ms"), coil("Flash"), comment="flasher")
    ladder.rung(no("Flash"), timer("TON", "Flash_Tb", "T#400ms"), coil("Flash_B"))


def _permits(ladder: Ladder) -> None:
    ladder.rung(no("East_Down_LS"), timer("TOF", "East_Down_T", "T#25ms"), coil("East_Down"), comment="east barrier down, chatter bridged")
    ladder.rung(no("West_Down_LS"), timer("TOF", "West_Down_T", "T#25ms"), coil("West_Down"), comment="west barrier down, chatter bridged")
    ladder.rung(no("East_Down"), no("West_Down"), no("Leaf_Seated_LS"), set_("Barriers_Down"),
                comment="both barriers proved down before the leaf moves")
    ladder.rung(either(nc("East_Down"), nc("West_Down")), reset("Barriers_Down"), comment="a barrier left its place")
    ladder.rung(no("Bolt_Out_LS"), nc("Bolt_In_LS"), coil("Bolts_Drawn"), comment="nose bolts drawn")
    ladder.rung(nc("Loop_East"), nc("Loop_West"), timer("TON", "Clear_T", "T#2s"), coil("Road_Clear"), comment="no vehicle on the bridge")
    ladder.rung(no("Barriers_Down"), no("Bolts_Drawn"), no("Drive_OK"), no("Leaf_Over_N"), nc("Wind_Alarm"), coil("Leaf_Free"),
                comment="leaf may move")
    ladder.rung(no("Leaf_Seated_LS"), timer("TON", "Seat_T", "T#500ms"), coil("Seat_OK"), comment="leaf seated and at rest")
    ladder.rung(nc("Leaf_Seated_LS"), nc("Leaf_Top_LS"), coil("Leaf_Between"), comment="leaf neither down nor up")


def _sequence(ladder: Ladder) -> None:
    ladder.rung(no("Maint_Mode"), jump("Seq_End"), comment="no automatic part in maintenance")
    for name, number, text in STEPS:
        ladder.rung(compare("EQ", "Seq_Step", str(number)), coil(name), comment=f"step {number}: {text}")

    def go(step: int, *parts: object, comment: str = "") -> None:
        ladder.rung(*parts, call("MOVE", ("IN", str(step)), out="Seq_Step"), comment=comment)  # type: ignore[arg-type]

    go(10, no("Step_Idle"), rises("Open_PB"), no("Desk_Key"), no("Drive_OK"), comment="the keeper asks for an opening")
    go(20, no("Step_Close"), no("Road_Clear"), timer("TON", "Warn_T", "T#5s"))
    go(30, no("Step_Barr"), no("Barriers_Down"))
    go(40, no("Step_Bolts"), no("Bolts_Drawn"))
    go(60, no("Step_Raise"), no("Leaf_Top_LS"))
    go(70, no("Step_Open"), no("Lower_PB"))
    go(80, no("Step_Lower"), no("Seat_OK"))
    go(90, no("Step_Seat"), no("Bolt_In_LS"))
    go(0, no("Step_Barr_Up"), no("East_Up_LS"), no("West_Up_LS"))
    ladder.label("Seq_End")
    ladder.rung(no("Maint_Mode"), no("Lamp_Test_PB"), coil("Hand_Test"), comment="lamp test from the pit")


def _barriers(ladder: Ladder) -> None:
    ladder.rung(no("Step_Barr"), nc("East_Down_LS"), nc("East_Raise_K"), no("Drive_OK"), coil("East_Lower_K"), comment="east barrier down")
    ladder.rung(no("Step_Barr"), timer("TON", "West_Wait_T", "T#1500ms"), nc("West_Down_LS"), nc("West_Raise_K"), no("Drive_OK"),
                coil("West_Lower_K"), comment="west barrier down, a moment later")
    ladder.rung(no("Step_Barr_Up"), nc("East_Up_LS"), nc("East_Lower_K"), no("Drive_OK"), coil("East_Raise_K"), comment="east barrier up")
    ladder.rung(no("Step_Barr_Up"), nc("West_Up_LS"), nc("West_Lower_K"), no("Drive_OK"), coil("West_Raise_K"), comment="west barrier up")
    ladder.rung(either(nc("Step_Idle"), no("Lamp_Test_PB")), coil("Road_Red"), comment="road signals")
    ladder.rung(no("Step_Idle"), nc("Road_Red"), coil("Road_Green"))
    ladder.rung(either(no("Step_Close"), no("Step_Barr")), coil("Bell"), comment="warning bell")
    ladder.rung(either(no("Step_Bolts"), series(no("Maint_Mode"), no("Bolt_Hand_PB"))), nc("Bolt_Out_LS"), nc("Bolt_Drive"), no("Drive_OK"),
                no("Leaf_Seated_LS"), coil("Bolt_Draw"), comment="draw the nose bolts")
    ladder.rung(either(no("Step_Seat"), series(no("Maint_Mode"), nc("Bolt_Hand_PB"))), nc("Bolt_In_LS"), nc("Bolt_Draw"), no("Drive_OK"),
                no("Leaf_Seated_LS"), coil("Bolt_Drive"), comment="drive the nose bolts")
    ladder.rung(no("Bolt_Draw"), timer("TON", "Bolt_T", "T#5s"), set_("Bolt_Slow"), comment="bolts took longer than five seconds")
    ladder.rung(no("Ack_PB"), nc("Bolt_Draw"), reset("Bolt_Slow"))


def _leaf_drive(ladder: Ladder) -> None:
    ladder.rung(no("Step_Raise"), no("Raise_PB"), coil("Raise_Auto"), comment="raise, from the desk")
    ladder.rung(no("Maint_Mode"), no("Raise_Hand_PB"), coil("Raise_Hand"), comment="raise, from the pit")
    ladder.rung(either(no("Raise_Auto"), no("Raise_Hand")), coil("Raise_Req"), comment="somebody asks to raise")
    ladder.rung(either(no("Step_Lower"), series(no("Maint_Mode"), no("Lower_Hand_PB"))), coil("Lower_Req"), comment="somebody asks to lower")
    ladder.rung(no("Lower_Req"), no("Drive_OK"), nc("Raise_Pump"), nc("Raise_Valve"), nc("Leaf_Seated_LS"), coil("Lower_Valve"),
                comment="lower valve, interlocked with raising")
    ladder.rung(no("Raise_Pump"), no("Press_OK"), nc("Lower_Valve"), coil("Raise_Valve"), comment="raise valve, once there is pressure")
    ladder.rung(either(no("Raise_Req"), no("Raise_Pump")), no("Leaf_Free"), nc("Lower_Valve"), nc("Leaf_Top_LS"), coil("Raise_Pump"),
                comment="raise pump, sealed in to top of travel")
    ladder.rung(no("Leaf_Top_LS"), counter("Openings_C", "500", no("Count_Reset")), coil("Service_Due"), comment="openings since the last service")
    ladder.rung(no("Raise_Pump"), timer("TON", "Raise_Long_T", "T#110s"), coil("Raise_Long"), comment="raising takes too long")


def _signals(ladder: Ladder) -> None:
    def lamp(tag: str, *parts: object, comment: str = "") -> None:
        ladder.rung(either(series(*parts), no("Lamp_Test_PB")), coil(tag), comment=comment)  # type: ignore[arg-type]

    lamp("Lamp_Ready", no("Step_Raise"), nc("Raise_Pump"), no("Flash"), comment="desk lamps")
    lamp("Lamp_Raising", no("Raise_Pump"), no("Pump_Fb"))
    lamp("Lamp_Lowering", no("Lower_Valve"))
    lamp("Lamp_Barriers", no("Barriers_Down"))
    lamp("Lamp_Bolts", no("Bolts_Drawn"))
    lamp("Lamp_Bolt_Slow", no("Bolt_Slow"))
    lamp("Lamp_Wind", no("Wind_Alarm"))
    lamp("Lamp_Fault", either(no("Pump_Fault"), no("Press_Fault"), nc("Trips_OK"), nc("Oil_OK"), no("Raise_Long")))
    lamp("Lamp_EStop", nc("Chain_OK"))
    lamp("Lamp_Maint", no("Maint_Mode"))
    lamp("Lamp_Press", no("Press_OK"))
    lamp("Lamp_Filter", either(no("Filter_Dirty"), no("Service_Due")))
    ladder.rung(no("Step_Open"), no("Leaf_Top_LS"), nc("Chan_Red"), coil("Chan_Green"), comment="channel signals")
    ladder.rung(either(nc("Step_Open"), nc("Leaf_Top_LS")), coil("Chan_Red"))


_BODIES: tuple[tuple[str, str, Callable[[Ladder], None]], ...] = (
    ("Guards", "emergency stop, protections, faults", _guards), ("Permits", "what must hold before the leaf moves", _permits),
    ("Sequence", "one opening, step by step", _sequence), ("Barriers", "barriers, bolts and road signals", _barriers),
    ("Leaf_Drive", "raising and lowering the leaf", _leaf_drive), ("Signals", "lamps and channel signals", _signals))

_MEMORY = {
    "Chain_OK": "emergency-stop chain closed", "Trips_OK": "no motor protection tripped", "Oil_OK": "oil level and temperature right",
    "Pump_Fault": "pump contactor fault", "Press_Fault": "no pressure in time", "Wind_Alarm": "wind alarm", "Drive_OK": "drives may run",
    "Maint_Mode": "maintenance mode", "Flash": "flasher", "Flash_B": "flasher, other half", "East_Down": "east barrier down",
    "West_Down": "west barrier down", "Barriers_Down": "both barriers down, latched", "Bolts_Drawn": "nose bolts drawn",
    "Road_Clear": "no vehicle on the bridge", "Leaf_Free": "leaf may move", "Seat_OK": "leaf at rest on its seat",
    "Leaf_Between": "leaf between its ends", "Hand_Test": "lamp test from the pit", "Bolt_Slow": "bolts were slow",
    "Raise_Auto": "raise asked at the desk", "Raise_Hand": "raise asked at the pit", "Raise_Req": "raise asked",
    "Lower_Req": "lower asked", "Service_Due": "service due", "Count_Reset": "set the openings back", "Raise_Long": "raising takes too long",
}
_TIMERS = {"Guards": {"Pump_Fb_T": "TON", "Press_T": "TON", "Wind_T": "TON", "Flash_Ta": "TON", "Flash_Tb": "TON"},
           "Permits": {"East_Down_T": "TOF", "West_Down_T": "TOF", "Clear_T": "TON", "Seat_T": "TON"},
           "Sequence": {"Warn_T": "TON"}, "Barriers": {"West_Wait_T": "TON", "Bolt_T": "TON"},
           "Leaf_Drive": {"Openings_C": "CTU", "Raise_Long_T": "TON"}, "Signals": {}}


def _globals() -> tuple[Variable, ...]:
    kind = VariableKind.GLOBAL
    found = [Variable(p.tag, INT if p.address.startswith("%IW") else BOOL, kind, p.address, documentation=p.description) for p in POINTS]
    found += [Variable(name, BOOL, kind, documentation=text) for name, text in _MEMORY.items()]
    found += [Variable(name, BOOL, kind, documentation=f"step {number}: {text}") for name, number, text in STEPS]
    found.append(Variable("Seq_Step", INT, kind, documentation="step of the opening"))
    return tuple(found)


def bridge_program() -> Program:
    """The program as a model."""
    variables = _globals()
    external = {v.name.lower(): v for v in variables}
    pous: dict[str, Pou] = {}
    for name, text, fill in _BODIES:
        ladder = Ladder()
        fill(ladder)
        body = ladder.body()
        used = {getattr(e, "variable", "") or getattr(e, "expression", "") for e in body.elements}
        own = tuple(Variable(t, Named(kind), VariableKind.LOCAL) for t, kind in _TIMERS[name].items())
        outer = tuple(Variable(v.name, v.type, VariableKind.EXTERNAL) for v in external.values() if v.name in used)
        pous[name.lower()] = Pou(name, PouKind.PROGRAM, own + outer, body, documentation=text)
    instances = tuple(ProgramInstance(name, name) for name, _, _ in _BODIES)
    resource = Resource("Bridge_Controller", instances)
    return Program("Skerrow Bridge", {}, pous, (Configuration("Skerrow", (resource,), variables),), date="2031-05-19T10:12:00",
                   company="Skerrow Harbour Works", version="3.1")
