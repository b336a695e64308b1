"""``whorlograph paths``."""

from __future__ import annotations

import click

from whorlograph.cli.saying import say


@click.command()
def command() -> int:
    """Where Whorlograph keeps its files: jobs, notes of its own mistakes, compiled programs."""
    from pathlib import Path

    import platformdirs

    from whorlograph.desk.job import jobs_folder

    state, cache = Path(platformdirs.user_state_dir("whorlograph")), Path(platformdirs.user_cache_dir("whorlograph"))
    for what, path in (("jobs (marks, notes, the walk)", jobs_folder()), ("mistakes of ours, written down", state / "faults"),
                       ("compiled programs, may be deleted", cache / "modules")):
        say(f"{what:<36} {path}")
    return 0
