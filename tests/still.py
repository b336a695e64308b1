"""Everyday machines at rest: what is seen of them, and what a turn of one input then does to the real one, whose log goes on."""

from __future__ import annotations

from random import Random

import numpy as np
from msgspec import Struct

from tests.building import MS
from tests.everyday import everyday
from whorlograph.desk.now import settled_now
from whorlograph.desk.session import Session
from whorlograph.engine.journal import Journal
from whorlograph.inquiry.symptoms import course
from whorlograph.model.log import Log

LASTING = 3000 * MS  # until all has come to rest, no timer takes longer


class AtRest(Struct):
    """A machine at rest: ``state`` by tag; ``asked``: what stands still as it is seen, for questions; ``after``: by input how the log goes on
    when it turns."""

    random: Random
    asked: Session
    state: dict[int, int]
    written: list[int]
    after: dict[int, Journal]
    end: int

    def turning(self, tag: int) -> set[int]:
        """The inputs of which one alone, turned now, turns a tag."""
        found = set()
        for number, journal in self.after.items():
            scans = np.arange(journal.clock.scan_at(self.end) + 1, journal.clock.last + 1)
            if ((course(journal, tag).at_all(scans) != 0) != bool(self.state[tag])).any():
                found.add(number)
        return found


def at_rest(seed: int, cards_only: bool = False) -> AtRest | None:
    """A random machine whose inputs stay as they are from some time on; None where it does not come to rest.

    Args: cards_only: what is seen are inputs and outputs, else every BOOL that has a name of its own.
    """
    random, session = everyday(seed, 6)
    controller, tags, log = session.controller, session.running.tags, session.log
    until = random.randrange(1000, 5900) * MS
    end, keep = until + LASTING, log.times <= until

    def going_on(rows: list[tuple[int, int, int]], end: int) -> Journal:
        kinds = ((log.times, np.int64), (log.tags, np.int32), (log.values, np.int64))
        times, numbers, values = (np.append(column[keep], [r[n] for r in rows]).astype(kind) for n, (column, kind) in enumerate(kinds))
        return controller.replay(Log(times, numbers, values, end=end, rows=len(times)))

    journal = going_on([], end)
    if any(journal.time(int(row)) > end - LASTING // 2 for t in tags[:session.running.public] for row in journal.rows(t.index).tolist()[-1:]):
        return None
    public = [t for t in tags[:session.running.public] if t.type.name == "BOOL" and "." not in t.name]
    state = {t.index: journal.settled(t.index, journal.clock.last) for t in public}
    seen = ",".join(f"{t.name}={state[t.index]}" for t in public if t.address is not None or not cards_only)
    inputs = [t.index for t in public if t.address is not None and t.address.area == "I"]
    after = {i: going_on([(end + 5 * MS, i, 1 - state[i])], end + LASTING) for i in inputs}
    written = [t.index for t in public if t.index in controller.written and (t.address is not None or not cards_only)]
    return AtRest(random, settled_now(session, seen), state, written, after, end)
