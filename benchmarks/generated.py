"""A made-up ladder program of any size, as a model, as C, and a log for it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from random import Random

from whorlograph.formats.programs.xml_write import write_xml
from whorlograph.model.ladder import CoilKind
from whorlograph.model.parts import Ladder, Part, coil, either, nc, no, series, timer
from whorlograph.model.program import Configuration, Pou, PouKind, Program, ProgramInstance, Resource, Variable, VariableKind
from whorlograph.model.types import BOOL, Named

COILS = {CoilKind.PLAIN: "{0} = p;", CoilKind.SET: "if (p) {0} = 1;", CoilKind.RESET: "if (p) {0} = 0;"}
PRESET_MS = 150


@dataclass(frozen=True)
class Rung:
    """Branches of (tag, normally closed) in parallel, a timer's number or -1, a coil."""

    branches: tuple[tuple[tuple[str, bool], ...], ...]
    timer: int
    coil: str
    kind: CoilKind


@dataclass(frozen=True)
class Plan:
    """A program: its inputs, inner tags, rungs and timers."""

    inputs: list[str]
    inner: list[str]
    rungs: list[Rung]
    timers: int


def plan(rungs: int, inputs: int, seed: int = 1) -> Plan:
    """Make up a program: contacts of inputs and of earlier coils, seal-ins, latches, a timer in every eighth rung."""
    random = Random(seed)
    names = [f"In{i:03}" for i in range(inputs)]
    inner: list[str] = []
    made: list[Rung] = []
    timers = 0

    def branch(length: int) -> tuple[tuple[str, bool], ...]:
        return tuple((random.choice(inner[-40:]) if inner and random.random() < 0.4 else random.choice(names), random.random() < 0.4)
                     for _ in range(length))

    while len(made) < rungs:
        tag = f"M{len(made):04}"
        if random.random() < 0.15:
            key = random.choice(names)
            made += [Rung((((key, kind is CoilKind.RESET), *branch(random.randint(1, 2))),), -1, tag, kind)
                     for kind in (CoilKind.SET, CoilKind.RESET)]
        else:
            branches = [branch(random.randint(1, 6)) for _ in range(random.choice((1, 1, 2, 3)))]
            if random.random() < 0.2:
                branches.append(((tag, False),))
            timed = len(made) % 8 == 7  # as often as in the shipped program
            made.append(Rung(tuple(branches), timers if timed else -1, tag, CoilKind.PLAIN))
            timers += timed
        inner.append(tag)
    return Plan(names, inner, made, timers)


def write_program(made: Plan, path: Path, outputs: int = 0) -> None:
    """The plan as a program file. Args: outputs: every so manieth of its inner tags is an output of the controller; 0: none."""
    ladder = Ladder()
    for rung in made.rungs:
        branches: list[Part] = [series(*((nc if closed else no)(tag) for tag, closed in branch)) for branch in rung.branches]
        parts = [either(*branches) if len(branches) > 1 else branches[0]]
        if rung.timer >= 0:
            parts.append(timer("TON", f"T{rung.timer:03}", f"T#{PRESET_MS}ms"))
        ladder.rung(*parts, coil(rung.coil, rung.kind))
    timers = tuple(Variable(f"T{i:03}", Named("TON"), VariableKind.LOCAL) for i in range(made.timers))
    places = {name: f"%QX{n // 8}.{n % 8}" for n, name in enumerate(made.inner[::outputs] if outputs else ())}
    tags = tuple(Variable(name, BOOL, VariableKind.GLOBAL, address=places.get(name, "")) for name in (*made.inputs, *made.inner))
    pou = Pou("Main", PouKind.PROGRAM, timers, ladder.body())
    configuration = Configuration("Running", (Resource("One", (ProgramInstance("Main", "Main"),)),), tags)
    path.write_bytes(write_xml(Program("generated", {}, {"main": pou}, (configuration,))))


def write_log(made: Plan, path: Path, seconds: float, change_ms: int, seed: int = 2) -> int:
    """A log with one change of an input each so many ms; the number of rows."""
    random = Random(seed)
    state = dict.fromkeys(made.inputs, 0)
    rows = ["time,tag,value\n", f"0.000,{made.inputs[0]},0\n"]
    for ms in range(change_ms, int(seconds * 1000) + 1, change_ms):
        name = random.choice(made.inputs)
        state[name] ^= 1
        rows.append(f"{ms / 1000:.3f},{name},{state[name]}\n")
    path.write_text("".join(rows))
    return len(rows) - 1


def reading(inputs: int) -> str:
    """C that reads our log's CSV into times (ns), tags and values, by the sorted ``inputs``."""
    return f"""  FILE *log = fopen(a[1], "r"), *out = fopen(a[2], "w"); char line[200];
  setvbuf(out, 0, _IOFBF, 1 << 20);
  long room = 1 << 16, rows = 0; long long *times = malloc(room * 8); int *tags = malloc(room * 4), *values = malloc(room * 4);
  fgets(line, 200, log);
  while (fgets(line, 200, log)) {{
    char *s = line; long long ms = 0;
    for (; *s != ','; s++) if (*s != '.') ms = ms * 10 + (*s - '0');
    char *tag = ++s; while (*s != ',') s++; *s++ = 0;
    const char **hit = bsearch(tag, inputs, {inputs}, sizeof *inputs, by_name);
    if (rows == room) {{ room *= 2; times = realloc(times, room * 8); tags = realloc(tags, room * 4); values = realloc(values, room * 4); }}
    times[rows] = ms * 1000000; tags[rows] = numbers[hit - inputs]; values[rows++] = *s - '0';
  }}"""


def write_c(made: Plan, path: Path) -> None:
    """The plan as C: every rung in every scan, the log read from CSV, settled rows written as ours are."""
    names = [*made.inputs, *made.inner]
    number = {name: i for i, name in enumerate(names)}
    body = []
    for rung in made.rungs:
        power = " || ".join(
            "(" + " && ".join(f"{'!' if closed else ''}v[{number[tag]}]" for tag, closed in branch) + ")" for branch in rung.branches)
        lines = [f"p = {power};"]
        if rung.timer >= 0:
            t, i = rung.timer, len(names) + 2 * rung.timer
            lines.append(f"pt[{t}] = {PRESET_MS}000000LL; if (p && !v[{i}]) st[{t}] = now; v[{i}] = p; "
                         f"p = v[{i + 1}] = p && now - st[{t}] >= pt[{t}];")
        lines.append(COILS[rung.kind].format(f"v[{number[rung.coil]}]"))
        body.append(" ".join(lines))
    functions = [f"static void part{i // 100}(long long now) {{ int p;\n" + "\n".join(body[i:i + 100]) + "\n}" for i in range(0, len(body), 100)]
    calls = " ".join(f"part{i}(now);" for i in range(len(functions)))
    # Rows are ordered by tag name: globals and the timers' members together.
    order = sorted([(name, i) for i, name in enumerate(names)]
                   + [(f"Main.T{t:03}.{pin}", len(names) + 2 * t + k) for t in range(made.timers) for k, pin in enumerate(("IN", "Q"))]
                   + [(f"Main.T{t:03}.PT", -1 - t) for t in range(made.timers)])
    listed = ",".join(f'"{name}"' for name, _ in order)
    indices = ",".join(str(i) for _, i in order)
    sorted_names = ",".join(f'"{n}"' for n in sorted(made.inputs))
    sorted_numbers = ",".join(str(number[n]) for n in sorted(made.inputs))
    total = len(names) + 2 * made.timers
    path.write_text(f"""
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
static unsigned char v[{total}], was[{total}];
static long long pt[{max(1, made.timers)}], pwas[{max(1, made.timers)}], st[{max(1, made.timers)}];
static const char *shown[] = {{{listed}}};
static const int at[] = {{{indices}}};
static const char *inputs[] = {{{sorted_names}}};
static const int numbers[] = {{{sorted_numbers}}};
{chr(10).join(functions)}
static int by_name(const void *a, const void *b) {{ return strcmp((const char *)a, *(const char *const *)b); }}
int main(int n, char **a) {{
{reading(len(made.inputs))}
  fputs("time,scan,tag,value\\n", out);
  for (int i = 0; i < {len(order)}; i++) fprintf(out, "0.000000,0,%s,0\\n", shown[i]);
  long next = 0, scan = 1;
  for (long long now = 0; now <= times[rows - 1]; now += 10000000, scan++) {{
    while (next < rows && times[next] <= now) {{ v[tags[next]] = values[next]; next++; }}
    {calls}
    if (memcmp(v, was, sizeof v) || memcmp(pt, pwas, sizeof pt)) {{
      for (int i = 0; i < {len(order)}; i++) {{
        int k = at[i];
        if (k >= 0 ? v[k] != was[k] : pt[-1 - k] != pwas[-1 - k])
          fprintf(out, "%lld.%06lld,%ld,%s,%lld\\n", now / 1000000000, now / 1000 % 1000000, scan, shown[i], k >= 0 ? (long long)v[k] : pt[-1 - k]);
      }}
      memcpy(was, v, sizeof v); memcpy(pwas, pt, sizeof pt);
    }}
  }}
  fclose(out); return 0;
}}
""")
