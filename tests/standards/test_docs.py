"""What is written about Mardok: the reference is the code's, the examples run, what is named exists."""

from __future__ import annotations

import importlib.util
import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize("name", ["reference", "sentences"])
def test_what_is_made_from_the_code_is_what_the_code_says(name: str) -> None:
    spec = importlib.util.spec_from_file_location(name, ROOT / "tools" / f"{name}.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    written = getattr(module, name)()
    print(written)
    assert (ROOT / "docs" / f"{name}.md").read_text("utf-8") == written


@pytest.mark.parametrize("example", sorted(path.name for path in (ROOT / "examples").glob("*.py")))
def test_examples_run(example: str, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-W", "error", ROOT / "examples" / example],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert len(done.stdout.splitlines()) >= 3
    assert not list(tmp_path.iterdir())


def test_links_between_the_documents_lead_somewhere() -> None:
    for path in (ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")):
        for target in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", path.read_text("utf-8")):
            assert (path.parent / target).exists(), f"{path.name}: {target}"
