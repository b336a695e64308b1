"""Faults in the field, in tasks and in the log: short pulses, held tasks, behind the output, what nobody recorded or wrote, too few pulses, a level without a dead band."""

from __future__ import annotations

from whorlograph.model.program import Task
from whorlograph.model.question import Symptom

from .kit import SmallCase, everyday

BAKERY = SmallCase(
    "bakery", "Ferris Bakery, dough divider", "The tray is not pushed on although twelve pieces lie on it.", "Pusher", ("field-input", "Piece_LS"), ("rung-false", "counter-short"),
    ("A counter counts pieces of dough; at twelve the pusher moves the tray on. It stands at eleven.",
     "One pulse is missing: it came while the reset stood, or was shorter than a scan. The answer goes to what counts it, the piece sensor, with how often and how short its pulses were."),
    {"Divider": ("Piece_LS Belt CTU:Pieces:12:Pushed (Tray_Full)  # twelve pieces a tray", "Tray_Full /Push_End_LS (Pusher)  # push the tray on", "Push_End_LS (Pushed)", "[Start_PB|Belt] Stop_N /Fault (Belt)", "/Trip_N (S Fault)",
                 "Belt /Piece_LS TON:Empty_T:T#20s (Empty)", *everyday(("Belt", "Pusher")))},
    ("Piece_LS, B-1, divider outlet/3, NO, piece of dough passes", "Push_End_LS, LS-2, pusher/1, NO, pusher out", "Start_PB, S-3, divider/1, NO, start", "Stop_N, S-4, divider/2, NC, stop", "Trip_N, Q-5, panel/1, NC, protection", "Ack, S-6, divider/3, NO, acknowledge",
     "Lamp_Test, S-7, divider/4, NO, lamp test"),
    ("Belt, K-1, panel/21, , belt", "Pusher, Y-2, pusher/21, , pusher", "Lamp_Belt, H-3, divider/11, , lamp", "Lamp_Pusher, H-4, divider/12, , lamp", "Horn, H-5, hall/1, , horn"),
    ((500, "Start_PB", 1), (800, "Start_PB", 0), *((1500 + 800 * n + d, "Piece_LS", v) for n in range(11) for d, v in ((0, 1), (120, 0)))), 14_000, ("Tray_Full", "Pushed", "Empty", "Fault", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN)

QUARRY = SmallCase(
    "quarry", "Slaidhill Quarry, weigh bridge", "The barrier does not open when a lorry's card is read.", "Barrier", ("field-input", "Card_OK"), ("missed-pulse",),
    ("The card reader gives a pulse of 60 ms. The rung that looks at it runs in a task that comes every 200 ms, to spare the controller.",
     "The pulse came and went between two runs. Whether it is seen depends on chance: three cards in ten work. Make the pulse longer, or let the task come more often."),
    {"Fast": ("[Start_PB|Belt] Stop_N /Fault (Belt)", "/Trip_N (S Fault)", "Belt TON:Warm_T:T#2s (Warm)", "Lorry_LS (Lamp_Lorry)", *everyday(("Belt",))),
     "Gate": ("[Card_OK|Barrier] Lorry_LS /Gate_Top_LS (Barrier)  # open the barrier", "Barrier TON:Gate_T:T#6s (Gate_Slow)", "Gate_Slow /Gate_Top_LS (S Fault)")},
    ("Card_OK, A-1, card post/1, NO, card was read", "Lorry_LS, B-2, weigh bridge/1, NO, lorry on the bridge", "Gate_Top_LS, LS-3, barrier/1, NO, barrier open", "Start_PB, S-4, hut/1, NO, belt start", "Stop_N, S-5, hut/2, NC, stop", "Trip_N, Q-6, panel/1, NC, protection",
     "Ack, S-7, hut/3, NO, acknowledge", "Lamp_Test, S-8, hut/4, NO, lamp test"),
    ("Barrier, K-1, panel/21, , barrier", "Belt, K-2, panel/22, , belt", "Lamp_Belt, H-3, hut/11, , lamp", "Lamp_Lorry, H-4, hut/12, , lorry waits", "Horn, H-5, hut/13, , horn"),
    ((0, "Lorry_LS", 0), (4000, "Lorry_LS", 1), (5050, "Card_OK", 1), (5110, "Card_OK", 0)), 9000, ("Warm", "Gate_Slow", "Fault", "Flash", "Flash_B"), tasks={"Gate": Task("Slow", 5, "T#200ms", "")}, symptom=Symptom.WILL_NOT_PULL_IN)

DAIRY = SmallCase(
    "dairy", "Highlea Dairy, cooler", "The cooler's agitator stands still although its lamp is lit.", "Agitator", ("mismatch", "Agitator"), (),
    ("The log recorded the agitator's real state, from its contactor. The program computes it on, the log has it off: the fault lies behind the output.",
     "Not a contact in the program is open. Look at the output card, the fuse, the wire and the contactor."),
    {"Cooler": ("[Cool_PB|Cooling] Stop_N /Fault (Cooling)  # cooling is asked for", "Cooling Lid_LS (Agitator)  # agitator", "Cooling Temp_High TON:Comp_T:T#3s (Compressor)", "/Trip_N (S Fault)", "Agitator CTU:Runs:9999:Ack (Count_Full)", "Cooling TON:Ready_T:T#8s (Ready)",
                *everyday(("Agitator", "Compressor")))},
    ("Cool_PB, S-1, cooler/1, NO, cooling on", "Stop_N, S-2, cooler/2, NC, stop", "Lid_LS, LS-3, cooler/3, NO, lid closed", "Temp_High, B-4, cooler/4, NO, milk too warm", "Trip_N, Q-5, panel/1, NC, protection", "Ack, S-6, cooler/5, NO, acknowledge", "Lamp_Test, S-7, cooler/6, NO, lamp test"),
    ("Agitator, K-11, panel/21, , agitator contactor", "Compressor, K-12, panel/22, , compressor", "Lamp_Agitator, H-1, cooler/11, , lamp", "Lamp_Compressor, H-2, cooler/12, , lamp", "Horn, H-3, hall/1, , horn"),
    ((0, "Lid_LS", 1), (0, "Temp_High", 1), (2000, "Cool_PB", 1), (2400, "Cool_PB", 0)), 20_000, ("Cooling", "Count_Full", "Ready", "Fault", "Flash", "Flash_B"), recorded=((0, "Agitator", 0), (2020, "Agitator", 1), (9400, "Agitator", 0)), symptom=Symptom.DROPPED_OUT)

WINDPUMP = SmallCase(
    "windpump", "Dry Fen, wind pump", "The drain pump will not start, although the ditch is full.", "Drain", ("log-gap", "Ditch_High"), ("rung-false",),
    ("The rung waits for the ditch's level switch. The recorder was never told to record that input: it is taken as declared, off.",
     "The answer says so instead of blaming the switch: read the input at its card now, and record it next time. Without a row nothing is known of it."),
    {"Fen": ("Ditch_High /Fault Auto_Sw Trip_N (Drain)  # drain while the ditch is full", "Wind_OK TON:Wind_T:T#5s (Mill_Free)", "Mill_Free /Drain (Mill)", "Drain TON:Long_T:T#30m (S Fault)", "/Trip_N (S Fault)", "Drain CTU:Runs:9999:Ack (Count_Full)", *everyday(("Drain", "Mill")))},
    ("Ditch_High, B-1, ditch/1, NO, ditch is full", "Auto_Sw, S-2, hut/1, NO, automatic", "Wind_OK, B-3, mast/1, NO, wind enough", "Trip_N, Q-4, hut/2, NC, protection", "Ack, S-5, hut/3, NO, acknowledge", "Lamp_Test, S-6, hut/4, NO, lamp test"),
    ("Drain, K-1, hut/21, , drain pump", "Mill, Y-2, mast/2, , mill brake off", "Lamp_Drain, H-3, hut/11, , lamp", "Lamp_Mill, H-4, hut/12, , lamp", "Horn, H-5, hut/13, , horn"),
    ((0, "Auto_Sw", 0), (3000, "Auto_Sw", 1), (6000, "Wind_OK", 1), (20_000, "Wind_OK", 0)), 30_000, ("Mill_Free", "Count_Full", "Fault", "Flash", "Flash_B"), unlogged=("Ditch_High",), symptom=Symptom.WILL_NOT_PULL_IN)

BOATHOUSE = SmallCase(
    "boathouse", "Inchmore Boat-house, winch", "The winch cannot be released from the shore since the panel was exchanged.", "Winch", ("initial-value", "Panel_Release"), ("rung-false",),
    ("The rung waits for a tag that the old panel wrote. The new panel does not know it: no rung, no input and no panel writes it any more.",
     "It keeps its declared value for ever. Find out who should write it; no device on the terminal strip will."),
    {"Winch": ("Haul_PB Panel_Release /Fault Rope_OK_N (Winch)  # haul", "Winch TOF:Brake_T:T#2s (Brake)", "Slack_LS TON:Slack_T:T#1s (S Fault)", "Winch CTU:Hauls:9999:Ack (Count_Full)", "Door_LS (Door_Open)", "/Trip_N (S Fault)", *everyday(("Winch", "Brake")))},
    ("Haul_PB, S-1, shore post/1, NO, haul", "Rope_OK_N, LS-2, winch/1, NC, rope switch", "Slack_LS, LS-3, winch/2, NO, rope is slack", "Door_LS, LS-4, door/1, NO, door open", "Trip_N, Q-5, panel/1, NC, protection", "Ack, S-6, shore post/2, NO, acknowledge", "Lamp_Test, S-7, shore post/3, NO, lamp test"),
    ("Winch, K-1, panel/21, , winch", "Brake, Y-2, panel/22, , brake off", "Door_Open, H-3, shore post/11, , door is open", "Lamp_Winch, H-4, shore post/12, , lamp", "Lamp_Brake, H-5, shore post/13, , lamp", "Horn, H-6, house/1, , horn"),
    ((1000, "Door_LS", 1), (3000, "Haul_PB", 1), (5000, "Haul_PB", 0), (8000, "Haul_PB", 1), (9000, "Haul_PB", 0)), 12_000, ("Panel_Release  # released at the panel", "Count_Full", "Fault", "Flash", "Flash_B"), symptom=Symptom.WILL_NOT_PULL_IN)

FORGE = SmallCase(
    "forge", "Cairn Forge, drop hammer", "The hammer's position is not followed any more; the catch will not open.", "Catch", ("field-input", "Guard_LS"), ("task-held",),
    ("The hammer's position is read in a fast task. While the guard is open a rung holds that task; another rung releases it when the guard is locked.",
     "The guard was opened for a moment and locked again, but the releasing rung looks at a switch that has not come back. The task is held since then: what it writes stands still."),
    {"Main": ("/Guard_LS TASK_HOLD('Fast')  # no movement with the guard open", "Guard_LS Locked_LS TASK_RELEASE('Fast')", "/Air_OK TON:Air_T:T#2s (S Fault)", "[Start_PB|Ready] Stop_N /Fault (Ready)", *everyday(("Ready",))),
     "Position": ("Ready Ram_LS /Bottom_LS (Catch)  # open the catch", "Ram_LS CTU:Blows:9999:Ack (Many)", "Ram_LS Bottom_LS (S Fault)  # both at once cannot be")},
    ("Guard_LS, LS-1, guard/1, NO, guard closed", "Locked_LS, LS-2, guard/2, NO, guard locked", "Ram_LS, B-3, frame/1, NO, ram up", "Bottom_LS, B-4, frame/2, NO, ram down", "Air_OK, B-5, air/1, NO, air pressure", "Start_PB, S-6, hammer/1, NO, start", "Stop_N, S-7, hammer/2, NC, stop",
     "Ack, S-8, hammer/3, NO, acknowledge", "Lamp_Test, S-9, hammer/4, NO, lamp test"),
    ("Catch, Y-1, frame/21, , catch", "Ready, H-2, hammer/11, , ready", "Lamp_Ready, H-3, hammer/12, , lamp", "Horn, H-4, hall/1, , horn"),
    ((0, "Guard_LS", 1), (0, "Locked_LS", 1), (0, "Air_OK", 1), (2000, "Start_PB", 1), (2300, "Start_PB", 0), (4000, "Ram_LS", 1), (5000, "Ram_LS", 0), (8000, "Locked_LS", 0), (8200, "Guard_LS", 0), (8900, "Guard_LS", 1), (12_000, "Ram_LS", 1)), 15_000,
    ("Many", "Fault", "Flash", "Flash_B"), tasks={"Position": Task("Fast", 1, "T#5ms", "")}, symptom=Symptom.WILL_NOT_PULL_IN)

WATER_TOWER = SmallCase(
    "watertower", "Brede Water Tower", "The feed pump switches on and off several times a second when the tank is nearly full.", "Feed", ("field-input", "Full_LS"), ("rung-false", "rung-true"),
    ("The pump runs until the float says full. Waves lift and drop the float: there is no dead band, so the pump follows every wave.",
     "Both causes are the same float: the answer gives the rhythm. A second, lower float, or a delay on the way back, gives the pump rest."),
    {"Tower": ("Auto_Sw /Full_LS /Fault Trip_N (Feed)  # feed until full", "Feed TON:Long_T:T#20m (S Fault)", "/Trip_N (S Fault)", "Feed CTU:Starts:9999:Ack (Many)", "Low_LS TON:Low_T:T#5s (Low)", "Low Full_LS TON:Odd_T:T#2s (S Fault)", *everyday(("Feed", "Low")))},
    ("Auto_Sw, S-1, foot/1, NO, automatic", "Full_LS, B-2, tank/1, NO, float: full", "Low_LS, B-3, tank/2, NO, float: low", "Trip_N, Q-4, foot/2, NC, protection", "Ack, S-5, foot/3, NO, acknowledge", "Lamp_Test, S-6, foot/4, NO, lamp test"),
    ("Feed, K-1, foot/21, , feed pump", "Low, H-2, foot/11, , tank is low", "Lamp_Feed, H-3, foot/12, , lamp", "Lamp_Low, H-4, foot/13, , lamp", "Horn, H-5, foot/14, , horn"),
    ((1000, "Auto_Sw", 1), *((12_000 + 260 * n + d, "Full_LS", v) for n in range(14) for d, v in ((0, 1), (140, 0)))), 15_600, ("Many", "Fault", "Flash", "Flash_B"), symptom=Symptom.CHATTERS)

CHEESE = SmallCase(
    "cheesecellar", "Tollard Cheese Cellar", "The turning of the shelves does not start at the full hour.", "Turn", ("field-input", "Hour_Pulse"), ("task-idle",),
    ("The shelves are turned by a task that waits for the hour's pulse of the clock in the office. The task has not run: nothing has triggered it.",
     "Its rungs are right and would do their work. Look at the clock's contact, the task's trigger; the survey shows every task with its runs."),
    {"Cellar": ("[Fan_PB|Fan] Stop_N /Fault (Fan)  # cellar fan", "Fan TON:Air_T:T#4s (Air_OK)", "Moist_High (Dry)", "/Trip_N (S Fault)", "Turn_End_LS (Turned)", "Turned CTU:Turns:9999:Ack (Many)", *everyday(("Fan", "Dry"))),
     "Hourly": ("Air_OK /Turn_End_LS (Turn)  # turn the shelves", "Turn Moist_High (S Fault)")},
    ("Hour_Pulse, P-1, office clock/1, NO, pulse at the full hour", "Fan_PB, S-2, cellar/1, NO, fan on", "Stop_N, S-3, cellar/2, NC, stop", "Moist_High, B-4, cellar/3, NO, too moist", "Turn_End_LS, LS-5, shelf/1, NO, shelves turned", "Trip_N, Q-6, panel/1, NC, protection",
     "Ack, S-7, cellar/4, NO, acknowledge", "Lamp_Test, S-8, cellar/5, NO, lamp test"),
    ("Turn, K-1, panel/21, , turning drive", "Fan, K-2, panel/22, , fan", "Dry, K-3, panel/23, , dryer", "Lamp_Fan, H-4, cellar/11, , lamp", "Lamp_Dry, H-5, cellar/12, , lamp", "Horn, H-6, cellar/13, , horn"),
    ((2000, "Fan_PB", 1), (2400, "Fan_PB", 0), (20_000, "Moist_High", 1), (24_000, "Moist_High", 0)), 30_000, ("Air_OK", "Turned", "Many", "Fault", "Flash", "Flash_B"), tasks={"Hourly": Task("Hour", 3, "", "Hour_Pulse")}, symptom=Symptom.WILL_NOT_PULL_IN)

LIGHTHOUSE = SmallCase(
    "lighthouse", "Gannet Rock, lamp changer", "The main lamp went off in the night although nobody touched its switch.", "Main_Lamp", ("field-input", "Glare_B"), ("preempted",),
    ("A task runs when the photo cell's contact comes on. It switches the main lamp off, for the keeper's eyes when he works in the lantern.",
     "No rung of the main program explains the drop: the task wrote the tag in between. The answer leads on to what triggered the task, the photo cell, which saw a ship's searchlight."),
    {"Light": ("Dusk_B Lamp_Sw (S Main_Lamp)  # on at dusk", "/Dusk_B (R Main_Lamp)  # off at dawn", "Main_Lamp Lens_N (Lens)", "Main_Lamp TON:Warm_T:T#4s (Warm)", "Lens CTU:Turns:9999:Ack (Many)", "/Trip_N (S Fault)", *everyday(("Lens", "Warm"))),
     "Glare": ("Lantern_LS (R Main_Lamp)  # somebody may be in the lantern", "Lantern_LS (S Glare_Seen)")},
    ("Dusk_B, B-1, gallery/1, NO, dusk", "Lamp_Sw, S-2, watch room/1, NO, lamp switch", "Glare_B, B-3, lantern/1, NO, photo cell in the lantern", "Lantern_LS, LS-4, lantern/2, NO, lantern door", "Lens_N, S-5, watch room/2, NC, lens stop", "Trip_N, Q-6, panel/1, NC, protection",
     "Ack, S-7, watch room/3, NO, acknowledge", "Lamp_Test, S-8, watch room/4, NO, lamp test"),
    ("Main_Lamp, K-1, panel/21, , main lamp", "Lens, K-2, panel/22, , lens drive", "Warm, H-3, watch room/11, , lamp is warm", "Lamp_Lens, H-4, watch room/12, , lamp", "Lamp_Warm, H-5, watch room/13, , lamp", "Horn, H-6, watch room/14, , horn"),
    ((0, "Lantern_LS", 1), (2000, "Dusk_B", 1), (3000, "Lamp_Sw", 1), (3500, "Lamp_Sw", 0), (15_000, "Glare_B", 1), (15_400, "Glare_B", 0)), 20_000, ("Glare_Seen", "Many", "Fault", "Flash", "Flash_B"), tasks={"Glare": Task("Flash_Seen", 1, "", "Glare_B")}, symptom=Symptom.DROPPED_OUT)

WEIR = SmallCase(
    "weir", "Hexworthy Weir, sluice gates", "Gate two closed by itself the moment the manual switch was turned back.", "Gate_2", ("field-input", "Manual_Sw"), ("resumed",),
    ("By hand the rungs of the gates are jumped over: their outputs keep what they had. The float had long gone down meanwhile.",
     "When the switch was turned back, the rungs were evaluated again and wrote what their contacts said. The switch is the cause of the drop, the float only what the rung saw."),
    {"Weir": ("Manual_Sw ->By_Hand  # by hand: leave the gates alone", "High_1 Power_OK (Gate_1)  # gate one", "High_2 Power_OK (Gate_2)  # gate two", "By_Hand: [Gate_1|Gate_2] (Flow)", "Flow TON:Long_T:T#30m (S Fault)", "/Trip_N (S Fault)", "Power_B (Power_OK)",
              "Gate_2 CTU:Moves:9999:Ack (Many)", *everyday(("Gate_1", "Gate_2")))},
    ("Manual_Sw, S-1, weir hut/1, NO, manual switch", "High_1, B-2, basin/1, NO, float one", "High_2, B-3, basin/2, NO, float two", "Power_B, B-4, weir hut/2, NO, power", "Trip_N, Q-5, panel/1, NC, protection", "Ack, S-6, weir hut/3, NO, acknowledge", "Lamp_Test, S-7, weir hut/4, NO, lamp test"),
    ("Gate_1, K-1, panel/21, , gate one", "Gate_2, K-2, panel/22, , gate two", "Flow, H-3, weir hut/11, , water flows", "Lamp_Gate_1, H-4, weir hut/12, , lamp", "Lamp_Gate_2, H-5, weir hut/13, , lamp", "Horn, H-6, weir hut/14, , horn"),
    ((0, "Power_B", 1), (2000, "High_2", 1), (6000, "Manual_Sw", 1), (9000, "High_2", 0), (15_000, "Manual_Sw", 0)), 20_000, ("Power_OK", "Many", "Fault", "Flash", "Flash_B"), symptom=Symptom.DROPPED_OUT)
