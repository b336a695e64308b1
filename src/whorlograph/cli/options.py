"""Options that several commands share."""

from __future__ import annotations

import os
import shlex
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem

    from whorlograph.desk.session import Paths

F = TypeVar("F", bound=Callable[..., Any])

FILE = click.Path(path_type=Path)
_LIBRARIES = "whorlograph.libraries"


def offered(name: str) -> str:
    """A name as the shell may put it on the line: bash takes it as it stands and would run what it holds; zsh and fish quote by themselves."""
    if not os.environ.get("_WHORLOGRAPH_COMPLETE", "").startswith("bash"):
        return name
    # The script that bash runs reads lines with ``read``, which takes one backslash of each pair away.
    return shlex.quote(name).replace("\\", "\\\\")


class TagType(click.ParamType):  # type: ignore[type-arg]
    """A tag's name; completion knows the tags of the program given before it. ``files``: files may stand there too."""

    name = "tag"

    def __init__(self, files: bool = False) -> None:
        self.files = files

    def shell_complete(self, ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        """The tags that begin like what is typed."""
        from click.shell_completion import CompletionItem

        found = [CompletionItem(incomplete, type="file")] if self.files else []
        program = ctx.params.get("program")
        if program is not None:
            with suppress(Exception):  # completion stays silent, whatever the file is
                from whorlograph.desk.session import Paths, load

                running = load(Paths(Path(program))).running
                names = (t.name for t in running.tags[:running.public] if t.listed)
                found += [CompletionItem(offered(n)) for n in names if n.lower().startswith(incomplete.lower())]
        return found


def _remember(ctx: click.Context, _: click.Parameter, value: tuple[Path, ...]) -> None:
    ctx.meta[_LIBRARIES] = value


def given(program: Path, logs: tuple[Path, ...], io_list: Path | None, profile: Path | None, resource: str) -> Paths:
    """The files of the command that runs, libraries of blocks included."""
    from whorlograph.desk.session import Paths

    return Paths(program, logs, io_list, profile, resource, libraries=click.get_current_context().meta.get(_LIBRARIES, ()))


def program_options(command: F) -> F:
    """PROGRAM, --io-list, --profile, --resource, --library, --plain."""
    for option in (
        click.option("--plain", is_flag=True, help="Use the slow reference engine."),
        click.option("--library", type=FILE, multiple=True, expose_value=False, callback=_remember,
                     help="Blocks and functions that the program calls and does not hold (.st)."),
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
