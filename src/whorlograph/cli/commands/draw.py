"""``whorlograph draw``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.telling import telling
from whorlograph.model.errors import UsageError


@click.command()
@program_options
@click.option("--pou", help="This POU only.")
@click.option("--rung", type=int, help="This rung of the POU only, counted from 1.")
@click.option("--log", "logs", type=FILE, multiple=True, help="With power flow from this log (may be given several times).")
@click.option("--at", help="At this time; by default the log's end.")
@click.option("--out", type=FILE, required=True, help="Write here (.svg or .pdf).")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, pou: str | None, rung: int | None,
            logs: tuple[Path, ...], at: str | None, out: Path) -> int:
    """Draw the rungs of PROGRAM on paper: all, one POU's, or one; with power flow at a moment where a log is given."""
    from whorlograph.desk.report import drawing_pages
    from whorlograph.desk.session import load
    from whorlograph.drawing.paper import write_picture
    from whorlograph.model.times import parse_moment

    if rung is not None and pou is None:
        raise UsageError("--rung", "no POU is given", "add --pou NAME")
    if at is not None and not logs:
        raise UsageError("--at", "no log is given", "add --log LOG")
    session = telling(load(given(program, logs, io_list, profile, resource), plain))
    steps = session.controller.steps.all
    chosen = [s.index for s in steps if (pou is None or pou.lower() in (s.pou.lower(), s.instance.name.lower()))
              and (rung is None or s.rung.number == rung)]
    if not chosen:
        known = ", ".join(dict.fromkeys(s.pou for s in steps))
        raise UsageError(str(program), f"there is no {'rung ' + str(rung) + ' in ' if rung is not None else 'POU called '}{pou}"
                         if pou else "the program has no rung", f"its POUs are {known}" if known else "give another program")
    time = (parse_moment(at, session.log) if at else session.log.end) if logs else None
    write_picture(drawing_pages(session, chosen, time), out, session.program.name, session.paths.inputs)
    return 0
