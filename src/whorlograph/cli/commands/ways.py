"""``whorlograph ways``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, TagType, given, program_options
from whorlograph.cli.saying import say
from whorlograph.cli.telling import telling


@click.command()
@program_options
@click.argument("tag", type=TagType())
@click.argument("logs", type=FILE, nargs=-1)
@click.option("--at", help="As things stand then; by default at the log's end.")
@click.option("--down", is_flag=True, help="Across rungs, down to what no rung computes.")
@click.option("--table", is_flag=True, help="The whole truth table, up to ten inputs.")
@click.option("--against", metavar="OTHER", help="Whether another tag, or this one in another program, does the same.")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, tag: str, logs: tuple[Path, ...],
            at: str | None, down: bool, table: bool, against: str | None, as_json: bool) -> int:
    """What TAG needs to pull in, each smallest set of contacts, nearest to how things stand in the LOGs first."""
    from whorlograph.desk.needing import Needed, compared, compared_json, compared_text, table_text, ways_json, ways_text
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text
    from whorlograph.model.errors import UsageError

    if at and not logs:
        raise UsageError("--at", "no log is given", "write whorlograph ways PROGRAM TAG LOG --at TIME")
    session = telling(load(given(program, logs, io_list, profile, resource), plain, asked=tag))
    asked = Needed(session, session.tag(tag), at, down)
    if against:
        found = compared(asked, against)
        say(json_text(compared_json(found)) if as_json else compared_text(found))
        return 1 if found.apart or found.cut else 0
    say(json_text(ways_json(asked, table)) if as_json else table_text(asked) if table else ways_text(asked))
    return 0
