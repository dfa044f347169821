"""A table gives one answer whether it is held in memory or lies in a folder, and whatever part of it is asked for."""

from __future__ import annotations

import gc
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from random_sites import ADDRESSES, SITES, TEXTS, write_site

import mardok
from mardok import folder
from mardok.errors import FolderError
from mardok.kept import FiledTables
from mardok.store import Columns, FolderStore, MadeStore, MemoryStore, TableStore, stored_columns
from mardok.tables import BLOCKS, TABLES
from mardok.text import site_tables
from tests.plan.test_plan import EXPENSIVE, SEARCH_ROWS, write_search

BY_PAGE = [name for name, table in TABLES.items() if table.columns[0].name == "page"]


def same(one: Any, other: Any) -> bool:
    """Whether two cells say the same; a missing one is None, NaN or NA."""
    missing = [bool(pd.isna(value)) for value in (one, other)]
    return all(missing) if any(missing) else bool(one == other)


def as_rows(columns: Columns) -> list[tuple[Any, ...]]:
    return list(zip(*columns.values(), strict=True))


def expected_rows(frame: pd.DataFrame) -> list[tuple[Any, ...]]:
    return list(frame.astype(object).itertuples(index=False, name=None))


def same_rows(found: list[tuple[Any, ...]], expected: list[tuple[Any, ...]]) -> bool:
    return len(found) == len(expected) and all(
        len(a) == len(b) and all(map(same, a, b)) for a, b in zip(found, expected, strict=True)
    )


@pytest.fixture
def few_rows_together(monkeypatch: pytest.MonkeyPatch) -> None:
    """Tables are made and stored a few rows at a time."""
    for module in (folder, site_tables):
        monkeypatch.setattr(module, "_ROWS_AT_ONCE", 5)


HOME = {
    "text": TEXTS[0],
    "title": "",
    "status": 200,
    "target": "",
    "canonical": None,
    "robots": "",
    "lang": "en",
    "links": [],
}


@pytest.mark.usefixtures("few_rows_together")
@settings(max_examples=5, deadline=None, **EXPENSIVE)
@given(pages=SITES, rows=SEARCH_ROWS)
def test_every_store_gives_what_the_frames_hold(tmp_path: Path, pages: dict[str, Any], rows: list[Any]) -> None:
    audit = mardok.audit(
        write_site(tmp_path / "site.jsonl", pages), search=write_search(tmp_path / "search.csv", list(pages), rows)
    )
    audit.save(tmp_path / "audit")
    frames = {name: audit.tables[name] for name in audit.tables}
    stores: list[TableStore] = [MemoryStore(frames), FolderStore(tmp_path / "audit"), audit.tables]
    for store in stores:
        assert set(store) == set(TABLES)
        assert len(store) == len(TABLES)
        for name, frame in frames.items():
            for column in frame.columns:
                found = store.column(name, column)
                assert len(found) == len(frame)
                expected = frame[column].astype(object).tolist()
                assert all(map(same, found.tolist(), expected)), (name, column)
                assert same_rows([tuple(store.cells(name, column))], [tuple(expected)]), (name, column)
            parts = list(store.parts(name))
            assert same_rows([row for part in parts for row in expected_rows(part)], expected_rows(frame)), name
            assert all(part.dtypes.equals(frame.dtypes) or "category" in map(str, frame.dtypes) for part in parts), name
        for name in BY_PAGE:
            some = np.arange(0, len(frames["pages"]), 2)[::-1]
            own = frames[name][frames[name]["page"].isin(some)]
            found = store.of_pages(name, some, list(own.columns))
            assert same_rows(as_rows(found), expected_rows(own)), name
            chosen = store.chosen(name, list(own.columns), ["page"], lambda page: page % 2 == 0)
            assert same_rows(as_rows(chosen), expected_rows(own)), name
            at = own.index.to_numpy()[::-1]
            assert same_rows(as_rows(store.rows(name, at, list(own.columns))), expected_rows(own)[::-1]), name
            pd.testing.assert_frame_equal(store.frame(name, own.columns[::-1]), frames[name][own.columns[::-1]])
            for page in range(len(frames["pages"])):
                expected = expected_rows(frames[name][frames[name]["page"] == page])
                assert same_rows(as_rows(store.of_page(name, page)), expected), (name, page)
        for number, url in enumerate(frames["pages"]["url"]):
            assert store.find("pages", "url", url) == number
            names = ["title", "status", "indexable", "clicks", "main_text"]
            cells = store.row("pages", number, names)
            assert list(cells) == names
            assert all(same(cells[name], frames["pages"][name].iloc[number]) for name in names)
            for name, column in (("steps", "url"), ("groups", "url"), ("checks", "url"), ("pairs", "url_a")):
                expected = expected_rows(frames[name][frames[name][column] == url])
                assert same_rows(as_rows(store.where(name, column, url)), expected), (name, url)
        assert store.find("pages", "url", "https://nowhere.example/") == -1
        assert not as_rows(store.where("steps", "url", "https://nowhere.example/"))
    pd.testing.assert_frame_equal(stores[0]["pages"], stores[1]["pages"])


def test_tables_in_files_last_as_long_as_anybody_has_them(caplog: pytest.LogCaptureFixture, tmp_path: Path) -> None:
    tables = mardok.audit(write_site(tmp_path / "site.jsonl", {ADDRESSES[0]: HOME})).tables
    assert isinstance(tables, MadeStore)
    place = tables.files["pages.csv"]
    assert isinstance(place, Path)
    gc.collect()
    blocks = tables["blocks"]
    assert place.is_file()
    filed = FiledTables(place.parent / "gone")
    filed.file(BLOCKS, lambda: [blocks])
    assert "has no room for blocks" in caplog.text
    assert isinstance(filed.files["data/blocks.parquet"], bytes)
    pd.testing.assert_frame_equal(filed.store["blocks"], blocks)
    del tables, filed
    gc.collect()
    assert not place.exists()


def test_no_store_has_a_table_that_is_not_declared(demo: mardok.Audit, demo_folder: Path) -> None:
    for store in (MemoryStore(dict(demo.tables)), FolderStore(demo_folder)):
        with pytest.raises(KeyError):
            store["invoices"]
        assert "invoices" not in store


def test_columns_of_a_folder_of_any_form_are_read_or_refused_by_name(demo: mardok.Audit, demo_folder: Path) -> None:
    found = stored_columns(demo_folder, "plan", ["proposal", "action"])
    assert list(found) == ["proposal", "action"]
    assert found["proposal"] == demo.plan["proposal"].tolist()
    for table, names in (("plan", ["proposal", "price"]), ("invoices", ["price"])):
        with pytest.raises(FolderError, match="audit again: mardok audit") as refused:
            stored_columns(demo_folder, table, names)
        assert f"{table}.parquet" in str(refused.value)
        assert "\n" not in str(refused.value)


@pytest.mark.parametrize("spoil", [lambda data: data[:0], lambda data: data[:100], lambda data: data[:-300]])
def test_a_spoilt_table_is_refused_wherever_it_breaks_off(
    spoil: Callable[[bytes], bytes], page_table: Callable[..., Path], tmp_path: Path
) -> None:
    audit = mardok.audit(
        page_table([{"url": "https://www.host.example/", "html": "<title>Bows</title><p>New hair for bows."}])
    )
    audit.save(tmp_path / "audit")
    (path,) = (tmp_path / "audit" / "data").resolve().glob("blocks.parquet")
    path.write_bytes(spoil(path.read_bytes()))
    stored = mardok.load(tmp_path / "audit")
    assert stored.plan is not None  # what is whole can be asked
    with pytest.raises(FolderError, match=r"blocks\.parquet: cannot be read .*audit again: mardok audit") as refused:
        stored.tables["blocks"]
    assert "\n" not in str(refused.value)
