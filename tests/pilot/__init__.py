"""Tests of the screen through Textual's pilot."""

import logging

# The test case's loop runs in debug mode, which warns of every paint that takes a tenth of a second.
logging.getLogger("asyncio").setLevel(logging.ERROR)
