"""``whorlograph survey``."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import say
from whorlograph.cli.telling import telling
from whorlograph.model.errors import UsageError


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1)
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...],
            as_json: bool) -> int:
    """What is in PROGRAM, what runs when and in which order, and what was set aside of it and its LOGs."""
    from whorlograph.desk.session import load
    from whorlograph.desk.survey import survey
    from whorlograph.desk.tables import json_text, survey_text

    session = telling(load(given(program, logs, io_list, profile, resource), plain, ahead=bool(logs)))
    if logs:
        _ = session.journal  # so that tasks and scans can be counted
    found = survey(session)
    if as_json:
        say(json_text(found))
        return 0
    text = survey_text(session, found)
    if logs:
        from whorlograph.desk.cycles import cycles_told, find_cycles

        with suppress(UsageError):  # where nothing comes again and again there is nothing to say
            text += "\n\nCycles (whorlograph cycles):\n" + "\n".join(f"  {line}" for line in cycles_told(session, find_cycles(session)))
    say(text)
    return 0
