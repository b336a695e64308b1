"""Programs as they stand in switch rooms, in text: of each question the device, or what else it is, that a person would name first."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from tests.inquiry.test_everyday import Asked, asked
from whorlograph.desk.session import Paths, load
from whorlograph.model.question import Symptom

BLOCKS = """FUNCTION_BLOCK Motor
VAR_INPUT Start, Stop_N, Trip_N, Fb : BOOL; FbTime : TIME := T#1s; END_VAR
VAR_OUTPUT K, Fault : BOOL; END_VAR
VAR T : TON; END_VAR
T(IN := K AND NOT Fb, PT := FbTime);
IF T.Q OR NOT Trip_N THEN Fault := TRUE; END_IF;
IF Fault AND NOT Stop_N THEN Fault := FALSE; END_IF;
K := (Start OR K) AND Stop_N AND NOT Fault;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Scaled
VAR_INPUT R : INT; END_VAR
VAR_OUTPUT V : INT; END_VAR
V := R / 2;
END_FUNCTION_BLOCK
"""
PROGRAMS: dict[str, tuple[str, str, str]] = {  # by name: inputs; outputs; the rest: declarations, a line of dashes, the body
    "motors": ("S1 S0_N F1_N K1_Fb S2 F2_N K2_Fb", "K1 K2 Lamp", """VAR M1, M2 : Motor; END_VAR
---
M1(Start := S1, Stop_N := S0_N, Trip_N := F1_N, Fb := K1_Fb, K => K1);
M2(Start := S2 AND K1, Stop_N := S0_N, Trip_N := F2_N, Fb := K2_Fb, FbTime := T#2s, K => K2);
Lamp := M1.Fault OR M2.Fault;"""),
    "life bit": ("Life Req", "Valve", """VAR Was, Lost : BOOL; T : TON; END_VAR
---
T(IN := Life = Was, PT := T#2s);
Was := Life;
Lost := T.Q;
Valve := Req AND NOT Lost;"""),
    "star and delta": ("On_PB Off_N Line_Fb", "Line Star Delta", """VAR T, P : TON; END_VAR
---
Line := (On_PB OR Line) AND Off_N;
T(IN := Line_Fb, PT := T#4s);
Star := Line AND NOT T.Q AND NOT Delta;
P(IN := T.Q AND NOT Star, PT := T#60ms);
Delta := Line AND P.Q AND NOT Star;"""),
    "first out": ("A_N B_N C_N Ack Start", "FA FB FC Run", """---
IF NOT A_N AND NOT FB AND NOT FC THEN FA := TRUE; END_IF;
IF NOT B_N AND NOT FA AND NOT FC THEN FB := TRUE; END_IF;
IF NOT C_N AND NOT FA AND NOT FB THEN FC := TRUE; END_IF;
IF Ack THEN FA := FALSE; FB := FALSE; FC := FALSE; END_IF;
Run := (Start OR Run) AND NOT FA AND NOT FB AND NOT FC;"""),
    "a flag cleared at the end": ("Edge_LS Run_SW", "Gate", """VAR Kick : BOOL; P : TP; E : R_TRIG; END_VAR
---
E(CLK := Edge_LS);
IF Run_SW AND E.Q THEN Kick := TRUE; END_IF;
P(IN := Kick, PT := T#500ms);
Gate := P.Q;
Kick := FALSE;"""),
    "filling": ("Fill_PB", "Valve", """VAR E : R_TRIG; Total : REAL; Flow AT %ID4 : REAL; END_VAR
---
E(CLK := Fill_PB);
IF E.Q THEN Total := 0.0; Valve := TRUE; END_IF;
IF Valve THEN Total := Total + Flow * 0.01; END_IF;
IF Total >= 5.0 THEN Valve := FALSE; END_IF;"""),
    "an alarm's lamp": ("A Ack", "Lamp Horn", """VAR B1, B2 : TON; New : BOOL; E : R_TRIG; END_VAR
---
B1(IN := NOT B2.Q, PT := T#500ms); B2(IN := B1.Q, PT := T#500ms);
E(CLK := A);
IF E.Q THEN New := TRUE; END_IF;
IF Ack THEN New := FALSE; END_IF;
Lamp := (New AND B1.Q) OR (A AND NOT New);
Horn := New;"""),
    "steps with a time limit": ("Go In_LS Out_LS Ack", "Feed Fault_L", """VAR T : TON; S : INT; END_VAR
---
T(IN := S = 10 OR S = 20, PT := T#3s);
IF S = 0 AND Go THEN S := 10; END_IF;
IF S = 10 AND In_LS THEN S := 20; END_IF;
IF S = 20 AND Out_LS THEN S := 0; END_IF;
IF T.Q THEN S := 99; END_IF;
IF S = 99 AND Ack THEN S := 0; END_IF;
Feed := S = 10;
Fault_L := S = 99;"""),
    "modes": ("Sel_Auto Sel_Hand Up_PB Ready", "Valve", """VAR Mode : INT; END_VAR
---
IF Sel_Auto THEN Mode := 2; ELSIF Sel_Hand THEN Mode := 1; ELSE Mode := 0; END_IF;
CASE Mode OF
  1: Valve := Up_PB;
  2: Valve := Ready;
ELSE Valve := FALSE;
END_CASE;"""),
    "contactors both ways": ("Fwd_PB Rev_PB Stop_N Fwd_Aux Rev_Aux", "Fwd_K Rev_K", """VAR F, R : TOF; END_VAR
---
F(IN := Fwd_Aux, PT := T#5s);
R(IN := Rev_Aux, PT := T#5s);
Fwd_K := (Fwd_PB OR Fwd_Aux) AND Stop_N AND NOT R.Q;
Rev_K := (Rev_PB OR Rev_Aux) AND Stop_N AND NOT F.Q;"""),
    "two of three": ("T1 T2 T3", "Fan", """VAR N : INT; END_VAR
---
N := BOOL_TO_INT(T1) + BOOL_TO_INT(T2) + BOOL_TO_INT(T3);
Fan := N >= 2;"""),
    "a ramp": ("En", "At_Speed", """VAR Tick : TON; Ref : INT; SP : INT := 100; END_VAR
---
Tick(IN := NOT Tick.Q, PT := T#100ms);
IF NOT En THEN Ref := 0;
ELSIF Tick.Q AND Ref < SP THEN Ref := Ref + 5; END_IF;
At_Speed := En AND Ref >= SP - 5;"""),
    "an encoder": ("Enc Dir Home", "In_Pos", """VAR C : CTUD; END_VAR
---
C(CU := Enc AND Dir, CD := Enc AND NOT Dir, R := Home, LD := FALSE, PV := 10);
In_Pos := C.CV >= 4 AND C.CV <= 6;"""),
    "phases with a pause": ("Start Pause_SW Full", "V1 Mix", """VAR Ph : INT; T : TON; END_VAR
---
IF NOT Pause_SW THEN
  CASE Ph OF
    0: IF Start THEN Ph := 1; END_IF;
    1: IF Full THEN Ph := 2; END_IF;
    2: T(IN := TRUE, PT := T#4s); IF T.Q THEN Ph := 0; T(IN := FALSE); END_IF;
  END_CASE;
END_IF;
V1 := Ph = 1 AND NOT Pause_SW;
Mix := Ph = 2 AND NOT Pause_SW;"""),
    "debounced votes": ("I1 I2 I3", "Any", """VAR D : ARRAY[1..3] OF TON; B : ARRAY[1..3] OF BOOL; K, N : INT; END_VAR
---
B[1] := I1; B[2] := I2; B[3] := I3;
N := 0;
FOR K := 1 TO 3 DO
  D[K](IN := B[K], PT := T#100ms);
  IF D[K].Q THEN N := N + 1; END_IF;
END_FOR;
Any := N >= 2;"""),
    "batches": ("Part New_PB", "Full", """VAR E : R_TRIG; N : INT; END_VAR
---
E(CLK := Part);
IF New_PB THEN N := 0; END_IF;
IF E.Q THEN N := N + 1; END_IF;
Full := N >= 3;"""),
    "a level scaled on request": ("En", "High", """VAR S : Scaled; Raw AT %IW4 : INT; Level : INT; END_VAR
---
IF En THEN S(R := Raw); END_IF;
Level := S.V;
High := Level > 100;"""),
    "a flow switch bridged at the start": ("Start Stop_N Flow", "Pump", """VAR T : TON; END_VAR
---
T(IN := Pump, PT := T#3s);
Pump := (Start OR Pump) AND Stop_N AND (Flow OR NOT T.Q);"""),
    "oil pressure and level": ("Start Stop_N Oil Level", "Motor_K", """VAR T : TP; Ok : BOOL; END_VAR
---
T(IN := Start, PT := T#4s);
Ok := T.Q OR (Oil AND Level);
Motor_K := (Start OR Motor_K) AND Stop_N AND Ok;"""),
    "a fan that runs on": ("Heat Hand", "Fan", """VAR T : TOF; END_VAR
---
T(IN := Heat, PT := T#3s);
Fan := T.Q OR Hand;"""),
    "a light with a time": ("Btn Hand", "Lamp", """VAR T : TON; END_VAR
---
T(IN := Lamp AND NOT Btn, PT := T#3s);
Lamp := (Btn OR Lamp) AND (Hand OR NOT T.Q);"""),
    "two sums on one word": ("A B C", "Y Z", """VAR N : INT; END_VAR
---
N := 0;
IF A THEN N := N + 2; END_IF;
Z := N >= 1;
N := 0;
IF B THEN N := N + 3; END_IF;
IF C THEN N := N + 2; END_IF;
Y := N >= 2;"""),
    "two sums on one real number": ("A B C", "Y Z", """VAR N : REAL; END_VAR
---
N := 0.5;
IF A THEN N := N + 2.0; END_IF;
Z := N >= 1.0;
N := 0.5;
IF B THEN N := N + 3.0; END_IF;
IF C THEN N := N + 2.0; END_IF;
Y := N >= 2.0;"""),
    "off, then set, then reset": ("S R", "Y", """---
Y := FALSE;
IF S THEN Y := TRUE; END_IF;
IF R THEN Y := FALSE; END_IF;"""),
    "steps with names": ("Go Full Hot", "H", """VAR S : (Idle, Fill, Heat) := Idle; END_VAR
---
IF S = Idle AND Go THEN S := Fill; END_IF;
IF S = Fill AND Full THEN S := Heat; END_IF;
IF S = Heat AND Hot THEN S := Idle; END_IF;
H := S = Heat;"""),
    "steps as texts": ("Go Full Hot", "H", """VAR S : STRING := 'Idle'; END_VAR
---
IF S = 'Idle' AND Go THEN S := 'Fill'; END_IF;
IF S = 'Fill' AND Full THEN S := 'Heat'; END_IF;
IF S = 'Heat' AND Hot THEN S := 'Idle'; END_IF;
H := S = 'Heat';"""),
    "stairs": ("S1 S2 S3", "Light", """---
Light := S1 XOR S2 XOR S3;"""),
}
UP = "0 S0_N 1, 0 F1_N 1, 0 F2_N 1, 0 K1_Fb 0, 0 K2_Fb 0, 1 S1 1, 1.02 K1_Fb 1, 1.4 S1 0, "
FIRST_OUT = "0 A_N 1, 0 B_N 1, 0 C_N 1, 1 Start 1, 1.3 Start 0, 4 B_N 0, 4.01 A_N 0, 4.02 C_N 0, 5 B_N 1, 6 A_N 1, 6.1 C_N 1, 8 Start 1, 8.2 Start 0, 9 A_N 1"
STEPS = "0 Go 0, 0 In_LS 0, 0 Out_LS 0, 0 Ack 0, 1 Go 1, 1.3 Go 0, 2 In_LS 1, 2.5 In_LS 0, 7 Go 1, 7.4 Go 0, 9 Ack 0"
OFF, STAYS_OFF, STAYS_ON, FLASHES = Symptom.DROPPED_OUT, Symptom.WILL_NOT_PULL_IN, Symptom.WILL_NOT_DROP_OUT, Symptom.CHATTERS
QUESTIONS: tuple[tuple[str, str, str, Symptom, str, bool | None, str], ...] = (  # program, log, tag, symptom, first root, proved, something that is said
    ("motors", UP + "3 S2 1, 3.3 S2 0, 8 S0_N 1", "K2", OFF, "K2_Fb", True, "would have ended the time of T, and has not come"),
    ("motors", UP + "3 S2 1, 3.3 S2 0, 8 S0_N 1", "Lamp", STAYS_ON, "K2_Fb", True, ""),
    ("motors", UP + "5 F1_N 0, 5.02 K1_Fb 0, 5.3 F1_N 1, 9 S0_N 1", "K1", OFF, "F1_N", True, ""),
    ("life bit", "0 Req 1, " + ", ".join(f"{n * 0.5 + 0.3} Life {n % 2}" for n in range(1, 14)) + ", 12 Req 1", "Valve", OFF, "Life", True,
     "Life ended that 6 of 6 times before"),
    ("star and delta", "0 Off_N 1, 0 Line_Fb 0, 1 On_PB 1, 1.4 On_PB 0, 9 Off_N 1", "Delta", STAYS_OFF, "Line_Fb", True, ""),
    ("star and delta", "0 Off_N 1, 0 Line_Fb 0, 1 On_PB 1, 1.02 Line_Fb 1, 1.4 On_PB 0, 9 Off_N 0, 9.03 Line_Fb 0, 9.5 Off_N 1", "Delta", OFF, "Off_N", True, ""),
    ("first out", FIRST_OUT, "Run", OFF, "B_N", True, ""),
    ("first out", FIRST_OUT, "FA", STAYS_OFF, "B_N", True, ""),
    ("a flag cleared at the end", "0 Run_SW 0, 1 Edge_LS 1, 1.2 Edge_LS 0, 3 Edge_LS 1, 3.1 Edge_LS 0, 5 Run_SW 1, 6 Run_SW 1", "Gate", STAYS_OFF, "Edge_LS", True,
     "Kick is written off in"),
    ("filling", "0 Fill_PB 0, 0 Main.Flow 0.0, 1 Fill_PB 1, 1.1 Main.Flow 2.0, 1.2 Fill_PB 0, 8 Main.Flow 2.0", "Valve", OFF, "Main.Flow", True, ""),
    ("filling", "0 Fill_PB 0, 0 Main.Flow 0.0, 1 Fill_PB 1, 1.1 Main.Flow 2.0, 1.2 Fill_PB 0, 2 Main.Flow 0.0, 8 Main.Flow 0.0", "Valve", STAYS_ON, "Fill_PB", True,
     " and changes nothing"),
    ("an alarm's lamp", "0 A 0, 0 Ack 0, 3 A 1, 3.5 A 0, 9 Ack 0", "Lamp", FLASHES, "A", True, "with Ack off, after A went on at 3.000 s"),
    ("an alarm's lamp", "0 A 0, 0 Ack 0, 3 A 1, 3.5 A 0, 9 Ack 0", "Horn", STAYS_ON, "A", True, ""),
    ("steps with a time limit", STEPS, "Fault_L", STAYS_ON, "Out_LS", True, ""),
    ("steps with a time limit", STEPS, "Feed", STAYS_OFF, "Ack", True, "wanted 10"),
    ("modes", "0 Sel_Auto 0, 0 Sel_Hand 1, 0 Ready 0, 1 Up_PB 1, 4 Sel_Hand 0, 4.2 Sel_Auto 1, 8 Ready 0", "Valve", OFF, "Sel_Hand", True, ""),
    ("modes", "0 Sel_Hand 1, 0 Ready 0, 1 Sel_Hand 0, 1.1 Sel_Auto 1, 5 Up_PB 1, 6 Up_PB 0, 8 Ready 0", "Valve", STAYS_OFF, "Ready", True, ""),
    ("contactors both ways", "0 Stop_N 1, 1 Fwd_PB 1, 1.02 Fwd_Aux 1, 1.4 Fwd_PB 0, 6 Stop_N 0, 6.02 Fwd_Aux 0, 6.4 Stop_N 1, 8 Rev_PB 1, 8.5 Rev_PB 0, 9 Rev_PB 0",
     "Rev_K", STAYS_OFF, "Fwd_Aux", True, "3.02 s still to run"),
    ("contactors both ways", "0 Stop_N 1, 0 Fwd_Aux 0, 1 Fwd_PB 1, 1.4 Fwd_PB 0, 3 Fwd_PB 1, 3.3 Fwd_PB 0, 6 Stop_N 1", "Fwd_K", OFF, "Fwd_Aux", True,
     "it stands where a seal-in would"),
    ("two of three", "0 T1 0, 0 T2 0, 0 T3 0, 3 T2 1, 8 T1 0", "Fan", STAYS_OFF, "T1", True, "of T1 off, T2 on, T3 off"),
    ("two of three", "0 T1 1, 0 T2 1, 0 T3 0, 3 T2 0, 8 T1 1", "Fan", OFF, "T2", True, ""),
    ("a ramp", "0 En 1, 1 En 0, 1.05 En 1, 2.5 En 1", "At_Speed", STAYS_OFF, "En", True, "so it was set back on its way, from 40"),
    ("an encoder", "0 Dir 0, 0 Home 0, " + ", ".join(f"{1 + 0.4 * n:.1f} Enc 1, {1.2 + 0.4 * n:.1f} Enc 0" for n in range(9)) + ", 8 Dir 0", "In_Pos", STAYS_OFF,
     "Dir", True, "C was counted down at 4.200 s instead"),
    ("an encoder", "0 Dir 1, 0 Home 0, " + ", ".join(f"{1 + 0.4 * n:.1f} Enc 1, {1.2 + 0.4 * n:.1f} Enc 0" for n in range(9)) + ", 8 Dir 1", "In_Pos", OFF,
     "Enc", True, ""),
    ("phases with a pause", "0 Start 0, 0 Pause_SW 0, 0 Full 0, 1 Start 1, 1.3 Start 0, 2 Pause_SW 1, 3 Full 1, 4 Full 0, 5 Pause_SW 0, 9 Full 0", "Mix", STAYS_OFF,
     "Pause_SW", True, "Full was on for 1 s at 3.000 s, when NOT Pause_SW blocked"),
    ("phases with a pause", "0 Start 0, 0 Pause_SW 0, 0 Full 0, 1 Start 1, 1.3 Start 0, 2 Pause_SW 1, 6 Pause_SW 1", "V1", OFF, "Pause_SW", True, ""),
    ("debounced votes", "0 I1 1, 0 I2 0, 0 I3 0, 2 I2 1, 2.05 I2 0, 8 I1 1", "Any", STAYS_OFF, "I2", True, ""),
    ("batches", "0 Part 0, 0 New_PB 0, " + ", ".join(f"{n} Part 1, {n}.4 Part 0" for n in (1, 2, 3)) + ", 4 New_PB 1, 4.2 New_PB 0, 5 Part 1, 5.4 Part 0, 9 Part 0",
     "Full", STAYS_OFF, "Part", False, ""),
    ("batches", "0 Part 0, 0 New_PB 0, " + ", ".join(f"{n} Part 1, {n}.4 Part 0" for n in (1, 2)) + ", 4 New_PB 1, 4.2 New_PB 0, 5 Part 1, 5.4 Part 0, 9 Part 0",
     "Full", STAYS_OFF, "New_PB", True, "so it was set back on its way, from 2"),
    ("a level scaled on request", "0 En 1, 0 Main.Raw 100, 2 En 0, 3 Main.Raw 400, 8 En 0", "High", STAYS_OFF, "En", True, "not been called"),
    ("a level scaled on request", "0 En 1, 0 Main.Raw 300, 2 En 0, 3 Main.Raw 100, 8 En 0", "High", STAYS_ON, "En", True, "not been called"),
    ("a level scaled on request", "0 En 1, 0 Main.Raw 100, 2 En 1, 3 Main.Raw 180, 8 En 1", "High", STAYS_OFF, "Main.Raw", False, ""),
    ("a flow switch bridged at the start", "0 Stop_N 1, 0 Flow 0, 1 Start 1, 1.3 Start 0, 8 Flow 0", "Pump", OFF, "Flow", True, "would have taken over when T ran out, and has not come"),
    ("a flow switch bridged at the start", "0 Stop_N 1, 0 Flow 0, 1 Start 1, 1.3 Start 0, 5 Flow 1, 8 Flow 0", "Pump", OFF, "Flow", True, "came 990 ms too late"),
    ("a flow switch bridged at the start", "0 Stop_N 1, 0 Flow 0, 1 Start 1, 1.3 Start 0, 2 Flow 1, 3 Flow 0, 8 Flow 0", "Pump", OFF, "Flow", True,
     "would have taken over when T ran out, and became FALSE at 3.000 s"),
    ("a flow switch bridged at the start", "0 Stop_N 1, 0 Flow 0, " + ", ".join(
        f"{n} Start 1, {n}.3 Start 0, {n + 2} Flow 1, {n + 6} Stop_N 0, {n + 6}.4 Stop_N 1, {n + 7} Flow 0" for n in (1, 11, 21)) + ", 31 Start 1, 31.3 Start 0, 38 Flow 0",
     "Pump", OFF, "Flow", True, "took over when T ran out 3 of 3 times before"),
    ("oil pressure and level", "0 Stop_N 1, 0 Oil 1, 0 Level 0, 1 Start 1, 1.3 Start 0, 8 Oil 1", "Motor_K", OFF, "Level", True, "would have taken over when"),
    ("oil pressure and level", "0 Stop_N 1, 0 Oil 0, 0 Level 0, 1 Start 1, 1.3 Start 0, 2 Level 1, 3 Level 0, 8 Oil 0", "Motor_K", OFF, "Oil", True,
     "Oil would have taken over with Level when T ran out, and has not come"),
    ("a fan that runs on", "0 Hand 0, 0 Heat 0, 1 Heat 1, 4 Heat 0, 12 Heat 0", "Fan", OFF, "Heat", True, "ran out 3 s after its input fell"),
    ("a light with a time", "0 Hand 0, 0 Btn 0, " + ", ".join(f"{n} Btn 1, {n}.3 Btn 0" for n in range(1, 60, 6)) + ", 70 Btn 0", "Lamp", OFF, "Btn", True, ""),
    ("two sums on one word", "0 A 0, 0 B 0, 0 C 1, 4 C 0, 8 A 0", "Y", OFF, "C", True, "the condition for N := N + 2 (executed the scan before) is FALSE in Main 23: C blocks"),
    ("two sums on one word", "0 A 1, 0 B 0, 0 C 1, 4 C 0, 8 A 1", "Y", OFF, "C", True, "Main.N was written by N := 0 in Main 21"),
    ("two sums on one word", "0 A 1, 0 B 0, 0 C 1, 4 A 0, 8 A 0", "Z", OFF, "A", True, "Main.N was written by N := 0 in Main 18"),
    ("two sums on one word", "0 A 1, 0 B 0, 0 C 0, 4 A 0, 8 A 0", "Y", STAYS_OFF, "B", True, "what adds to Main.N is FALSE in Main 23: C blocks"),
    ("two sums on one word", "0 A 0, 0 B 1, 0 C 1, 4 C 0, 8 A 0", "Y", STAYS_ON, "B", True, "Main.N was written by N := 0 in Main 21"),
    ("two sums on one real number", "0 A 0, 0 B 0, 0 C 1, 4 C 0, 8 A 0", "Y", OFF, "C", True, "(executed the scan before) is FALSE in Main 23: C blocks"),
    ("off, then set, then reset", "0 S 0, 0 R 0, 3 R 1, 8 R 1", "Y", STAYS_OFF, "S", True, "Y was reset by Main 19: R"),
    ("off, then set, then reset", "0 S 0, 0 R 0, 2 S 1, 3 R 1, 8 R 1", "Y", OFF, "R", True, ""),
    ("steps with names", "0 Go 0, 0 Full 0, 0 Hot 0, 1 Go 1, 1.3 Go 0, 9 Go 0", "H", STAYS_OFF, "Full", True, "(S is Fill); wanted Heat"),
    ("steps as texts", "0 Go 0, 0 Full 0, 0 Hot 0, 1 Go 1, 1.3 Go 0, 9 Go 0", "H", STAYS_OFF, "Full", True, "(S is 'Fill'); wanted 'Heat'"),
    ("steps as texts", "0 Go 0, 0 Full 0, 0 Hot 0, 1 Go 1, 1.3 Go 0, 3 Full 1, 3.5 Full 0, 9 Go 0", "H", STAYS_ON, "Full", True,
     "the write that leaves 'Heat' is FALSE in Main 20: Hot blocks"),
    ("steps as texts", "0 Go 0, 0 Full 0, 0 Hot 0, 1 Go 1, 1.3 Go 0, 3 Full 1, 3.5 Full 0, 6 Hot 1, 9 Hot 0", "H", OFF, "Hot", True, "S := 'Idle'"),
    ("stairs", "0 S1 0, 0 S2 1, 0 S3 0, 3 S3 1, 5 S1 0", "Light", OFF, "S3", True, ""),
)


def answered(program: str, log: str, tag: str, symptom: Symptom) -> Asked:
    """The question asked of the files, as a person would have them."""
    inputs, outputs, rest = PROGRAMS[program]
    declared, _, body = rest.partition("---\n")
    points = [(name, f"%{area}X{n // 8}.{n % 8}") for area, names in (("I", inputs), ("Q", outputs)) for n, name in enumerate(names.split())]
    text = (f"{BLOCKS}PROGRAM Main\nVAR_EXTERNAL {', '.join(n for n, _ in points)} : BOOL; END_VAR\n{declared}{body}\nEND_PROGRAM\nCONFIGURATION Plant\n"
            f"VAR_GLOBAL\n{''.join(f'{n} AT {a} : BOOL;' for n, a in points)}\nEND_VAR\nRESOURCE R ON CPU\nPROGRAM Main : Main;\nEND_RESOURCE\nEND_CONFIGURATION\n")
    with TemporaryDirectory() as folder:
        place = Path(folder)
        (place / "p.st").write_text(text)
        (place / "l.csv").write_text("time,tag,value\n" + "\n".join(row.strip().replace(" ", ",") for row in log.split(", ")) + "\n")
        session = load(Paths(place / "p.st", (place / "l.csv",)))
        assert not session.notices, [str(n) for n in session.notices]
        return asked(session, tag, symptom=symptom)


class EverydayPrograms(unittest.TestCase):
    """Each question once."""

    def test_every_question(self) -> None:
        for program, log, tag, symptom, first, proved, said in QUESTIONS:
            with self.subTest(program=program, tag=tag, symptom=symptom):
                found = answered(program, log, tag, symptom)
                self.assertEqual(found.roots[0], ("field-input", first, proved), found.text)
                self.assertIn(said, found.text)
                self.assertEqual("set back on its way" in said, "set back on its way" in found.text, found.text)


if __name__ == "__main__":
    unittest.main()
