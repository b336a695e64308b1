"""How a body addresses its cells: by number where its instance is known, relative to a base handed over where it is not."""

from __future__ import annotations

from whorlograph.engine.code import Base, Body, Code, Instance, Spot, Target

from . import layout as at


class Placing:
    """Numbers and addresses of a body's cells as WebAssembly expressions.

    Args: instance: where the body lies for good (programs, functions); None where it is handed over at each call.
    """

    def __init__(self, code: Code, body: Body, instance: Instance | None) -> None:
        self.code, self.body, self.instance = code, body, instance

    def fixed(self, base: int) -> int | None:
        """The number that a base stands for, where it is known."""
        if base == Base.GLOBAL:
            return 0
        if self.instance is None or base == Base.PARAM:
            return None
        return self.instance.hidden if base == Base.HIDDEN else self.instance.own

    def number(self, target: Target, index: str = "") -> str:
        """A target's cell number, i32; ``index``: what its subscripts add."""
        fixed = self.fixed(target.base)
        if fixed is not None:
            text = f"(i32.const {fixed + target.cell})"
        else:
            text = _plus(f"(local.get {self._local(target)})", target.cell)
        return f"(i32.add {text} {index})" if index else text

    def address(self, target: Target, index: str = "") -> tuple[str, int]:
        """(address, offset) of a target's cell for a load or store."""
        fixed = self.fixed(target.base)
        scaled = f"(i32.shl {index} (i32.const 3))" if index else ""
        if fixed is not None:
            where = at.CELLS + 8 * (fixed + target.cell)
            return (scaled, where) if index else (f"(i32.const {where})", 0)
        base = f"(local.get {self._local(target)}8)"
        return (f"(i32.add {base} {scaled})" if index else base), at.CELLS + 8 * target.cell

    @staticmethod
    def _local(target: Target) -> str:
        return {Base.HIDDEN: "$hid", Base.OWN: "$own"}.get(Base(target.base)) or f"$r{target.param}"

    # instances

    def own_of(self, spot: Spot) -> str:
        """The number of an instance's first tag, i32."""
        if spot.base == Base.GLOBAL:
            return f"(i32.const {self.code.instances[spot.own].own})"
        return self.number(Target(spot.base, spot.own, "", (), 0, 0, spot.param))

    def hidden_of(self, spot: Spot) -> str:
        """The number of an instance's first hidden cell, i32."""
        if spot.base == Base.GLOBAL:
            return f"(i32.const {self.code.instances[spot.own].hidden})"
        if spot.base == Base.PARAM:
            return _plus(f"(local.get $r{spot.param}h)", spot.hidden)
        return self.number(Target(Base.HIDDEN, spot.hidden, ""))

    def step_of(self, spot: Spot) -> str:
        """The number of an instance's first step, i32."""
        if spot.base == Base.GLOBAL:
            return f"(i32.const {self.code.instances[spot.own].first})"
        if spot.base == Base.PARAM:
            return _plus(f"(local.get $r{spot.param}s)", spot.step)
        if self.instance is not None:
            return f"(i32.const {self.instance.inner + spot.step - len(self.body.steps)})"
        return _plus("(local.get $at)", spot.step)


def _plus(text: str, number: int) -> str:
    return f"(i32.add {text} (i32.const {number}))" if number else text
