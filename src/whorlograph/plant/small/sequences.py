"""Sequences, modes and tables: a step that waits, a mode that no longer calls, a jump over an area, a bit of a pattern that a mask takes away."""

from __future__ import annotations

from whorlograph.model.question import Symptom

from .kit import SmallCase, everyday

MUSHROOM = SmallCase(
    "mushroom", "Hallin Mushroom Farm, casing line", "The line has stood for an hour; the conveyor does not move on.", "Convey", ("field-input", "Tray_LS"), ("not-met", "never-set"),
    ("The line runs in steps, a number that rungs compare and write. The conveyor belongs to step 30. The answer says where the sequence stands (20) and goes straight to the "
     "write that leaves that step.",
     "That write waits for the tray switch: a tray is there, but the switch does not say so. Looking at the conveyor's rung alone shows nothing but a comparison."),
    {"Line": ("EQ(Step,0) Start_PB /Fault MOVE(10)>Step  # a tray is asked for", "EQ(Step,10) TON:Fill_T:T#2s MOVE(20)>Step", "EQ(Step,20) Tray_LS MOVE(30)>Step  # wait for the tray",
              "EQ(Step,30) End_LS MOVE(40)>Step", "EQ(Step,40) TON:Rest_T:T#1s MOVE(0)>Step", "EQ(Step,10) (Hopper)", "EQ(Step,30) /Fault (Convey)  # conveyor in step 30",
              "EQ(Step,20) TON:Wait_T:T#30m (S Fault)", *everyday(("Hopper", "Convey")))},
    ("Start_PB, S-1, line desk/1, NO, start", "Tray_LS, LS-2, casing head/4, NO, tray in place", "End_LS, LS-3, line end/2, NO, tray at the end", "Ack, S-4, line desk/2, NO, acknowledge",
     "Lamp_Test, S-5, line desk/3, NO, lamp test"),
    ("Hopper, Y-1, casing head/21, , hopper flap", "Convey, K-2, panel/22, , conveyor", "Lamp_Hopper, H-1, line desk/11, , lamp", "Lamp_Convey, H-2, line desk/12, , lamp", "Horn, H-3, hall/1, , horn"),
    (*((t + d, tag, v) for t in (2000, 14_000) for d, tag, v in ((0, "Start_PB", 1), (300, "Start_PB", 0), (2600, "Tray_LS", 1), (6000, "Tray_LS", 0), (6500, "End_LS", 1), (7200, "End_LS", 0))),
     (26_000, "Start_PB", 1), (26_300, "Start_PB", 0)), 60_000, ("Step: INT  # step of the line", "Fault", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN)

TIDE_MILL = SmallCase(
    "tidemill", "Penrose Tide Mill, sluice", "The sluice stays open although its close button is pressed in automatic.", "Sluice", ("field-input", "Auto_Sw"), ("not-called",),
    ("The sluice's rung stands in a POU that is called in hand only. When the selector leaves hand, the POU is no longer called: its coil keeps its last state, whatever "
     "its contacts say.",
     "Not the close button, the selector is the cause; and the program should close the sluice when it leaves hand."),
    {"Main": ("/Auto_Sw !Hand  # by hand", "Auto_Sw !Auto  # automatic", "[/Tide_OK|/Trip_N] (S Fault)", *everyday(("Sluice", "Wheel"))),
     "Hand": ("[Open_PB|Sluice] /Close_PB Tide_OK (Sluice)  # sluice by hand", "[Wheel_PB|Wheel] Sluice Stop_N (Wheel)"),
     "Auto": ("Level_High TON:Auto_T:T#5s (Auto_Open)", "Auto_Open Sluice Stop_N (Wheel)")},
    ("Auto_Sw, S-1, mill desk/1, NO, selector on automatic", "Open_PB, S-2, mill desk/2, NO, open sluice", "Close_PB, S-3, mill desk/3, NO, close sluice", "Wheel_PB, S-4, mill desk/4, NO, wheel on",
     "Stop_N, S-5, mill desk/5, NC, stop", "Tide_OK, B-6, tide gauge/1, NO, tide high enough", "Level_High, B-7, pond/1, NO, pond full", "Trip_N, Q-8, panel/1, NC, protection", "Ack, S-9, mill desk/6, NO, acknowledge",
     "Lamp_Test, S-10, mill desk/7, NO, lamp test"),
    ("Sluice, Y-1, sluice house/1, , sluice valve", "Wheel, K-2, panel/21, , wheel clutch", "Lamp_Sluice, H-1, mill desk/11, , lamp", "Lamp_Wheel, H-2, mill desk/12, , lamp", "Horn, H-3, mill/1, , horn"),
    ((0, "Tide_OK", 1), (3000, "Open_PB", 1), (3400, "Open_PB", 0), (6000, "Wheel_PB", 1), (6300, "Wheel_PB", 0), (12_000, "Auto_Sw", 1), (16_000, "Close_PB", 1), (17_000, "Close_PB", 0)), 20_000,
    ("Auto_Open", "Fault", "Flash", "Flash_B"), blocks=("Hand", "Auto"), symptom=Symptom.WILL_NOT_DROP_OUT)

CLOCK_TOWER = SmallCase(
    "belltower", "Sallow Bell Tower, carillon", "The hammer of the third bell does not strike since the organist switched to service.", "Hammer_3", ("field-input", "Service_Key"), ("held-by-jump",),
    ("In service the rungs of the hammers are jumped over, so that nobody is hit. A second jump, for silence at night, leaves out the same rungs.",
     "The jump that is taken now comes first, with since when; the other would take over: turning the key back at night changes nothing. Both are proved together."),
    {"Bells": ("Service_Key ->Quiet  # service: no hammer moves", "Night_Sw ->Quiet  # silence at night", "Beat Key_1 (Hammer_1)", "Beat Key_2 (Hammer_2)", "Beat Key_3 (Hammer_3)  # third bell",
               "Quiet: /Beat_B TON:Beat_Ta:T#300ms (Beat)", "Beat TON:Beat_Tb:T#300ms (Beat_B)", "[Service_Key|Night_Sw] (Silent)", "/Air_OK TON:Air_T:T#2s (S Fault)", *everyday(("Silent",)))},
    ("Service_Key, S-1, tower foot/1, NO, service key", "Night_Sw, S-2, clock/1, NO, silence at night", "Key_1, S-3, keyboard/1, NO, key 1", "Key_2, S-4, keyboard/2, NO, key 2", "Key_3, S-5, keyboard/3, NO, key 3",
     "Air_OK, B-6, compressor/1, NO, air pressure", "Ack, S-7, tower foot/2, NO, acknowledge", "Lamp_Test, S-8, tower foot/3, NO, lamp test"),
    ("Hammer_1, Y-1, bell frame/1, , hammer 1", "Hammer_2, Y-2, bell frame/2, , hammer 2", "Hammer_3, Y-3, bell frame/3, , hammer 3", "Silent, H-4, keyboard/11, , no hammer moves", "Lamp_Silent, H-5, tower foot/11, , lamp",
     "Horn, H-6, tower foot/12, , horn"),
    ((0, "Air_OK", 1), (2000, "Key_3", 1), (4000, "Key_3", 0), (8000, "Service_Key", 1), (12_000, "Night_Sw", 1), (15_000, "Key_3", 1), (18_000, "Key_3", 0), (19_000, "Key_3", 1)), 21_000,
    ("Beat", "Beat_B", "Fault", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN)

GLASSHOUSE = SmallCase(
    "glasshouse", "Verrall Glasshouse, vents", "The north vent never opens in the last step of the day's programme.", "North_Vent", ("initial-value", "Mask"), ("rung-false", "set-by"),
    ("What each step opens stands in a table, one word a step; a mask leaves out vents under repair. The result is moved to a word whose bits are the vents.",
     "The answer follows the one bit: through the move, to the mask that takes it away. The table is right, the mask still leaves out a vent that was repaired long ago."),
    {"Vents": ("LT(Step,3) ^Next_PB MOVE(Next)>Step  # next step of the day", "Step_OK ADD(Step,1)>Next", "Step_OK MOVE(Table[Step])>Pattern  # what this step opens", "Step_OK AND(Pattern,Mask)>Shown  # without vents under repair",
               "Shown.%X0 Wind_OK_N (South_Vent)", "Shown.%X1 Wind_OK_N (East_Vent)", "Shown.%X2 Wind_OK_N (North_Vent)  # north vent", "LE(Step,3) (Step_OK)", "/Wind_OK_N TON:Wind_T:T#3s (S Fault)",
               *everyday(("South_Vent", "North_Vent")))},
    ("Next_PB, S-1, porch/1, NO, next step", "Wind_OK_N, B-2, roof/1, NC, wind switch", "Ack, S-3, porch/2, NO, acknowledge", "Lamp_Test, S-4, porch/3, NO, lamp test"),
    ("South_Vent, Y-1, ridge/1, , south vent", "East_Vent, Y-2, ridge/2, , east vent", "North_Vent, Y-3, ridge/3, , north vent", "Lamp_South_Vent, H-1, porch/11, , lamp", "Lamp_North_Vent, H-2, porch/12, , lamp", "Horn, H-3, porch/13, , horn"),
    (*((3000 + 5000 * n + d, "Next_PB", v) for n in range(3) for d, v in ((0, 1), (400, 0))),), 20_000,
    ("Step: INT  # step of the day", "Next: INT", "Table: WORD[4] = 0 1 3 7  # vents of each step", "Pattern: WORD", "Mask: WORD = 3  # vents in service", "Shown: WORD", "Step_OK", "Fault", "Flash", "Flash_B"),
    symptom=Symptom.WILL_NOT_PULL_IN)

HATCHERY = SmallCase(
    "hatchery", "Corra Oyster Hatchery, sea-water pump", "The sea-water pump does not start when its button is pressed; yesterday it did.", "Sea_Pump", ("field-input", "Auto_Sw"), ("rung-false", "row"),
    ("The pump has a rung in each of two POUs, one for work by hand, one for automatic, and the selector decides which is called. The button stands in both.",
     "The rung that is executed waits for the tank's float besides, and a float held on cures nothing at once. So single changes of the log are left out, one after another: without the "
     "selector's change the pump starts. No rung leads from the pump to the selector, the calls do; and the rung for hand would not start the pump at once either: it waits until the button was held a moment."),
    {"Main": ("/Auto_Sw !Hand  # by hand", "Auto_Sw !Auto  # automatic", "[/Salt_OK|/Trip_N] (S Fault)", "Sea_Pump TON:Long_T:T#2h (Ran_Long)", *everyday(("Sea_Pump", "Air"))),
     "Hand": ("Pump_PB TON:Press_T:T#200ms (Pressed)  # a touch in passing shall not start it", "[Pressed|Sea_Pump] Stop_N Trip_N (Sea_Pump)  # sea-water pump by hand",
              "[Air_PB|Air] Stop_N (Air)"),
     "Auto": ("Tank_Low TON:Tank_T:T#20s (Tank_Wait)  # the float must stand for a while", "Pump_PB Tank_Wait Stop_N Trip_N (Sea_Pump)  # sea-water pump in automatic", "Stop_N (Air)")},
    ("Auto_Sw, S-1, pump shed/1, NO, selector on automatic", "Pump_PB, S-2, pump shed/2, NO, pump on", "Air_PB, S-3, pump shed/3, NO, air on", "Stop_N, S-4, pump shed/4, NC, stop", "Tank_Low, B-5, header tank/1, NO, tank is low", "Salt_OK, B-6, intake/1, NO, water is salt enough",
     "Trip_N, Q-7, panel/1, NC, protection", "Ack, S-8, pump shed/5, NO, acknowledge", "Lamp_Test, S-9, pump shed/6, NO, lamp test"),
    ("Sea_Pump, K-1, panel/21, , sea-water pump", "Air, K-2, panel/22, , air blower", "Lamp_Sea_Pump, H-3, pump shed/11, , lamp", "Lamp_Air, H-4, pump shed/12, , lamp", "Horn, H-5, pump shed/13, , horn"),
    ((0, "Salt_OK", 1), (2000, "Pump_PB", 1), (2400, "Pump_PB", 0), (6000, "Stop_N", 0), (6300, "Stop_N", 1), (9000, "Auto_Sw", 1), (12_000, "Pump_PB", 1), (13_500, "Pump_PB", 0)), 16_000,
    ("Tank_Wait", "Ran_Long", "Pressed", "Fault", "Flash", "Flash_B"), blocks=("Hand", "Auto"), symptom=Symptom.WILL_NOT_PULL_IN, at=13_000)

TROUT = SmallCase(
    "troutfarm", "Ashgill Trout Farm, blowers", "Blower two cuts out again and again, although two ponds want air.", "Blower_2", ("field-input", "Low_2"), ("rung-false", "not-met", "set-by"),
    ("A text counts the ponds that want air, a CASE makes a stage of the number, rungs switch the blowers by stage. One probe's contact opens for a moment: the count falls, and with it the stage.",
     "The trail leads through the statements as it does through rungs: the values stand at the right of each line as they were in that scan. The branch that was chosen tells which number, the number which contact."),
    {"Blowers": ("GE(Stage,1) Air_On (Blower_1)  # blower one", "GE(Stage,2) Air_On (Blower_2)  # blower two", "/Trip_N (S Fault)", "Blower_1 CTU:Runs:9999:Ack (Count_Full)", *everyday(("Blower_1", "Blower_2")))},
    ("Low_1, B-1, pond one/1, NO, little oxygen in pond one", "Low_2, B-2, pond two/1, NO, little oxygen in pond two", "Low_3, B-3, pond three/1, NO, little oxygen in pond three", "Flow_FS, B-4, inlet/2, NO, water flows in",
     "Trip_N, Q-5, panel/1, NC, protection", "Ack, S-6, panel/2, NO, acknowledge", "Lamp_Test, S-7, panel/3, NO, lamp test"),
    ("Blower_1, K-1, panel/21, , blower one", "Blower_2, K-2, panel/22, , blower two", "Lamp_Blower_1, H-3, panel/11, , lamp", "Lamp_Blower_2, H-4, panel/12, , lamp", "Horn, H-5, yard/1, , horn"),
    ((0, "Flow_FS", 1), (1000, "Low_1", 1), (3000, "Low_2", 1), (14_000, "Low_2", 0), (14_200, "Low_2", 1), (21_000, "Low_2", 0), (21_300, "Low_2", 1), (30_000, "Low_2", 0), (30_400, "Low_2", 1)), 36_000,
    ("Wanting: INT  # ponds that want air", "Stage: INT  # blowers that shall run", "Air_On  # air is asked for", "Fault", "Count_Full", "Flash", "Flash_B"), symptom=Symptom.DROPPED_OUT,
    texts={"Judge": ("Dwell: TON", """// how many ponds want air
Wanting := 0;
IF Low_1 THEN
    Wanting := Wanting + 1;
END_IF;
IF Low_2 THEN
    Wanting := Wanting + 1;
END_IF;
IF Low_3 THEN
    Wanting := Wanting + 1;
END_IF;

// blowers that shall run
CASE Wanting OF
    0: Stage := 0;
    1: Stage := 1;
ELSE
    Stage := 2;
END_CASE;

// not before water flows for a while
Dwell(IN := Stage >= 1 AND Flow_FS, PT := T#3s);
Air_On := Dwell.Q AND NOT Fault;
""")})
