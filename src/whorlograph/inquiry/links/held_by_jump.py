"""``held-by-jump``: the step that would write is jumped over; see ``skipped``."""

from .skipped import link

__all__ = ["link"]
