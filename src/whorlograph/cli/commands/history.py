"""``whorlograph history``."""

from __future__ import annotations

import sys
import time
from contextlib import suppress
from pathlib import Path

import click

from whorlograph.cli.options import FILE, given, program_options
from whorlograph.cli.saying import say


@click.command()
@program_options
@click.argument("folder", type=FILE)
@click.option("--tag", "tags", multiple=True, help="Every drop-out of this output; may be given several times. By default: what was odd.")
@click.option("--store", type=FILE, help="Where results are kept; by default in the state folder, one file for each folder of logs.")
@click.option("--processes", type=int, default=0, help="How many at once; by default as many as there are processors.")
@click.option("--cluster", default="", help="The scheduler of a Dask cluster that runs already: tcp://HOST:8786.")
@click.option("--out", type=FILE, help="The ranked bar chart on paper (.svg or .pdf).")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, folder: Path, tags: tuple[str, ...],
            store: Path | None, processes: int, cluster: str, out: Path | None, as_json: bool) -> int:
    """What stopped a machine over the many logs in FOLDER: which root how often and for how long, since when, getting worse."""
    from hashlib import sha256

    import platformdirs

    from whorlograph.desk.history.look import Work
    from whorlograph.desk.history.run import Step, history, logs_in
    from whorlograph.desk.history.store import Store
    from whorlograph.desk.history.told import history_json, history_lines, history_pages, together
    from whorlograph.desk.session import load
    from whorlograph.desk.tables import json_text
    from whorlograph.drawing.paper import write_picture

    paths = given(program, (), io_list, profile, resource)
    session = load(paths, ahead=False)  # what is wrong with the program or a tag is said before anything is replayed
    names = tuple(session.running.tags[session.tag(t)].name for t in tags)
    logs = [p for p in logs_in(folder) if p.resolve() not in {q.resolve() for q in paths.inputs}]
    work = Work(str(program.resolve()), str(io_list.resolve()) if io_list else "", str(profile.resolve()) if profile else "", resource,
                tuple(str(p.resolve()) for p in paths.libraries), names)
    name = f"{sha256(str(folder.resolve()).encode()).hexdigest()[:16]}.sqlite"
    place = store or Path(platformdirs.user_state_dir("whorlograph")) / "history" / name
    kept, due, found = Store(place), time.monotonic() + 3, together(())
    try:
        for step in history(work, [p.resolve() for p in logs], kept, cluster, processes):
            if not isinstance(step, Step):
                found = together(step)
            elif time.monotonic() > due:
                due = time.monotonic() + 10
                with suppress(OSError, ValueError):
                    said = f"{step.done} of {step.of} logs, {step.known} of them known; Ctrl+C stops, the next run goes on"
                    print(said, file=sys.stderr, flush=True)
    finally:
        kept.close()
    if out is not None:
        write_picture(history_pages(found, session.paths.title or session.program.name), out, "history", (program, *logs))
    say(json_text(history_json(found)) if as_json else "\n".join(history_lines(found)))
    return 0
