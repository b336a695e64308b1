"""A device wired normally closed that is read as if it were normally open."""

from __future__ import annotations

from collections.abc import Iterator

from whorlograph.model.iolist import Wiring

from ..writers import Kind
from .facts import Facts, Finding


def find(facts: Facts) -> Iterator[Finding]:
    """Stops wired normally closed that reset with power, or whose contact opens a coil only while they are not actuated."""
    for tag, writers in facts.written():
        for writer in writers:
            if writer.kind not in (Kind.COIL, Kind.RESET) or writer.power is None or writer.inverted:
                continue
            ways = facts.needs(writer)
            if not ways:
                continue
            wanted = writer.kind is Kind.RESET
            # A reset reads a stop on, a coil in series reads it off: both pass while it is actuated, were it wired normally open. What stands
            # beside another device's contact is no stop there: acknowledged only while the protection is in order.
            alone = [w for w in ways if sum(n.tag is not None and facts.from_outside(n.tag) for n in w) == 1]
            shared = set.intersection(*(set(w) for w in ways)) if not wanted else {n for w in alone for n in w}
            for need in sorted(shared, key=lambda n: n.name):
                point = facts.point(need.tag)
                if need.on != wanted or need.edge or point is None or point.wiring is not Wiring.NORMALLY_CLOSED:
                    continue
                if not wanted and facts.read_on_elsewhere(need.tag, writer.step):
                    continue
                does = f"resets {facts.name(tag)} while it is not actuated" if wanted else f"lets {facts.name(tag)} on only while it is actuated"
                text = f"{need.name} is wired normally closed, but {facts.place(writer.step)} reads it as normally open: it {does}"
                yield facts.finding("wired-opposite", writer, need.tag, text, "check the I/O list against the wiring: one of the two is wrong", 1)
