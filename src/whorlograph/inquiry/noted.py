"""What an inquiry knows besides program and journal: plain data, handed to the tracer."""

from __future__ import annotations

from msgspec import Struct, field

from whorlograph.engine.feed import Trial

LET_GO = 3  # scans in which, without a log, what was given is let go


class Auxiliary(Struct, frozen=True):
    """An input that should take over from others of its rung: ``sure`` where device or log say that it reports a coil back, which is ``coil``."""

    tag: int
    beside: tuple[int, ...]
    sure: bool
    coil: int


class Now(Struct, frozen=True):
    """A moment without a log: which tags were given; of those that the program writes the ones it would turn, each with the step that would;
    the trial that holds all, until ``rest`` (ns), when all else has come to rest; ``assumed``: what was not given, but must be so that what
    is seen stands, with its raw value; ``free``: the trial that lets go then even what turns; ``later``: that of a tag which turns only
    where others are kept as they are seen: it keeps those; ``unseen``: by a tag that it turns memories that were
    not given and might stand otherwise."""

    given: frozenset[int]
    turned: dict[int, int]
    trial: Trial
    rest: int = 0
    assumed: dict[int, int] = field(default_factory=dict)
    free: Trial = Trial()
    later: dict[int, Trial] = field(default_factory=dict)
    unseen: dict[int, tuple[int, ...]] = field(default_factory=dict)
