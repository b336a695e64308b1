"""Two programs compared: everything declared, every step of every POU, and the words beside them."""

from __future__ import annotations

from itertools import chain

from whorlograph.engine.scope.located import said_of
from whorlograph.formats.text.written import type_text
from whorlograph.model.program import OpaqueBody, Pou, Program
from whorlograph.model.steps import units

from . import declarations
from .change import Change, ChangeKind, Redrawn, Revision, What
from .form import Form, Numbers, differences
from .forms import forms
from .matching import match


def compare_programs(old: Program, new: Program, resource: str = "") -> Revision:
    """What differs between an old program and a new one.

    Args: resource: the one that runs, of several.
    """
    before, after = old.chosen(resource), new.chosen(resource)
    changes = declarations.types(old, new)
    changes += declarations.tasks(before[0].tasks, after[0].tasks) + declarations.instances(before[0].instances, after[0].instances)
    changes += declarations.tags("", before[1], after[1])
    said = [{names[-1]: one for one, names, ours in said_of(p, running) if ours is not False} for p, (running, _) in ((old, before), (new, after))]
    changes += declarations.located(*said)
    redrawn: list[Redrawn] = []
    numbers: Numbers = {}
    for name in dict.fromkeys((*new.pous, *old.pous)):
        one, other = old.pous.get(name), new.pous.get(name)
        changes += _pou(one, other, numbers, redrawn)
    return Revision(tuple(changes), tuple(redrawn), (_is_empty(old), _is_empty(new)))


def _is_empty(program: Program) -> bool:
    """Whether nothing in it is executed."""
    return not any((isinstance(p.body, OpaqueBody) and p.body.text.strip()) or units(p.body) for p in program.pous.values())


def _pou(old: Pou | None, new: Pou | None, numbers: Numbers, redrawn: list[Redrawn]) -> list[Change]:
    pou = new or old
    assert pou is not None
    found: list[Change] = []
    if old is not None and new is not None:
        if old.kind is not new.kind:
            found.append(Change(ChangeKind.CHANGED, What.TYPE, pou.name, old.kind.value, new.kind.value, pou.name))
        if old.returns != new.returns:
            text = [type_text(p.returns) if p.returns is not None else None for p in (old, new)]
            found.append(Change(ChangeKind.CHANGED, What.TYPE, pou.name, text[0], text[1], pou.name, ("result",)))
        if old.documentation.split() != new.documentation.split():
            found.append(declarations.comment(pou.name, old.documentation, new.documentation, pou.name))
    found += declarations.tags(pou.name, old.variables if old is not None else (), new.variables if new is not None else ())
    before = forms(old.body, numbers) if old is not None else []
    after = forms(new.body, numbers) if new is not None else []
    return found + _steps(pou.name, before, after, redrawn)


def _steps(pou: str, old: list[Form], new: list[Form], redrawn: list[Redrawn]) -> list[Change]:
    matched = match(old, new)
    found: list[tuple[int, Change]] = []

    def add(kind: ChangeKind, a: int, b: int, details: tuple[str, ...] = ()) -> None:
        numbers = old[a].number if a >= 0 else None, new[b].number if b >= 0 else None
        found.append((b if b >= 0 else a, Change(kind, What.RUNG, pou, *numbers, "", details, (a, b))))

    for a, b in matched.changed:
        add(ChangeKind.CHANGED, a, b, differences(old[a], new[b]))
    for a, b in matched.moved:
        add(ChangeKind.MOVED, a, b)
    for a in matched.gone:
        add(ChangeKind.GONE, a, -1)
    for b in matched.added:
        add(ChangeKind.ADDED, -1, b)
    for a, b in chain(matched.same, matched.moved, matched.changed):
        if old[a].comment.split() != new[b].comment.split():
            found.append((b, declarations.comment(pou, old[a].comment, new[b].comment, "", (a, b))))
    redrawn += [Redrawn(pou, old[a].number, new[b].number) for a, b in matched.same if old[a].drawn != new[b].drawn]
    return [change for _, change in sorted(found, key=lambda f: f[0])]
