"""Wires of block diagrams that lead back: a variable of the body for each, or the pin of the instance that it comes from."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec.structs import replace

from whorlograph.model.chart import ChartBody
from whorlograph.model.fed_back import LEADS_BACK, Back, leading_back, with_wires_cut
from whorlograph.model.ladder import Block, LadderBody, Rung
from whorlograph.model.program import Body, Pou, Program, Variable, VariableKind
from whorlograph.model.steps import Step, segments
from whorlograph.model.tags import Instance, Running
from whorlograph.model.types import BOOL, Elementary

from .rung_types import rung_types, variable_type
from .widening import BITWISE

MOST_ROUNDS = 6  # of working out a type by what it helps to decide


def feeds_back(pou: Pou) -> bool:
    """Whether wires of a body lead back."""
    return any(rung.fault == LEADS_BACK for part in segments(pou.body) if isinstance(part, LadderBody) for rung in part.rungs)


def with_feedback(program: Program, running: Running) -> Program:
    """The program with such wires cut. Args: running: what it makes without that, which tells the types of what is wired."""
    pous = dict(program.pous)
    for one in [*running.instances(), *running.functions.values()]:
        key = one.type_name.lower()
        if one.pou is not None and pous.get(key) is one.pou and feeds_back(one.pou):
            pous[key] = _Cut(one, one.pou, running).pou()
    return replace(program, pous=pous)


class _Cut:
    """One POU on its way."""

    def __init__(self, instance: Instance, pou: Pou, running: Running) -> None:
        self.instance, self.running, self.old = instance, running, pou
        self.variables: list[Variable] = []
        self.taken = {v.name.lower() for v in pou.variables}

    def pou(self) -> Pou:
        body: Body = self.old.body
        if isinstance(body, LadderBody):
            body = self.ladder(body)
        elif isinstance(body, ChartBody):
            body = replace(body, segments=tuple(self.ladder(s) if isinstance(s, LadderBody) else s for s in body.segments))
        return replace(self.old, body=body, variables=(*self.old.variables, *self.variables))

    def ladder(self, body: LadderBody) -> LadderBody:
        number = max((e.id for e in body.elements), default=0)
        rungs = []
        for rung in body.rungs:
            if rung.fault == LEADS_BACK:
                rung = self.rung(rung, number)
                number = max(number, *(e.id for e in rung.elements))
            rungs.append(rung)
        return replace(body, rungs=tuple(rungs))

    def rung(self, rung: Rung, number: int) -> Rung:
        """A network with its wires cut; as it is where what they bring cannot be kept."""
        backs = leading_back(rung.elements, rung.continued)
        by_id = {e.id: e for e in rung.elements}
        names: dict[tuple[int, str], str] = {}
        own: dict[tuple[int, str], str] = {}
        for back in backs:
            block, key = by_id[back.giver], (back.giver, back.output)
            if not isinstance(block, Block) or back.output == "ENO":
                return rung
            names[key] = f"{block.instance}.{back.output}" if block.instance else own.setdefault(key, self.name(block, back))
        made = replace(rung, elements=with_wires_cut(rung.elements, backs, names, number), fault="")
        types = self.types(made, own)
        if types is None:
            return rung
        said = "what a wire that leads back brought the time before"
        self.variables += [Variable(name, types[name], VariableKind.LOCAL, documentation=said, made=True) for name in own.values()]
        return made

    def name(self, block: Block, back: Back) -> str:
        """A name for what a function gives."""
        name = f"{block.type_name}_{block.id}" + ("" if back.output == "OUT" else f"_{back.output}")
        while name.lower() in self.taken:
            name += "_fed_back"
        self.taken.add(name.lower())
        return name

    def types(self, rung: Rung, own: Mapping[tuple[int, str], str]) -> dict[str, Elementary] | None:
        """The types of the variables, by name; None where one is an array or structure, or they do not come to rest."""
        # At first what comes back is like a literal without a type: it takes that of what is beside it. Of logic alone it is BOOL.
        logic = {e.id for e in rung.elements if isinstance(e, Block) and e.type_name.upper() in BITWISE}
        known: dict[str, Elementary] = {name: BOOL for key, name in own.items() if key[0] in logic}

        def type_of(text: str, instance: Instance) -> Elementary | None:
            return known.get(text) or variable_type(text, instance, self.running)

        for _ in range(MOST_ROUNDS):
            types = rung_types(Step(0, self.instance, rung), self.running, type_of)
            found = {name: given for key, name in own.items() if (given := types.outputs.get(key)) is not None}
            if found == known:
                return found if len(found) == len(own) else None
            known = found
        return None
