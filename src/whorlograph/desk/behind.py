"""Work done in a thread of its own, in order, while the one that hands it over goes on."""

from __future__ import annotations

from collections.abc import Callable
from queue import Queue
from threading import Thread
from types import TracebackType


class Behind:
    """Does what it is given, one after another; one piece waits at most, so that memory stays bounded.

    What goes wrong there is raised where the next piece is handed over, or at the end; what was still waiting is not done then.
    """

    def __init__(self) -> None:
        self._waiting: Queue[Callable[[], None] | None] = Queue(1)
        self._wrong: list[Exception] = []
        self._thread = Thread(target=self._work)
        self._thread.start()

    def do(self, work: Callable[[], None]) -> None:
        """Hand over a piece of work."""
        self._waiting.put(work)
        if self._wrong:
            raise self._wrong[0]

    def _work(self) -> None:
        while (work := self._waiting.get()) is not None:
            if self._wrong:
                continue
            try:
                work()
            except Exception as error:
                self._wrong.append(error)

    def __enter__(self) -> Behind:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._waiting.put(None)
        self._thread.join()
        if self._wrong and error is None:
            raise self._wrong[0]
