"""Logs as value change dumps (IEEE 1364-2005, 18): ``.vcd``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from whorlograph.model.errors import LogError
from whorlograph.model.limits import LOG_ROW, memory_room
from whorlograph.model.literals import counted, raw
from whorlograph.model.log import Clock
from whorlograph.model.profile import Profile
from whorlograph.model.shown import visible
from whorlograph.model.tags import Running, Tag
from whorlograph.model.types import Family

from .binding import Binder
from .csv_table import FULL, SAMPLES, Rows, Watch
from .source import Source
from .times import LIMIT, Times

if TYPE_CHECKING:
    from vcd.reader import Token

_PICOSECONDS = {"s": 10**12, "ms": 10**9, "us": 10**6, "ns": 10**3, "ps": 1}  # of the units; fs are not


class _Recorded(Struct, frozen=True):
    """A variable of the dump that stands for a tag; ``size``: its bits."""

    tag: int
    declared: Tag
    size: int

    def bits(self, value: Any) -> int | None:
        """A value as raw bits; None where it does not fit. Unsigned vectors are taken as two's complement by a signed tag."""
        type_ = self.declared.type
        if type_.family is Family.REAL:
            return raw(float(value), type_)
        number = int(value)
        if number != value or type_.family is Family.STRING:
            return None
        if type_.family is Family.BOOL:
            return number if number in (0, 1) else None
        if type_.low < 0 and isinstance(value, int) and self.size > 1 and number >> (self.size - 1) & 1:
            number -= 1 << self.size
        return raw(number, type_) if type_.low <= number <= type_.high else None


def read_vcd(path: Path, running: Running, profile: Profile, times: Times, watch: Watch) -> Rows:
    """Read a dump: its own time from 0; values that are not known (x, z) are no news.

    Raises: LogError where it cannot be opened, or its declarations cannot be read.
    """
    from vcd.reader import TokenKind, VCDParseError, tokenize

    rows, bind = Rows(str(path)), Binder(running, profile)
    rows.paths, rows.alike = bind.paths, bind.alike
    reader = _Reader(rows, bind, running, times)
    room, packed = memory_room() // LOG_ROW, 0
    with Source(path) as source:
        try:
            for count, token in enumerate(tokenize(source.stream), 1):
                if token.kind is TokenKind.CHANGE_TIME:
                    reader.instant(token.time_change, token.span.start.line)
                elif token.kind in (TokenKind.CHANGE_SCALAR, TokenKind.CHANGE_VECTOR, TokenKind.CHANGE_REAL):
                    reader.change(token)
                elif token.kind in (TokenKind.VAR, TokenKind.SCOPE, TokenKind.UPSCOPE, TokenKind.TIMESCALE):
                    reader.declare(token)
                if not count % SAMPLES:
                    packed += len(rows.times)
                    rows.pack()
                    if packed > room:
                        rows.stopped, rows.damage = True, FULL.format(rows.rows)
                        return rows
                    if watch(source.done()):
                        rows.stopped = True
                        return rows
        except (VCDParseError, ValueError, OverflowError) as problem:
            where = f"{path}:{str(problem).partition(':')[0]}" if str(problem)[:1].isdigit() else str(path)
            if not rows.rows:
                raise LogError(where, f"no value change dump ({visible(str(problem))[:100]})", "export it again") from problem
            rows.damage = f"the dump cannot be read from its line {where.rpartition(':')[2]} on ({visible(str(problem))[:100]})"
        if source.damage and not rows.damage:
            rows.damage = f"the packed file is damaged behind its {counted(rows.rows, 'row')} ({source.damage})"
    if not reader.declared:
        raise LogError(str(path), "no value change dump: it declares no variable", "export it again")
    return rows


class _Reader:
    """Keeps what the dump declared and where it is."""

    def __init__(self, rows: Rows, bind: Binder, running: Running, times: Times) -> None:
        self.rows, self.bind, self.running, self.times = rows, bind, running, times
        self.scopes: list[str] = []
        self.known: dict[str, list[_Recorded]] = {}
        self.strange: dict[str, str] = {}
        self.scale = 1000
        self.time: int | None = 0
        self.declared = 0

    def declare(self, token: Token) -> None:
        from vcd.reader import TokenKind

        if token.kind is TokenKind.SCOPE:
            self.scopes.append(token.scope.ident)
        elif token.kind is TokenKind.UPSCOPE:
            del self.scopes[-1:]
        elif token.kind is TokenKind.TIMESCALE:
            unit = _PICOSECONDS.get(token.timescale.unit.value)
            if unit is None:
                raise ValueError(f"{token.span.start.line}: the time scale {token.timescale} is finer than picoseconds")
            self.scale = int(token.timescale.magnitude) * unit
        else:
            self.declared += 1
            name = ".".join((*self.scopes, token.var.reference if not isinstance(token.var.bit_index, int) else token.var.ref_str))
            bound = self.bind(name)
            if bound is None:
                self.strange[token.var.id_code] = visible(name)
            else:
                self.known.setdefault(token.var.id_code, []).append(_Recorded(bound[0], self.running.tags[bound[0]], token.var.size))

    def instant(self, ticks: int, line: int) -> None:
        """Time goes on."""
        ns = ticks * self.scale // 1000
        self.time = ns if -LIMIT <= ns < LIMIT and self.times.decide(Clock.SECONDS) else None
        if self.time is not None:
            self.rows.stamp(self.time)
        else:
            self.rows.set_aside(line, f"time {ticks} cannot be used beside the others")

    def change(self, token: Token) -> None:
        """A variable has a new value."""
        one = token.data
        value = one.value  # type: ignore[union-attr]
        if isinstance(value, str):
            if value not in ("0", "1"):
                return
            value = int(value)
        self.rows.rows += 1
        code: str = one.id_code  # type: ignore[union-attr]
        if self.time is None:
            self.rows.bad += 1
            return
        self.rows.usable += 1
        if code not in self.known:
            name = self.strange.get(code, f"the variable {code}")
            self.rows.unknown[name] = self.rows.unknown.get(name, 0) + 1
        for recorded in self.known.get(code, ()):
            bits = recorded.bits(value)
            if bits is None:
                self.rows.set_aside(token.span.start.line, f"value {value} is none of {recorded.declared.name}")
                continue
            self.rows.times.append(self.time)
            self.rows.tags.append(recorded.tag)
            self.rows.values.append(bits)
