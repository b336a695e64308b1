"""A changed program written back: what was not changed stays byte for byte, and read again it is the changed program."""

from __future__ import annotations

import difflib
import re
import unittest
from pathlib import Path
from random import Random
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from tests.formats.test_charts import DRYER
from tests.strategies import random_case
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.xml import read
from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.errors import ProgramError
from whorlograph.model.ladder import Block, Coil, CoilKind, Contact, ContactKind, Element, InVariable, LadderBody, Wire
from whorlograph.model.program import Pou, Program, Variable, VariableKind
from whorlograph.model.rungs import build
from whorlograph.model.text import TextBody
from whorlograph.model.types import BOOL, INT, Simple
from whorlograph.plant.catalog import cases

_PLACE = Path("p.xml")


def bare(part: Any) -> Any:
    """A model without lines and files, which change with what stands above."""
    if isinstance(part, Struct):
        return (type(part).__name__, *((f, bare(getattr(part, f))) for f in part.__struct_fields__ if f not in ("line", "place", "file", "at", "first")))
    if isinstance(part, (tuple, list)):
        return tuple(bare(p) for p in part)
    if isinstance(part, dict):
        return tuple(sorted((k, bare(v)) for k, v in part.items()))
    return part


def mangled(data: bytes, random: Random) -> bytes:
    """The same document as others write it: remarks, added data, other blanks and quotes, a prefix, other line ends, another encoding."""
    text = data.decode()
    lines = text.split("\n")
    for _ in range(random.randint(1, 12)):
        at = random.randrange(2, len(lines) - 1)
        if lines[at].lstrip().startswith("<") and not lines[at - 1].rstrip().endswith("<p"):
            lines.insert(at, random.choice(["<!-- kept & <seen> -->", "  <?tool keep this?>", "", "\t "]))
    text = "\n".join(lines)
    text = re.sub(r"(<contact [^>]*>)", lambda m: m[1] + ("<addData><data name='x' handleUnknown='preserve'><own:thing xmlns:own='urn:x' a=\"1\">5 &gt; 3</own:thing></data></addData>"
                                                          if random.random() < 0.3 else ""), text)
    text = re.sub(r'(\w+)="([^"\']*)"', lambda m: f"{m[1]}='{m[2]}'" if random.random() < 0.2 and m[1] not in ("version", "xmlns") else f'{m[1]} = "{m[2]}"' if random.random() < 0.1 and m[1] != "xmlns" else m[0], text)
    if random.random() < 0.3:
        text = re.sub(r"<(/?)(?=[a-zA-Z])(?!p[ >]|own:)", r"<\1pr:", text).replace("xmlns=", "xmlns:pr=", 1).replace("<pr:p ", "<p ").replace("</pr:p>", "</p>")
    if random.random() < 0.3:
        text = text.replace("\n", "\r\n")
    if random.random() < 0.2:
        marked = random.random() < 0.7  # without a mark it says so by its letters alone
        return re.sub(r"encoding=(['\"])UTF-8\1", "encoding='UTF-16'" if marked else "", text).encode("utf-16" if marked else "utf-16-le")
    return (b"\xef\xbb\xbf" if random.random() < 0.2 else b"") + text.encode()


def edited(program: Program, random: Random) -> Program:
    """One to three changes as a person makes them."""
    pous = dict(program.pous)
    for _ in range(random.randint(1, 3)):
        key = random.choice(list(pous))
        pous[key] = _changed(pous[key], random)
    if random.random() < 0.3 and program.configurations:
        config = program.configurations[0]
        resources = tuple(replace(r, tasks=tuple(replace(t, interval="T#77ms", single="", priority=t.priority + 1) for t in r.tasks)) for r in config.resources)
        program = replace(program, configurations=(replace(config, resources=resources), *program.configurations[1:]))
    if random.random() < 0.2:
        program = replace(program, types=program.types | {"fresh": INT})
    return replace(program, pous=pous)


def _changed(pou: Pou, random: Random) -> Pou:
    kind = random.randrange(5)
    if kind == 0:
        fresh = Variable(f"New{random.randrange(99)}", random.choice([BOOL, INT]), random.choice([VariableKind.LOCAL, VariableKind.OUTPUT, VariableKind.TEMP]), documentation="a < b & c")
        if any(v.name == fresh.name for v in pou.variables):
            return pou
        order = [VariableKind.INPUT, VariableKind.OUTPUT, VariableKind.IN_OUT, VariableKind.LOCAL, VariableKind.TEMP, VariableKind.EXTERNAL]
        at = next((i for i, v in enumerate(pou.variables) if order.index(v.kind) > order.index(fresh.kind)), len(pou.variables))
        if at and pou.variables[at - 1].kind is not fresh.kind:  # a section of its own comes last, wherever it is declared
            at = len(pou.variables)
        return replace(pou, variables=(*pou.variables[:at], fresh, *pou.variables[at:]))
    if kind == 1 and pou.variables:
        at = random.randrange(len(pou.variables))
        one = pou.variables[at]
        return replace(pou, variables=(*pou.variables[:at], replace(one, documentation='said "so"', initial=Simple("TRUE") if one.type == BOOL else one.initial), *pou.variables[at + 1:]))
    if kind == 2:
        return replace(pou, documentation="another word")
    if not isinstance(pou.body, LadderBody) or not pou.body.elements:
        return pou
    elements: list[Element] = list(pou.body.elements)
    at = random.randrange(len(elements))
    one = elements[at]
    if isinstance(one, Contact) and random.random() < 0.6:
        elements[at] = replace(one, kind=random.choice(list(ContactKind)), variable=random.choice([one.variable, "X0"]))
    elif isinstance(one, Coil):
        elements[at] = replace(one, kind=random.choice(list(CoilKind)))
    elif isinstance(one, InVariable):
        elements[at] = replace(one, expression="7", negated=False)
    elif isinstance(one, Block) and one.inputs:
        elements[at] = replace(one, inputs=(replace(one.inputs[0], negated=not one.inputs[0].negated), *one.inputs[1:]))
    else:
        number = max(e.id for e in elements) + 1
        elements.append(Contact(number, one.x + 1, one.y, 20, 20, 0, "X1", ContactKind.NORMALLY_OPEN, (Wire(elements[0].id),)))
        if random.random() < 0.5 and len(elements) > 6:
            del elements[random.randrange(1, len(elements) - 1)]
    return replace(pou, body=build(tuple(elements), pou.body.language)[0])


class Splicing(unittest.TestCase):
    """Random programs in random dresses."""

    def test_unchanged_it_is_the_same_bytes(self) -> None:
        for case in cases().values():
            if case.program.suffix == ".xml":
                data = case.program.read_bytes()
                program = read(data, case.program).value
                self.assertEqual(splice(data, program, program), data)

    def test_every_change_is_read_back_and_nothing_else_is_touched(self) -> None:
        changed = 0
        for seed in range(54):
            with self.subTest(seed=seed):
                random = Random(seed)
                data = mangled(write_xml(random_case(random, tasked=seed % 3 == 0)[0]), random)
                old = read(data, _PLACE).value
                new = edited(old, random)
                made = splice(data, old, new)
                found = read(made, _PLACE)
                self.assertEqual(bare(found.value.pous), bare(new.pous))
                self.assertEqual(bare(found.value), bare(new))
                self.assertEqual(splice(made, found.value, found.value), made)
                if new == old:
                    self.assertEqual(made, data)
                    continue
                changed += 1
                wide = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-16-le" if data[1:2] == b"\0" else "utf-8"
                before, after = data.decode(wide).splitlines(), made.decode(wide).splitlines()
                for kept in ("<!-- kept & <seen> -->", "<?tool keep this?>", "own:thing"):
                    lost = sum(kept in line for line in before) - sum(kept in line for line in after)
                    self.assertLessEqual(lost, 6 if kept == "own:thing" else 1, (kept, seed))
                touched = sum(line[0] in "+-" for line in difflib.unified_diff(before, after, n=0))
                self.assertLess(touched, 160, seed)
                self.assertEqual("\r\n" in data.decode(wide), "\r\n" in made.decode(wide))
        self.assertGreater(changed, 36)

    def test_one_contact_turned_is_one_line(self) -> None:
        data = cases()["bridge"].program.read_bytes()
        old = read(data, _PLACE).value
        key = next(k for k, p in old.pous.items() if isinstance(p.body, LadderBody) and any(isinstance(e, Contact) for e in p.body.elements))
        body = old.pous[key].body
        assert isinstance(body, LadderBody)
        one = next(e for e in body.elements if isinstance(e, Contact) and e.kind is ContactKind.NORMALLY_OPEN)
        turned = tuple(replace(e, kind=ContactKind.NORMALLY_CLOSED) if e is one else e for e in body.elements)
        made = splice(data, old, replace(old, pous=old.pous | {key: replace(old.pous[key], body=build(turned)[0])}))
        different = [(a, b) for a, b in zip(data.splitlines(), made.splitlines(), strict=True) if a != b]
        self.assertEqual(len(different), 1)
        self.assertEqual(different[0][0].replace(b'negated="false"', b'negated="true"'), different[0][1])
        back = splice(made, read(made, _PLACE).value, old)
        self.assertEqual(back, data)

    def test_texts_and_charts(self) -> None:
        text = DRYER.replace("Ready := Done AND NOT Start;", "Ready := Done AND NOT Start; (* kept *)")
        old = read(text.encode(), _PLACE).value
        pou = old.pous["dryer"]
        new = replace(old, pous={"dryer": replace(pou, documentation="dries")})
        made = splice(text.encode(), old, new)
        self.assertIn(b"(* kept *)", made)
        self.assertEqual(bare(read(made, _PLACE).value), bare(new))
        st = '<project xmlns="http://www.plcopen.org/xml/tc6_0201"><types><pous><pou name="P" pouType="program"><interface><localVars><variable name="A"><type><BOOL/></type></variable>' \
             '</localVars></interface><body><ST><xhtml:p xmlns:xhtml="http://www.w3.org/1999/xhtml">A := A &lt;&gt; TRUE;</xhtml:p></ST></body></pou></pous></types></project>'
        old = read(st.encode(), _PLACE).value
        body = old.pous["p"].body
        assert isinstance(body, TextBody)
        new = replace(old, pous={"p": replace(old.pous["p"], body=replace(body, source=("A := A = FALSE;", "(* so *)")))})
        made = splice(st.encode(), old, new)
        self.assertEqual(made, st.replace("A := A &lt;&gt; TRUE;", "A := A = FALSE;\n(* so *)").encode())

    def test_another_form_is_refused_with_a_word(self) -> None:
        old = read(write_xml(random_case(Random(1))[0]), _PLACE).value
        with self.assertRaises(ProgramError):
            splice(b'<Netlist version="1"/>', old, replace(old, name="other"))


if __name__ == "__main__":
    unittest.main()
