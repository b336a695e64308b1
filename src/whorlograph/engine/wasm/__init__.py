"""The code as one WebAssembly module: printed as text, compiled by wasmtime, run on a feed (docs/decisions/001, 004)."""
