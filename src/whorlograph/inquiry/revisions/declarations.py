"""What is declared: tags, types, tasks, and what runs; compared by name."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress

from whorlograph.formats.text.written import initial_text, type_text
from whorlograph.model.literals import duration, literal
from whorlograph.model.program import Located, Program, ProgramInstance, Task, Variable
from whorlograph.model.text import Argument
from whorlograph.model.types import BOOL, Elementary, Family, Initial, ListOf, Members, Simple, TypeRef

from .change import Change, ChangeKind, Value, What
from .languages.text import plain

_FROM_ITS_TYPE: dict[Family, Value] = {Family.BOOL: False, Family.REAL: 0.0, Family.STRING: ""}


def tags(pou: str, old: Iterable[Variable], new: Iterable[Variable]) -> list[Change]:
    """Declarations of one scope; what a chart or an instruction list makes for itself is none."""
    before, after = _by_name(old), _by_name(new)
    found = []
    for name, one in before.items():
        if name not in after:
            found.append(Change(ChangeKind.GONE, What.TAG, pou, one.name, None, one.name, (_place(one),)))
    for name, other in after.items():
        found += _tag(pou, before[name], other) if name in before else \
            [Change(ChangeKind.ADDED, What.TAG, pou, None, other.name, other.name, (_place(other),))]
    return found


def _by_name(variables: Iterable[Variable]) -> dict[str, Variable]:
    """By name in lower case; of those that are called alike all but the first by their group too."""
    found: dict[str, Variable] = {}
    for one in variables:
        if not one.made:
            key = one.name.lower()
            found.setdefault(f"{one.group.lower()}.{key}" if key in found and one.group else key, one)
    return found


def _place(one: Variable) -> str:
    at = f" at {one.address}" if one.address else ""
    starts = f", starts at {initial_text(one.initial)}" if one.initial is not None else ""
    return f"{type_text(one.type)}{at}{starts}"


def _tag(pou: str, old: Variable, new: Variable) -> list[Change]:
    found = []

    def changed(what: What, before: Value, after: Value, *details: str) -> None:
        found.append(Change(ChangeKind.CHANGED, what, pou, before, after, new.name, details))

    if type_text(old.type).lower() != type_text(new.type).lower():
        changed(What.TYPE, type_text(old.type), type_text(new.type))
    if old.address.upper() != new.address.upper():
        changed(What.TAG, old.address or None, new.address or None, "address")
    if _start(old.initial, old.type) != _start(new.initial, new.type):
        changed(What.INITIAL, _start(old.initial, old.type), _start(new.initial, new.type))
    if old.group.lower() != new.group.lower():
        changed(What.TAG, old.group or None, new.group or None, "stands in")
    if old.kind is not new.kind:
        changed(What.TAG, old.kind.value, new.kind.value, "declared as")
    if old.retain != new.retain:
        changed(What.TAG, _kept(old), _kept(new), "when power returns")
    if old.constant != new.constant:
        changed(What.TAG, "constant" if old.constant else "variable", "constant" if new.constant else "variable", "declared as")
    if old.documentation.split() != new.documentation.split():
        found.append(comment(pou, old.documentation, new.documentation, new.name))
    return found


def _kept(one: Variable) -> str:
    return "keeps its value" if one.retain else "starts anew"


def located(old: dict[str, Located], new: dict[str, Located]) -> list[Change]:
    """What configurations say of single variables. Args: both by the variable's name in lower case."""
    found = []
    nothing = Located("")
    for name in dict.fromkeys((*new, *old)):
        one, other = old.get(name, nothing), new.get(name, nothing)
        shown = (other.path or one.path)[-len(name):]
        if one.address.upper() != other.address.upper():
            found.append(Change(ChangeKind.CHANGED, What.TAG, "", one.address or None, other.address or None, shown, ("address",)))
        if _plain(one.initial) != _plain(other.initial):
            found.append(Change(ChangeKind.CHANGED, What.INITIAL, "", initial_text(one.initial) or None, initial_text(other.initial) or None, shown))
    return found


def comment(pou: str, old: str, new: str, name: str = "", steps: tuple[int, int] = (-1, -1)) -> Change:
    """Words that came, went or changed."""
    kind = ChangeKind.CHANGED if old and new else ChangeKind.ADDED if new else ChangeKind.GONE
    return Change(kind, What.COMMENT, pou, old or None, new or None, name, (), steps)


def _start(initial: Initial | None, type_: TypeRef) -> Value:
    """What something starts with, as JSON has it: BOOL true or false, TIME in ns; None where nothing is given and it starts at its type's own."""
    if initial is None:
        return _FROM_ITS_TYPE.get(type_.family, 0) if isinstance(type_, Elementary) else None
    if isinstance(initial, Simple):
        found = literal(initial.text)
        if found is None:
            return initial.text
        return bool(found[1]) if type_ == BOOL else found[1]
    return _plain(initial)


def _plain(initial: Initial | None) -> str:
    """An initial value of several parts, with each part as it counts: ``2(T#1s)`` is ``T#1000ms, T#1s``."""
    if isinstance(initial, ListOf):
        return f"[{', '.join(_plain(one) for times, one in initial.items for _ in range(times))}]" \
            if sum(times for times, _ in initial.items) < 1000 else initial_text(initial)
    if isinstance(initial, Members):
        return f"({', '.join(f'{name} := {_plain(one)}' for name, one in initial.items)})"
    if initial is None:
        return ""
    found = literal(initial.text)
    return initial.text if found is None else str(found[1])


def types(old: Program, new: Program) -> list[Change]:
    """Data types that are declared, with what they start with."""
    found = []
    for name, one in old.types.items():
        if name not in new.types:
            found.append(Change(ChangeKind.GONE, What.TYPE, "", name, None, name, (type_text(one),)))
    for name, other in new.types.items():
        before = old.types.get(name)
        if before is None:
            found.append(Change(ChangeKind.ADDED, What.TYPE, "", None, name, name, (type_text(other),)))
        elif type_text(before).lower() != type_text(other).lower():
            found.append(Change(ChangeKind.CHANGED, What.TYPE, "", type_text(before), type_text(other), name))
        elif _plain(old.defaults.get(name)) != _plain(new.defaults.get(name)):
            found.append(Change(ChangeKind.CHANGED, What.INITIAL, "", _plain(old.defaults.get(name)), _plain(new.defaults.get(name)), name))
    return found


def tasks(old: tuple[Task, ...], new: tuple[Task, ...]) -> list[Change]:
    """Tasks: how often, on what, how urgent; and which is declared first."""
    before, after = {t.name.lower(): t for t in old}, {t.name.lower(): t for t in new}
    found = [Change(ChangeKind.GONE, What.TASK, "", t.name, None, t.name, (_comes(t),)) for n, t in before.items() if n not in after]
    for name, other in after.items():
        one = before.get(name)
        if one is None:
            found.append(Change(ChangeKind.ADDED, What.TASK, "", None, other.name, other.name, (_comes(other),)))
            continue
        pairs: tuple[tuple[str, Value, Value], ...] = (
            ("interval", interval(one.interval), interval(other.interval)), ("priority", one.priority, other.priority),
            ("single", one.single.lower() or None, other.single.lower() or None))
        found += [Change(ChangeKind.CHANGED, What.TASK, "", a, b, other.name, (word,)) for word, a, b in pairs if a != b]
    return found + _order(What.TASK, [t.name for t in old], [t.name for t in new], "declared in another order")


def interval(text: str) -> Value:
    """An interval in ns, a tag's name in lower case, or None where there is none."""
    with suppress(ValueError):
        return duration(text.partition("#")[2] or text)
    return text.lower() or None


def _comes(task: Task) -> str:
    when = f"every {task.interval}" if task.interval else f"on {task.single}" if task.single else "never"
    return f"{when}, priority {task.priority}"


def instances(old: tuple[ProgramInstance, ...], new: tuple[ProgramInstance, ...]) -> list[Change]:
    """The programs that run: which, under which task, in which order."""
    before, after = {p.name.lower(): p for p in old}, {p.name.lower(): p for p in new}
    found = [Change(ChangeKind.GONE, What.TASK, "", _runs(p), None, p.name, ("no longer runs",)) for n, p in before.items() if n not in after]
    for name, other in after.items():
        one = before.get(name)
        if one is None:
            found.append(Change(ChangeKind.ADDED, What.TASK, "", None, _runs(other), other.name, ("runs",)))
        else:
            if (one.pou.lower(), one.task.lower()) != (other.pou.lower(), other.task.lower()):
                found.append(Change(ChangeKind.CHANGED, What.TASK, "", _runs(one), _runs(other), other.name, ("runs",)))
            found += _connections(one, other)
    return found + _order(What.TASK, [p.name for p in old], [p.name for p in new], "runs in another order")


def _runs(one: ProgramInstance) -> str:
    return f"{one.pou} under {one.task}" if one.task else f"{one.pou} in every scan"


def _connections(old: ProgramInstance, new: ProgramInstance) -> list[Change]:
    """The parameters of a program to which something else is connected."""
    before, after = ({a.name.lower(): a for a in p.connected} for p in (old, new))
    found = []
    for key in dict.fromkeys((*before, *after)):
        one, other = before.get(key), after.get(key)
        if plain(one) != plain(other):
            name = f"{new.name}.{(other or one or Argument('')).name}"
            found.append(Change(ChangeKind.CHANGED, What.TASK, "", _told(old, one), _told(new, other), name, ("is connected otherwise",)))
    return found


def _told(one: ProgramInstance, given: Argument | None) -> Value:
    """The line that connects something to a parameter; None where nothing is."""
    value = (given.value or given.output) if given is not None else None
    return " ".join(one.source[value.line - one.line].split()) if value is not None else None


def _order(what: What, old: list[str], new: list[str], said: str) -> list[Change]:
    """One change where what is in both stands in another order."""
    shared = {n.lower() for n in old} & {n.lower() for n in new}
    one, other = ([n for n in names if n.lower() in shared] for names in (old, new))
    if [n.lower() for n in one] == [n.lower() for n in other]:
        return []
    return [Change(ChangeKind.MOVED, what, "", ", ".join(one), ", ".join(other), "", (said,))]
