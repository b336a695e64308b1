"""``rung-false``: no complete path brings power."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct, field

from whorlograph.engine.code import Edge, Expr, Load
from whorlograph.engine.evaluate.steps import Seen
from whorlograph.model.question import LinkKind, RootKind

from .. import auxiliary
from ..circuit import Circuit, Gate, Path
from ..languages import words_of
from ..trail import Link, Root
from ..writers import Writer
from . import takes_over, would_have_kept
from .gates import MOST_GATES, at_once, distinct, elements_of, explain_gate, gate_key, gate_tag, gate_time, gate_words, several_words
from .step_before import step_before

if TYPE_CHECKING:
    from ..tracer import Tracer

MOST_INSTEAD = 2  # others that are named in a sentence


class Lacking(Struct, frozen=True):
    """What would complete a path: the gates; what bars every path, whatever the inputs are; other sets of as many gates."""

    gates: list[Gate] = field(default_factory=list)
    barred: str = ""
    others: list[list[Gate]] = field(default_factory=list)


def changed(tracer: Tracer, tag: int, writer: Writer, scan: int, depth: int, name: str = "") -> Link | None:
    """The coil lost its power in this scan: the contact that opened first on the path that was lost last. Args: name: of what it switches."""
    now, before = tracer.seen(writer.step, scan), tracer.seen(writer.step, scan - 1)
    assert writer.power is not None
    lost = first_out(tracer, writer.power, now, before)
    if not lost:
        return stands(tracer, tag, writer, scan, depth)
    time, since = tracer.time(scan), tracer.since_done(tag, now)
    edge = isinstance(tracer.circuit(writer.step).leaves.get(lost[0].at), Edge)
    how = f"{gate_words(tracer, lost[0], now)} passes in one scan only" if edge else opened_words(tracer, lost, now)
    went = f"went {'on' if writer.inverted else 'off'} at {tracer.at(tracer.ran_at(writer.step, scan))}"
    if since != time:  # something else takes it away in every scan: from then on it does not even come
        went = f"is {'on' if writer.inverted else 'off'} behind {tracer.place(writer.step)} from {tracer.at(time)} on"
    text = f"{name or tracer.name(tag)} {went}: in {tracer.place(writer.step, writer.element)} {how}"
    link = Link(LinkKind.RUNG_FALSE, tag, writer.inverted, since, writer.step, scan, text, writer.element, elements_of(tracer, lost, writer.step))
    takes_over.add(tracer, link, tag, writer, lost, now)
    for gate in lost[:3]:
        explain_gate(tracer, link, gate, now, depth, change=True)
    would_have_kept.add(tracer, link, writer.power, lost, now, depth)
    return link


def first_out(tracer: Tracer, power: Expr, now: Seen, before: Seen) -> list[Gate]:
    """The gates that opened on paths that were complete before: first-out of the path lost last, then the others'."""
    circuit = tracer.circuit(now.step)
    firsts: list[tuple[tuple[int, int], Gate]] = []
    for path in circuit.complete(power, before.result):
        opened = circuit.open_gates(path, now.result)
        if opened:
            ordered = sorted(opened, key=lambda g: gate_time(tracer, g, now))
            firsts += [(gate_time(tracer, ordered[0], now), g) for g in at_once(tracer, ordered, now)]
    firsts.sort(key=lambda f: f[0], reverse=True)
    return list(dict.fromkeys(g for _, g in firsts))


def opened_words(tracer: Tracer, lost: list[Gate], now: Seen) -> str:
    """What opened first; of what opened at one instant all, for nobody knows their order."""
    words = list(dict.fromkeys(gate_words(tracer, g, now) for g in at_once(tracer, lost, now)))
    fell = words_of(tracer.steps.all[now.step]).fell()
    return f"{words[0]} {fell} first" if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]} {fell} at once"


def stands(tracer: Tracer, tag: int | None, writer: Writer, scan: int, depth: int, kind: LinkKind = LinkKind.RUNG_FALSE,
           lacks: str = "") -> Link | None:
    """The coil has no power: the smallest set of gates that would complete a path."""
    so = ", so its negated coil is on" if writer.inverted else ""
    found = unpowered(tracer, tag, writer.step, writer.element, writer.power, scan, depth, kind, lacks=lacks, under=writer.guard, so=so)
    if found is not None and writer.inverted:
        found.value = True
    return found


def unpowered(tracer: Tracer, tag: int | None, step: int, element: int, power: Expr | None, scan: int, depth: int,
              kind: LinkKind = LinkKind.RUNG_FALSE, what: str = "", lacks: str = "", under: Expr | None = None,
              before: Seen | None = None, so: str = "") -> Link | None:
    """No power arrives at an element: which gates block, and why each does.

    Args: lacks: how that is said, "" in the language's words; under: the condition under which that is looked at at all; before: the step as it
        was when power arrived: what opened since then changed; so: what comes of it, in words.
    """
    seen = tracer.seen(step, scan)
    opened = first_out(tracer, power, seen, before) if before is not None and power is not None else []
    lacking = Lacking(opened) if opened else lacking_of(tracer, power, seen, tag, under)
    blocking, barred = lacking.gates, lacking.barred
    since = tracer.since_done(tag, seen) if tag is not None else None
    name = what or tracer.name(tag)
    if barred:
        text = f"{name}: every path of {tracer.place(step)} {barred}{so}"
        return Link(kind, tag, False, since, step, scan, text, element, roots=[barred_root(tracer, tag, step, text)])
    if not blocking and power is not None and tracer.circuit(step).on(power, seen.result):
        return None  # the value was seen before this step had its turn
    if not blocking:
        why = f"nothing is wired to it in {tracer.place(step)}" if power is None else f"what {tracer.place(step)} gives it is FALSE"
        return Link(kind, tag, False, since, step, scan, f"{name} is off: {why}{so}", element)
    verb = "block" if len(distinct(tracer, blocking, seen)) > 1 else "blocks"
    words = several_words(tracer, blocking, seen)
    leaves = tracer.circuit(step).leaves
    if tag is not None and all(g.negated and gate_tag(tracer, g, seen) == tag and isinstance(leaves.get(g.at), Load) for g in blocking):
        verb += f", for {tracer.name(tag)} was on until then"  # it is turned over each time that this is executed
    text = f"{name} {lacks or words_of(tracer.steps.all[step]).powered(False)} in {tracer.place(step, element)}: {words} {verb}{so}"
    text += instead_words(tracer, lacking, seen)
    link = Link(kind, tag, False, since, step, scan, text, element, elements_of(tracer, blocking, step), about=what if tag is None else "")
    ordered = sorted(blocking, key=lambda g: gate_time(tracer, g, seen), reverse=True)
    first = step_before(tracer, tag, blocking, seen) if tag is not None and len(blocking) > 1 else None
    for gate in distinct(tracer, ordered, seen)[:MOST_GATES]:
        known = {id(root) for root in link.all_roots()}
        explain_gate(tracer, link, gate, seen, depth, change=bool(opened))
        for root in link.all_roots() if first is not None and gate is not first else ():
            root.later = root.later or id(root) not in known
    return link


def barred_root(tracer: Tracer, tag: int | None, step: int, text: str) -> Root:
    """The root of what no input can give power. Args: text: why."""
    return Root(RootKind.PROGRAM, tag, False, None, text, f"correct {tracer.place(step)}", step=step, defect=True, never=True)


def smallest_set(tracer: Tracer, power: Expr | None, seen: Seen, tag: int | None = None) -> tuple[list[Gate], str]:
    """The fewest gates that would complete a path, and what bars every path, whatever the inputs are."""
    found = lacking_of(tracer, power, seen, tag)
    return found.gates, found.barred


def lacking_of(tracer: Tracer, power: Expr | None, seen: Seen, tag: int | None = None, under: Expr | None = None) -> Lacking:
    """The fewest gates that would complete a path; of equally few, those that changed last, else those that most look at inputs.

    A seal-in of a coil on the trail is no way in, unless there is no other; nor is a path that contradicts itself. A path through the
    auxiliary of the coil's own contactor comes after one of as many gates without: it is off because the coil is.
    Args: tag: what the power switches, where it does; under: what must hold besides, which paths that ask for its opposite come behind.
    """
    circuit = tracer.circuit(seen.step)
    if power is not None and circuit.never(power, seen.result):
        return Lacking(barred="asks one tag to be on and off at once")
    paths = circuit.paths(power) if power is not None else []
    sound = [p for p in paths if not circuit.contradicts(p, seen.result)] or paths
    held = next(iter(circuit.complete(under, seen.result)), ()) if under is not None else ()
    sound = [p for p in sound if not circuit.contradicts((*held, *p), seen.result)] or sound if held else sound
    free = [p for p in sound if not _sealed(tracer, circuit, p, seen)]
    if sound and not free and tag is not None and _only_itself(tracer, circuit, sound, seen, tag):
        more = ", or asks one tag to be on and off at once" if len(sound) < len(paths) else ""
        return Lacking(barred=f"leads through {tracer.name(tag)} itself{more}")
    own = {a.tag for tag in tracer.coils for a in auxiliary.of_tag(tracer, tag) if a.sure}
    ways: list[tuple[tuple[int, ...], list[Gate]]] = []
    for path in free or sound:
        opened = circuit.open_gates(path, seen.result)
        latest = max((gate_time(tracer, g, seen) for g in opened), default=(0, 0))
        tags = [gate_tag(tracer, g, seen) for g in opened]
        key = (-len(opened), not any(t in own for t in tags), *latest, -sum(t is None or bool(tracer.writers.get(t)) for t in tags))
        ways.append((key, opened))
    if not ways:
        return Lacking()
    best = max(ways, key=lambda way: way[0])
    return Lacking(best[1], others=[opened for key, opened in ways if key[:2] == best[0][:2] and opened is not best[1]])


def instead_words(tracer: Tracer, lacking: Lacking, seen: Seen) -> str:
    """Which other gate would do in the place of one that blocks, since as few are missing with it; "" where none would."""
    missing = {gate_key(tracer, g, seen): g for g in lacking.gates}
    found: dict[tuple[object, ...], dict[object, Gate]] = {}
    for other in lacking.others:
        besides = {gate_key(tracer, g, seen): g for g in other}
        spared, wanted = [k for k in missing if k not in besides], [k for k in besides if k not in missing]
        if len(spared) == len(wanted) == 1:
            found.setdefault(spared[0], {})[wanted[0]] = besides[wanted[0]]
    said, gives = list[str](), words_of(tracer.steps.all[seen.step]).giving()
    for key, gates in found.items():
        words = list(dict.fromkeys(gate_words(tracer, g, seen) for g in gates.values()))
        named = " or ".join(words[:MOST_INSTEAD]) + (f" or one of {len(words) - MOST_INSTEAD} more" if len(words) > MOST_INSTEAD else "")
        said.append(f"{named} {gives} {f'in the place of {gate_words(tracer, missing[key], seen)}' if len(missing) > 1 else 'as well'}")
    return "".join(f"; {one}" for one in said[:MOST_INSTEAD])


def _only_itself(tracer: Tracer, circuit: Circuit, paths: list[Path], seen: Seen, tag: int) -> bool:
    """Whether a tag that is off stands in each of all paths to its coil, and nothing else brings it on."""
    through = all(any(not g.negated and not circuit.passes(g, seen.result) and gate_tag(tracer, g, seen) == tag for g in p) for p in paths)
    return through and not circuit.cut and tracer.only_by_itself(tag)


def _sealed(tracer: Tracer, circuit: Circuit, path: Path, seen: Seen) -> bool:
    return any(not g.negated and not circuit.passes(g, seen.result) and gate_tag(tracer, g, seen) in tracer.coils for g in path)
