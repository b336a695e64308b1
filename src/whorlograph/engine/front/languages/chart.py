"""Sequential charts: their parts one after the other, each in its own language (CONTROLLER.md, Sequential charts)."""

from __future__ import annotations

from whorlograph.engine.front.builder import Builder
from whorlograph.model.chart import ChartBody
from whorlograph.model.ladder import LadderBody

from . import ladder, text


def lower(build: Builder, body: ChartBody, tasks: dict[str, int]) -> None:
    """Add the steps of a chart.

    Args: tasks: the number of each task, by name in lower case.
    """
    for part in body.segments:
        if isinstance(part, LadderBody):
            ladder.lower(build, part, tasks)
        else:
            text.lower(build, part, tasks)
