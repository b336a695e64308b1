"""``whorlograph why``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, TagType, given, program_options
from whorlograph.cli.saying import note, say
from whorlograph.cli.telling import telling
from whorlograph.model.errors import UsageError
from whorlograph.model.question import Symptom


@click.command()
@program_options
@click.argument("rest", nargs=-1, metavar="[LOG...] TAG", type=TagType(files=True))
@click.option("--at", help="At this time: seconds, a time of day, ISO 8601, or @ and the log's own seconds.")
@click.option("--symptom", type=click.Choice([s.value for s in Symptom]), help="What is complained of.")
@click.option("--now", help="Instead of a log: what the input lamps show, like Start=0,Stop=1.")
@click.option("--prove/--no-prove", default=True, help="Whether to replay the log with each root put the other way.")
@click.option("--json", "as_json", is_flag=True, help="The answer as JSON.")
@click.option("--pdf", type=FILE, help="The answer on paper too (PDF).")
@click.option("--svg", type=FILE, help="The answer on paper too (SVG).")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, rest: tuple[str, ...],
            at: str | None, symptom: str | None, now: str | None, prove: bool, as_json: bool,
            pdf: Path | None, svg: Path | None) -> int:
    """Why TAG of PROGRAM is as it is in the LOGs: the trail to its roots, and what to check."""
    from whorlograph.desk.asking import ask, prove_all
    from whorlograph.desk.now import settled_now
    from whorlograph.desk.session import load
    from whorlograph.desk.unusual import add_usual
    from whorlograph.desk.words import answer_json, answer_text

    if not rest:
        raise UsageError("", "no tag is given", "write whorlograph why PROGRAM LOG TAG")
    *logs, name = rest
    if len(rest) == 1 and not now:
        _tag_or_log(name)
    if logs and now:
        raise UsageError("--now", "a log is given too", "give a log or --now, not both")
    session = telling(load(given(program, tuple(Path(p) for p in logs), io_list, profile, resource), plain, asked=name))
    if now:
        session = settled_now(session, now)
    elif not logs:
        session = settled_now(session, "")
    answer = ask(session, name, at, Symptom(symptom) if symptom else None)
    if prove:
        prove_all(session, answer)
    if session.now is None:
        add_usual(session, answer)
    for path, suffix in ((pdf, ".pdf"), (svg, ".svg")):
        if path is not None:
            if path.suffix.lower() != suffix:
                raise UsageError(str(path), f"the name does not end in {suffix}", f"write {path.stem}{suffix}")
            from whorlograph.desk.report import write_report

            write_report(session, answer, path)
    say(answer_json(session, answer) if as_json else answer_text(session, answer))
    if not as_json:
        note(session.notices)
    return 1 if answer.mismatch else 0


def _tag_or_log(name: str) -> None:
    if Path(name).exists():
        raise UsageError("", f"{name} is a file, and no tag is given", "write the tag last")


