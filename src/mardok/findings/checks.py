"""Troubles of single pages.

In:  the pages with their destinations and groups, and what was met while reading the sources.
Out: one row for each trouble, with a fixed id.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence

import numpy as np
import pandas as pd

from mardok.compare.destinations import Destination
from mardok.findings.coverage import Coverage
from mardok.findings.groups import Grouping
from mardok.sources.raw import Intake
from mardok.tables import CHECK_ROWS
from mardok.text.distinct import distinct
from mardok.text.site import Site


def check_rows(
    site: Site,
    ways: Sequence[Destination],
    grouping: Grouping,
    intake: Intake,
    coverage: Coverage,
    reasons: Sequence[str],
    is_blocked: Callable[[str], bool],
) -> pd.DataFrame:
    """The table of checks.

    Parameters
    ----------
    reasons : sequence of str
        Why each page is not indexable.
    is_blocked : callable
        Whether robots.txt closes an address.
    """
    found = [
        *_redirect_troubles(site, ways),
        *_untranslated(site, grouping.untranslated, grouping.meant_for),
        *_crawl_troubles(site, intake, coverage, reasons),
        *_blocked_links(site, is_blocked),
        *_broken_images(site, intake),
    ]
    return CHECK_ROWS.frame(found)


def _crawl_troubles(
    site: Site, intake: Intake, coverage: Coverage, reasons: Sequence[str]
) -> Iterable[tuple[str, str, str, str]]:
    """What robots.txt and sitemaps say that does not fit the pages."""
    for url, what in intake.html_instead.items():
        yield url, f"{what}-html", "", "answers 200 with HTML; crawlers take it for no file at all"
    sitemap_of = {url: sitemap for sitemap, urls in sorted(intake.sitemaps.items(), reverse=True) for url in urls}
    for row in sorted(coverage.listed):
        url = site.pages[row].url
        if reasons[row]:
            yield url, "sitemap-not-indexable", reasons[row], sitemap_of[url]
    for row in (row for row in coverage.orphans if not reasons[row]):
        yield site.pages[row].url, "page-orphan", "", sitemap_of[site.pages[row].url]


def _blocked_links(site: Site, is_blocked: Callable[[str], bool]) -> Iterable[tuple[str, str, str, str]]:
    """Closed addresses that pages link to, one row each."""
    placed_url = site.links.placed_url
    for number in distinct(placed_url).tolist():
        url = site.links.urls[number]
        if is_blocked(url):
            pages = np.unique(site.links.page[placed_url == number])
            yield url, "link-blocked", str(len(pages)), f"linked from {site.pages[pages[0]].url}"


def _broken_images(site: Site, intake: Intake) -> Iterable[tuple[str, str, str, str]]:
    broken = {url: str(status) for url, status in intake.images.items() if status >= 400} | intake.failed
    is_broken = np.array([url in broken for url in site.images.urls], bool)[site.images.url]
    places = zip(site.images.page[is_broken].tolist(), site.images.url[is_broken].tolist(), strict=True)
    for row, url in sorted({(row, site.images.urls[number]) for row, number in places}):
        yield site.pages[row].url, "image-broken", broken[url], url


def _untranslated(
    site: Site, pairs: Iterable[tuple[int, int]], meant_for: Sequence[str]
) -> Iterable[tuple[str, str, str, str]]:
    """Pages with the text of others that are not in the language they are meant for, one row each."""
    hosts: dict[int, list[str]] = defaultdict(list)
    for a, b in pairs:
        for guest, host in ((a, b), (b, a)):
            language = site.pages[guest].language
            if meant_for[guest] and language and meant_for[guest] != language:
                hosts[guest].append(site.pages[host].url)
    for guest, urls in hosts.items():
        more = f" and {len(urls) - 1} more" if len(urls) > 1 else ""
        detail = f"meant for {meant_for[guest]!r}, but the text of {min(urls)}{more}"
        yield site.pages[guest].url, "text-untranslated", site.pages[guest].language, detail


def _redirect_troubles(site: Site, ways: Sequence[Destination]) -> Iterable[tuple[str, str, str, str]]:
    for page, way in zip(site.pages, ways, strict=True):
        route = " > ".join((page.url, *way.redirects))
        if way.is_loop:
            yield page.url, "redirect-loop", str(len(way.redirects)), route
        elif len(way.redirects) > 1:
            yield page.url, "redirect-chain", str(len(way.redirects)), route
        end = site.row_of.get(way.redirects[-1]) if way.redirects and not way.is_loop else None
        if end is not None and (site.pages[end].status or 200) >= 400:
            yield page.url, "redirect-broken", str(site.pages[end].status), way.redirects[-1]
