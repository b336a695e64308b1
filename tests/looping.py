"""Random programs of loops over arrays: of blocks, of timers, of structures, nested, backwards, up to where their counter ends."""

from __future__ import annotations

from random import Random

from tests.building import Rows

GLOBALS = ("X AT %IX0.0 : ARRAY[1..4] OF BOOL; N1 AT %IW2 : INT; Y AT %QX0.0 : ARRAY[1..4] OF BOOL; Lamp AT %QX1.0 : BOOL;"
           " W AT %QW4 : ARRAY[0..3] OF INT;")
BEFORE = """TYPE Drive : STRUCT On : BOOL; Count : INT; Late : BOOL; END_STRUCT; END_TYPE
FUNCTION Twice : INT VAR_INPUT V : INT; END_VAR VAR_IN_OUT K : INT; END_VAR K := K + 1; Twice := V * 2; END_FUNCTION
FUNCTION Half : INT VAR_INPUT V : INT; END_VAR Half := V / 2; END_FUNCTION
FUNCTION_BLOCK Hold VAR_INPUT S, R : BOOL; END_VAR VAR_OUTPUT Q : BOOL; N : INT; END_VAR VAR D : TON; E : R_TRIG; END_VAR
D(IN := S, PT := T#25ms); E(CLK := S); IF E.Q THEN N := N + 1; END_IF; IF D.Q THEN Q := TRUE; END_IF; IF R THEN Q := FALSE; END_IF; END_FUNCTION_BLOCK
"""


def looping_program(r: Random) -> str:
    """A program text; some of its loops can be laid out, others cannot."""
    runs = r.choice(("PROGRAM Main : Main;", "TASK T1(INTERVAL := T#20ms, PRIORITY := 1); PROGRAM Main WITH T1 : Main;"))
    body = "\n".join(_Body(r).statement() for _ in range(r.randint(1, 4)))
    return (f"{BEFORE}PROGRAM Main\nVAR_EXTERNAL X, Y : ARRAY[1..4] OF BOOL; N1 : INT; Lamp : BOOL; W : ARRAY[0..3] OF INT; END_VAR\n"
            "VAR M : ARRAY[1..4] OF Drive; H : ARRAY[1..4] OF Hold; D : ARRAY[1..4] OF TON; E : ARRAY[1..4] OF F_TRIG; I, J, S, Free : INT;\n"
            f"  U : USINT; Few : INT(0..6); Sum : DINT; One : Hold; Grid : ARRAY[1..3, 0..2] OF INT; END_VAR\n{body}\nEND_PROGRAM\n"
            f"CONFIGURATION C VAR_GLOBAL {GLOBALS} END_VAR RESOURCE R ON P {runs} END_RESOURCE END_CONFIGURATION\n")


def looping_rows(r: Random) -> Rows:
    """A log of its inputs."""
    times = sorted(r.randint(0, 40) * 10 for _ in range(14))
    return [(0, "N1", 2), *((t, *r.choice((("X[1]", r.randint(0, 1)), ("X[2]", r.randint(0, 1)), ("X[3]", r.randint(0, 1)), ("X[4]", r.randint(0, 1)),
                                          ("N1", r.randint(-1, 5))))) for t in times), (450, "N1", 1)]


class _Body:
    """Makes statements."""

    def __init__(self, r: Random) -> None:
        self.r = r

    def statement(self) -> str:
        """A loop, or something beside it."""
        r = self.r
        kind = r.random()
        if kind < 0.8:
            return self.loop("I", r.choice(("1 TO 4", "4 TO 1 BY -1", "1 TO 4 BY 2", "1 TO 4", "2 TO 3", "1 TO 4", "3 TO 1", "1 TO 5" if r.random() < 0.3 else "1 TO 4")))
        if kind < 0.9:
            return r.choice(("FOR U := 250 TO 255 DO Sum := Sum + U; IF U = 255 THEN Sum := 0; EXIT; END_IF; END_FOR;",
                             "FOR U := 250 TO 254 DO Sum := (Sum + U) MOD 10000; END_FOR;", "FOR Few := 1 TO 4 DO W[Few - 1] := Few * N1; END_FOR;",
                             "FOR Few := 1 TO 5 DO IF Few < 5 THEN Y[Few] := X[5 - Few]; END_IF; END_FOR;"))
        return r.choice(("Lamp := M[1].On OR H[2].Q;", "S := S + 1; IF S > 3 THEN S := 0; END_IF;", "IF X[1] THEN Free := 3; END_IF;"))

    def loop(self, name: str, range_: str) -> str:
        inner = " ".join(self.inner(name) for _ in range(self.r.randint(1, 4)))
        return f"FOR {name} := {range_} DO\n  {inner}\nEND_FOR;"

    def inner(self, i: str) -> str:
        """What stands in a loop over one to four."""
        r = self.r
        near = r.choice((i, i, i, f"5 - {i}", f"({i} MOD 4) + 1", f"{i} + 1" if r.random() < 0.15 else i, "N1" if r.random() < 0.2 else i))
        return r.choice((
            f"M[{i}].On := X[{near}] AND NOT M[{near}].Late;", f"Y[{i}] := M[{near}].On;", f"IF X[{i}] THEN M[{near}].Count := M[{i}].Count + 1; END_IF;",
            f"H[{near}](S := M[{i}].On, R := X[{r.randint(1, 4)}]); M[{i}].Late := H[{i}].Q;", f"D[{i}](IN := X[{near}], PT := T#30ms); M[{i}].On := D[{i}].Q;",
            f"E[{i}](CLK := X[{i}]); IF E[{i}].Q THEN M[{i}].Count := 0; END_IF;", f"IF {i} = Free THEN Y[{i}] := TRUE; ELSE Y[{i}] := FALSE; END_IF;",
            f"CASE {i} OF 1: Y[1] := X[1]; 2..3: Y[{i}] := X[{i}] AND X[1]; ELSE Y[4] := FALSE; END_CASE;",
            f"CASE M[{i}].Count OF 0: M[{i}].On := FALSE; 1, 2: M[{i}].On := X[{i}]; ELSE M[{i}].Count := 0; END_CASE;",
            f"IF {i} MOD 2 = 0 THEN W[{i} - 1] := N1; ELSE W[{i} - 1] := {i}; END_IF;", f"W[{i} - 1] := Half({i} + N1);", "One(S := X[1], R := X[2]);",
            f"Sum := (Sum + {i}) MOD 1000;", f"S := Twice({i}, K := {r.choice((i, 'Free', 'S'))});", f"IF X[{i}] THEN {r.choice(('EXIT', 'CONTINUE', 'EXIT', f'Free := {i}; EXIT', 'RETURN'))}; END_IF;",
            f"IF X[{i}] AND {i} <> 3 THEN Free := {i}; END_IF;", f"{i} := {i} + 1;" if r.random() < 0.2 else f"Lamp := X[{i}];",
            f"FOR J := 0 TO {r.choice((2, 1, 'N1'))} DO Grid[1, J] := {i} * J + Grid[1, J] MOD 7; END_FOR;",
            f"IF {i} > 1 THEN M[{i}].On := M[{i} - 1].On; END_IF;", f"WHILE M[{i}].Count > 3 DO M[{i}].Count := M[{i}].Count - 1; END_WHILE;"))
