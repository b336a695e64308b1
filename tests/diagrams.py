"""Block diagrams in XML, element by element, for tests."""

from __future__ import annotations

import re
from pathlib import Path
from random import Random

from msgspec import Struct

from tests.building import Rows, program_of, session_of
from whorlograph.desk.session import Session
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml

INPUTS = ("X1", "X2", "X3")


def value_at(number: int, y: int, text: str, negated: bool = False) -> str:
    """A variable or literal that is read."""
    mark = ' negated="true"' if negated else ""
    return f'<inVariable localId="{number}"{mark}><position x="10" y="{y}"/><connectionPointOut/><expression>{text}</expression></inVariable>'


def wire_from(source: int, pin: str = "") -> str:
    """A wire."""
    name = f' formalParameter="{pin}"' if pin else ""
    return f'<connectionPointIn><connection refLocalId="{source}"{name}/></connectionPointIn>'


def block_at(number: int, y: int, kind: str, inputs: dict[str, str], outputs: str, instance: str = "", order: int = 0) -> str:
    """A block with its pins."""
    pins = "".join(f'<variable formalParameter="{n}">{w}</variable>' for n, w in inputs.items())
    outs = "".join(f'<variable formalParameter="{n}"><connectionPointOut/></variable>' for n in outputs.split())
    named = (f' instanceName="{instance}"' if instance else "") + (f' executionOrderId="{order}"' if order else "")
    return (f'<block localId="{number}" typeName="{kind}"{named}><position x="100" y="{y}"/><inputVariables>{pins}</inputVariables><inOutVariables/>'
            f'<outputVariables>{outs}</outputVariables></block>')


def out_at(number: int, y: int, text: str, source: int, pin: str, asked: str = "") -> str:
    """A variable that is written."""
    return f'<outVariable localId="{number}" {asked}><position x="300" y="{y}"/>{wire_from(source, pin)}<expression>{text}</expression></outVariable>'


def diagram(elements: str, rows: Rows, tags: str, blocks: str = "", said: int = 0) -> Session:
    """A session on a program whose one body is a block diagram."""
    loaded = read(diagram_file(elements, tags, blocks), Path("x.xml"))
    assert len(loaded.notices) == said, [str(n) for n in loaded.notices]
    return session_of(loaded.value, rows)


def diagram_file(elements: str, tags: str, blocks: str = "") -> bytes:
    """A project with one block diagram."""
    return re.sub(rb"<LD\s*/>|<LD>.*?</LD>", f"<FBD>{elements}</FBD>".encode(), write_xml(program_of(lambda ladder: None, tags, blocks)), flags=re.DOTALL)


class Gate(Struct):
    """A block: its number, function, turn, and what goes into it: a block's number or a tag, inverted or not; whether what it gives is."""

    number: int
    kind: str
    turn: int
    inputs: list[tuple[int | str, bool]]
    inverted: bool


def random_gates(random: Random) -> list[Gate]:
    """Up to seven of them, in any order, wired to one another and to ``INPUTS``; behind each a variable Y1 ..."""
    count = random.randint(1, 7)
    turns = random.sample(range(1, 20), count)
    outputs = [f"Y{n}" for n in range(1, count + 1)]
    found = []
    for n in range(1, count + 1):
        kind = random.choice(("AND", "OR", "XOR", "NOT"))
        sources = [(random.randint(1, count) if random.random() < 0.5 else random.choice([*INPUTS, *outputs]), random.random() < 0.2)
                   for _ in range(1 if kind == "NOT" else random.randint(2, 3))]
        found.append(Gate(n, kind, turns[n - 1], sources, random.random() < 0.15))
    return found


def drawn_gates(gates: list[Gate], random: Random) -> str:
    """The gates with a variable behind each, in any order and at any place."""
    made, number = [], 100
    for one in gates:
        pins = {}
        for n, (source, inverted) in enumerate(one.inputs):
            name = f"IN{n + 1}" + ('" negated="true' if inverted else "")
            if isinstance(source, str):
                number += 1
                made.append(value_at(number, random.randint(0, 200), source))
                pins[name] = wire_from(number)
            else:
                pins[name] = wire_from(source, "OUT")
        drawn = block_at(one.number, random.randint(0, 200), one.kind, pins, "OUT", order=one.turn)
        made.append(drawn.replace('<outputVariables><variable', '<outputVariables><variable negated="true"') if one.inverted else drawn)
        number += 1
        made.append(out_at(number, random.randint(0, 200), f"Y{one.number}", one.number, "OUT"))
    random.shuffle(made)
    return "".join(made)
