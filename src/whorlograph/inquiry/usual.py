"""As always, or only now: the same question asked of every drop-out of a tag in the log (ANSWERS.md)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from msgspec import Struct

from whorlograph.model.errors import Stopped
from whorlograph.model.log import Ints
from whorlograph.model.question import LinkKind

from .generators import runs_freely
from .ranking import merge, rank
from .symptoms import course
from .tracer import LAST, Tracer, Vantage
from .trail import Answer, Link, Root, RootKey, Usual

MOST = 1000  # drop-outs of one tag that are looked at, the last ones
ENOUGH = 5  # from which on something can be usual
USUAL, ODD = 0.6, 0.2  # shares

Signature = tuple[tuple[tuple[LinkKind, int, int | None], ...], RootKey]


class Drop(Struct, frozen=True):
    """One drop-out: its scan, the way to its first root, and that root as it stands without trials."""

    scan: int
    signature: Signature
    root: Root


def signature(trail: Link) -> tuple[Signature, Root] | None:
    """The way from the symptom to the root that ranks first without trials; None where there is no root."""
    roots = rank(merge(trail.all_roots()))
    if not roots:
        return None
    way = _way(trail, roots[0].key)
    return (tuple((link.kind, link.step, link.tag) for link in way), roots[0].key), roots[0]


def _way(link: Link, key: RootKey) -> list[Link]:
    if any(r.key == key for r in link.roots):
        return [link]
    for child in link.children:
        found = _way(child, key)
        if found:
            return [link, *found]
    return []


def scans_of_drops(tracer: Tracer, tag: int) -> Ints:
    """int64[n]: the scans in which a tag dropped out, in order."""
    path = course(tracer.journal, tag)
    found: Ints = path.scans[path.values == 0]
    return found


def has_earlier(tracer: Tracer, tag: int, all_drops: Sequence[Drop]) -> bool:
    """Whether a tag dropped out before the first of those that were explained: nothing is known of that."""
    return bool(all_drops) and bool(scans_of_drops(tracer, tag)[0] < all_drops[0].scan)


def drops(tracer: Tracer, tag: int, stop: Callable[[], bool] = lambda: False, most: int = MOST, known: Sequence[Drop] = ()) -> list[Drop]:
    """The last drop-outs of a tag, explained. Args: most: so many; known: some that are already.

    Raises: Stopped where ``stop`` says so.
    """
    found, explained = list[Drop](), {drop.scan: drop for drop in known}
    for scan in scans_of_drops(tracer, tag)[-most:].tolist() if most else ():
        if stop():
            raise Stopped
        if scan in explained:
            found.append(explained[scan])
            continue
        tracer.spent, tracer.coils, tracer.open = 0, [], set()
        link = tracer.explain(tag, Vantage(scan, LAST), True, 0)
        way = signature(link) if link is not None else None
        if way is not None:
            found.append(Drop(scan, *way))
    return found


def usual_of(tracer: Tracer, answer: Answer, all_drops: list[Drop]) -> Usual | None:
    """How usual a drop-out's answer is among all of its tag; None where it is not among them, and of what only flashes."""
    mine = next((d for d in all_drops if d.scan == answer.scan), None)
    if mine is None or any(one.tag is not None and one.kind is LinkKind.BLOCK and runs_freely(tracer, one.tag) for _, one in answer.links()):
        return None
    counts = Counter(d.signature for d in all_drops)
    return Usual(counts[mine.signature], len(all_drops), words(tracer, answer.tag, mine, all_drops, counts))


def words(tracer: Tracer, tag: int, mine: Drop, all_drops: list[Drop], counts: Counter[Signature]) -> str:
    """How usual one drop-out is, in words."""
    count, of = counts[mine.signature], len(all_drops)
    cut = has_earlier(tracer, tag, all_drops)
    among = f"the last {of:,}" if cut else f"{of:,}"
    if of == 1:
        return "nothing to compare it with" if cut else "the only drop-out in this log"
    most, often = counts.most_common(1)[0]
    if most == mine.signature:
        return f"{count} of {among} times so" if count > 1 else f"each of {among} times otherwise"
    other = next(d for d in all_drops if d.signature == most)
    rare = f"once in {among}" if cut and count == 1 else "only this time" if count == 1 else f"{count} of {among} times so"
    overdue = isinstance(mine.root.value, bool) and mine.root.value != other.root.value  # what comes as a rule, and has not come
    if other.signature[1] == mine.signature[1] and not overdue:
        # One root by several ways, as elements of an array are: it is not rare itself.
        rare, often = f"{rare.removesuffix(' so')} in this way", sum(n for way, n in counts.items() if way[1] == mine.signature[1])
    return f"{rare}; {often} of {among} times {root_name(tracer, other.root)} stops it"


def root_name(tracer: Tracer, root: Root) -> str:
    """A root by its tag, else by its kind."""
    return tracer.name(root.tag) if root.tag is not None else f"a {root.kind.value}"
