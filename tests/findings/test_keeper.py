"""Which page of a group stays: each criterion decides where all before it are equal, and says so."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest
from small_sites import ORIGIN, demand_of, rows_of, site_with, strength_of

from mardok.findings.keeper import choose_keeper, preferred_origin

PAGES = (
    "/",
    "/a/",
    "/b/",
    "/b/index.html",
    "/B/",
    "/b/?id=1",
    "/b/?print=1",
    "http://www.host.example/b/",
    "https://host.example/b/",
)
# (pages asked, what is known, are they variants, the one that stays, what the reason holds)
CHOICES: list[tuple[Sequence[str], dict[str, Any], bool, str, str]] = [
    (["/", "/a/"], {"clicks": {"/a/": 900}}, False, "/", "it is the home page"),
    (["/a/", "/b/"], {"named": ["/b/"], "clicks": {"/a/": 900}}, False, "/b/", "a person chose it"),
    (["/a/", "/b/"], {"not_indexable": ["/a/"], "clicks": {"/a/": 900}}, False, "/b/", "it is indexable"),
    (["/a/", "/b/"], {"abroad": ["/a/"], "clicks": {"/a/": 900}}, False, "/b/", "in a folder of its language"),
    (["/a/", "/b/"], {"clicks": {"/a/": 1, "/b/": 12.5}}, False, "/b/", "against 1.0 for the other page"),
    (["/a/", "/b/"], {"clicks": {"/a/": 105, "/b/": 100}, "inlinks": {"/b/": 1}}, False, "/b/", "1 page links to it"),
    (["/a/", "/b/"], {"clicks": {"/b/": 2.5}}, False, "/b/", "against none for the other page"),
    (["/a/", "/b/"], {"external_links": {"/b/": 3}, "inlinks": {"/a/": 9}}, False, "/b/", "3 links from other sites"),
    (["/a/", "/b/"], {"conversions": {"/b/": 0.5}, "inlinks": {"/a/": 9}}, False, "/b/", "0.5 conversions a month"),
    (["/a/", "/b/"], {"inlinks": {"/a/": 1, "/b/": 2}}, False, "/b/", "2 pages link to it, 1 to the other page"),
    (["/a/", "/b/"], {"inlinks": {"/b/": 1}}, False, "/b/", "1 page links to it, none to the other page"),
    (["/a/", "/b/"], {"link_weight": {"/a/": 0.1, "/b/": 0.2}}, False, "/b/", "20.000% of the site's link weight"),
    (["/a/", "/b/"], {"link_weight": {"/a/": 0.1, "/b/": 0.1 + 1e-8}}, False, "/b/", "slightly more link weight"),
    (["/b/", "/B/"], {}, False, "/b/", "its address is the plainer one"),
    (["/b/", "/b/index.html"], {}, False, "/b/", "its address is the plainer one"),
    (["/b/", "https://host.example/b/"], {"clicks": {"https://host.example/b/": 9}}, True, "/b/", "at the preferred host"),
    (["/b/", "http://www.host.example/b/"], {"clicks": {"http://www.host.example/b/": 9}}, True, "/b/", "preferred host"),
    (["/b/", "/b/?print=1"], {"clicks": {"/b/?print=1": 9}}, True, "/b/", "without parameters or print mark"),
    (["/b/", "/b/?id=1"], {"clicks": {"/b/?id=1": 9}}, False, "/b/?id=1", "9.0 clicks a month"),  # no variants: clicks count
]  # fmt: skip


@pytest.mark.parametrize(("paths", "known", "are_variants", "expected", "reason"), CHOICES)
def test_the_first_criterion_that_tells_pages_apart_decides(
    paths: Sequence[str], known: dict[str, Any], are_variants: bool, expected: str, reason: str
) -> None:
    site = site_with(dict.fromkeys(PAGES, "<title>x</title><p>text"))
    rows = rows_of(site, paths)
    for order in (rows, rows[::-1]):
        keeper, because = choose_keeper(site, order, strength_of(site, **known), are_variants=are_variants)
        assert site.pages[keeper].url.removeprefix(ORIGIN) == expected
        assert reason in str(because)


def test_the_preferred_origin_is_the_one_of_most_indexable_pages_and_https_before_http() -> None:
    pages = {f"http://www.host.example/{n}": "<p>x" for n in range(5)} | {
        f"https://host.example/{n}": "<p>x" for n in range(2)
    }
    site = site_with(pages)
    strength = strength_of(site)
    assert preferred_origin(site, strength.is_indexable, strength.inlinks) == "https://host.example"
    only_http = strength_of(site, not_indexable=["https://host.example/0", "https://host.example/1"])
    assert preferred_origin(site, only_http.is_indexable, strength.inlinks) == "http://www.host.example"
    assert preferred_origin(site, strength.is_indexable & False, strength.inlinks) == ""


# (clicks a week of /a/ and /b/ in the first quarter of a year and in the last one, the one that stays)
COURSES = [
    ((6, 2), (4, 3), "/a/"),  # ahead now by no more than chance, but throughout
    ((6, 2), (3, 4), "/b/"),  # falls behind: the past does not decide against now
    ((0, 9), (4, 1), "/a/"),  # clearly ahead now, whatever was before
    ((3, 3), (4, 3), "/b/"),  # no more than chance at any time
]


@pytest.mark.parametrize(("before", "now", "expected"), COURSES)
def test_all_of_the_time_decides_where_now_tells_nothing_against_it(
    before: tuple[int, int], now: tuple[int, int], expected: str
) -> None:
    site = site_with(dict.fromkeys(PAGES, "<title>x</title><p>text"))
    rows = rows_of(site, ["/a/", "/b/"])
    weeks = np.arange("2030-01-07", "2030-07-08", 7, "datetime64[D]")
    demand = demand_of(
        [(row, 0, week, clicks[side], 100) for n, week in enumerate(weeks) for clicks in [before if n < 13 else now]
         for side, row in enumerate(rows)],
        n_pages=len(site.pages),
    )  # fmt: skip
    strength = strength_of(site, demand=demand, inlinks={"/b/": 1})
    keeper, because = choose_keeper(site, rows, strength, are_variants=False)
    assert site.pages[keeper].url.removeprefix(ORIGIN) == expected
    assert ("in all of the search data" in str(because)) == (now == (4, 3) and before == (6, 2))
