"""The texts of a POU, written anew before tags are made of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from itertools import count

from msgspec.structs import replace

from whorlograph.model.chart import ChartBody
from whorlograph.model.program import Pou
from whorlograph.model.text import TextBody

from .text_parts import parts


def texts_of(pou: Pou) -> tuple[TextBody, ...]:
    """What of a POU is text: its body, or the parts of its chart."""
    body = pou.body
    return (body,) if isinstance(body, TextBody) else body.texts if isinstance(body, ChartBody) else ()


def with_texts(pou: Pou, change: Callable[[TextBody], TextBody]) -> Pou:
    """A POU with each of its texts changed; itself where none is."""
    body = pou.body
    if isinstance(body, TextBody):
        text = change(body)
        return pou if text is body else replace(pou, body=text)
    if not isinstance(body, ChartBody):
        return pou
    segments = tuple(change(s) if isinstance(s, TextBody) else s for s in body.segments)
    changed = any(one is not other for one, other in zip(segments, body.segments, strict=True))
    return replace(pou, body=replace(body, segments=segments)) if changed else pou


def fresh_numbers(texts: Iterable[TextBody]) -> Iterator[int]:
    """Numbers for nodes that are added to texts: theirs, and those of the names of blocks, which parts leave out, lie far below."""
    return count(max((p.at for text in texts for s in text.statements for p in parts(s)), default=0) * 2 + 1000)
