"""POUs that call themselves, directly or through others: none of the standard's, so none is executed (CONTROLLER.md, Other languages)."""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.model.ladder import Block, Coil, InOutVariable, LadderBody, OutVariable
from whorlograph.model.paths import parse_path
from whorlograph.model.place import Notice
from whorlograph.model.program import OpaqueBody, Pou, PouKind, Program
from whorlograph.model.steps import segments
from whorlograph.model.text import Apply, Assign, TextBody
from whorlograph.model.types import Named

from .pin_values import calls_at
from .text_parts import parts


def without_rings(program: Program) -> tuple[Program, list[Notice]]:
    """The program with the bodies of such POUs kept but not executed, and a notice that names each ring."""
    if all(pou.kind is PouKind.PROGRAM for pou in program.pous.values()):
        return program, []
    calls = {name: _called(pou, program) for name, pou in program.pous.items()}
    pous, notices = dict(program.pous), []
    for ring in _rings(calls):
        names = [program.pous[n].name for n in ring]
        said = f"{names[0]} calls itself" if len(ring) == 1 else f"{', '.join(names)} call one another in a ring"
        notices.append(Notice(program.pous[ring[0]].place, said, "not executed: what they write comes from the log"))
        for name in ring:
            pou = program.pous[name]
            if not isinstance(pou.body, OpaqueBody):
                written = dict.fromkeys(w for part in segments(pou.body) for w in _assigned(part))
                pous[name] = replace(pou, body=OpaqueBody(pou.body.language, said, tuple(written)))
    return (replace(program, pous=pous) if notices else program), notices


def _called(pou: Pou, program: Program) -> list[str]:
    """The file's own POUs that a body calls, by name in lower case."""
    types = {v.name.lower(): v.type.name.lower() for v in pou.variables if isinstance(v.type, Named)}
    found: dict[str, None] = {}
    parts_ = segments(pou.body)
    named = [p.called.base.lower() for b in parts_ if isinstance(b, TextBody) for s in b.statements for p in parts(s) if isinstance(p, Apply)]
    named += [p.called.base.lower() for b in parts_ if isinstance(b, LadderBody) for p in calls_at(b.elements)]
    called = [types.get(n, n) for n in named]
    found |= dict.fromkeys(n for n in called if n in program.pous and program.pous[n].kind is not PouKind.PROGRAM)
    for element in (e for b in parts_ if isinstance(b, LadderBody) for e in b.elements):
        if isinstance(element, Block):
            name = types.get(element.instance.lower(), element.type_name.lower()) if element.instance else element.type_name.lower()
            if name in program.pous and program.pous[name].kind is not PouKind.PROGRAM:
                found[name] = None
    return list(found)


def _rings(calls: dict[str, list[str]]) -> list[list[str]]:
    """The sets of POUs that can reach one another, in order of name."""
    reach: dict[str, set[str]] = {}
    for start in calls:
        seen: set[str] = set()
        todo = list(calls[start])
        while todo:
            one = todo.pop()
            if one not in seen:
                seen.add(one)
                todo += calls.get(one, [])
        reach[start] = seen
    found: list[list[str]] = []
    done: set[str] = set()
    for name in sorted(calls):
        if name in reach[name] and name not in done:
            ring = sorted(o for o in reach[name] if name in reach.get(o, ()))
            done.update(ring)
            found.append(ring)
    return found


def _assigned(body: LadderBody | TextBody) -> list[str]:
    """The names that a body's coils and outputs, or assignments write."""
    if isinstance(body, TextBody):
        return [p.target.base for s in body.statements for p in parts(s) if isinstance(p, Assign)]
    found: dict[str, None] = {}
    for element in body.elements:
        text = element.variable if isinstance(element, Coil) else element.expression if isinstance(element, (OutVariable, InOutVariable)) else ""
        path = parse_path(text) if text else None
        if path is not None:
            found[path.base] = None
    return list(found)
