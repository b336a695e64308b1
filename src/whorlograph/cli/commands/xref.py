"""``whorlograph xref``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import TagType, given, program_options
from whorlograph.cli.saying import note, say
from whorlograph.model.errors import UsageError


@click.command()
@program_options
@click.argument("tag", required=False, type=TagType())
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
@click.option("--csv", "as_csv", is_flag=True, help="As CSV, one line a use.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, tag: str | None, as_json: bool,
            as_csv: bool) -> int:
    """Where TAG of PROGRAM is read and written, how, and what hangs on it; without TAG, all tags."""
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import entries_csv, entries_text, entry_dict, entry_text, json_text, xref_of

    if as_json and as_csv:
        raise UsageError("", "--json and --csv are both given", "give one of them")
    session = load(given(program, (), io_list, profile, resource), plain)
    xref = xref_of(session)
    if tag is not None:
        entry = xref.entry(session.tag(tag))
        say(json_text(entry_dict(session, entry)) if as_json else entries_csv([entry]).rstrip() if as_csv else entry_text(session, entry))
    else:
        entries = xref.entries()
        say(json_text([entry_dict(session, e) for e in entries]) if as_json else entries_csv(entries).rstrip() if as_csv
                   else entries_text(entries))
    note(session.notices)
    return 0
