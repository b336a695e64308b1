"""The reference interpreter's memory: raw values by tag, the rows that changes leave, forces, tasks made due by writes."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct, field

from whorlograph.engine.scope.overlap import changed, shared_bits
from whorlograph.model.literals import cooked, raw
from whorlograph.model.profile import Overflow, Profile
from whorlograph.model.steps import Steps
from whorlograph.model.tags import Running
from whorlograph.model.types import Elementary, Family

from .functions import Halt, Value, fit, wrapped

CONTROLLER = -2  # the step of what the controller itself does
Where = tuple[int, int]  # tag, bit (-1: the whole tag)


class PlainRow(Struct, frozen=True):
    """One change: scan, step within the scan, step's index (-1: no step), tag or path flag, raw value."""

    scan: int
    number: int
    step: int
    tag: int
    value: int


class PlainFault(Struct, frozen=True):
    """Why the controller halted, and where; ``loops``: jumps back in that scan (step, target, times, steps between the first and the last)."""

    scan: int
    number: int
    step: int
    element: int
    code: str
    text: str
    tag: int
    loops: tuple[tuple[int, int, int, int], ...] = ()


class Record(Struct):
    """What a plain run leaves: rows in order, the start of each scan whose start is not the next in even steps.

    ``shadow``: what the program would have written to forced tags; ``started`` (task, due, start), ``missed`` (task, due),
    ``held`` (task, scan, number, on); ``lengths`` (scan, ns) where a scan took another time than the one before; ``passes`` (scan, step,
    target, times) likewise of jumps back; ``forced`` (tag, scan, value or None at the end); ``waiting`` (task, due): runs that wait at
    the end.
    """

    rows: list[PlainRow] = field(default_factory=list)
    shadow: list[PlainRow] = field(default_factory=list)
    stretches: list[tuple[int, int, int]] = field(default_factory=list)
    scans: int = 0
    started: list[tuple[int, int, int]] = field(default_factory=list)
    missed: list[tuple[int, int]] = field(default_factory=list)
    held: list[tuple[int, int, int, bool]] = field(default_factory=list)
    lengths: list[tuple[int, int]] = field(default_factory=list)
    passes: list[tuple[int, int, int, int]] = field(default_factory=list)
    forced: list[tuple[int, int, int | None]] = field(default_factory=list)
    fault: PlainFault | None = None
    waiting: list[tuple[int, int]] = field(default_factory=list)


class Memory:
    """What the program's steps read and write.

    ``scan``, ``number``, ``current``: where the step at work stands; ``base``: the time at which its numbers count from 0.
    ``wrote`` is told of each change: tag, former and new raw value.
    """

    def __init__(self, running: Running, steps: Steps, profile: Profile) -> None:
        self.running, self.steps, self.profile = running, steps, profile
        self.shares = shared_bits(running.tags[:running.public], profile.addressing)
        self.values: dict[int, int] = {}
        self.record = Record()
        self.scan = self.number = self.current = 0
        self.now = self.base = 0
        self.fault_tag = -1
        self.masks: dict[int, tuple[int, int]] = {}
        self.shadow: dict[int, int] = {}
        self.wrote: Callable[[int, int, int], None] = lambda tag, old, new: None

    @property
    def time(self) -> int:
        """The time when the steps done so far are over, ns."""
        return self.base + self.number * self.profile.rung_time

    def row(self, tag: int, bits: int) -> None:
        """Note a change."""
        self.record.rows.append(PlainRow(self.scan, self.number, self.current, tag, bits))

    def put(self, tag: int, bits: int) -> None:
        """Write raw bits to a tag, and to those that share its bits."""
        if tag in self.masks:
            mask, forced = self.masks[tag]
            if self.shadow.get(tag) != bits:
                self.shadow[tag] = bits
                self.record.shadow.append(PlainRow(self.scan, self.number, self.current, tag, bits))
            bits = (bits & ~mask) | forced
        if self.values.get(tag, 0) != bits:
            self.change(tag, bits)
            if tag < self.running.public:
                for share in self.shares.get(tag, ()):
                    other = changed(bits, self.values[share.other], share, self.running.tags[share.other].type)
                    if self.values[share.other] != other:
                        self.change(share.other, other)

    def change(self, tag: int, bits: int) -> None:
        """Give one tag a value and note it, where it is one that is noted."""
        old = self.values.get(tag, 0)
        self.values[tag] = bits
        if tag >= len(self.running.tags) or (tag < self.running.public and not self.running.tags[tag].silent):
            self.row(tag, bits)
        self.wrote(tag, old, bits)

    def keep(self, step: int, element: int, what: str, bits: int) -> None:
        """Note what is remembered at an element, where the journal has rows of it."""
        number = self.steps.private.get((step, element, what))
        if number is not None and self.values.get(number, 2 if what == "edge" else 0) != bits:  # 2: an edge that has seen nothing
            self.values[number] = bits
            self.row(number, bits)

    def load(self, place: Where) -> Value:
        """The value at a place."""
        tag, bit = place
        if bit >= 0:
            return bool(self.values[tag] >> bit & 1)
        return cooked(self.values[tag], self.running.tags[tag].type)

    def store(self, place: Where, value: Value, source: Elementary | None) -> None:
        """Write a value to a place, held in its type and subrange."""
        tag, bit = place
        one = self.running.tags[tag]
        if bit >= 0:
            old = self.values[tag] & ((1 << 64) - 1)
            bits = old | 1 << bit if value else old & ~(1 << bit)
            self.put(tag, raw(wrapped(bits, one.type), one.type))
            return
        type_ = one.type
        self.fault_tag = tag
        if isinstance(value, float) and type_.whole:
            value = round(value)
        elif type_.whole and source != type_ and Family.BITS in (source.family if source is not None else type_.family, type_.family):
            value = wrapped(int(value), type_)
        value = fit(value, type_, self.profile.on_overflow)
        if one.low is not None and one.high is not None:
            value = ranged(value, one.low, one.high, self.profile.on_overflow)
        self.put(tag, raw(value, type_))


def ranged(given: Value, low: int, high: int, mode: Overflow) -> Value:
    """A value held in a subrange, a text in its length. Raises: Halt where a number does not fit and the mode is halt."""
    if isinstance(given, str):
        return given[:high]
    value = int(given)
    if low <= value <= high:
        return value
    if mode is Overflow.HALT:
        raise Halt("overflow", f"{value} does not fit {low} to {high}")
    if mode is Overflow.SATURATE:
        return low if value < low else high
    return low + (value - low) % (high - low + 1)
