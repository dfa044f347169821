"""Links over the whole site: weights, inlinks, depth, coverage, against plain walks over the tables."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from random_sites import HOST, SITES, write_site

import mardok

EXPENSIVE: dict[str, Any] = {
    "deadline": None,
    "max_examples": 20,
    "suppress_health_check": [HealthCheck.function_scoped_fixture],
    "phases": [Phase.explicit, Phase.reuse, Phase.generate],
}


def edges_of(audit: mardok.Audit) -> set[tuple[int, int]]:
    """Distinct links between pages that were read."""
    links = audit.tables["links"]
    return {(a, b) for a, b in links[["page", "target_page"]].itertuples(index=False) if b >= 0}


def redirects_of(audit: mardok.Audit) -> dict[int, int]:
    """Where each redirecting page arrives after redirects and canonicals, where that was read."""
    pages = audit.pages
    row_of = {url: row for row, url in enumerate(pages["url"])}
    moving = pages[pages["redirect_url"] != ""]
    return {row: row_of[end] for row, end in moving["final_url"].items() if end in row_of}


@settings(**EXPENSIVE)
@given(pages=SITES)
def test_inlinks_are_the_other_pages_that_link_to_a_page(tmp_path: Path, pages: dict[str, Any]) -> None:
    audit = mardok.audit(write_site(tmp_path / "site.jsonl", pages))
    edges = edges_of(audit)
    expected = [len({a for a, b in edges if b == row and a != row}) for row in range(len(audit.pages))]
    assert audit.pages["inlinks"].tolist() == expected


@settings(**EXPENSIVE)
@given(pages=SITES)
def test_depth_is_the_least_number_of_links_from_the_home_page(tmp_path: Path, pages: dict[str, Any]) -> None:
    audit = mardok.audit(write_site(tmp_path / "site.jsonl", pages))
    edges, arrives = edges_of(audit), redirects_of(audit)
    edges |= {(a, arrives[b]) for a, b in edges if b in arrives}
    origins = audit.pages.loc[audit.pages["indexable"], "url"].str.extract(r"^(https?://[^/]+)")[0]
    https = [origin for origin in origins if origin.startswith("https:")]
    if not len(origins):
        return
    # The preferred origin is https where there is any; in these sites the www host has most pages unless few are left.
    candidates = {f"{origin}/" for origin in (https or origins)}
    depths = []
    for home in sorted(candidates):
        found = {row for row, url in enumerate(audit.pages["url"]) if url == home}
        found |= {arrives[row] for row in found if row in arrives}
        found |= {
            row for row, url in enumerate(audit.pages["url"]) if url in audit.pages.loc[list(found), "final_url"].tolist()
        }
        depth, queue = dict.fromkeys(found, 0), deque(sorted(found))
        while queue:
            here = queue.popleft()
            for there in sorted(b for a, b in edges if a == here and b not in depth):
                depth[there] = depth[here] + 1
                queue.append(there)
        depths.append([depth.get(row, -1) for row in range(len(audit.pages))])
    assert audit.pages["depth"].fillna(-1).astype(int).tolist() in depths


@settings(**EXPENSIVE)
@given(pages=SITES)
def test_link_weights_add_up_and_stand_on_pages_that_answer(tmp_path: Path, pages: dict[str, Any]) -> None:
    audit = mardok.audit(write_site(tmp_path / "site.jsonl", pages))
    weights = audit.pages["link_weight"]
    has_weight = weights.notna()
    assert (audit.pages.loc[has_weight, "status"] == 200).all()
    assert (audit.pages.loc[has_weight, "final_url"] == audit.pages.loc[has_weight, "url"]).all()
    assert not has_weight.any() or weights.sum() == pytest.approx(1)


@settings(**EXPENSIVE)
@given(pages=SITES, listed=st.sets(st.sampled_from(["/a/", "/b/", "/x/"])))
def test_a_site_is_whole_only_if_every_link_leads_to_what_was_read(
    tmp_path: Path, pages: dict[str, Any], listed: set[str]
) -> None:
    for page in pages.values():
        page["links"] = [*page["links"], *(HOST + path for path in listed)]
    audit = mardok.audit(write_site(tmp_path / "site.jsonl", pages))
    links = audit.tables["links"]
    hosts = set(audit.pages.loc[audit.pages["status"] == 200, "url"].str.extract(r"^https?://(?:www\.)?([^/]+)")[0])
    missing = {url for url in links.loc[links["target_page"] < 0, "url"] if url.split("/")[2].removeprefix("www.") in hosts}
    crawl = audit.meta.totals["crawl"]
    assert crawl["unread_targets"] <= len(missing)
    assert f"{HOST}/x/" not in missing or f"{HOST}/x/" in crawl["unread_examples"]
    assert crawl["whole"] == (crawl["unread_targets"] == 0 and len(links) > 0)
    if not crawl["whole"]:
        assert not (audit.checks["check"] == "page-orphan").any()


def test_a_page_read_twice_counts_once_and_as_it_was_last(page_table: Callable[..., Path]) -> None:
    rows = [
        {"url": f"{HOST}/b", "html": "<title>first</title><p>old words <a href=/gone>x</a><img src=/i.png>"},
        {"url": f"{HOST}/a", "html": "<title>a</title><main><h2>head</h2><p>text <a href=/b rel=nofollow>b</a></main>"},
        {"url": f"{HOST}/b", "html": "<title>last</title><p>new words <a href=/a>a</a>"},
    ]
    audit = mardok.audit(page_table(rows))
    assert audit.pages["title"].tolist() == ["a", "last"]
    assert audit.pages["main_text"].tolist() == ["head\ntext b", "new words a"]
    links = audit.tables["links"]
    assert links[["page", "target_page", "anchor", "rel"]].to_numpy().tolist() == [[0, 1, "b", "nofollow"], [1, 0, "a", ""]]
    assert audit.tables["images"].empty
    blocks = audit.tables["blocks"]
    assert blocks[["page", "block", "tag", "level"]].to_numpy().tolist() == [[0, 0, "h2", 2], [0, 1, "p", 0], [1, 0, "p", 0]]
    assert audit.pages["inlinks"].tolist() == [1, 1]


def test_a_way_of_any_length_leads_to_its_end(page_table: Callable[..., Path]) -> None:
    way, circle = 300, 40
    rows = [{"url": f"{HOST}/{n}", "status": "301", "redirect_url": f"{HOST}/{n + 1}"} for n in range(way)]
    rows += [{"url": f"{HOST}/{way}", "status": "200", "title": "Hire", "text": "We hire violins by the month."}]
    rows += [
        {"url": f"{HOST}/round/{n}", "status": "301", "redirect_url": f"{HOST}/round/{(n + 1) % circle}"}
        for n in range(circle)
    ]
    audit = mardok.audit(page_table(rows))
    ends = audit.pages.set_index("url")["final_url"].to_dict()
    assert {ends[f"{HOST}/{n}"] for n in range(way + 1)} == {f"{HOST}/{way}"}
    assert {ends[f"{HOST}/round/{n}"] for n in range(circle)} == {""}
    checks = audit.checks.groupby("check")["url"].nunique()
    assert (checks["redirect-chain"], checks["redirect-loop"]) == (way - 1, circle)
    repaired = audit.steps[audit.steps["rule"] == "redirect-chain"]
    assert set(repaired["target"]) == {f"{HOST}/{way}"}
