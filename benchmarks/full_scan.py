"""Any program's code as C that evaluates every step in every scan: what the compiled engine is measured against."""

from __future__ import annotations

from itertools import count
from pathlib import Path

from benchmarks.generated import reading
from whorlograph.engine.code import (
    Action,
    Base,
    Body,
    Call,
    Code,
    Const,
    Convert,
    Edge,
    Expr,
    If,
    Instance,
    Invoke,
    Leave,
    Let,
    Load,
    Loop,
    Op,
    Scope,
    Slot,
    Spot,
    Store,
    Taken,
    Target,
)
from whorlograph.engine.controller import Controller
from whorlograph.model.types import Family

SIGNS = {"XOR": "^", "ADD": "+", "SUB": "-", "MUL": "*", "GT": ">", "GE": ">=", "EQ": "==", "LE": "<=", "LT": "<", "NE": "!=", "AND": "&&",
         "OR": "||"}
WIDTHS = {"SINT": "signed char", "INT": "short", "DINT": "int", "USINT": "unsigned char", "UINT": "unsigned short", "UDINT": "unsigned"}

BLOCKS = """
static void ton(long o, long h, long long now) {
  if (v[o] && !m[h]) st[h] = now;
  m[h] = v[o]; v[o + 2] = v[o] && now - st[h] >= v[o + 1];
}
static void ctu(long o, long h) {
  int rise = v[o] && !m[h]; m[h] = v[o];
  if (v[o + 1]) v[o + 4] = 0; else if (rise && v[o + 4] < 32767) v[o + 4]++;
  v[o + 3] = v[o + 4] >= v[o + 2];
}
static void rs(long o, long h) { v[o + 2] = !v[o + 1] && (v[o] || v[o + 2]); }
"""


class Printer:
    """Prints bodies; numbers wrap in their type, subscripts and other blocks are not known."""

    def __init__(self, code: Code) -> None:
        self.code = code
        self.labels = count()
        self.scopes: list[str] = []

    def cell(self, target: Target) -> str:
        base = {Base.GLOBAL: "", Base.OWN: "o + ", Base.HIDDEN: "h + "}[Base(target.base)]
        return f"{'m' if target.base == Base.HIDDEN else 'v'}[{base}{target.cell}]"

    def value(self, one: Expr) -> str:
        if isinstance(one, Const):
            return f"{int(one.value)}LL"
        if isinstance(one, Slot):
            return f"s{one.number}"
        if isinstance(one, Load):
            return self.cell(one.target)
        if isinstance(one, Convert):
            return f"({WIDTHS.get(one.type, 'long long')})({self.value(one.value)})"
        assert isinstance(one, Op)
        if one.code == "NOT":
            return f"!{self.value(one.args[0])}"
        joined = f" {SIGNS[one.code]} ".join(self.value(a) for a in one.args)
        return f"({WIDTHS.get(one.type, 'long long')})({joined})" if one.code in ("ADD", "SUB", "MUL") else f"({joined})"

    def place(self, spot: Spot) -> str:
        if spot.base == Base.GLOBAL:
            one = self.code.instances[spot.own]
            return f"{one.own}, {one.hidden - self.code.tags}"
        return f"o + {spot.own}, h + {spot.hidden}"

    def action(self, one: Action) -> str:
        if isinstance(one, Let):
            return f"long long s{one.slot} = {self.value(one.value)};"
        if isinstance(one, Store):
            return f"{self.cell(one.target)} = {self.value(one.value)};"
        if isinstance(one, Edge):
            m, now = self.cell(one.memory), self.value(one.value)
            passes = f"{m} == 0 && n{one.slot}" if one.rising else f"{m} == 1 && !n{one.slot}"
            return f"int n{one.slot} = {now} != 0; long long s{one.slot} = {passes}; {m} = n{one.slot};"
        if isinstance(one, If):
            other = f" else {{ {self.all(one.other)} }}" if one.other else ""
            return f"if ({self.value(one.test)}) {{ {self.all(one.then)} }}{other}"
        if isinstance(one, (Scope, Loop)):
            self.scopes.append(f"e{next(self.labels)}" if isinstance(one, Scope) else "")
            inside = self.all(one.actions)
            label = self.scopes.pop()
            return f"{{ {inside} }} {label}: ;" if label else f"for (;;) {{ {inside} }}"
        if isinstance(one, Leave):
            return f"goto {[label for label in self.scopes if label][-1 - one.depth]};"
        if isinstance(one, Invoke):
            return f"{one.block.lower()}({self.place(one.where)}{', now' if one.block == 'TON' else ''});"
        if isinstance(one, Call):
            return f"b{one.body}({self.place(one.where)}, now);"
        assert isinstance(one, Taken)
        return f"{self.cell(one.cell)} = {self.value(one.value)};"

    def all(self, actions: tuple[Action, ...]) -> str:
        return " ".join(self.action(a) for a in actions)

    def body(self, number: int, body: Body) -> str:
        lines = []
        for n, step in enumerate(body.steps):
            leaving = " ".join(f"if ({self.value(e.test)}) goto l{number}_{min(e.step, len(body.steps))};" for e in step.exits)
            lines.append(f"l{number}_{n}: {{ {self.all(step.actions)} }} {leaving}")
        return f"static void b{number}(long o, long h, long long now) {{\n" + "\n".join(lines) + f"\nl{number}_{len(body.steps)}: ;\n}}"


def write_full_scan(controller: Controller, inputs: list[str], path: Path, scan_ms: int = 10) -> None:
    """A controller's program as C, which reads our log's CSV and writes settled rows as we do."""
    code, running = controller.code, controller.running
    printer = Printer(code)
    bodies = "\n".join(printer.body(n, b) for n, b in enumerate(code.bodies))

    def call(one: Instance) -> str:
        return f"b{one.body}({one.own}, {one.hidden - code.tags if one.hidden else 0}, now);"

    calls = " ".join(call(one) for one in code.programs)
    shown = sorted((t.name, t.index) for t in running.tags[:running.public] if not t.computed and t.type.family is not Family.STRING)
    first = {one.hidden + code.bodies[one.body].inner + n - code.tags: cell.initial for one in code.instances if one.body >= 0
             for n, cell in enumerate(code.bodies[one.body].hidden) if cell.initial}
    begin = " ".join(f"m[{n}] = {value};" for n, value in first.items()) + " ".join(f"v[{t.index}] = {t.initial};" for t in running.tags if t.initial)
    names, total, hidden = sorted(inputs), running.public, code.cells - code.tags + 1
    path.write_text(f"""
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
static long long v[{total}], was[{total}], m[{hidden}], st[{hidden}];
static const char *shown[] = {{{",".join(f'"{name}"' for name, _ in shown)}}};
static const int at[] = {{{",".join(str(i) for _, i in shown)}}};
static const char *inputs[] = {{{",".join(f'"{n}"' for n in names)}}};
static const int numbers[] = {{{",".join(str(running.by_name[n.lower()]) for n in names)}}};
{BLOCKS}
{"".join(f"static void b{n}(long o, long h, long long now);" for n in range(len(code.bodies)))}
{bodies}
static int by_name(const void *a, const void *b) {{ return strcmp((const char *)a, *(const char *const *)b); }}
int main(int n, char **a) {{
{reading(len(names))}
  {begin}
  fputs("time,scan,tag,value\\n", out);
  for (int i = 0; i < {len(shown)}; i++) fprintf(out, "0.000000,0,%s,%lld\\n", shown[i], v[at[i]]);
  memcpy(was, v, sizeof v);
  long next = 0, scan = 1;
  for (long long now = 0; now <= times[rows - 1]; now += {scan_ms}000000LL, scan++) {{
    while (next < rows && times[next] <= now) {{ v[tags[next]] = values[next]; next++; }}
    {calls}
    if (memcmp(v, was, sizeof v)) {{
      for (int i = 0; i < {len(shown)}; i++) {{
        int k = at[i];
        if (v[k] != was[k]) fprintf(out, "%lld.%06lld,%ld,%s,%lld\\n", now / 1000000000, now / 1000 % 1000000, scan, shown[i], v[k]);
      }}
      memcpy(was, v, sizeof v);
    }}
  }}
  fclose(out); return 0;
}}
""")

