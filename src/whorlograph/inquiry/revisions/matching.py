"""Steps of two revisions of a body laid side by side: by what they do, never by their numbers."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from difflib import SequenceMatcher

from msgspec import Struct

from .form import Form

ALIKE = 0.5  # so alike, two steps that do not stand between the same others are still one that was changed
BETWEEN = 0.25  # and those that do
MOST = 250_000  # pairs that are looked at one by one


class Matched(Struct, frozen=True):
    """Pairs of places (old, new), counted from 0: ``same`` do the same in the same order, ``moved`` do the same elsewhere, ``changed`` are
    one step that does something else now; the others came or went."""

    same: tuple[tuple[int, int], ...]
    moved: tuple[tuple[int, int], ...]
    changed: tuple[tuple[int, int], ...]
    gone: tuple[int, ...]
    added: tuple[int, ...]


def match(old: list[Form], new: list[Form]) -> Matched:
    """Lay the steps of two bodies side by side."""
    same = _in_order(old, new)
    left, right = {a for a, _ in same}, {b for _, b in same}
    moved = _alike_elsewhere(old, new, left, right)
    left |= {a for a, _ in moved}
    right |= {b for _, b in moved}
    gone, added = [a for a in range(len(old)) if a not in left], [b for b in range(len(new)) if b not in right]
    changed = _changed(old, new, gone, added, same)
    left |= {a for a, _ in changed}
    right |= {b for _, b in changed}
    return Matched(tuple(same), tuple(sorted(moved, key=lambda p: p[1])), tuple(sorted(changed, key=lambda p: p[1])),
                   tuple(a for a in gone if a not in left), tuple(b for b in added if b not in right))


def _in_order(old: list[Form], new: list[Form]) -> list[tuple[int, int]]:
    """The steps that do the same, as many as stand in one order in both."""
    numbers: dict[object, int] = {}
    one, other = ([numbers.setdefault(f.key, len(numbers)) for f in forms] for forms in (old, new))
    once = _once(one) & _once(other)
    places = {k: i for i, k in enumerate(other) if k in once}
    pairs = [(i, places[k]) for i, k in enumerate(one) if k in places]
    kept = _rising(pairs)
    # what stands once in both holds the rest: between two of those the others are laid side by side
    found: list[tuple[int, int]] = []
    a = b = 0
    for stop_a, stop_b in [*kept, (len(one), len(other))]:
        blocks = SequenceMatcher(None, one[a:stop_a], other[b:stop_b], autojunk=False).get_matching_blocks()
        found += [(a + m.a + n, b + m.b + n) for m in blocks for n in range(m.size) if one[a + m.a + n] not in once]
        if stop_a < len(one):
            found.append((stop_a, stop_b))
        a, b = stop_a + 1, stop_b + 1
    return sorted(found)


def _once(numbers: list[int]) -> set[int]:
    counts: dict[int, int] = defaultdict(int)
    for one in numbers:
        counts[one] += 1
    return {n for n, count in counts.items() if count == 1}


def _rising(pairs: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """The longest run of pairs whose second places rise too."""
    tails: list[int] = []
    ends: list[int] = []
    before: list[int] = []
    for i, (_, place) in enumerate(pairs):
        at = bisect_left(tails, place)
        tails[at:at + 1] = [place]
        ends[at:at + 1] = [i]
        before.append(ends[at - 1] if at else -1)
    found, at = [], ends[-1] if ends else -1
    while at >= 0:
        found.append(pairs[at])
        at = before[at]
    return found[::-1]


def _alike_elsewhere(old: list[Form], new: list[Form], left: set[int], right: set[int]) -> list[tuple[int, int]]:
    """The rest of the steps that do the same: they have moved."""
    waiting: dict[object, list[int]] = defaultdict(list)
    for b, form in enumerate(new):
        if b not in right:
            waiting[form.key].append(b)
    found = []
    for a, form in enumerate(old):
        if a not in left and waiting.get(form.key):
            found.append((a, waiting[form.key].pop(0)))
    return found


def likeness(old: Form, new: Form) -> float:
    """How much of two steps is the same, from 0 to 1; what both write counts most."""
    total = sum((old.parts | new.parts).values())
    shared = sum((old.parts & new.parts).values())
    names_old, names_new = {p.name.lower() for p in old.parts}, {p.name.lower() for p in new.parts}
    named = len(names_old & names_new) / max(1, len(names_old | names_new))
    content = 0.5 * shared / max(1, total) + 0.5 * named
    written = len(old.writes & new.writes) / max(1, len(old.writes | new.writes)) if old.writes or new.writes else content
    return 0.5 * content + 0.5 * written


def _changed(old: list[Form], new: list[Form], gone: list[int], added: list[int], same: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Of what is left: the pairs that are one step, changed; the likest first."""
    olds, news = [a for a, _ in same], [b for _, b in same]

    def gap(place: int, places: list[int]) -> int:
        return bisect_left(places, place)

    by_gap: dict[int, list[int]] = defaultdict(list)
    by_write: dict[str, list[int]] = defaultdict(list)
    for b in added:
        by_gap[gap(b, news)].append(b)
        for written in new[b].writes:
            by_write[written].append(b)
    everywhere = len(gone) * len(added) <= MOST
    scored: list[tuple[float, int, int, int]] = []
    for a in gone:
        here = gap(a, olds)
        near = set(by_gap[here]) if len(by_gap[here]) * len(gone) <= MOST else set()
        for b in near | (set(added) if everywhere else {b for w in old[a].writes for b in by_write[w]}):
            like = likeness(old[a], new[b])
            if like >= (BETWEEN if b in near else ALIKE):
                scored.append((like + (0.1 if b in near else 0.0), -abs(a - b), a, b))
    found: list[tuple[int, int]] = []
    taken_old: set[int] = set()
    taken_new: set[int] = set()
    for _, _, a, b in sorted(scored, reverse=True):
        if a not in taken_old and b not in taken_new:
            found.append((a, b))
            taken_old.add(a)
            taken_new.add(b)
    return found
