"""Which page is suggested in the place of an address that answers with an error, and when none is."""

from __future__ import annotations

import numpy as np
import pytest
from small_sites import ORIGIN, site_with

from mardok.findings.right_target import right_targets

PAGES = {
    "/repairs/bow-rehair/": "<title>Bow rehair</title><h1>Bow rehair</h1>",
    "/repairs/bow-grip/": "<title>A new grip for your bow</title><h1>Grip</h1>",
    "/hire/violins/": "<title>Violins for hire</title><h1>Violins</h1>",
    "/hire/violas/": "<title>Violas for hire</title><h1>Violas</h1>",
    "/contact/": "<title>Contact</title><h1>Contact</h1>",
}
# (address that answers with an error, words of links to it, the page that is suggested)
ASKED = [
    ("/services/bow-rehair.html", [], "/repairs/bow-rehair/"),
    ("/p?id=7", ["Violins for hire"], "/hire/violins/"),
    ("/violas-for-hire/", [], "/hire/violas/"),
    ("/old/shop/violas/", [], ""),  # two of its three words stand nowhere
    ("/hire/", [], ""),  # two pages say it
    ("/p/123", ["read more"], ""),
    ("/blog/the-lost-post/", ["a lost instrument"], ""),
    ("/trumpets/", ["Trumpets"], ""),
]


@pytest.mark.parametrize(("old", "anchors", "expected"), ASKED, ids=[case[0] for case in ASKED])
def test_the_page_that_says_nearly_all_is_suggested(old: str, anchors: list[str], expected: str) -> None:
    site = site_with({path: f"{head}<p>text" for path, head in PAGES.items()})
    found = right_targets(site, np.ones(len(PAGES), bool), ["read more"], {f"{ORIGIN}{old}": anchors})
    assert found.get(f"{ORIGIN}{old}", "").removeprefix(ORIGIN) == expected


def test_a_page_that_is_not_indexable_is_never_suggested() -> None:
    site = site_with({path: f"{head}<p>text" for path, head in PAGES.items()})
    assert right_targets(site, np.zeros(len(PAGES), bool), [], {f"{ORIGIN}/bow-rehair/": []}) == {}
