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
from mardok.compare.periods import DAYS_A_MONTH, Spans, spans_of
from mardok.compare.titles import Titles
from mardok.sentences import Sentence, sentence
from mardok.settings import Settings
from mardok.text.distinct import first_of_equal
from mardok.text.site import Site
from mardok.urls import variant_form


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
class QueryTotals:
    """Impressions of a whole property by query, day, country and device, beside those of its addresses together."""

    key: NDArray[np.int64]
    """Number of query, place and day, in order; see :meth:`Demand.key_of`."""
    searches: NDArray[np.float64]
    """Searches that showed any of its addresses: the property counts each once."""
    of_addresses: NDArray[np.float64]
    """Impressions of all addresses together."""

    @property
    def kept(self) -> float:
        """Share of the searches that the addresses of the export tell of, at least; below 1 it was cut off."""
        counted = np.minimum(self.of_addresses, self.searches).sum()
        return float(counted / self.searches.sum()) if self.searches.sum() else 1.0


@dataclass(frozen=True)
class Demand:
    """Search data of a site."""

    rows: SearchRows
    """Ordered by row, query and date: of all pages, then of the addresses of ``unread``, whose rows follow theirs."""
    queries: tuple[str, ...]
    """The queries, in order."""
    months: float
    """Months that the rows cover."""
    is_dated: bool
    """Whether the files told that, or the setting ``search.days`` did."""
    spans: Spans | None
    """The spans that are compared; None without days or where they are too few."""
    unread: tuple[str, ...]
    """Addresses that are shown and were not read, those with the most impressions first."""
    totals: QueryTotals | None
    """What the property as a whole has of each query; None where no file tells."""
    n_pages: int
    is_brand: NDArray[np.bool_]
    """For each query, by its code, whether it asks for the site by its name."""

    @property
    def of_pages(self) -> SearchRows:
        """Rows of the pages that were read."""
        return self.rows.select(slice(0, int(self.first[-1])))

    @cached_property
    def first(self) -> NDArray[np.int64]:
        """Where the rows of each page begin; shape (n_pages + 1,)."""
        return np.searchsorted(self.rows.row, np.arange(self.n_pages + 1))

    def at_once(self, rows: SearchRows, impressions: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        """How often pages were shown in one search, at most, and whether it is known to the point.

        Pages minus property is how often any addresses stood beside each other: exact for pages beside which no other is
        shown, a bound for a part of them. Where the addresses have less than the property, the export was cut off and tells
        nothing.

        Parameters
        ----------
        rows : SearchRows
            One row of each query, place and day that is asked about.
        impressions : ndarray of float64
            Impressions of the pages together at each of them.
        """
        n = len(rows)
        if self.totals is None or not len(self.totals.key):
            return np.full(n, np.inf), np.zeros(n, bool)
        key = key_of(rows.query, rows.place, rows.date)
        at = np.minimum(np.searchsorted(self.totals.key, key), len(self.totals.key) - 1)
        searches, of_addresses = self.totals.searches[at], self.totals.of_addresses[at]
        is_known = (self.totals.key[at] == key) & (of_addresses >= searches)
        at_once = np.where(is_known, of_addresses - searches, np.inf)
        return at_once, is_known & (impressions >= of_addresses)

    def places(self, pages: Collection[int]) -> NDArray[np.int64]:
        """Where the rows of some pages stand."""
        parts = [np.arange(self.first[row], self.first[row + 1]) for row in sorted(set(pages))]
        return np.concatenate([np.zeros(0, np.int64), *parts])

    def of(self, pages: Collection[int]) -> SearchRows:
        """Rows of some pages."""
        return self.rows.select(self.places(pages))

    def per_page(self, column: str) -> NDArray[np.float64]:
        """Clicks or impressions a month of each page, shape (n_pages,): in the later span where two are compared."""
        if self.spans is None:
            return self._sums(column, np.ones(len(self.rows), bool)) / self.months
        return self._sums(column, self.is_now) / self.spans.months

    def main_queries(self) -> tuple[list[str], NDArray[np.float64]]:
        """For each page the query that shows it most, and its mean position for all, those for the site's name apart.

        In the span of :meth:`per_page`; ``""`` and NaN where a page is not shown.
        """
        at = np.flatnonzero(~self.is_brand[self.rows.query] & (self.rows.row < self.n_pages))
        at = at[self.is_now[at]] if self.spans is not None else at
        rows, n_queries = self.rows.select(at), max(len(self.queries), 1)
        keys, number = np.unique(rows.row.astype(np.int64) * n_queries + rows.query, return_inverse=True)
        shown = np.bincount(number.ravel(), weights=rows.impressions, minlength=len(keys))
        order = np.lexsort((keys, -shown, keys // n_queries))
        best = keys[order][first_of_equal(keys[order] // n_queries)] if len(keys) else keys
        queries = [""] * self.n_pages
        for key in best.tolist():
            queries[key // n_queries] = self.queries[key % n_queries]
        total = np.bincount(rows.row, weights=rows.impressions, minlength=self.n_pages)
        placed = np.bincount(rows.row, weights=rows.impressions * rows.position, minlength=self.n_pages)
        return queries, np.where(total > 0, placed / np.maximum(total, 1e-9), np.nan)

    def before(self, column: str) -> NDArray[np.float64]:
        """The same in the earlier span; NaN where no spans are compared."""
        if self.spans is None:
            return np.full(self.n_pages, np.nan)
        return self._sums(column, self.was_before) / self.spans.months

    @cached_property
    def steps(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """For each row the number of its step in the later span, and in the earlier one; -1 outside of them."""
        if self.spans is None:
            outside = np.full(len(self.rows), -1, np.int64)
            return outside, outside
        return self.spans.step_now(self.rows.date), self.spans.step_before(self.rows.date)

    @cached_property
    def span_clicks(self) -> tuple[float, float]:
        """Clicks of the whole site in the later and in the earlier span, those of queries for its name apart."""
        clicks = np.where(self.is_brand[self.rows.query], 0.0, self.rows.clicks)
        now, before = (float(clicks[step >= 0].sum()) for step in self.steps)
        return now, before

    @cached_property
    def is_recent(self) -> NDArray[np.bool_]:
        """Whether each row lies in the last quarter of the later span; all do where no spans are compared."""
        if self.spans is None:
            return np.ones(len(self.rows), bool)
        return np.asarray(self.steps[0] >= self.spans.steps - self.spans.recent_steps)

    @property
    def counted_months(self) -> float:
        """Months that :meth:`per_page` counts."""
        return self.spans.months if self.spans is not None else self.months

    @property
    def counted_text(self) -> Sentence:
        """That time, in words that say when."""
        if self.spans is None:
            return sentence("span.whole")
        return sentence("span.recent", length=self.spans.length)

    @property
    def recent_months(self) -> float:
        """Months that these rows cover."""
        return self.spans.recent_months if self.spans is not None else self.months

    @property
    def recent_text(self) -> Sentence:
        """That time, in words that say when."""
        return self.spans.recent_text if self.spans is not None else sentence("span.whole")

    @cached_property
    def unread_clicks(self) -> NDArray[np.float64]:
        """Clicks a month of each address that was not read, over all of the data; shape (n_unread,)."""
        rows = self.rows.select(slice(int(self.first[-1]), None))
        return np.bincount(rows.row - self.n_pages, weights=rows.clicks, minlength=len(self.unread)) / self.months

    @property
    def is_now(self) -> NDArray[np.bool_]:
        """Whether each row lies in the later span."""
        return np.asarray(self.steps[0] >= 0)

    @property
    def was_before(self) -> NDArray[np.bool_]:
        """Whether each row lies in the earlier span."""
        return np.asarray(self.steps[1] >= 0)

    def _sums(self, column: str, mask: NDArray[np.bool_]) -> NDArray[np.float64]:
        values = getattr(self.rows, column)[mask]
        sums = np.bincount(self.rows.row[mask], weights=values, minlength=self.n_pages)
        return sums[: self.n_pages].astype(np.float64)


_PLACES, _DAYS = 1 << 16, 1 << 20


def key_of(query: NDArray[np.int32], place: NDArray[np.int32], date: NDArray[np.datetime64]) -> NDArray[np.int64]:
    """A number for each query, place and day; rows without a day have one of their own."""
    days = np.where(np.isnat(date), -1, date.astype("datetime64[D]").astype(np.int64)) + 1
    return np.asarray((query.astype(np.int64) * _PLACES + place) * _DAYS + days)


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
    for a page that is written the same but for scheme, ``www.``, case, slash, index file or known parameters. All others
    keep their rows: they have a part in what is shown for a query, whether they were read or not.

    Parameters
    ----------
    search : DataFrame
        Rows of the search data, as :func:`mardok.sources.search_data.read_search` gives them.
    destinations : sequence of Destination
        Where the address of each page leads.
    titles : Titles
        Tell which queries ask for the site by its name.
    """
    shown = search["page"].cat.categories.tolist()
    of_address, unread = _rows_of_addresses(search, shown, site, destinations, settings)
    rows_of = of_address[search["page"].cat.codes.to_numpy()]
    queries = tuple(str(query) for query in search["query"].cat.categories)
    country, device = search["country"].cat.codes.to_numpy(), search["device"].cat.codes.to_numpy()
    all_rows = SearchRows(
        rows_of,
        search["query"].cat.codes.to_numpy().astype(np.int32),
        country.astype(np.int32) * np.int32(len(search["device"].cat.categories) + 1) + device,
        *(search[name].to_numpy() for name in ("date", "clicks", "impressions", "position")),
    )
    rows = all_rows.select(rows_of >= 0)
    rows = rows.select(np.lexsort((rows.date, rows.query, rows.row)))
    days, is_dated = _days(search["date"], settings.search.days)
    return Demand(
        rows,
        queries,
        days / DAYS_A_MONTH,
        is_dated,
        spans_of(search["date"].to_numpy(), search["impressions"].to_numpy(np.float64)) if is_dated else None,
        unread,
        _query_totals(rows, all_rows.select(rows_of == _PROPERTY)),
        len(site.pages),
        brand_queries(queries, titles),
    )


_PROPERTY = -2
"""Row of what the property as a whole has."""


def _rows_of_addresses(
    search: pd.DataFrame, shown: Sequence[str], site: Site, destinations: Sequence[Destination], settings: Settings
) -> tuple[NDArray[np.int32], tuple[str, ...]]:
    """The row that each address of the search data counts for, and the addresses that were not read."""
    by_form: dict[tuple[object, ...], int] = {}
    if any(url not in site.row_of for url in shown):
        for row, destination in enumerate(destinations):
            if destination.row >= 0:
                by_form.setdefault(variant_form(site.pages[row].url, settings.variants).identity, destination.row)

    def row_of(url: str) -> int:
        if not url:
            return _PROPERTY
        row = site.row_of.get(url)
        if row is not None:
            return destinations[row].row if site.pages[row].redirect_url else row
        return by_form.get(variant_form(url, settings.variants).identity, -1)

    of_address = np.array([row_of(url) for url in shown] or [-1], np.int32)
    impressions = np.bincount(search["page"].cat.codes, weights=search["impressions"], minlength=len(shown))
    unread = sorted(
        (-impressions[code], url, code) for code, url in enumerate(shown) if of_address[code] == -1 and impressions[code]
    )
    of_address[[code for _, _, code in unread]] = len(site.pages) + np.arange(len(unread), dtype=np.int32)
    return of_address, tuple(url for _, url, _ in unread)


def _query_totals(rows: SearchRows, of_property: SearchRows) -> QueryTotals | None:
    """What the property has beside its addresses; None where no file tells."""
    if not len(of_property):
        return None
    key, at = np.unique(key_of(of_property.query, of_property.place, of_property.date), return_inverse=True)
    searches = np.bincount(at.ravel(), weights=of_property.impressions)
    known = key_of(rows.query, rows.place, rows.date)
    place = np.minimum(np.searchsorted(key, known), len(key) - 1)
    is_met = key[place] == known
    return QueryTotals(
        key,
        searches.astype(np.float64),
        np.bincount(place[is_met], weights=rows.impressions[is_met], minlength=len(key)).astype(np.float64),
    )


def _days(dates: pd.Series, assumed: int) -> tuple[float, bool]:
    """Days that the rows cover: from the first to the last, and the step between two for the last itself."""
    known = np.sort(dates.dropna().unique())
    if not len(known):
        return float(assumed), False
    steps = np.diff(known).astype("timedelta64[D]").astype(int)
    step = int(np.median(steps)) if len(steps) else 1
    return float((known[-1] - known[0]).astype("timedelta64[D]").astype(int) + step), True
