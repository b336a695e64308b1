"""``task-held``: the task of the step that would write is held."""

from .skipped import link

__all__ = ["link"]
