"""``block``: an output of a block, or a value that a block computed; what went in comes next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec.structs import replace

from whorlograph.engine.code import Call, Edge, Expr, Load, Op, Target
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.engine.scope.widening import COMPARISONS
from whorlograph.model.blocks import COUNTERS, STANDARD_BLOCKS, TIMERS
from whorlograph.model.question import LinkKind

from ..circuit import Leaf
from ..languages import words_of
from ..tracer import DEEPEST, Vantage
from ..trail import Link
from ..writers import BlockCall, Kind, Writer
from . import (
    assumed,
    counter_short,
    edge,
    in_vain,
    not_met,
    rung_false,
    standing_reset,
    timer_running,
)
from .block_pins import is_fed, pin_fell, pin_off, pin_on
from .field_input import input_link
from .pins import explain_value, reads_otherwise
from .rung_false import unpowered
from .rung_true import powered

if TYPE_CHECKING:
    from ..tracer import Tracer


def label_of(tracer: Tracer, step: int, element: int, at: int) -> str:
    """A block as it is called. Args: at: the node that executes it."""
    return words_of(tracer.steps.all[step]).block(tracer.steps.all[step], element, tracer.passing(step, at))


def enabled(tracer: Tracer, step: int, name: str) -> str:
    """What decides whether something of a step is executed, in its language's words."""
    return words_of(tracer.steps.all[step]).enabled(name)


def fed(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int) -> Link | None:
    """An input pin of an instance: what is wired to it."""
    step, guard, value = writer.step, writer.guard, tracer.value(tag, tracer.journal.settled(tag, scan))
    label = label_of(tracer, step, writer.element, writer.at)
    if guard is not None and writer.at not in tracer.seen(step, scan).result.stored:
        kept_ = unpowered(tracer, tag, step, writer.element, guard, scan, depth, LinkKind.NEVER_SET, f"{label}, which takes {tracer.name(tag)} in,")
        if kept_ is not None:
            kept_.value = value
        return kept_
    if tracer.boolean(tag):
        came = tracer.since_done(tag, tracer.seen(step, scan)) == tracer.time(scan)
        if not value and came:
            return rung_false.changed(tracer, tag, replace(writer, power=writer.value), scan, depth)
        found = powered(tracer, tag, step, writer.element, writer.value, scan, depth, LinkKind.RUNG_TRUE, came) if value else \
            unpowered(tracer, tag, step, writer.element, writer.value, scan, depth)
        if found is not None:
            found.value = value
        return found
    text = f"{tracer.name(tag)} is what {tracer.place(step)} gives to {label}"
    number = Link(LinkKind.BLOCK, tag, value, None, step, scan, text, writer.element)
    explain_value(tracer, number, writer.value, tracer.seen(step, scan), depth)
    return number


def output_in(tracer: Tracer, tag: int, seen: Seen, depth: int, change: bool) -> Link | None:
    """Why an output stands as it does of a block that the same step executed."""
    here = [w for w in tracer.writers.get(tag, ()) if w.step == seen.step and w.kind is Kind.BLOCK]
    circuit = tracer.circuit(seen.step)
    # Of several places that execute it the first that did.
    came = [w for w in here if all(circuit.on(g, seen.result) for g in w.guards)]
    writer = min(came or here, key=lambda w: w.at, default=None)
    call = tracer.written.block(writer.step, writer.at) if writer is not None else None
    if call is None:  # a block of the file: its own rungs wrote it
        return tracer.explain(tag, Vantage(seen.scan), change, depth)
    return output(tracer, call, tag, seen.scan, depth, change)


def output(tracer: Tracer, call: BlockCall, tag: int, scan: int, depth: int, change: bool) -> Link | None:
    """Why an output of a standard block is as it is."""
    tracer.spent += 1
    key = (tag, -2 - scan)  # a trail that comes back to the same execution of a block says nothing more
    if tracer.spent > tracer.most or depth > DEEPEST or key in tracer.open:
        return None
    tracer.open.add(key)
    try:
        return _executed(tracer, call, tag, scan, depth, change)
    finally:
        tracer.open.discard(key)


def _several(tracer: Tracer, call: BlockCall) -> bool:
    """Whether a step executes a block in more than one place."""
    output = call.tags["QU" if "QU" in call.tags else "Q1" if "Q1" in call.tags else "Q"]
    return len({w.at for w in tracer.writers.get(output, ()) if w.step == call.step and w.kind is Kind.BLOCK}) > 1


def _one_of_several(tracer: Tracer, call: BlockCall, label: str, tag: int, seen: Seen, depth: int, change: bool) -> Link:
    """An output of a block that its step executes in several places: what it gave there, and since when its input was there."""
    name = tracer.name(tag).rpartition(".")[2]
    cell = next((at for at, c in seen.result.cells.items() if c.number == tag and at in seen.result.raws), None)
    value = tracer.value(tag, int(seen.result.raws[cell]) if cell is not None else tracer.journal.value_at(tag, seen.after))
    text = f"{label} gave {name} {tracer.state_word(value)} in {tracer.place(call.step)}"
    last = tracer.journal.last_row(tag, seen.after)
    stood = last is not None and cell is None  # what one of several executions gave in between has no instant of its own
    since = tracer.journal.time(last) if last is not None and stood else None
    found = Link(LinkKind.BLOCK, tag if stood or last is None else None, value, since, call.step, seen.scan, text, call.element)
    first = call.tags.get("IN", call.tags.get("CU", call.first))
    stays = _stays_on(tracer, call, label, first, seen, depth) if value is True and call.kind == "TON" and name == "Q" else None
    if stays is not None:
        found.children.append(stays)
        return found
    row = tracer.journal.last_row(first, seen.position)
    if row is not None and tracer.journal.step(row) >= 0 and depth < DEEPEST:
        child = tracer.change(row, depth + 1)
        if child is not None:
            found.children.append(child)
    return found


def _stays_on(tracer: Tracer, call: BlockCall, label: str, tag: int, seen: Seen, depth: int) -> Link | None:
    """What keeps the input of an on-delay on that has elapsed: the place that gave it TRUE in this evaluation; None where that is not one."""
    here = [w for w in tracer.writers.get(tag, ()) if w.step == call.step and w.kind is Kind.SET and w.at in seen.result.stored]
    if len(here) != 1 or depth >= DEEPEST:
        return None
    found = powered(tracer, tag, call.step, here[0].element, here[0].power, seen.scan, depth + 1, LinkKind.RUNG_TRUE, False, f"IN of {label}", True)
    if found is not None:
        found.since = tracer.since(tag, tracer.view_of(call.step, seen.scan))  # the step may have taken it away again
    return found


def _executed(tracer: Tracer, call: BlockCall, tag: int, scan: int, depth: int, change: bool) -> Link | None:
    """A standard block's output, where the block's turn has come."""
    label = label_of(tracer, call.step, call.element, call.at)
    circuit, seen = tracer.circuit(call.step), tracer.seen(call.step, scan)
    if call.guard is not None and not circuit.on(call.guard, seen.result):
        row = tracer.journal.last_row(tag, seen.after)
        since = tracer.journal.time(row) if row is not None else None
        value = tracer.value(tag, tracer.journal.value_at(tag, seen.after))
        found = Link(LinkKind.BLOCK, tag, value, since, call.step, scan, f"{label} is not executed in {tracer.place(call.step)}", call.element)
        child = unpowered(tracer, None, call.step, call.element, call.guard, scan, depth + 1, what=enabled(tracer, call.step, label))
        if child is not None:
            found.children.append(child)
        return found
    if _several(tracer, call):
        return _one_of_several(tracer, call, label, tag, seen, depth, change)
    pin = next((name for name, _ in STANDARD_BLOCKS[call.kind][0] if call.tags[name] == tag), None)
    if pin is not None:
        taken_in = Writer(call.step, call.at, call.element, Kind.PIN, guards=call.guards, value=call.pins.get(pin))
        return fed(tracer, tag, taken_in, scan, depth) if pin in call.pins else input_link(tracer, tag, seen.after)
    if tracer.now is not None and not tracer.now.assumed.keys().isdisjoint(call.tags.values()):
        return assumed.link(tracer, call, label, tag, scan, depth)
    if call.kind in TIMERS:
        return timer_running.link(tracer, call, label, scan, depth, change)
    if call.kind in COUNTERS:
        return counter_short.link(tracer, call, label, tag, scan, depth, change)
    return _bistable(tracer, call, label, scan, depth, change)


def function(tracer: Tracer, at: int, leaf: Leaf | None, seen: Seen, depth: int, change: bool) -> Link | None:
    """Why the result of a function, or of a computation, is as it is; where it has changed only what was read otherwise before."""
    step = seen.step
    element = tracer.origin(step, at).element
    name = label_of(tracer, step, element, at) or words_of(tracer.steps.all[step]).gate(tracer.steps.all[step], element, "", tracer.passing(step, at))
    value = seen.result.values.get(at)
    text = f"{name} in {tracer.place(step, element)} gives {tracer.state_word(value)}"
    found = Link(LinkKind.BLOCK, None, value, None, step, seen.scan, text, element)
    parts: list[Expr | Edge | None] = [*tracer.circuit(step).inputs(leaf)] if isinstance(leaf, Call) else [leaf]
    before = tracer.before(seen) if change else None
    if before is not None:
        parts = [one for one in parts if reads_otherwise(tracer, one, seen, before)] or parts
    for one in parts:
        explain_value(tracer, found, one, seen, depth, before=before)
    return found


def kept(tracer: Tracer, load: Load, seen: Seen, depth: int, change: bool) -> Link | None:
    """Why the result of a function behind EN is as it is: computed now, or kept since EN went off."""
    circuit = tracer.circuit(seen.step)
    store = circuit.kept.get(load.target.cell)
    if store is None:
        return None
    guards = tracer.written.guards(seen.step, store)
    element = tracer.origin(seen.step, load.at).element
    name = label_of(tracer, seen.step, element, load.at)
    if guards is not None and not circuit.on(guards, seen.result):
        return unpowered(tracer, None, seen.step, element, guards, seen.scan, depth, what=enabled(tracer, seen.step, name))
    if guards is not None and change and not circuit.on(guards, tracer.seen(seen.step, seen.scan - 1).result):
        return powered(tracer, None, seen.step, element, guards, seen.scan, depth, LinkKind.RUNG_TRUE, True, enabled(tracer, seen.step, name))
    made = circuit.behind(store.value)
    leaf: Leaf = made if made is not None else store.value
    found = not_met.link(tracer, made, seen, depth, change) if isinstance(made, Op) and made.code in COMPARISONS else \
        function(tracer, store.at, leaf, seen, depth, change)
    if guards is not None and not change and found is not None and found.value:
        child = powered(tracer, None, seen.step, element, guards, seen.scan, depth + 1, LinkKind.RUNG_TRUE, False, enabled(tracer, seen.step, name))
        if child is not None and (child.roots or child.children):
            found.children.append(child)
    return found


def _bistable(tracer: Tracer, call: BlockCall, label: str, scan: int, depth: int, change: bool) -> Link | None:
    """SR and RS: the input that decided, at the instant it did; an edge: what made it."""
    step, element = call.step, call.element
    output_tag = call.tags.get("Q1", call.tags.get("Q", call.first))
    done = tracer.seen(step, scan).after
    row = tracer.journal.last_row(output_tag, done)
    value = bool(tracer.journal.value_at(output_tag, done))
    since = tracer.journal.time(row) if row is not None else None
    if call.kind in ("R_TRIG", "F_TRIG"):
        return _trigger(tracer, call, label, output_tag, scan, depth, change)
    at_scan = tracer.scan_of(row) if row is not None else scan
    setter, resetter = ("S1", "R") if call.kind == "SR" else ("S", "R1")
    state = "set" if value else ("reset" if row is not None else "never set")
    when = f" at {tracer.at(since)}" if since is not None else ""
    rule = "its set dominates" if call.kind == "SR" else "its reset dominates"
    text = f"{label} in {tracer.place(step)} was {state}{when} ({rule})"
    found = Link(LinkKind.BLOCK, output_tag, value, since, step, scan, text, element)
    decided = setter if value else resetter if row is not None else ""
    both = not change and all(p in call.pins and tracer.circuit(step).on(call.pins[p], tracer.seen(step, scan).result) for p in (setter, resetter))
    if both:  # what stands now decides, not what came first
        decided, at_scan = (setter if call.kind == "SR" else resetter), scan
        found.text = f"{label} in {tracer.place(step)}: {setter} and {resetter} are both on, and {rule}"
    vain = in_vain.set_while_reset(tracer, call, tracer.scan_of(row) if row is not None else 0, scan) if not (value or change or both) else None
    if vain is not None:
        stood = f"{setter} came at {tracer.at(tracer.time(vain))} while {resetter} was on, and {rule}"
        found.text = f"{label} in {tracer.place(step)} was {state}{when}: {stood}" if row is not None else f"{label} in {tracer.place(step)}: {stood}"
        child = powered(tracer, None, step, element, call.pins[resetter], vain, depth + 1, LinkKind.RUNG_TRUE, False, f"{resetter} of {label}")
        if child is not None:
            found.children.append(child)
        decided = ""
    let_go = _let_go(tracer, call, decided, resetter if decided == setter else setter, label, at_scan, depth) if row is not None else None
    if let_go is not None:
        found.children.append(let_go)
    if decided and is_fed(tracer, call, decided):
        child = pin_on(tracer, call, decided, label, at_scan, depth + 1, True)
        if child is not None:
            for root in child.all_roots() if let_go is not None else ():
                root.changed = False
            found.children.append(child)
    missing = resetter if value else setter
    if is_fed(tracer, call, missing) and not change and not both:
        child = pin_off(tracer, call, missing, label, scan, depth + 1)
        if child is not None and (child.blockers or missing not in call.pins):
            found.children.append(child)
    if not (value or change or both or vain is not None):
        standing_reset.of_bistable(tracer, found, call, label, scan, depth)
    return found


def _let_go(tracer: Tracer, call: BlockCall, decided: str, other: str, label: str, scan: int, depth: int) -> Link | None:
    """Of a bistable that turned because the pin that dominates fell, while the other stood already: that fall."""
    if scan < 2 or not decided or other not in ("S1", "R1") or not is_fed(tracer, call, other):
        return None
    before = tracer.seen(call.step, scan - 1).after
    if not all(tracer.journal.value_at(call.tags[pin], before) for pin in (decided, other)):
        return None
    return pin_fell(tracer, call, other, label, scan, depth + 1, f", while {decided} stood")


def _trigger(tracer: Tracer, call: BlockCall, label: str, tag: int, scan: int, depth: int, change: bool) -> Link | None:
    """R_TRIG and F_TRIG: on in the one evaluation that saw the edge; what made it, else why there is none."""
    step, element, clock = call.step, call.element, call.pins.get("CLK")
    rising, journal = call.kind == "R_TRIG", tracer.journal
    done = tracer.seen(step, scan).after
    row, value = journal.last_row(tag, done), bool(journal.value_at(tag, done))
    since = journal.time(row) if row is not None else None
    word = "rise" if rising else "fall"
    ended = change and not value and row is not None
    text = f"{label} saw a {word} in {tracer.place(step)}" if value else \
        f"{label} saw its {word} in one evaluation only" if ended else f"{label} sees no {word} in {tracer.place(step)}"
    found = Link(LinkKind.BLOCK, tag, value, since, step, scan, text, element)
    if clock is None and not is_fed(tracer, call, "CLK"):
        return found
    seen_at = scan if value and row is None else tracer.scan_of(row) if value and row is not None else scan
    if ended and row is not None:
        came = journal.last_row(tag, row)
        seen_at = tracer.scan_of(came) if came is not None else scan
    if clock is None:
        child = tracer.explain(call.tags["CLK"], tracer.view_of(step, seen_at), value or ended, depth + 1)
    elif value or ended:
        made = Edge(0, Target(0, 0, "BOOL"), clock, rising, -1)
        child = edge.fell(tracer, f"the fall of CLK of {label}", step, element, made, seen_at, depth + 1) if not rising else \
            pin_on(tracer, call, "CLK", label, seen_at, depth + 1, True)
    elif tracer.circuit(step).on(clock, tracer.seen(step, scan).result):
        child = pin_on(tracer, call, "CLK", label, scan, depth + 1, change)
    else:
        child = pin_off(tracer, call, "CLK", label, scan, depth + 1)
    if child is not None:
        found.children.append(child)
    return found
