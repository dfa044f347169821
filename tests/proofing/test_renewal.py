"""An audit that is proofread again is what it would be if its site was read again."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import pandas as pd
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC

import mardok
from mardok import pipeline
from mardok.errors import FolderError


def settings(*assignments: str) -> mardok.Settings:
    return mardok.read_settings(None, list(assignments))


def test_only_the_kept_tables_are_read_and_all_is_as_if_the_site_was(
    demo_folder: Path, only_these: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = settings("proof.spelling=true", f"proof.dictionaries='{only_these}'", "proof.articles=false")
    whole = mardok.audit(DEMO_WARC, search=DEMO_SEARCH, settings=asked)
    monkeypatch.setattr(pipeline, "read_inputs", lambda *_: pytest.fail("the site was read again"))
    again = mardok.audit(demo_folder, search=DEMO_SEARCH, settings=asked)
    assert set(again.tables) == set(whole.tables)
    for name in whole.tables:
        pd.testing.assert_frame_equal(
            again.tables[name].reset_index(drop=True), whole.tables[name].reset_index(drop=True), check_categorical=False,
            check_dtype=False, obj=name,
        )  # fmt: skip
    told = {name: value for name, value in again.meta.model_dump().items() if name not in ("made", "decisions")}
    assert told == {name: value for name, value in whole.meta.model_dump().items() if name in told}
    assert not again.tables["site_words"].empty


@pytest.mark.parametrize("change", ["a setting", "a source", "a decision", "other search data"])
def test_what_else_has_changed_is_read_again(
    change: str, demo: mardok.Audit, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    demo.save(tmp_path / "audit")
    monkeypatch.setattr(pipeline, "read_inputs", lambda *_: pytest.fail("read"))
    asked, search, decisions = settings("proof.articles=false"), [DEMO_SEARCH], tmp_path / "audit" / "plan.csv"
    assert mardok.audit(tmp_path / "audit", search=search, settings=asked, decisions=decisions)
    if change == "a setting":
        asked = settings("proof.articles=false", "copies.resemblance=0.9")
    elif change == "a source":
        monkeypatch.setattr("mardok.renewal._is_older", lambda *_: False)
    elif change == "a decision":
        lines = decisions.read_text("utf-8").splitlines()
        decisions.write_text("\n".join([lines[0], lines[1].removesuffix(",,") + ",accept,", *lines[2:]]) + "\n", "utf-8")
    else:
        other = tmp_path / "search.csv"
        other.write_bytes(DEMO_SEARCH.read_bytes())
        os.utime(other, (0, 0))
        search = [other]
    with pytest.raises(pytest.fail.Exception, match="read"):
        mardok.audit(tmp_path / "audit", search=search, settings=asked, decisions=decisions)


def test_a_damaged_table_is_told_and_not_handed_on(demo_folder: Path, tmp_path: Path) -> None:
    folder = tmp_path / "audit"
    shutil.copytree(demo_folder, folder)
    links = folder / "data" / "links.parquet"
    links.write_bytes(links.read_bytes()[:-100])
    with pytest.raises(FolderError, match=r"links\.parquet: cannot be read"):
        mardok.audit(folder, search=DEMO_SEARCH, settings=settings("proof.articles=false"))
