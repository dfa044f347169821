"""What searchers ask for, page by page.

In:  rows of search data, and the pages of a site with their destinations.
Out: the rows matched to pages; how long they cover; clicks and impressions a month, now and before.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.brand import brand_queries
from mardok.compare.destinations import Destination
from mardok.compare.titles import Titles
from mardok.sentences import Sentence, sentence
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.urls import variant_form

DAYS_A_MONTH = 30.44
_YEAR_DAYS = 365
_LEAST_DAYS = 28
"""Days of the shortest span that is compared with one before: less is chance."""


@dataclass(frozen=True)
class Spans:
    """Two equal spans of days that are compared."""

    days: int
    since: np.datetime64
    """First day of the later span; it ends with the data."""
    before_since: np.datetime64
    """First day of the earlier span."""

    @property
    def is_year_apart(self) -> bool:
        """Whether the earlier span is the same time a year before, so that seasons do not count."""
        return bool(self.since - self.before_since == np.timedelta64(_YEAR_DAYS, "D"))

    @property
    def before_text(self) -> Sentence:
        """The earlier span, in words that follow a figure."""
        return sentence("span.year-before" if self.is_year_apart else "span.before", days=self.days)

    @property
    def text(self) -> Sentence:
        """Both spans, in words."""
        return sentence("span.year-compared" if self.is_year_apart else "span.compared", days=self.days)

    @property
    def months(self) -> float:
        """Months of each span."""
        return self.days / DAYS_A_MONTH


@dataclass(frozen=True)
class SearchRows:
    """Rows of search data; arrays of one length."""

    row: NDArray[np.int32]
    """Row of the page."""
    query: NDArray[np.int32]
    """Number of the query."""
    place: NDArray[np.int32]
    """A number for each country and device."""
    date: NDArray[np.datetime64]
    """NaT where the files have none."""
    clicks: NDArray[np.float64]
    impressions: NDArray[np.float64]
    position: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.row)

    def select(self, which: NDArray[np.int64] | NDArray[np.bool_] | slice) -> SearchRows:
        """Some of the rows."""
        return SearchRows(
            self.row[which], self.query[which], self.place[which], self.date[which],
            self.clicks[which], self.impressions[which], self.position[which],
        )  # fmt: skip


@dataclass(frozen=True)
class Demand:
    """Search data of a site."""

    rows: SearchRows
    """Of all pages, ordered by row, query and date."""
    queries: tuple[str, ...]
    """The queries, in order."""
    months: float
    """Months that the rows cover."""
    is_dated: bool
    """Whether the files told that, or the setting ``search.days`` did."""
    spans: Spans | None
    """The spans that are compared; None without days or where they are too few."""
    unmatched: dict[str, float]
    """Impressions of the addresses that are no page of the site, the most first."""
    n_pages: int
    is_brand: NDArray[np.bool_]
    """For each query, by its code, whether it asks for the site by its name."""

    @cached_property
    def first(self) -> NDArray[np.int64]:
        """Where the rows of each page begin; shape (n_pages + 1,)."""
        return np.searchsorted(self.rows.row, np.arange(self.n_pages + 1))

    def of(self, pages: Collection[int]) -> SearchRows:
        """Rows of some pages."""
        parts = [np.arange(self.first[row], self.first[row + 1]) for row in sorted(set(pages))]
        return self.rows.select(np.concatenate([np.zeros(0, np.int64), *parts]))

    def per_page(self, column: str) -> NDArray[np.float64]:
        """Clicks or impressions a month of each page, shape (n_pages,): in the later span where two are compared."""
        if self.spans is None:
            return self._sums(column, np.ones(len(self.rows), bool)) / self.months
        return self._sums(column, self.is_now) / self.spans.months

    def before(self, column: str) -> NDArray[np.float64]:
        """The same in the earlier span; NaN where no spans are compared."""
        if self.spans is None:
            return np.full(self.n_pages, np.nan)
        return self._sums(column, self.was_before) / self.spans.months

    @cached_property
    def is_now(self) -> NDArray[np.bool_]:
        """Whether each row lies in the later span."""
        since = self.spans.since if self.spans else np.datetime64("NaT")
        return np.asarray(self.rows.date >= since)

    @cached_property
    def was_before(self) -> NDArray[np.bool_]:
        """Whether each row lies in the earlier span."""
        if self.spans is None:
            return np.zeros(len(self.rows), bool)
        dates, since = self.rows.date, self.spans.before_since
        return np.asarray((dates >= since) & (dates < since + np.timedelta64(self.spans.days, "D")))

    def _sums(self, column: str, mask: NDArray[np.bool_]) -> NDArray[np.float64]:
        values = getattr(self.rows, column)[mask]
        return np.bincount(self.rows.row[mask], weights=values, minlength=self.n_pages).astype(np.float64)


def queries_of_several(rows: SearchRows) -> NDArray[np.bool_]:
    """For each row whether two or more of the pages in the rows are shown for its query."""
    pairs = np.unique(rows.query.astype(np.int64) << 32 | rows.row)
    query, n_pages = np.unique(pairs >> 32, return_counts=True)
    return np.asarray(n_pages[np.searchsorted(query, rows.query)] > 1) if len(rows) else np.zeros(0, bool)


def match_demand(
    search: pd.DataFrame, site: Site, destinations: Sequence[Destination], titles: Titles, settings: Settings
) -> Demand:
    """Match search data to pages.

    An address counts for the page that has it; of a redirect, for its destination. An address that was not read counts
    for a page that is written the same but for scheme, ``www.``, case, slash, index file or known parameters.

    Parameters
    ----------
    search : DataFrame
        Rows of the search data, as :func:`mardok.sources.search_data.read_search` gives them.
    destinations : sequence of Destination
        Where the address of each page leads.
    titles : Titles
        Tell which queries ask for the site by its name.
    """
    by_form: dict[tuple[object, ...], int] = {}
    shown = search["page"].cat.categories.tolist()
    if any(url not in site.row_of for url in shown):
        for row, destination in enumerate(destinations):
            if destination.row >= 0:
                by_form.setdefault(variant_form(site.pages[row].url, settings.variants).identity, destination.row)

    def row_of(url: str) -> int:
        row = site.row_of.get(url)
        if row is not None:
            return destinations[row].row if site.pages[row].redirect_url else row
        return by_form.get(variant_form(url, settings.variants).identity, -1)

    of_address = np.array([row_of(url) for url in shown] or [-1], np.int32)
    codes = search["page"].cat.codes.to_numpy()
    rows_of = of_address[codes]
    impressions = np.bincount(codes, weights=search["impressions"], minlength=len(shown))
    lost = [(-impressions[code], url) for code, url in enumerate(shown) if of_address[code] < 0 and impressions[code] > 0]
    queries = tuple(str(query) for query in search["query"].cat.categories)
    country, device = search["country"].cat.codes.to_numpy(), search["device"].cat.codes.to_numpy()
    rows = SearchRows(
        rows_of,
        search["query"].cat.codes.to_numpy().astype(np.int32),
        country.astype(np.int32) * np.int32(len(search["device"].cat.categories) + 1) + device,
        *(search[name].to_numpy() for name in ("date", "clicks", "impressions", "position")),
    ).select(rows_of >= 0)
    days, is_dated = _days(search["date"], settings.search.days)
    return Demand(
        rows.select(np.lexsort((rows.date, rows.query, rows.row))),
        queries,
        days / DAYS_A_MONTH,
        is_dated,
        _spans(search["date"].to_numpy(), days) if is_dated else None,
        {url: -impressions for impressions, url in sorted(lost)},
        len(site.pages),
        brand_queries(queries, titles),
    )


def _days(dates: pd.Series, assumed: int) -> tuple[float, bool]:
    """Days that the rows cover: from the first to the last, and the step between two for the last itself."""
    known = np.sort(dates.dropna().unique())
    if not len(known):
        return float(assumed), False
    steps = np.diff(known).astype("timedelta64[D]").astype(int)
    step = int(np.median(steps)) if len(steps) else 1
    return float((known[-1] - known[0]).astype("timedelta64[D]").astype(int) + step), True


def _spans(dates: NDArray[np.datetime64], days: float) -> Spans | None:
    """A year apart where the days reach back that far, else the two halves."""
    end = np.nanmin(dates).astype("datetime64[D]") + np.timedelta64(int(days), "D")
    beyond = int(days) - _YEAR_DAYS
    span, apart = (min(beyond, _YEAR_DAYS), _YEAR_DAYS) if beyond >= _LEAST_DAYS else (int(days) // 2, int(days) // 2)
    if span < _LEAST_DAYS:
        return None
    since = end - np.timedelta64(span, "D")
    return Spans(span, since, since - np.timedelta64(apart, "D"))
