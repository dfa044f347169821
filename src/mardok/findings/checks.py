"""Troubles of single pages.

In:  the pages with their destinations, and the pairs that show one text in two languages.
Out: one row for each trouble, with a fixed id.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence

import pandas as pd

from mardok.compare.destinations import Destination
from mardok.tables import CHECK_ROWS
from mardok.text.site import Site


def check_rows(
    site: Site, ways: Sequence[Destination], untranslated: Iterable[tuple[int, int]], meant_for: Sequence[str]
) -> pd.DataFrame:
    """The table of checks.

    Parameters
    ----------
    untranslated : iterable of pairs of int
        Pages for two languages with one text.
    meant_for : sequence of str
        For which language each page is meant, ``""`` where nothing tells.
    """
    found = [*_redirect_troubles(site, ways), *_untranslated(site, untranslated, meant_for)]
    return CHECK_ROWS.frame(found)


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
