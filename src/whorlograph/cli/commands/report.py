"""``whorlograph report``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, TagType, given, program_options
from whorlograph.cli.saying import say
from whorlograph.cli.telling import telling
from whorlograph.model.question import Symptom


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1, required=True)
@click.argument("tag", type=TagType())
@click.option("--at", help="At this time.")
@click.option("--symptom", type=click.Choice([s.value for s in Symptom]), help="What is complained of.")
@click.option("--out", type=FILE, required=True, help="Write here (.pdf, .svg or .md).")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...], tag: str,
            at: str | None, symptom: str | None, out: Path) -> int:
    """Why TAG is as it is, on paper: complaint, roots, proof, trail, timeline, rungs, what it rests on."""
    from whorlograph.desk.asking import ask, prove_all
    from whorlograph.desk.report import write_report
    from whorlograph.desk.session import load

    session = telling(load(given(program, logs, io_list, profile, resource), plain))
    answer = ask(session, tag, at, Symptom(symptom) if symptom else None)
    prove_all(session, answer)
    write_report(session, answer, out)
    say(f"{answer.text}: written to {out}")
    return 1 if answer.mismatch else 0
