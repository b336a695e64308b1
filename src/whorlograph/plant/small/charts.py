"""A sequential chart, and its program in Structured Text: a step whose transition does not fire."""

from __future__ import annotations

from whorlograph.model.question import Symptom

from .kit import Answer, SmallCase

DYE_HOUSE = SmallCase(
    "dyehouse", "Mossbrae Dye-house, vat two", "The vat's stirrer does not start any more; the dyer stopped the bath and tried twice.", "Stirrer",
    ("field-input", "Warm_TS"), ("step-inactive", "not-met"),
    ("The vat runs by a chart. At the log's end it is at rest again, and lacks nothing but its start: so the answer looks at the last bath, how far that came, and what was missing there. "
     "It waited in Heating, until the dyer stopped it.",
     "The transition to Dyeing asks for the thermostat. In the baths before its contact closed three seconds after the heater came on; in the last two it did not, though the heater was on "
     "for longer. Neither the stirrer nor its contactor is to blame, and the stop button only ended the waiting."),
    {},
    ("Start_PB, S-1, vat desk/1, NO, start of a bath", "Stop_PB, S-2, vat desk/2, NO, stop and drain", "Lid_LS, LS-3, vat/1, NO, lid is shut", "Full_LS, B-4, vat/2, NO, vat is full", "Warm_TS, B-5, vat/3, NO, bath is warm",
     "Empty_LS, B-6, vat/4, NO, vat is empty", "Trip_N, Q-7, panel/1, NC, protection of the stirrer", "Ack, S-8, vat desk/3, NO, acknowledge", "Lamp_Test, S-9, vat desk/4, NO, lamp test"),
    ("Fill_Valve, Y-1, vat/21, , fill valve", "Heater, K-2, panel/21, , heater", "Stirrer, K-3, panel/22, , stirrer", "Drain_Valve, Y-4, vat/22, , drain valve", "Lamp_Bath, H-5, vat desk/11, , lamp: a bath is on its way",
     "Lamp_Fault, H-6, vat desk/12, , lamp: fault", "Horn, H-7, hall/1, , horn"),
    ((0, "Lid_LS", 1), (0, "Empty_LS", 1), (2000, "Start_PB", 1), (2400, "Start_PB", 0), (22_000, "Start_PB", 1), (22_300, "Start_PB", 0), (42_000, "Start_PB", 1), (42_500, "Start_PB", 0),
     (62_000, "Stop_PB", 1), (62_400, "Stop_PB", 0), (70_000, "Start_PB", 1), (70_400, "Start_PB", 0), (86_000, "Stop_PB", 1), (86_300, "Stop_PB", 0)), 100_000,
    ("Turn  # the stirrer is wanted", "Fault", "Baths: DINT  # baths since the last test"), symptom=Symptom.WILL_NOT_PULL_IN,
    answers=(Answer("Fill_Valve", "Full_LS", 2000, 12_000), Answer("Fill_Valve", "Empty_LS", 400, 16_000, inverted=True), Answer("Heater", "Warm_TS", 3000, 2000, only=((0, 40_000),))),
    source="""(* The bath, step by step *)
PROGRAM Vat
INITIAL_STEP Rest: END_STEP
STEP Filling: Fill_Valve(N); END_STEP
STEP Heating: Heater(N); END_STEP
STEP Dyeing: Heater(N); Turn(N); END_STEP
STEP Draining: Count(P); Drain_Valve(N); END_STEP

TRANSITION FROM Rest TO Filling := Start_PB AND Lid_LS AND NOT Fault; END_TRANSITION
TRANSITION FROM Filling TO Heating := Full_LS; END_TRANSITION
TRANSITION FROM Heating TO Dyeing := Warm_TS AND Lid_LS; END_TRANSITION
TRANSITION FROM Dyeing TO Draining := Dyeing.T >= T#4s; END_TRANSITION
TRANSITION FROM Filling TO Draining := Stop_PB OR Fault; END_TRANSITION
TRANSITION FROM Heating TO Draining := Stop_PB OR Fault; END_TRANSITION
TRANSITION FROM Dyeing TO Draining := Stop_PB OR Fault; END_TRANSITION
TRANSITION FROM Draining TO Rest := Draining.T >= T#5s; END_TRANSITION

ACTION Count:
  Baths := Baths + 1;
END_ACTION
END_PROGRAM

(* Lamps, horn and faults *)
PROGRAM Desk
VAR
  Flash_A, Flash_B, Long_Fill : TON;
END_VAR
  Flash_A(IN := NOT Flash_B.Q, PT := T#400ms);
  Flash_B(IN := Flash_A.Q, PT := T#400ms);
  Long_Fill(IN := Fill_Valve AND NOT Full_LS, PT := T#20s);
  IF Long_Fill.Q OR NOT Trip_N THEN
    Fault := TRUE;
  ELSIF Ack THEN
    Fault := FALSE;
  END_IF;
  // the stirrer stands still while the lid is open
  Stirrer := Turn AND Lid_LS AND Trip_N;
  Lamp_Bath := Fill_Valve OR Heater OR Drain_Valve OR Lamp_Test;
  Lamp_Fault := Fault AND Flash_A.Q OR Lamp_Test;
  Horn := Fault AND NOT Ack;
  IF Lamp_Test THEN
    Baths := 0;
  END_IF;
END_PROGRAM
""")
