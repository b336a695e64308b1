"""``whorlograph demo``."""

from __future__ import annotations

import textwrap
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
@click.option("--hands-on", is_flag=True, help="Operate it yourself: its machine answers, nobody else is there.")
@click.option("--story", is_flag=True, help="Tell what the case teaches, without the application.")
@screen_options
def command(case: str, as_list: bool, hands_on: bool, story: bool, palette: str, ascii_: bool) -> int:
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
    if story:
        say("\n\n".join([f"{one.title}. {one.complaint}", *(textwrap.fill(part, 96) for part in one.teach)]))
        return 0

    def load() -> tuple[Session, Question | None]:
        from whorlograph.desk.session import Paths, load
        from whorlograph.model.question import Question, Symptom

        if hands_on:
            from whorlograph.plant.hands_on import machines

            session = load(Paths(one.program, (), one.iolist, one.profile, title=one.title))
            session.plant, session.begin_bench = machines().get(case), True  # where there is none, nothing answers an output
            return session, Question(session.tag(one.tag))
        session = load(Paths(one.program, (one.log,), one.iolist, one.profile, title=one.title))
        at = round(one.at * 1e9) if one.at is not None else None
        return session, Question(session.tag(one.tag), at, Symptom(one.symptom) if one.symptom else None)

    from whorlograph.desk.ahead import ahead

    begun = load if hands_on else ahead(load, one.program, one.log, one.iolist, one.profile)  # a machine stays in its process
    from whorlograph.ui.app import run
    from whorlograph.ui.first import Opening

    run(Opening(one.title, f"{one.program.name}, {one.log.name}", begun), palette, ascii_, resume=False)
    return 0
