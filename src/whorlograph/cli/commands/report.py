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
@click.option("--parts", help="Only these, with commas: root, trail, lanes, rungs, notes, rests; cycles too.")
@click.option("--notes", is_flag=True, help="With the marks and notes that open keeps for these files.")
@click.option("--out", type=FILE, required=True, help="Write here (.pdf, .svg or .md).")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...], tag: str,
            at: str | None, symptom: str | None, parts: str | None, notes: bool, out: Path) -> int:
    """Why TAG is as it is, on paper: complaint, roots, proof, trail, timeline, rungs, what it rests on."""
    from whorlograph.desk.asking import ask, prove_all
    from whorlograph.desk.job import jobs_folder, open_desk
    from whorlograph.desk.report import MORE, PARTS, write_report
    from whorlograph.desk.session import load
    from whorlograph.model.errors import UsageError

    wanted = frozenset(p.strip() for p in parts.split(",") if p.strip()) if parts is not None else PARTS
    if not wanted or not wanted <= PARTS | MORE:
        wrong = ", ".join(sorted(wanted - PARTS - MORE)) or "nothing"
        raise UsageError("--parts", f"{wrong} is no part of a report", f"parts are {', '.join(sorted(PARTS | MORE))}")
    session = telling(load(given(program, logs, io_list, profile, resource), plain, asked=tag))
    answer = ask(session, tag, at, Symptom(symptom) if symptom else None)
    prove_all(session, answer)
    kept = open_desk(session.paths, session.controller.source, jobs_folder())[0].kept if notes or (parts and "notes" in wanted) else None
    write_report(session, answer, out, kept, parts=wanted)
    say(f"{answer.text}: written to {out}")
    return 1 if answer.mismatch else 0
