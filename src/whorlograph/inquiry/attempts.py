"""Attempts: when somebody or something tried to bring a tag on, and it stayed off (ANSWERS.md, Will not pull in)."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from .commands import Asks, Command, all_commands
from .rivals import brought_on, rivals
from .since_when import course_of
from .symptoms import Course, course, course_seen
from .tracer import Tracer
from .writers import Kind, Writer


class Attempt(Struct, frozen=True):
    """A command came in a scan and the tag stayed off; ``lasts``: up to which scan a latch that it set stood, else the same scan."""

    scan: int
    command: Command
    lasts: int

    @property
    def condition(self) -> int:
        """The tag of the command."""
        return self.command.tag


class Tries(Struct, frozen=True):
    """All attempts at a tag since it was last on, in order; ``commands``: what makes them; ``standing``: those that stand at the asked moment;
    ``looked_at``: by command's tag what is written where it is looked at.
    """

    attempts: tuple[Attempt, ...]
    commands: tuple[Command, ...]
    standing: tuple[Command, ...]
    looked_at: dict[int, list[Writer]]

    @property
    def trying(self) -> bool:
        """Whether somebody or something is still trying."""
        return bool(self.standing)

    def stands(self) -> tuple[Command, bool]:
        """Of what stands: the command of the last attempt where that does, else the first of the others; and whether it is that one."""
        last = next((one for one in self.standing if one.tag == self.attempts[-1].condition), None)
        return (last, True) if last is not None else (self.standing[0], False)


def tried_text(count: int, last: str) -> str:
    """How often something was tried, and when last, in words."""
    return f"tried once, at {last}" if count == 1 else f"{count:,} attempts, the last at {last}"


def tried_again(tracer: Tracer, tag: int, since: int, until: int) -> str:
    """The attempts since a drop-out in a scan, in words; "" where there were none, or one was not in vain."""
    again = course(tracer.journal, tag).next_change(since, True)
    if again is not None and again <= until:
        return ""
    tries = attempts(tracer, tag, since, until)
    if not tries.attempts:
        return ""
    last = tries.attempts[-1]
    said = tried_text(len(tries.attempts), tracer.at(tracer.time(last.scan)))
    return f"since then {said} ({last.command.words(tracer)}), in vain: ask also why it does not pull in"


def attempts(tracer: Tracer, tag: int, since: int, until: int, meant: bool = False) -> Tries:
    """The attempts at a tag behind one scan, up to another.

    Of a rung with a seal-in the contacts beside it are commands (the start buttons), else those that came last when the tag pulled
    in, else any. A command that the program computes passes its own attempts on; a pulse generator is nobody.
    Args: meant: only what was meant to bring the tag on.
    """
    looked_at: dict[int, list[Writer]] = {}
    commands = [one for one in all_commands(tracer, tag, set(), 0, Asks(meant), looked_at=looked_at) if one.on or not meant]
    path, journal = course(tracer.journal, tag), tracer.journal
    found: dict[int, Attempt] = {}
    standing: dict[int, Command] = {}
    shared_with = _shared_with_rivals(tracer, tag, commands)
    for one in commands:
        its = _course(tracer, one)
        scans = its.scans
        came = scans[(scans > max(1, since)) & (scans <= until) & ((its.values != 0) == one.on)]
        came = came[(path.at_all(came) == 0) & (path.at_all(came + 1) == 0)]
        served = [course(journal, other) for other, shared in shared_with.items() if one in shared]
        made, latched = bool(tracer.writers.get(one.tag)), one.on and any(w.kind is Kind.SET for w in tracer.writers.get(one.tag, ()))
        for scan in came.tolist():
            if any(brought_on(rival, its, scan, until) for rival in served):
                continue  # it was meant for that
            lasts, other = _stood_until(its, scan, until) if latched else scan, found.get(scan)
            if other is None:
                found[scan] = Attempt(scan, one, lasts)
            else:  # of what came in one scan, what a device or a person gave
                better = not made and tracer.writers.get(other.condition)
                found[scan] = Attempt(scan, one if better else other.command, max(other.lasts, lasts))
        if len(came) and bool(its.at(until)) == one.on and not one.edge:
            standing.setdefault(one.tag, one)
    return Tries(tuple(found[s] for s in sorted(found)), tuple(commands), tuple(standing.values()), looked_at)


def _course(tracer: Tracer, one: Command) -> Course:
    """Whether what a command looks at was on, scan by scan."""
    if one.limit is not None:
        return course_of(tracer, one.tag, one.limit)
    return course(tracer.journal, one.tag) if one.seen_by < 0 else course_seen(tracer.journal, tracer.paths.order, one.tag, one.seen_by)


def _shared_with_rivals(tracer: Tracer, tag: int, commands: Iterable[Command]) -> dict[int, frozenset[Command]]:
    """By coil that a tag's own cannot be on with: the commands that start either."""
    found: dict[int, frozenset[Command]] = {}
    for rival in rivals(tracer, tag):
        mine, both = _started_by(tracer, rival.mine), _started_by(tracer, rival.both)
        found[rival.tag] = frozenset(one for one in commands if one.on and not one.edge and one.limit is None and one.tag in both - mine)
    return found


def _started_by(tracer: Tracer, tags: frozenset[int]) -> set[int]:
    """Some tags, and what is switched to bring them on."""
    return {*tags, *(one.tag for tag in tags for one in all_commands(tracer, tag, set(), 1, Asks()) if one.on)}


def _stood_until(its: Course, scan: int, until: int) -> int:
    """Up to which scan a latch stood that a command set: so long what it began was under way."""
    fell = its.next_change(scan, False)
    return min(until, fell - 1) if fell is not None else until
