"""Pages and rows as columns are the pages and rows."""

from __future__ import annotations

import pickle
from dataclasses import fields, replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st
from small_parts import at_once, hold_as_columns

from mardok.extract.page import Page, Signs
from mardok.findings.page_check import PageCheck, in_order
from mardok.kept_rows import StoredRows, chosen, columns_of_rows, held, held_columns
from mardok.large import Texts
from mardok.mapped import large_arrays_in
from mardok.text.stored_pages import TEXT_FIELDS, TOLD_FIELDS, RowOfAddress, StoredPages, told
from mardok.vocabulary import CheckId

ANY_TEXT = st.text(st.characters(), max_size=9)
SIGNS = st.builds(Signs, og_type=ANY_TEXT, social=st.lists(ANY_TEXT, max_size=2).map(tuple), n_fields=st.integers(0, 9))
PAGES = st.builds(
    Page,
    **dict.fromkeys(TEXT_FIELDS, ANY_TEXT),
    status=st.none() | st.integers(100, 599),
    robots=st.lists(st.tuples(ANY_TEXT, ANY_TEXT), max_size=2).map(tuple),
    alternates=st.lists(st.tuples(ANY_TEXT, ANY_TEXT), max_size=2).map(tuple),
    blocks=st.just(()),
    images=st.just(()),
    is_html=st.booleans(),
    script_words=st.none() | st.integers(0, 9),
    signs=SIGNS,
    unread=st.lists(ANY_TEXT, max_size=2).map(tuple),
)
CHECKS = st.builds(
    PageCheck,
    url=st.integers(0, 9).map("https://host.example/{}".format),
    check=st.sampled_from(CheckId),
    value=ANY_TEXT,
    detail=ANY_TEXT,
    n_pages=st.integers(1, 9),
    is_urgent=st.booleans(),
)
some = hypothesis_settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])


@pytest.fixture
def tiny(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    return at_once(7, monkeypatch, tmp_path)


@some
@given(st.lists(PAGES, min_size=1, max_size=9, unique_by=lambda page: page.url), st.booleans())
def test_pages_as_columns_are_the_pages(tiny: Path, pages: list[Page], in_files: bool) -> None:
    pages = sorted(pages, key=lambda page: page.url)
    with large_arrays_in(tiny if in_files else None):
        columns = {name: Texts.of([getattr(page, name) for page in pages]) for name in TEXT_FIELDS}
        columns |= {name: Texts.of([told(getattr(page, name)) for page in pages]) for name in TOLD_FIELDS}
        stored = StoredPages(columns, {"0": "site.warc.gz"})
        of_sources = [replace(page, source="site.warc.gz" if page.source == "0" else page.source) for page in pages]

        def values(page: Page) -> list[Any]:
            return [getattr(page, one.name) for one in fields(Page)]

        assert list(map(values, stored)) == list(map(values, of_sources))
        assert pickle.loads(pickle.dumps(stored[-1])) == of_sources[-1]
        assert [page.h1 for page in stored[::2]] == [page.h1 for page in of_sources[::2]]
        assert [page.language for page in stored.in_languages(["de"] * len(pages))] == ["de"] * len(pages)
        assert dict(stored.row_of) == {page.url: row for row, page in enumerate(pages)}
        assert stored.row_of.get("\x00 of none", -1) == -1
        assert "\x00 of none" not in stored.row_of
        with pytest.raises(KeyError):
            stored.row_of["\x00 of none"]
        with pytest.raises(IndexError):
            stored[len(pages)]


def test_addresses_of_one_hash_are_told_apart(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(RowOfAddress, "_hash", lambda _, raw: len(raw) % 2)
    urls = [f"https://host.example/{'a' * n}" for n in range(9)]
    row_of = RowOfAddress(Texts.of(urls))
    assert [row_of[url] for url in urls] == list(range(9))
    assert row_of.get("https://host.example/b") is None


@some
@given(st.lists(CHECKS, max_size=30), st.lists(CHECKS, max_size=9), st.booleans(), st.data())
def test_troubles_as_columns_are_the_troubles(
    tiny: Path, troubles: list[PageCheck], others: list[PageCheck], in_files: bool, data: st.DataObject
) -> None:
    with large_arrays_in(tiny if in_files else None):
        kept = held(iter(troubles), PageCheck)
        assert isinstance(kept, StoredRows) == (len(troubles) >= 5)
        assert [*kept] == [*held_columns(columns_of_rows(kept, PageCheck), PageCheck)] == troubles
        assert kept[1::2] == troubles[1::2]
        assert all(isinstance(one.check, CheckId) for one in kept)
        numbers = data.draw(st.lists(st.integers(0, len(troubles) - 1), max_size=9)) if troubles else []
        assert [*chosen(kept, np.array(numbers, np.int64))] == [troubles[number] for number in numbers]
        urls = [f"https://host.example/{n}" for n in (1, 4, 5, 8)]
        pages = [page_at(url) for url in urls]
        row_of = {url: row for row, url in enumerate(urls)}
        assert [*in_order([kept, others], pages, row_of)] == sorted([*troubles, *others])


def page_at(url: str) -> Page:
    return Page(url, "", 200, "", "", "", (), "", "", "", (), (), (), "", "", is_html=True)


def test_few_are_held_as_they_are(monkeypatch: pytest.MonkeyPatch) -> None:
    hold_as_columns(monkeypatch, 3)
    few = [PageCheck(f"https://host.example/{n}", CheckId.H1_MISSING, "", "") for n in range(2)]
    assert held(iter(few), PageCheck) == few
    assert isinstance(held_columns(columns_of_rows(few, PageCheck), PageCheck), list)
