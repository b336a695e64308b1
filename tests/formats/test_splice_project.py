"""The XML form of IEC 61131-10 written back: rungs, wires and declarations, all other bytes as they were."""

from __future__ import annotations

import difflib
import re
import unittest
from pathlib import Path
from random import Random

from msgspec.structs import replace

from tests.formats.test_splice import bare, edited
from tests.projects import project
from tests.strategies import random_case
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.xml import read
from whorlograph.model.ladder import Coil, CoilKind, Contact, ContactKind, Element, LadderBody, LeftRail, Wire, wires_of
from whorlograph.model.program import Program
from whorlograph.model.rungs import build
from whorlograph.model.text import TextBody
from whorlograph.plant.catalog import cases

_PLACE = Path("p.xml")


def dressed(data: bytes, random: Random) -> bytes:
    """The same document as others write it: remarks, added data, other quotes, no positions, no numbers of rungs, another encoding."""
    text = data.decode()
    lines = text.split("\n")
    for _ in range(random.randint(1, 9)):
        at = random.randrange(3, len(lines) - 1)
        if lines[at].lstrip().startswith("<") and "BodyContent" not in lines[at] and lines[at - 1].rstrip().endswith(">"):
            lines.insert(at, random.choice(["<!-- kept & <seen> -->", "  <?tool keep this?>", "\t "]))
    text = "\n".join(lines)
    text = re.sub(r"(<LdObject [^>]*\"Contact\"[^>]*>)", lambda m: m[1] + ("<AddData><Data name='x'>5 &gt; 3</Data></AddData>" if random.random() < 0.3 else ""), text)
    text = re.sub(r' (operand|negated)="(\w+)"', lambda m: f" {m[1]} = '{m[2]}'" if random.random() < 0.3 else m[0], text)
    if random.random() < 0.3:
        text = text.replace("xmlns:xsi=", "xmlns:i=").replace(" xsi:type=", " i:type=")
    if random.random() < 0.3:
        text = re.sub(r"</?Parameters>|<Parameters/>", "", text)
    if random.random() < 0.3:
        text = text.replace("\n", "\r\n")
    if random.random() < 0.2:
        return re.sub(r"encoding=(['\"])UTF-8\1", "encoding='UTF-16'", text).encode("utf-16")
    return text.encode()


def drawn(program: Program) -> object:
    """Bodies by rung, whatever the numbers and places of their objects are."""
    found = {}
    for key, pou in program.pous.items():
        body = pou.body
        if not isinstance(body, LadderBody):
            found[key] = bare(body)
            continue
        rails = {e.id for e in body.elements if isinstance(e, LeftRail)}
        there = {e.id for e in body.elements}
        rungs = []
        for rung in body.rungs:
            order = {e.id: n for n, e in enumerate(rung.elements)} | dict.fromkeys(rails, -1)
            rungs.append((rung.labels, [(_plain(e), [(order.get(w.source, -2), w.pin) for w in wires_of(e) if w.source in there]) for e in rung.elements]))
        found[key] = rungs, body.targets
    return found


def _plain(element: Element) -> object:
    fields = {f: getattr(element, f) for f in element.__struct_fields__}
    pins = {f: [(p.name, p.negated, p.edge) for p in fields[f]] for f in ("inputs", "in_outs", "outputs") if f in fields}
    return type(element).__name__, {f: v for f, v in fields.items() if f not in ("id", "x", "y", "width", "height", "line", "wires", *pins)}, pins


def added(program: Program, random: Random) -> Program:
    """A rung of its own, behind or between those of a body; or one less."""
    key = random.choice([k for k, p in program.pous.items() if isinstance(p.body, LadderBody) and p.body.language == "LD"])
    body = program.pous[key].body
    assert isinstance(body, LadderBody)
    rail = next((e for e in body.elements if isinstance(e, LeftRail)), None)
    if rail is None or not body.rungs:
        return program
    elements: list[Element] = list(body.elements)
    if random.random() < 0.3 and len(body.rungs) > 2:
        gone = {e.id for e in random.choice(body.rungs).elements}
        elements = [e for e in elements if e.id not in gone]
    else:
        number = max(e.id for e in elements) + 1
        top = max(e.y for e in random.choice(body.rungs).elements) + 7
        elements += [Contact(number, 30, top, 20, 20, 0, "X0", random.choice(list(ContactKind)), (Wire(rail.id),)),
                     Coil(number + 1, 90, top, 20, 20, 0, "Y0", random.choice(list(CoilKind)), (Wire(number),))]
    return replace(program, pous=program.pous | {key: replace(program.pous[key], body=build(tuple(elements), body.language)[0])})


class Projects(unittest.TestCase):
    """Random programs in random dresses."""

    def test_every_change_is_read_back_and_nothing_else_is_touched(self) -> None:
        changed = 0
        for seed in range(40):
            with self.subTest(seed=seed):
                random = Random(seed)
                data = dressed(project(random_case(random, tasked=seed % 3 == 0)[0], seed % 4 == 1), random)
                loaded = read(data, _PLACE)
                old = loaded.value
                self.assertEqual(splice(data, old, old), data)
                new = edited(old, random)
                if random.random() < 0.5:
                    new = added(new, random)
                made = splice(data, old, new)
                found = read(made, _PLACE)
                self.assertEqual(drawn(found.value), drawn(new))
                bodies = {k: replace(p, body=TextBody(())) for k, p in found.value.pous.items()}
                self.assertEqual(bare(replace(found.value, pous=bodies)), bare(replace(new, pous={k: replace(p, body=TextBody(())) for k, p in new.pous.items()})))
                changed += new != old
                wide = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8"
                before, after = data.decode(wide).splitlines(), made.decode(wide).splitlines()
                for kept in ("<!-- kept & <seen> -->", "<?tool keep this?>"):
                    self.assertLessEqual(sum(kept in line for line in before) - sum(kept in line for line in after), 2, (kept, seed))
                touched = sum(line[0] in "+-" for line in difflib.unified_diff(before, after, n=0))
                self.assertLess(touched, 400, seed)
                self.assertNotIn(" wg=", made.decode(wide))
        self.assertGreater(changed, 30)

    def test_one_contact_turned_is_one_line(self) -> None:
        for case in cases().values():
            if case.program.suffix != ".xml":
                continue
            data = project(read(case.program.read_bytes(), case.program).value)
            old = read(data, _PLACE).value
            key = next(k for k, p in old.pous.items() if isinstance(p.body, LadderBody) and any(isinstance(e, Contact) for e in p.body.elements))
            body = old.pous[key].body
            assert isinstance(body, LadderBody)
            one = next(e for e in body.elements if isinstance(e, Contact) and e.kind is ContactKind.NORMALLY_OPEN)
            turned = tuple(replace(e, kind=ContactKind.NORMALLY_CLOSED) if e is one else e for e in body.elements)
            made = splice(data, old, replace(old, pous=old.pous | {key: replace(old.pous[key], body=build(turned)[0])}))
            different = [(a, b) for a, b in zip(data.splitlines(), made.splitlines(), strict=True) if a != b]
            self.assertEqual(len(different), 1, case.name)
            self.assertEqual(different[0][0].replace(b">", b' negated="true">'), different[0][1])
            self.assertEqual(splice(made, read(made, _PLACE).value, old), data)

    def test_a_new_pou_type_and_configuration(self) -> None:
        first = random_case(Random(5))[0]
        data = project(first)
        old = read(data, _PLACE).value
        more = read(project(random_case(Random(6), tasked=True)[0]), _PLACE).value
        spare = {f"spare_{k}": replace(p, name=f"Spare_{p.name}") for k, p in more.pous.items()}
        new = replace(old, pous=old.pous | spare, types=old.types | {f"spare_{k}": t for k, t in more.types.items()},
                      configurations=(*old.configurations, *(replace(c, name="Spare") for c in more.configurations)), name="Another")
        made = splice(data, old, new)
        found = read(made, _PLACE).value
        self.assertEqual(drawn(found), drawn(new))
        self.assertEqual(bare(found.types), bare(new.types))
        self.assertEqual(bare(found.configurations), bare(new.configurations))
        self.assertEqual(found.name, "Another")


if __name__ == "__main__":
    unittest.main()
