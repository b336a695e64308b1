"""The bridge's points: what each address is wired to."""

from __future__ import annotations

from msgspec import Struct


class BridgePoint(Struct, frozen=True):
    """One point of the bridge."""

    tag: str
    address: str
    device: str
    location: str
    terminal: str
    wiring: str
    description: str
    drawing: str


_DESK, _POWER, _PIT = "keeper's desk", "power cabinet", "leaf pit box"
_EAST, _WEST, _MAST = "junction box 3", "junction box 4", "mast box"

_INPUTS = [
    ("Desk_Key", "S-01", _DESK, "NO", "desk key switch"), ("Open_PB", "S-02", _DESK, "NO", "open bridge button"),
    ("Raise_PB", "S-03", _DESK, "NO", "raise leaf button"), ("Lower_PB", "S-04", _DESK, "NO", "lower leaf button"),
    ("Stop_PB_N", "S-05", _DESK, "NC", "stop button"), ("Ack_PB", "S-06", _DESK, "NO", "acknowledge button"),
    ("Lamp_Test_PB", "S-07", _DESK, "NO", "lamp test button"), ("Maint_Key", "S-08", _DESK, "NO", "maintenance key switch"),
    ("Raise_Hand_PB", "S-09", _PIT, "NO", "raise by hand, pit station"), ("Lower_Hand_PB", "S-10", _PIT, "NO", "lower by hand, pit station"),
    ("Bolt_Hand_PB", "S-11", _PIT, "NO", "draw bolts by hand, pit station"), ("EStop_Desk_N", "ES-1", _DESK, "NC", "emergency stop, desk"),
    ("EStop_East_N", "ES-2", _EAST, "NC", "emergency stop, east pier"), ("EStop_West_N", "ES-3", _WEST, "NC", "emergency stop, west pier"),
    ("EStop_Pit_N", "ES-4", _PIT, "NC", "emergency stop, leaf pit"), ("East_Up_LS", "LS-11", _EAST, "NO", "east barrier up switch"),
    ("East_Down_LS", "LS-12", _EAST, "NO", "east barrier down switch"), ("West_Up_LS", "LS-13", _WEST, "NO", "west barrier up switch"),
    ("West_Down_LS", "LS-14", _WEST, "NO", "west barrier down switch"), ("East_Trip_N", "Q-11", _POWER, "NC", "east barrier motor protection"),
    ("West_Trip_N", "Q-12", _POWER, "NC", "west barrier motor protection"), ("Bolt_In_LS", "LS-21", _PIT, "NO", "nose bolts driven switch"),
    ("Bolt_Out_LS", "LS-22", _PIT, "NO", "nose bolts drawn switch"), ("Leaf_Seated_LS", "LS-31", _PIT, "NO", "leaf seated switch"),
    ("Leaf_Quarter_LS", "LS-32", _PIT, "NO", "leaf above a quarter switch"), ("Leaf_Top_LS", "LS-33", _PIT, "NO", "leaf at top switch"),
    ("Leaf_Over_N", "LS-34", _PIT, "NC", "leaf overtravel switch"), ("Pump_Fb", "K-41", _POWER, "NO", "pump contactor feedback"),
    ("Pump_Trip_N", "Q-41", _POWER, "NC", "pump motor protection"), ("Oil_Level_N", "B-42", _POWER, "NC", "oil level low"),
    ("Oil_Hot_N", "B-43", _POWER, "NC", "oil too hot"), ("Press_OK", "B-44", _POWER, "NO", "pump pressure reached"),
    ("Filter_Dirty", "B-45", _POWER, "NO", "oil filter dirty"), ("Wind_High", "B-51", _MAST, "NO", "wind above limit"),
    ("Loop_East", "B-61", _EAST, "NO", "vehicle on the east side"), ("Loop_West", "B-62", _WEST, "NO", "vehicle on the west side"),
    ("Boat_Near", "B-63", _MAST, "NO", "boat in the channel"), ("Mains_OK", "K-71", _POWER, "NO", "mains present"),
    ("Batt_OK", "K-72", _POWER, "NO", "battery healthy"),
]
_OUTPUTS = [
    ("Raise_Pump", "K-81", _POWER, "raise pump contactor"), ("Raise_Valve", "Y-82", _POWER, "raise valve"),
    ("Lower_Valve", "Y-83", _POWER, "lower valve"), ("Bolt_Draw", "Y-84", _PIT, "draw nose bolts"),
    ("Bolt_Drive", "Y-85", _PIT, "drive nose bolts"), ("East_Lower_K", "K-86", _EAST, "east barrier down contactor"),
    ("East_Raise_K", "K-87", _EAST, "east barrier up contactor"), ("West_Lower_K", "K-88", _WEST, "west barrier down contactor"),
    ("West_Raise_K", "K-89", _WEST, "west barrier up contactor"), ("Road_Red", "H-91", _EAST, "road signals red"),
    ("Road_Green", "H-92", _EAST, "road signals green"), ("Chan_Red", "H-93", _MAST, "channel signal red"),
    ("Chan_Green", "H-94", _MAST, "channel signal green"), ("Bell", "P-95", _EAST, "warning bell"),
    ("Lamp_Ready", "H-01", _DESK, "lamp: ready to raise"), ("Lamp_Raising", "H-02", _DESK, "lamp: raising"),
    ("Lamp_Lowering", "H-03", _DESK, "lamp: lowering"), ("Lamp_Barriers", "H-04", _DESK, "lamp: barriers down"),
    ("Lamp_Bolts", "H-05", _DESK, "lamp: bolts drawn"), ("Lamp_Bolt_Slow", "H-06", _DESK, "lamp: bolts were slow"),
    ("Lamp_Wind", "H-07", _DESK, "lamp: wind alarm"), ("Lamp_Fault", "H-08", _DESK, "lamp: drive fault"),
    ("Lamp_EStop", "H-09", _DESK, "lamp: emergency stop"), ("Lamp_Maint", "H-10", _DESK, "lamp: maintenance"),
    ("Lamp_Press", "H-11", _DESK, "lamp: pressure"), ("Lamp_Filter", "H-12", _DESK, "lamp: oil filter"),
]


def _build() -> list[BridgePoint]:
    found: list[BridgePoint] = []
    terminals: dict[str, int] = {_EAST: 9, _WEST: 9}

    def terminal(box: str) -> str:
        terminals[box] = terminals.get(box, 0) + 1
        if box == _EAST and terminals[box] == 14:  # taken: the complaint's own terminal, where its drawing puts it
            terminals[box] += 1
        return str(terminals[box])

    for i, (tag, device, box, wiring, text) in enumerate(_INPUTS):
        number = "14" if tag == "East_Down_LS" else terminal(box)
        found.append(BridgePoint(tag, f"%IX{i // 8}.{i % 8}", device, box, number, wiring, text, f"B{10 + i // 8}/{i % 8 + 1}"))
    found.append(BridgePoint("Wind_Speed", "%IW8", "B-52", _MAST, terminal(_MAST), "", "wind speed, tenths of a metre a second", "B16/1"))
    for i, (tag, device, box, text) in enumerate(_OUTPUTS):
        found.append(BridgePoint(tag, f"%QX{i // 8}.{i % 8}", device, box, terminal(box), "", text, f"B{20 + i // 8}/{i % 8 + 1}"))
    return found


POINTS = _build()
