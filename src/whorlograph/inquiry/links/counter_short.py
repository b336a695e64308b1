"""``counter-short``: a counter is not at its preset; what resets it, else what counts it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.model.ladder import Block
from whorlograph.model.question import LinkKind
from whorlograph.model.tags import Instance, Leaf

from ..trail import Link
from .pins import pin_of
from .rung_false import unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from whorlograph.engine.journal import Journal

    from ..tracer import Tracer


def link(tracer: Tracer, block: Block, called: Instance, name: str, pin: str, step: int, scan: int, depth: int) -> Link | None:
    """A counter's output, from its count: reset, short, or reached."""
    tags = {n: r.tag for n, r in called.scope.items() if isinstance(r, Leaf)}
    journal = tracer.journal
    done = tracer.paths.done(journal, step, scan)
    output = tags.get(pin.lower(), tags.get("q", tags.get("qu", 0)))
    q = bool(journal.value_at(output, done))
    count, preset = journal.value_at(tags["cv"], done), journal.value_at(tags["pv"], done)
    q_row = journal.last_row(output, done)
    since = journal.time(q_row) if q_row is not None else None
    label, place = block.instance, tracer.place(step)
    down = name == "CTD" or pin == "QD"
    text = f"{label} in {place} stands at {count}, " + ("reached" if q else f"{'above 0' if down else f'its preset is {preset}'}")
    found = Link(LinkKind.BLOCK if q else LinkKind.COUNTER_SHORT, output, q, since, step, scan, text, block.id)
    resetter = pin_of(block, "LD" if down else "R")
    counting = pin_of(block, "CD" if down else "CU")
    reset_tag = tags.get("ld" if down else "r")
    if not q and resetter is not None and reset_tag is not None:
        row = journal.last_row(reset_tag, done)
        active = bool(journal.value_at(reset_tag, done))
        rows = _rises(journal, reset_tag, done)
        if active or (row is not None and rows and _counted_before(tracer, tags["cv"], rows[-1])):
            at_scan = tracer.scan_of(rows[-1]) if rows else scan
            child = powered(tracer, None, step, block.id, resetter.wires, at_scan, depth + 1, LinkKind.RUNG_TRUE, True,
                            f"{resetter.name} of {label}")
            if child is not None:
                child.kind = LinkKind.RESET_BY
                child.text = f"{label} was set back at {tracer.at(tracer.time(at_scan))}: {child.text}"
                found.children.append(child)
    if counting is not None and not found.children:
        rows = _rises(journal, tags["cu" if not down else "cd"], done)
        on = bool(journal.value_at(tags["cd" if down else "cu"], done))
        if on and rows:
            child = powered(tracer, None, step, block.id, counting.wires, tracer.scan_of(rows[-1]), depth + 1, LinkKind.RUNG_TRUE, True,
                            f"{counting.name} of {label}")
        else:
            child = unpowered(tracer, None, step, block.id, counting.wires, scan, depth + 1, what=f"{counting.name} of {label}")
        if child is not None:
            found.children.append(child)
    return found


def _counted_before(tracer: Tracer, count: int, row: int) -> bool:
    """Whether a counter stood above 0 when it was reset."""
    return tracer.journal.value_at(count, row) != 0


def _rises(journal: Journal, tag: int, position: int) -> list[int]:
    """The rows up to a position in which a tag came on."""
    rows = journal.rows_between(tag, 0, position)
    found: list[int] = rows[journal.raws(rows) != 0].tolist()
    return found
