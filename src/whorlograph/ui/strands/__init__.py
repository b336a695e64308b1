"""The strands of the main view: rungs, trail, timeline; each follows the one view, and none knows another."""

from .lines import Lines
from .rungs import HandStrand, RungsStrand
from .timeline import TimelineStrand
from .trail import TrailStrand

__all__ = ["HandStrand", "Lines", "RungsStrand", "TimelineStrand", "TrailStrand"]
