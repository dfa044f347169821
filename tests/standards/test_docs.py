"""What is written about Mardok: the reference is the code's, the examples run, what is named exists."""

from __future__ import annotations

import importlib.util
import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]


def test_the_reference_is_what_the_code_says() -> None:
    spec = importlib.util.spec_from_file_location("reference", ROOT / "tools" / "reference.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    assert (ROOT / "docs" / "reference.md").read_text("utf-8") == module.reference()


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
