"""Made-up programs of other shapes than the flat one: many POUs and function blocks; numbers, counters and timers."""

from __future__ import annotations

from random import Random

from whorlograph.model.parts import Ladder, Part, call, coil, compare, either, nc, no, rises, series, set_, timer
from whorlograph.model.parts import counter as counting
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Variable, VariableKind
from whorlograph.model.types import BOOL, DINT, Named


def _branch(random: Random, names: list[str], inner: list[str], length: int) -> Part:
    parts = [(nc if random.random() < 0.4 else no)(random.choice(inner[-40:]) if inner and random.random() < 0.4 else random.choice(names))
             for _ in range(length)]
    return series(*parts)


def _program(name: str, pous: dict[str, Pou], tags: list[tuple[str, object]]) -> Program:
    instances = tuple(ProgramInstance(p.name, p.name) for p in pous.values() if p.kind is PouKind.PROGRAM)
    variables = tuple(Variable(n, t, VariableKind.GLOBAL) for n, t in tags)  # type: ignore[arg-type]
    return Program(name, {}, pous, (Configuration("Running", (Resource("One", instances),), variables),))


def blocks(pous: int = 24, instances: int = 8, inputs: int = 400, seed: int = 3) -> tuple[Program, list[str]]:
    """Programs that call instances of four function blocks of the file's own, ten rungs each: about 2,400 rungs after calls."""
    random = Random(seed)
    names = [f"In{i:03}" for i in range(inputs)]
    found: dict[str, Pou] = {}
    for b in range(4):
        own = [f"L{i}" for i in range(8)]
        ladder = Ladder()
        for i, tag in enumerate(own):
            longer, shorter = (_branch(random, ["A", "B", "C"], own[:i], length) for length in (random.randint(1, 4), 2))
            ladder.rung(either(longer, shorter), coil(tag))
        ladder.rung(_branch(random, ["A", "B"], own, 3), timer("TON", "Delay", "T#150ms"), coil("Held"))
        ladder.rung(_branch(random, ["C"], [*own, "Held"], 2), coil("Out"))
        variables = [Variable(n, BOOL, VariableKind.INPUT) for n in "ABC"] + [Variable("Out", BOOL, VariableKind.OUTPUT)]
        variables += [Variable(n, BOOL, VariableKind.LOCAL) for n in (*own, "Held")] + [Variable("Delay", Named("TON"), VariableKind.LOCAL)]
        found[f"drive{b}"] = Pou(f"Drive{b}", PouKind.FUNCTION_BLOCK, tuple(variables), ladder.body())
    for p in range(pous):
        own, used = [f"K{i}" for i in range(10)], [f"D{i}" for i in range(instances)]
        ladder = Ladder()
        for i, tag in enumerate(own):
            ladder.rung(either(_branch(random, names, own[:i], 3), _branch(random, names, own[:i], 2)), coil(tag))
        for one in used:
            pins = (("B", random.choice(names)), ("C", random.choice(own)))
            drive = Part("block", one, block=f"Drive{used.index(one) % 4}", pins=pins, power=("A", "Out"))
            ladder.rung(no(random.choice(names)), drive, coil(f"Y{p:02}_{one}"))
        variables = [Variable(n, BOOL, VariableKind.LOCAL) for n in own]
        variables += [Variable(n, Named(f"Drive{i % 4}"), VariableKind.LOCAL) for i, n in enumerate(used)]
        found[f"area{p}"] = Pou(f"Area{p}", PouKind.PROGRAM, tuple(variables), ladder.body())
    outputs = [f"Y{p:02}_D{i}" for p in range(pous) for i in range(instances)]
    return _program("blocks", found, [(n, BOOL) for n in (*names, *outputs)]), names


def numbers(rungs: int = 2000, inputs: int = 400, seed: int = 4) -> tuple[Program, list[str]]:
    """Sums, comparisons, counters and timers, moved by edges of inputs."""
    random = Random(seed)
    names = [f"In{i:03}" for i in range(inputs)]
    bits: list[str] = []
    values: list[str] = ["N0000"]
    timers: list[tuple[str, str]] = []
    ladder = Ladder()
    for i in range(rungs):
        kind = random.choice(("add", "add", "compare", "compare", "move", "timer", "counter"))
        if kind in ("add", "move"):
            values.append(f"N{i + 1:04}" if random.random() < 0.5 else random.choice(values))
            pins = (("IN1", random.choice(values)), ("IN2", str(random.randint(1, 9)))) if kind == "add" else (("IN", str(random.randint(0, 99))),)
            ladder.rung(rises(random.choice(names)), call("ADD" if kind == "add" else "MOVE", *pins, out=values[-1]))
            continue
        bits.append(f"M{i:04}")
        if kind == "compare":
            compared = compare(random.choice(("GT", "LE", "NE")), random.choice(values), str(random.randint(0, 500)))
            ladder.rung(no(random.choice(names)), compared, coil(bits[-1]))
        elif kind == "timer":
            timers.append((f"T{i:04}", "TON"))
            ladder.rung(_branch(random, names, bits[:-1], 2), timer("TON", timers[-1][0], "T#150ms"), coil(bits[-1]))
        else:
            timers.append((f"C{i:04}", "CTU"))
            ladder.rung(no(random.choice(names)), counting(timers[-1][0], "20", no(random.choice(names))), set_(bits[-1]))
    main = Pou("Main", PouKind.PROGRAM, tuple(Variable(n, Named(t), VariableKind.LOCAL) for n, t in timers), ladder.body())
    tags: list[tuple[str, object]] = [(n, BOOL) for n in (*names, *bits)]
    return _program("numbers", {"main": main}, tags + [(n, DINT) for n in dict.fromkeys(values)]), names



def texts(statements: int = 1400, lists: int = 150, charts: int = 24, inputs: int = 400, seed: int = 5) -> tuple[str, list[str]]:
    """A program text: statements with IF and CASE, instruction lists, sequential charts, about 2,000 steps together."""
    random = Random(seed)
    names = [f"In{i:03}" for i in range(inputs)]
    bits = [f"M{i:04}" for i in range(statements)]
    values = ["N0000"]
    body: list[str] = []
    for i, bit in enumerate(bits):
        a, b, c = (random.choice(names) if random.random() < 0.6 or not i else random.choice(bits[max(0, i - 40):i]) for _ in range(3))
        x, kind = random.choice(values[-60:]), random.random()
        if kind < 0.6:
            body.append(f"{bit} := ({a} AND NOT {b}) OR {c};")
        elif kind < 0.75:
            body.append(f"{bit} := {x} > {random.randint(0, 50)} AND {a};")
        elif kind < 0.9:
            values.append(f"N{i + 1:04}")
            body.append(f"IF {a} AND {b} THEN {values[-1]} := {x} + 1; {bit} := TRUE; ELSIF {c} THEN {values[-1]} := 0; ELSE {bit} := FALSE; END_IF;")
        else:
            body.append(f"CASE {x} OF 0: {bit} := {a}; 1..9: {bit} := {b}; ELSE {bit} := {x} = 20; END_CASE;")
    external = f"VAR_EXTERNAL {', '.join((*names, *bits))} : BOOL; {', '.join(values)} : DINT; END_VAR"
    out = ["PROGRAM Logic", external, *body, "END_PROGRAM"]
    own = ", ".join(f"L{i}" for i in range(lists))
    out += ["PROGRAM Lists", f"VAR_EXTERNAL {', '.join(names)} : BOOL; END_VAR VAR {own} : BOOL; END_VAR"]
    for i in range(lists):
        a, b, c = (random.choice(names) for _ in range(3))
        out.append(f"LD {a}\nANDN {b}\nOR( {c}\nAND L{random.randrange(max(1, i))}\n)\nST L{i}")
    out.append("END_PROGRAM")
    for n in range(charts):
        out += [f"PROGRAM Chart{n}", f"VAR_EXTERNAL {', '.join(names)} : BOOL; END_VAR VAR Valve, Pump : BOOL; END_VAR"]
        for i in range(8):
            does = random.choice(["Valve(N);", "Pump(S);", "Pump(R);", ""])
            out.append(f"{'STEP' if i else 'INITIAL_STEP'} S{i}: {does} END_STEP")
            out.append(f"TRANSITION FROM S{i} TO S{(i + 1) % 8} := {random.choice(names)} AND NOT {random.choice(names)}; END_TRANSITION")
        out.append("END_PROGRAM")
    runs = " ".join(f"PROGRAM {n} : {n};" for n in ("Logic", "Lists", *(f"Chart{n}" for n in range(charts))))
    tags = f"{', '.join((*names, *bits))} : BOOL; {', '.join(values)} : DINT;"
    out.append(f"CONFIGURATION C VAR_GLOBAL {tags} END_VAR RESOURCE R ON CPU {runs} END_RESOURCE END_CONFIGURATION")
    return "\n".join(out) + "\n", names
