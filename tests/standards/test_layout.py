"""The code keeps to its own rules: imports, public names, printing."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import mardok

SOURCE = Path(mardok.__file__).parent
ORDER = [
    "sources",
    "extract",
    "text",
    "kept_pages",
    "tasks",
    "inputs",
    "compare",
    "findings",
    "proofing",
    "plan",
    "sheets",
    "audits",
    "deliver",
    "renewal",
    "pipeline",
    "rechecking",
    "questions",
    "page_search",
    "beside",
    "drafts",
    "demo",
    "cli",
    "__main__",
]
ROOT = {
    "settings", "vocabulary", "sentences", "tables", "errors", "urls", "meta", "store", "folder", "large", "mapped", "locks",
    "memory", "processes", "progress", "handing", "done_tasks", "sharing", "hash_ranges", "kept", "kept_rows",
    "visible", "cells", "figures", "compiled", "_speed", "__init__",
}  # fmt: skip


SHOWN_BY = {"audits": {"deliver", "beside"}, "sheets": {"deliver"}}
"""Parts that import a later one in the methods that write, draw or ask more of them, and nowhere else."""


def _part(path: Path) -> str:
    return path.relative_to(SOURCE).parts[0].removesuffix(".py")


def _imports(path: Path) -> set[str]:
    """First-level parts of the package that a module imports."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        names = [node.module or ""] if isinstance(node, ast.ImportFrom) else []
        names += [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
        for name in names:
            if name == "mardok" and isinstance(node, ast.ImportFrom):
                found |= {alias.name for alias in node.names}
            elif name.startswith("mardok."):
                found.add(name.split(".")[1])
    return found & {*ORDER, *ROOT}


def test_modules_import_only_from_folders_before_their_own() -> None:
    for path in SOURCE.rglob("*.py"):
        part = _part(path)
        if part == "__init__":
            continue
        allowed = ROOT | (set() if part in ROOT else set(ORDER[: ORDER.index(part) + 1]))
        assert _imports(path) <= allowed | SHOWN_BY.get(part, set()), f"{path}: {_imports(path) - allowed}"


def test_every_part_has_its_place_in_the_order() -> None:
    assert {_part(path) for path in SOURCE.rglob("*.py")} == {*ORDER, *ROOT}


def test_public_names_are_listed_in_order_and_exist() -> None:
    assert sorted(mardok.__all__) == mardok.__all__
    found = subprocess.run(
        [sys.executable, "-c", "import mardok, sys; print(*dir(mardok), *vars(mardok)); print(*sys.modules)"],
        capture_output=True,
        text=True,
        check=True,
    ).stdout.splitlines()
    assert {name for name in found[0].split() if not name.startswith("_")} - {"import_module", "TYPE_CHECKING", "Any"} == {
        *mardok.__all__
    }
    assert not {"numpy", "pandas", "pydantic"} & set(found[1].split())
    assert all(hasattr(mardok, name) for name in mardok.__all__)
    assert not hasattr(mardok, "nothing")


def test_only_the_command_line_prints() -> None:
    for path in SOURCE.rglob("*.py"):
        if _part(path) != "cli":
            calls = [node.func for node in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(node, ast.Call)]
            assert not [call for call in calls if isinstance(call, ast.Name) and call.id == "print"], path
