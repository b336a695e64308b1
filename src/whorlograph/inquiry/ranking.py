"""Roots in the order in which to look at them (ANSWERS.md, Roots)."""

from __future__ import annotations

from collections.abc import Iterable

from whorlograph.model.question import RootKind

from .trail import Root

ALONE = (RootKind.PROGRAM, RootKind.FAULT, RootKind.MISMATCH)


def merge(roots: Iterable[Root]) -> list[Root]:
    """One root for each thing, in order of first appearance; counts and flags of its twins taken over."""
    found: dict[object, Root] = {}
    for root in roots:
        twin = found.get(root.key)
        if twin is None:
            found[root.key] = root
            continue
        twin.changed = twin.changed or root.changed
        twin.blocked = max(twin.blocked, root.blocked)
        if root.since is not None and (twin.since is None or root.since > twin.since):
            twin.since, twin.value, twin.text, twin.what_to_check = root.since, root.value, root.text, root.what_to_check
    return list(found.values())


def rank(roots: list[Root], symptom_time: int) -> list[Root]:
    """Defects that explain alone, then what changed (latest first), then what blocked most, then what stood since before.

    A disproved root comes after the others; of equals, the device with more short openings.
    """
    def key(item: tuple[int, Root]) -> tuple[object, ...]:
        place, root = item
        before = root.since if root.since is not None and root.since <= symptom_time else None
        standing = before is None
        return (root.proved is False, not (root.kind in ALONE or root.missed), not root.changed and standing,
                not root.changed, -(root.blocked / root.attempts if root.attempts else 0.0), standing,
                -(before or 0), -len(root.short), place)

    ordered = [root for _, root in sorted(enumerate(roots), key=key)]
    partner = next((r for r in ordered if r.missing and r.proved is not False), None)
    if partner is not None and ordered.index(partner) > 1 and not ordered[0].missing:
        ordered.remove(partner)
        ordered.insert(1, partner)
    return ordered
