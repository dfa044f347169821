"""Sites of a few pages and what stands for them, for tests of single rules."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from mardok.compare.demand import Demand, SearchRows
from mardok.compare.periods import DAYS_A_MONTH, spans_of
from mardok.extract.batch import batch_of
from mardok.extract.extraction import extract_page
from mardok.findings.keeper import PageStrength
from mardok.settings import Settings
from mardok.sources.raw import RawPage
from mardok.text.columns import columns_of
from mardok.text.site import Site, site_of
from mardok.urls import variant_form

ORIGIN = "https://www.host.example"


def site_with(pages: Mapping[str, str]) -> Site:
    """A site of HTML by address; a path stands for one at :data:`ORIGIN`."""
    settings = Settings()
    raws = [
        RawPage(url if "//" in url else f"{ORIGIN}{url}", "test", 200, (("content-type", "text/html"),), html.encode())
        for url, html in pages.items()
    ]
    return site_of(columns_of([batch_of(extract_page(raw, settings) for raw in raws)]), settings)


def strength_of(site: Site, **known: Any) -> PageStrength:
    """What stands for the pages of a site; figures by path or address, 0 where nothing is given."""
    n = len(site.pages)

    def figures(name: str) -> np.ndarray[Any, np.dtype[np.float64]]:
        given = known.get(name, {})
        return np.array([given.get(page.url, given.get(page.url.removeprefix(ORIGIN), 0.0)) for page in site.pages], float)

    is_indexable = np.ones(n, bool)
    is_indexable[rows_of(site, known.get("not_indexable", ()))] = False
    return PageStrength(
        is_indexable=is_indexable,
        inlinks=figures("inlinks").astype(np.int64),
        link_weight=figures("link_weight"),
        clicks=figures("clicks"),
        impressions=figures("impressions"),
        external_links=figures("external_links"),
        conversions=figures("conversions"),
        is_at_home=np.array([page.url.removeprefix(ORIGIN) not in known.get("abroad", ()) for page in site.pages]),
        named=frozenset(rows_of(site, known.get("named", ()))),
        demand=known.get("demand"),
        forms=tuple(variant_form(page.url, Settings().variants) for page in site.pages),
        origin=ORIGIN,
    )


def rows_of(site: Site, paths: Sequence[str]) -> list[int]:
    """Rows of pages by path or address."""
    return [site.row_of[path if "//" in path else f"{ORIGIN}{path}"] for path in paths]


def demand_of(rows: Sequence[tuple[Any, ...]], n_pages: int = 0, **more: Any) -> Demand:
    """Search data of rows of page, query, day, clicks and, where given, impressions, position and place."""
    full = [(*row, *(10 * row[3] + 1, 5.0, 0)[len(row) - 4 :]) for row in rows]
    full.sort(key=lambda row: (row[0], row[1], str(row[2])))
    page, query, day, clicks, impressions, position, place = zip(*full, strict=True)
    dates = np.array(day, "datetime64[s]")
    n_queries = max(query) + 1
    known = dates[~np.isnat(dates)]
    months = (int((known.max() - known.min()).astype(int)) / 86400 + 7) / DAYS_A_MONTH if len(known) else 2.0
    told = SearchRows(
        np.array(page, np.int32), np.array(query, np.int32), np.array(place, np.int32), dates,
        np.array(clicks, float), np.array(impressions, float), np.array(position, float),
    )  # fmt: skip
    fields: dict[str, Any] = {
        "queries": tuple(f"q{n}" for n in range(n_queries)), "months": months, "is_dated": bool(len(known)),
        "spans": spans_of(dates, np.array(impressions, float)), "unread": (), "totals": None,
        "n_pages": n_pages or max(page) + 1, "is_brand": np.zeros(n_queries, bool), **more,
    }  # fmt: skip
    return Demand(told, **fields)
