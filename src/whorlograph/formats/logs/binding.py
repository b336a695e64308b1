"""Which tag a column or row names."""

from __future__ import annotations

import re
from collections.abc import Callable

from whorlograph.model.profile import Profile
from whorlograph.model.shown import visible
from whorlograph.model.tags import Running

from .heading import bare
from .values import value_reader

Read = Callable[[str], "int | None"]
_ADDRESS = re.compile(r"[IQMiqm][XBWDLxbwdl]?\d")


class Binder:
    """Finds the tag that a column or row names, once for each name: by name, address (without its per cent sign too), or the end of a path.

    Of two paths that end alike the first counts; the other is no tag. ``paths``: by tag the path by which it was found; ``alike``: by the other
    path that tag's number, and its name.
    """

    def __init__(self, running: Running, profile: Profile) -> None:
        self.running, self.profile = running, profile
        self._known: dict[str, tuple[int, Read] | None] = {}
        self.paths: dict[int, str] = {}
        self.alike: dict[str, tuple[int, str]] = {}

    def __call__(self, name: str) -> tuple[int, Read] | None:
        if name not in self._known:
            tag = self._tag(visible(name).strip())
            self._known[name] = None if tag is None else (tag, value_reader(self.running.tags[tag], self.profile.log_true, self.profile.log_false))
        return self._known[name]

    def _likely(self, name: str) -> int | None:
        """Of several tags that end alike the one input, else the one variable of a program: recorders seldom log a block's pins."""
        alike = self.running.alike(name.lower())
        inputs = [t for t in alike if (a := self.running.tags[t].address) is not None and a.area == "I"]
        depth = min((self.running.tags[t].name.count(".") for t in alike), default=0)
        plain = [t for t in alike if self.running.tags[t].name.count(".") == depth]
        return inputs[0] if len(inputs) == 1 else plain[0] if len(plain) == 1 else None

    def _tag(self, name: str) -> int | None:
        for text in dict.fromkeys((name, bare(name))):
            tag = self.running.find(text)
            if tag is None and _ADDRESS.match(text):
                tag = self.running.find(f"%{text}")
            if tag is None:
                tag = self._likely(text)
            if tag is not None:
                return tag
        path, rest = bare(name), bare(name)
        while "." in rest:
            rest = rest.partition(".")[2]
            tag = self.running.find(rest)
            if tag is not None:
                if self.paths.setdefault(tag, path) == path:
                    return tag
                self.alike[name] = tag, self.running.tags[tag].name
                return None
        return None
