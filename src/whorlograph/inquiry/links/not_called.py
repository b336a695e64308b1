"""``not-called``: the POU that would write is not called; see ``skipped``."""

from .skipped import link

__all__ = ["link"]
