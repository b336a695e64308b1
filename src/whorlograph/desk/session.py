"""A session: a program, its logs, I/O list and profile loaded; replayed when asked."""

from __future__ import annotations

import gc
from collections.abc import Callable, Generator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from hashlib import sha256
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from whorlograph.engine.controller import Controller, Progress
from whorlograph.engine.coupling import Coupled
from whorlograph.engine.feed import Trial, feed_notices
from whorlograph.engine.journal import Journal
from whorlograph.engine.kept import name_of, put_later, take, write_waiting
from whorlograph.formats.decoding import unpacked
from whorlograph.formats.iolist import read_iolist
from whorlograph.formats.packing import PACKED
from whorlograph.formats.profile import read_profile
from whorlograph.formats.programs import read_program
from whorlograph.formats.programs.library import with_libraries
from whorlograph.model.errors import UsageError
from whorlograph.model.iolist import IoList
from whorlograph.model.limits import MOST_PROGRAM
from whorlograph.model.log import Log, empty_log
from whorlograph.model.place import Loaded, Notice
from whorlograph.model.profile import Profile
from whorlograph.model.program import Program
from whorlograph.model.tags import Running
from whorlograph.model.types import Family

from .bit_tags import with_bit
from .kept_logs import read_or_take

if TYPE_CHECKING:
    from whorlograph.inquiry.cycles.found import Cycles
    from whorlograph.inquiry.findings.facts import Finding
    from whorlograph.inquiry.noted import Now
    from whorlograph.inquiry.odd import OddOnes
    from whorlograph.inquiry.search import Search
    from whorlograph.inquiry.trail import Answer
    from whorlograph.inquiry.usual import Drop
    from whorlograph.inquiry.why import Inquiry
    from whorlograph.inquiry.xref import Xref
    from whorlograph.model.question import Question


WORTH = 100_000  # bytes of a program file from which on it is worth keeping what was read
LONG, HEAD = 8 << 20, 1 << 20  # bytes of logs that are read in two stages, and of their start


def silent(progress: Progress) -> None:
    """Nothing is said of a replay's progress."""


@dataclass
class Session:
    """Everything that an answer rests on.

    ``files_notices`` and ``log_notices`` say what of it was set aside; ``told`` is handed a replay's progress.
    """

    controller: Controller
    log: Log
    iolist: IoList
    files_notices: list[Notice]
    paths: Paths
    log_notices: list[Notice] = field(default_factory=list)
    _journal: Journal | None = None
    inquiry: Inquiry | None = None
    xref: Xref | None = None
    words: list[str] | None = None
    search: Search | None = None
    answers: dict[Question, Answer] = field(default_factory=dict)
    drops: dict[int, list[Drop]] = field(default_factory=dict)
    findings: list[Finding] | None = None
    now: Now | None = None
    odd: OddOnes | None = None
    odd_known: bool = False
    cycles: Cycles | None = None
    cycles_wrong: str = ""  # why there are none
    begin_odd: bool = False
    plant: Callable[[], Coupled] | None = None  # makes a machine that answers, for the bench without a log
    begin_bench: bool = False
    begin_against: Path | None = None  # another revision that it is compared with first
    told: Callable[[Progress], None] = silent

    def __getstate__(self) -> dict[str, Any]:
        """What another process needs of it: what is worked out quickly stays here."""
        return self.__dict__ | {"inquiry": None, "xref": None, "search": None, "told": silent, "drops": {}, "findings": None, "odd": None,
                                "odd_known": False, "cycles": None, "plant": None}

    @property
    def program(self) -> Program:
        """The program as loaded."""
        return self.controller.program

    @property
    def profile(self) -> Profile:
        """The profile in force."""
        return self.controller.profile

    @property
    def running(self) -> Running:
        """Tags and instances."""
        return self.controller.running

    @property
    def journal(self) -> Journal:
        """The replay of the log, made at the first asking."""
        if self._journal is None:
            self._journal = self.controller.replay(self.log, told=self.told)
        return self._journal

    @property
    def replayed(self) -> bool:
        """Whether the log has been replayed."""
        return self._journal is not None

    @property
    def notices(self) -> list[Notice]:
        """What was set aside of all files."""
        return self.files_notices + self.log_notices

    def take(self, journal: Journal) -> None:
        """Take a replay of the log as far as it goes; of a part of the log it is a part."""
        journal.complete = journal.complete and self.log.complete
        self._journal, self.inquiry, self.search, self.answers, self.drops = journal, None, None, {}, {}
        self.findings = self.odd = self.cycles = None
        self.odd_known = False

    def with_journal(self, journal: Journal) -> Session:
        """The same session as far as a replay has come."""
        found = replace(self, xref=None)
        found.take(journal)
        return found

    def replay(self, trial: Trial, until: int | None = None) -> Journal:
        """Replay the log with something changed."""
        return self.controller.replay(self.log, trial, until, told=self.told)

    def first_output(self) -> int | None:
        """The output to ask about where none is named: the first BOOL at %Q that is written, else the first there, else the first written."""
        tags, written = self.running.tags[:self.running.public], self.controller.written
        outputs = [t.index for t in tags if t.at_output and t.type.family is Family.BOOL]
        return next((t for t in outputs if t in written), next(iter(outputs), next(iter(sorted(written)), None)))

    def tag(self, text: str) -> int:
        """The tag that a person means.

        Raises: UsageError where none has that name, or several have.
        """
        found = self.running.find(text)
        if found is not None:
            return found
        alike = self.running.alike(text.strip().lower())
        if alike:
            names = ", ".join(self.running.tags[t].name for t in alike[:4])
            raise UsageError(self.program.file, f"{text} is the last name of {len(alike)} tags", f"write one of {names}")
        from difflib import get_close_matches

        near = get_close_matches(text.lower(), list(self.running.by_name), 3, 0.5)
        remedy = "did you mean " + " or ".join(self.running.tags[self.running.by_name[n]].name for n in near) + "?" if near else \
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
    libraries: tuple[Path, ...] = ()

    @property
    def inputs(self) -> tuple[Path, ...]:
        """All files that are read, which nothing may write."""
        return tuple(p for p in (self.program, *self.logs, self.iolist, self.profile, *self.libraries) if p is not None)


def load(paths: Paths, plain: bool = False, ahead: bool = True, head: bool = False, asked: str = "") -> Session:
    """Load the files of a session. Nothing is replayed yet.

    Args: ahead: a replay will follow: compile for it while the logs are read; head: of long logs only the start is
        read, to be looked at until ``read_on`` has read them all; asked: the tag that will be asked about, which may be a bit of a word.
    Raises: InputError for a file that cannot be read.
    """
    # Loading makes hundreds of thousands of small objects that stay: collecting garbage meanwhile costs a quarter.
    gc.disable()
    try:
        return _loaded(paths, plain, ahead, head, asked)
    finally:
        gc.freeze()
        gc.enable()
        write_waiting()


def _loaded(paths: Paths, plain: bool, ahead: bool, head: bool, asked: str) -> Session:
    profile = read_profile(paths.profile)
    source = digest(paths.program)
    program = kept_program(paths.program, source)
    _check_resource(program.value, paths)
    if paths.libraries:
        program = with_libraries(program, [read_program(path) for path in paths.libraries])
        source = sha256("\n".join((source, *map(digest, paths.libraries))).encode()).hexdigest() if source else ""
    controller = Controller(program.value, profile, paths.resource, plain, source)
    more = with_bit(program.value, controller.running, asked, controller.profile.addressing, paths.resource) if asked else None
    if more is not None:
        controller = Controller(more, profile, paths.resource, plain)
    iolist = read_iolist(paths.iolist, controller.running, controller.profile)
    notices = [*program.notices, *controller.notices, *iolist.notices]
    log = empty_log()
    log_notices: list[Notice] = []
    if paths.logs:
        if ahead:
            controller.prepare()
        most = _head(paths.logs) if head else None
        loaded = read_or_take(list(paths.logs), controller, lambda done, _: most is not None and done >= most)
        log, log_notices = loaded.value, loaded.notices
    notices += feed_notices(controller.running, profile, str(paths.profile or ""))
    return Session(controller, log, iolist.value, notices, paths, log_notices)


def _check_resource(program: Program, paths: Paths) -> None:
    known = [r.name for c in program.configurations for r in c.resources]
    if paths.resource and paths.resource.lower() not in (n.lower() for n in known):
        raise UsageError(str(paths.program), f"has no resource called {paths.resource}",
                         f"its resources are {', '.join(known)}" if known else "leave --resource out: it names none")


def kept_program(path: Path, source: str) -> Loaded[Program]:
    """A program as an earlier run has read it, else as its file gives it.

    Args: source: the digest of the file's content; "" where it cannot be known, or is not worth keeping.
    """
    import msgspec

    name = name_of("program", str(path), source)
    data = take(name, ".program") if source else None
    if data is not None:
        with suppress(msgspec.MsgspecError):
            return unpacked(data, Loaded[Program])
    loaded = read_program(path)
    if source and path.stat().st_size > WORTH:
        put_later(name, ".program", lambda: msgspec.msgpack.encode(loaded))
    return loaded


def _head(logs: tuple[Path, ...]) -> int | None:
    """Of how many bytes the start of a log consists that is too long to be read at once; None where it is not."""
    if len(logs) != 1 or not logs[0].is_file():
        return None  # the start of one of several files may lack what another says of the same time
    packing = 8 if logs[0].suffix.lower() in PACKED else 1
    return HEAD // packing if logs[0].stat().st_size > LONG // packing else None


def read_on(session: Session, stop: Callable[[], bool]) -> Generator[tuple[int, int], None, Session]:
    """Read the whole of a session's logs, of which only the start has been read; (bytes read, of how many) now and then.

    Args: stop: looked at meanwhile; what is read by then comes back, as a log that is not complete.
    """
    told: list[tuple[int, int]] = []
    found: list[Loaded[Log] | Exception] = []

    def watch(done: int, size: int) -> bool:
        told[:] = [(done, size)]
        return stop()

    def read() -> None:
        try:
            found.append(read_or_take(list(session.paths.logs), session.controller, watch))
        except Exception as error:
            found.append(error)

    thread = Thread(target=read)
    thread.start()
    while thread.is_alive():
        thread.join(0.1)
        if told:
            yield told[0]
    write_waiting()
    whole = found[0]
    if isinstance(whole, Exception):
        raise whole
    return replace(session, log=whole.value, log_notices=whole.notices, _journal=None, inquiry=None, search=None, xref=None,
                   answers={})


def digest(path: Path) -> str:
    """A digest of a file's content; "" where it cannot be read again."""
    try:
        if not path.is_file() or path.stat().st_size > MOST_PROGRAM:
            return ""
        return sha256(path.read_bytes()).hexdigest()
    except OSError:
        return ""
