"""Options that several commands share."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import click

F = TypeVar("F", bound=Callable[..., Any])

FILE = click.Path(path_type=Path)


def program_options(command: F) -> F:
    """PROGRAM, --io-list, --profile, --resource, --plain."""
    for option in (
        click.option("--plain", is_flag=True, help="Use the slow reference engine."),
        click.option("--resource", default="", help="Which resource runs, where there are several."),
        click.option("--profile", type=FILE, help="What the program does not say about its controller (TOML)."),
        click.option("--io-list", "io_list", type=FILE, help="Devices, terminals and wiring (CSV)."),
        click.argument("program", type=FILE),
    ):
        command = option(command)
    return command


def screen_options(command: F) -> F:
    """--theme and --mono, --ascii."""
    for option in (
        click.option("--ascii", "ascii_", is_flag=True, help="Draw with ASCII characters only."),
        click.option("--mono", "palette", flag_value="mono", help="One colour."),
        click.option("--theme", "palette", default="dark", type=click.Choice(["dark", "light", "contrast", "mono"]), help="Colours."),
    ):
        command = option(command)
    return command
