"""One bit of a word that was moved or shifted, or passed through masks: the bit of which word it came from, and which mask took it away."""

from __future__ import annotations

from typing import TYPE_CHECKING

from whorlograph.engine.code import Const, Convert, Expr, Load, Op
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind
from whorlograph.model.types import ELEMENTARY

from ..circuit import Circuit
from ..languages import words_of
from ..trail import Link
from ..writers import Kind, Writer
from . import shifted, tallied
from .pins import explain_operand
from .rung_false import unpowered

if TYPE_CHECKING:
    from ..tracer import Tracer


MOST_BITS = 3  # of those that decide one
ROUNDS = 4  # scans one after the other


def add(tracer: Tracer, link: Link, writer: Writer, seen: Seen, depth: int, bit: int) -> bool:
    """Add to the link of a written word why one bit of it is as it is; False where it cannot be followed through what was computed."""
    circuit = tracer.circuit(seen.step)
    made = circuit.plain(writer.value)
    state = "on" if _bit(made, seen, bit) else "off"
    if isinstance(made, (Load, Const)):
        link.text += f"; its bit {bit} is {state}"
        explain_operand(tracer, link, made, seen, depth, bit)
        return True
    shift = shifted.shift_of(tracer, writer)
    if shift is not None:
        return _add_shifted(tracer, link, writer, shift, seen, depth, bit)
    joined = isinstance(made, Op) and made.code in ("AND", "OR")
    deciding = [one for one in (circuit.made(a) for a in made.args) if isinstance(one, (Load, Const))] if isinstance(made, Op) and joined else []
    if not isinstance(made, Op) or not joined or len(deciding) != len(made.args):
        return _add_decided(tracer, link, writer, seen, depth, bit)
    on = [one for one in deciding if _bit(one, seen, bit)]
    whole = len(on) == len(deciding) if made.code == "AND" else bool(on)
    wanted = [one for one in deciding if (one in on) == whole] if made.code == "OR" or not whole else on
    link.text += f"; its bit {bit} is {'on' if whole else 'off'}"
    names = [_name(tracer, one, seen) for one in wanted]
    if made.code == "AND" and not whole:
        link.text += f": bit {bit} of {' and of '.join(names)} takes it away"
    told = [one for one in wanted if isinstance(one, Load)] if whole == (made.code == "AND") else wanted  # a mask that lets it through says nothing
    for one in told or wanted:
        if not _add_former(tracer, link, writer, one, seen, depth, bit):
            explain_operand(tracer, link, one, seen, depth, bit)
    return True


def _add_decided(tracer: Tracer, link: Link, writer: Writer, seen: Seen, depth: int, bit: int) -> bool:
    """Of a word that is made of parts of others: the bits that decide the one in question."""
    decided = bits_behind(tracer.circuit(seen.step), writer.value, seen, bit)
    if decided is None:
        return False
    on, found = decided
    link.text += f"; its bit {bit} is {'on' if on else 'off'}"
    if found and all(one.at in seen.result.cells for one, _ in found):
        link.text += f", as bit {' and bit '.join(f'{b} of {_name(tracer, one, seen)}' for one, b in found[:MOST_BITS])}"
    for one, theirs in found[:MOST_BITS]:
        if not _add_former(tracer, link, writer, one, seen, depth, theirs):
            explain_operand(tracer, link, one, seen, depth, theirs)
    return True


def bits_behind(circuit: Circuit, value: Expr | None, seen: Seen, bit: int) -> tuple[bool, list[tuple[Load, int]]] | None:
    """What a bit of a value is, and the bits of the loads that decide it, through masks, fixed shifts and conversions that carry bits.

    None where it is computed otherwise.
    """
    made = circuit.made(value)
    if isinstance(made, Const):
        return _bit(made, seen, bit), []
    if isinstance(made, Load):
        return _bit(made, seen, bit), [(made, bit)] if bit < ELEMENTARY[made.type].bits else []
    if isinstance(made, Convert):
        inner = circuit.made(made.value)
        source, target = ELEMENTARY[made.value.type], ELEMENTARY[made.type]
        if made.rule not in ("TO", "HOLD", "WIDEN") or inner is None or not (source.of_bits and target.of_bits):
            return None
        return bits_behind(circuit, made.value, seen, bit) if bit < source.bits else (False, []) if source.low == 0 else None
    if not isinstance(made, Op):
        return None
    if made.code in ("SHL", "SHR"):
        by = circuit.literal(made.args[1])
        if by is None or not isinstance(by.value, int):
            return None
        before = bit - by.value if made.code == "SHL" else bit + by.value
        return bits_behind(circuit, made.args[0], seen, before) if 0 <= before < ELEMENTARY[made.type].bits else (False, [])
    parts = [bits_behind(circuit, one, seen, bit) for one in made.args] if made.code in ("AND", "OR", "NOT") else [None]
    known = [one for one in parts if one is not None]
    if len(known) < len(parts):
        return None
    if made.code == "NOT":
        return not known[0][0], known[0][1]
    on = all(p for p, _ in known) if made.code == "AND" else any(p for p, _ in known)
    deciding = [loads for p, loads in known if p == on]
    fixed = on == (made.code == "OR") and any(not loads for loads in deciding)  # a mask alone decides
    return on, [] if fixed else [one for loads in deciding for one in loads]


def _add_shifted(tracer: Tracer, link: Link, writer: Writer, shift: tuple[Op, Load, int], seen: Seen, depth: int, bit: int) -> bool:
    """Of a word that was shifted or rotated by a fixed number of places: the bit that stood there before, and what brought that."""
    made, word, by = shift
    width = ELEMENTARY[made.type].bits
    before = bit - by if made.code in ("SHL", "ROL") else bit + by
    if made.code in ("ROL", "ROR"):
        before %= width
    if word.at not in seen.result.cells:
        return False
    if not 0 <= before < width:
        link.text += f"; a zero was moved into its bit {bit}"
        _add_not_set(tracer, link, seen, depth, bit)
        return True
    link.text += f"; its bit {bit} is {'on' if _bit(word, seen, before) else 'off'}, which was bit {before} of {_name(tracer, word, seen)}"
    if made.code in ("ROL", "ROR") and _goes_round(tracer, link, writer, seen):
        link.text += f"; {tracer.place(writer.step)} alone writes it, and moves it on each time that it runs, in one scan after the other"
    elif not _add_former(tracer, link, writer, word, seen, depth, before):
        explain_operand(tracer, link, word, seen, depth, before)
    return True


def _goes_round(tracer: Tracer, link: Link, writer: Writer, seen: Seen) -> bool:
    """Whether a word is turned round by one write alone, without a condition and lately in each scan: no device has a part in its bits."""
    if link.tag is None or tracer.writers.get(link.tag) != [writer] or writer.guard is not None:
        return False
    shared = link.tag in tracer.again.shares or link.tag in tracer.external
    return not shared and seen.scan > ROUNDS and all(tallied.executed(tracer, writer, seen.scan - n) for n in range(1, ROUNDS))


def _add_former(tracer: Tracer, link: Link, writer: Writer, word: Load | Const, seen: Seen, depth: int, bit: int) -> bool:
    """Add what gave a bit of the word that a write changes before that: its own step, else an earlier one. False of any other word."""
    cell = seen.result.cells.get(word.at) if isinstance(word, Load) else None
    if cell is None or cell.number != link.tag:
        return False
    before = tracer.circuit(seen.step).before
    here = [w for w in tracer.writers.get(cell.number, ()) if w.step == seen.step and before(w.at, writer.at) and w.bit in (-1, bit)
            and w.at in seen.result.stored]
    last = max(here, key=lambda w: w.at, default=None)
    child = tracer.links.gave(tracer, cell.number, last, seen.scan, depth + 1, bit) if last is not None else \
        tracer.explain(cell.number, tracer.view_of(seen.step, seen.scan), False, depth + 1, bit)
    link.children += [child] if child is not None else []
    return True


def _add_not_set(tracer: Tracer, link: Link, seen: Seen, depth: int, bit: int) -> None:
    """Add what would have set a bit of a word in the scan, under a condition that did not hold."""
    for other in tracer.writers.get(link.tag, ()) if link.tag is not None else ():
        power = other.power if other.kind is Kind.SET else other.guard
        circuit = tracer.circuit(other.step)
        made = circuit.plain(other.value)
        masks = [literal for arg in made.args if (literal := circuit.literal(arg)) is not None] if isinstance(made, Op) and made.code == "OR" else []
        sets = other.bit == bit if other.kind is Kind.SET else any(_bit(mask, seen, bit) for mask in masks)
        if sets and power is not None and not tallied.executed(tracer, other, seen.scan):
            step = tracer.steps.all[other.step]
            what = words_of(step).writing(words_of(step).source(step, other.element, tracer.passing(other.step, other.at)), tracer.name(link.tag))
            child = unpowered(tracer, None, other.step, other.element, power, seen.scan, depth + 1, LinkKind.NEVER_SET, what)
            link.children += [child] if child is not None else []


def taken_away(tracer: Tracer, tag: int, scan: int) -> str:
    """Of a word that a mask passes through: the bits that it took away in a step's last evaluation, in words; "" where it took none."""
    for writer in tracer.writers.get(tag, ()):
        circuit, made = tracer.circuit(writer.step), tracer.circuit(writer.step).made(writer.value)
        if not isinstance(made, Op) or made.code != "AND" or tracer.paths.skipped(tracer.journal, writer.step, scan) is not None:
            continue
        seen = tracer.seen(writer.step, scan)
        args = [one for one in (circuit.made(a) for a in made.args) if isinstance(one, (Load, Const))]
        still = [one for one in args if isinstance(one, Const) or not _written(tracer, one, seen)]
        for mask in still or args[-1:]:  # what no rung writes is the mask; of words that are both written the second
            others = [one for one in args if one is not mask]
            bits = [n for n in range(64) if not _bit(mask, seen, n) and others and all(_bit(one, seen, n) for one in others)]
            if bits:
                of = " and ".join(_name(tracer, one, seen) for one in others)
                return f"{_name(tracer, mask, seen)} takes away bit{'s' * (len(bits) > 1)} {', '.join(map(str, bits))} of {of}"
    return ""


def _written(tracer: Tracer, one: Load, seen: Seen) -> bool:
    cell = tracer.cell(one, seen)
    return cell is not None and bool(tracer.writers.get(cell.number))


def _bit(one: Expr | None, seen: Seen, bit: int) -> bool:
    raw = one.value if isinstance(one, Const) else seen.result.raws.get(one.at, 0) if isinstance(one, Load) else 0
    return isinstance(raw, int) and bool(raw >> bit & 1)


def _name(tracer: Tracer, one: Load | Const, seen: Seen) -> str:
    cell = seen.result.cells.get(one.at) if isinstance(one, Load) else None
    return tracer.name(cell.number) if cell is not None else f"the mask {one.value}" if isinstance(one, Const) else "a value"
