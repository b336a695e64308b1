"""Random programs and logs of every ladder element, for holding the two engines against each other."""

from __future__ import annotations

from random import Random

import numpy as np
from msgspec.structs import replace

from whorlograph.engine.controller import Controller
from whorlograph.engine.feed import Hold, Trial
from whorlograph.engine.journal import Journal
from whorlograph.model.ladder import (
    Block,
    Coil,
    CoilKind,
    Connector,
    Contact,
    ContactKind,
    Continuation,
    Edge,
    Element,
    InOutVariable,
    InVariable,
    Jump,
    Label,
    LadderBody,
    LeftRail,
    OutVariable,
    Pin,
    Return,
    Wire,
)
from whorlograph.model.literals import raw
from whorlograph.model.log import Log
from whorlograph.model.profile import Overflow, Profile
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Task, Variable, VariableKind
from whorlograph.model.rungs import build
from whorlograph.model.tags import Running
from whorlograph.model.types import BOOL, DINT, ELEMENTARY, INT, LINT, REAL, TIME, ArrayOf, Elementary, Family, Named, Simple

SINT, UINT, WORD = ELEMENTARY["SINT"], ELEMENTARY["UINT"], ELEMENTARY["WORD"]
NUMBERS: tuple[tuple[str, Elementary], ...] = (
    ("I0", INT), ("I1", INT), ("S0", SINT), ("D0", DINT), ("U0", UINT), ("L0", LINT), ("R0", REAL), ("R1", REAL), ("W0", WORD), ("T0", TIME))
BLOCKS = ("TON", "TOF", "TP", "CTU", "CTD", "CTUD", "R_TRIG", "F_TRIG", "SR", "RS")
PINS = {"TON": ("IN",), "TOF": ("IN",), "TP": ("IN",), "CTU": ("CU", "R"), "CTD": ("CD", "LD"), "CTUD": ("CU", "CD", "R", "LD"),
        "R_TRIG": ("CLK",), "F_TRIG": ("CLK",), "SR": ("S1", "R"), "RS": ("S", "R1")}


class ProgramMaker:
    """Makes one random program: globals, a block and a function of its own, two or three programs."""

    def __init__(self, random: Random, backward: bool, tasked: bool = False, large: bool = False) -> None:
        self.r, self.backward, self.tasked, self.large = random, backward, tasked, large
        self.inputs = [f"X{i}" for i in range(5)]
        self.bits = [f"M{i}" for i in range(6)] + [f"Q{i}" for i in range(4)]
        self.elements: list[Element] = []
        self.number = 1
        self.locals: list[Variable] = []
        self.y = 0
        self.in_block = False

    def new(self) -> int:
        self.number += 1
        return self.number

    def bit(self, write: bool = False) -> str:
        if not write and self.r.random() < 0.45:
            return self.r.choice(self.inputs)
        choice = self.r.random()
        if choice < 0.06:
            return f"W0.{self.r.randrange(16)}"
        if choice < 0.1:
            return self.r.choice(("%QX0.1", "%MX4.3"))
        if choice < 0.14:
            return f"B[{self.r.choice(('0', '2', 'I0'))}]"
        if self.in_block and choice < 0.5:
            return self.r.choice(("A1", "L1", "Y1") if not write else ("L1", "Y1"))
        return self.r.choice(self.bits)

    def contacts(self, x: int, y: int, wires: tuple[Wire, ...], depth: int = 0) -> tuple[tuple[Wire, ...], int]:
        """A random network from some wires on; the wires it ends in and how far right it reaches."""
        for _ in range(self.r.randint(1, 3)):
            if depth < 2 and self.r.random() < 0.3:
                outs: tuple[Wire, ...] = ()
                right = x
                for branch in range(self.r.randint(2, 3)):
                    out, reach = self.contacts(x, y + 60 * (branch + depth), wires, depth + 1)
                    outs, right = outs + out, max(right, reach)
                wires, x = outs, right
            else:
                number = self.new()
                kind = self.r.choices(list(ContactKind), (6, 3, 1, 1))[0]
                self.elements.append(Contact(number, x, y, 20, 15, variable=self.bit(), kind=kind, wires=wires))
                wires, x = (Wire(number),), x + 100
        if self.r.random() < 0.05:
            self.elements.append(Connector(self.new(), x, y, 20, 15, name=f"C{self.number}", wires=wires))
            self.elements.append(Continuation(self.new(), x + 10, y + 5, 20, 15, name=f"C{self.number - 1}"))
            wires = (Wire(self.number),)
        return wires, x

    def value(self, x: int, y: int, type_: Elementary) -> Wire:
        """A variable or literal that can go into an operand of about a type."""
        names = [n for n, t in NUMBERS if t.family is type_.family or (type_.family is Family.REAL and t.bits <= 16 and t.family is Family.SIGNED)]
        if type_.family is Family.TIME:
            text = self.r.choice(("T0", "T#10ms", "T#0s", "T#35ms", "T#70ms"))
        elif type_.family is Family.REAL:
            text = self.r.choice([*names, "0.5", "3.25", "-2.0", "1e30"])
        elif self.r.random() < 0.5 and names:
            text = self.r.choice(names)
        else:
            text = str(self.r.choice((0, 1, 2, 3, 7, 100, 120 if type_.bits == 8 else 30000, 0 if type_.low == 0 else -5)))
        number = self.new()
        self.elements.append(InVariable(number, x, y, 40, 15, expression=text))
        return Wire(number)

    def outlet(self, x: int, y: int, source: int, pin: str, type_: Elementary) -> None:
        """Write a block's result to a variable of its type."""
        names = [n for n, t in NUMBERS if t == type_]
        if names:
            text = f"A[{self.r.choice(('1', 'I1'))}]" if type_ == INT and self.r.random() < 0.2 else self.r.choice(names)
            self.elements.append(OutVariable(self.new(), x, y, 40, 15, expression=text, wires=(Wire(source, pin),)))

    def function(self, x: int, y: int, wires: tuple[Wire, ...]) -> tuple[tuple[Wire, ...], int]:
        """A standard function behind EN."""
        type_ = self.r.choice([t for _, t in NUMBERS])
        kind = self.r.random()
        enable = Pin("EN", wires, self.r.random() < 0.1)
        if type_.family is Family.TIME:
            names = ["ADD", "SUB", "GT", "LE", "MOVE", "MAX"]
        elif type_.family is Family.BITS:
            names = ["AND", "OR", "XOR", "NOT", "SHL", "SHR", "ROL", "ROR", "MOVE", "EQ"]
        else:
            names = ["ADD", "SUB", "MUL", "DIV", "MOVE", "GT", "GE", "EQ", "NE", "LT", "LE", "SEL", "MAX", "MIN", "LIMIT", "MUX", "ABS"]
            names += ["MOD"] if type_.family is not Family.REAL else ["SQRT", "SIN"]
        name = self.r.choice(names)
        if self.tasked and self.r.random() < 0.3:
            return self.order(x, y, enable)
        if kind < 0.15:
            name, type_ = self.r.choice((("INT_TO_DINT", INT), ("DINT_TO_INT", DINT), ("INT_TO_REAL", INT), ("REAL_TO_INT", REAL),
                                         ("WORD_TO_INT", WORD), ("INT_TO_WORD", INT), ("TIME_TO_DINT", TIME), ("UINT_TO_SINT", UINT)))
        pins = [enable]
        labels = {"NOT": ("IN",), "MOVE": ("IN",), "ABS": ("IN",), "SQRT": ("IN",), "SIN": ("IN",), "SEL": ("G", "IN0", "IN1"),
                  "LIMIT": ("MN", "IN", "MX"), "MUX": ("K", "IN0", "IN1", "IN2"), "SHL": ("IN", "N"), "SHR": ("IN", "N"), "ROL": ("IN", "N"),
                  "ROR": ("IN", "N")}.get(name, ("IN",) if "_TO_" in name else ("IN1", "IN2"))
        for i, label in enumerate(labels):
            at = y + 20 * (i + 1)
            if label == "G":
                number = self.new()
                self.elements.append(InVariable(number, x - 50, at, 40, 15, expression=self.r.choice(self.bits)))
                pins.append(Pin(label, (Wire(number),)))
            elif label in ("K", "N"):
                number = self.new()
                self.elements.append(InVariable(number, x - 50, at, 40, 15, expression=self.r.choice(("0", "1", "2", "U0"))))
                pins.append(Pin(label, (Wire(number),)))
            else:
                pins.append(Pin(label, (self.value(x - 50, at, type_),)))
        block = self.new()
        self.elements.append(Block(block, x, y, 60, 80, type_name=name, inputs=tuple(pins), outputs=(Pin("ENO"), Pin("OUT"))))
        result = ELEMENTARY[name.rpartition("_TO_")[2]] if "_TO_" in name else BOOL if name in ("GT", "GE", "EQ", "NE", "LT", "LE") else type_
        if result == BOOL:
            return (Wire(block, "OUT"),), x + 150
        self.outlet(x + 80, y + 25, block, "OUT", result)
        return (Wire(block, "ENO"),), x + 150

    def order(self, x: int, y: int, enable: Pin) -> tuple[tuple[Wire, ...], int]:
        """An order to the controller."""
        name = self.r.choice(("TASK_HOLD", "TASK_RELEASE", "TASK_RELEASE", "WATCHDOG_RESTART"))
        text, block = self.new(), self.new()
        self.elements.append(InVariable(text, x - 50, y + 20, 40, 15, expression=f"'T{self.r.randrange(3)}'"))
        pins = (enable,) if name == "WATCHDOG_RESTART" else (enable, Pin("NAME", (Wire(text),)))
        self.elements.append(Block(block, x, y, 60, 80, type_name=name, inputs=pins, outputs=(Pin("ENO"), Pin("OUT"))))
        return (Wire(block, "ENO"),), x + 150

    def standard(self, x: int, y: int, wires: tuple[Wire, ...]) -> tuple[tuple[Wire, ...], int]:
        """A standard block."""
        kind = self.r.choice(BLOCKS)
        name = f"{kind}_{self.new()}"
        self.locals.append(Variable(name, Named(kind), VariableKind.LOCAL))
        pins = []
        if self.r.random() < 0.25:
            out, _ = self.contacts(x - 80, y + 200, (Wire(1),), 2)
            pins.append(Pin("EN", out))
        for i, label in enumerate(PINS[kind]):
            source = wires
            if i:
                source, _ = self.contacts(x - 80, y + 90 + 60 * i, (Wire(1),), 2)
            edge = self.r.choice(list(Edge)) if self.r.random() < 0.15 else Edge.NONE
            pins.append(Pin(label, source, self.r.random() < 0.1, edge))
        if kind in ("TON", "TOF", "TP"):
            pins.append(Pin("PT", (self.value(x - 50, y + 20, TIME),)))
        elif kind.startswith("CT"):
            pins.append(Pin("PV", (self.value(x - 50, y + 20, INT),)))
        block = self.new()
        out = "QU" if kind == "CTUD" else "Q1" if kind in ("SR", "RS") else "Q"
        outputs = [Pin(out, negated=self.r.random() < 0.08)]
        self.elements.append(Block(block, x, y, 60, 80, type_name=kind, instance=name, inputs=tuple(pins), outputs=tuple(outputs)))
        if kind in ("TON", "TOF", "TP") and self.r.random() < 0.3:
            self.elements.append(OutVariable(self.new(), x + 80, y + 40, 40, 15, expression="T0", wires=(Wire(block, "ET"),)))
        if kind.startswith("CT") and self.r.random() < 0.4:
            self.elements.append(OutVariable(self.new(), x + 80, y + 40, 40, 15, expression="I1", wires=(Wire(block, "CV"),)))
        return (Wire(block, out),), x + 150

    def own(self, x: int, y: int, wires: tuple[Wire, ...]) -> tuple[tuple[Wire, ...], int]:
        """A call of the program's own block or function."""
        block = self.new()
        enable = Pin("EN", wires)
        if self.r.random() < 0.4:
            number = self.new()
            self.elements.append(InVariable(number, x - 50, y + 20, 40, 15, expression=self.r.choice(("I0", "3"))))
            self.elements.append(Block(block, x, y, 60, 80, type_name="Twice", inputs=(enable, Pin("N", (Wire(number),))),
                                       outputs=(Pin("ENO"), Pin("OUT"))))
            self.outlet(x + 80, y + 25, block, "OUT", INT)
            return (Wire(block, "ENO"),), x + 150
        name = f"Own_{self.new()}"
        self.locals.append(Variable(name, Named("Own"), VariableKind.LOCAL))
        source, through = self.new(), self.new()
        self.elements.append(InVariable(source, x - 50, y + 20, 40, 15, expression=self.bit()))
        self.elements.append(InOutVariable(through, x - 50, y + 40, 40, 15, expression=self.r.choice(("I0", "I1", "A[2]"))))
        self.elements.append(Block(block, x, y, 60, 80, type_name="Own", instance=name, inputs=(enable, Pin("A1", (Wire(source),))),
                                   in_outs=(Pin("Count", (Wire(through),)),), outputs=(Pin("ENO"), Pin("Y1"))))
        return (Wire(block, self.r.choice(("ENO", "Y1"))),), x + 150

    def body(self, rungs: int, calls: bool) -> LadderBody:
        """A ladder body with labels where jumps may go."""
        self.elements, self.number, self.locals, self.y = [LeftRail(1, 0, 0, 3, 40)], 1, [], 40
        labels = [f"L{i}" for i in range(self.r.choice((0, 0, 1, 2)))]
        places = {self.r.randrange(rungs + 1): name for name in labels}
        for i in range(rungs + 1):
            if i in places:
                self.elements.append(Label(self.new(), 10, self.y, 40, 15, label=places[i]))
            if i == rungs:
                break
            self.rung(i, places, calls)
            self.y += 600
        return build(tuple(self.elements))[0]

    def rung(self, index: int, places: dict[int, str], calls: bool) -> None:
        wires, x = self.contacts(100, self.y, (Wire(1),))
        kind = self.r.random()
        if kind < 0.25:
            wires, x = self.standard(x + 60, self.y, wires)
        elif kind < 0.45:
            wires, x = self.function(x + 60, self.y, wires)
        elif kind < 0.55 and calls:
            wires, x = self.own(x + 60, self.y, wires)
        targets = [n for i, n in places.items() if i > index or self.backward]
        if targets and self.r.random() < 0.25:
            self.elements.append(Jump(self.new(), x + 50, self.y, 40, 15, label=self.r.choice(targets), wires=wires))
        elif self.r.random() < 0.06:
            self.elements.append(Return(self.new(), x + 50, self.y, 40, 15, wires=wires))
        for i in range(self.r.choice((1, 1, 1, 2))):
            kind_of = self.r.choices(list(CoilKind), (6, 1, 2, 2, 1, 1))[0]
            number = self.new()
            self.elements.append(Coil(number, x + 50, self.y + 60 * i, 20, 15, variable=self.bit(True), kind=kind_of, wires=wires))
            if self.r.random() < 0.1:
                wires = (Wire(number),)

    def program(self) -> Program:
        """The whole program."""
        kind, local = VariableKind.GLOBAL, VariableKind.LOCAL
        variables = [Variable(n, BOOL, kind, f"%IX0.{i}" if i < 4 else "", Simple("TRUE") if self.r.random() < 0.3 else None)
                     for i, n in enumerate(self.inputs)]
        variables += [Variable(n, BOOL, kind, f"%QX0.{i}" if n[0] == "Q" else "", Simple("TRUE") if self.r.random() < 0.2 else None)
                      for i, n in enumerate(self.bits)]
        variables += [Variable(n, t, kind, "%QW1" if n == "W0" and self.r.random() < 0.5 else "") for n, t in NUMBERS]
        variables += [Variable("A", ArrayOf(((0, 4),), INT), kind), Variable("B", ArrayOf(((0, 3),), BOOL), kind)]
        pous: dict[str, Pou] = {}
        self.in_block = True
        body = self.body(self.r.randint(2, 5), False)
        own = [Variable("A1", BOOL, VariableKind.INPUT), Variable("Y1", BOOL, VariableKind.OUTPUT), Variable("L1", BOOL, local),
               Variable("Count", INT, VariableKind.IN_OUT), *self.locals]
        body = self._counting(body)
        pous["own"] = Pou("Own", PouKind.FUNCTION_BLOCK, tuple(own), body)
        self.in_block = False
        pous["twice"] = Pou("Twice", PouKind.FUNCTION, (Variable("N", INT, VariableKind.INPUT),), _doubling(), INT)
        instances = []
        for i in range(self.r.randint(1, 3)):
            body = self.body(self.r.randint(60, 140) if self.large and self.r.random() < 0.06 else self.r.randint(3, 8), True)
            pous[f"prog{i}"] = Pou(f"Prog{i}", PouKind.PROGRAM, tuple(self.locals), body)
            instances.append(ProgramInstance(f"Run{i}", f"Prog{i}"))
        tasks: tuple[Task, ...] = ()
        if self.tasked:
            tasks, instances = self.tasks(instances)
        return Program("Random", {}, pous, (Configuration("C", (Resource("R", tuple(instances), tasks),), tuple(variables)),))

    def tasks(self, instances: list[ProgramInstance]) -> tuple[tuple[Task, ...], list[ProgramInstance]]:
        """Random tasks, and the programs put on some of them."""
        r = self.r
        found = []
        for i in range(r.randint(1, 3)):
            interval = r.choice(("T#10ms", "T#7ms", "T#25ms", "T#2ms500us", "T0", "PT0.015S", ""))
            single = r.choice(("X0", "X1", "M0", "M1", "Q2", "%QX0.1", "W0.3")) if not interval or r.random() < 0.15 else ""
            found.append(Task(f"T{i}", r.randrange(4), interval, single))
        placed = [ProgramInstance(p.name, p.pou, r.choice((*(t.name for t in found), "")) if r.random() < 0.8 else "") for p in instances]
        return tuple(found), placed

    def _counting(self, body: LadderBody) -> LadderBody:
        """The block's body with a rung that counts in its in-out variable."""
        top = max((e.id for e in body.elements), default=1)
        ids = range(top + 1, top + 6)
        y = self.y + 600
        more = (Contact(ids[0], 100, y, 20, 15, variable="A1", wires=(Wire(1),)),
                InVariable(ids[1], 150, y + 20, 20, 15, expression="Count"), InVariable(ids[2], 150, y + 40, 20, 15, expression="1"),
                Block(ids[3], 250, y, 60, 80, type_name="ADD", inputs=(Pin("EN", (Wire(ids[0]),)), Pin("IN1", (Wire(ids[1]),)),
                                                                      Pin("IN2", (Wire(ids[2]),))), outputs=(Pin("ENO"), Pin("OUT"))),
                OutVariable(ids[4], 350, y + 20, 20, 15, expression="Count", wires=(Wire(ids[3], "OUT"),)))
        return build((*body.elements, *more))[0]


def _doubling() -> LadderBody:
    elements = (LeftRail(1, 0, 0, 3, 40), InVariable(2, 50, 20, 20, 15, expression="N"), InVariable(3, 50, 40, 20, 15, expression="N"),
                Block(4, 100, 0, 60, 60, type_name="ADD", inputs=(Pin("IN1", (Wire(2),)), Pin("IN2", (Wire(3),))), outputs=(Pin("OUT"),)),
                OutVariable(5, 200, 20, 20, 15, expression="Twice", wires=(Wire(4, "OUT"),)))
    return build(elements)[0]


def random_case(random: Random, tasked: bool = False, large: bool = False) -> tuple[Program, Profile]:
    """A random program with a profile that fits it.

    Args: tasked: with tasks, some of them held and released by the program; large: now and then with more rungs than the
        compiled engine looks at in one go.
    """
    backward = random.random() < 0.3
    rung_time = random.choice((100_000, 1_000_000)) if backward else random.choice((0, 0, 0, 50_000, 700_000))
    profile = Profile(scan_time=random.choice((5, 10, 20)) * 1_000_000, rung_time=rung_time, watchdog=random.choice((20, 60, 200)) * 1_000_000,
                      on_overflow=random.choice(list(Overflow)))
    if tasked:
        profile = replace(profile, first_scan=random.choice(("", "M5")), scan_duration=random.choice(("", "T0", "I1")),
                          longest_scan=random.choice(("", "D0")), external=random.choice(((), ("M1", "Q0"))),
                          falling_tasks=random.choice(((), ("T0", "T1"))), blink=random.choice(((), (("M4", 13_000_000),))))
    return ProgramMaker(random, backward, tasked, large).program(), profile


def random_trial(random: Random, running: Running, end: int) -> Trial:
    """Inputs held and tags forced for random stretches."""
    def stretch(names: tuple[str, ...]) -> Hold:
        tag = running.tags[running.by_name[random.choice(names)]]
        start = random.choice((0, random.randrange(end + 1)))
        until = None if random.random() < 0.3 else start + random.randrange(1, end + 2)
        value = random.randint(0, 1) if tag.type == BOOL else random.choice((0, 1, 5, 9, 255)) * (3_000_000 if tag.type == TIME else 1)
        return Hold(tag.index, raw(value, tag.type), start, until)

    holds = {h.tag: h for h in (stretch(("x0", "x1", "x2")) for _ in range(random.randrange(3)))}
    forces = {f.tag: f for f in (stretch(("m0", "m1", "m2", "q0", "q1", "q2", "w0", "i0", "t0", "x3")) for _ in range(random.randint(1, 4)))}
    return Trial(tuple(holds.values()), (), tuple(forces.values()))


def replayed(seed: int) -> tuple[Random, Controller, Journal]:
    """A random program, made ready, and its replay of a random log."""
    random = Random(seed)
    program, profile = random_case(random)
    controller = Controller(program, profile)
    return random, controller, controller.replay(random_log(random, controller.running))


def dense_log(random: Random, running: Running, rows: int, span: int) -> Log:
    """A log with many rows for each scan.

    Args: rows: how many; span: ns that they are spread over.
    """
    names = ("x0", "x1", "x2", "x3", "x4", "i0")
    tags = np.array([running.by_name[random.choice(names)] for _ in range(rows)], np.int32)
    times = np.sort(np.array([random.randrange(span) for _ in range(rows)], np.int64))
    times -= times[0] if rows else 0
    values = np.array([random.randint(0, 1) for _ in range(rows)], np.int64)
    return Log(times, tags, values, end=int(times[-1]) if rows else 0, rows=rows)


def random_log(random: Random, running: Running) -> Log:
    """A random log of the inputs, a few hundred milliseconds long."""
    names = ["x0", "x1", "x2", "x3", "x4", *random.sample(["i0", "r0", "d0", "w0"], 1)]
    rows = []
    for _ in range(random.randint(5, 60)):
        tag = running.tags[running.by_name[random.choice(names)]]
        value = random.randint(0, 1) if tag.type == BOOL else random.choice((0, 1, 2, 5, 100))
        rows.append((random.randrange(400) * 1_000_000 + random.choice((0, 1, 500_000)), tag.index, raw(value, tag.type)))
    rows.sort(key=lambda r: r[0])
    start = rows[0][0]
    end = rows[-1][0] - start + random.choice((0, 100_000_000))
    return Log(np.array([r[0] - start for r in rows], np.int64), np.array([r[1] for r in rows], np.int32),
               np.array([r[2] for r in rows], np.int64), end=end, rows=len(rows))
