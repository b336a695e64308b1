"""``whorlograph completion``."""

from __future__ import annotations

import click

SHELLS = ("bash", "zsh", "fish")


@click.command()
@click.argument("shell", type=click.Choice(SHELLS))
def command(shell: str) -> int:
    """Print what completes commands, options, files and tags in SHELL: eval "$(whorlograph completion bash)"."""
    from click.shell_completion import get_completion_class

    from whorlograph.cli.main import cli

    kind = get_completion_class(shell)
    assert kind is not None
    click.echo(kind(cli, {}, "whorlograph", "_WHORLOGRAPH_COMPLETE").source())
    return 0
