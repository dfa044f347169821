"""How much of a site was read: claims that need the whole site are made only where nothing speaks against it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from small_sites import ORIGIN, site_with

import mardok
from mardok.compare.series import find_series
from mardok.compare.titles import split_titles, title_parts
from tests.findings.test_site_checks import HOST, TITLES, Case, address, document, link, moved, sitemap

NEW = document("/new/", title="Rehearsal rooms by the hour", text="Three rooms with a piano each. Ask at the desk for keys.")
PDF = (200, "Content-Type: application/pdf", "%PDF")
ROBOTS = (200, "Content-Type: text/plain", "User-agent: *\nDisallow: /closed/\n")

# (what the site has, why it was not read whole: the beginning of what is said, or nothing)
SITES: dict[str, tuple[Case, list[str]]] = {
    "all that is linked was read": (Case(set()), []),
    "a page that was not read": (Case(set(), {"/bows/": document("/bows/", body=link("/lost/"))}), ["1 address"]),
    "a page that is closed": (
        Case(set(), {"/bows/": document("/bows/", body=link("/closed/x/"))}, {"/robots.txt": ROBOTS}), [],
    ),
    "a file that is no page": (
        Case(set(), {"/bows/": document("/bows/", body=link("/prices.pdf"))}, {"/prices.pdf": PDF}), [],
    ),
    "a file that was not read": (Case(set(), {"/bows/": document("/bows/", body=link("/prices.pdf"))}), []),
    "another site": (Case(set(), {"/bows/": document("/bows/", body=link("https://other.example/x/"))}), []),
    "another writing of a page": (Case(set(), {"/bows/": document("/bows/", body=link("/cases/?utm_source=x"))}), []),
    "an error": (
        Case(set(), {"/bows/": document("/bows/", body=link("/gone/"))},
             {"/gone/": (404, "Content-Type: text/html", "<title>404</title>")}), [],
    ),
    "two pages that were not read": (
        Case(set(), {"/bows/": document("/bows/", body=link("/lost/") + link("/stray/"))}), ["2 addresses"],
    ),
}  # fmt: skip


def audit_of(case: Case, warc: Callable[..., Path]) -> mardok.Audit:
    return mardok.audit(warc(*case.responses()))


@pytest.mark.parametrize("name", SITES)
def test_a_site_is_whole_unless_a_link_leads_to_a_page_that_was_not_read(name: str, warc: Callable[..., Path]) -> None:
    case, expected = SITES[name]
    crawl = audit_of(case, warc).meta.totals["crawl"]
    assert crawl["whole"] == (not expected)
    assert len(crawl["gaps"]) == len(expected)
    for said, begin in zip(crawl["gaps"], expected, strict=True):
        assert said.startswith(begin.partition(" ")[0])
        assert "were not read" in said or "was not read" in said
    assert crawl["unread_targets"] == len(crawl["unread_examples"]) == (int(expected[0][0]) if expected else 0)


def test_orphans_are_told_of_whole_sites_only(warc: Callable[..., Path]) -> None:
    listed = {"/sitemap.xml": sitemap(*TITLES, "/new/", "/never-read/")}
    whole = audit_of(Case(set(), {"/new/": NEW}, dict(listed)), warc)
    crawl = whole.meta.totals["crawl"]
    assert (crawl["in_sitemap"], crawl["sitemap_unread"], crawl["only_in_sitemap"]) == (len(TITLES) + 1, 1, 1)
    assert whole.checks.loc[whole.checks["check"] == "page-orphan", "url"].tolist() == [f"{HOST}/new/"]
    part = audit_of(Case(set(), {"/new/": NEW, "/bows/": document("/bows/", body=link("/lost/"))}, dict(listed)), warc)
    crawl = part.meta.totals["crawl"]
    assert (crawl["whole"], crawl["only_in_sitemap"]) == (False, None)
    assert not (part.checks["check"] == "page-orphan").any()
    without = audit_of(Case(set()), warc).meta.totals["crawl"]
    assert (without["in_sitemap"], without["sitemap_unread"], without["only_in_sitemap"]) == (None, None, None)


def test_depth_is_counted_in_links_and_a_redirect_is_none(warc: Callable[..., Path]) -> None:
    chain = {
        "/": document("/", body=link("/one/")),
        "/one/": document("/one/", title="One of three", body=link("/old/")).replace("<nav>", "<nav hidden>"),
        "/two/": document("/two/", title="Two of three"),
    }
    audit = audit_of(Case(set(), chain, {"/old/": moved("/two/")}), warc)
    depth = dict(audit.pages[["url", "depth"]].itertuples(index=False))
    assert depth[address("/")] == 0
    assert {depth[address(path)] for path in TITLES if path != "/"} == {1}
    assert (depth[address("/one/")], depth[address("/old/")], depth[address("/two/")]) == (1, 2, 2)
    by_depth: dict[str, Any] = audit.meta.totals["crawl"]["by_depth"]
    assert by_depth == {"0": 1, "1": len(TITLES), "2": 2}


def test_three_pages_of_one_folder_that_fill_one_pattern_are_a_series() -> None:
    titles = {
        "/hire/ost/": "Violin hire in Ost", "/hire/west/": "Violin hire in West", "/hire/st-nord/": "Violin hire in St Nord",
        "/hire/prices/": "What violins cost", "/blog/sued/": "Violin hire in Sued",
    }  # fmt: skip
    site = site_with({path: f"<html lang=en><title>{title}</title><p>x" for path, title in titles.items()})
    own = [page.title for page in site.pages]
    (series,) = find_series(site, own, range(len(site.pages)))
    assert series.pattern == "violin hire in ..."
    shown = {site.pages[row].url.removeprefix(ORIGIN): slot for row, slot in series.slots.items()}
    assert shown == {"/hire/ost/": "ost", "/hire/west/": "west", "/hire/st-nord/": "st nord"}
    two = [row for row in range(len(site.pages)) if "west" not in site.pages[row].url]
    assert find_series(site, own, two) == []
    again = ["Violin hire in Ost"] * len(own)
    assert find_series(site, again, range(len(own))) == []  # three pages, one filling


@pytest.mark.parametrize(
    ("title", "parts"),
    [
        ("Bows | Wyndale", ["Bows", "Wyndale"]),
        ("Bows - hair and wood - Wyndale", ["Bows", "hair and wood", "Wyndale"]),
        ("Bow-making", ["Bow-making"]),
        ("", []),
        (" | ", []),
    ],
)
def test_titles_come_apart_at_signs_between_blanks(title: str, parts: list[str]) -> None:
    assert title_parts(title) == parts


def test_what_most_titles_end_with_is_the_site_and_no_promise() -> None:
    names = ["Bows", "Cases", "Rosin", "Strings", "Chin rests", "Bridges"]
    site = site_with({f"/{n}/": f"<html lang=en><title>{name} | Wyndale</title><p>{name}" for n, name in enumerate(names)})
    titles = split_titles(site)
    assert titles.own == names
    assert set(titles.all_names) == {"Wyndale"}
    alone = site_with({"/a/": "<title>Bows | hair</title><p>x", "/b/": "<title>Cases and bags</title><p>y"})
    assert split_titles(alone).own == ["Bows hair", "Cases and bags"]
