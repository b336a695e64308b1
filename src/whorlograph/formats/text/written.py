"""Types, declarations, tasks and instances written as IEC 61131-3 text (6.4, 6.5, 6.8)."""

from __future__ import annotations

from whorlograph.model.program import ProgramInstance, Task, Variable
from whorlograph.model.types import UNBOUND, ArrayOf, Enumeration, Family, Initial, ListOf, Simple, Structure, Subrange, TypeRef


def type_text(type_: TypeRef) -> str:
    """A type where it is used."""
    if isinstance(type_, ArrayOf):
        bounds = ", ".join("*" if (low, high) == UNBOUND else f"{low}..{high}" for low, high in type_.bounds)
        return f"ARRAY [{bounds}] OF {type_text(type_.base)}"
    if isinstance(type_, Structure):
        fields = " ".join(f"{f.name} : {declared_text(f.type, f.initial)};" for f in type_.fields)
        return f"STRUCT {fields} END_STRUCT"
    if isinstance(type_, Enumeration):
        following, values = 0, []
        for name, value in type_.values:
            values.append(name if value == following else f"{name} := {value}")
            following = value + 1
        return f"({', '.join(values)})"
    if isinstance(type_, Subrange):
        return f"{type_.base.name}[{type_.high}]" if type_.base.family is Family.STRING else f"{type_.base.name} ({type_.low}..{type_.high})"
    return type_.name


def initial_text(initial: Initial | None) -> str:
    """What something starts with."""
    if initial is None:
        return ""
    if isinstance(initial, Simple):
        return initial.text
    if isinstance(initial, ListOf):
        return f"[{', '.join(f'{times}({initial_text(one)})' if times != 1 or one is None else initial_text(one) for times, one in initial.items)}]"
    return f"({', '.join(f'{name} := {initial_text(one)}' for name, one in initial.items)})"


def declared_text(type_: TypeRef, initial: Initial | None) -> str:
    """A type and what it starts with, as behind the colon of a declaration."""
    return type_text(type_) + (f" := {initial_text(initial)}" if initial is not None else "")


def variable_text(one: Variable, remark: bool) -> str:
    """A declaration with its semicolon. Args: remark: whether its documentation stands behind it."""
    place = f" AT {one.address}" if one.address else ""
    said = f" {remark_text(one.documentation)}" if remark and one.documentation else ""
    return f"{one.name}{place} : {declared_text(one.type, one.initial)};{said}"


def remark_text(text: str) -> str:
    """A comment; what would end it early is set apart."""
    return f"(* {text.replace('*)', '* )').replace('(*', '( *')} *)"


def task_text(task: Task) -> str:
    """A task with its semicolon."""
    settings = [f"{name} := {value}" for name, value in (("SINGLE", task.single), ("INTERVAL", task.interval)) if value]
    return f"TASK {task.name} ({', '.join([*settings, f'PRIORITY := {task.priority}'])});"


def instance_text(one: ProgramInstance) -> str:
    """A program instance without what is connected to it."""
    return f"{one.name}{f' WITH {one.task}' if one.task else ''} : {one.pou}"
