"""Pages by any finding, from the command line and from Python."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import mardok
from mardok.demo import troubles
from mardok.demo.troubles import url


def paths(found: pd.DataFrame) -> set[str]:
    return {one.removeprefix(troubles.HOST) for one in found["url"]}


def test_pages_are_found_by_each_finding(demo: mardok.Audit) -> None:
    assert paths(mardok.find_pages(demo, check="h1-missing")) == {"/careers/"}
    towns = troubles.SERIES["towns"]
    copies = mardok.find_pages(demo, copies_of=towns[0])
    assert paths(copies) == set(towns) - {towns[0]}
    assert copies["found"].str.fullmatch("resemblance (8[5-9]|9[0-9])%").all()
    variants = mardok.find_pages(demo, variants_of="/hire/")
    assert set(variants["url"]) == {one for one, path in troubles.VARIANTS.items() if path == "/hire/"}
    thin = mardok.find_pages(demo, thin=True)
    assert set(thin["url"]) == set(demo.pages.loc[demo.pages["thin"] == "yes", "url"])
    assert paths(mardok.find_pages(demo, thin=True, under=["/blog/"])) == {
        one for one in paths(thin) if one.startswith("/blog/")
    }
    shown = mardok.find_pages(demo, query="How to tune a  violin")
    assert paths(shown) == {"/blog/how-to-tune-a-violin/", "/blog/tuning-your-violin-for-the-first-time/"}
    assert shown["impressions"].is_monotonic_decreasing
    assert shown["impressions"].sum() == pytest.approx(
        demo.tables["queries"].loc[demo.tables["queries"]["query"] == "how to tune a violin", "impressions"].sum()
    )
    assert len(mardok.find_pages(demo)) == len(demo.pages)
    assert mardok.find_pages(demo, check="h1-missing", under=["/blog/"]).empty


def test_what_cannot_be_asked_is_told(demo: mardok.Audit, page_table: Callable[..., Path]) -> None:
    with pytest.raises(mardok.SelectionError, match="'h1-mising': is no check; near it are h1-missing"):
        mardok.find_pages(demo, check="h1-mising")
    with pytest.raises(mardok.UnknownPageError, match="/nowhere/"):
        mardok.find_pages(demo, copies_of="/nowhere/")
    unsearched = mardok.audit(page_table([{"url": url("/a/"), "text": "one"}]))
    with pytest.raises(mardok.SelectionError, match="no search data"):
        mardok.find_pages(unsearched, query="violin")


def test_the_command_lists_writes_and_answers_programs(
    run_here: Callable[..., Any], demo_folder: Path, tmp_path: Path, demo: mardok.Audit
) -> None:
    out = tmp_path / "copies.csv"
    done = run_here("pages", demo_folder, "--copies-of", troubles.SERIES["towns"][0], "--top", "3", "-o", out)
    assert done.stdout.startswith(f"{len(troubles.SERIES['towns']) - 1} pages found.")
    assert f"all are in {out}" in " ".join(done.stdout.split())
    expected = mardok.find_pages(demo, copies_of=troubles.SERIES["towns"][0])
    assert pd.read_csv(out)["url"].tolist() == expected["url"].tolist()
    told = json.loads(run_here("pages", demo_folder, "--check", "h1-missing", "--json").stdout)
    assert [one["url"] for one in told["pages"]] == [url("/careers/")]
    assert run_here("pages", demo_folder, "--check", "nonsense").returncode == 2


def test_a_path_stands_for_the_page_that_search_engines_list(demo: mardok.Audit) -> None:
    assert demo.pages["url"][demo.row_of("/")] == url("/")  # not the one over http, nor that of the bare host
    assert demo.page("/contact/").url == url("/contact/")
    with pytest.raises(mardok.UnknownPageError):
        demo.row_of("/nowhere/")


def test_a_page_tells_who_links_to_it_and_its_queries_in_the_span_of_its_clicks(demo: mardok.Audit) -> None:
    sheet = demo.page("/repairs/bow-rehair/")
    links = demo.tables["links"]
    row = demo.row_of("/repairs/bow-rehair/")
    linking = {demo.pages["url"][page] for page in links.loc[links["target_page"] == row, "page"]} - {sheet.url}
    assert {one["url"] for one in sheet.linking} == linking
    assert sum(one["clicks"] for one in sheet.queries) == pytest.approx(sheet.facts["clicks"])
    assert sheet.facts["main_query"] == sheet.queries[0]["query"]
