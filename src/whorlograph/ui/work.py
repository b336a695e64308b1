"""Long work beside the screen: run in a thread, told in messages, stopped when asked."""

from __future__ import annotations

from collections.abc import Callable, Generator
from threading import Event
from typing import Any, NamedTuple

from textual.message import Message
from textual.screen import Screen

from whorlograph.model.errors import Stopped

Job = Callable[[], Generator[object, None, Any]]


class Worked(Message):
    """A piece of work came to its end: what it was called, and its result or the error that ended it."""

    def __init__(self, what: str, result: object, error: BaseException | None = None) -> None:
        super().__init__()
        self.what, self.result, self.error = what, result, error


class Working(Message):
    """How far a piece of work has come: words, or a stage to look at. What is newer replaces older words, never a stage with a session."""

    def __init__(self, what: str, told: object) -> None:
        super().__init__()
        self.what, self.told = what, told

    def can_replace(self, message: Message) -> bool:
        """Whether a newer message makes this one needless."""
        return isinstance(message, Working) and message.what == self.what and getattr(self.told, "session", None) is None


class _Waiting(NamedTuple):
    """A job that begins once the one at work has given way."""

    what: str
    job: Job
    ends_itself: bool
    beside: bool


class Work:
    """Runs one thing at a time beside a screen."""

    def __init__(self, screen: Screen[None]) -> None:
        self.screen = screen
        self.running = ""
        self._beside = False
        self._next: _Waiting | None = None
        self._stop = Event()

    def asked_to_stop(self) -> bool:
        """Whether the running job has been asked to stop: for jobs that end by themselves and keep what they have."""
        return self._stop.is_set()

    @property
    def told(self) -> str:
        """The job that somebody waits for; "" where none is, or one that goes on quietly."""
        return "" if self._beside else self.running

    def start(self, what: str, job: Job, ends_itself: bool = False, beside: bool = False) -> bool:
        """Begin a job; False where another one still runs, or one that somebody waits for is about to begin.

        The job yields its progress: words, or a stage to look at.

        Args: ends_itself: it looks at the stop by itself and keeps what it has; beside: it goes on quietly, and gives way to any other.
        """
        if self.running:
            if not self._beside or (self._next is not None and not self._next.beside):
                return False
            self._next = _Waiting(what, job, ends_itself, beside)
            self._stop.set()
            return True
        self.running, self._beside = what, beside
        self._stop.clear()
        self.screen.run_worker(lambda: self._run(what, job, ends_itself), thread=True, exclusive=False, exit_on_error=False, name=what)
        return True

    def go_on(self) -> None:
        """Begin the job that another gave way to."""
        if self._next is not None and not self.running:
            waiting, self._next = self._next, None
            self.start(waiting.what, waiting.job, waiting.ends_itself, waiting.beside)

    def stop(self) -> bool:
        """Ask the running job to stop; whether there was one that somebody waits for."""
        self._stop.set()
        self._next = None
        return bool(self.told)

    def _run(self, what: str, job: Job, ends_itself: bool) -> None:
        work = job()
        result: object = None
        error: BaseException | None = None
        try:
            while True:
                told = next(work)
                if self._stop.is_set() and not ends_itself:
                    work.close()
                    break
                self.screen.post_message(Working(what, told))
        except StopIteration as done:
            result = done.value
        except Stopped:
            result = None
        except Exception as problem:
            error = problem
        self.running = ""
        self.screen.post_message(Worked(what, result, error))
