"""``whorlograph right``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import TagType, given, program_options
from whorlograph.cli.saying import say
from whorlograph.cli.telling import telling
from whorlograph.model.errors import UsageError
from whorlograph.model.question import Symptom


@click.command()
@program_options
@click.argument("rest", nargs=-1, metavar="LOG... TAG", type=TagType(files=True))
@click.option("--at", help="At this time: seconds, a time of day, ISO 8601, or @ and the log's own seconds.")
@click.option("--symptom", type=click.Choice([s.value for s in Symptom]), help="What is complained of.")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, rest: tuple[str, ...],
            at: str | None, symptom: str | None, as_json: bool) -> int:
    """When TAG was last right in the LOGs, and what went otherwise this time."""
    from whorlograph.desk.asking import ask
    from whorlograph.desk.comparing import right_json, right_of, right_text
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text

    *logs, name = rest or ("",)
    if not logs:
        raise UsageError("", "a log and a tag are needed", "write whorlograph right PROGRAM LOG TAG")
    session = telling(load(given(program, tuple(Path(p) for p in logs), io_list, profile, resource), plain))
    answer = ask(session, name, at, Symptom(symptom) if symptom else None)
    say(json_text(right_json(session, answer)) if as_json else right_text(session, answer))
    return 0 if right_of(session, answer) is not None else 1
