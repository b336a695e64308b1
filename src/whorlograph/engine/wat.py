"""The whole module: fixed part, lowered functions, and the tables that its memory begins with."""

from __future__ import annotations

import struct

from msgspec import Struct

from whorlograph.engine.feed import Feed
from whorlograph.engine.scope.overlap import Shared, shared_bits
from whorlograph.model.profile import Profile
from whorlograph.model.steps import Steps
from whorlograph.model.tags import Running

from . import layout as at
from .emit import Access
from .layout import Layout, plan
from .lower import Lowering
from .runtime import fixed_part

EVENTS_ROOM = 16_384
JOURNAL_ROOM = 131_072
PAGE = 65_536


class Module(Struct, frozen=True):
    """A compiled program: text ("" for one that was kept), memory layout, constant tables, first values by cell."""

    text: str
    layout: Layout
    pages: int
    tables: bytes
    first_values: dict[int, int]
    mark_bytes: int


def compile_text(running: Running, steps: Steps, profile: Profile, scan_time: int) -> Module:
    """Lower a program to the text of one WebAssembly module.

    Source: CONTROLLER.md; WebAssembly core specification 2.0.
    """
    # Marks lie behind the cells, and lowering makes cells as it goes: lower once to count them, once for good.
    base = _count(running, steps, profile)
    lowered = Lowering(running, steps, profile).lower(at.aligned(at.CELLS + 8 * base))
    tags = len(running.tags) + len(steps.flags)
    shares = shared_bits(running.tags[:running.public], profile.addressing)
    layout = plan(base, lowered.mark_bytes, tags, 0, EVENTS_ROOM, JOURNAL_ROOM)
    tables, constants = _tables(running, tags, lowered.access, shares, layout)
    layout = plan(base, lowered.mark_bytes, tags, constants, EVENTS_ROOM, JOURNAL_ROOM)
    pages = layout.end // PAGE + 1
    fixed = fixed_part(layout, pages, steps.cyclic, scan_time, profile.rung_time, lowered.limit, lowered.limit_code)
    text = "(module\n" + fixed + "".join(lowered.functions) + ")"
    return Module(text, layout, pages, tables, lowered.first_values, lowered.mark_bytes)


def _count(running: Running, steps: Steps, profile: Profile) -> int:
    """Cells that a program needs: those of tags and path marks, and an upper bound for hidden ones."""
    count = len(running.tags) + len(steps.flags)
    for step in steps.all:
        for element in step.rung.elements:
            count += 2
            outputs = getattr(element, "outputs", None)
            if outputs is not None:
                count += 12 + 2 * len(outputs) + len(getattr(element, "inputs", ()))
    for function in running.functions.values():
        count += len(function.scope) + 2
    calls = sum(1 for s in steps.all for e in s.rung.elements if getattr(e, "type_name", "").lower() in running.functions)
    widest = max((len(f.scope) for f in running.functions.values()), default=0)
    return count + calls * (widest + 2) + steps.cyclic // 32 + len(steps.all) + 16


def _tables(running: Running, tags: int, access: dict[int, Access], shares: dict[int, list[Shared]],
            layout: Layout) -> tuple[bytes, int]:
    """Watch and share lists, from ``layout.watch`` on; and how many bytes the lists take."""
    watchers: dict[int, list[int]] = {}
    for mark, one in sorted(access.items()):
        for tag in sorted(one.reads | one.others):
            watchers.setdefault(tag, []).append(mark << 1 | (tag not in one.reads))
    lists = bytearray()
    watch, share = [0] * tags, [0] * tags
    for tag, entries in watchers.items():
        watch[tag] = layout.constants + len(lists)
        lists += struct.pack(f"<{len(entries) + 1}i", *entries, -1)
    lists += b"\0" * (-len(lists) % 8)
    for tag, shared in shares.items():
        share[tag] = layout.constants + len(lists)
        for part in shared:
            other = running.tags[part.other].type
            keep = (64 - max(1, other.bits)) | (256 if other.low < 0 or other.bits == 64 else 0)
            lists += struct.pack("<iIIIQ", part.other, part.mine, part.theirs, keep, (1 << part.width) - 1)
        lists += struct.pack("<iIIIQ", -1, 0, 0, 0, 0)
    breaks = bytes(t.address is not None and t.address.area == "Q" for t in running.tags) + b"\0" * (tags - len(running.tags))
    head = bytearray(layout.constants - layout.watch)
    struct.pack_into(f"<{tags}i", head, 0, *watch)
    struct.pack_into(f"<{tags}i", head, layout.shares - layout.watch, *share)
    head[layout.breaks - layout.watch:layout.breaks - layout.watch + tags] = breaks
    return bytes(head + lists), len(lists)


def state_bytes(module: Module, feed: Feed) -> bytes:
    """The state before the first scan: first values in their cells, every step marked."""
    layout = module.layout
    state = bytearray(layout.state_end)
    struct.pack_into(f"<{len(feed.initial)}q", state, at.CELLS, *feed.initial)
    for cell, value in module.first_values.items():
        struct.pack_into("<q", state, at.CELLS + 8 * cell, value)
    state[layout.marks:layout.marks + module.mark_bytes] = b"\1" * module.mark_bytes
    struct.pack_into("<i", state, at.JOURNAL_AT, layout.journal)
    return bytes(state)
