"""``whorlograph man``."""

from __future__ import annotations

import click

from whorlograph.cli.saying import say


@click.command()
def command() -> int:
    """Print the manual page: whorlograph man | man -l -."""
    from whorlograph import __version__
    from whorlograph.cli.commands import COMMANDS
    from whorlograph.cli.main import cli
    from whorlograph.model.registry import resolve

    lines = [f'.TH WHORLOGRAPH 1 "" "whorlograph {__version__}" "User Commands"', ".SH NAME",
             "whorlograph \\- why a controller's output is off, from its program and the recorded log", ".SH SYNOPSIS",
             ".B whorlograph", "COMMAND [ARGUMENTS]", ".SH DESCRIPTION", _plain(cli.help or ""), ".SH COMMANDS"]
    for name, (entry, _) in COMMANDS.items():
        one: click.Command = resolve(entry)
        context = click.Context(one, info_name=f"whorlograph {name}")
        lines += [f'.SS "{_plain(" ".join([f"whorlograph {name}", *one.collect_usage_pieces(context)]))}"', _plain(one.help or "")]
        for parameter in one.get_params(context):
            record = parameter.get_help_record(context)
            if record is not None:
                lines += [".TP", f".B {_plain(record[0])}", _plain(record[1])]
    lines += [".SH EXIT STATUS", ".TP", "0", "done", ".TP", "1", "done, and something was found (a mismatch between log and program)",
              ".TP", "2", "wrong use or unreadable input, with one line that names file, place and remedy", ".SH FILES",
              "whorlograph paths prints them."]
    say("\n".join(lines))
    return 0


def _plain(text: str) -> str:
    """Text that roff takes as it is."""
    text = " ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{text}" if text[:1] in (".", "'") else text
