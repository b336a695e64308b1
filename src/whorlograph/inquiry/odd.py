"""What was unusual in a log: drop-outs unlike the others of their tag (ANSWERS.md, As always, or only now)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from functools import cache
from itertools import pairwise

from msgspec import Struct, field

from whorlograph.model.errors import Stopped

from .attempts import attempts
from .charts import passing_on
from .generators import runs_freely
from .portions import portions
from .runs_of_sequences import attempts_at
from .symptoms import course
from .tracer import LAST, Tracer, Vantage
from .trail import Root
from .usual import ENOUGH, MOST, ODD, USUAL, Drop, drops, root_name, words

SOON = 1_200  # drop-outs that are compared within some seconds
LATER = 20_000  # within a minute
ENOUGH_RUNS, MOST_RUNS = 2, 0.8  # runs of a sequence before, and in how many of them an output came, for its staying away to be odd


class OddDrop(Struct, frozen=True):
    """One odd drop-out of a tag: when (ns), how many with its signature of how many, what usually stops the tag, in words."""

    tag: int
    time: int
    count: int
    of: int
    usual: Root
    text: str


class OddEvent(Struct):
    """Odd drop-outs with one root and instant."""

    root: Root
    drops: list[OddDrop] = field(default_factory=list)

    @property
    def oddest(self) -> OddDrop:
        """The drop-out with the smallest share, of those that of the most that were looked at, then the earliest."""
        return min(self.drops, key=lambda d: (d.count / d.of, -d.of, d.time))


class Single(Struct, frozen=True):
    """A tag that dropped out once in the log: when (ns), and the root."""

    tag: int
    time: int
    root: Root


class Stuck(Struct, frozen=True):
    """An output that is tried and does not pull in at the log's end: how often since it was last on, the last attempt (ns)."""

    tag: int
    attempts: int
    last: int


class OddOnes(Struct):
    """All that was unusual: events, the oddest first; tags that dropped out once; outputs that end the log in vain.

    ``looked``: drop-outs that were compared, of ``chosen`` that are, of ``of`` that there are; ``tags``: of so many tags, ``left`` so many not
    looked at; ``more``: whether not the last thousand of each are chosen.
    """

    events: list[OddEvent] = field(default_factory=list)
    singles: list[Single] = field(default_factory=list)
    stuck: list[Stuck] = field(default_factory=list)
    looked: int = 0
    chosen: int = 0
    of: int = 0
    tags: int = 0
    left: int = 0
    more: bool = False


def candidates(tracer: Tracer) -> list[int]:
    """The outputs, and the BOOL tags written by the program that feed one, outputs first, the nearest next.

    Of a chart its steps alone: transitions and flags of actions only pass on what these do.
    """
    tags = tracer.running.tags[:tracer.running.public]
    outputs = [t.index for t in tags if t.at_output and tracer.boolean(t.index) and tracer.writers.get(t.index)]
    found, todo = dict.fromkeys(outputs), list(outputs)
    while todo:
        for writer in tracer.writers.get(todo.pop(0), ()):
            for use in tracer.controller.access.of_step(writer.step):
                for other in use.tags() if not use.writes else ():
                    if other not in found and other < len(tags) and tracer.writers.get(other):
                        found[other] = None
                        todo.append(other)
    charts = passing_on(tracer.running)
    return [t for t in found if tracer.boolean(t) and t not in charts]


def _free(tracer: Tracer, tag: int) -> bool:
    """Whether a tag is a generator's, or only they feed it."""
    if runs_freely(tracer, tag):
        return True
    uses = (use for w in tracer.writers.get(tag, ()) for use in tracer.controller.access.of_step(w.step))
    fed = [t for use in uses if not use.writes for t in use.tags() if t != tag]
    return bool(fed) and all(runs_freely(tracer, t) for t in fed if tracer.boolean(t))


def odd_ones(tracer: Tracer, stop: Callable[[], bool] = lambda: False, most: tuple[int, ...] = (SOON,)) -> Iterator[OddOnes]:
    """What was unusual, again and again as more is known; the last is all.

    Stops where ``stop`` says so. Args: most: drop-outs that are compared at the most; then more, until all of each tag's last thousand are.
    """
    tags = candidates(tracer)
    outputs = {t.index for t in tracer.running.tags if t.at_output}
    falls = tracer.journal.falls().tolist()
    counts = {tag: falls[tag] if tag < len(falls) else 0 for tag in tags}
    known: dict[int, list[Drop]] = {}
    free = cache(lambda tag: _free(tracer, tag))
    stuck = dict[int, Stuck]()
    shown = OddOnes()
    for n, budget in enumerate(most):
        if n and not shown.more:
            break
        parts, without = portions(counts, outputs, budget, free)
        found = OddOnes(chosen=sum(parts.values()), of=sum(counts[tag] for tag in (*parts, *without)), tags=len(parts), left=len(without),
                        more=bool(without) or any(taken < min(MOST, counts[tag]) for tag, taken in parts.items()))
        events: dict[tuple[object, int | None], OddEvent] = {}
        found.stuck = list(stuck.values())
        if n == 0:
            shown = found
        for tag in (one for one in tags if one in parts):
            if stop():
                return
            try:
                known[tag] = all_drops = drops(tracer, tag, stop, parts[tag], known.get(tag, ()))
            except Stopped:
                return
            if _add(tracer, tag, all_drops, events):
                found.events = sorted(events.values(), key=_oddness)
            if counts[tag] == 1 and all_drops:
                found.singles.append(Single(tag, tracer.time(all_drops[0].scan), all_drops[0].root))
            found.looked += parts[tag]
            yield shown
        for tag in tags if n == 0 else ():  # after the drop-outs, which stand above
            if stop():
                return
            one = _stuck(tracer, tag) if tag in outputs and not free(tag) else None
            if one is not None:
                stuck[tag] = one
                found.stuck = list(stuck.values())
                yield shown
        shown = found
    yield shown


def _add(tracer: Tracer, tag: int, all_drops: list[Drop], events: dict[tuple[object, int | None], OddEvent]) -> bool:
    """Add a tag's odd drop-outs to the events, those of one root and instant to one. Returns: whether there were any."""
    added = False
    for odd in _odd(tracer, tag, all_drops):
        root = next(d.root for d in all_drops if tracer.time(d.scan) == odd.time)
        events.setdefault((root.key, root.since), OddEvent(root)).drops.append(odd)
        added = True
    return added


def _oddness(event: OddEvent) -> tuple[float, int]:
    """By what odd events are put in order: the smaller share first, then of more."""
    oddest = event.oddest
    return oddest.count / oddest.of, -oddest.of


def _odd(tracer: Tracer, tag: int, all_drops: list[Drop]) -> Iterator[OddDrop]:
    counts = Counter(d.signature for d in all_drops)
    of = len(all_drops)
    if of < ENOUGH:
        return
    most, often = counts.most_common(1)[0]
    if often < USUAL * of:
        return
    usual = next(d.root for d in all_drops if d.signature == most)
    for drop in all_drops:
        if counts[drop.signature] <= ODD * of:
            yield OddDrop(tag, tracer.time(drop.scan), counts[drop.signature], of, usual, words(tracer, tag, drop, all_drops, counts))


def _stuck(tracer: Tracer, tag: int) -> Stuck | None:
    """An output that was tried and is off at the log's end; an alarm that had no reason to come was not."""
    path, last = course(tracer.journal, tag), tracer.journal.clock.last
    if path.at(last):
        return None
    since = path.last_change(last, False) or 0
    if attempts(tracer, tag, since, last, meant=True).attempts:
        tries = attempts(tracer, tag, since, last)
        return Stuck(tag, len(tries.attempts), tracer.time(tries.attempts[-1].scan))
    return _behind_in_runs(tracer, tag, since, last) if since else None


def _behind_in_runs(tracer: Tracer, tag: int, since: int, last: int) -> Stuck | None:
    """An output that came on in the runs of its sequence before, mostly, and in none since."""
    with tracer.aside():
        link = tracer.explain(tag, Vantage(last, LAST), False, 0)
    runs = [one.scan for one in attempts_at(tracer, link, 0, last) if one.command < 0] if link is not None else []
    before, later = [s for s in runs if s <= since], [s for s in runs if s > since]
    path = course(tracer.journal, tag)
    came = sum(path.changes_between(scan - 1, end - 1) > 0 for scan, end in pairwise([*before, since + 1]))
    if not later or len(before) < ENOUGH_RUNS or came < MOST_RUNS * len(before):
        return None
    return Stuck(tag, len(later), tracer.time(later[-1]))


def event_text(tracer: Tracer, event: OddEvent) -> str:
    """An odd event in a sentence."""
    first = event.oddest
    names = ", ".join(dict.fromkeys(tracer.name(d.tag) for d in event.drops[:4])) + (" and more" if len(event.drops) > 4 else "")
    return f"{names} dropped out at {tracer.at(first.time)} because of {root_name(tracer, event.root)}: {first.text}"


def looked_text(found: OddOnes) -> str:
    """How many drop-outs were compared, and of how many where those are not all."""
    of = f" of {found.of:,}" if found.looked < found.of else ""
    return f"{found.looked:,}{of} drop-out{'' if found.of == 1 else 's'} compared"


def left_text(found: OddOnes) -> str:
    """Which drop-outs were compared where not all were; "" where all were, or are still being compared."""
    if found.looked >= found.of or found.looked < found.chosen:
        return ""
    if not found.more:
        return f"of each tag the last {MOST:,} at the most"
    others = f"; none of {found.left:,} other tag{'' if found.left == 1 else 's'}" if found.left else ""
    return f"the last ones of {found.tags:,} tag{'' if found.tags == 1 else 's'}, outputs first{others}"
