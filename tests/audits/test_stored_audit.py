"""The stored audit is a contract: what is read back is what was written, and what cannot be read is refused by name."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from numpy.typing import NDArray

import mardok
from mardok.demo import troubles
from mardok.meta import FORMAT, META_FILE
from mardok.store import FolderStore, MemoryStore
from mardok.tables import TABLES


@pytest.fixture
def folder(demo_folder: Path, tmp_path: Path) -> Path:
    return Path(shutil.copytree(demo_folder, tmp_path / "a:b"))


def test_a_folder_answers_as_the_audit_in_memory_does(demo: mardok.Audit, folder: Path) -> None:
    stored, held = FolderStore(folder), MemoryStore(dict(demo.tables))
    assert set(stored) == set(held) == set(TABLES)
    for name, table in TABLES.items():
        if table.order[0] == "page":
            for page in range(0, len(demo.pages), 7):
                assert stored.of_page(name, page) == held.of_page(name, page)
        for column in table.names:
            assert _cells(stored.column(name, column)) == _cells(held.column(name, column))
    for row, url in enumerate(demo.pages["url"]):
        assert stored.find("pages", "url", url) == held.find("pages", "url", url) == row
        assert stored.row("pages", row, TABLES["pages"].names) == held.row("pages", row, TABLES["pages"].names)
        assert stored.where("checks", "url", url) == held.where("checks", "url", url)
    assert stored.find("pages", "url", "https://nowhere.example/") == held.find("pages", "url", "x") == -1


def _cells(column: NDArray[Any]) -> list[Any]:
    cells = pd.Series(column, dtype=object)
    return cells.where(cells.notna(), None).tolist()


def test_the_sheet_of_a_page_is_the_same_from_the_folder_and_says_what_the_tables_say(
    demo: mardok.Audit, folder: Path
) -> None:
    loaded = mardok.load(folder)
    for url in (*map(troubles.url, troubles.COPIES), *demo.pages["url"][::9]):
        sheet = demo.page(url)
        assert loaded.page(url).as_dict() == sheet.as_dict()
        assert [one["url"] for one in sheet.relatives] == sorted(
            (one["url"] for one in sheet.relatives), key=lambda other: (-_resemblance(demo, url, other), other)
        )
        assert len(sheet.steps) == (demo.steps["url"] == url).sum()
        assert len(sheet.checks) == (demo.checks["url"] == url).sum()
        assert len(sheet.groups) == (demo.groups["url"] == url).sum()
        assert f"<bdi>{url.replace('&', '&amp;')}</bdi>" in sheet._repr_html_()


def _resemblance(demo: mardok.Audit, url: str, other: str) -> float:
    a, b = sorted([url, other])
    pairs = demo.pairs
    return float(pairs.loc[(pairs["url_a"] == a) & (pairs["url_b"] == b), "resemblance"].iloc[0])


def test_a_pair_is_the_same_from_the_folder(demo: mardok.Audit, folder: Path) -> None:
    for copy, keeper in troubles.COPIES.items():
        urls = troubles.url(copy), troubles.url(keeper)
        pair = mardok.load(folder).pair(*urls)
        assert pair == demo.pair(*urls)
        texts = [demo.page(url).main_text for url in urls]
        exact = mardok.find_copies(texts, minimum=0.01).iloc[0]
        assert (pair.resemblance, pair.a_in_b, pair.b_in_a) == tuple(exact[["resemblance", "a_in_b", "b_in_a"]])


def _refused(folder: Path, *command: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "mardok", *command], capture_output=True, text=True, check=False, cwd=folder.parent
    )
    assert done.returncode == 2, done.stderr
    assert len(done.stderr.splitlines()) == 1, done.stderr
    assert "audit again: mardok audit" in done.stderr
    assert f"-o {folder.name}" in done.stderr
    return done.stderr


@pytest.mark.parametrize("table", ["pages", "steps", "furniture"])
def test_a_missing_table_is_named_with_the_way_out(folder: Path, table: str) -> None:
    (folder / "data" / f"{table}.parquet").unlink()
    for command in (["phrases", folder.name], ["page", folder.name, troubles.url("/")]):
        assert f"{table}.parquet: is missing" in _refused(folder, *command)


def test_a_damaged_table_is_named_with_the_way_out(folder: Path) -> None:
    (folder / "data" / "pages.parquet").write_bytes(b"PAR1 is no such thing")
    for command in (["phrases", folder.name], ["page", folder.name, troubles.url("/")]):
        assert "pages.parquet: cannot be read" in _refused(folder, *command)
    queries = folder / "data" / "queries.parquet"
    pd.read_parquet(queries.resolve()).rename(columns={"competing": "contending"}).to_parquet(queries.resolve())
    with pytest.raises(mardok.FolderError, match=r"queries\.parquet: cannot be read"):
        FolderStore(folder).of_page("queries", 0)


@pytest.mark.parametrize("form", [None, 1, FORMAT + 1, "new"])
def test_a_folder_of_another_form_is_refused_by_name_and_can_be_audited_again(folder: Path, form: object) -> None:
    meta = json.loads((folder / META_FILE).read_text("utf-8"))
    meta |= {"format": form} if form is not None else {}
    if form is None:
        del meta["format"]
    (folder / META_FILE).write_text(json.dumps(meta), "utf-8")
    message = _refused(folder, "phrases", folder.name)
    assert f"has form {1 if form is None else form!r}, and this version of Mardok reads form {FORMAT}" in message
    assert meta["sources"][0]["path"] in message
    again = mardok.audit(folder, search=meta["search"], decisions=folder / "plan.csv")
    assert len(again.pages) == meta["totals"]["pages"]


def test_a_setting_that_this_version_does_not_know_is_named(folder: Path) -> None:
    meta = json.loads((folder / META_FILE).read_text("utf-8"))
    meta["settings"]["copies"]["likeness"] = meta["settings"]["copies"].pop("resemblance")
    (folder / META_FILE).write_text(json.dumps(meta), "utf-8")
    assert "settings.copies.likeness" in _refused(folder, "phrases", folder.name)


def test_decisions_whose_plan_cannot_be_read_are_not_dropped_in_silence(folder: Path) -> None:
    plan = pd.read_csv(folder / "plan.csv", dtype=str, keep_default_na=False)
    plan.loc[0, "decision"] = "accept"
    plan.to_csv(folder / "plan.csv", index=False)
    (folder / "data" / "plan.parquet").write_bytes(b"nothing")
    with pytest.raises(mardok.FolderError, match=r"plan\.parquet: cannot be read"):
        mardok.audit(folder, decisions=folder / "plan.csv")


def test_asking_a_stored_audit_imports_no_crawler_extractor_or_planner(folder: Path) -> None:
    program = (
        "import sys, mardok\n"
        f"audit = mardok.load({str(folder)!r})\n"
        f"audit.page({troubles.url('/')!r}).as_dict()\n"
        f"audit.pair({troubles.url('/')!r}, {troubles.url('/hire/')!r})\n"
        "light = [name for name in ('pandas', 'scipy') if name in sys.modules]\n"
        "mardok.phrases(audit)\n"
        "heavy = [name for name in sys.modules for part in ('sources', 'extract', 'plan', 'deliver') "
        "if name.startswith(f'mardok.{part}.') and name != 'mardok.extract.language']\n"
        "print(light, heavy)"
    )
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[] []"


@pytest.mark.parametrize("arguments", [["--version"], ["--help"], ["page"], ["crawl", "--help"], ["nothing"]])
def test_what_needs_no_tables_starts_without_them(arguments: list[str]) -> None:
    program = f"""
import sys
from mardok.cli import main
sys.argv = ["mardok", *{arguments!r}]
try:
    main()
except SystemExit:
    pass
print([name for name in ("pandas", "scipy", "numpy", "pyarrow", "mardok.settings") if name in sys.modules])
"""
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True)
    assert done.stdout.strip().splitlines()[-1] == "[]"
