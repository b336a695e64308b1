"""The strands of the main view: rungs, trail, timeline; each shows finished lines and reports where it was clicked."""

from .lines import Lines

__all__ = ["Lines"]
