"""``whorlograph cycles``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import say
from whorlograph.cli.telling import telling


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1, required=True)
@click.option("--start", default="", help="What a cycle begins with: a tag, or a condition (Step = 10); by default it is proposed.")
@click.option("--out", type=click.Path(path_type=Path), help="The whorl on paper, one turn a cycle (.svg or .pdf).")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...], start: str,
            out: Path | None, as_json: bool) -> int:
    """One machine cycle of the LOGs beside the other: the odd one, and what grows."""
    from whorlograph.desk.cycles import cycles_json, cycles_lines, find_cycles
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text

    session = telling(load(given(program, logs, io_list, profile, resource), plain))
    found = find_cycles(session, start)
    if out is not None:
        from whorlograph.desk.cycles_paper import write_cycles

        write_cycles(session, found, out)
    say(json_text(cycles_json(session, found)) if as_json else "\n".join(cycles_lines(session, found)))
    return 0
