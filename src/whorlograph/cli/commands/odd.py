"""``whorlograph odd``."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import say
from whorlograph.cli.telling import telling


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1, required=True)
@click.option("--all", "every", is_flag=True, help="Compare the last thousand drop-outs of every tag, however long that takes.")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...],
            every: bool, as_json: bool) -> int:
    """What was unusual in the LOGs: drop-outs unlike the others of their tag."""
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text
    from whorlograph.desk.unusual import find_odd, odd_json, odd_lines

    session = telling(load(given(program, logs, io_list, profile, resource), plain))
    *_, found = find_odd(session, most=(sys.maxsize,)) if every else find_odd(session)
    say(json_text(odd_json(session, found)) if as_json else "\n".join(odd_lines(session, found)))
    return 1 if found.events else 0
