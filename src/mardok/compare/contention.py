"""Which pages search shows for one query, and whether they take turns.

In:  search data matched to pages.
Out: for each query and page its figures and its share; for each query how many pages compete in effect; the pairs of pages
     that have a real part in common queries; over time how often the leader changes.

How many compete in effect is the exponential of the entropy of the pages' impressions (M. O. Hill, Ecology 54, 1973): 1
if one page is shown, 2 if two are shown equally often. Leaders are counted week by week, within one country and device;
a week counts where one page is clearly ahead, since small figures change places by chance.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.demand import Demand, SearchRows
from mardok.text.distinct import first_of_equal

Figures = NDArray[np.float64]
Codes = NDArray[np.int64]

_CLEAR_LEAD = 1.5
"""Impressions of the leader of a week, for each of the next page's."""
_WEEK = np.timedelta64(7, "D")
_FIRST_PAGE = 10.0
_FEW_VALUES = 1 << 20


@dataclass(frozen=True)
class Shown:
    """Queries and the pages shown for them; arrays have one entry for each query and page, ordered by page and query."""

    row: Codes
    """Row of the page."""
    query: Codes
    """Code of the query in the demand."""
    clicks: Figures
    """Clicks a month, over all of the data."""
    impressions: Figures
    """Impressions a month."""
    position: Figures
    """Mean position, weighted by impressions."""
    share: Figures
    """Share of the query's impressions."""
    competing: Figures
    """Pages that compete for the query in effect; 1 or more."""
    is_real: NDArray[np.bool_]
    """Whether the share is a real one (setting ``search.minimum_share``)."""


def shown_pages(demand: Demand, minimum_share: float) -> Shown:
    """Figures of each query and page."""
    rows = demand.rows
    row, query = rows.row.astype(np.int64), rows.query.astype(np.int64)
    n_queries = max(len(demand.queries), 1)
    key = row * n_queries + query
    begins = np.flatnonzero(first_of_equal(key))

    def sums(values: Figures) -> Figures:
        return np.add.reduceat(values, begins) if len(begins) else np.zeros(0)

    raw = rows.impressions
    impressions = sums(raw)
    position = sums(raw * rows.position) / np.maximum(impressions, 1e-9)
    at_row, at_query = row[begins], query[begins]
    total = np.bincount(at_query, weights=impressions, minlength=n_queries)
    share = impressions / np.maximum(total[at_query], 1e-9)
    entropy = np.bincount(at_query, weights=-share * np.log(np.maximum(share, 1e-300)), minlength=n_queries)
    return Shown(
        at_row,
        at_query,
        sums(rows.clicks) / demand.months,
        impressions / demand.months,
        position,
        share,
        np.exp(entropy)[at_query],
        share >= minimum_share,
    )


def contending_pairs(shown: Shown, is_apart: NDArray[np.bool_]) -> pd.DataFrame:
    """Pairs of pages that both have a real part in one query or more.

    Parameters
    ----------
    is_apart : ndarray of bool
        For each query whether it is set apart, as queries for the site's name are.

    Returns
    -------
    DataFrame
        Columns ``a`` and ``b`` (rows, a < b), ``queries`` (number), ``impressions`` (a month, of both), ``clicks_a``,
        ``clicks_b``, ``impressions_a``, ``impressions_b``: a month, on the common queries. Ordered by a and b.
    """
    kept = np.flatnonzero(shown.is_real & ~is_apart[shown.query])
    order = kept[np.lexsort((shown.row[kept], shown.query[kept]))]
    query = shown.query[order]
    begins = np.flatnonzero(first_of_equal(query))
    sizes = np.diff(begins, append=len(query))
    left, right = [], []
    for size in np.unique(sizes[sizes > 1]).tolist():
        starts = begins[sizes == size]
        for one in range(size):
            for other in range(one + 1, size):
                left.append(order[starts + one])
                right.append(order[starts + other])
    at_a = np.concatenate([np.zeros(0, np.int64), *left])
    at_b = np.concatenate([np.zeros(0, np.int64), *right])
    frame = pd.DataFrame(
        {
            "a": shown.row[at_a],
            "b": shown.row[at_b],
            "queries": 1,
            "impressions": shown.impressions[at_a] + shown.impressions[at_b],
            "clicks_a": shown.clicks[at_a],
            "clicks_b": shown.clicks[at_b],
            "impressions_a": shown.impressions[at_a],
            "impressions_b": shown.impressions[at_b],
        }
    )
    return frame.groupby(["a", "b"], as_index=False).sum()


@dataclass(frozen=True)
class Turns:
    """How some pages share the queries that show two or more of them."""

    changes: int
    """How often the leader changes, at most, within one country and device; summed over queries."""
    weeks: int
    """Weeks, summed over queries, countries and devices, in which one page is clearly ahead."""
    led: dict[int, int]
    """In how many of them each page is ahead."""
    both_on_first_page: float
    """Share of the impressions at moments when two or more of the pages stand in the first ten places."""


def turns(rows: SearchRows, queries: Collection[int]) -> Turns:
    """How pages take turns.

    Parameters
    ----------
    rows : SearchRows
        Of the pages only.
    queries : collection of int
        Codes of the queries that count.
    """
    rows = rows.select(np.isin(rows.query, list(queries)))
    query, place, page = (column.astype(np.int64) for column in (rows.query, rows.place, rows.row))
    impressions, dates = rows.impressions, rows.date
    both = _share_on_first_page(query, place, dates, impressions, rows.position)
    is_dated = ~np.isnat(dates)
    if not is_dated.any():
        return Turns(0, 0, {}, both)
    week = (dates[is_dated] - dates[is_dated].min()) // _WEEK
    moment = numbered(query[is_dated], place[is_dated], week.astype(np.int64))
    n_pages = int(page.max()) + 1
    each, number = np.unique(moment * n_pages + page[is_dated], return_inverse=True)
    sums = np.bincount(number.ravel(), weights=impressions[is_dated])
    order = np.lexsort((each % n_pages, -sums, each // n_pages))
    at, leads, sums = each[order] // n_pages, each[order] % n_pages, sums[order]
    is_first = np.append(True, at[1:] != at[:-1])
    best = np.flatnonzero(is_first)
    has_second = np.append(~is_first[1:], False)[best]
    second = np.where(has_second, np.append(sums, 0.0)[best + 1], 0.0)
    clear = best[sums[best] >= _CLEAR_LEAD * second]
    leader = leads[clear]
    some = np.zeros(int(moment.max()) + 1, np.int64)
    some[moment] = np.arange(len(moment))
    row_of = some[at[clear]]
    its_query, its_place = query[is_dated][row_of], place[is_dated][row_of]
    is_change = np.zeros(len(clear), bool)
    is_change[1:] = (leader[1:] != leader[:-1]) & (its_query[1:] == its_query[:-1]) & (its_place[1:] == its_place[:-1])
    by_place: dict[int, dict[int, int]] = {}
    for one_query, one_place, changed in zip(its_query.tolist(), its_place.tolist(), is_change.tolist(), strict=True):
        counts = by_place.setdefault(one_query, {})
        counts[one_place] = counts.get(one_place, 0) + changed
    pages, weeks = np.unique(leader, return_counts=True)
    led = dict(zip(pages.tolist(), weeks.tolist(), strict=True))
    return Turns(sum(max(counts.values()) for counts in by_place.values()), len(clear), led, both)


def numbered(*columns: Codes) -> Codes:
    """A number for each row, in the order of the columns and equal where all of them are.

    Examples
    --------
    >>> numbered(np.array([7, 7, 2]), np.array([1, 1, 1])).tolist()
    [1, 1, 0]
    """
    result = np.zeros(len(columns[0]), np.int64)
    for column in columns:
        least, most = int(column.min()), int(column.max())
        if most - least < _FEW_VALUES:  # to leave gaps costs less than to number the values
            result = result * (most - least + 1) + (column - least)
        else:
            values, codes = np.unique(column, return_inverse=True)
            result = result * len(values) + codes.ravel()
    return np.unique(result, return_inverse=True)[1].ravel()


def _share_on_first_page(
    query: Codes, place: Codes, dates: NDArray[np.datetime64], impressions: Figures, position: Figures
) -> float:
    """Share of the impressions at moments when two or more pages stand in the first ten places."""
    if not impressions.sum():
        return 0.0
    number = numbered(query, place, dates.astype("datetime64[D]").astype(np.int64))
    in_top = np.bincount(number, weights=(position <= _FIRST_PAGE) & (impressions > 0))
    sums = np.bincount(number, weights=impressions)
    return float(sums[in_top > 1].sum() / impressions.sum())
