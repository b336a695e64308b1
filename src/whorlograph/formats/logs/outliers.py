"""What does not fit a log's own course: rows far outside the rest, a clock that was put back an hour, long gaps."""

from __future__ import annotations

import datetime as dt

import numpy as np

from whorlograph.model.limits import FAR_DAYS, FAR_SPANS, LONG_GAP, RHYTHM, STRAY_SHARE
from whorlograph.model.literals import duration_text
from whorlograph.model.log import Clock, Ints

DAY = 86_400_000_000_000
HOUR = DAY // 24
SPAN = (1 << 63) - 1


def far_outside(ordered: Ints) -> tuple[int, int]:
    """Which rows belong together: from one to before another of times in order (ns); all where no row is far outside.

    A row is far outside where it lies with few others at one end, and further off than the rest lasts many times over.
    """
    n = len(ordered)
    low, high = 0, n
    if n >= RHYTHM:
        most = max(1, n // STRAY_SHARE)
        limit = max(FAR_DAYS * DAY, FAR_SPANS * (int(ordered[n - most - 1]) - int(ordered[most])))
        for i in range(most, 0, -1):
            if int(ordered[i]) - int(ordered[i - 1]) > limit:
                low = i
                break
        for i in range(n - most, n):
            if int(ordered[i]) - int(ordered[i - 1]) > limit:
                high = i
                break
    # Times since the first row are 64-bit nanoseconds.
    while high - 1 > low and int(ordered[high - 1]) - int(ordered[low]) > SPAN:
        high -= 1
    return low, high


def put_back(times: Ints) -> int | None:
    """The first row behind an hour that occurs twice, of times without a zone in the order of the file (ns); None where there is none.

    The clock goes back once by an hour at most, and goes on from there without a hole: no row that is merely late does. Of a log of few rows,
    or one that ends before the hour is over, it is enough that they go on in order, in a night in which clocks are put back somewhere.
    """
    steps = np.diff(times)
    back = np.flatnonzero(steps < -HOUR // 2)
    if len(back) != 1 or steps[back[0]] < -HOUR:
        return None
    at = int(back[0]) + 1
    twice = times[at:][times[at:] <= times[at - 1]]
    few, ends = len(times) < RHYTHM, len(twice) == len(times) - at and int(twice[0]) < int(twice[-1])
    if (few or ends) and _autumn_night(int(times[at - 1])) and (np.diff(times[at:]) >= 0).all():
        return at
    if few or len(twice) < 2 or (np.diff(twice) < 0).any() or int(np.diff(twice).max()) > HOUR // 2 or int(times[at - 1] - twice[-1]) > HOUR // 2:
        return None
    return at


def _autumn_night(local: int) -> bool:
    """Whether clocks are put back somewhere about a local time: before four on the last Sunday of October or the first of November or April."""
    days, rest = divmod(local, DAY)
    if rest >= 4 * HOUR or not -700_000 < days < 2_900_000:
        return False
    day = dt.date(1970, 1, 1) + dt.timedelta(days)
    return day.weekday() == 6 and ((day.month == 10 and day.day > 24) or (day.month in (4, 11) and day.day <= 7))


def long_gaps(times: Ints) -> list[tuple[int, int]]:
    """(from, to) in ns of the stretches without a row that are longer than a day, of times in order."""
    wide = np.flatnonzero(np.diff(times) > LONG_GAP)
    return [(int(times[i]), int(times[i + 1])) for i in wide]


def instant_text(absolute: int, clock: Clock | None, zone: int) -> str:
    """An absolute time as the log writes it, whole seconds."""
    if clock is None or clock is Clock.SECONDS:
        return f"{absolute // 1_000_000_000} s"
    try:
        moment = dt.datetime(1970, 1, 1) + dt.timedelta(seconds=absolute // 1_000_000_000 + zone * 60)
    except OverflowError:
        return f"{absolute // 1_000_000_000} s"
    return moment.strftime("%Y-%m-%d %H:%M:%S")


def far_text(rows: int, first: str, last: str, away: int) -> str:
    """What is said of rows set aside because they lie far outside."""
    when = first if first == last else f"{first} to {last}"
    return f"{rows} row{'s' * (rows != 1)} set aside: {when} lies {duration_text(away)} away from all others"


