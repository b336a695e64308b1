"""A statement of Structured Text as lines: the text, what was not come to, and the values at the right."""

from __future__ import annotations

import re

from msgspec import Struct

from whorlograph.engine.power import Flow
from whorlograph.engine.scope.chosen_calls import made_up
from whorlograph.engine.scope.text_parts import inner, parts
from whorlograph.model.cells import cells
from whorlograph.model.literals import duration_text
from whorlograph.model.paths import Member
from whorlograph.model.shown import visible
from whorlograph.model.text import Assign, Case, Choose, Constant, Expression, For, Leave, Statement, Sub, Var

from .picture import Picture, Words
from .shapes import Ink, Run, Spot, fitted

SIZE, LINE, EM = 7.0, 10.0, 0.56  # of letters on paper, points: their size, from line to line, width of a character
MOST_PASSES = 8  # of a loop, whose values stand beside a line
SHARE = 62  # of a hundred columns that the text takes at most, where values stand beside it


class StatementText(Struct):
    """The lines of a statement, and where its variables stand in them."""

    lines: list[list[Run]]
    spots: list[Spot]


def draw_statement(source: tuple[str, ...], statement: Statement, flow: Flow | None, blockers: frozenset[int], width: int) -> StatementText:
    """Draw a statement for a width. Args: source: its lines; flow: what was read and written, None: without values; blockers: nodes that block."""
    margin = min((len(line) - len(line.lstrip()) for line in source if line.strip()), default=0)
    texts = [line.rstrip()[margin:] for line in source]
    while texts and not texts[-1].strip():
        texts.pop()
    room = max(20, min(max((cells(t) for t in texts), default=0), width * SHARE // 100)) if flow is not None else width - 2
    variables, nodes, copies = _by_line(statement), _nodes_by_line(statement), made_up(statement)
    counters = {p.variable.base.lower() for p in parts(statement) if isinstance(p, For)}  # told last: they only number the passes
    lines: list[list[Run]] = []
    spots: list[Spot] = []
    for n, text in enumerate(texts):
        here, parted = variables.get(statement.line + n, []), nodes.get(statement.line + n, set())
        done = flow is None or not parted or not parted.isdisjoint(flow.done)
        shown = fitted(text, room)
        sign = "┆ " if not done else "┃ " if flow is not None and parted else "  "
        runs: list[Run] = [(sign, Ink.LIVE if done and flow is not None else Ink.DEAD)]
        runs += _marked(shown, here, blockers, done, spots, n)
        if flow is not None:
            values = _values(sorted(here, key=lambda h: h[0].base.lower() in counters), copies, flow, max(8, width - room - 5))
            if values:
                runs += [(" " * max(1, room - cells(shown) + 1), Ink.TEXT), ("│ ", Ink.QUIET), *values]
        lines.append(runs)
    return StatementText(lines, spots)


def statement_picture(text: StatementText, width: float) -> Picture:
    """The lines on paper: what was not come to in grey, what blocks in bold."""
    picture = Picture(width, LINE * len(text.lines) + 4)
    for n, line in enumerate(text.lines):
        x = 0.0
        for part, ink in line:
            picture.items.append(Words(x, LINE * n + 7, part, SIZE, ink is Ink.BLOCK, grey=0.55 if ink in (Ink.DEAD, Ink.QUIET) else 0.0))
            x += len(part) * SIZE * EM
    return picture


def _by_line(statement: Statement) -> dict[int, list[tuple[Var, int]]]:
    """The variables on each line, in order, each with the node under which its value is noted."""
    written: dict[int, int] = {}
    called: set[int] = set()
    for part in parts(statement):
        if isinstance(part, Assign):
            written[id(part.target)] = part.at
        elif isinstance(part, For):
            written[id(part.variable)] = part.at
    found: dict[int, list[tuple[Var, int]]] = {}
    for one in _in_order(statement):
        if isinstance(one, Var) and one.at not in called:
            found.setdefault(one.line, []).append((one, written.get(id(one), one.at)))
    return found


def _nodes_by_line(statement: Statement) -> dict[int, set[int]]:
    """The parts on each line by which one sees whether it was executed: not the labels of CASE, which are compared on the way to others."""
    found: dict[int, set[int]] = {}
    labels = {id(v) for case in parts(statement) if isinstance(case, Case) for b in case.branches for one in b.labels for v in (one.low, one.high)}
    for part in parts(statement):
        if id(part) not in labels and not isinstance(part, (Case, Choose, Leave)):
            found.setdefault(part.line, set()).add(part.at)
    return found


def _in_order(one: Statement | Expression) -> list[Statement | Expression]:
    """All parts as they are written: a target before its value."""
    under = list(inner(one))
    if isinstance(one, Assign):
        under = [one.target, one.value]
    return [one, *(p for part in under for p in _in_order(part))]


def _marked(text: str, here: list[tuple[Var, int]], blockers: frozenset[int], done: bool, spots: list[Spot], line: int) -> list[Run]:
    """The text with what blocks in its ink, and the places of its variables."""
    base = Ink.TEXT if done else Ink.DEAD
    marks: list[tuple[int, int, Ink]] = []
    taken = 0
    for var, node in here:
        found = re.compile(rf"\b{re.escape(var.base)}\b", re.IGNORECASE).search(text, taken)
        if found is None:
            continue
        taken = found.end()
        spots.append(Spot(line, found.start() + 2, found.end() + 2, node))
        if var.at in blockers or node in blockers:
            marks.append((found.start(), found.end(), Ink.BLOCK))
    runs: list[Run] = []
    at = 0
    for start, end, ink in marks:
        runs += [(text[at:start], base), (text[start:end], ink)]
        at = end
    return [r for r in (*runs, (text[at:], base)) if r[0]]


def _values(here: list[tuple[Var, int]], copies: set[int], flow: Flow, room: int) -> list[Run]:
    """``Name=value`` for each variable of a line, once, as many as fit; in a loop that is laid out its value in each pass.

    Args: copies: the parts of calls of blocks that a subscript chooses, of which there is one for each block.
    """
    runs: list[Run] = []
    seen: set[str] = set()
    used = 0
    for var, node in here:
        name = _name(var)
        if name.lower() in seen or node not in flow.values:
            continue
        seen.add(name.lower())
        alike = [n for v, n in here if n in copies and _name(v).lower() == name.lower()] if node in copies else [node]
        values = [value for n in alike if n in flow.values for _, value in flow.each.get(n, ((0, flow.values[n]),))]
        said = [_said(value, node in flow.times) for value in values[:MOST_PASSES]]
        more = ["..."] if len(values) > MOST_PASSES else []
        text = f"{name}={' '.join([*said, *more])}  "
        if used + cells(text) > room:
            runs.append(("...", Ink.QUIET))
            break
        used += cells(text)
        runs.append((f"{name}=", Ink.QUIET))
        runs += [(f"{one} ", Ink.LIVE if value is True else Ink.STRONG) for one, value in zip(said, values, strict=False)]
        runs.append((f"{' '.join(more)} ", Ink.QUIET))
    return runs


def _said(value: bool | int | float | str, time: bool) -> str:
    """A value as it stands beside its line."""
    if isinstance(value, bool):
        return "1" if value else "0"
    if isinstance(value, str):
        return visible(value)
    return duration_text(int(value)) if time else f"{value:.6g}" if isinstance(value, float) else str(value)


def _name(var: Var) -> str:
    """A variable as it is written; of a subscript that is computed two dots."""
    text = var.base
    for step in var.steps:
        if isinstance(step, Sub):
            text += f"[{', '.join(_subscript(v) for v in step.values)}]"
        else:
            text += f".{step.name}" if isinstance(step, Member) else f".{step.number}"
    return text


def _subscript(one: Expression) -> str:
    return one.text if isinstance(one, Constant) else _name(one) if isinstance(one, Var) else ".."
