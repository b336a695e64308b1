"""``whorlograph explain``."""

from __future__ import annotations

import click

from whorlograph.cli.saying import say
from whorlograph.model.errors import UsageError


@click.command()
@click.argument("word", nargs=-1)
def command(word: tuple[str, ...]) -> int:
    """One page in plain words on WORD: a symptom, a link of a trail, a root, a fault, a finding, a block; without WORD, all pages."""
    from whorlograph.desk.explain import list_text, look_up, page_text

    text = " ".join(word)
    if not text:
        say(list_text())
        return 0
    found = look_up(text)
    if not found:
        raise UsageError("", f"nothing is explained under {text!r}", "whorlograph explain lists all pages")
    say(page_text(found[0]))
    if len(found) > 1:
        say("\nsee also: " + ", ".join(p.name for p in found[1:6]))
    return 0
