"""Many logs looked at, each by itself: by the processors of this machine, or by an existing cluster. A worker that dies loses nothing."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context

from whorlograph.model.errors import UsageError

from .look import Looked, Work, look

PATIENCE = 10  # seconds until a cluster must have answered
TRIES = 2  # times that a log is given to a worker: one that takes it down twice is left out
DIED = "the process that replayed it died, twice"


def here(work: Work, logs: Sequence[str], processes: int = 0) -> Iterator[tuple[str, Looked]]:
    """Look at logs on all processors of this machine (or so many), each as it is done."""
    count = min(processes or os.cpu_count() or 1, max(1, len(logs)))
    if count == 1:
        yield from ((log, look(work, log)) for log in logs)
        return
    left = dict.fromkeys(logs, 0)
    while left:
        # Where one process dies the pool is broken, and all that was on its way has to be given again, one at a time to find which it is.
        alone = any(left.values())
        with ProcessPoolExecutor(1 if alone else count, mp_context=get_context("spawn")) as pool:
            waiting: dict[Future[Looked], str] = {}
            todo = list(left)
            try:
                while todo or waiting:
                    while todo and len(waiting) < (1 if alone else 2 * count):
                        log = todo.pop(0)
                        waiting[pool.submit(look, work, log)] = log
                    done, _ = wait(waiting, return_when=FIRST_COMPLETED)
                    for one in done:
                        log = waiting[one]
                        found = one.result()
                        del waiting[one], left[log]
                        yield log, found
            except BrokenProcessPool:
                for log in waiting.values():
                    left[log] += 1
                    if left[log] > TRIES:
                        del left[log]
                        yield log, Looked(why=DIED)
                        break


def on_cluster(work: Work, logs: Sequence[str], address: str) -> Iterator[tuple[str, Looked]]:
    """Look at logs on a cluster of Dask that runs already, each as it is done. All its workers must see the files under the same paths.

    Raises: UsageError where it is not installed or cannot be reached.
    """
    try:
        from distributed import Client, as_completed
    except ImportError:
        raise UsageError("--cluster", "needs Dask's distributed engine", "pip install 'whorlograph[cluster]'") from None
    try:
        client = Client(address, timeout=PATIENCE)
    except (OSError, TimeoutError, ValueError) as error:
        raise UsageError("--cluster", f"{address} cannot be reached ({error})", "give the scheduler's address: tcp://HOST:8786") from None
    with client:
        waiting = {client.submit(look, work, log, pure=False, retries=TRIES): log for log in logs}
        for one in as_completed(list(waiting)):
            # A worker that dies takes along results that were ready: only asking for one, which has it made again, tells how it ended.
            try:
                found = one.result()
            except Exception as error:  # whatever was raised on the other machine, or that took its workers down
                found = Looked(why=f"the worker that replayed it failed: {error}")
            yield waiting[one], found
