"""Whether answers are true, on random programs, found out by the plain interpreter: links, proofs, the cause of short faults, drop-outs with one or
two cures; and whether an input that alone, held the other way, changes what is asked stands among the roots; the same of machines at rest
without a log. ``WHORLOGRAPH_TRUTH`` programs (default 60); ``WHORLOGRAPH_SEED`` the first seed (default 20000: no test uses it)."""

from __future__ import annotations

import os
import time
from collections import Counter
from pathlib import Path
from random import Random

from tests.everyday import answered_fault, everyday
from tests.everyday_texts import NESTED, everyday_text
from tests.still import at_rest
from tests.strategies import random_case, random_log
from tests.truth import Truth

from whorlograph.desk.asking import answer_to, ask, prove_all
from whorlograph.desk.session import Paths, Session
from whorlograph.engine.controller import Controller
from whorlograph.model.iolist import IoList
from whorlograph.model.question import Question, RootKind, Symptom

COUNT = int(os.environ.get("WHORLOGRAPH_TRUTH", "60"))
FIRST = int(os.environ.get("WHORLOGRAPH_SEED", "20000"))


def main() -> None:
    """Count what is true, and print what is not."""
    begun = time.monotonic()
    seen: Counter[str] = Counter()
    for seed in range(FIRST, FIRST + COUNT):
        random = Random(seed)
        program, profile = random_case(random)
        controller = Controller(program, profile)
        _asked(random, Session(controller, random_log(random, controller.running), IoList({}), [], Paths(Path("random.xml"))), seen, seed)
        random, session = everyday(seed, 6)
        _asked(random, session, seen, seed)
        _asked(*everyday(seed, 6, scratch=True), seen, seed)
        _asked(*everyday_text(seed), seen, seed)
        _asked(*everyday_text(seed, NESTED), seen, seed)
        _fault(seed, seen)
        _still(seed, seen)
    print(f"{COUNT} random programs of all elements, {2 * COUNT} of everyday circuits, {2 * COUNT} of everyday texts, "
          f"{time.monotonic() - begun:.0f} s")
    print(f"links: {seen['links']}, untrue {seen['untrue links']}")
    print(f"roots proved: {seen['proved']}, of them false {seen['false proofs']} (together {seen['together']}, by rows {seen['rows']})")
    print(f"drop-outs that one or two inputs cure: {seen['curable']}, first root right {_share(seen['cured'], seen['curable'])}")
    print(f"will not pull in or drop out, and one input alone changes that: {seen['turned']}, such an input is the first root in "
          f"{_share(seen['turned first'], seen['turned'])}, no root at all in {seen['left out']}")
    print(f"without a log, of all tags and of the cards alone: {seen['still']} questions; roots proved alone: {seen['still proved']}, of them "
          f"false when the log goes on {seen['still false']}; one input alone turns it: {seen['still turned']}, such an input is the first root in "
          f"{_share(seen['still first'], seen['still turned'])}; outputs said to be wrong behind them: {seen['still mismatch']}")
    print(f"short faults put into one input: {seen['faults']}, first root right {_share(seen['found'], seen['faults'])}")


def _share(part: int, whole: int) -> str:
    return f"{part} ({100 * part / whole:.0f} of 100)" if whole else "none"


def _asked(random: Random, session: Session, seen: Counter[str], seed: int) -> None:
    truth, tags = Truth(session), session.running.tags
    written = [t.index for t in tags[:session.running.public] if t.index in session.controller.written and t.type.name == "BOOL"]
    for tag in random.sample(written, min(3, len(written))):
        answer = answer_to(session, Question(tag, random.randrange(max(1, session.log.end))))
        if answer.trail is None:
            continue
        for _, link in answer.links():
            seen["links"] += 1
            wrong = truth.wrong_link(link)
            if wrong:
                seen["untrue links"] += 1
                print(f"seed {seed}: {answer.text}; {link.text}: {wrong}")
        prove_all(session, answer)
        for root in answer.roots:
            if root.proved and root.trial is not None:
                seen["proved"] += 1
                seen["together"] += bool(root.together)
                seen["rows"] += root.leads
                if not truth.proves(answer, root):
                    seen["false proofs"] += 1
                    print(f"seed {seed}: {answer.text}; {root.proof}: false")
        if answer.symptom in (Symptom.WILL_NOT_PULL_IN, Symptom.WILL_NOT_DROP_OUT):
            turning = truth.turning(answer) - answer.commands
            roots = [r.tag for r in answer.roots]
            seen["turned"] += bool(turning)
            seen["turned first"] += bool(roots) and roots[0] in turning
            if turning and not turning & set(roots):
                seen["left out"] += 1
                print(f"seed {seed}: {answer.text}; changed by {[tags[t].name for t in turning]}, none of them a root")
        cures = truth.cures(answer) if answer.symptom is Symptom.DROPPED_OUT else set()
        if 1 <= len(cures) <= 2:
            seen["curable"] += 1
            right = bool(answer.roots) and answer.roots[0].tag in cures
            seen["cured"] += right
            if not right:
                print(f"seed {seed}: {answer.text}; cured by {[tags[t].name for t in cures]}, first root {tags[answer.roots[0].tag or 0].name}")


def _still(seed: int, seen: Counter[str]) -> None:
    for cards_only in (False, True):
        machine = at_rest(seed, cards_only)
        for tag in machine.random.sample(machine.written, min(3, len(machine.written))) if machine is not None else ():
            assert machine is not None
            tags = machine.asked.running.tags
            answer = ask(machine.asked, tags[tag].name)
            prove_all(machine.asked, answer)
            turning, roots = machine.turning(tag), [r.tag for r in answer.roots]
            alone = {r.tag for r in answer.roots if r.proved and not r.together and r.tag in machine.after}
            seen["still"] += 1
            seen["still proved"] += len(alone)
            seen["still false"] += len(alone - turning)
            seen["still turned"] += bool(turning)
            seen["still first"] += bool(turning) and bool(roots) and roots[0] in turning
            seen["still mismatch"] += any(r.kind is RootKind.MISMATCH for r in answer.roots)
            if alone - turning or (turning and not turning & set(roots)):
                print(f"seed {seed}{', of the cards alone' if cards_only else ''}: {answer.text}; turned by {[tags[t].name for t in turning]}, "
                      f"roots {[tags[t].name for t in roots if t is not None]}, proved {[tags[t].name for t in alone if t is not None]}")


def _fault(seed: int, seen: Counter[str]) -> None:
    made = answered_fault(seed)
    if made is None:
        return
    faulty, fault, answer = made
    seen["faults"] += 1
    right = bool(answer.roots) and answer.roots[0].tag == fault.tag
    seen["found"] += right
    if not right:
        tags = faulty.running.tags
        got = tags[answer.roots[0].tag].name if answer.roots and answer.roots[0].tag is not None else "none"
        print(f"seed {seed}: {answer.text}; a fault of {tags[fault.tag].name}, first root {got}")
