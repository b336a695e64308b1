"""Why: from a question to its answer (ANSWERS.md)."""

from __future__ import annotations

import itertools
from functools import cached_property

import numpy as np

from whorlograph.engine.controller import Controller
from whorlograph.engine.journal import Journal
from whorlograph.model.iolist import IoList
from whorlograph.model.literals import counted, duration_text
from whorlograph.model.log import Log
from whorlograph.model.profile import Start
from whorlograph.model.program import OpaqueBody
from whorlograph.model.question import LinkKind, Question, RootKind, Symptom

from .auxiliary import reported
from .generators import runs_freely
from .habits import add_habits, add_pulses_in_vain
from .lingering import lingering
from .links import generator, halted
from .links.choose import Choice
from .mismatch import Difference, disagreements, mismatch_root
from .noted import Now
from .now import make_timeless
from .ranking import merge, rank
from .raster import raster
from .seen_otherwise import seen_otherwise
from .shared_log import recorded_under_another_name, with_shared_rows
from .symptoms import CHATTER_SPAN, Course, course, detect, recorded
from .tracer import BUDGET, LAST, Tracer, Vantage
from .trail import Answer, Link, Root
from .usual_ends import add_usual_ends
from .will_not_pull_in import will_not_pull_in

MOST_OF_NUMBER = 12  # links of a number's trail


class Inquiry:
    """Answers questions about one replay."""

    def __init__(self, controller: Controller, journal: Journal, log: Log, iolist: IoList, now: Now | None = None) -> None:
        shared = recorded_under_another_name(log, controller)
        self.controller, self.journal, self.iolist = controller, journal, iolist
        self.log = with_shared_rows(log, controller, shared) if shared else log
        self.tracer = Tracer(controller, journal, self.log, iolist, Choice())
        self.tracer.recorded_as = {tag: given[0] for tag, given in shared.items() if len(given) == 1 and self.tracer.boolean(tag)}
        self.tracer.recorded_bits = {tag: sum(((1 << one.width) - 1) << one.mine for one in given) for tag, given in shared.items()}
        self.tracer.now = now

    def ask(self, question: Question) -> Answer:
        """Answer a question; the trail ends in ranked roots, none of them proved yet."""
        tracer, journal = self.tracer, self.journal
        at = min(question.at, self.log.end) if question.at is not None else self.log.end
        scan = journal.clock.scan_at(max(0, at))
        path = course(journal, question.tag)
        name = tracer.name(question.tag)
        if tracer.now is not None:
            return self._now(question, path)
        tracer.asked = journal.clock.start(scan)
        if not tracer.boolean(question.tag):
            return self._number(question.tag, scan)
        symptom = question.symptom or self._symptom(question.tag, path, scan, at)
        tracer.spent, tracer.coils, tracer.open = 0, [], set()
        tracer.chatters = symptom is Symptom.CHATTERS
        mismatch = mismatch_root(self.controller, journal, self.log, self.iolist, question.tag, symptom, at)
        if mismatch is not None:
            value = mismatch.value
            return self._finished(Answer(symptom, question.tag, value, at, scan, None, [mismatch], mismatch.text, mismatch=True), scan)
        if symptom is Symptom.DROPPED_OUT:
            answer = self._dropped(question.tag, path, scan)
        elif symptom is Symptom.WILL_NOT_PULL_IN:
            answer = will_not_pull_in(tracer, question.tag, path, scan, self._answer)
        elif symptom is Symptom.WILL_NOT_DROP_OUT:
            answer = self._stays_on(question.tag, path, scan)
        else:
            answer = self._chatters(question.tag, path, scan)
        if answer is None:
            state = "on" if path.at(scan) else "off"
            text = f"{name} is {state} at {tracer.at(tracer.time(scan))}: it did not {_verb(symptom)}"
            answer = Answer(symptom, question.tag, bool(path.at(scan)), tracer.time(scan), scan, None, [], text)
        return self._finished(answer, scan)

    def _now(self, question: Question, path: Course) -> Answer:
        """The answer without a log: what keeps the tag as it is, seen and given."""
        tracer, scan, tag = self.tracer, self.journal.clock.last, question.tag
        if not tracer.boolean(tag):
            found = self._number(tag, scan)
            make_timeless(found)
            return found
        value, name = bool(path.at(scan)), tracer.name(tag)
        there = Symptom.WILL_NOT_DROP_OUT if value else Symptom.WILL_NOT_PULL_IN
        symptom = question.symptom or there
        if symptom is not there:
            text = f"{name} is {tracer.state_word(value)}: it did not {_verb(symptom)}"
            return self._finished(Answer(symptom, tag, value, 0, scan, None, [], text), scan)
        tracer.spent, tracer.coils, tracer.open = 0, [], set()
        roots = seen_otherwise(tracer, tag, value)
        if roots:
            answer = Answer(symptom, tag, value, 0, scan, None, roots, roots[0].text, mismatch=True)
        elif runs_freely(tracer, tag):
            link = generator.link(tracer, tag, Vantage(scan), 0)
            answer = self._answer(symptom, tag, value, 0, scan, link, generator.told(tracer, tag, link))
        else:
            state = tracer.explain(tag, Vantage(scan, LAST), False, 0)
            answer = self._answer(symptom, tag, value, 0, scan, state, "is on and stays on" if value else "is off and stays off")
        found = self._finished(answer, scan)
        make_timeless(found)
        return found

    def _symptom(self, tag: int, path: Course, scan: int, at: int) -> Symptom:
        found = detect(path, self.journal, scan)
        seen = recorded(self.log, tag, at, 0)
        if seen is not None and found is not Symptom.CHATTERS and bool(seen) != bool(path.at(scan)):
            return Symptom.WILL_NOT_DROP_OUT if seen else Symptom.WILL_NOT_PULL_IN
        return found

    # symptoms

    def _dropped(self, tag: int, path: Course, scan: int) -> Answer | None:
        drop = path.last_change(scan, False)
        fault = self.journal.fault
        if fault is not None and fault.scan <= scan and path.at(scan):
            link, time = halted.link(self.tracer, tag, scan), self.tracer.time(fault.scan)
            said = f"is still on, but the controller halted at {self.tracer.at(time)}"
            return self._answer(Symptom.DROPPED_OUT, tag, True, time, fault.scan, link, said)
        if drop is None or not path.at(drop - 1):
            return None
        row = self.journal.last_row(tag, self.journal.settled_position(drop))
        tracer = self.tracer
        link = tracer.explain(tag, Vantage(drop, LAST), True, 0) if row is not None else None
        add_pulses_in_vain(tracer, path, drop, link)
        add_habits(tracer, tag, path, drop, link, False)
        time = tracer.time(drop)
        back = path.next_change(scan, True) if path.at(scan) else None
        again = f"; it has been on again since {tracer.at(tracer.time(path.last_change(scan, True) or back or scan))}" if path.at(scan) else ""
        return self._answer(Symptom.DROPPED_OUT, tag, False, time, drop, link, f"dropped out at {tracer.at(time)}", again)

    def _stays_on(self, tag: int, path: Course, scan: int) -> Answer | None:
        if not path.at(scan):
            return None
        tracer = self.tracer
        link = tracer.explain(tag, Vantage(scan, LAST), False, 0)
        add_usual_ends(tracer, tag, path, scan, link)
        add_habits(tracer, tag, path, path.last_change(scan, True), link, True)
        since = path.last_change(scan, True)
        when = f"on since {tracer.at(tracer.time(since))}" if since is not None else "on since before the log"
        return self._answer(Symptom.WILL_NOT_DROP_OUT, tag, True, tracer.time(scan), scan, link, f"does not drop out ({when})")

    def _chatters(self, tag: int, path: Course, scan: int) -> Answer | None:
        tracer = self.tracer
        on, off = path.last_change(scan, True), path.last_change(scan, False)
        if on is None or off is None:
            return None
        inside = self._run(path, scan)
        rises = [s for s, v in inside if v]
        if len(rises) < 2:
            return None
        period = (tracer.time(rises[-1]) - tracer.time(rises[0])) // (len(rises) - 1)
        on_time = sum(tracer.time(b) - tracer.time(a) for (a, v), (b, _) in itertools.pairwise(inside) if v)
        span = tracer.time(inside[-1][0]) - tracer.time(inside[0][0])
        share = round(100 * on_time / span) if span else 0
        begun = tracer.time(inside[0][0])
        if runs_freely(tracer, tag):
            link = generator.link(tracer, tag, Vantage(scan), 0)
            answer = self._answer(Symptom.CHATTERS, tag, bool(path.at(scan)), tracer.time(off), off, link,
                                  generator.told(tracer, tag, link, f", since {tracer.at(begun)}"))
            answer.begun = begun
            return answer
        off_link = tracer.explain(tag, Vantage(off, LAST), True, 0)
        tracer.spent = 0
        on_link = tracer.explain(tag, Vantage(on, LAST), True, 0)
        if off_link is not None and on_link is not None:
            off_link.children.append(on_link)
        text = f"chatters since {tracer.at(begun)}: every {duration_text(period)}, on {share} % of the time, {counted(len(inside), 'change')}"
        answer = self._answer(Symptom.CHATTERS, tag, bool(path.at(scan)), tracer.time(off), off, off_link or on_link, text)
        answer.begun = begun
        return answer

    def _run(self, path: Course, scan: int) -> list[tuple[int, int]]:
        """The changes (scan, value) up to a scan that follow one another within a second."""
        found: list[tuple[int, int]] = []
        for i in range(int(np.searchsorted(path.scans, scan, side="right")) - 1, -1, -1):
            one = int(path.scans[i]), int(path.values[i])
            if found and self.tracer.time(found[-1][0]) - self.tracer.time(one[0]) > CHATTER_SPAN:
                break
            found.append(one)
        return found[::-1]

    def _number(self, tag: int, scan: int) -> Answer:
        """A number is no coil: which write it last took, and why."""
        tracer = self.tracer
        tracer.spent, tracer.coils, tracer.open = BUDGET - MOST_OF_NUMBER, [], set()
        tracer.number = tag
        try:
            link = tracer.explain(tag, Vantage(scan, LAST), True, 0)
        finally:
            tracer.number = None
        value = tracer.value(tag, self.journal.settled(tag, scan))
        since = tracer.since(tag, Vantage(scan, LAST))
        time = since if since is not None else 0
        told = link is not None and link.kind is LinkKind.HALTED
        stopped = halted.link(tracer, tag, scan) if self._nothing_writes(tag, scan) and not told else None
        if stopped is not None:
            stopped.children = [one for one in (link, *stopped.children) if one is not None]
        what = f"is {tracer.state_word(value, tag)}"
        what += "; nothing writes it any more, for the controller has halted" if stopped is not None or told else ""
        found = self._answer(Symptom.VALUE, tag, value, time, self.journal.clock.scan_at(time), stopped or link, what)
        return self._finished(found, scan)

    def _nothing_writes(self, tag: int, scan: int) -> bool:
        """Whether the controller has halted by a scan, and the program writes a tag otherwise."""
        fault = self.journal.fault
        return fault is not None and scan >= fault.scan and tag in self.controller.written

    # answers

    def _answer(self, symptom: Symptom, tag: int, value: object, time: int, scan: int, link: Link | None, what: str,
                tail: str = "") -> Answer:
        roots: list[Root] = []
        if link is not None:
            for _, one in link.walk() if symptom is not Symptom.WILL_NOT_PULL_IN else ():
                one.roots = [r for r in one.roots if not r.never]
            roots = merge(link.all_roots(), symptom)
            link.tell_once({})
            roots = roots or [self._end(tag, link)]
        for root in roots if symptom in (Symptom.DROPPED_OUT, Symptom.WILL_NOT_PULL_IN) else ():
            if root.kind is RootKind.FIELD_INPUT and isinstance(root.value, bool) and root.tag is not None and not root.leads:
                root.reports = reported(self.tracer, root.tag, root.value, root.since, scan, tag)
                if root.reports is not None:
                    went = "" if root.value else self._went_off(root.reports, scan, root.tag)
                    root.text += f"; it reports {self.tracer.name(root.reports)}, which {went or ('is on' if root.value else 'is off')}"
        for root in roots if symptom in (Symptom.WILL_NOT_DROP_OUT, Symptom.WILL_NOT_PULL_IN) else ():
            said = lingering(self.tracer, root)
            if said:
                root.lingers, root.text = True, f"{root.text}; {said}"
        shown = value if isinstance(value, (bool, int, float, str)) else None
        return Answer(symptom, tag, shown, time, scan, link, roots, f"{self.tracer.name(tag)} {what}{tail}")

    def _went_off(self, output: int, scan: int, reporting: int) -> str:
        """When an output last went off by a scan, and because of what; "" where it was never on, or went off by what reports it."""
        turned = course(self.journal, output).last_change(scan, False)
        if turned is None:
            return ""
        with self.tracer.aside(brief=True):
            link = self.tracer.explain(output, Vantage(turned, LAST), True, 0)
        first = next((root for root in rank(merge(link.all_roots())) if root.tag is not None), None) if link is not None else None
        if first is None or first.tag == reporting:
            return ""
        return f"went off at {self.tracer.at(self.tracer.time(turned))} because of {self.tracer.name(first.tag)}"

    def _end(self, tag: int, link: Link) -> Root:
        """The root of a trail that leads to no device, force or value: the program itself, where the trail ends."""
        end = next((one for _, one in reversed(list(link.walk())) if one.step >= 0 and not one.children), link)
        place = self.tracer.place(end.step) if end.step >= 0 else self.tracer.name(tag)
        shown = end.tag if end.tag is not None and end.tag < self.tracer.running.public else tag
        value = end.value if isinstance(end.value, bool) else None
        root = Root(RootKind.PROGRAM, shown, value, end.since, f"the program itself: {end.text}", f"read {place}: the trail ends there",
                    step=end.step)
        end.roots.append(root)
        return root

    def _finished(self, answer: Answer, asked: int) -> Answer:
        answer.asked = asked
        answer.roots = rank(answer.roots, answer.symptom)
        answer.rests_on = self._unseen(answer) if self.tracer.now is not None else [
            *self._limits(), *self._partly_unknown(answer), *self._coarse(), *self._disagrees(answer), *self._begins_otherwise(answer)]
        return answer

    @cached_property
    def disagreements(self) -> list[Difference]:
        """Where the log recorded tags otherwise than they were computed."""
        return disagreements(self.controller, self.journal, self.log)

    def _disagrees(self, answer: Answer) -> list[str]:
        """The disagreements of tags on the trail, a sentence each tag."""
        on_trail = {answer.tag, *(link.tag for _, link in answer.links())}
        mine = [d for d in self.disagreements if d.tag in on_trail]
        answer.mismatch = answer.mismatch or bool(mine)
        said, tracer = [], self.tracer
        for tag in dict.fromkeys(d.tag for d in mine):
            its = [d for d in mine if d.tag == tag]
            times = f"{len(its)} times, first" if len(its) > 1 else "once,"
            said.append(f"log and program disagree on {tracer.name(tag)} {times} from {tracer.at(its[0].start)} to {tracer.at(its[0].end)}: "
                        f"recorded {tracer.state_word(tracer.value(tag, its[0].recorded), tag)}, computed "
                        f"{tracer.state_word(tracer.value(tag, its[0].computed), tag)}; is this the program that ran?")
        return said

    def _partly_unknown(self, answer: Answer) -> list[str]:
        """What rungs that are not executed write too of the tags on the trail."""
        on_trail = dict.fromkeys((answer.tag, *(link.tag for _, link in answer.links())))
        return [f"{self.tracer.name(tag)} is written too in {why}: what that does is not known here"
                for tag in on_trail if tag is not None and (why := self.controller.partly_left_out.get(tag))]

    def _unseen(self, answer: Answer) -> list[str]:
        """Without a log: what was not given, and what the program would turn."""
        tracer, said = self.tracer, []
        assert tracer.now is not None
        missing = [tracer.name(r.tag) for r in answer.roots
                   if r.tag is not None and r.tag not in tracer.now.given and r.tag not in tracer.now.assumed and r.kind is not RootKind.PROGRAM]
        if missing:
            said.append(f"not given, taken as declared: {', '.join(dict.fromkeys(missing))}")
        if tracer.now.assumed:
            taken = [f"{tracer.name(tag)} {tracer.state_word(tracer.value(tag, raw), tag)}" for tag, raw in tracer.now.assumed.items()]
            said.append(f"not given, taken so that what is seen stands: {', '.join(taken)}")
        for tag, step in tracer.now.turned.items():
            value = tracer.state_word(tracer.value(tag, tracer.journal.settled(tag, tracer.journal.clock.last)), tag)
            by = tracer.place(step) if step >= 0 else "the program"
            said.append(f"{tracer.name(tag)} was given as {value}, but {by} would turn it: taken as given")
        return said

    def _coarse(self) -> list[str]:
        """What a log's raster hides."""
        step = raster(self.log)
        if step <= 2 * self.controller.scan_time:
            return []
        return [f"the log has a raster of {duration_text(step)}: it cannot show what was shorter, nor what came first within it"]

    def _begins_otherwise(self, answer: Answer) -> list[str]:
        """That the log starts with outputs on which the program, started cold, has off."""
        if self.controller.profile.start is Start.LOG:
            return []
        first = [d for d in self.disagreements if d.start == 0 and self.tracer.boolean(d.tag) and d.recorded and not d.computed]
        if not first:
            return []
        names = ", ".join(self.tracer.name(d.tag) for d in first[:3])
        return [f"the log starts with {names} on, and the program with it off: start = \"log\" in the profile takes the first values from the log"]

    def _limits(self) -> list[str]:
        """What the answer does not know, one sentence each."""
        said = []
        if not len(self.log.times):
            said.append("the log has no row of a tag of the program: every input is taken as declared" if self.log.files else
                        "no log: every input is taken as declared; --now A=1,B=0 (V on the screen) takes what the input lamps show")
        if self.log.set_aside:
            were = "was" if self.log.set_aside == 1 else "were"
            said.append(f"{counted(self.log.set_aside, 'row')} of the log {were} set aside: answers do not see them")
        running, _ = self.controller.program.chosen(self.controller.resource)
        missing = [one.pou for one in running.instances if one.pou.lower() not in self.controller.program.pous]
        if missing:
            said.append(f"{', '.join(missing[:3])} {'is' if len(missing) == 1 else 'are'} not in the file, or could not be read, and does not run")
        opaque = [p.name for p in self.controller.program.pous.values() if isinstance(p.body, OpaqueBody) and p.body.language != "none"]
        if opaque:
            said.append(f"{', '.join(opaque[:3])} {'is' if len(opaque) == 1 else 'are'} not executed: what is written there comes from the log")
        rungs = sorted({text.partition(",")[0] for text in self.controller.left_out.values()} - set(opaque))
        if rungs:
            more = " and more" if len(rungs) > 3 else ""
            said.append(f"{', '.join(rungs[:3])}{more} {'is' if len(rungs) == 1 else 'are'} not executed: what is written there comes from the log")
        if not self.journal.complete:
            said.append("so far: the replay is not complete")
        return said


def _verb(symptom: Symptom) -> str:
    return {Symptom.DROPPED_OUT: "drop out", Symptom.WILL_NOT_PULL_IN: "fail to pull in",
            Symptom.WILL_NOT_DROP_OUT: "stay on", Symptom.CHATTERS: "chatter", Symptom.VALUE: "change"}[symptom]
