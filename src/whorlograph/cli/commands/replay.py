"""``whorlograph replay``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import note, say
from whorlograph.cli.telling import telling
from whorlograph.formats.packing import packed_as
from whorlograph.model.errors import UsageError


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1, required=True)
@click.option("--until", help="Stop at this time.")
@click.option("--tags", help="Only these tags, with commas between.")
@click.option("--out", type=FILE, help="Write settled values here (.csv, .vcd or .parquet; .csv.gz, .vcd.zst ...).")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...],
            until: str | None, tags: str | None, out: Path | None) -> int:
    """Replay LOGS through PROGRAM; write every change of a settled value, or say what happened."""
    from whorlograph.desk.session import load
    from whorlograph.engine.feed import Trial
    from whorlograph.model.times import parse_time

    kind, packing = packed_as(out) if out is not None else ("", "")
    if out is not None and kind not in ((".csv", ".vcd") if packing else (".csv", ".vcd", ".parquet")):
        ending = f"{kind}{packing}" or "no suffix"
        raise UsageError(str(out), f"{ending} is no format of results", "end the name in .csv, .vcd (.gz or .zst behind it) or .parquet")
    session = telling(load(given(program, logs, io_list, profile, resource), plain))
    note(session.notices)
    end = parse_time(until, session.log) if until else None
    if end is not None and end < 0:
        raise UsageError("--until", f"{until} is before the log", "give a time within it")
    only = {session.tag(t) for t in tags.split(",")} if tags else None
    if out is not None:
        from whorlograph.desk.results import replay_into

        replay_into(session, out, min(end, session.log.end) if end is not None else None, only)
        return 0
    from whorlograph.desk.summary import replay_summary

    say(replay_summary(session, session.replay(Trial(), min(end, session.log.end)) if end is not None else session.journal))
    return 0
