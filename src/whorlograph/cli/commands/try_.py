"""``whorlograph try``."""

from __future__ import annotations

from pathlib import Path

import click

from whorlograph.cli.options import FILE, TagType, given, program_options
from whorlograph.cli.saying import note, say
from whorlograph.cli.telling import telling
from whorlograph.model.errors import UsageError


@click.command(name="try")
@program_options
@click.argument("rest", nargs=-1, metavar="LOG... TAG", type=TagType(files=True))
@click.option("--hold", "holds", multiple=True, metavar="T=V[@FROM..UNTIL]", help="An input held at a value, whatever the log says.")
@click.option("--force", "forces", multiple=True, metavar="T=V[@FROM..UNTIL]", help="A tag kept at a value, whatever writes it.")
@click.option("--program", "other", type=FILE, help="Through this program instead.")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, rest: tuple[str, ...],
            holds: tuple[str, ...], forces: tuple[str, ...], other: Path | None, as_json: bool) -> int:
    """Replay the LOGs again with something changed: what differs, from when on, and TAG's course in both runs."""
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text
    from whorlograph.desk.trial import read_hold, tried_json, tried_text, try_out
    from whorlograph.engine.feed import Trial

    if len(rest) < 2:
        raise UsageError("", "a log and a tag are needed", "write whorlograph try PROGRAM LOG --hold Stop=1 TAG")
    *logs, name = rest
    paths = given(program, tuple(Path(p) for p in logs), io_list, profile, resource)
    session = telling(load(paths, plain, asked=name))
    trial = Trial(tuple(read_hold(session, h, "--hold") for h in holds), (), tuple(read_hold(session, f, "--force") for f in forces))
    for hold, text in zip(trial.holds, holds, strict=True):
        if hold.tag in session.controller.written:
            raise UsageError("--hold", f"{text.partition('=')[0]} is written by the program, no input", "write --force instead")
    if not holds and not forces and other is None:
        raise UsageError("", "nothing is changed", "give --hold, --force or --program")
    second = load(given(other, paths.logs, io_list, profile, resource), plain) if other is not None else None
    tried = try_out(session, session.tag(name), trial, second)
    if as_json:
        say(json_text(tried_json(tried)))
        return 0
    what = [f"{h} held" for h in holds] + [f"{f} forced" for f in forces] + ([f"the program {other.name}"] if other is not None else [])
    say(tried_text(session, tried, ", ".join(what)))
    note(session.notices)
    return 0
