"""How often something did something, of the times that were looked at, in words that say no more than was looked at."""

from __future__ import annotations


def how_often(times: int, of: int | None, cut: bool) -> str:
    """In words. Args: of: None where the other times say nothing; cut: further back they were not looked at."""
    if of is None:
        return f"{times} times of late" if cut else f"{times} times before"
    return f"{times} of the last {of} times" if cut else f"{times} of {of} times before"
