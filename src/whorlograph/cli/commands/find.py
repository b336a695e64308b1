"""``whorlograph find``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import say
from whorlograph.cli.telling import telling
from whorlograph.model.errors import UsageError


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1, required=True)
@click.argument("condition")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...], condition: str,
            as_json: bool) -> int:
    """When CONDITION holds in the LOGs: a tag, or like "Pump = 0 and Raise_Req", "East_Down_LS falls for < 50ms"."""
    from whorlograph.desk.finding import find
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import found_text, json_text

    session = telling(load(given(program, logs, io_list, profile, resource), plain))
    found = find(session, condition)
    if not found.times:
        raise UsageError(f"condition {condition!r}", found.wrong.partition(";")[0] or "it names no tag",
                         "write it like: Pump = 0 and Raise_Req, or East_Down_LS falls for < 50ms")
    if as_json:
        say(json_text([{"t": s / 1e9, "until": e / 1e9 if e >= 0 else None} for s, e in zip(found.starts, found.ends, strict=True)]))
    else:
        say(found_text(session, found))
    return 0
