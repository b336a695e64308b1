"""What commands print: the one way to standard output and error, with nothing in it that a terminal would obey."""

from __future__ import annotations

from collections.abc import Iterable

import click

from whorlograph.model.shown import visible, visible_lines


def say(text: str) -> None:
    """Print lines."""
    click.echo(visible_lines(text))


def note(notices: Iterable[object]) -> None:
    """Print what was set aside, a line each, on standard error."""
    for notice in notices:
        click.echo(f"note: {visible(str(notice))}", err=True)
