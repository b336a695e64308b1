"""Drives: a contactor that does not report back, one that coasts, a lock in which the first wins, drives that take turns."""

from __future__ import annotations

from whorlograph.model.question import Symptom

from .kit import Answer, SmallCase, everyday

KILN = SmallCase(
    "kiln", "Ormsay Pottery, car kiln", "Since noon the kiln fan runs only as long as somebody holds its start button.", "Fan", ("field-input", "Fan_Aux"),
    ("rung-false",),
    ("The fan's contactor has an auxiliary contact that comes back to the controller as an input. In the rung it stands beside the start button, where a "
     "seal-in would: once the contactor has pulled in, it takes over from the button.",
     "When that contact stays open, the fan stops the moment the button is let go. Pressing again proves nothing. The button is not the cause: it only "
     "stopped hiding it. Check the auxiliary block on the contactor and its wire."),
    {"Kiln": ("[Start_PB|Fan_Aux] Stop_PB_N Door_LS /Fault Trip_N (Fan)  # kiln fan, held by its contactor's auxiliary",
              "Fan TON:Air_T:T#3s (Air_OK)  # air has been moving for three seconds",
              "[Heat_PB|Heater] Air_OK Temp_OK_N Stop_PB_N /Fault (Heater)  # heater only with air",
              "Fan /Fan_Aux TON:Aux_T:T#4s (Aux_Late)", "Trip_N (Trips_OK)", "/Trip_N (S Fault)  # motor protection",
              "Heater CTU:Firings:500:Ack (Service_Due)", *everyday(("Fan", "Heater")))},
    ("Start_PB, S-11, kiln desk/1, NO, fan start button", "Stop_PB_N, S-12, kiln desk/2, NC, stop button", "Fan_Aux, K-21, contactor panel/7, NO, fan contactor reports back",
     "Door_LS, LS-31, kiln car pit/3, NO, door closed", "Heat_PB, S-13, kiln desk/3, NO, heater start button", "Temp_OK_N, B-41, kiln roof/2, NC, over-temperature switch",
     "Trip_N, Q-21, contactor panel/9, NC, fan motor protection", "Ack, S-14, kiln desk/4, NO, acknowledge", "Lamp_Test, S-15, kiln desk/5, NO, lamp test"),
    ("Fan, K-21, contactor panel/21, , kiln fan contactor", "Heater, K-22, contactor panel/22, , heater contactor", "Lamp_Fan, H-1, kiln desk/11, , lamp fan",
     "Lamp_Heater, H-2, kiln desk/12, , lamp heater", "Horn, H-9, kiln hall/1, , horn"),
    ((0, "Door_LS", 1), *((t + d, "Start_PB", v) for t in (2000, 30_000, 70_000) for d, v in ((0, 1), (400, 0))), (20_000, "Stop_PB_N", 0), (20_300, "Stop_PB_N", 1),
     (55_000, "Stop_PB_N", 0), (55_250, "Stop_PB_N", 1), (6000, "Heat_PB", 1), (6300, "Heat_PB", 0), (76_000, "Start_PB", 1), (76_900, "Start_PB", 0)), 90_000,
    ("Fault  # motor protection tripped", "Air_OK", "Aux_Late", "Trips_OK", "Service_Due", "Flash", "Flash_B"),
    answers=(Answer("Fan", "Fan_Aux", 15, 12, ((0, 60_000),)),))

ROPE = SmallCase(
    "ropewalk", "Tarrant Rope-walk, strander", "After a stop the strander will not start again, although everything shows ready.", "Strander", ("field-input", "Strander_Aux"),
    ("timer-running",),
    ("The strander is heavy and coasts. Its brake and door lock wait until it stands: an off-delay, started by the contactor's auxiliary, keeps the lock-out on for "
     "twelve seconds after the drive was switched off.",
     "Nothing is broken. The answer says how long the delay still takes and what started it. It can be started from the desk and from the tail end; both are locked "
     "out alike."),
    {"Strander": ("Strander_Aux TOF:Coast_T:T#12s (Coasting)  # coasts for twelve seconds",
                  "[Start_Desk|Start_Tail] /Coasting Guard_LS Stop_Desk_N Stop_Tail_N (S Run_Req)  # two places to start from",
                  "[/Stop_Desk_N|/Stop_Tail_N|/Guard_LS] (R Run_Req)", "Run_Req Trip_N (Strander)  # strander contactor",
                  "/Strander /Coasting (Brake)  # brake once it stands", "Coasting (Door_Lock)", "Strander CTU:Runs:9999:Ack (Count_Full)",
                  "/Trip_N (S Fault)", *everyday(("Strander", "Brake")))},
    ("Start_Desk, S-1, head desk/1, NO, start at the desk", "Start_Tail, S-2, tail post/1, NO, start at the tail end", "Stop_Desk_N, S-3, head desk/2, NC, stop at the desk",
     "Stop_Tail_N, S-4, tail post/2, NC, stop at the tail end", "Guard_LS, LS-5, guard rail/1, NO, guard closed", "Strander_Aux, K-7, panel 2/4, NO, strander contactor reports back",
     "Trip_N, Q-7, panel 2/5, NC, motor protection", "Ack, S-8, head desk/3, NO, acknowledge", "Lamp_Test, S-9, head desk/4, NO, lamp test"),
    ("Strander, K-7, panel 2/21, , strander contactor", "Brake, Y-8, panel 2/22, , brake", "Door_Lock, Y-9, panel 2/23, , door lock", "Lamp_Strander, H-1, head desk/11, , lamp strander",
     "Lamp_Brake, H-2, head desk/12, , lamp brake", "Horn, H-3, hall/1, , horn"),
    ((0, "Guard_LS", 1), (2000, "Start_Desk", 1), (2400, "Start_Desk", 0), (21_000, "Stop_Tail_N", 0), (21_300, "Stop_Tail_N", 1), (26_000, "Start_Tail", 1),
     (26_500, "Start_Tail", 0), (28_000, "Start_Desk", 1), (28_600, "Start_Desk", 0)), 29_000,
    ("Coasting", "Run_Req", "Count_Full", "Fault", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN,
    answers=(Answer("Strander", "Strander_Aux", 18, 14),))

FERRY = SmallCase(
    "ferry", "Ardle Ferry, slipway ramps", "The east ramp will not go down while the west ramp works.", "East_Down", ("field-input", "West_Down_PB"), ("rung-false", "rung-true"),
    ("Two ramps share one hydraulic pump: the first that moves keeps the other out, by a normally closed contact of its valve in the other's rung.",
     "The lock works as designed. What stands in the way is the winner: the answer goes through the lock to what keeps the west ramp moving, the button that somebody "
     "holds there. Which of two wins depends only on who was first."),
    {"Ramps": ("East_Down_PB /West_Down /West_Up /East_Up Pump_OK /East_Low_LS (East_Down)  # east ramp down", "East_Up_PB /East_Down /West_Down /West_Up Pump_OK /East_High_LS (East_Up)",
               "West_Down_PB /East_Down /East_Up /West_Up Pump_OK /West_Low_LS (West_Down)  # west ramp down", "West_Up_PB /West_Down /East_Down /East_Up Pump_OK /West_High_LS (West_Up)",
               "[East_Down|East_Up|West_Down|West_Up] TOF:Pump_T:T#5s (Pump)  # pump with any movement", "Oil_OK /Fault (Pump_OK)", "/Oil_OK TON:Oil_T:T#2s (S Fault)",
               *everyday(("East_Down", "West_Down")))},
    ("East_Down_PB, S-21, east post/1, NO, east ramp down", "East_Up_PB, S-22, east post/2, NO, east ramp up", "West_Down_PB, S-23, west post/1, NO, west ramp down",
     "West_Up_PB, S-24, west post/2, NO, west ramp up", "East_Low_LS, LS-25, east slip/3, NO, east ramp is down", "East_High_LS, LS-26, east slip/4, NO, east ramp is up",
     "West_Low_LS, LS-27, west slip/3, NO, west ramp is down", "West_High_LS, LS-28, west slip/4, NO, west ramp is up", "Oil_OK, B-29, pump house/1, NO, oil pressure",
     "Ack, S-20, pump house/2, NO, acknowledge", "Lamp_Test, S-19, pump house/3, NO, lamp test"),
    ("East_Down, Y-21, valve block/1, , east ramp down", "East_Up, Y-22, valve block/2, , east ramp up", "West_Down, Y-23, valve block/3, , west ramp down",
     "West_Up, Y-24, valve block/4, , west ramp up", "Pump, K-25, pump house/21, , pump", "Lamp_East_Down, H-1, east post/11, , lamp", "Lamp_West_Down, H-2, west post/11, , lamp",
     "Horn, H-3, pump house/22, , horn"),
    ((0, "Oil_OK", 1), (0, "East_High_LS", 1), (0, "West_High_LS", 1), (3000, "West_Down_PB", 1), (3600, "West_High_LS", 0), (8000, "East_Down_PB", 1), (9500, "East_Down_PB", 0),
     (11_000, "East_Down_PB", 1)), 14_000, ("Pump_OK", "Fault", "Flash", "Flash_B"))

PRESS = SmallCase(
    "ciderpress", "Lannock Cider, press pumps", "Press pump two does not come on when the juice rises.", "Pump_2", ("field-input", "Swap_PB"), ("block",),
    ("Two pumps take turns, so that both wear alike: a bistable remembers whose turn it is. It is set when the level has been pumped down once, and reset by the swap "
     "button at the press.",
     "A bistable says which input won and which dominates. Here its reset dominates and somebody holds the swap button, or its contact sticks: it is always pump one's "
     "turn."),
    {"Pumps": ("Level_High (S Wanted)  # pump until the level is low", "/Level_Low (R Wanted)", "^Level_High RS:Turn:Swap_PB (Two_Next)  # whose turn it is",
               "Wanted /Two_Next /Fault Trip_1_N (Pump_1)", "Wanted Two_Next /Fault Trip_2_N (Pump_2)", "[/Trip_1_N|/Trip_2_N] (S Fault)", "[Pump_1|Pump_2] TON:Long_T:T#2m (Too_Long)",
               "Too_Long (S Fault)", "Pump_1 CTU:Runs_1:9999:Ack (Full_1)", "Pump_2 CTU:Runs_2:9999:Ack (Full_2)", *everyday(("Pump_1", "Pump_2")))},
    ("Level_High, B-1, juice pit/1, NO, level high", "Level_Low, B-2, juice pit/2, NO, level above low", "Swap_PB, S-3, press desk/1, NO, swap pumps", "Trip_1_N, Q-1, panel/1, NC, pump 1 protection",
     "Trip_2_N, Q-2, panel/2, NC, pump 2 protection", "Ack, S-4, press desk/2, NO, acknowledge", "Lamp_Test, S-5, press desk/3, NO, lamp test"),
    ("Pump_1, K-1, panel/21, , press pump 1", "Pump_2, K-2, panel/22, , press pump 2", "Lamp_Pump_1, H-1, press desk/11, , lamp", "Lamp_Pump_2, H-2, press desk/12, , lamp",
     "Horn, H-3, hall/1, , horn"),
    ((0, "Level_Low", 0), (1000, "Level_Low", 1), (3000, "Level_High", 1), (6000, "Level_High", 0), (9000, "Level_Low", 0), (12_000, "Swap_PB", 1), (15_000, "Level_Low", 1),
     (18_000, "Level_High", 1)), 22_000, ("Wanted", "Two_Next", "Fault", "Too_Long", "Full_1", "Full_2", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN, at=20_000)
