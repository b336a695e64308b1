"""``whorlograph demo``."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from whorlograph.cli.options import screen_options
from whorlograph.cli.saying import say
from whorlograph.model.errors import UsageError

if TYPE_CHECKING:
    from whorlograph.desk.session import Session
    from whorlograph.model.question import Question


@click.command()
@click.argument("case", default="bridge")
@click.option("--list", "as_list", is_flag=True, help="Name the cases.")
@screen_options
def command(case: str, as_list: bool, palette: str, ascii_: bool) -> int:
    """Open the application on a CASE that ships with it."""
    from whorlograph.plant.catalog import cases

    known = cases()
    if as_list:
        for one in known.values():
            say(f"{one.name}: {one.title}. {one.complaint}")
        return 0
    if case not in known:
        raise UsageError("", f"no case is called {case}", f"the cases are {', '.join(known)}")
    one = known[case]

    def load() -> tuple[Session, Question | None]:
        from whorlograph.desk.session import Paths, load
        from whorlograph.model.question import Question

        session = load(Paths(one.program, (one.log,), one.iolist, one.profile, title=one.title))
        return session, Question(session.tag(one.tag))

    from whorlograph.desk.ahead import ahead

    begun = ahead(load, one.program, one.log, one.iolist, one.profile)
    from whorlograph.ui.app import run
    from whorlograph.ui.first import Opening

    run(Opening(one.title, f"{one.program.name}, {one.log.name}", begun), palette, ascii_, resume=False)
    return 0
