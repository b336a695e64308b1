"""A trail: the tree of links from a symptom back to its roots."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct, field

from whorlograph.engine.feed import Trial
from whorlograph.model.iolist import Point
from whorlograph.model.question import LinkKind, RootKind, Symptom

Value = bool | int | float | str | None
RootKey = tuple[RootKind, int | None, int]  # kind, tag, bit


class Root(Struct):
    """Where a trail ends.

    ``tag`` is a tag's number, None for a fault without one; ``since`` ns, None where it stands since before
    the log. ``changed``: it brought the asked state about; ``blocked`` of ``attempts`` it blocked; ``proved``
    True, False, or None where nothing could be tried; ``proof`` says what trials showed, ``trial`` is the one that told, else the
    first, ``turns`` (ns) the scan in which it first differs;
    ``missing``: of a latch, it kept away the write that never came; ``missed``: the length (ns) of a pulse that
    no scan saw, 0 else; ``leads``: it ranks before others of its class; ``defect``: of the program, which explains the symptom
    alone; ``overdue``: it should have come, and has not: what ends the tag as a rule, what a time waited for, a command;
    ``ended``: in a trial it did; ``last``: it blocked the last
    attempt; ``together``: the tags with which it proves, where it does not alone; ``readings``: what its value means one way and the other,
    where nothing says how it is wired; ``never``: it explains only what never came on; ``reports``: the output that it tells of, which is as it is;
    ``earlier``: it proves only of a time before a tag that does not drop out came on; ``lingers``: it stands as it seldom does, and longer
    than ever; ``lets``: it only lets the write run that leaves the tag off; ``bit``: of a word that is read bit by bit, -1 the whole;
    ``habit``: how many times the same change came before in this log without what is asked about, and never with it, while a ``novel``
    root stood otherwise each time;
    ``as_ever``: it stood the same each time that the tag came on, and what brings that on as a rule has not come;
    ``in_vain``: of a drop-out, how many times its change came before, and the tag stayed on; 0 where it did not once;
    ``crossed``: since when (ns) a measured value has been on its side of what it is compared with, where it changed since;
    ``due``: of an overdue one, from when on (ns) to when its other value was waited for, and that; ``unrecorded``: a log has no row of it;
    ``later``: it is asked for only once the step before is on, which it is not; ``own``: it is the attempt itself that stands in its own way.
    """

    kind: RootKind
    tag: int | None
    value: Value
    since: int | None
    text: str = ""
    what_to_check: str = ""
    point: Point | None = None
    changed: bool = False
    blocked: int = 0
    attempts: int = 0
    short: tuple[tuple[int, int], ...] = ()
    proved: bool | None = None
    proof: str = ""
    trial: Trial | None = None
    turns: int | None = None
    step: int = -1
    missing: bool = False
    missed: int = 0
    leads: bool = False
    defect: bool = False
    overdue: bool = False
    ended: bool = False
    last: bool = True
    together: tuple[int, ...] = ()
    readings: str = ""
    never: bool = False
    reports: int | None = None
    earlier: bool = False
    lingers: bool = False
    lets: bool = False
    bit: int = -1
    due: tuple[int, int, int] | None = None
    crossed: int | None = None
    habit: int = 0
    novel: bool = False
    as_ever: bool = False
    in_vain: int = 0
    unrecorded: bool = False
    later: bool = False
    own: bool = False

    @property
    def key(self) -> RootKey:
        """What makes two roots the same; of literals their places."""
        return self.kind, self.tag if self.kind is not RootKind.CONSTANT or self.tag is not None else -2 - self.step, self.bit


class Link(Struct):
    """One line of a trail.

    ``tag`` (None: a pin, power or a comparison: ``about`` says which), ``value``, ``since`` (ns or None) of what is explained; ``step``, ``scan``
    and ``element`` say where to look; ``blockers`` are the elements that block there.
    """

    kind: LinkKind
    tag: int | None
    value: Value
    since: int | None
    step: int
    scan: int
    text: str
    element: int = 0
    blockers: tuple[int, ...] = ()
    children: list[Link] = field(default_factory=list)
    roots: list[Root] = field(default_factory=list)
    about: str = ""

    def walk(self, depth: int = 0) -> Iterator[tuple[int, Link]]:
        """Links in reading order, each with its depth."""
        yield depth, self
        for child in self.children:
            yield from child.walk(depth + 1)

    def all_roots(self) -> Iterator[Root]:
        """The roots below this link, in reading order."""
        yield from self.roots
        for child in self.children:
            yield from child.all_roots()

    def mark_missing(self) -> None:
        """Mark the roots of a write, or of an order, that never came: of a latch, one of them stands among the first two."""
        for root in self.all_roots():
            root.missing = True

    def tell_once(self, told: dict[tuple[object, ...], Link]) -> None:
        """Let what stands below this link twice, with all that follows from it, be told where it comes first. Args: told: what was, before."""
        key = self.kind, self.tag, self.step, self.scan, self.text
        if key in told and told[key].children and self.children:
            self.children, self.roots = [], []
            self.text += ": see above"
            return
        told.setdefault(key, self)
        for child in self.children:
            child.tell_once(told)


class Usual(Struct, frozen=True):
    """How many of the tag's drop-outs in the log have this answer's signature, itself included, of those looked at; in words."""

    count: int
    of: int
    text: str


class Answer(Struct):
    """The answer to a question.

    ``time`` (ns) and ``scan``: where the trail looks, of a drop its own; ``trail`` one link tree (None where nothing is to explain);
    ``roots`` ranked; ``rests_on`` what limits it, one sentence each; ``text`` the whole in a sentence; ``attempts``: the scans of all;
    ``commands``: the tag that made the last one; ``other_commands``: inputs that, on, would have tried it too;
    ``begun`` (ns): since when a chattering tag chatters; ``asked``: the scan of the moment
    asked for; ``missed``: the last attempt was one that no scan saw; ``usual``: None where it does not apply or is not known yet;
    ``phases``: at how many of how many phases of the scan a short change is seen, None where nothing rests on one; ``proofs``: every
    root has been tried; ``tried_again``: of a drop-out, what came in vain since, in words, "" where nothing did; ``would_now``: of a tag that
    did not pull in, that an attempt at the moment asked for would succeed, in words; ``anew``: its command counts only where it comes.
    """

    symptom: Symptom
    tag: int
    value: Value
    time: int
    scan: int
    trail: Link | None
    roots: list[Root]
    text: str
    rests_on: list[str] = field(default_factory=list)
    mismatch: bool = False
    attempts: tuple[int, ...] = ()
    begun: int = 0
    asked: int = 0
    missed: bool = False
    commands: frozenset[int] = frozenset()
    other_commands: tuple[int, ...] = ()
    usual: Usual | None = None
    phases: tuple[int, int] | None = None
    proofs: bool = False
    tried_again: str = ""
    would_now: str = ""
    anew: bool = False

    def links(self) -> list[tuple[int, Link]]:
        """The trail's links in reading order with their depth."""
        return list(self.trail.walk()) if self.trail is not None else []
