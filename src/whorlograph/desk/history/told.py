"""What stopped the machine, over all logs: which root how often and for how long, since when, and whether it gets worse."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct, field

from whorlograph.drawing.paper import Sheets
from whorlograph.drawing.picture import Bar, Picture, Words
from whorlograph.inquiry.cycles.drift import chance
from whorlograph.model.cells import padded
from whorlograph.model.literals import counted, duration_text

from .look import Looked, Stop

LEAST, CHANCE = 8, 0.01  # logs from which on a course can be told, and the chance that nothing is behind it
MOST = 20
YEAR = 31_536_000_000_000_000


class Cause(Struct):
    """A root over all logs: its stops, in how many logs it has some, and how often in each, in order of time."""

    kind: str
    tag: str
    device: str
    stops: list[Stop] = field(default_factory=list)
    logs: int = 0
    course: list[int] = field(default_factory=list)

    @property
    def seconds(self) -> float:
        """How long what it stopped was off, together."""
        return sum(s.off for s in self.stops) / 1e9

    @property
    def since(self) -> int:
        """When it was first (ns as logs have it)."""
        return min(s.at for s in self.stops)

    @property
    def usual(self) -> bool:
        """Whether most of it is how the output ends as a rule."""
        return 2 * sum(s.usual for s in self.stops) > len(self.stops)

    @property
    def worse(self) -> str:
        """Whether it comes more or less often from log to log, where a rank test says so."""
        if len(self.course) < LEAST:
            return ""
        values = np.array(self.course, np.float64)
        if chance(values) >= CHANCE:
            return ""
        half = len(values) // 2
        return "more and more often" if values[half:].mean() > values[:half].mean() else "less and less often"


class History(Struct):
    """All logs: what could be read, in order of time, the causes, most first, and what could not be read (file, why)."""

    read: list[str]
    causes: list[Cause]
    unread: list[tuple[str, str]]
    length: int = 0


def together(found: Sequence[tuple[str, Looked]]) -> History:
    """Count what the logs gave."""
    good = sorted(((log, one) for log, one in found if not one.why), key=lambda f: (f[1].begun, f[0]))
    causes: dict[tuple[str, str], Cause] = {}
    for _, one in good:
        for stop in one.stops:
            causes.setdefault((stop.kind, stop.tag), Cause(stop.kind, stop.tag, stop.device)).stops.append(stop)
    for key, cause in causes.items():
        cause.course = [sum((s.kind, s.tag) == key for s in one.stops) for _, one in good]
        cause.logs = sum(n > 0 for n in cause.course)
    ranked = sorted(causes.values(), key=lambda c: (-len(c.stops), -c.seconds, c.tag))
    return History([log for log, _ in good], ranked, sorted((log, one.why) for log, one in found if one.why), sum(one.length for _, one in good))


def moment(at: int) -> str:
    """When, in words: a date where the log has one, else seconds after its start."""
    if at < YEAR:
        return f"{at / 1e9:.3f} s"
    return (dt.datetime(1970, 1, 1) + dt.timedelta(microseconds=at // 1000)).isoformat(sep=" ", timespec="seconds")


def name_of(cause: Cause) -> str:
    """A cause in words."""
    return (cause.tag or f"a {cause.kind}") + (f" ({cause.device})" if cause.device else "")


def history_lines(found: History) -> list[str]:
    """The history in words, with a bar for each cause."""
    stops = counted(sum(len(c.stops) for c in found.causes), "stop")
    lines = [f"{counted(len(found.read), 'log')}, {duration_text(found.length)} together; {stops}"]
    most = max((len(c.stops) for c in found.causes), default=1)
    wide = max((len(name_of(c)) for c in found.causes[:MOST]), default=0)
    for cause in found.causes[:MOST]:
        bar = "█" * max(1, round(30 * len(cause.stops) / most))
        said = ", ".join(p for p in (f"{duration_text(round(cause.seconds * 1e9))} off", f"in {counted(cause.logs, 'log')}",
                                     f"since {moment(cause.since)}", cause.worse, "as it ends as a rule" if cause.usual else "") if p)
        lines.append(f"  {padded(name_of(cause), wide)} {len(cause.stops):>5}  {padded(bar, 30)}  {said}")
    if len(found.causes) > MOST:
        lines.append(f"  and {len(found.causes) - MOST} more")
    if found.unread:
        lines += ["", "could not be read:", *(f"  {file}: {why}" for file, why in found.unread)]
    return lines


def history_json(found: History) -> dict[str, Any]:
    """The history as JSON (DESIGN section 7); ``since`` as a date where the logs have one."""
    return {"roots": [{"tag": c.tag or None, "kind": c.kind, "device": c.device, "count": len(c.stops), "seconds": c.seconds,
                       "since": moment(c.since), "logs": c.logs, "trend": c.worse or None, "usual": c.usual} for c in found.causes],
            "logs": len(found.read), "unread": [{"file": file, "why": why} for file, why in found.unread]}


def history_pages(found: History, title: str) -> list[Picture]:
    """The ranked bar chart on paper."""
    sheets = Sheets(f"Whorlograph · {counted(len(found.read), 'log')}")
    sheets.words(f"{title}: what stopped it", 15, True, after=2)
    sheets.words(history_lines(found)[0] + ".", 9.5, after=8)
    most = max((len(c.stops) for c in found.causes), default=1)
    left, high = 170.0, 17.0
    for cause in found.causes[:MOST]:
        picture = Picture(sheets.room, high + 9)
        wide = (sheets.room - left - 60) * len(cause.stops) / most
        said = f"{duration_text(round(cause.seconds * 1e9))} off, in {counted(cause.logs, 'log')}, since {moment(cause.since)}"
        said += f", {cause.worse}" if cause.worse else ""
        picture.items = [Words(left - 8, 11, name_of(cause), 8.5, True, "end"), Bar(left, 2, wide, 12, 0.35),
                         Words(left + wide + 5, 11, str(len(cause.stops)), 8.5), Words(left, 22, said, 7, grey=0.3)]
        sheets.picture(picture, after=3)
    for file, why in found.unread:
        sheets.words(f"could not be read: {file}: {why}", 7.5, grey=0.3)
    return sheets.numbered()
