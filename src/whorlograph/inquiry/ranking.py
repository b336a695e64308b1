"""Roots in the order in which to look at them (ANSWERS.md, Roots)."""

from __future__ import annotations

from collections.abc import Iterable

from whorlograph.model.question import RootKind, Symptom

from .trail import Root

_FIRST = {RootKind.MISMATCH: 0, RootKind.FAULT: 1, RootKind.FORCE: 2}
MANY, RARE = 5, 4  # times that a change came in vain; so many times as often as another one
_VERDICT = {True: 0, None: 1, False: 2}


def merge(roots: Iterable[Root], symptom: Symptom | None = None) -> list[Root]:
    """One root for each thing, in order of first appearance; counts and flags of its twins taken over.

    Args: symptom: of a tag that will not pull in a number counts where it is met first, which blocks, not what it was at some time; of one that
        will not drop out it is said too what it reads now.
    """
    found: dict[object, Root] = {}
    for root in roots:
        twin = found.get(root.key)
        if twin is None:
            found[root.key] = root
            continue
        # Of what has gone on changing what brought the state about counts, then what keeps its end away, not what else it was at some time.
        otherwise = root.value != twin.value or (not isinstance(root.value, bool) and root.changed != twin.changed)
        if not isinstance(root.value, bool) and (root.overdue or twin.overdue):
            otherwise = False  # a value that should have come: how far it came
        later = _weight(root) > _weight(twin) if otherwise else root.since is not None and (twin.since is None or root.since > twin.since)
        if symptom is Symptom.WILL_NOT_PULL_IN and not isinstance(root.value, bool) and not root.overdue:
            later = False
        twin.changed, twin.overdue = twin.changed or root.changed, twin.overdue or root.overdue
        twin.due, twin.as_ever = twin.due or root.due, twin.as_ever and root.as_ever
        twin.later = (root.later if later else twin.later) if otherwise else twin.later and root.later
        if not otherwise and root.missing and not twin.changed:
            twin.missing = True  # it lets the tag stay, and it is what would end that
        twin.crossed = twin.crossed if twin.crossed is not None else root.crossed
        twin.blocked, twin.lets = max(twin.blocked, root.blocked), twin.lets and root.lets
        now = next((one.value for one in (root, twin) if one.missing), None) if otherwise and symptom is Symptom.WILL_NOT_DROP_OUT else None
        if later:
            twin.since, twin.value, twin.text = root.since, root.value, root.text
            twin.what_to_check, twin.readings = root.what_to_check, root.readings
            twin.missing = root.missing if otherwise else twin.missing
        if isinstance(now, (int, float)) and not isinstance(now, bool) and now != twin.value and " now" not in twin.text:
            twin.text += f"; it reads {now} now"  # what brought it about was another value than what keeps its end away
    return list(found.values())


def _weight(root: Root) -> int:
    return 2 if root.changed and not root.missing else int(root.missing)


def _pulses_on(root: Root, roots: list[Root]) -> bool:
    """Whether a change is one of many that did nothing, while another that does prove is rare: the clock of a register, and what was put in."""
    return root.in_vain >= MANY and any(r is not root and r.since is not None and r.proved and RARE * (r.in_vain + 1) <= root.in_vain for r in roots)


def rank(roots: list[Root], symptom: Symptom | None = None) -> list[Root]:
    """The roots in the order of ANSWERS.md, Ranking: what explains alone, what brought the state about, what blocked, what stands since before.

    Within a class proved ones first, disproved ones last, but of what was not proved what changed in the log before what never did; then
    what blocked more attempts, the later change, more short openings. Of a tag that will not pull in, a change that is disproved did not
    bring that about.
    """
    # Where a change came before without the symptom, what stood otherwise then is what is new.
    novel = any(r.novel and r.proved for r in roots)
    stays_off = symptom is Symptom.WILL_NOT_PULL_IN

    def key(item: tuple[int, Root]) -> tuple[object, ...]:
        place, root = item
        proved = root.proved and not root.earlier
        alone = 3 if (root.missed and proved is not False) or root.defect else _FIRST.get(root.kind, 4)
        changed = root.changed and not (stays_off and root.proved is False)
        never = (1 + root.unrecorded) * (root.since is None and not root.changed)
        share = root.blocked / root.attempts if root.attempts else 0.0
        leads = root.leads and proved is not False
        if root.kind is RootKind.CONSTANT:
            place = -place  # what was written before what it is compared with: further down the trail
        # What stood in the way earlier only, and cures nothing now, comes even after a literal that blocks.
        late = 2 if not root.last and proved is False and not root.changed else root.kind is RootKind.CONSTANT
        # That a number does not tell when held as it was before says nothing of the value that should have come.
        overdue = root.overdue and (proved is not False or root.ended or not isinstance(root.value, bool))
        # What only reports an output that is as it is comes after what keeps that so, also where they prove together only.
        reports = root.reports is not None and (proved is not True or bool(root.together))
        # What sticks is what has to be looked at, whatever else came as it always does.
        lingers = root.lingers and proved is True
        pulses = _pulses_on(root, roots)
        changed = (changed and not pulses) or (root.novel and proved is True)
        usual = (root.habit > 0 and novel) or pulses
        return (late, alone, reports, not overdue, root.as_ever, not (lingers and not stays_off), not changed, usual, not leads, not root.last,
                root.later, root.own and not proved, proved is not True, never, _VERDICT[proved], not lingers, -share, -(root.since or 0),
                -len(root.short), place)

    ordered = [root for _, root in sorted(enumerate(roots), key=key)]
    partner = next((r for r in ordered if r.missing and r.proved is not False and r.kind is not RootKind.CONSTANT), None)
    if partner is not None and ordered.index(partner) > 1 and not ordered[0].missing:
        ordered.remove(partner)
        ordered.insert(1, partner)
    return ordered
