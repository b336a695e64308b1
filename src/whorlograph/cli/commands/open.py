"""``whorlograph open``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, program_options, screen_options


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1)
@click.option("--tag", help="Ask why of this tag at once.")
@screen_options
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...],
            tag: str | None, palette: str, ascii_: bool) -> int:
    """Open the application on PROGRAM and its LOGs."""
    from whorlograph.desk.session import Paths, load
    from whorlograph.model.question import Question

    session = load(Paths(program, logs, io_list, profile, resource), plain)
    number = session.tag(tag) if tag else session.first_output()
    from whorlograph.ui.app import run

    run(session, Question(number) if number is not None else None, palette, ascii_)
    return 0
