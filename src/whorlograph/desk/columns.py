"""Which column of a log is which, where the file does not say: asked once, kept in the job, written as a profile that every command takes."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from whorlograph.engine.scope.elaborate import elaborate
from whorlograph.formats.beside import beside
from whorlograph.formats.logs.binding import Binder
from whorlograph.formats.logs.csv_table import by_cells
from whorlograph.formats.logs.look import Looks, look
from whorlograph.formats.logs.time_columns import TimeColumns
from whorlograph.formats.profile import profile_table, read_profile
from whorlograph.formats.profile_write import profile_text
from whorlograph.model.errors import ColumnsError, LogError
from whorlograph.model.shown import visible

from .job import job_path, open_desk
from .session import Paths, Session, digest, kept_program

KEYS = ("time", "tag", "value")


def kept_columns(paths: Paths, folder: Path | None, job: Path | None) -> dict[str, str]:
    """What was said of these logs before; nothing where it was not asked."""
    with suppress(OSError):
        desk, taken_up = open_desk(paths, digest(paths.program), folder, job)
        if taken_up:
            return {k: v for k, v in desk.job.columns.items() if k in KEYS and v}
    return {}


def with_columns(paths: Paths, columns: dict[str, str], folder: Path) -> Paths:
    """The files with a profile that says so, kept beside the job: the given one's settings stand in it too.

    Raises: ProfileError where the given profile cannot be read.
    """
    if not columns:
        return paths
    path = job_path(folder, paths, digest(paths.program)).with_suffix(".profile.toml")
    path.parent.mkdir(parents=True, exist_ok=True)
    with beside(path) as fresh:
        fresh.write_text("# which column of the log is which, as it was answered; the other settings are the given profile's\n"
                         + profile_text(_merged(paths.profile, columns)), encoding="utf-8")
    return replace(paths, profile=path)


def _merged(profile: Path | None, columns: dict[str, str]) -> dict[str, Any]:
    read_profile(profile)  # what is wrong in it is said as always
    table = profile_table(profile) if profile is not None else {}
    return table | {"log": {**table.get("log", {}), **columns}}


def unbound(session: Session) -> ColumnsError | None:
    """What to ask where a log has rows and not one of a tag of the program; None where it has."""
    log = session.log
    if not log.rows or len(log.times) or len(session.paths.logs) != 1:
        return None
    with suppress(LogError):
        seen = look(session.paths.logs[0], session.profile)
        if len(seen.names) > 1:
            return ColumnsError(str(session.paths.logs[0]), "no column and no row names a tag of the program",
                                "name the columns of tag and value", seen.names, seen.rows, seen.time)
    return None


def suggested(paths: Paths) -> str:
    """A profile for a program's logs, as far as they can be told; what is to be filled in stands as a remark.

    Raises: InputError for a file that cannot be opened.
    """
    profile = read_profile(paths.profile)
    out = [f"# suggested for {', '.join(visible(p.name) for p in paths.logs) or 'no log'}; each line can be changed"]
    given = profile_table(paths.profile) if paths.profile is not None else {}
    table = {k: v for k, v in given.items() if k != "log"}
    if table:
        out.append(profile_text(table).rstrip())
    if "scan_time" not in table:
        out.append('# scan_time = "10ms"')
    out += ["", "[log]"]
    for path in paths.logs[:1]:
        seen = look(path, profile)
        if seen.time and not seen.tag:
            running = elaborate(kept_program(paths.program, digest(paths.program)).value, paths.resource, profile.addressing)[0]
            places = by_cells([(0, list(r)) for r in seen.rows], len(seen.names), TimeColumns(seen.names.index(seen.time)), Binder(running, profile))
            seen = replace(seen, tag=seen.names[places[0]], value=seen.names[places[1]]) if places[0] is not None and places[1] is not None else seen
        out += _lines(seen)
    return "\n".join(out) + "\n"


def _lines(seen: Looks) -> list[str]:
    out = [f"# the columns are: {', '.join(seen.names)}"]
    for key, name, other in (("time", seen.time, "the column of time"), ("tag", seen.tag, "of a long table: the column of the tags' names"),
                             ("value", seen.value, "of a long table: the column of values")):
        out.append(profile_text({key: name}).strip() if name else f'# {key} = "..."  # {other}')
    if seen.skip:
        out.append(f"skip = {seen.skip}")
    words = "words for on and off, where they are others than 1, 0, true, false, on, off, yes, no"
    return [*out, f'# true = ["made"]   # {words}', '# false = ["broken"]']
