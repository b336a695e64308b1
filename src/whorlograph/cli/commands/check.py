"""``whorlograph check``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import note, say
from whorlograph.cli.telling import telling


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1)
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...], as_json: bool) -> int:
    """What looks suspicious in PROGRAM before anything ran; with LOGs also what their rates say."""
    from whorlograph.desk.checking import check, check_json, check_text
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text

    session = telling(load(given(program, logs, io_list, profile, resource), plain))
    found = check(session)
    say(json_text(check_json(session, found)) if as_json else check_text(found))
    if not as_json:
        note(session.notices)
    return 1 if found else 0
