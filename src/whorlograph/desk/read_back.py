"""A changed program's file, read again before it is written: what would come out otherwise is refused, not written."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace

from whorlograph.formats.programs import read_data
from whorlograph.inquiry.revisions.change import What
from whorlograph.inquiry.revisions.programs import compare_programs
from whorlograph.model.errors import ProgramError
from whorlograph.model.program import Program
from whorlograph.model.steps import segments
from whorlograph.model.text import TextBody


def refuse_unlike(data: bytes, path: Path, wanted: Program, before: Program) -> None:
    """See that a file gives the program that it is to hold.

    Args: data: the file; path: where it is to be written; before: the program as it was: what is unchanged and in no file is a library's.
    Raises: ProgramError, which names the first difference.
    """
    found = read_data(data, path).value
    pous = {key: pou for key, pou in wanted.pous.items() if key in found.pous or before.pous.get(key) != pou}
    types = {key: one for key, one in wanted.types.items() if key in found.types or before.types.get(key) != one}
    # A text's comments are in its lines.
    drawn = {key for key, pou in pous.items() if not any(isinstance(part, TextBody) for part in segments(pou.body))}
    changes = [c for c in compare_programs(replace(wanted, pous=pous, types=types), found).changes
               if c.what is not What.COMMENT or c.pou.lower() in drawn]
    if changes:
        first = changes[0]
        where = f"{first.pou} {first.old or first.new}" if first.what is What.RUNG else first.name
        raise ProgramError(str(path), f"{where} would not be read from this file as it was changed, so nothing was written",
                           "change it where the program was made")
