"""The name of a block's instance, as the POU that calls it has it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..writers import BlockCall

if TYPE_CHECKING:
    from ..tracer import Tracer


def instance_name(tracer: Tracer, call: BlockCall) -> str:
    """That of the block whose pins a call has."""
    return tracer.name(call.first).rpartition(".")[0].rpartition(".")[2]
