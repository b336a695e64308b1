"""Holds the structure: no circle of modules, whether imported at the top, in a function or for types only; and our own modules are
imported inside functions only where that saves the start of a command something (a list, with the reason)."""

from __future__ import annotations

import ast
import sys
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1] / "src"
PACKAGE = "whorlograph"

# Where a function may import our own modules, and why.
LATE = {
    "cli": "a command imports what it needs once it is asked for",
    "ui/app": "the main view, beside the first frame",
    "ui/controllers/leaving": "overlays, when they are first opened",
    "ui/controllers/paging": "pages, when they are first opened",
    "ui/controllers/keeping": "reports bring reportlab",
    "ui/controllers/revising": "reports bring reportlab",
    "desk/ahead": "beside a second process",
    "engine/settled": "wasmtime, for long replays",
    "engine/controller": "wasmtime and the plain interpreter: one of the two is needed",
    "formats/logs/csv_table": "wasmtime, for long files",
    "formats/settled_csv": "wasmtime, for long files",
    "model/registry": "what the registry is for",
}


def modules() -> dict[str, Path]:
    """Every module by name."""
    found = {}
    for path in sorted((ROOT / PACKAGE).rglob("*.py")):
        parts = path.relative_to(ROOT).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def imports(name: str, path: Path, known: dict[str, Path]) -> list[tuple[str, bool, int]]:
    """(module, inside a function, line) of each import of our own."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    package = name if path.name == "__init__.py" else name.rpartition(".")[0]
    found: list[tuple[str, bool, int]] = []

    def visit(node: ast.AST, inside: bool) -> None:
        for child in ast.iter_child_nodes(node):
            if isinstance(child, ast.ImportFrom):
                base = package.split(".")[:len(package.split(".")) - child.level + 1] if child.level else []
                target = ".".join([*base, *(child.module.split(".") if child.module else [])])
                for alias in child.names:
                    full = f"{target}.{alias.name}"
                    one = full if full in known else target
                    if one in known and one != name:
                        found.append((one, inside, child.lineno))
            elif isinstance(child, ast.Import):
                found.extend((alias.name, inside, child.lineno) for alias in child.names if alias.name in known)
            visit(child, inside or isinstance(child, (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)))

    visit(tree, False)
    return found


def circle(graph: dict[str, set[str]]) -> list[str]:
    """A circle of modules, from one back to itself; none where there is none."""
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        found: list[str] = error.args[1]
        return found
    return []


def main() -> int:
    """Say what is broken."""
    known = modules()
    said = []
    graph: dict[str, set[str]] = {name: set() for name in known}
    for name, path in known.items():
        place = name.removeprefix(f"{PACKAGE}.").replace(".", "/")
        late = any(place == allowed or place.startswith(f"{allowed}/") for allowed in LATE)
        for target, inside, line in imports(name, path, known):
            if path.name != "__init__.py" and known[target].name != "__init__.py":
                graph[name].add(target)
            if inside and not late:
                said.append(f"{path.relative_to(ROOT.parent)}:{line}: {target} is imported inside a function")
    ring = circle(graph)
    if ring:
        said.append(f"a circle of modules: {' <- '.join(ring)}")
    print("\n".join(said) if said else f"structure: {len(known)} modules, no circle, no late import without a reason")
    return 1 if said else 0


if __name__ == "__main__":
    sys.exit(main())
