"""Blocks, functions and types that a program names and does not hold, from files given beside it (DESIGN section 6)."""

from __future__ import annotations

from msgspec.structs import replace

from whorlograph.model.place import Loaded, Notice, Place
from whorlograph.model.program import OpaqueBody, PouKind, Program


def with_libraries(program: Loaded[Program], libraries: list[Loaded[Program]]) -> Loaded[Program]:
    """A program with what it lacks: POUs that are not in it, or whose bodies are not executed, and types; its own come first."""
    types, defaults, pous = dict(program.value.types), dict(program.value.defaults), dict(program.value.pous)
    notices = list(program.notices)
    for library in libraries:
        notices += library.notices
        for name, type_ in library.value.types.items():
            if name not in types:
                types[name] = type_
                if name in library.value.defaults:
                    defaults[name] = library.value.defaults[name]
        taken = []
        for name, pou in library.value.pous.items():
            own = pous.get(name)
            if pou.kind is not PouKind.PROGRAM and (own is None or (isinstance(own.body, OpaqueBody) and own.kind is pou.kind)):
                pous[name] = pou
                taken.append(pou.name)
        unread = {n for n in taken if any(o.place.pou == n for o in program.notices)}
        notices = [n for n in notices if n.place.pou not in unread or n in library.notices]
        names = f"{', '.join(taken[:6])}{' ...' if len(taken) > 6 else ''}"
        said = f"{names} {'are' if len(taken) > 1 else 'is'} taken from it" if taken else "nothing in it is needed"
        notices.append(Notice(Place(library.value.file), said))
    return Loaded(replace(program.value, types=types, defaults=defaults, pous=pous), notices)
