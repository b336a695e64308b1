"""Program texts written back: declarations and bodies, all other letters as they were."""

from __future__ import annotations

import difflib
import re
import unittest
from pathlib import Path
from random import Random

from msgspec.structs import replace

from tests.formats.test_splice import bare, edited
from tests.strategies import random_case
from tests.text_strategies import random_text
from whorlograph.formats.programs.splice import splice
from whorlograph.formats.programs.st import read
from whorlograph.model.errors import ProgramError
from whorlograph.model.ladder import LadderBody
from whorlograph.model.program import Program, Task
from whorlograph.model.text import TextBody
from whorlograph.model.types import BOOL, INT, Enumeration, Field, Simple, Structure, Subrange

_PLACE = Path("p.st")
HAND = """(* about the pump *)
TYPE
  Mode : (Off, On := 4);   // kept
  Pair : STRUCT
    One : INT := 3;  (* first *)
    Two, Three : BOOL;
  END_STRUCT;
END_TYPE

(* drives one pump *)
FUNCTION_BLOCK Drive
VAR_INPUT
  Go, Halt : BOOL;   (* both *)
  Level : INT (0..90) := 5; // of a hundred
END_VAR
VAR_OUTPUT Run : BOOL; END_VAR
  (* the heart *)
  IF Go AND NOT Halt THEN
\tRun := TRUE;   // so
  END_IF;

END_FUNCTION_BLOCK

PROGRAM Main
VAR P : Drive; Left AT %IX0.0 : BOOL; Kind : Mode := On; END_VAR
P(Go := Left, Halt := FALSE); END_PROGRAM

CONFIGURATION C
  VAR_GLOBAL Total : INT; END_VAR
  RESOURCE R ON CPU
    TASK Slow (INTERVAL := T#100ms, PRIORITY := 3);  (* slow *)
    PROGRAM M1 WITH Slow : Main (Left := Total);
  END_RESOURCE
END_CONFIGURATION
"""


def dressed(text: str, random: Random) -> bytes:
    """The same text as others write it: remarks, blanks, other line ends and encodings."""
    text = re.sub(r"(VAR\w*(?: CONSTANT| RETAIN)?) (?=\w+ (?:AT|:)|\w+,)", lambda m: m[1] + random.choice(["\n  ", "\n", " "]), text)
    text = re.sub(r"; (?=\w+ (?:AT|:)|\w+,|END_VAR)", lambda m: random.choice([";\n  ", ";\n  ", ";\n", "; "]), text)
    lines = text.split("\n")
    out = []
    for line in lines:
        if random.random() < 0.1:
            out.append(random.choice(["(* Größe & Maß *)", "// noted", "", "   "]))
        out.append(line + random.choice(["", "", "  ", " // kept", " (* Öl *)"]))
    ends = random.choice(["\n", "\n", "\r\n"])
    return ends.join(out).encode(random.choice(["utf-8", "utf-8-sig", "cp1252", "utf-16", "utf-16-be"]))


def further(program: Program, random: Random) -> Program:
    """One more statement in one of the bodies, or one less."""
    pous = dict(program.pous)
    key = random.choice(list(pous))
    body = pous[key].body
    if isinstance(body, TextBody) and body.language == "ST" and random.random() < 0.7:
        source = (*body.source, "  ;") if random.random() < 0.5 else ("(* new *)", *body.source)
        pous[key] = replace(pous[key], body=replace(body, source=source))
    if random.random() < 0.15:
        pous["spare"] = replace(next(iter(pous.values())), name="Spare", documentation="to spare")
    elif random.random() < 0.1 and len(pous) > 2:
        del pous[random.choice(list(pous))]
    return replace(program, pous=pous)


def sources(program: Program) -> dict[str, list[str]]:
    """Bodies as written, blanks at line ends and above all of them apart."""
    return {k: [line.strip() for line in p.body.source if line.strip()] for k, p in program.pous.items() if isinstance(p.body, TextBody)}


def declared(program: Program) -> object:
    """All but the bodies."""
    pous = {k: replace(p, body=TextBody(())) for k, p in program.pous.items()}
    return bare(replace(program, pous=pous, date="", version="", name=""))


class Texts(unittest.TestCase):
    """Random texts in random dresses, and one by hand."""

    def test_every_change_is_read_back_and_nothing_else_is_touched(self) -> None:
        changed = 0
        for seed in range(60):
            with self.subTest(seed=seed):
                random = Random(seed)
                data = dressed(random_text(random), random)
                loaded = read(data, _PLACE)
                old = loaded.value
                self.assertEqual(splice(data, old, old), data)
                new = further(edited(old, random), random)
                try:
                    made = splice(data, old, new)
                except ProgramError as error:
                    self.assertIn("encoding", str(error))
                    continue
                found = read(made, _PLACE)
                self.assertEqual([n.what for n in found.notices], [n.what for n in loaded.notices])
                self.assertEqual(declared(found.value), declared(new))
                self.assertEqual(sources(found.value), sources(new))
                changed += new != old
                wide = "utf-16-le" if data[1:2] in b"\0\xfe" else "utf-16-be" if data[:1] == b"\0" else "utf-8" if b"\xc3" in data else "cp1252"
                before, after = data.decode(wide).splitlines(), made.decode(wide).splitlines()
                touched = [line for line in difflib.unified_diff(before, after, n=0, lineterm="") if line[0] == "-" and not line.startswith("---")]
                gone = sum(k not in new.pous for k in old.pous)
                self.assertLess(len(touched), 12 + 80 * gone, "\n".join(touched))
                self.assertEqual("\r\n" in data.decode(wide), "\r\n" in made.decode(wide))
                self.assertEqual(data[:2] == b"\xff\xfe", made[:2] == b"\xff\xfe")
        self.assertGreater(changed, 40)

    def test_by_hand(self) -> None:
        old = read(HAND.encode(), _PLACE).value
        drive, main = old.pous["drive"], old.pous["main"]
        level = next(v for v in drive.variables if v.name == "Level")
        halt = next(v for v in drive.variables if v.name == "Halt")
        config = old.configurations[0]
        pair = Structure((Field("One", INT, Simple("4")), Field("Two", BOOL), Field("Three", INT), Field("Four", BOOL)))
        for new, wanted in (
            (replace(old, pous=old.pous | {"drive": replace(drive, variables=tuple(replace(v, type=Subrange(INT, 0, 80)) if v is level else v for v in drive.variables))}),
             HAND.replace("(0..90)", "(0..80)")),
            (replace(old, pous=old.pous | {"drive": replace(drive, variables=tuple(v for v in drive.variables if v is not level))}),
             HAND.replace("  Level : INT (0..90) := 5; // of a hundred\n", "")),
            (replace(old, pous=old.pous | {"drive": replace(drive, variables=tuple(v for v in drive.variables if v is not halt))}),
             HAND.replace("Go, Halt : BOOL;", "Go : BOOL;")),
            (replace(old, types=old.types | {"pair": pair}),
             HAND.replace("One : INT := 3;", "One : INT := 4;").replace("Two, Three : BOOL;", "Two : BOOL;\n    Three : INT;\n    Four : BOOL;")),
            (replace(old, types=old.types | {"mode": Enumeration((("Off", 0), ("On", 1)))}), HAND.replace("Mode : (Off, On := 4)", "Mode : (Off, On)")),
            (replace(old, pous=old.pous | {"main": replace(main, variables=tuple(replace(v, address="%IX0.1") if v.address else v for v in main.variables))}),
             HAND.replace("%IX0.0", "%IX0.1")),
            (replace(old, configurations=(replace(config, resources=(replace(config.resources[0], tasks=(Task("Slow", 3, "T#20ms"),)),)),)),
             HAND.replace("T#100ms", "T#20ms")),
            (replace(old, pous={"main": main}), HAND[:HAND.index("(* drives")] + HAND[HAND.index("\nPROGRAM Main"):]),
            (replace(old, pous=old.pous | {"drive": replace(drive, documentation="drives two")}), HAND.replace("drives one pump", "drives two")),
        ):
            with self.subTest(wanted=next((line for line in difflib.ndiff(HAND.splitlines(), wanted.splitlines()) if line[0] in "+-"), "")):
                made = splice(HAND.encode(), old, new).decode()
                self.assertEqual(made, wanted)
                self.assertEqual(bare(read(made.encode(), _PLACE).value.types), bare(new.types))
                if [*new.pous] == [*old.pous]:
                    back = splice(made.encode(), read(made.encode(), _PLACE).value, old)
                    self.assertEqual(bare(read(back, _PLACE).value.types), bare(old.types))
                    self.assertEqual(declared(read(back, _PLACE).value), declared(old))

    def test_what_text_cannot_hold_is_refused(self) -> None:
        old = read(HAND.encode(), _PLACE).value
        drawn = next(p for p in random_case(Random(2))[0].pous.values() if isinstance(p.body, LadderBody))
        for new in (replace(old, pous=old.pous | {"drawn": replace(drawn, name="Drawn")}),
                    replace(old, pous=old.pous | {"main": replace(old.pous["main"], body=drawn.body)})):
            with self.assertRaises(ProgramError):
                splice(HAND.encode(), old, new)

    def test_a_declaration_with_an_edge_is_not_written_anew(self) -> None:
        text = HAND.replace("  Go, Halt : BOOL;", "  Go : BOOL R_EDGE;\n  Halt : BOOL;").encode()
        old = read(text, _PLACE).value
        drive = old.pous["drive"]
        for name, refused in (("Go", True), ("Halt", False)):
            changed = tuple(replace(v, documentation="other") if v.name == name else v for v in drive.variables)
            new = replace(old, pous=old.pous | {"drive": replace(drive, variables=changed)})
            if refused:
                self.assertRaises(ProgramError, splice, text, old, new)
            else:
                self.assertIn(b"Halt : BOOL; (* other *)", splice(text, old, new))

    def test_bodies_by_hand(self) -> None:
        data = HAND.encode()
        old = read(data, _PLACE).value
        for key, pou in old.pous.items():
            assert isinstance(pou.body, TextBody)
            source = (*pou.body.source[:1], "(* seen *)", *pou.body.source[1:])
            made = splice(data, old, replace(old, pous=old.pous | {key: replace(pou, body=replace(pou.body, source=source))})).decode()
            self.assertEqual(re.sub(r"\n?\(\* seen \*\)\n?", "" if key == "main" else "\n", made), HAND)


if __name__ == "__main__":
    unittest.main()
