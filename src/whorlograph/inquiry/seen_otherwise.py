"""Without a log: an output that is seen otherwise than the program gives it, and what was not given that may explain it (docs/decisions/009)."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec.structs import replace

from whorlograph.engine.feed import Hold, Trial
from whorlograph.model.question import RootKind

from .noted import LET_GO, Now
from .now import given_root
from .ranking import merge
from .tracer import LAST, Vantage
from .trail import Root

if TYPE_CHECKING:
    from whorlograph.engine.journal import Journal

    from .tracer import Tracer

MOST_ASKED = 4  # inputs that are asked for at once
MOST_ROUNDS = 6  # of looking for inputs behind those that are put the other way already


def seen_otherwise(tracer: Tracer, tag: int, value: bool) -> list[Root]:
    """The root where the asked output is seen otherwise than the program would give it, and the inputs not given on which that rests; none where it
    is not."""
    address = tracer.tag(tag).address
    if tracer.now is None or tag not in tracer.now.turned or address is None or address.area != "Q":
        return []
    others = _not_given(tracer, tag, tracer.now)
    last = tracer.journal.clock.last
    others = others or [given_root(tracer, one, tracer.journal.settled(one, last)) for one in tracer.now.unseen.get(tag, ())]
    point, name = tracer.iolist.get(tag), tracer.name(tag)
    step = tracer.now.turned[tag]
    by = f"{tracer.place(step)} gives" if step >= 0 else "the program gives"
    where = point.whereabouts if point is not None and point.whereabouts else name
    names = [tracer.name(root.tag) for root in others]
    so = f", if {' and '.join(names[:3])}{f' and {len(names) - 3} more' if len(names) > 3 else ''} {'are' if len(names) > 1 else 'is'} as declared"
    text = f"{by} {name} {'off' if value else 'on'}, but it is seen {'on' if value else 'off'}: the fault lies behind the output{so if names else ''}"
    check = f"check the output card, fuse, wire and contactor of {where}"
    return [Root(RootKind.MISMATCH, tag, value, None, text, check, point, changed=True), *others[:MOST_ASKED]]


def _not_given(tracer: Tracer, tag: int, now: Now) -> list[Root]:
    """What was not given and may be why the program turns a tag.

    Inputs that, were they otherwise than declared, would have the program give what is seen: each alone, else all; where none are found, what the
    program was seen to look at first, but for where given values alone turn the tag.
    """
    free = now.later.get(tag, now.free)

    def replayed(turned: list[Root]) -> Journal:
        holds = tuple(Hold(r.tag, int(not r.value)) for r in turned if r.tag is not None)
        return tracer.controller.replay(tracer.log, Trial(holds, free.initial, free.forces))

    def turns(journal: Journal) -> int | None:
        """The scan in which it turns once it is let go."""
        first = journal.clock.scan_at(now.rest)
        return next((s for s in range(first, first + LET_GO) if journal.settled(tag, s) != journal.settled(tag, first - 1)), None)

    found: list[Root] = []
    looked_at: list[Root] = []
    for _ in range(MOST_ROUNDS):
        journal = replayed(found)
        scan = turns(journal)
        if scan is None:
            break
        beside = tracer.beside(journal)
        beside.now = replace(now, turned={}, trial=free)
        link = beside.explain(tag, Vantage(scan, LAST), False, 0)
        known = {r.tag for r in found}
        unknown = [r for r in (merge(link.all_roots()) if link is not None else []) if r.tag is not None and r.tag not in now.given]
        fresh = [r for r in unknown if r.kind is RootKind.FIELD_INPUT and r.tag not in known and tracer.boolean(r.tag or 0)]
        looked_at = looked_at or unknown
        alone = [r for r in fresh if turns(replayed([r])) is None] if not found else []
        if alone:
            for root in alone:
                root.text += f"; with it {'off' if root.value else 'on'} the program gives what is seen"
            return alone
        found += fresh
        if not fresh:
            return looked_at if unknown else []
    else:
        return looked_at
    if not found:
        return []
    for root in found[::-1]:
        fewer = [r for r in found if r is not root]
        if turns(replayed(fewer)) is None:
            found = fewer
    many = "both" if len(found) == 2 else f"all {len(found)}"
    found[0].text += f"; with {many} that are not given and decide here the other way the program gives what is seen"
    return found
