"""Between which values a number stays, as far as the program shows it: by what it begins with and what is written to it."""

from __future__ import annotations

from whorlograph.engine.code import Convert, Expr, Load, Op
from whorlograph.model.literals import cooked
from whorlograph.model.program import VariableKind
from whorlograph.model.types import ELEMENTARY

from ...circuit import Circuit
from ...links.passes import in_loop
from ...writers import Kind, Writer
from ..facts import Facts
from ..guard_too_high import let_through
from .rounds import between, round_of

Span = tuple[int, int]

_DEEP = 6  # sums of sums
_NESTED = 2  # tags that hang on one another


class Reach:
    """The least and the most that whole numbers may be at one place of the order of execution; never less than what they really can be.

    Args: everywhere: what is known of tags at any place, shared between places.
    """

    def __init__(self, facts: Facts, place: Writer, everywhere: dict[int, Span]) -> None:
        self.facts, self.place, self.everywhere = facts, place, everywhere
        self.turns = False  # whether a round was met, which goes further at some places than at others
        self.known: dict[int, Span] = {}
        self.open: list[int] = []

    def value(self, circuit: Circuit, step: int, value: Expr | None, depth: int = 0) -> Span:
        """Of a value in a step."""
        made = circuit.made(value)
        while isinstance(made, Convert) and made.rule in ("WIDEN", "HOLD"):
            made = circuit.made(made.value)
        literal = circuit.literal(made)
        if literal is not None and isinstance(literal.value, int):
            return literal.value, literal.value
        if isinstance(made, Load):
            tags = self.facts.loaded(step, made)
            spans = [self.tag(tag, depth + 1) for tag in tags]
            return (min(s[0] for s in spans), max(s[1] for s in spans)) if spans else _ANY
        if not isinstance(made, Op) or depth > _DEEP:
            return _ANY
        low, high = _computed(made.code, [self.value(circuit, step, arg, depth + 1) for arg in made.args])
        type_ = ELEMENTARY.get(made.type)
        if made.code == "ABS" and type_ is not None:
            high = min(high, type_.high)  # of the lowest number alone it is none
        return (low, high) if type_ is None or not type_.whole or (type_.low <= low and high <= type_.high) else (type_.low, type_.high)

    def tag(self, tag: int, depth: int = 0) -> Span:
        """Of a tag at the place."""
        if tag in self.everywhere:
            return self.everywhere[tag]
        if tag not in self.known:
            type_ = self.facts.tag(tag).type
            whole = (type_.low, type_.high) if type_.whole else _ANY
            address, writers = self.facts.tag(tag).address, self.facts.writers_of(tag)
            # Nobody outside gives what is declared within.
            given = writers or tag in self.facts.handed or (address is None and self.facts.tag(tag).kind is VariableKind.LOCAL)
            outside = tag in self.facts.logged or not given or (address is not None and address.area == "I")
            if outside or not type_.whole or len(self.open) >= _NESTED or depth > _DEEP:
                return whole
            self.open.append(tag)
            found = self._written(tag, writers, whole, depth)
            self.open.pop()
            # What was found while another tag's span was only supposed holds for that supposition.
            if not self.open and not self.turns:
                self.everywhere[tag] = found
            self.known = {one: span for one, span in self.known.items() if one in self.open} if self.open else {**self.known, tag: found}
            return found
        return self.known[tag]

    def _written(self, tag: int, writers: list[Writer], whole: Span, depth: int) -> Span:
        facts = self.facts
        if any(w.kind is not Kind.VALUE or w.bit >= 0 for w in writers):
            return whole
        first = int(cooked(facts.tag(tag).initial, facts.tag(tag).type))
        made = round_of(facts, tag) if tag not in facts.handed else None
        if made is not None and facts.both_run(made[0].step, made[1].writer.step) and not in_loop(facts.tracer, made[0]):
            self.turns, (adder, wrap) = True, made
            literals = [c.value for w in writers if (c := facts.tracer.circuit(w.step).literal(w.value)) is not None and isinstance(c.value, int)]
            given = [first, *literals]
            return (min(given), wrap.begins - between(facts, adder, wrap.writer, self.place)) if max(given) < wrap.begins else whole
        begun = [(first, first) if value is None else self.value(facts.tracer.circuit(step), step, value, depth + 1)
                 for step, value in facts.handed.get(tag, [(0, None)])]
        found, more = (min(s[0] for s in begun), max(s[1] for s in begun)), 1
        while True:
            self.known[tag] = found
            spans = [*begun, *(self._given(tag, writer, depth) for writer in writers)]
            low, high = min(s[0] for s in spans), max(s[1] for s in spans)
            if found[0] <= low and high <= found[1]:
                return low, high
            if found == whole:
                return whole
            # Supposed to reach further each time: soon it stays within what is supposed, or leaves its type.
            found = (max(whole[0], min(found[0], low - more * (low < found[0]))), min(whole[1], max(found[1], high + more * (high > found[1]))))
            more *= 2

    def _given(self, tag: int, writer: Writer, depth: int) -> Span:
        """What a writer gives a tag, with the conditions around it where they limit the tag itself."""
        found = self.known[tag]
        low, high = let_through(self.facts, writer, tag)
        self.known[tag] = (found[0] if low is None else max(found[0], low), found[1] if high is None else min(found[1], high))
        given = self.value(self.facts.tracer.circuit(writer.step), writer.step, writer.value, depth + 1)
        self.known[tag] = found
        return given


_ANY = (-(1 << 64), 1 << 64)


def _computed(code: str, args: list[Span]) -> Span:
    """Of an operation on whole numbers, by those of its operands."""
    first, second = args[0], args[-1]
    if code == "ADD":
        return sum(a[0] for a in args), sum(a[1] for a in args)
    if code == "SUB":
        return first[0] - second[1], first[1] - second[0]
    if code == "MUL" and len(args) == 2:
        ends = [a * b for a in first for b in second]
        return min(ends), max(ends)
    if code == "MOD" and second[0] == second[1] > 0:
        most = second[0] - 1
        return (max(-most, first[0]) if first[0] < 0 else 0), min(most, max(0, first[1]))
    if code == "DIV" and second[0] == second[1] > 0 and first[0] >= 0:
        return first[0] // second[0], first[1] // second[0]
    if code == "MIN":
        return min(a[0] for a in args), min(a[1] for a in args)
    if code == "MAX":
        return max(a[0] for a in args), max(a[1] for a in args)
    if code == "LIMIT" and len(args) == 3:
        return max(args[0][0], min(args[1][0], args[2][0])), min(args[2][1], max(args[1][1], args[0][1]))
    if code == "ABS":
        return 0, max(abs(first[0]), abs(first[1]))
    return _ANY
