"""``whorlograph compare``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import note, say
from whorlograph.cli.telling import telling


@click.command()
@program_options
@click.argument("new", type=FILE)
@click.argument("logs", nargs=-1, metavar="[LOG...]", type=FILE)
@click.option("--out", type=FILE, help="On paper, old and new side by side: FILE.pdf, .svg or .md.")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, new: Path, logs: tuple[Path, ...],
            out: Path | None, as_json: bool) -> int:
    """What differs between PROGRAM, the old one, and NEW, told apart from comments and drawing; and on the LOGs, from when on."""
    from whorlograph.desk.revisions import as_json as shown
    from whorlograph.desk.revisions import compare, text
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text
    from whorlograph.inquiry.revisions.change import Verdict

    sessions = [load(given(path, logs, io_list, profile, resource), plain) for path in (program, new)]
    found = compare(telling(sessions[0]), telling(sessions[1]))
    if out is not None:
        from whorlograph.desk.revision_paper import write_revisions

        write_revisions(found, out)
    say(json_text(shown(found)) if as_json else text(found))
    for session in sessions:
        note(session.notices)
    return 0 if found.revision.verdict is Verdict.SAME else 1
