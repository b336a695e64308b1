"""``whorlograph mismatches``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import say
from whorlograph.cli.telling import telling


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1, required=True)
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...],
            as_json: bool) -> int:
    """Where the LOGs recorded a tag otherwise than PROGRAM computes it."""
    from whorlograph.desk.disagreeing import stretches, stretches_json, stretches_lines
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text

    session = telling(load(given(program, logs, io_list, profile, resource), plain))
    say(json_text(stretches_json(session)) if as_json else "\n".join(stretches_lines(session)))
    return 1 if stretches(session) else 0
