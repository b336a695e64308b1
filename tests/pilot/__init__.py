"""Tests of the screen through Textual's pilot."""

import asyncio
import logging
import unittest

from textual import _wait

# What the pilot waits for behind each key: a stretch in which this process hardly works. Four short ones instead of one long find the gap between
# two ticks of a timer sooner.
_wait.SLEEP_GRANULARITY = 1 / 200
_wait.SLEEP_IDLE = _wait.SLEEP_GRANULARITY / 10

logging.getLogger("asyncio").setLevel(logging.ERROR)


class OnScreen(unittest.IsolatedAsyncioTestCase):
    """A test of the screen: its loop does not run in debug mode, which notes where each callback comes from, a third of all work."""

    async def asyncSetUp(self) -> None:
        asyncio.get_running_loop().set_debug(False)
