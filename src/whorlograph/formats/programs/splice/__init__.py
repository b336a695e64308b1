"""A changed program written back into its own file: byte for byte the same but for what was changed (DESIGN section 8)."""

from __future__ import annotations

import re

from whorlograph.formats.encodings import decoded, wide
from whorlograph.model.errors import ProgramError
from whorlograph.model.program import Program

from .cuts import cut
from .exchange import exchange_cuts
from .pieces import Pieces
from .project import project_cuts
from .text import splice_text

_ENCODING = re.compile(rb"<\?xml[^>]*encoding=[\"']([A-Za-z0-9._-]+)[\"']")


def splice(data: bytes, old: Program, new: Program) -> bytes:
    """The file of a program with the changes that lead to another one.

    Args: data: the file, in either form of XML or as text; old: the program as it was read from it; new: the same program, changed.
    Raises: ProgramError for a change that the file's form cannot hold.
    """
    if old == new:
        return data
    if not _is_xml(data):
        return splice_text(data, old, new)
    found = _ENCODING.match(data[:200].lstrip(b"\xef\xbb\xbf"))
    encoding = found.group(1).decode() if found else "utf-8"
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encoding = "utf-16"
    elif wide(data):
        encoding = wide(data)
    if encoding.lower().replace("-", "") not in ("utf8", "usascii", "ascii"):
        text = data.decode(encoding)
        changed = _spliced(text.encode("utf-8"), old, new).decode("utf-8").encode(encoding)
        return changed if data[:2] != b"\xfe\xff" else b"\xfe\xff" + changed.decode(encoding).encode("utf-16-be")
    return _spliced(data, old, new)


def _is_xml(data: bytes) -> bool:
    return decoded(data[:400])[0].lstrip()[:1] == "<"


def _spliced(data: bytes, old: Program, new: Program) -> bytes:
    body = re.sub(rb"encoding=[\"'][^\"']*[\"']", lambda m: b" " * len(m[0]), data[:200]) + data[200:]  # it is UTF-8 by now, whatever it says
    root = Pieces(body, old.file).root
    if root is not None and root.name == "project":
        return cut(data, exchange_cuts(data, root, old, new))
    if root is not None and root.name == "Project":
        return cut(data, project_cuts(data, root, old, new))
    raise ProgramError(old.file, "is in a form that is not written back", "export it in one of the forms of XML")
