"""``task-idle``: the task of the step that would write has not run."""

from .skipped import link

__all__ = ["link"]
