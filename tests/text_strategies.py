"""Random programs in Structured Text, as the text of a file: all statements, types, calls; faults happen."""

from __future__ import annotations

from random import Random

import numpy as np

from whorlograph.model.literals import raw
from whorlograph.model.log import Log
from whorlograph.model.tags import Running

WHOLE = ("SINT", "INT", "DINT", "LINT", "USINT", "UINT", "UDINT")
BITS = ("BYTE", "WORD", "DWORD", "LWORD")
TYPES = ("BOOL", *WHOLE, *BITS, "REAL", "LREAL", "TIME", "STRING", "DT", "TOD", "DATE")


class Texts:
    """Writes one file."""

    def __init__(self, random: Random) -> None:
        self.r = random
        self.names: dict[str, list[str]] = {}
        self.frozen: set[str] = set()
        self.depth = 0
        self.loops = 0
        self.calls: list[tuple[str, str]] = []

    def file(self) -> str:
        """Types, a function, a block, one or two programs, a configuration."""
        r = self.r
        out = ["TYPE Mode : (Idle, Run, Trip) := Run; Pair : STRUCT A : INT := 3; B : BOOL; L : ARRAY[0..2] OF DINT := [5, 2(7)]; END_STRUCT;",
               " Short : INT (-5..20); END_TYPE"]
        own = {"BOOL": ["P"], "INT": ["N", "K"], "REAL": ["X"], "TIME": ["D"]}
        out += self.pou("FUNCTION Calc : INT", "VAR_INPUT P : BOOL; N : INT := 4; X : REAL; END_VAR VAR_IN_OUT K : INT; END_VAR VAR D : TIME := T#5ms; END_VAR",
                        own | {"INT": ["N", "K", "Calc"]}, "END_FUNCTION", 3, True)
        self.calls.append(("Calc", "INT"))
        out += self.pou("FUNCTION_BLOCK Drive", "VAR_INPUT P : BOOL; N : INT; END_VAR VAR_OUTPUT Q : BOOL; M : DINT; END_VAR VAR_IN_OUT K : INT; END_VAR"
                        " VAR Delay : TON; X : REAL; D : TIME; END_VAR VAR_TEMP W : WORD; END_VAR",
                        {"BOOL": ["P", "Q", "Delay.Q"], "INT": ["N", "K"], "DINT": ["M"], "REAL": ["X"], "TIME": ["D", "Delay.ET"], "WORD": ["W"]},
                        "END_FUNCTION_BLOCK", 4, False)
        shared = {t: [f"{t}_{i}" for i in range(2)] for t in TYPES}
        globals_ = [f"{name} {place}: {t};" for t, names in shared.items() for name, place in zip(names, self.places(t), strict=True)]
        inputs = [f"In_{i} AT %IX0.{i} : BOOL;" for i in range(4)] + ["In_N AT %IW10 : INT;", "In_R AT %ID20 : REAL;"]
        known = {t: [*names] for t, names in shared.items()}
        known["BOOL"] += ["In_0", "In_1", "In_2", "In_3", "One.Q", "Own.B", "WORD_0.3", "T1.Q", "E1.Q"]
        known["INT"] += ["In_N", "Own.A", "C1.CV", "Lim"]
        known["REAL"] += ["In_R"]
        known["DINT"] += ["One.M", "Own.L[1]", "Table[2]"]
        local = ("VAR One : Drive; Own : Pair; Other : Pair := (A := 9, L := [1, 2, 3]); Table : ARRAY[1..4] OF DINT := [4(2)]; Grid : ARRAY[0..1, -1..1] OF INT;"
                 " T1 : TON; T2 : TP; C1 : CTU; E1 : R_TRIG; S1 : RS; State : Mode; Lim : Short; I1, I2 : INT; END_VAR VAR CONSTANT Fix : INT := 2; END_VAR"
                 " VAR_TEMP Tmp : INT; END_VAR")
        external = "VAR_EXTERNAL " + " ".join(f"{n} : {t};" for t, names in shared.items() for n in names) + \
            " In_0, In_1, In_2, In_3 : BOOL; In_N : INT; In_R : REAL; END_VAR"
        for n in range(r.randint(1, 2)):
            out += self.pou(f"PROGRAM Main{n}", f"{external} {local}", known | {"INT": [*known["INT"], "Tmp", "Fix"]}, "END_PROGRAM", r.randint(4, 9), False)
        tasks = "TASK Fast(INTERVAL := T#20ms, PRIORITY := 1); " if r.random() < 0.3 else ""
        runs = " ".join(f"PROGRAM R{n} {'WITH Fast ' if tasks and n else ''}: Main{n};" for n in range(2) if f"PROGRAM Main{n}" in "\n".join(out))
        return "\n".join([*out, f"CONFIGURATION C VAR_GLOBAL {' '.join(globals_ + inputs)} END_VAR RESOURCE R ON CPU {tasks}{runs} END_RESOURCE END_CONFIGURATION"])

    def places(self, type_: str) -> tuple[str, str]:
        """Addresses of two globals of a type."""
        return ("AT %QX0.0 ", "AT %QX0.1 ") if type_ == "BOOL" else ("AT %QW2 ", "") if type_ == "INT" else ("AT %MW4 ", "") if type_ == "WORD" else ("", "")

    def pou(self, head: str, variables: str, names: dict[str, list[str]], end: str, count: int, function: bool) -> list[str]:
        """A POU of some statements."""
        self.names = names
        self.inside = head.split()[0]
        self.frozen = {"Fix", "Delay.Q", "Delay.ET", "One.Q", "One.M", "T1.Q", "E1.Q", "C1.CV", "In_0", "In_1", "In_2", "In_3", "In_N", "In_R", *(["P", "N", "X"] if function else [])}
        return [head, variables, *(self.statement(0) for _ in range(count)), end]

    # statements

    def statement(self, deep: int) -> str:
        """One statement."""
        r = self.r
        kind = r.random()
        if deep > 2 or kind < 0.5:
            return self.assign()
        if kind < 0.66:
            other = f" ELSIF {self.value('BOOL')} THEN {self.some(deep)}" * (r.random() < 0.3) + f" ELSE {self.some(deep)}" * (r.random() < 0.5)
            early = " RETURN;" if r.random() < 0.08 else ""
            return f"IF {self.value('BOOL')} THEN {self.some(deep)}{early}{other} END_IF;"
        if kind < 0.74:
            return f"CASE {self.value('INT')} OF 1, 4..9: {self.some(deep)} -3: {self.some(deep)} 2: ; ELSE {self.some(deep)} END_CASE;"
        if kind < 0.84 and self.inside == "PROGRAM" and self.loops < 2:
            return self.loop(deep)
        return self.call()

    def some(self, deep: int) -> str:
        """One or two statements."""
        return " ".join(self.statement(deep + 1) for _ in range(self.r.randint(1, 2)))

    def loop(self, deep: int) -> str:
        """A loop that ends, mostly."""
        r, name = self.r, f"I{self.loops + 1}"
        self.loops += 1
        leave = f" IF {self.value('BOOL')} THEN {r.choice(('EXIT', 'CONTINUE'))}; END_IF;" if r.random() < 0.4 else ""
        by = r.choice(("", " BY 2", " BY -1", " BY Fix"))
        body = self.some(deep)
        self.loops -= 1
        kind = r.random()
        if kind < 0.6:
            return f"FOR {name} := {r.randint(-2, 3)} TO {r.choice(('4', '0', 'LIMIT(-3, In_N, 9)'))}{by} DO {body}{leave} Table[LIMIT(1, {name}, 4)] := {name}; END_FOR;"
        if kind < 0.8:
            return f"{name} := 3; WHILE {name} > 0 DO {name} := {name} - 1; {body}{leave} END_WHILE;"
        return f"{name} := 0; REPEAT {name} := {name} + 1; {body}{leave} UNTIL {name} >= 3 END_REPEAT;"

    def assign(self) -> str:
        """An assignment to something of some type."""
        r = self.r
        if self.inside == "PROGRAM" and r.random() < 0.12:
            return r.choice(("Own := Other;", "State := Trip;", "State := Mode#Idle;", f"Grid[{r.randint(0, 1)}, {r.choice(('-1', 'Fix - 2', 'Tmp MOD 2'))}] := {self.value('INT')};",
                             f"WORD_0.%X{r.randint(0, 15)} := {self.value('BOOL')};", f"LWORD_0.%{r.choice(('B7', 'B0', 'W2', 'D1'))} := {self.value('BYTE')};", f"Table[{r.choice(('1', '4', 'In_N', 'Fix'))}] := {self.value('DINT')};",
                             "Own.L := Other.L;", f"Lim := {self.value('INT')};"))
        type_ = r.choice([t for t, names in self.names.items() if any(n not in self.frozen for n in names)])
        name = r.choice([n for n in self.names[type_] if n not in self.frozen])
        if r.random() < 0.04 and self.inside == "PROGRAM":
            return f"{name} := SEL(EN := {self.value('BOOL')}, G := {self.value('BOOL')}, IN0 := {self.value(type_)}, IN1 := {self.value(type_)}, ENO => BOOL_0);"
        return f"{name} := {self.value(type_)};"

    def call(self) -> str:
        """A block or function as a statement."""
        r = self.r
        if self.inside == "FUNCTION":
            return self.assign()
        if self.inside == "FUNCTION_BLOCK":
            return f"Delay(IN := {self.value('BOOL')}, PT := {r.choice(('T#30ms', 'D', 'T#0s'))});"
        en = f"EN := {self.value('BOOL')}, " if r.random() < 0.15 else ""
        return r.choice((f"One({en}P := {self.value('BOOL')}, N := {self.value('INT')}, K := {r.choice(('Tmp', 'INT_1', 'Own.A', 'Grid[1, 0]'))}, M => DINT_1"
                         f"{r.choice(('', ', ENO => BOOL_1', ', NOT ENO => BOOL_1'))});",
                         f"T1(IN := {self.value('BOOL')}, PT := T#{r.randint(0, 80)}ms, Q => BOOL_1);", f"T2(IN := {self.value('BOOL')}, PT := T#20ms);",
                         f"C1(CU := {self.value('BOOL')}, R := {self.value('BOOL')}, PV := 3);", f"E1({self.value('BOOL')});",
                         f"S1(S := {self.value('BOOL')}, R1 := {self.value('BOOL')}, Q1 => BOOL_0);", f"Calc({self.value('BOOL')}, K := INT_0);"))

    # values

    def value(self, type_: str, deep: int = 0) -> str:
        """An expression of a type, or one that is held in it."""
        r = self.r
        leaf = deep > 2 or r.random() < 0.35
        if type_ == "BOOL":
            return self.boolean(deep, leaf)
        known = self.names.get(type_, [])
        if leaf:
            return r.choice(known) if known and r.random() < 0.7 else self.literal(type_)
        if type_ == "STRING":
            return self.text(deep)
        if type_ in ("DT", "TOD", "DATE"):
            return self.date(type_, deep)
        if type_ == "TIME" and "DT" in self.names and r.random() < 0.15:
            kind = r.choice(("DT", "TOD", "DATE"))
            return f"({self.value(kind, deep + 1)} - {self.value(kind, deep + 1)})"
        if type_ == "TIME":
            return r.choice((f"({self.value('TIME', deep + 1)} + {self.value('TIME', deep + 1)})", f"{self.value('TIME', deep + 1)} / 3", f"LIMIT(T#0s, {self.value('TIME', deep + 1)}, T#2s)",
                             f"{self.value('TIME', deep + 1)} * 2"))
        if type_ in BITS:
            a, b = self.value(type_, deep + 1), self.value(type_, deep + 1)
            return r.choice((f"({a} AND {b})", f"({a} OR {b})", f"({a} XOR {b})", f"NOT ({a})", f"SHL({a}, {r.randint(0, 9)})", f"SHR(IN := {a}, N := 2)", f"ROL({a}, 3)", f"TO_BIG_ENDIAN({a})", f"OR({a}, {b})", *(["LWORD_0.%B3", "LWORD_1.%B0"] if type_ == "BYTE" and self.inside == "PROGRAM" else [])))
        a, b = self.value(type_, deep + 1), self.value(type_, deep + 1)
        if type_ in ("REAL", "LREAL"):
            return r.choice((f"({a} + {b})", f"({a} - {b})", f"({a} * {b})", f"ABS({a})", f"MAX({a}, {b})", f"LIMIT(-50.0, {a}, 50.0)", f"SQRT(ABS({a}))", f"INT_TO_{type_}({self.value('INT', deep + 1)})",
                             f"({a} / 4.0)", f"SIN({a})", "2.0 ** 3"))
        if type_ == "INT" and self.calls and self.inside != "FUNCTION" and r.random() < 0.1:
            return f"Calc(P := {self.value('BOOL', deep + 1)}, N := {a}, X := {self.value('REAL', 3)}, K := {r.choice([n for n in self.names['INT'] if n not in self.frozen and n != 'Lim'])})"
        if type_ in ("INT", "DINT") and "STRING" in self.names and r.random() < 0.15:
            s, t = self.value("STRING", deep + 1), self.value("STRING", deep + 1)
            return r.choice((f"LEN({s})", f"FIND({s}, {t})", f"STRING_TO_{type_}({s})", f"DAY_OF_WEEK({self.value('DATE', 3)})"))
        small = "7" if "U" in type_ else r.choice(("7", "-3", "5"))
        return r.choice((f"({a} + {b}) MOD 50", f"({a} - {b})", f"({a} * {b}) MOD 11", f"MIN({a}, {b})", f"MAX({a}, {b}, 1)", f"LIMIT(0, {a}, 100)", f"({a} / {small})", f"{a} MOD {small}",
                         f"SEL({self.value('BOOL', deep + 1)}, {a}, {b})", f"BOOL_TO_{type_}({self.value('BOOL', deep + 1)})", f"MUX(LIMIT(0, In_N, 1), {a}, {b})" if self.inside == "PROGRAM" else a,
                         f"TRUNC(LIMIT(0.0, {self.value('REAL', 3)}, 9.0))", f"WORD_TO_{type_}({self.value('WORD', 3)})" if type_ in ("INT", "DINT", "LINT") else a))

    def text(self, deep: int) -> str:
        """A text."""
        r = self.r
        s, t, n = self.value("STRING", deep + 1), self.value("STRING", deep + 1), r.choice((str(r.randint(-1, 5)), f"LIMIT(-2, {self.value('INT', 3)}, 12)"))
        kind = r.choice(("INT", "DINT", "REAL", "BOOL", "TIME", "DT", "TOD", "DATE", "WORD", "ULINT" if "ULINT" in self.names else "UINT"))
        return r.choice((f"CONCAT({s}, {t})", f"CONCAT({s}, '-', {t})", f"LEFT({s}, {n})", f"RIGHT({s}, {n})", f"MID({s}, {n}, {r.randint(0, 4)})", f"INSERT({s}, {t}, {n})",
                         f"DELETE({s}, 2, {n})", f"REPLACE({s}, {t}, {n}, {r.randint(0, 4)})", f"{kind}_TO_STRING({self.value(kind, 3)})",
                         f"SEL({self.value('BOOL', deep + 1)}, {s}, {t})", f"MAX({s}, {t})", f"MUX(LIMIT(0, In_N, 1), {s}, {t})" if self.inside == "PROGRAM" else s))

    def date(self, type_: str, deep: int) -> str:
        """A date, a time of day, or both."""
        r, a = self.r, self.value(type_, deep + 1)
        if type_ == "DATE":
            return r.choice((f"DT_TO_DATE({self.value('DT', 3)})", a, f"CONCAT_DATE(LIMIT(1970, {self.value('INT', 3)}, 2200), {r.randint(1, 12)}, LIMIT(1, {self.value('INT', 3)}, 28))"))
        if type_ == "TOD":
            return r.choice((f"DT_TO_TOD({self.value('DT', 3)})", f"ADD_TOD_TIME({a}, {self.literal('TIME')})", f"({a} - {self.literal('TIME')})"))
        return r.choice((f"({a} + {self.value('TIME', 3)})", f"ADD_DT_TIME({a}, {self.literal('TIME')})", f"CONCAT_DATE_TOD({self.value('DATE', 3)}, {self.value('TOD', 3)})",
                         f"SEL({self.value('BOOL', deep + 1)}, {a}, {self.literal('DT')})"))

    def boolean(self, deep: int, leaf: bool) -> str:
        """A condition."""
        r = self.r
        if leaf:
            return r.choice([*self.names["BOOL"], "TRUE"])
        a, b = self.value("BOOL", deep + 1), self.value("BOOL", deep + 1)
        type_ = r.choice([t for t in self.names if t not in ("BOOL",)])
        x, y = self.value(type_, deep + 1), self.value(type_, deep + 1)
        return r.choice((f"({a} AND {b})", f"({a} OR {b})", f"({a} XOR {b})", f"NOT ({a})", f"{'(' if type_ == 'STRING' else ''}{x} {r.choice(('<', '<=', '>', '>=', '=', '<>'))} {y}{')' if type_ == 'STRING' else ''}", f"({a} & {b})", f"({a} = {b})", f"AND({a}, {b}, {a})", f"XOR({a}, {b})",
                         f"IS_VALID_BCD({self.value('WORD', 3)})"))

    def literal(self, type_: str) -> str:
        """A literal, typed or not."""
        r = self.r
        if type_ == "STRING":
            return r.choice(("'abc'", "''", "'12'", "'a$'b$$'", "'zz top'"))
        if type_ in ("DT", "TOD", "DATE"):
            return {"DT": r.choice(("DT#2026-03-01-12:30:00", "DT#1999-12-31-23:59:59.5")), "TOD": r.choice(("TOD#06:15:00", "TOD#23:59:59.25")),
                    "DATE": r.choice(("D#2026-02-28", "DATE#2000-01-01"))}[type_]
        if type_ == "TIME":
            return r.choice(("T#10ms", "T#1s500ms", "TIME#-5ms", "t#2.5s"))
        if type_ in ("REAL", "LREAL"):
            return r.choice(("1.5", "-0.25", "2.0E1", f"{type_}#3.75"))
        if type_ in BITS:
            return r.choice(("16#0F", "2#1010", f"{type_}#16#7", "3"))
        low = r.randint(0, 9) if "U" in type_ else r.randint(-9, 30)
        return r.choice((str(low), f"{type_}#{low}", "1_0"))


def random_text(random: Random) -> str:
    """The text of a random file."""
    return Texts(random).file()


def random_text_log(random: Random, running: Running) -> Log:
    """A log of the file's inputs, a row or several in each scan now and then."""
    rows: list[tuple[int, int, int]] = []
    time = 0
    for _ in range(random.randint(1, 60)):
        name = random.choice(("In_0", "In_1", "In_2", "In_3", "In_N", "In_R"))
        value: float = random.randint(0, 1) if name[3].isdigit() else random.choice((0, 1, 3, 250, -32768, 32767)) if name == "In_N" else random.choice((0.5, -7.25, 1e30, 0.0))
        tag = running.tags[running.by_name[name.lower()]]
        rows.append((time, tag.index, raw(value, tag.type)))
        time += random.choice((0, 1, 3, 7, 10, 10, 25, 40)) * 1_000_000
    return Log(np.array([r[0] for r in rows], np.int64), np.array([r[1] for r in rows], np.int32), np.array([r[2] for r in rows], np.int64),
               end=time + 30_000_000, rows=len(rows))
