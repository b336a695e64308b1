"""Figure A in every language: the very program of the ladder benchmark as statements, as an instruction list, as block diagrams.

All give the same rows as the one C program. By turns, the least of some runs: the machine's speed varies by a factor of two from hour to hour.
"""

from __future__ import annotations

import filecmp
import os
import re
import shutil
import sys
import tempfile
from pathlib import Path

from benchmarks.generated import PRESET_MS, Plan, Rung, plan, write_c, write_log, write_program
from benchmarks.replay import HOURS, INPUTS, PROFILE, RUNGS, compiled, found_compiler
from benchmarks.timing import command_seconds
from whorlograph.model.ladder import CoilKind

TURNS = int(os.environ.get("WHORLOGRAPH_COUNT", "4"))


def statements(rung: Rung) -> str:
    """A rung as statements."""
    power = " OR ".join("(" + " AND ".join(("NOT " if closed else "") + tag for tag, closed in branch) + ")" for branch in rung.branches)
    timed = ""
    if rung.timer >= 0:
        timed, power = f"T{rung.timer:03}(IN := {power}, PT := T#{PRESET_MS}ms);\n", f"T{rung.timer:03}.Q"
    if rung.kind is CoilKind.PLAIN:
        return f"{timed}{rung.coil} := {power};"
    return f"{timed}IF {power} THEN {rung.coil} := {'TRUE' if rung.kind is CoilKind.SET else 'FALSE'}; END_IF;"


def instructions(rung: Rung) -> str:
    """A rung as an instruction list."""
    lines: list[str] = []
    for n, branch in enumerate(rung.branches):
        loads = [("LD" if not i else "AND") + ("N" if closed else "") + f" {tag}" for i, (tag, closed) in enumerate(branch)]
        lines += ["OR(", *loads, ")"] if n else loads
    if rung.timer >= 0:
        timer = f"T{rung.timer:03}"
        lines += [f"ST {timer}.IN", f"LD T#{PRESET_MS}ms", f"ST {timer}.PT", f"CAL {timer}", f"LD {timer}.Q"]
    return "\n".join([*lines, {CoilKind.PLAIN: "ST", CoilKind.SET: "S", CoilKind.RESET: "R"}[rung.kind] + f" {rung.coil}"])


def write_text(made: Plan, path: Path, lists: bool) -> None:
    """The plan as a program text."""
    names, timers = ", ".join((*made.inputs, *made.inner)), ", ".join(f"T{i:03}" for i in range(made.timers))
    path.write_text("\n".join((
        "PROGRAM Main", f"VAR_EXTERNAL {names} : BOOL; END_VAR VAR {timers} : TON; END_VAR",
        *map(instructions if lists else statements, made.rungs), "END_PROGRAM",
        f"CONFIGURATION C VAR_GLOBAL {names} : BOOL; END_VAR RESOURCE R ON CPU PROGRAM Main : Main; END_RESOURCE END_CONFIGURATION\n")))


class _Diagram:
    """Elements of a block diagram, numbered as they come, one network below the other."""

    def __init__(self) -> None:
        self.made: list[str] = []

    def _element(self, kind: str, inner: str, x: int, attributes: str = "") -> int:
        number = len(self.made) + 1
        self.made.append(f'<{kind} localId="{number}" {attributes}><position x="{x}" y="{number * 20}"/>{inner}</{kind}>')
        return number

    def value(self, text: str, negated: bool = False) -> int:
        """What goes into a block."""
        out = f"<connectionPointOut/><expression>{text}</expression>"
        return self._element("inVariable", out, 10, f'negated="{str(negated).lower()}"')

    def block(self, kind: str, pins: dict[str, int], x: int, out: str = "OUT", instance: str = "") -> int:
        """A block. Args: pins: by name, what is wired to them."""
        wires = "".join(f'<variable formalParameter="{name}">{_wired(source)}</variable>' for name, source in pins.items())
        outs = f'<variable formalParameter="{out}"><connectionPointOut/></variable>'
        named = f' instanceName="{instance}"' if instance else ""
        return self._element("block", f"<inputVariables>{wires}</inputVariables><inOutVariables/><outputVariables>{outs}</outputVariables>",
                             x, f'typeName="{kind}"{named}')

    def joined(self, kind: str, sources: list[int], x: int) -> int:
        """Several put together by a block, or the only one of them."""
        return self.block(kind, {f"IN{n + 1}": source for n, source in enumerate(sources)}, x) if len(sources) > 1 else sources[0]

    def rung(self, rung: Rung) -> None:
        """A network with what a rung says."""
        power = self.joined("OR", [self.joined("AND", [self.value(tag, closed) for tag, closed in branch], 100) for branch in rung.branches], 200)
        pin = ""
        if rung.timer >= 0:
            preset = self.value(f"T#{PRESET_MS}ms")
            power, pin = self.block("TON", {"IN": power, "PT": preset}, 300, "Q", f"T{rung.timer:03}"), "Q"
        storage = {CoilKind.SET: ' storage="set"', CoilKind.RESET: ' storage="reset"'}.get(rung.kind, "")
        self._element("outVariable", f"{_wired(power, pin)}<expression>{rung.coil}</expression>", 400, f'negated="false"{storage}')


def _wired(source: int, pin: str = "") -> str:
    named = f' formalParameter="{pin}"' if pin else ""
    return f'<connectionPointIn><connection refLocalId="{source}"{named}/></connectionPointIn>'


def write_diagram(made: Plan, path: Path) -> None:
    """The plan as block diagrams, in the frame of the ladder's file."""
    write_program(made, path)
    diagram = _Diagram()
    for rung in made.rungs:
        diagram.rung(rung)
    path.write_text(re.sub(r"<LD>.*?</LD>", lambda _: f"<FBD>{''.join(diagram.made)}</FBD>", path.read_text(), flags=re.DOTALL))


def main() -> None:
    """Measure each language, with nothing kept and again."""
    compiler = found_compiler()
    if compiler is None:
        return
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        (place / "profile.toml").write_text(PROFILE)
        made = plan(RUNGS, INPUTS)
        write_program(made, place / "ladder.xml")
        write_diagram(made, place / "diagrams.xml")
        write_text(made, place / "statements.st", lists=False)
        write_text(made, place / "list.st", lists=True)
        write_c(made, place / "full.c")
        compiled(compiler, place)
        rows = write_log(made, place / "log.csv", HOURS * 3600, 100)
        names = ("ladder.xml", "statements.st", "list.st", "diagrams.xml")
        least: dict[tuple[str, str], float] = {}

        def run(name: str, how: str, command: list[str]) -> None:
            least[name, how] = min(least.get((name, how), 1e9), command_seconds(command, 1))

        same = dict.fromkeys(names, True)
        for _ in range(TURNS):
            run("C", "", [str(place / "full"), str(place / "log.csv"), str(place / "c.csv")])
            for name in names:
                shutil.rmtree(place / "kept", ignore_errors=True)
                files = [str(place / one) for one in (name, "log.csv", "profile.toml", "o.csv")]
                for how in ("first", "again"):
                    run(name, how, ["env", f"XDG_CACHE_HOME={place / 'kept'}", sys.executable, "-m", "whorlograph.cli.main", "replay", *files[:2],
                                    "--profile", files[2], "--out", files[3]])
                same[name] = same[name] and filecmp.cmp(place / "o.csv", place / "c.csv", shallow=False)
        c = least["C", ""]
        print(f"{RUNGS} rungs, {rows:,} log rows, C {c:.2f} s, least of {TURNS} by turns")
        for name in names:
            first, again = least[name, "first"], least[name, "again"]
            print(f"{name}: {first:.2f} s first, {again:.2f} s again; ratio {first / c:.3f} first (goal 0.25), {again / c:.3f} again (goal 0.1); "
                  f"rows {'the same' if same[name] else 'DIFFER'}", flush=True)
