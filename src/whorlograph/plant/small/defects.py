"""Defects of the program and faults of the controller: two coils, a latch without reset, an overflow, a loop near its watchdog, a stop read the wrong way round."""

from __future__ import annotations

from whorlograph.model.question import Symptom

from .kit import SmallCase, everyday

SAWMILL = SmallCase(
    "sawmill", "Brannock Sawmill, log deck", "The log kicker never moves, whatever one presses.", "Kicker", ("program", "Kicker"), ("overwritten",),
    ("Two rungs write the kicker's coil. The first gives it on, the second, lower down, gives it off again in the same scan: what is executed last counts.",
     "No device cures it. Bring the two conditions together in one rung, side by side."),
    {"Deck": ("Kick_PB Log_LS /Saw_Runs (Kicker)  # kick by hand", "[Start_PB|Chain] Stop_N /Fault (Chain)  # deck chain", "Chain Log_LS TON:Full_T:T#5s (Deck_Full)", "Auto_Sw Deck_Full /Saw_Runs (Kicker)  # kick by itself",
              "Saw_Aux (Saw_Runs)", "/Trip_N (S Fault)", "Kicker CTU:Logs:9999:Ack (Count_Full)", *everyday(("Kicker", "Chain")))},
    ("Kick_PB, S-1, deck desk/1, NO, kick a log", "Log_LS, LS-2, deck/4, NO, log on the deck", "Start_PB, S-3, deck desk/2, NO, chain start", "Stop_N, S-4, deck desk/3, NC, stop", "Auto_Sw, S-5, deck desk/4, NO, automatic",
     "Saw_Aux, K-6, panel/3, NO, saw runs", "Trip_N, Q-7, panel/4, NC, protection", "Ack, S-8, deck desk/5, NO, acknowledge", "Lamp_Test, S-9, deck desk/6, NO, lamp test"),
    ("Kicker, Y-1, deck/21, , log kicker", "Chain, K-2, panel/22, , deck chain", "Lamp_Kicker, H-1, deck desk/11, , lamp", "Lamp_Chain, H-2, deck desk/12, , lamp", "Horn, H-3, hall/1, , horn"),
    ((0, "Log_LS", 1), (2000, "Kick_PB", 1), (3000, "Kick_PB", 0), (5000, "Kick_PB", 1), (7000, "Kick_PB", 0)), 9000, ("Saw_Runs", "Deck_Full", "Count_Full", "Fault", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN, at=6000)

LAUNDRY = SmallCase(
    "laundry", "Wickley Laundry, mangle", "The mangle's warning lamp cannot be put out.", "Warn", ("program", "Jam"), ("set-by",),
    ("A jam is remembered by a set coil. The rung that should reset it resets another memory with almost the same name.",
     "A latch that no rung resets stays on until the controller is restarted. The answer says that first, then what set it."),
    {"Mangle": ("Jam_LS Mangle_On (S Jam)  # remember a jam", "Ack /Jam_LS (R Jam_Seen)  # acknowledge", "Jam (S Jam_Seen)", "Jam (Warn)  # warning lamp", "[Start_PB|Mangle_On] Stop_N /Jam (Mangle_On)", "Mangle_On TON:Heat_T:T#4s (Heat)",
                "/Trip_N (S Fault)", *everyday(("Mangle_On", "Heat")))},
    ("Jam_LS, LS-1, mangle inlet/2, NO, linen jammed", "Start_PB, S-2, mangle/1, NO, start", "Stop_N, S-3, mangle/2, NC, stop", "Trip_N, Q-4, panel/1, NC, protection", "Ack, S-5, mangle/3, NO, acknowledge", "Lamp_Test, S-6, mangle/4, NO, lamp test"),
    ("Warn, H-1, mangle/11, , warning lamp", "Mangle_On, K-2, panel/21, , mangle", "Heat, K-3, panel/22, , heating", "Lamp_Mangle_On, H-4, mangle/12, , lamp", "Lamp_Heat, H-5, mangle/13, , lamp", "Horn, H-6, hall/1, , horn"),
    ((2000, "Start_PB", 1), (2300, "Start_PB", 0), (8000, "Jam_LS", 1), (8900, "Jam_LS", 0), (12_000, "Ack", 1), (12_400, "Ack", 0), (15_000, "Ack", 1), (15_500, "Ack", 0)), 18_000, ("Jam", "Jam_Seen", "Fault", "Flash", "Flash_B"))

SALT = SmallCase(
    "saltworks", "Aldmere Salt Works, rake", "The rake's controller stops every few minutes and has to be restarted.", "Rake", ("fault", None), ("halted",),
    ("A jump backwards adds up the last measurements, as many as a tag says. Each pass takes time; somebody raised the tag to 3000.",
     "The scan then takes longer than the watchdog allows. The answer names the loop, how often it ran and the tag that limits it. Raising the watchdog would hide it: shorten the loop, or restart the measure midway."),
    {"Rake": ("Run_N /Stop_PB (Rake)  # rake drive", "Sample_PB MOVE(0)>Sum  # new measurement", "Sample_PB MOVE(0)>N", "Again: Sample_PB ADD(Sum,2)>Sum", "Sample_PB ADD(N,1)>N", "Sample_PB LT(N,Limit) ->Again  # as many as wanted", "GE(Sum,60) (Thick)",
              "/Trip_N (S Fault)", *everyday(("Rake", "Thick")))},
    ("Run_N, S-1, rake house/1, NC, run", "Stop_PB, S-2, rake house/2, NO, stop", "Sample_PB, S-3, rake house/3, NO, measure", "Trip_N, Q-4, panel/1, NC, protection", "Ack, S-5, rake house/4, NO, acknowledge", "Lamp_Test, S-6, rake house/5, NO, lamp test"),
    ("Rake, K-1, panel/21, , rake drive", "Thick, H-2, rake house/11, , brine is thick", "Lamp_Rake, H-3, rake house/12, , lamp", "Lamp_Thick, H-4, rake house/13, , lamp", "Horn, H-5, hall/1, , horn"),
    ((4000, "Sample_PB", 1), (4300, "Sample_PB", 0)), 8000, ("Sum: DINT", "N: DINT", "Limit: DINT = 3000  # measurements to add", "Fault", "Flash", "Flash_B"),
    profile='scan_time = "10ms"\nrung_time = "0.02ms"\nwatchdog = "100ms"\n')

EGGS = SmallCase(
    "eggs", "Moorhen Egg Grader", "The grader stopped at night: all outputs off, no lamp lit.", "Belt", ("fault", "Total"), ("halted",),
    ("Every egg adds its weight to a total that is kept in an INT. After enough eggs the sum does not fit any more, and the controller halts.",
     "Restarting helps until the total is there again. A wider type mends it, or a guard that sets the total back; leaving the rung out only hides it."),
    {"Grader": ("[Start_PB|Belt] Stop_N /Fault (Belt)  # belt", "^Egg_LS Belt ADD(Total,Weight)>Total  # weight of all eggs", "Belt Egg_LS TON:Gap_T:T#3s (S Fault)  # an egg is stuck", "GE(Total,30000) (Crate_Full)", "Egg_LS CTU:Eggs:9999:Ack (Many)",
                "Big_LS TOF:Big_T:T#300ms (Flap)", *everyday(("Belt", "Flap")))},
    ("Start_PB, S-1, grader/1, NO, start", "Stop_N, S-2, grader/2, NC, stop", "Egg_LS, LS-3, belt/2, NO, egg passes", "Big_LS, LS-4, belt/3, NO, big egg", "Ack, S-5, grader/3, NO, acknowledge", "Lamp_Test, S-6, grader/4, NO, lamp test"),
    ("Belt, K-1, panel/21, , belt", "Flap, Y-2, belt/22, , flap for big eggs", "Crate_Full, H-3, grader/11, , crate full", "Lamp_Belt, H-4, grader/12, , lamp", "Lamp_Flap, H-5, grader/13, , lamp", "Horn, H-6, hall/1, , horn"),
    ((1000, "Start_PB", 1), (1300, "Start_PB", 0)), 70_000, ("Total: INT = 31000  # weight so far", "Weight: INT = 62", "Many", "Fault", "Flash", "Flash_B"), every=((2000, 700, 90, "Egg_LS", 200), (2600, 2100, 20, "Big_LS", 150)))

HOIST = SmallCase(
    "hayhoist", "Corvan Hay Loft, hoist", "The hoist will not start; the start button does nothing.", "Hoist", ("field-input", "Stop_PB"), ("reset-by",),
    ("The stop button is wired normally closed, as it should be: a broken wire stops. But the rung that resets the hoist reads it as if it were normally open: it resets all the time.",
     "Set and reset have power in one scan, and the reset comes later and dominates. The answer leads to the stop, and says that the rung reads it the wrong way round."),
    {"Hoist": ("Start_PB Door_LS /Fault (S Run)  # start", "Stop_PB (R Run)  # stop", "Run /Top_LS (Hoist)", "Run /Hoist TON:Rest_T:T#1s (Ready)", "Hoist TON:Long_T:T#40s (S Fault)", "/Trip_N (S Fault)", "Hoist CTU:Lifts:9999:Ack (Count_Full)",
               *everyday(("Hoist", "Ready")))},
    ("Start_PB, S-1, loft door/1, NO, start", "Stop_PB, S-2, loft door/2, NC, stop button", "Door_LS, LS-3, loft door/3, NO, trap door closed", "Top_LS, LS-4, ridge/1, NO, hoist at the top", "Trip_N, Q-5, panel/1, NC, protection", "Ack, S-6, loft door/4, NO, acknowledge",
     "Lamp_Test, S-7, loft door/5, NO, lamp test"),
    ("Hoist, K-1, panel/21, , hoist", "Ready, H-2, loft door/11, , ready", "Lamp_Hoist, H-3, loft door/12, , lamp", "Lamp_Ready, H-4, loft door/13, , lamp", "Horn, H-5, barn/1, , horn"),
    ((0, "Door_LS", 1), (2000, "Start_PB", 1), (2500, "Start_PB", 0), (5000, "Start_PB", 1), (5600, "Start_PB", 0)), 8000, ("Run", "Fault", "Count_Full", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN)

LOFT = SmallCase(
    "dryingloft", "Bratton Drying Loft, heaters", "Heater two never comes on, however damp the cloth is.", "Heater_2", ("constant", None), ("rung-false", "not-met", "set-by"),
    ("How many heaters may work is a number that the rungs compare. A rung moves 1 into it in every scan, whatever happens: summer's setting, left in the program.",
     "No device decides it: the answer ends in the literal, with the rung where it stands. Pressing, measuring and exchanging things on the loft is in vain."),
    {"Loft": ("MOVE(1)>Allowed  # heaters that may work", "[Start_PB|Drying] Stop_N /Fault (Drying)  # drying is asked for", "GE(Allowed,1) Drying Damp_B (Heater_1)  # heater one", "GE(Allowed,2) Drying Damp_B (Heater_2)  # heater two",
              "Drying TON:Fan_T:T#2s (Fan)", "/Trip_N (S Fault)", "Heater_1 CTU:Runs:9999:Ack (Count_Full)", "Damp_B TON:Damp_T:T#8h (Damp_Long)", *everyday(("Heater_1", "Heater_2")))},
    ("Start_PB, S-1, loft door/1, NO, start drying", "Stop_N, S-2, loft door/2, NC, stop", "Damp_B, B-3, loft/3, NO, cloth is damp", "Trip_N, Q-4, panel/1, NC, protection", "Ack, S-5, loft door/3, NO, acknowledge", "Lamp_Test, S-6, loft door/4, NO, lamp test"),
    ("Heater_1, K-1, panel/21, , heater one", "Heater_2, K-2, panel/22, , heater two", "Fan, K-3, panel/23, , fan", "Lamp_Heater_1, H-4, loft door/11, , lamp", "Lamp_Heater_2, H-5, loft door/12, , lamp", "Horn, H-6, stairs/1, , horn"),
    ((1000, "Start_PB", 1), (1300, "Start_PB", 0), (4000, "Damp_B", 1), (9000, "Damp_B", 0), (11_000, "Damp_B", 1)), 20_000,
    ("Allowed: INT  # heaters that may work", "Drying", "Count_Full", "Damp_Long", "Fault", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN)
