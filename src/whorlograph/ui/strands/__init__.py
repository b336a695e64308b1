"""The strands of the main view: rungs, trail, timeline; each follows the one view, and none knows another.

What they are made of is named here only as far as the first frame needs it: the rest is imported where it stands.
"""

from .lines import Lines

__all__ = ["Lines"]
