"""The pages by name."""

from __future__ import annotations

from collections.abc import Callable

from .listings import Listing, point_table, survey_page, tag_page, tag_table
from .question_pages import asking_page, disagreement_page, finding_page, odd_page, ways_page
from .session import Session

PAGES: dict[str, Callable[[Session, int, int, int, int | None], Listing]] = {
    "tags": tag_table, "tag": tag_page, "points": point_table, "survey": survey_page, "odd": odd_page, "disagreements": disagreement_page,
    "ways": ways_page, "findings": finding_page, "asking": asking_page,
}
