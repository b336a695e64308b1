"""Searching the replay by condition: where an expression over tags holds, or an event happens, and for how long."""

from __future__ import annotations

import operator
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from lark import Lark, Token, Tree, UnexpectedInput
from msgspec import Struct
from numpy.typing import NDArray

from whorlograph.engine.controller import Controller
from whorlograph.engine.evaluate.sight import ET, IN, PT, Q
from whorlograph.engine.journal import Journal
from whorlograph.model.errors import UsageError
from whorlograph.model.literals import cooked, duration, literal, raw
from whorlograph.model.log import Ints, Log
from whorlograph.model.types import Family

Flags = NDArray[np.bool_]
_EXAMPLE = "write it like: Pump = 0 and Raise_Req, or East_Down_LS falls for < 50ms"
_COMPARE: dict[str, Callable[[Any, Any], Any]] = {"=": operator.eq, "<>": operator.ne, "<": operator.lt, ">": operator.gt,
                                                  "<=": operator.le, ">=": operator.ge}


class Hits(Struct, frozen=True):
    """Where a condition holds: ``starts`` and ``ends`` int64[n] ns; an end is -1 where it holds to the log's end."""

    starts: Ints
    ends: Ints

    def __len__(self) -> int:
        return len(self.starts)


class _State(Struct, frozen=True):
    """A step function: ``holds[i]`` from ``times[i]`` on; ``times[0]`` is before everything."""

    times: Ints
    holds: Flags


class _Events(Struct, frozen=True):
    """Instants, each with the time at which the state that began there ends (-1: never)."""

    starts: Ints
    ends: Ints


BEFORE = -(1 << 62)


@lru_cache(maxsize=1)
def _grammar() -> Lark:
    return Lark((Path(__file__).parent / "condition.lark").read_text(encoding="utf-8"), parser="lalr", lexer="contextual")


class Search:
    """Evaluates conditions over one replay.

    Inputs are looked at as the log has them, to the nanosecond; what the program writes, as scans left it.
    """

    def __init__(self, controller: Controller, journal: Journal, log: Log, find: Callable[[str], int]) -> None:
        self.controller, self.journal, self.log, self.find = controller, journal, log, find
        self._courses: dict[int, tuple[Ints, Ints]] = {}

    def hits(self, text: str) -> Hits:
        """Where a condition holds.

        Raises: UsageError where it cannot be read, with what was expected; for an unknown tag.
        """
        try:
            tree = _grammar().parse(text)
        except UnexpectedInput as error:
            ended = getattr(getattr(error, "token", None), "type", "") == "$END"
            place = error.pos_in_stream if error.pos_in_stream is not None else -1
            at: list[str] = text[place:].split() if place >= 0 and not ended else []
            what = f"{at[0]!r} is not understood here" if at else "it ends too early"
            raise UsageError(f"condition {text[:60]!r}", what[:100], _EXAMPLE) from error
        except RecursionError as error:
            raise UsageError(f"condition {text[:40]!r}...", "is nested too deep", _EXAMPLE) from error
        try:
            found = self._value(tree.children[0])
        except RecursionError as error:
            raise UsageError(f"condition {text[:40]!r}...", "is nested too deep", _EXAMPLE) from error
        if isinstance(found, _State):
            found = _runs(found)
        keep = np.ones(len(found.starts), bool)
        if len(tree.children) > 1:
            keep = self._long(found, tree.children[1])
        return Hits(found.starts[keep], found.ends[keep])

    def _long(self, found: _Events, node: Any) -> Flags:
        """Which of them last as long as is asked."""
        text = str(node.children[1]).replace(" ", "")
        try:
            limit = duration(text.partition("#")[2] or text)
        except ValueError:
            raise UsageError("condition", f"{text!r} is no duration", _EXAMPLE) from None
        ends = np.where(found.ends < 0, self.log.end, found.ends)
        lasting = ends - found.starts
        if str(node.children[0]) == "<":
            return np.asarray((lasting < limit) & (found.ends >= 0))
        return np.asarray(lasting > limit)

    def _value(self, node: Any) -> _State | _Events:
        assert isinstance(node, Tree)
        words = [str(c) for c in node.children if isinstance(c, Token)]
        if node.data == "event":
            return self._event(*words)
        if node.data == "comparison":
            return self._comparison(*words)
        if node.data == "on":
            tag = self.find(words[0])
            times, values = self._course(tag)
            return _State(times, values != 0)
        parts = [self._value(c) for c in node.children]
        if node.data == "inverse":
            (one,) = parts
            if isinstance(one, _Events):
                raise UsageError("condition", "not stands before an event", "an event happens at an instant: put not before a state")
            return _State(one.times, ~one.holds)
        return _both(parts) if node.data == "both" else _either(parts)

    def _event(self, name: str, kind: str) -> _Events:
        times, values = self._course(self.find(name))
        kind = kind.lower()
        if kind == "changes":
            starts = times[1:]
            ends = np.append(times[2:], -1)[:len(starts)]
            return _Events(starts, ends)
        on = values != 0
        return _runs(_State(times, on if kind == "rises" else ~on), changes=True)

    def _comparison(self, name: str, sign: str, value: str) -> _State:
        tag = self.find(name)
        one = self.controller.running.tags[tag]
        wanted = self._literal(tag, value)
        if one.computed:
            return self._elapsed(tag, sign, int(wanted))
        times, values = self._course(tag)
        numbers: Any
        if one.type.family is Family.REAL:
            numbers = np.array([float(cooked(int(v), one.type)) for v in values])
        elif one.type.family is Family.STRING:
            numbers = np.array([cooked(int(v), one.type) for v in values], object)
        else:
            numbers = values
        return _State(times, np.asarray(_COMPARE[sign](numbers, wanted)))

    def _elapsed(self, tag: int, sign: str, wanted: int) -> _State:
        """A timer's ET against a time: it has no rows, but it grows evenly from where its input or output turned, so it is looked at there, where
        it would get there, and where its step runs again."""
        again, journal = self.controller.again(), self.journal
        first, clock = tag - ET, journal.clock
        step = again.timers.get(first, ("", -1))[1]
        if step < 0:
            return _State(np.array([BEFORE], np.int64), np.array([_COMPARE[sign](0, wanted)]))
        scans = {1}
        for pin in (IN, Q, PT):
            turned, _ = journal.history(first + pin)
            for scan in turned.tolist():
                crossing = clock.scan_at(clock.start(scan) + wanted) if scan > 0 else 0
                scans |= {scan, *range(crossing - 1, crossing + 3)}
        for scan in list(scans):
            skip = self.controller.paths.skipped(journal, step, min(max(1, scan), clock.last))
            if skip is not None and skip.flag is not None:
                scans |= {s + n for s in journal.history(skip.flag.number)[0].tolist() for n in (0, 1)}
        known = sorted(s for s in scans if 1 <= s <= clock.last)
        values = [again.elapsed(journal, first, s) for s in known]
        times = np.append(np.int64(BEFORE), clock.start_all(np.array(known, np.int64)))
        return _State(times, np.array([_COMPARE[sign](v, wanted) for v in (0, *values)], bool))

    def _literal(self, tag: int, text: str) -> Any:
        one = self.controller.running.tags[tag]
        if one.enumeration is not None:
            known = {n.lower(): v for n, v in one.enumeration.values}
            if text.rpartition("#")[2].lower() in known:
                return known[text.rpartition("#")[2].lower()]
        word = {"on": True, "off": False, "true": True, "false": False}.get(text.lower())
        read = literal(text) if word is None else ("", word)
        if one.type.family is Family.TIME and (read is None or not str(text).lower().startswith(("t#", "time#", "lt"))):
            try:
                return duration(text)
            except ValueError:
                read = None
        if one.type.family is Family.STRING:
            return read[1] if read is not None and isinstance(read[1], str) else text
        if read is None or isinstance(read[1], str):
            raise UsageError("condition", f"{text!r} is no value of {one.name}", "write a number, on or off")
        return float(read[1]) if one.type.family is Family.REAL else raw(read[1], one.type) if one.type.family is Family.BOOL else read[1]

    def _course(self, tag: int) -> tuple[Ints, Ints]:
        """Times and raw values of a tag's changes; the first entry is before everything."""
        found = self._courses.get(tag)
        if found is None:
            first = self.journal.initial[tag]
            if tag not in self.controller.written and bool((self.log.tags == tag).any()):
                rows = self.log.of(tag)
                times, values = self.log.times[rows], self.log.values[rows]
            else:
                scans, values = self.journal.history(tag)
                last = np.append(scans[1:] != scans[:-1], True) if len(scans) else np.zeros(0, bool)
                times, values = self.journal.clock.start_all(scans[last]), values[last]
            times, values = np.append(np.int64(BEFORE), times), np.append(np.int64(first), values)
            # What the log shows at its first instant is the state at the start, no change.
            start = int(np.searchsorted(times, 0, side="right")) - 1
            times, values = np.append(np.int64(BEFORE), times[start + 1:]), values[start:]
            # Rows of one instant: the last counts; rows that change nothing are no changes.
            keep = np.append(times[1:] != times[:-1], True)
            times, values = times[keep], values[keep]
            fresh = np.append(True, values[1:] != values[:-1])
            found = self._courses[tag] = (times[fresh], values[fresh])
        return found


def _at(state: _State, times: Ints) -> Flags:
    """Whether a state holds at some times."""
    return np.asarray(state.holds[np.searchsorted(state.times, times, side="right") - 1])


def _runs(state: _State, changes: bool = False) -> _Events:
    """The stretches in which a state holds; with ``changes`` only those that began by a change."""
    holds = state.holds.astype(np.int8)
    edges = np.diff(np.concatenate([[0], holds, [0]]))
    begin, end = np.nonzero(edges == 1)[0], np.nonzero(edges == -1)[0]
    if changes and len(begin) and begin[0] == 0:
        begin, end = begin[1:], end[1:]
    starts = np.maximum(state.times[begin], 0) if len(begin) else np.zeros(0, np.int64)
    ends = np.where(end < len(state.times), state.times[np.minimum(end, len(state.times) - 1)], -1)
    return _Events(starts, ends)


def _grid(states: list[_State]) -> Ints:
    return np.unique(np.concatenate([s.times for s in states]))


def _both(parts: list[_State | _Events]) -> _State | _Events:
    states = [p for p in parts if isinstance(p, _State)]
    events = [p for p in parts if isinstance(p, _Events)]
    if not events:
        grid = _grid(states)
        return _State(grid, np.logical_and.reduce([_at(s, grid) for s in states]))
    starts, ends = events[0].starts, events[0].ends
    keep = np.ones(len(starts), bool)
    for other in events[1:]:
        keep &= np.isin(starts, other.starts)
    for state in states:
        keep &= _at(state, starts)
    return _Events(starts[keep], ends[keep])


def _either(parts: list[_State | _Events]) -> _State | _Events:
    states = [p for p in parts if isinstance(p, _State)]
    if len(states) == len(parts):
        grid = _grid(states)
        return _State(grid, np.logical_or.reduce([_at(s, grid) for s in states]))
    runs = [p if isinstance(p, _Events) else _runs(p) for p in parts]
    starts, ends = np.concatenate([r.starts for r in runs]), np.concatenate([r.ends for r in runs])
    order = np.argsort(starts, kind="stable")
    return _Events(starts[order], ends[order])
