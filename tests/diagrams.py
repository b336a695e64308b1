"""Block diagrams in XML, element by element, for tests."""

from __future__ import annotations

import re
from pathlib import Path

from tests.building import Rows, program_of, session_of
from whorlograph.desk.session import Session
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml


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
