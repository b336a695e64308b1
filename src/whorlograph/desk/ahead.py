"""Loading, replaying and asking in a second process, while this one still imports what its screen is made of.

On two processors that takes a fifth off the time to the first answer (docs/decisions/003-a-process-ahead.md).
"""

from __future__ import annotations

import gc
import os
import select
import signal
import time
from collections.abc import Callable
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from whorlograph.model.question import Question

    from .session import Session

    Loaded = tuple[Session, Question | None]

PATIENCE = 20.0  # seconds after which the work is done here instead
MOST = 8 << 20  # bytes of files: of longer ones the replay is worth looking at before it is done


def ahead(load: Callable[[], Loaded], *files: Path | None) -> Callable[[], Loaded]:
    """The same as ``load``, with the work begun at once in a second process where that pays.

    To be called before any thread holds a lock. Whatever goes wrong there is done again, and said, here.
    Args: files: what will be read.
    """
    if not _pays(files):
        return load
    gc.disable()  # imports make tens of thousands of objects that stay; the end of loading turns it on again
    reading, writing = os.pipe()
    parent, child = os.getpid(), os.fork()
    if not child:
        os.close(reading)
        _work(load, writing, lambda: os.getppid() != parent)
    os.close(writing)

    def result() -> Loaded:
        from . import asking, session  # noqa: F401 -- what comes is made of these: import them meanwhile

        with os.fdopen(reading, "rb") as pipe:
            ready = select.select([pipe], [], [], PATIENCE)[0]
            if not ready:
                os.kill(child, signal.SIGKILL)
            data = pipe.read() if ready else b""
        os.waitpid(child, 0)
        return _taken(data) if data else load()

    return result


def _pays(files: tuple[Path | None, ...]) -> bool:
    processors = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    if not hasattr(os, "fork") or processors < 2:
        return False
    try:
        return all(path is None or path.is_file() for path in files) and sum(p.stat().st_size for p in files if p is not None) < MOST
    except OSError:
        return False


def _work(load: Callable[[], Loaded], writing: int, alone: Callable[[], bool]) -> None:
    """What the second process does; it never comes back, leaves the terminal alone, and does not go on where nobody waits for it."""
    try:
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        nothing = os.open(os.devnull, os.O_RDWR)
        for number in (0, 1, 2):
            os.dup2(nothing, number)
        Thread(target=_until_alone, args=(alone,), daemon=True).start()
        os.nice(5)  # the first frame goes first; on a busy machine this one still comes on
        data = _handed(*load(), alone)
        with os.fdopen(writing, "wb") as pipe:
            pipe.write(data)
        from whorlograph.engine.kept import finish_writing

        finish_writing()
    finally:
        os._exit(0)


def _until_alone(alone: Callable[[], bool]) -> None:
    """Ends the second process with the first, however that ended."""
    while not alone():
        time.sleep(0.2)
    os._exit(0)


def _handed(session: Session, question: Question | None, stop: Callable[[], bool]) -> bytes:
    import pickle

    from .stages import stages

    for _ in stages(session, question, stop):
        pass
    return pickle.dumps((session, question), pickle.HIGHEST_PROTOCOL)


def _taken(data: bytes) -> Loaded:
    """What the second process made of the files: our own program wrote it a moment ago, nobody else can."""
    import pickle

    try:
        found: Loaded = pickle.loads(data)
    finally:
        gc.freeze()
        gc.enable()
    return found
