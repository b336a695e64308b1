"""Data of our own, read again: decoders of each kind made once, one at a time.

What msgspec knows of a class is made at the class's first decoding and is to be seen half made by another thread, which then crashes over it
(tests/formats/test_decoding.py shows both). So nothing is decoded without a decoder that was made under the lock.
"""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar

import msgspec

T = TypeVar("T")

Hook = Callable[[type, Any], Any]
_MAKING = Lock()
_PACKED: dict[tuple[Any, Hook | None], Any] = {}  # decoders by what they make
_JSON: dict[Any, Any] = {}


def unpacked(data: bytes, kind: type[T], hook: Hook | None = None) -> T:
    """What was packed as msgpack. Raises: msgspec.MsgspecError where it is not of that kind."""
    with _MAKING:
        decoder = _PACKED.get((kind, hook))
        if decoder is None:
            decoder = _PACKED[kind, hook] = msgspec.msgpack.Decoder(kind, dec_hook=hook)
    found: T = decoder.decode(data)
    return found


def from_json(data: bytes, kind: type[T]) -> T:
    """What JSON says. Raises: msgspec.MsgspecError where it is not of that kind."""
    found: T = _of_json(kind).decode(data)
    return found


def converted(value: object, kind: type[T]) -> T:
    """A value of plain parts as what it stands for. Raises: msgspec.MsgspecError where it is not of that kind."""
    _of_json(kind)
    return msgspec.convert(value, kind)


def _of_json(kind: type[T]) -> Any:
    with _MAKING:
        decoder = _JSON.get(kind)
        if decoder is None:
            decoder = _JSON[kind] = msgspec.json.Decoder(kind)
        return decoder
