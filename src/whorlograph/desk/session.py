"""A session: a program, its logs, I/O list and profile loaded; replayed when asked."""

from __future__ import annotations

import gc
from collections.abc import Callable, Generator
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct

from whorlograph.engine.controller import Controller, Progress
from whorlograph.engine.journal import Journal
from whorlograph.formats.iolist import read_iolist
from whorlograph.formats.logs import read_logs
from whorlograph.formats.profile import read_profile
from whorlograph.formats.programs import read_program
from whorlograph.model.errors import UsageError
from whorlograph.model.feed import Trial, feed_notices
from whorlograph.model.iolist import IoList
from whorlograph.model.log import Log, empty_log
from whorlograph.model.place import Notice
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program
from whorlograph.model.tags import Plant
from whorlograph.model.types import Family

if TYPE_CHECKING:
    from whorlograph.inquiry.search import Search
    from whorlograph.inquiry.why import Inquiry
    from whorlograph.inquiry.xref import Xref


@dataclass
class Session:
    """Everything that an answer rests on. ``notices`` says what of it was set aside."""

    controller: Controller
    log: Log
    iolist: IoList
    notices: list[Notice]
    paths: Paths
    _journal: Journal | None = None
    inquiry: Inquiry | None = None
    xref: Xref | None = None
    words: list[str] | None = None
    search: Search | None = None

    @property
    def program(self) -> Program:
        """The program as loaded."""
        return self.controller.program

    @property
    def profile(self) -> Profile:
        """The profile in force."""
        return self.controller.profile

    @property
    def plant(self) -> Plant:
        """Tags and instances."""
        return self.controller.plant

    @property
    def journal(self) -> Journal:
        """The replay of the log, made at the first asking."""
        if self._journal is None:
            self._journal = self.controller.replay(self.log)
        return self._journal

    @property
    def replayed(self) -> bool:
        """Whether the log has been replayed."""
        return self._journal is not None

    def replaying(self, stop: Callable[[], bool] = lambda: False) -> Generator[Progress, None, None]:
        """Replay the log piece by piece, telling progress; when it is stopped, what there is by then counts."""
        if self._journal is None or not self._journal.complete:
            self._journal = yield from self.controller.replaying(self.log, stop=stop)
            self.inquiry = self.search = None

    def replay(self, trial: Trial, until: int | None = None) -> Journal:
        """Replay the log with something changed."""
        return self.controller.replay(self.log, trial, until)

    def first_output(self) -> int | None:
        """The output to ask about where none is named: the first BOOL at %Q, else the first that is written."""
        tags = self.plant.tags[:self.plant.public]
        outputs = [t.index for t in tags if t.address is not None and t.address.area == "Q" and t.type.family is Family.BOOL]
        return next(iter(outputs), next(iter(sorted(self.controller.written)), None))

    def tag(self, text: str) -> int:
        """The tag that a person means.

        Raises: UsageError where none has that name, or several have.
        """
        found = self.plant.find(text)
        if found is not None:
            return found
        alike = self.plant.alike(text.strip().lower())
        if alike:
            names = ", ".join(self.plant.tags[t].name for t in alike[:4])
            raise UsageError(self.program.file, f"{text} is the last name of {len(alike)} tags", f"write one of {names}")
        from difflib import get_close_matches

        near = get_close_matches(text.lower(), list(self.plant.by_name), 3, 0.5)
        remedy = "did you mean " + " or ".join(self.plant.tags[self.plant.by_name[n]].name for n in near) + "?" if near else \
            "whorlograph xref PROGRAM lists all tags"
        raise UsageError(self.program.file, f"no tag is called {text}", remedy)


class Paths(Struct, frozen=True):
    """The files of a session, as given."""

    program: Path
    logs: tuple[Path, ...] = ()
    iolist: Path | None = None
    profile: Path | None = None
    resource: str = ""
    title: str = ""


def load(paths: Paths, plain: bool = False, ahead: bool = True) -> Session:
    """Load the files of a session. Nothing is replayed yet.

    Args: ahead: a replay will follow: compile for it while the logs are read.
    Raises: InputError for a file that cannot be read.
    """
    # Loading makes hundreds of thousands of small objects that stay: collecting garbage meanwhile costs a quarter.
    gc.disable()
    try:
        return _loaded(paths, plain, ahead)
    finally:
        gc.freeze()
        gc.enable()


def _loaded(paths: Paths, plain: bool, ahead: bool) -> Session:
    profile = read_profile(paths.profile)
    program = read_program(paths.program)
    controller = Controller(program.value, profile, paths.resource, plain, digest(paths.program))
    iolist = read_iolist(paths.iolist, controller.plant)
    notices = [*program.notices, *controller.notices, *iolist.notices]
    log = empty_log()
    if paths.logs:
        if ahead:
            controller.prepare()
        loaded = read_logs(list(paths.logs), controller.plant, profile)
        log = loaded.value
        notices += loaded.notices
    notices += feed_notices(controller.plant, profile, str(paths.profile or ""))
    return Session(controller, log, iolist.value, notices, paths)


def digest(path: Path) -> str:
    """A digest of a file's content; "" where it cannot be read again."""
    try:
        return sha256(path.read_bytes()).hexdigest()
    except OSError:
        return ""
