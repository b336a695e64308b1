"""What differs between two revisions, as plain data."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

Value = bool | int | float | str | None


class ChangeKind(StrEnum):
    """What happened to a thing on the way from the old program to the new one."""

    ADDED = "added"
    GONE = "gone"
    CHANGED = "changed"
    MOVED = "moved"


class What(StrEnum):
    """What kind of thing differs. All but comments act."""

    RUNG = "rung"
    TAG = "tag"
    TYPE = "type"
    TASK = "task"
    INITIAL = "initial"
    COMMENT = "comment"


class Change(Struct, frozen=True):
    """One difference.

    ``pou``: where it stands, "" for what stands outside of all; ``old`` and ``new``: rung numbers (lines of a text), or values;
    ``name``: the tag, type or task; ``details``: each a few words; ``steps``: places within the bodies, counted from 0, -1 where there is
    none, for drawing them.
    """

    kind: ChangeKind
    what: What
    pou: str
    old: Value
    new: Value
    name: str = ""
    details: tuple[str, ...] = ()
    steps: tuple[int, int] = (-1, -1)


class Redrawn(Struct, frozen=True):
    """A rung that does the same and is drawn otherwise."""

    pou: str
    old: int
    new: int


class Verdict(StrEnum):
    """The whole in a word."""

    SAME = "same"
    COMMENTS = "comments"
    ACTS = "acts"
    MISSING = "missing"


class Revision(Struct, frozen=True):
    """All that differs. ``empty``: which of the two (old, new) holds no program."""

    changes: tuple[Change, ...]
    redrawn: tuple[Redrawn, ...] = ()
    empty: tuple[bool, bool] = (False, False)

    @property
    def acting(self) -> tuple[Change, ...]:
        """What can make the machine act otherwise."""
        return tuple(c for c in self.changes if c.what is not What.COMMENT)

    @property
    def comments(self) -> tuple[Change, ...]:
        """What does nothing."""
        return tuple(c for c in self.changes if c.what is What.COMMENT)

    def by_pou(self) -> list[tuple[str, list[Change]]]:
        """What acts, by where it stands: what stands outside of all POUs first."""
        found: dict[str, list[Change]] = {"": []}
        for change in self.acting:
            found.setdefault(change.pou, []).append(change)
        return [(pou, changes) for pou, changes in found.items() if changes]

    @property
    def verdict(self) -> Verdict:
        """The four cases."""
        if any(self.empty):
            return Verdict.MISSING
        if self.acting:
            return Verdict.ACTS
        return Verdict.COMMENTS if self.changes or self.redrawn else Verdict.SAME
