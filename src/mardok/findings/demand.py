"""What searchers ask for, page by page.

In:  rows of search data, and the pages of a site with their destinations.
Out: the rows matched to pages; how long they cover; clicks and impressions a month.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.destinations import Destination
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.urls import variant_form

DAYS_A_MONTH = 30.44


@dataclass(frozen=True)
class Demand:
    """Search data of a site."""

    rows: pd.DataFrame
    """Rows as :func:`mardok.sources.search_data.read_search` gives them, with ``row``: the row of the page."""
    months: float
    """Months that the rows cover."""
    is_dated: bool
    """Whether the files told that, or the setting ``search.days`` did."""
    unmatched: dict[str, float]
    """Impressions of the addresses that are no page of the site, the most first."""

    def per_page(self, column: str, n_pages: int) -> NDArray[np.float64]:
        """Clicks or impressions a month of each page, shape (n_pages,)."""
        total = np.bincount(self.rows["row"], weights=self.rows[column], minlength=n_pages)
        return np.asarray(total / self.months)


def match_demand(search: pd.DataFrame, site: Site, ways: Sequence[Destination], settings: Settings) -> Demand:
    """Match search data to pages.

    An address counts for the page that has it; of a redirect, for its destination. An address that was not read counts
    for a page that is written the same but for scheme, ``www.``, case, slash, index file or known parameters.
    """
    by_form: dict[tuple[object, ...], int] = {}
    for row, way in enumerate(ways):
        if way.row >= 0:
            by_form.setdefault(variant_form(site.pages[row].url, settings.variants).identity, way.row)

    def row_of(url: str) -> int:
        row = site.row_of.get(url)
        if row is not None:
            return ways[row].row if site.pages[row].redirect_url else row
        return by_form.get(variant_form(url, settings.variants).identity, -1)

    rows = search.assign(row=search["page"].map({url: row_of(url) for url in search["page"].unique()}))
    lost = rows[rows["row"] < 0].groupby("page")["impressions"].sum().sort_values(ascending=False, kind="stable")
    days, is_dated = _days(rows["date"], settings.search.days)
    unmatched = {str(url): float(impressions) for url, impressions in lost.items()}
    return Demand(rows[rows["row"] >= 0].reset_index(drop=True), days / DAYS_A_MONTH, is_dated, unmatched)


def _days(dates: pd.Series, assumed: int) -> tuple[float, bool]:
    """Days that the rows cover: from the first to the last, and the step between two for the last itself."""
    known = np.sort(dates.dropna().unique())
    if not len(known):
        return float(assumed), False
    steps = np.diff(known).astype("timedelta64[D]").astype(int)
    step = int(np.median(steps)) if len(steps) else 1
    return float((known[-1] - known[0]).astype("timedelta64[D]").astype(int) + step), True
