"""One code for every language: what a program does, without a word of the language it was written in (docs/decisions/004).

Everything behind the front knows only this: WebAssembly, power flow, cross-reference, trails, holds. A program is
a set of bodies, one for each POU, and of instances that relocate them: cells are addressed relative to a base.
``at`` numbers a node of its body; ``Body.origins[at]`` says which element or text it came from.
"""

from __future__ import annotations

from enum import IntEnum

from msgspec import Struct

Value = bool | int | float | str


class Base(IntEnum):
    """What a cell's number is counted from."""

    GLOBAL = 0  # nothing: it is the number of a tag
    OWN = 1  # the first tag of the instance at work
    HIDDEN = 2  # the first hidden cell of the instance at work
    FRAME = 3  # the first variable of the function at work
    PARAM = 4  # what a VAR_IN_OUT stands for in this call


class Kind(IntEnum):
    """What a hidden cell is for, and whether its changes stand in the journal."""

    FLAG = 0  # a jump, return or call is taken: rows, shown as such
    PRIVATE = 1  # memories of edges, results kept while EN is off: rows, never shown
    MEMORY = 2  # what standard blocks remember: no rows


class Node(Struct, frozen=True, gc=False, array_like=True, tag=True, tag_field="node"):
    """A node of the code."""


class Target(Node, frozen=True, gc=False, array_like=True):
    """A cell, an element of an array, or one bit of either.

    ``type`` names the elementary type that the cell holds; ``width`` 0 is the whole of it, 1 the bit ``low``;
    ``param`` numbers the body's VAR_IN_OUT where the base is PARAM.
    """

    base: int
    cell: int
    type: str
    terms: tuple[Term, ...] = ()
    low: int = 0
    width: int = 0
    param: int = -1

    @property
    def span(self) -> int:
        """How many cells it may be, from ``cell`` on."""
        return 1 + sum((t.high - t.low) * t.stride for t in self.terms)


class Term(Node, frozen=True, gc=False, array_like=True):
    """A subscript: adds (index - low) * stride cells; outside low to high it is a fault."""

    index: Expr
    low: int
    high: int
    stride: int
    at: int


class Const(Node, frozen=True, gc=False, array_like=True):
    """A value of a type."""

    value: Value
    type: str
    at: int = -1


class Load(Node, frozen=True, gc=False, array_like=True):
    """What a target holds now; ``type`` BOOL for a bit."""

    target: Target
    type: str
    at: int


class Slot(Node, frozen=True, gc=False, array_like=True):
    """A value that a ``Let`` or ``Edge`` of the same step computed before."""

    number: int
    type: str


class Op(Node, frozen=True, gc=False, array_like=True):
    """An operation of the standard on operands of one type; ``type`` is that of the result.

    BOOL ``AND``, ``OR`` and ``NOT`` are the circuit. All operands are evaluated, left to right.
    """

    code: str
    type: str
    args: tuple[Expr, ...]
    at: int


class Convert(Node, frozen=True, gc=False, array_like=True):
    """A value brought to another type: ``WIDEN`` for an operand, ``HOLD`` on the way into a variable, ``TO`` and ``TRUNC``
    as the standard's conversions, ``RANGE`` held between ``low`` and ``high`` (a subrange)."""

    rule: str
    type: str
    value: Expr
    at: int
    low: int = 0
    high: int = 0


Expr = Const | Load | Slot | Op | Convert


class Let(Node, frozen=True, gc=False, array_like=True):
    """Compute now, read later. ``receiver``: the tag that a fault names."""

    slot: int
    value: Expr
    at: int
    receiver: Target | None = None


class Store(Node, frozen=True, gc=False, array_like=True):
    """Write; a fault in the value leaves the target as it was."""

    target: Target
    value: Expr
    at: int


class Copy(Node, frozen=True, gc=False, array_like=True):
    """Write ``cells`` cells one after the other: arrays and structures."""

    target: Target
    source: Target
    cells: int
    at: int


class Edge(Node, frozen=True, gc=False, array_like=True):
    """Whether a value rose (fell) since this node saw it last; a memory of 2 has seen nothing, then it is FALSE."""

    slot: int
    memory: Target
    value: Expr
    rising: bool
    at: int


class If(Node, frozen=True, gc=False, array_like=True):
    """Actions under a condition."""

    test: Expr
    then: tuple[Action, ...]
    other: tuple[Action, ...]
    at: int


class Loop(Node, frozen=True, gc=False, array_like=True):
    """Actions over and over, until they leave a scope around it; each pass is a step of its own."""

    actions: tuple[Action, ...]
    at: int


class Pass(Node, frozen=True, gc=False, array_like=True):
    """A pass of a loop that is laid out begins: a step of its own, as in ``Loop``."""

    at: int


class Scope(Node, frozen=True, gc=False, array_like=True):
    """What ``Leave`` leaves."""

    actions: tuple[Action, ...]


class Leave(Node, frozen=True, gc=False, array_like=True):
    """Go on behind the scope around this one: 0 the innermost, 1 the one around that, ..."""

    depth: int


class Spot(Node, frozen=True, gc=False, array_like=True):
    """Where an instance lies: its first tag, hidden cell and step, each counted from the base's own.

    With base GLOBAL ``own`` is instead the instance's number in ``Code.instances``, and the others mean nothing.
    """

    base: int
    own: int
    hidden: int = 0
    step: int = 0
    param: int = -1


class Call(Node, frozen=True, gc=False, array_like=True):
    """Execute a body inside this step.

    ``inputs`` of a function by cell of its frame, which begins anew; ``refs`` what its VAR_IN_OUT stand for (None:
    nothing is wired), each with a node in ``nodes``; ``results`` (cell of the frame, slot, type).
    """

    body: int
    where: Spot
    inputs: tuple[tuple[int, Expr], ...]
    refs: tuple[Target | Spot | None, ...]
    results: tuple[tuple[int, int, str], ...]
    at: int
    nodes: tuple[int, ...] = ()


class Invoke(Node, frozen=True, gc=False, array_like=True):
    """Execute a standard block on its pins; ``counts`` names the type that a counter counts in."""

    block: str
    where: Spot
    counts: str
    at: int


class Order(Node, frozen=True, gc=False, array_like=True):
    """Ask the controller: ``hold`` or ``release`` a task (by number, -1: none has that name), ``restart`` the watchdog's measure."""

    what: str
    task: int
    at: int


class Taken(Node, frozen=True, gc=False, array_like=True):
    """Note whether a jump, return or call is taken, for the journal."""

    cell: Target
    value: Expr
    at: int


Action = Let | Store | Copy | Edge | If | Loop | Pass | Scope | Leave | Call | Invoke | Order | Taken


class Exit(Node, frozen=True, gc=False, array_like=True):
    """After its step's actions: where ``test`` (over cells only) holds, go on at another step of the body."""

    test: Expr
    step: int
    at: int


class Step(Struct, frozen=True, gc=False, array_like=True):
    """A unit of execution: actions, then exits of which the first that holds counts."""

    actions: tuple[Action, ...] = ()
    exits: tuple[Exit, ...] = ()


Passing = tuple[tuple[str, int], ...]  # what the variables of loops that are laid out are in a pass


class Origin(Struct, frozen=True, gc=False, array_like=True):
    """What a node came from: a step of the body, an element's id there, what of it (a pin's name, ``gate`` or ""), in which pass."""

    step: int
    element: int
    what: str = ""
    passing: Passing = ()


class Cell(Struct, frozen=True, gc=False, array_like=True):
    """A hidden cell of a body: for which step, element and purpose, and what it begins with."""

    kind: int
    step: int
    element: int
    what: str
    initial: int = 0


class Param(Struct, frozen=True, gc=False, array_like=True):
    """A VAR_IN_OUT: ``bit`` where it is BOOL, ``cell`` else, ``instance`` where it is a block."""

    name: str
    kind: str


class Body(Struct, frozen=True, gc=False, array_like=True):
    """What a POU does.

    ``hidden``: its own hidden cells; they lie behind ``inner`` cells, those of the instances inside it. ``resets``:
    (target, raw value) of what begins anew at each run. ``frame``: the number of a function's instance, -1 for others.
    ``counted``: the variables of loops that are laid out, which nothing else may write;
    ``bounds``: the constants that tell how many passes they make.
    """

    pou: str
    steps: tuple[Step, ...]
    params: tuple[Param, ...]
    resets: tuple[tuple[Target, int], ...]
    hidden: tuple[Cell, ...]
    inner: int
    origins: tuple[Origin, ...]
    frame: int = -1
    counted: tuple[Target, ...] = ()
    bounds: tuple[Target, ...] = ()


class Instance(Struct, frozen=True, gc=False, array_like=True):
    """A body at work: its first tag, hidden cell and step, and the first step of the instances inside it.

    ``body`` -1: a standard block, the globals, or a body that is not executed. Only programs run by themselves.
    """

    name: str
    body: int
    own: int
    hidden: int
    first: int
    inner: int
    runs: bool = False
    task: str = ""


class Code(Struct, frozen=True, gc=False, array_like=True):
    """All of a program. Cells are numbered: tags that are shown (``public``), variables of functions (up to ``tags``), hidden ones."""

    bodies: tuple[Body, ...]
    instances: tuple[Instance, ...]
    public: int
    tags: int
    cells: int
    steps: int

    @property
    def programs(self) -> tuple[Instance, ...]:
        """What runs by itself, in order of declaration."""
        return tuple(i for i in self.instances if i.runs)
