"""``whorlograph open``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from whorlograph.cli.options import FILE, given, program_options, screen_options
from whorlograph.formats.beside import refuse_inputs
from whorlograph.model.errors import InputError, UsageError
from whorlograph.model.question import Symptom

if TYPE_CHECKING:
    from whorlograph.desk.session import Session
    from whorlograph.model.question import Question


@click.command()
@program_options
@click.argument("logs", type=FILE, nargs=-1)
@click.option("--tag", help="Ask why of this tag at once.")
@click.option("--at", help="Ask about this moment: 14:03:22.15, 12.5, @ and the log's own seconds.")
@click.option("--symptom", type=click.Choice([s.value for s in Symptom]), help="Which question, where it is not the one that fits best.")
@click.option("--against", type=FILE, help="Compare with this other revision of the program at once.")
@click.option("--suggest-profile", is_flag=True, help="Print a profile for the logs instead of opening them.")
@click.option("--job", type=FILE, help="Keep marks, notes and the walk in this file (.json), and take it up from there.")
@screen_options
def command(program: Path, io_list: Path | None, profile: Path | None, resource: str, plain: bool, logs: tuple[Path, ...],
            tag: str | None, at: str | None, symptom: str | None, against: Path | None, suggest_profile: bool, job: Path | None, palette: str,
            ascii_: bool) -> int:
    """Open the application on PROGRAM and its LOGs."""
    _check(program, io_list, profile, *logs, against)
    paths = given(program, logs, io_list, profile, resource)
    if suggest_profile:
        from whorlograph.desk.columns import suggested

        click.echo(suggested(paths), nl=False)
        return 0
    if job is not None:
        if job.suffix.lower() != ".json":
            raise UsageError(str(job), f"{job.suffix or 'no suffix'} is no format of jobs", "end the name in .json")
        refuse_inputs(job, [p for p in (program, io_list, profile, *logs) if p is not None])

    def loaded(columns: dict[str, str] | None) -> tuple[Session, Question | None]:
        """The session. Args: columns: which of the log's is which, as it was answered; None: nobody was asked."""
        from whorlograph.desk.columns import kept_columns, unbound, with_columns
        from whorlograph.desk.job import jobs_folder
        from whorlograph.desk.session import load
        from whorlograph.model.question import Question
        from whorlograph.model.times import parse_moment

        known = kept_columns(paths, jobs_folder(), job) if columns is None and logs else columns
        session = load(with_columns(paths, known or {}, jobs_folder()), plain, head=True)
        doubt = unbound(session) if columns is None else None
        if doubt is not None:
            raise doubt
        number = session.tag(tag) if tag else session.first_output()
        session.begin_odd = not tag and bool(logs) and against is None
        session.begin_against = against
        moment = parse_moment(at, session.log) if at else None
        return session, Question(number, moment, Symptom(symptom) if symptom else None) if number is not None else None

    from whorlograph.desk.ahead import ahead

    def load() -> tuple[Session, Question | None]:
        return loaded(None)

    begun = ahead(load, program, io_list, profile, *logs)
    from whorlograph.ui.app import run
    from whorlograph.ui.first import Opening

    asked = bool(tag or at or symptom)
    run(Opening(program.stem, ", ".join(p.name for p in (program, *logs)), begun, loaded), palette, ascii_, resume=not asked, job=job)
    return 0


_LOGS = 3  # the program, its list of points and its profile stand before them


def _check(*paths: Path | None) -> None:
    """Look at the files before the screen is taken: what is missing, empty or no program shows at once.

    Raises: InputError for such a file.
    """
    for number, path in enumerate(paths):
        if path is None:
            continue
        try:
            with path.open("rb") as file:
                head = file.read(4096)
        except OSError as error:
            nowhere = number >= _LOGS and isinstance(error, FileNotFoundError)
            remedy = "check the name; a tag is asked about by --tag" if nowhere else "check the name and the rights"
            raise InputError(str(path), f"cannot be opened ({error.strerror or error})", remedy) from error
        if not head.strip():
            raise InputError(str(path), "the file is empty", "give another file")
        marked = head[:2] in (b"\xff\xfe", b"\xfe\xff") or head.removeprefix(b"\xef\xbb\xbf").lstrip().startswith(b"<")
        if number == 0 and path.suffix.lower() != ".st" and not marked:
            raise InputError(f"{path}:1", "not well-formed XML, so no program", "export the program as IEC 61131-10 XML")
