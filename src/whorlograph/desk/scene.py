"""What the strands show of one answer at one moment: trail and rungs; the timeline is in ``timeline.py``."""

from __future__ import annotations

import re
import textwrap

from msgspec import Struct, field
from msgspec.structs import replace

from whorlograph.drawing.rung_layout import FORCED, lay_out
from whorlograph.drawing.shapes import Ink, Run, Spot, fitted
from whorlograph.drawing.statement import draw_statement
from whorlograph.drawing.text import draw_rung, wrapped
from whorlograph.drawing.timeline_layout import TASK_LANES
from whorlograph.engine.journal import Journal
from whorlograph.engine.path import SkipKind
from whorlograph.inquiry.languages import words_of
from whorlograph.inquiry.trail import Answer, Link, Root
from whorlograph.model.cells import padded
from whorlograph.model.chart import ChartBody
from whorlograph.model.literals import counted, duration_text, said_value
from whorlograph.model.question import LinkKind, RootKind, Symptom
from whorlograph.model.times import clock_text, date_text

from .asking import inquiry
from .disagreeing import disagree_text, stretches
from .lanes import lane_tag
from .session import Session
from .timeline import Timeline
from .words import phases_text, root_lines

_PHRASES = {
    LinkKind.RUNG_TRUE: "on", LinkKind.SET_BY: "set", LinkKind.RESET_BY: "reset",
    LinkKind.TASK_IDLE: "task has not come", LinkKind.TASK_HELD: "task held", LinkKind.PREEMPTED: "written by a task",
    LinkKind.HELD_BY_JUMP: "jumped over", LinkKind.NOT_CALLED: "not called", LinkKind.OVERWRITTEN: "overwritten",
    LinkKind.TIMER_RUNNING: "timer not through", LinkKind.COUNTER_SHORT: "count too low", LinkKind.HALTED: "controller halted",
    LinkKind.NOT_MET: "comparison not met", LinkKind.MISSED_PULSE: "came and went unseen",
    LinkKind.RESUMED: "runs again", LinkKind.STEP_INACTIVE: "step not active",
}


_CONDITION = ("the condition", "what ")  # sentences, not names


class TrailLine(Struct, frozen=True):
    """One line of the trail strand: the link or root it stands for, its depth, its moment, its text."""

    runs: tuple[Run, ...]
    link: Link | None
    root: Root | None
    tag: int | None
    step: int
    scan: int
    time: int
    first: bool = True
    blockers: tuple[int, ...] = ()


class RungBlock(Struct, frozen=True):
    """One rung of the rungs strand as lines, with where its elements stand (lines counted within the block)."""

    step: int
    lines: list[list[Run]]
    spots: list[Spot]
    tags: dict[int, int] = field(default_factory=dict)


class Scene:
    """Draws one answer of one session."""

    def __init__(self, session: Session, answer: Answer) -> None:
        self.session, self.answer = session, answer
        self.tracer = inquiry(session).tracer
        self.timeline = Timeline(session, self.name)
        self._blocks: dict[object, RungBlock] = {}
        self.forced: frozenset[int] = frozenset()

    @property
    def journal(self) -> Journal:
        """The replay that is shown."""
        return self.session.journal

    # words

    def clock(self, time: int, decimals: int = 3) -> str:
        """An instant as the head line and the lanes write it."""
        return clock_text(self.session.log, time, decimals)

    def name(self, tag: int | None) -> str:
        """A tag's name, short where it is unambiguous."""
        if tag is not None and tag >= TASK_LANES:
            return lane_tag(self.session, tag).name
        if tag is None or tag >= len(self.session.running.tags):
            return ""
        full = self.session.running.tags[tag].name
        last = full.rpartition(".")[2]
        if "." in full and full.count(".") == 1 and len(self.session.running.alike(last.lower())) == 1:
            return last
        return ".".join(full.split(".")[-2:]) if full.count(".") > 1 or "." in full else full

    def head(self, scan: int, time: int, width: int, path: str = "") -> list[list[Run]]:
        """Two lines: what runs and when; the question, the questions that led to it (``path``), how far its answer stands."""
        session, log = self.session, self.session.log
        day = date_text(log, time)
        left = session.paths.title or session.program.name
        if day:
            left += f" · {day}"
        right = f"{self.clock(time)} · scan {scan:,}".replace(",", " ")
        file = f"{session.paths.program.name} of {session.program.date[:10]}" if session.program.date else session.paths.program.name
        middle = f" · {file}" if len(left) + len(right) + len(file) + 8 <= width else ""
        gap = max(1, width - len(left) - len(middle) - len(right) - 2)
        first: list[Run] = [(" " + left, Ink.STRONG), (middle, Ink.QUIET), (" " * gap, Ink.TEXT), (right + " ", Ink.MOMENT)]
        return [first, self._question_line(width, path)]

    def _question_line(self, width: int, path: str) -> list[Run]:
        answer, asked = self.answer, self.session.running.tags[self.answer.tag]
        value = said_value(answer.value, asked.type) if isinstance(answer.value, float) else answer.value
        verb = {"dropped-out": "drop out", "will-not-pull-in": "not pull in", "will-not-drop-out": "not drop out", "chatters": "chatter",
                "value": f"have the value {value}"}
        name = self.name(answer.tag)
        ask = "did" if answer.symptom.value == "dropped-out" else "does"
        proved = sum(1 for r in answer.roots if r.proved)
        if answer.roots:
            right = f"{len(answer.roots)} root{'s' if len(answer.roots) > 1 else ''}" + (f" · {proved} proved" if proved else " · not proved yet")
        else:
            right = "no root"
        left = f" Why {ask} "
        middle = f" {verb[answer.symptom.value]}?"
        warn = self.warning(width - len(left) - len(name) - len(middle) - len(right) - 6)
        before = self._before_asked()
        middle += before if len(left) + len(name) + len(middle) + len(before) + len(warn) + len(right) + 6 <= width else ""
        came = f"  ‹ {path}" if path and len(left) + len(name) + len(middle) + len(warn) + len(right) + len(path) + 8 <= width else ""
        gap = max(1, width - len(left) - len(name) - len(middle) - len(warn) - len(came) - len(right) - 3)
        ink = Ink.PROVED if proved else Ink.QUIET
        loud = Ink.BLOCK if self.journal.fault is not None else Ink.STRONG
        return [(left, Ink.TEXT), (name, Ink.STRONG), (middle, Ink.TEXT), ("  " + warn if warn else "", loud),
                (came, Ink.QUIET), (" " * gap, Ink.TEXT),
                (right + " ", ink)]

    def _before_asked(self) -> str:
        """How long before the moment asked for the answer looks, where that is not the same; "" where it is."""
        clock = self.journal.clock
        if self.answer.asked <= 0 or self.answer.asked - self.answer.scan < 2:
            return ""
        apart = clock.start(self.answer.asked) - clock.start(self.answer.scan)
        return f"  ({duration_text(apart)} before the moment asked for; A asks otherwise)" if apart >= 1_000_000_000 else ""

    def warning(self, width: int) -> str:
        """What must not be overlooked: a halt, a mismatch, rows set aside; "" where there is nothing."""
        said = []
        if self.journal.fault is not None:
            said.append("controller halted")
        apart = disagree_text(stretches(self.session))
        if self.answer.mismatch or apart:
            said.append(apart or "log and program differ")
        if self.session.log.set_aside:
            said.append(f"{counted(self.session.log.set_aside, 'row')} set aside")
        if self.session.notices and not said:
            said.append(f"{counted(len(self.session.notices), 'note')}")
        text = " · ".join(said)
        return f"! {text}" if text and len(text) + 2 <= width else ""

    # trail

    def trail(self, width: int, folded: frozenset[int] = frozenset()) -> list[TrailLine]:
        """The trail in lines: links, roots under the links they belong to, the cards at the end."""
        lines: list[TrailLine] = []
        shown: set[object] = set()
        links = self.answer.links()
        skip_below: int | None = None
        for i, (depth, link) in enumerate(links):
            if skip_below is not None and depth > skip_below:
                continue
            skip_below = depth if i in folded else None
            if link.step < 0 and link.roots:
                lines += self._root_lines(link.roots, depth, shown, width)
                continue
            lines.append(self._link_line(link, depth, width, i in folded))
            if i not in folded:
                lines += self._root_lines(link.roots, depth + 1, shown, width)
        rest = [r for r in self.answer.roots if r.key not in shown]
        lines += self._root_lines(rest, 0, shown, width)
        return lines

    def _link_line(self, link: Link, depth: int, width: int, is_folded: bool) -> TrailLine:
        name = self.name(link.tag) or self._pin_name(link)
        scan = link.scan
        time = self._shown_at(link.since, scan)
        phrase = self._phrase(link)
        prefix = "  " * _indent(depth, width) + ("└ " if depth else "")
        when = self.clock(link.since) if link.since is not None else ""
        place = f"{self.session.controller.steps.all[link.step].pou} {self.session.controller.steps.all[link.step].rung.number}" \
            if link.step >= 0 else ""
        if is_folded:
            phrase += " …"
        if len(prefix) + len(name) + len(phrase) + len(when) + 3 > width and width < 60:
            when = ""  # the instant stands in the head line and on the timeline; the name only here
        room = width - len(prefix) - len(phrase) - len(when) - 3
        shown = fitted(name, max(8, room))
        runs: list[Run] = [(prefix, Ink.QUIET), (shown, Ink.STRONG), ("  " + phrase, Ink.TEXT), (f" {when}" if when else "", Ink.TEXT)]
        gap = max(1, width - sum(len(t) for t, _ in runs) - len(place) - 1)
        if gap > 1 and place and width - len(prefix) - len(shown) - len(phrase) - len(when) - len(place) > 5:
            runs += [(" " * gap, Ink.TEXT), (place, Ink.QUIET)]
        return TrailLine(tuple(runs), link, None, link.tag, link.step, scan, time, blockers=link.blockers)

    def told(self, line: TrailLine, width: int, below: bool = True) -> list[TrailLine]:
        """What a line of the trail stands for in whole sentences, in lines. Args: below: they stand below it."""
        if line.link is None or line.root is not None:
            return []
        indent = len(line.runs[0][0]) + 2 if below else 1
        asked = line.link is self.answer.trail and self.answer.symptom in (Symptom.WILL_NOT_PULL_IN, Symptom.CHATTERS)
        said = [self.answer.text, line.link.text] if asked and self.answer.text != line.link.text else [line.link.text]
        words = [part for one in said for part in textwrap.wrap(one, max(20, width - indent - 1))]
        return [replace(line, runs=((" " * indent + part, Ink.TEXT),), first=False) for part in words]

    def _shown_at(self, since: int | None, scan: int) -> int:
        """The instant of a line: of a change when it came; of a state that stands longer when it is looked at, as its rung shows it."""
        clock = self.journal.clock
        return since if since is not None and clock.start(max(0, scan - 1)) < since <= clock.start(scan) else clock.start(scan)

    def _pin_name(self, link: Link) -> str:
        if link.step < 0:
            return ""
        rung = self.session.controller.steps.all[link.step].rung
        if link.about and not link.about.startswith(_CONDITION):
            return link.about
        if rung.statement is not None:
            return "condition"
        element = next((e for e in rung.elements if e.id == link.element), None)
        return getattr(element, "instance", "") or getattr(element, "type_name", "") or getattr(element, "label", "") or "power"

    def _phrase(self, link: Link) -> str:
        state = "on" if link.value is True else "off" if link.value is False else str(link.value)
        if link.kind is LinkKind.RUNG_FALSE:
            if link.since is not None and link.since == self.session.journal.clock.start(link.scan):
                return "went off"
            return words_of(self.session.controller.steps.all[link.step]).off() if link.step >= 0 else "off"
        if link.about and link.tag is None and link.kind in (LinkKind.NOT_MET, LinkKind.BLOCK):
            return "not met" if link.kind is LinkKind.NOT_MET else "holds"
        if link.kind is LinkKind.BLOCK:
            return "ran out" if "ran out" in link.text else state
        if link.kind is LinkKind.NEVER_SET and link.tag is None:
            return "not released" if link.about.startswith("task ") else "not executed"
        if link.kind is LinkKind.NEVER_SET:
            what = "not reset" if link.value is True else "not set" if link.value is False else "not written"
            return f"{what} since" if link.since is not None else what
        if link.kind is LinkKind.RESET_BY and link.since is None:
            return state  # under a condition that stands: it never was anything else
        if link.kind is LinkKind.NOT_MET and link.tag in self.tracer.of_charts:
            return "does not fire"
        if link.kind is LinkKind.TASK_IDLE and link.tag is not None and all(w.step != link.step for w in self.tracer.writers.get(link.tag, ())):
            return "seen too seldom"  # the task of what reads it comes, but it is faster
        return _PHRASES.get(link.kind, state)

    def _root_lines(self, roots: list[Root], depth: int, shown: set[object], width: int) -> list[TrailLine]:
        lines: list[TrailLine] = []
        ranked = {r.key: r for r in self.answer.roots}
        for root in roots:
            best = ranked.get(root.key, root)
            if best.key in shown or (depth and _is_literal(best) and best is not self.answer.roots[0]):
                continue  # literals stand at the end: nobody goes to a cabinet for them
            shown.add(best.key)
            lines += self._card(best, depth, width)
        return lines

    def _card(self, root: Root, depth: int, width: int) -> list[TrailLine]:
        """A root's card: one line that names it, then what to check, in words."""
        prefix = "  " * _indent(depth, width) + "└ "
        time = root.since if root.since is not None else self.answer.time
        scan = self._scan_showing(root, time)
        against = root.proved is False and not root.ended
        sign = "✓" if root.proved else "✗" if against else "◆"
        ink = Ink.PROVED if root.proved else Ink.QUIET if against else Ink.BLOCK
        of_bit = f"bit {root.bit} of " if root.bit >= 0 else ""
        name = of_bit + self.name(root.tag) or ("the controller" if root.kind is RootKind.FAULT else root.kind.value)
        rank = self.answer.roots.index(root) + 1 if root in self.answer.roots else 0
        number = f"root {rank} of {len(self.answer.roots)}" if len(self.answer.roots) > 1 and rank else "root"
        bit = isinstance(root.value, int) and bool(root.value >> max(0, root.bit) & 1)
        if root.value is None or root.tag is None:
            state = ""
        else:
            state = said_value(bit if of_bit else root.value, self.session.running.tags[root.tag].type)
        when = self.clock(root.since) if root.since is not None else "since before the log"
        if _is_literal(root) and root.value is not None:
            state, when = self.tracer.state_word(root.value), "as it is written"
        over = len(prefix) + len(sign) + len(name) + len(state) + len(when) + 4 - width
        prefix = prefix[max(0, min(over, len(prefix) - 2)):]
        runs: list[Run] = [(prefix, Ink.QUIET), (f"{sign} ", ink), (name, ink if not against else Ink.TEXT),
                           (f"  {state} " if state else "  ", Ink.TEXT),
                           (when, Ink.TEXT)]
        used = sum(len(t) for t, _ in runs)
        if used + len(number) + 2 <= width:
            runs += [(" " * (width - used - len(number) - 1), Ink.TEXT), (number, Ink.QUIET)]
        lines = [TrailLine(tuple(runs), None, root, root.tag, root.step, scan, time)]
        indent = "  " * _indent(depth, width) + "    "
        if depth > 6:
            indent = "    "
        more = [self.answer.usual.text] if rank == 1 and self.answer.usual is not None else []
        more += [f"{self.answer.tried_again} (A on the trail's first line)"] if rank == 1 and self.answer.tried_again else []
        more += [f"{self.answer.would_now[0].upper()}{self.answer.would_now[1:]}"] if rank == 1 and self.answer.would_now else []
        more += [phases_text(self.answer.phases)] if rank == 1 and self.answer.phases is not None else []
        for sentence in (*root_lines(self.session, root, self.answer.roots[:rank - 1] if rank else None), *more):
            tone = Ink.PROVED if sentence.startswith("proved") else Ink.STRONG if sentence == root.what_to_check else Ink.TEXT
            for part in textwrap.wrap(sentence, max(20, width - len(indent) - 1)):
                lines.append(TrailLine(((indent, Ink.TEXT), (part, tone)), None, root, root.tag, root.step, scan, time, first=False))
        return lines

    def _scan_showing(self, root: Root, time: int) -> int:
        """The first scan that shows a root's change."""
        clock = self.journal.clock
        scan = clock.scan_at(max(0, time))
        return scan if clock.start(scan) >= time or root.since is None else min(scan + 1, clock.last)

    # rungs

    def steps(self) -> list[int]:
        """The steps that the question runs through, from the complaint down, each once."""
        found = [link.step for _, link in self.answer.links() if link.step >= 0]
        writers = self.tracer.writers.get(self.answer.tag, [])
        if not found and writers:
            found = [writers[-1].step]
        return list(dict.fromkeys(found))

    def steps_beside(self) -> list[int]:
        """The steps that write the other conditions of the complaint's own rung: for a screen with room."""
        known = self.steps()
        tags = self.tracer.flow(known[0], self.answer.scan).named() if known else []
        found = [w[-1].step for w in (self.tracer.writers.get(t) for t in tags) if w]
        return [s for s in dict.fromkeys(found) if s not in known]

    def first_root(self, width: int = 0) -> str:
        """The first root with what to check, in one line; "" where there is none.

        Args: width: where there is no room for the instant too, it is left out whole, never cut.
        """
        if not self.answer.roots:
            return ""
        root = self.answer.roots[0]
        check = root.what_to_check.partition(";")[0].partition(", drawing")[0]
        told = root.text.partition(";")[0].partition(" (")[0]
        whole = f"{check[:1].upper()}{check[1:]}: {told}" if check else root.text
        return whole if not width or len(whole) <= width else re.split(r" (?:at|since) \d", whole)[0]

    def blockers(self, step: int, scan: int) -> frozenset[int]:
        """The elements of a step that stop power at a scan."""
        found = set()
        flow = self.tracer.flow(step, scan)
        for _, link in self.answer.links():
            if link.step == step and link.kind not in (LinkKind.RUNG_TRUE, LinkKind.SET_BY, LinkKind.RESET_BY):
                found |= {b for b in link.blockers if not self._passes(flow.passes.get(b), flow.out, b)}
        return frozenset(found)

    @staticmethod
    def _passes(contact: bool | None, out: dict[tuple[int, str], bool | int | float | str], element: int) -> bool:
        if contact is not None:
            return contact
        return bool(out.get((element, "Q"), out.get((element, "OUT"), out.get((element, ""), False))))

    def rung(self, step: int, scan: int, width: int, values: bool = False, head: bool = True) -> RungBlock:
        """One rung at a scan, with its heading: POU, number, comment, and since when it has not run."""
        flow = self.tracer.flow(step, scan)
        blockers = self.blockers(step, scan)
        if flow.skip is not None:
            return self._drawn(step, scan, width, values, head, blockers)
        # From one scan to the next most rungs look alike, and drawing them is what a step in time costs.
        look = (step, width, values, head, blockers, self.forced, tuple(flow.power.items()), tuple(flow.out.items()), tuple(flow.values.items()),
                tuple(flow.each.items()))
        found = self._blocks.get(look)
        if found is None:
            if len(self._blocks) > 200:
                self._blocks.clear()
            found = self._blocks[look] = self._drawn(step, scan, width, values, head, blockers)
        return found

    def _drawn(self, step: int, scan: int, width: int, values: bool, head: bool, blockers: frozenset[int]) -> RungBlock:
        one = self.session.controller.steps.all[step]
        flow = self.tracer.shown(step, scan)
        if one.rung.statement is not None:
            stated = draw_statement(one.source, one.rung.statement, flow, blockers, width - 2)
            lines, spots = stated.lines, stated.spots
        else:
            forced = frozenset(element for element, tag in flow.tags.items() if tag in self.forced)
            lines, spots = wrapped(draw_rung(lay_out(one, flow, blockers, forced), values, width - 2), width - 2)
        while lines and not "".join(t for t, _ in lines[-1]).strip():
            lines.pop()
        title: list[Run] = [(f"{one.pou} {one.rung.number}", Ink.STRONG)]
        said = " · ".join([*(f"label {name}" for name in one.rung.labels), *([one.rung.comment] if one.rung.comment else [])])
        names = [self.name(t) for t in flow.named() if t in self.forced]
        if names:
            title.append((f"  {FORCED} forced: {', '.join(names)}", Ink.BLOCK))
        if said:
            title.append((f"  {fitted(said, max(8, width - len(one.pou) - 8))}", Ink.QUIET))
        block_lines: list[list[Run]] = [title] if head else []
        if flow.skip is not None:
            lines = [[(t, Ink.ASIDE) for t, _ in line] for line in lines]
            block_lines.append([(fitted(self.skip_words(step, scan), width), Ink.STRONG)])
        shift = len(block_lines)
        block_lines += [[(" ", Ink.TEXT), *line] for line in lines]
        moved = [Spot(s.line + shift, s.left + 1, s.right + 1, s.element) for s in spots]
        return RungBlock(step, block_lines, moved, dict(flow.tags))

    def skip_words(self, step: int, scan: int) -> str:
        """Why and since when a rung does not run."""
        skip = self.tracer.paths.skipped(self.journal, step, scan)
        if skip is None:
            return ""
        if skip.kind is SkipKind.HALTED:
            return "not evaluated: the controller has halted"
        if skip.task >= 0:
            task, last = self.session.controller.schedule.tasks[skip.task], self.journal.run_scan(skip.task, scan)
            ran = f"ran last at {self.clock(self.journal.clock.start(last))}" if last else "has not run"
            return f"not evaluated: task {task.name} {'is held and ' if skip.kind is SkipKind.TASK_HELD else ''}{ran}"
        if skip.flag is None:
            return "not evaluated: nobody calls this POU"
        since = self.clock(self.tracer.paths.skipped_since(self.journal, step, scan))
        where = self.tracer.place(skip.flag.step)
        pou = self.session.controller.steps.all[skip.flag.step].instance.pou
        if pou is not None and isinstance(pou.body, ChartBody) and skip.kind is SkipKind.JUMP:
            return f"not evaluated since {since}: its action or transition is not active, see {where}"
        verb = {SkipKind.JUMP: "jumped over by", SkipKind.RETURN: "left out by the return in"}.get(skip.kind, "not called by")
        return f"not evaluated since {since}: {verb} {where}"

    def at_hand(self, step: int, scan: int, width: int) -> list[list[Run]]:
        """The tags of a rung, one a line: state, since when, what it is, device and terminal."""
        if step < 0:
            return []
        running, position = self.session.running, self.journal.settled_position(scan)
        lines: list[list[Run]] = []
        flow, told = self.tracer.flow(step, scan), {link.tag for _, link in self.answer.links()}
        # Of the passes of a loop those that the trail goes through come first.
        for tag in sorted(flow.named(), key=lambda t: t not in told) if flow.each else flow.named():
            one, point = running.tags[tag], self.session.iolist.get(tag)
            value = self.tracer.value(tag, self.journal.value_at(tag, position))
            word = said_value(value, one.type) if value is not None else ""
            row = self.journal.last_row(tag, position)
            since = self.clock(self.journal.time(row)) if row is not None else "the start"
            text = (point.description if point is not None else "") or one.documentation
            where = point.whereabouts if point is not None else ""
            name = fitted(self.name(tag), 20)
            lines.append([(" " + padded(name, 20), Ink.STRONG), (f" {word:>5}", Ink.LIVE if value is True else Ink.TEXT),
                          (f"  since {since}", Ink.QUIET)])
            if text or where:
                lines.append([("   " + fitted(text, max(8, width - len(where) - 6)), Ink.TEXT), (f"  {where}" if where else "", Ink.QUIET)])
        return lines

    # lanes

    def rung_lanes(self, most: int) -> list[int]:
        """More lanes to fill a large screen: the tags of the rungs that the question runs through."""
        known = self.lanes()
        found = [t for step in self.steps() for t in self.tracer.flow(step, self.answer.scan).named()
                 if t < self.session.running.public and t not in known]
        return list(dict.fromkeys(found))[:max(0, most - len(known))]

    def lanes(self, more: tuple[int, ...] = ()) -> list[int]:
        """The tags that the trail names, the complaint first, then those added."""
        found = [self.answer.tag]
        for _, link in self.answer.links():
            if link.tag is not None and link.tag < self.session.running.public:
                found.append(link.tag)
            found += [r.tag for r in link.roots if r.tag is not None and r.tag < self.session.running.public]
        found += [r.tag for r in self.answer.roots if r.tag is not None and r.tag < self.session.running.public]
        return list(dict.fromkeys([*found, *more]))


def _is_literal(root: Root) -> bool:
    """Whether a root is a number that a step has written in it."""
    return root.kind is RootKind.CONSTANT and root.tag is None


def _indent(depth: int, width: int) -> int:
    """How many times two blanks a line of the trail begins with: a deep one leaves room for its words."""
    return min(max(0, depth - 1), max(2, (width - 36) // 2))


def plain_scene(session: Session) -> Scene:
    """What draws a session's rungs without a question."""
    return Scene(session, Answer(Symptom.DROPPED_OUT, 0, None, 0, 0, None, [], ""))
