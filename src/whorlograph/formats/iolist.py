"""I/O lists in CSV (DESIGN section 6)."""

from __future__ import annotations

from pathlib import Path

from whorlograph.model.errors import IoListError, LogError
from whorlograph.model.iolist import IoList, Point, Wiring
from whorlograph.model.place import Loaded, Notice, Place
from whorlograph.model.profile import Profile
from whorlograph.model.shown import visible
from whorlograph.model.tags import Running

from .logs.heading import column
from .logs.source import SEPARATORS
from .logs.table import Table, read_table

MOST_ABOVE = 30  # lines of a title, above the one that names the columns
_COLUMNS = ("tag", "address", "device", "location", "terminal", "wiring", "description", "drawing")
_NAMES = {"tag": ("tag", "name", "symbol", "signal", "tag name"), "address": ("address", "addr", "i/o address"), "device": ("device", "equipment"),
          "location": ("location", "place", "cabinet", "junction box"), "terminal": ("terminal", "clamp"), "wiring": ("wiring",),
          "description": ("description", "comment", "function", "text"), "drawing": ("drawing", "sheet", "page")}
_OPEN = ("no", "n.o.", "n/o", "normally open", "make", "make contact")
_CLOSED = ("nc", "n.c.", "n/c", "normally closed", "break", "break contact")


def _words(profile: Profile) -> dict[str, Wiring]:
    """What is written for a wiring, the profile's own words too."""
    given = {"": Wiring.UNKNOWN}
    given |= dict.fromkeys(_OPEN, Wiring.NORMALLY_OPEN) | dict.fromkeys(_CLOSED, Wiring.NORMALLY_CLOSED)
    for words, wiring in ((profile.iolist_no, Wiring.NORMALLY_OPEN), (profile.iolist_nc, Wiring.NORMALLY_CLOSED)):
        given |= dict.fromkeys((w.strip().lower() for w in words), wiring)
    return given


def _columns(header: list[str], profile: Profile) -> dict[str, int]:
    """Where each column that is known stands."""
    found = {name: column(header, profile.iolist_columns.get(name, ""), _NAMES[name]) for name in _COLUMNS}
    return {name: place for name, place in found.items() if place is not None}


def _headed(table: Table, profile: Profile) -> tuple[list[str], list[tuple[int, list[str]]]]:
    """The line that names the columns, and what stands below it: the first one, else one below a title that names a tag or an address and more."""
    for n, header in enumerate((table.header, *([c.strip() for c in row] for _, row in table.rows[:MOST_ABOVE]))):
        if _names_points(header, profile) and len(_columns(header, profile)) > (n > 0):
            return header, table.rows[n:]
    return table.header, table.rows


def _names_points(header: list[str], profile: Profile) -> bool:
    """Whether a line names a column of tags or one of addresses."""
    return not {"tag", "address"}.isdisjoint(_columns(header, profile))


def read_iolist(path: Path | None, running: Running, profile: Profile | None = None) -> Loaded[IoList]:
    """Read an I/O list and bind its points to tags by name, else by address.

    Args: profile: other names of columns, and other words for a wiring.
    Raises: IoListError where it cannot be opened or has neither a tag nor an address column.
    """
    if path is None:
        return Loaded(IoList({}))
    try:
        table = read_table(path, "I/O list")
    except LogError as error:
        raise IoListError(error.place, error.what, error.remedy) from error
    profile = profile or Profile()
    header, body = _headed(table, profile)
    for separator in SEPARATORS if not _names_points(header, profile) else "":
        split = _headed(read_table(path, "I/O list", separator), profile)  # a title may hold signs that stand between no cells
        if _names_points(split[0], profile):
            header, body = split
            break
    at = _columns(header, profile)
    absent = [f'{name} = "{given}"' for name, given in profile.iolist_columns.items() if name not in at]
    if absent:
        raise IoListError(f"{path}:1", f"no column is called so: [iolist] {absent[0]}", f"the columns are {', '.join(header)[:200]}")
    if "tag" not in at and "address" not in at:
        raise IoListError(f"{path}:1", 'neither a "tag" nor an "address" column', f"name the columns {','.join(_COLUMNS)}")
    words = _words(profile)
    notices: list[Notice] = []
    points: dict[int, Point] = {}
    unbound: list[Point] = []
    lines: dict[int, int] = {}
    for line, row in body:
        cells = {name: visible(row[i].strip()) if i < len(row) else "" for name, i in at.items()}
        if not any(cells.values()):
            continue
        wiring = words.get(cells.get("wiring", "").lower())
        if wiring is None:
            notices.append(Notice(Place(str(path), line), f"wiring {cells['wiring']!r} is neither NO nor NC",
                                  f'taken as unknown; say in the profile what it means: [iolist] no = ["{cells["wiring"]}"] or nc = [...]'))
            wiring = Wiring.UNKNOWN
        point = Point(**{"tag": ""} | {k: v for k, v in cells.items() if k != "wiring"}, wiring=wiring)
        if not point.tag:
            point = Point(point.address, *[getattr(point, f) for f in _COLUMNS[1:]])
        tag = running.find(point.tag) if point.tag else None
        if tag is None and point.address:
            tag = running.find(point.address)
            if tag is None:
                tag = running.find(f"%{point.address}")
        if tag is None:
            unbound.append(point)
        elif tag not in points:
            points[tag], lines[tag] = point, line
        else:
            address = running.tags[tag].address
            better = points[tag].elsewhere(address) is not None and point.address and point.elsewhere(address) is None
            counts = "the line with the program's address counts" if better else "the first line counts"
            notices.append(Notice(Place(str(path), line), f"{point.tag} stands twice in the list", counts))
            if better:
                points[tag], lines[tag] = point, line
    elsewhere = [(tag, other) for tag, point in points.items() if (other := point.elsewhere(running.tags[tag].address)) is not None]
    if elsewhere:
        tag, other = elsewhere[0]
        what = f"{points[tag].tag} is at {other} in the list, at {running.tags[tag].address} in the program"
        more = f"; so it is with {len(elsewhere) - 1} more" if len(elsewhere) > 1 else ""
        notices.append(Notice(Place(str(path), lines[tag]), f"{what}{more}", "see which of them is out of date before you go by the list"))
    if unbound:
        names = ", ".join(p.tag or p.address for p in unbound[:3])
        notices.append(Notice(Place(str(path)), f"{len(unbound)} points stand for no tag of the program ({names} ...)"
                              if len(unbound) > 3 else f"{names}: no tag of the program", "listed, not used"))
    if table.encoding:
        notices.append(Notice(Place(str(path)), f"the text is not UTF-8, read as {table.encoding}", "check words with accents"))
    return Loaded(IoList(points, str(path), tuple(unbound)), notices)
