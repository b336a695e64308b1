"""The command line: finds the command, runs it, turns errors into one line and an exit status."""

from __future__ import annotations

import errno
import os
import sys
from contextlib import suppress
from io import TextIOWrapper
from typing import Any

import click

from whorlograph import __version__
from whorlograph.model.errors import WhorlographError
from whorlograph.model.registry import resolve
from whorlograph.model.shown import visible

from .commands import COMMANDS
from .stopping import stop_at_once


class _Commands(click.Group):
    """Imports a command's module only when that command is asked for."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        entry = COMMANDS.get(cmd_name)
        if entry is None:
            return None
        command: click.Command = resolve(entry[0])
        return command

    def resolve_command(self, ctx: click.Context, args: list[str]) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from difflib import get_close_matches

            near = get_close_matches(args[0], COMMANDS, 1)
            hint = f"did you mean {near[0]}?" if near else "whorlograph --help lists the commands"
            raise click.UsageError(f"no command is called {args[0]}: {hint}", ctx)
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, entry[1]) for name, entry in COMMANDS.items()])


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="whorlograph")
def cli() -> None:
    """Why a controller's output is off: from the program and the recorded log to the device and its terminal."""


def main(argv: list[str] | None = None) -> None:
    """Run a command and leave with its exit status (DESIGN section 7): 0 done, 1 found something, 2 cannot."""
    # Nothing here multiplies matrices: without its threads numpy loads in two thirds of the time.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    if sys.stdout is None and "--out" not in (argv or sys.argv):
        _complain("standard output is closed: open it, or give --out")
        sys.exit(2)
    try:
        status: Any = cli.main(argv, prog_name="whorlograph", standalone_mode=False)
    except click.exceptions.NoArgsIsHelpError as error:
        click.echo(error.ctx.get_help() if error.ctx else "")
        sys.exit(0)
    except click.ClickException as error:
        _complain(error.format_message())
        sys.exit(2)
    except click.Abort:
        sys.exit(2)
    except WhorlographError as error:
        _complain(error.line())
        sys.exit(error.exit_status)
    except BrokenPipeError:
        sys.exit(0)
    except OSError as error:
        if not _full(error):
            _complain(_filed())
        sys.exit(2)
    except Exception:
        _complain(_filed())
        sys.exit(2)
    sys.exit(status if isinstance(status, int) else 0)


def _complain(line: str) -> None:
    with suppress(OSError, ValueError):
        click.echo(f"whorlograph: {visible(' '.join(line.split()))}", err=True)


def _full(error: OSError) -> bool:
    """Say that standard output takes nothing more, where that is what went wrong."""
    found = error.errno in (errno.ENOSPC, errno.EIO, errno.EBADF, errno.EFBIG, errno.EDQUOT)
    if found:
        _complain(f"standard output cannot be written ({error.strerror}): give --out or another place")
    return found


def _filed() -> str:
    """File the traceback of our own mistake; the one line that says where."""
    import datetime as dt
    import traceback
    from pathlib import Path

    import platformdirs

    folder = Path(platformdirs.user_state_dir("whorlograph")) / "faults"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / f"{dt.datetime.now():%Y%m%d-%H%M%S}.txt"
        path.write_text(traceback.format_exc(), encoding="utf-8")
    except OSError:
        return f"a mistake of ours ({sys.exc_info()[1]!r}): please report it"
    return f"a mistake of ours ({sys.exc_info()[1]!r}), written down in {path}: please report it with that file"


def run() -> None:
    """The command as a process: leaves at once, without taking a million objects apart that nobody needs again."""
    status: object = 0
    stop_at_once()
    try:
        main()
    except SystemExit as leaving:
        status = leaving.code
    if isinstance(status, str):
        _complain(status)
    if type(sys.stdout).__name__.endswith("PacifyFlushWrapper"):  # what click puts there
        status = 0  # who read it has seen enough
    number = status if isinstance(status, int) else 0 if status is None else 2
    try:
        if sys.stdout is not None:
            sys.stdout.flush()
    except BrokenPipeError:
        pass  # who read it has seen enough
    except OSError as error:
        _full(error)
        number = 2
    with suppress(OSError, AttributeError):
        sys.stderr.flush()
    os._exit(number)


if __name__ == "__main__":
    run()
