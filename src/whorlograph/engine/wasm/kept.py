"""Compiled modules kept between runs."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from contextlib import suppress
from threading import Thread

import msgspec
import wasmtime
from msgspec.structs import replace

from whorlograph.engine.kept import name_of, put, take
from whorlograph.formats.decoding import unpacked

from .machine import assemble, shared_engine
from .module import Module


def _taken(name: str) -> wasmtime.Module | None:
    data = take(name, ".cwasm")
    if data is not None:
        with suppress(wasmtime.WasmtimeError):
            return wasmtime.Module.deserialize(shared_engine(), data)
    return None


def machine_code(module: Module) -> wasmtime.Module:
    """The machine code of a module: from an earlier run where it is the same text, else compiled and kept."""
    name = name_of(hashlib.sha256(module.text.encode()).hexdigest())
    code = _taken(name)
    if code is None:
        code = assemble(module)
        put(name, ".cwasm", bytes(code.serialize()))
    return code


def kept_module(source: str, make: Callable[[], Module]) -> tuple[Module, Callable[[], wasmtime.Module]]:
    """The module of a program file, and what waits for its machine code; nothing is printed again where an earlier run has.

    The machine code is made in a thread, without the interpreter's lock: logs can be read meanwhile.
    Args: source: names everything the module depends on besides our own code; make: prints the program.
    """
    name = name_of(source)
    front = take(name, ".front")
    if front is not None:
        with suppress(msgspec.MsgspecError):
            module = unpacked(front, Module)
            code = _taken(name)
            if code is not None:
                kept = code
                return module, lambda: kept
    module = make()
    made: list[wasmtime.Module | Exception] = []

    def compile_it() -> None:
        try:
            code = assemble(module)
        except Exception as error:
            made.append(error)
            return
        put(name, ".cwasm", bytes(code.serialize()))
        put(name, ".front", msgspec.msgpack.encode(replace(module, text="")))
        made.append(code)

    thread = Thread(target=compile_it)
    thread.start()

    def wait() -> wasmtime.Module:
        thread.join()
        if isinstance(made[0], Exception):
            raise made[0]
        return made[0]

    return module, wait
