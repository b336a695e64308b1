"""A moment without a log: what is given, and sentences that speak of no time (ANSWERS.md, Without a log)."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from whorlograph.model.question import LinkKind, RootKind

from .trail import Answer, Link, Root
from .wiring import meaning, readings, where

if TYPE_CHECKING:
    from .tracer import Tracer

_TIMES = re.compile(r",? ?\b(?:at|since|from|after) (?:the log's start|the start|before the log|\d\d:\d\d:\d\d(?:\.\d+)?|"
                    r"\d+(?:\.\d+)? (?:s|ms|min|h))(?: on)?\b")
_EMPTY = re.compile(r" ?\((?:on|off)?\)|; it had not run|, which has not run|(?: and)? has stayed for (?:[\d.]+ (?:h|min|s|ms|us)\b ?)+")


def timeless(text: str) -> str:
    """A sentence without its times."""
    return re.sub(r"\s+([;,.)]|:(?!=))", r"\1", _EMPTY.sub("", _TIMES.sub("", text))).replace("  ", " ").strip()


def make_timeless(answer: Answer) -> None:
    """Take every time out of an answer."""
    answer.text = timeless(answer.text)
    for _, link in answer.links():
        link.text, link.since = timeless(link.text), None
        for root in link.roots:
            _still(root)
    for root in answer.roots:
        _still(root)
    answer.attempts = ()


def _still(root: Root) -> None:
    root.since = root.turns = None
    root.text, root.proof = timeless(root.text), timeless(root.proof)


def given_root(tracer: Tracer, tag: int, raw: int) -> Root:
    """The root for a tag that nothing decides but what was given, or was not."""
    assert tracer.now is not None
    one, value, point = tracer.tag(tag), tracer.value(tag, raw), tracer.iolist.get(tag)
    given, word = tag in tracer.now.given, tracer.state_word(tracer.value(tag, raw), tag)
    field = one.address is not None and one.address.area == "I"
    assumed = tag in tracer.now.assumed
    said = f"{one.name} is {word} (given)" if given else f"{one.name} is taken as {word}, so that what is seen stands" if assumed else \
        f"{one.name} is taken as {word}, its declared value (not given)"
    step = tracer.now.turned.get(tag)
    if step is not None and step >= 0:
        said += f"; {tracer.place(step)} would give it {'off' if value is True else 'on' if value is False else 'another value'}"
    means = meaning(point, value) if isinstance(value, bool) and field else ""
    check = (where(point, one) if field else f"check {one.name}") + (f"; {means}" if means else "")
    if not given:
        check = f"see what {one.name} is now, and give it"
    kind = RootKind.FIELD_INPUT if field or (given and not tracer.writers.get(tag)) else RootKind.INITIAL_VALUE
    root = Root(kind, tag, value, None, said, check, point)
    root.readings = readings(point, value) if isinstance(value, bool) and field and given else ""
    root.last = given
    return root


def given_link(tracer: Tracer, tag: int, raw: int) -> Link:
    """A link without a rung that carries such a root."""
    root = given_root(tracer, tag, raw)
    return Link(LinkKind.BLOCK, tag, root.value, None, -1, 0, root.text, roots=[root])
