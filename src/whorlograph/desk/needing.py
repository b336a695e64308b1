"""What a tag needs to pull in, as text and JSON; whether two circuits agree."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from whorlograph.inquiry.tracer import Tracer
from whorlograph.inquiry.ways import MOST, Apart, Compared, Looked, Need, Table, circuit_of, compare, looked, truth_table, ways, written
from whorlograph.model.cells import padded
from whorlograph.model.errors import UsageError
from whorlograph.model.iolist import Wiring
from whorlograph.model.times import clock_text, parse_moment

from .asking import inquiry
from .session import Paths, Session, load

MOST_LINES = 12


def position(session: Session, need: Need) -> str:
    """The state of the device that a need asks for: actuated or not; "" where the I/O list does not say how it is wired."""
    point = session.iolist.get(need.tag) if need.tag is not None else None
    if point is None or point.wiring is Wiring.UNKNOWN or need.edge:
        return ""
    return "actuated" if need.on == (point.wiring is Wiring.NORMALLY_OPEN) else "not actuated"


def _device(session: Session, need: Need) -> str:
    point = session.iolist.get(need.tag) if need.tag is not None else None
    return point.device or point.description if point is not None else ""


class Needed:
    """A question about ways: the tag, the moment, and what was found."""

    def __init__(self, session: Session, tag: int, at: str | None, down: bool) -> None:
        self.session, self.tag, self.down = session, tag, down
        self.tracer: Tracer = inquiry(session).tracer
        self.replayed = bool(len(session.log.times))
        time = parse_moment(at, session.log) if at else session.log.end
        self.time = time if self.replayed else None
        self.scan = session.journal.clock.scan_at(max(0, time)) if self.replayed else None
        self.all = ways(self.tracer, tag, down)
        self.looked = looked(self.tracer, self.all, self.scan)

    @property
    def name(self) -> str:
        """The tag's name."""
        return self.tracer.name(self.tag)

    def table(self) -> Table:
        """The truth table.

        Raises: UsageError for more than ten inputs.
        """
        found = truth_table(self.tracer, self.tag, self.down, self.replayed)
        if found is None:
            raise UsageError("--table", f"{self.name} hangs on more than ten inputs", "leave --table out: its ways are listed")
        return found


def need_words(session: Session, need: Need, met: bool | None) -> str:
    """A need with its device and the state that it asks for, and its state now."""
    about = ", ".join(p for p in (_device(session, need), position(session, need)) if p)
    sign = {True: "✓ ", False: "✗ ", None: "  "}[met]
    return f"{sign}{need.words()}" + (f" ({about})" if about else "")


def ways_text(asked: Needed) -> str:
    """The ways for reading."""
    session, tracer = asked.session, asked.tracer
    if not asked.all:
        return f"no way brings {asked.name} on: every path contradicts itself" if written(tracer, asked.tag) else f"no rung brings {asked.name} on"
    coming = sum(not w.holds for w in asked.all)
    count = f"more than {MOST} ways" if coming > MOST else f"{coming} way{'' if coming == 1 else 's'}"
    when = f", as things stand at {clock_text(session.log, asked.time)}" if asked.time is not None else ""
    lines = [f"{asked.name} comes on in {count}{when}{', the nearest first' if when and coming > 1 else ''}:"]
    for number, one in enumerate(asked.looked[:MOST], 1):
        lines += ["", f"{number}. {tracer.place(one.way.writer.step)}{_kind(one)}: {_state(session, one)}"]
        pairs = list(zip(one.way.needs, one.met, strict=True))
        if asked.down:
            pairs.sort(key=lambda p: p[1] is not False)
        lines += [f"   {need_words(session, n, m)}" for n, m in pairs]
    return "\n".join(lines)


def _kind(one: Looked) -> str:
    return " (keeps it on)" if one.way.holds else " (sets it)" if one.way.writer.kind.value == "set" else ""


def _state(session: Session, one: Looked) -> str:
    if not one.way.needs:
        return "always"
    if all(m is None for m in one.met):
        return "needs"
    missing = one.missing
    never = "; this log never had it" if one.tried is False else ""
    if not missing:
        return f"all is there{never}"
    if len(missing) == 1:
        where = position(session, missing[0])
        return f"only {missing[0].words()} is missing" + (f": {_device(session, missing[0]) or 'it'} must be {where}" if where else "") + never
    return f"{len(missing)} of {len(one.way.needs)} are missing{never}"


def ways_json(asked: Needed, table: bool) -> dict[str, Any]:
    """The ways as JSON."""
    session, tracer = asked.session, asked.tracer
    found: dict[str, Any] = {
        "tag": asked.name, "t": asked.time / 1e9 if asked.time is not None else None, "more": len(asked.all) > MOST,
        "ways": [{"pou": tracer.steps.all[k.way.writer.step].pou, "rung": tracer.steps.all[k.way.writer.step].rung.number,
                  "kind": k.way.writer.kind.value, "holds": k.way.holds, "tried": k.tried,
                  "missing": [n.name for n in k.missing] if asked.scan is not None else None,
                  "needs": [{"tag": n.name, "wanted": n.on, "edge": n.edge, "met": m, "device": _device(session, n) or None,
                             "position": position(session, n) or None} for n, m in zip(k.way.needs, k.met, strict=True)]}
                 for k in asked.looked[:MOST]]}
    if table:
        rows = asked.table()
        found["table"] = {"columns": [c.name for c in rows.columns],
                          "rows": [{"states": list(r.states), "result": r.result, "tried": r.tried} for r in rows.rows]}
    return found


def table_text(asked: Needed) -> str:
    """The truth table for reading: contact states, the device's below its column, rows that the log never had marked."""
    table, session = asked.table(), asked.session
    names = [c.name + (" before" if c.step == -2 else "") for c in table.columns]
    widths = [max(3, len(n)) for n in names]
    lines = ["  ".join([*(padded(n, w) for n, w in zip(names, widths, strict=True)), asked.name])]
    if any(position(session, c) for c in table.columns):
        lines.append("on: " + ", ".join(f"{c.name} {position(session, c)}" for c in table.columns if position(session, c)))
    for row in table.rows:
        cells = [padded("on" if s else "off", w) for s, w in zip(row.states, widths, strict=True)]
        never = "   not in this log" if row.tried is False else ""
        lines.append("  ".join([*cells, padded("on" if row.result else "off", len(asked.name))]) + never)
    return "\n".join(lines)


def compared(asked: Needed, other: str) -> Compared:
    """Two circuits held against each other: another tag of the program, or the same tag in another program.

    Raises: UsageError, InputError.
    """
    session = asked.session
    path = Path(other)
    if path.is_file():
        second = load(Paths(path, (), None, session.paths.profile, session.paths.resource))
        tracer, tag, name = inquiry(second).tracer, second.tag(asked.name), f"{asked.name} in {path.name}"
    else:
        tracer, tag, name = asked.tracer, session.tag(other), ""
    one, two = circuit_of(asked.tracer, asked.tag, asked.down), circuit_of(tracer, tag, asked.down)
    found = compare(one, two)
    return Compared(found.first, name or found.second, found.columns, found.apart, found.cut, found.many)


def compared_text(found: Compared) -> str:
    """Two circuits in words."""
    if found.many:
        return f"{found.first} and {found.second} hang on {found.columns} contacts, too many to try all: ask without --down, or compare parts"
    lines = [f"{found.first} and {found.second} agree for every state of their contacts" if not found.apart else
             f"{found.first} and {found.second} differ:"]
    lines += [f"  {_states(one)}: {found.first} {_word(one.first)}, {found.second} {_word(one.second)}" for one in found.apart[:MOST_LINES]]
    if len(found.apart) > MOST_LINES:
        lines.append("  and more: --json has them")
    if found.cut:
        lines += ["", "with a wire cut while both are on (its contact reads off):"]
        for one in found.cut:
            drops, stays = (found.second, found.first) if one.first else (found.first, found.second)
            lines.append(f"  {one.cut} cut: {drops} drops out, {stays} stays on ({_states(one)})")
    elif not found.apart:
        lines.append("with each wire cut in turn they agree too")
    return "\n".join(lines)


def _states(one: Apart) -> str:
    return ", ".join(f"{name} {_word(on)}" for name, on in one.states)


def _word(on: bool) -> str:
    return "on" if on else "off"


def compared_json(found: Compared) -> dict[str, Any]:
    """Two circuits as JSON."""
    def rows(some: tuple[Apart, ...]) -> list[dict[str, Any]]:
        return [{"states": dict(a.states), "first": a.first, "second": a.second, "cut": a.cut or None} for a in some]

    return {"first": found.first, "second": found.second, "agree": not found.many and not found.apart and not found.cut, "too_many": found.many,
            "apart": rows(found.apart), "cut": rows(found.cut)}
