"""Which pages search shows for one query, and whether they take turns.

In:  search data matched to pages.
Out: for each query and page its figures and its share; for each query how many pages compete in effect; the pairs of pages
     that have a real part in common queries; over time how often the leader changes.

How many compete in effect is the exponential of the entropy of the pages' impressions (M. O. Hill, Ecology 54, 1973): 1
if one page is shown, 2 if two are shown equally often. Who is ahead goes by position, week by week, within one country and
device: two pages may change places by a whole page of results and be shown as often as before. A week counts where one page
is clearly ahead, and turns only if the pages go against each other, which chance does not make them do.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.demand import Demand, SearchRows
from mardok.settings import Rivals
from mardok.text.distinct import first_of_equal

Figures = NDArray[np.float64]
Codes = NDArray[np.int64]

_OUT_OF_SIGHT = 10.0
"""Places by which a page that is not shown stands behind the worst place that one of the pages has."""
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
    """Figures of each query and page.

    Addresses that were not read have their part in the impressions of a query, and no entry.
    """
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
    read = at_row < demand.n_pages
    return Shown(
        at_row[read],
        at_query[read],
        sums(rows.clicks)[read] / demand.months,
        impressions[read] / demand.months,
        position[read],
        share[read],
        np.exp(entropy)[at_query[read]],
        share[read] >= minimum_share,
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
    """How some pages share the queries that show two or more of them.

    A moment is one week of one query in one country and on one device. A page is ahead in it if it stands clearly before the
    other pages, or is the only one that is shown in earnest.
    """

    changes: int
    """How often the page that is ahead changes, at most, within one country and device; summed over queries."""
    weeks: int
    """Moments in which a page is ahead."""
    led: dict[int, int]
    """In how many of them each page is ahead."""
    led_share: dict[int, float]
    """The same as a share of the impressions at these moments."""
    both_on_first_page: float
    """Share of the impressions at moments when two or more of the pages stand in the first ten places."""
    is_beyond_chance: bool = False
    """Whether one page comes as the other goes: chance moves each for itself."""
    leader: int = -1
    """The page that is ahead at the end; -1 if none ever is."""
    since: np.datetime64 | None = None
    """Day from which on it has been ahead week by week; None if no other was before."""


def turns(rows: SearchRows, queries: Collection[int], rules: Rivals, least_share: float) -> Turns:
    """How pages take turns.

    Parameters
    ----------
    rows : SearchRows
        Of the pages only.
    queries : collection of int
        Codes of the queries that count.
    rules : Rivals
        Places from which a page is clearly before another, and the probability that counts as chance.
    least_share : float
        Share of the impressions of a moment from which a page is shown in earnest.

    Examples
    --------
    >>> weeks = np.repeat(np.arange("2030-01-07", "2030-03-04", 7, "datetime64[D]"), 2)
    >>> zero, pages = np.zeros(16, np.int32), np.tile([0, 1], 8).astype(np.int32)
    >>> position = np.where((pages == 0) == (np.arange(16) // 4 % 2 == 0), 3.0, 20.0)
    >>> rows = SearchRows(pages, zero, zero, weeks, np.zeros(16), np.full(16, 10.0), position)
    >>> told = turns(rows, [0], Rivals(), 0.1)
    >>> told.changes, told.led, told.is_beyond_chance, told.leader, str(told.since)
    (3, {0: 4, 1: 4}, True, 1, '2030-02-18')
    """
    rows = rows.select(np.isin(rows.query, list(queries)))
    query, place = rows.query.astype(np.int64), rows.place.astype(np.int64)
    both = _share_on_first_page(query, place, rows.date, rows.impressions, rows.position)
    is_dated = ~np.isnat(rows.date)
    if not is_dated.any() or not rows.impressions[is_dated].sum():
        return Turns(0, 0, {}, {}, both)
    moments = _Moments.of(rows.select(is_dated), least_share)
    at, leads = moments.leaders(rules.clear_places)
    if not len(at):
        return Turns(0, 0, {}, {}, both)
    pages, number = np.unique(leads, return_inverse=True)
    weeks = np.bincount(number)
    weights = np.bincount(number, weights=moments.impressions[at])
    leader, since = moments.last_lead(at, leads)
    return Turns(
        changes=moments.changes(at, leads),
        weeks=len(at),
        led=dict(zip(pages.tolist(), weeks.tolist(), strict=True)),
        led_share=dict(zip(pages.tolist(), (weights / weights.sum()).tolist(), strict=True)),
        both_on_first_page=both,
        is_beyond_chance=len(pages) > 1 and moments.chance_of_turns(int(pages[np.argmax(weeks)])) <= rules.chance,
        leader=leader,
        since=since,
    )


@dataclass(frozen=True)
class _Moments:
    """Weeks of queries in one country and on one device, in the order of these, and the pages shown at each."""

    series: Codes
    """A number for the query, country and device of each moment."""
    query: Codes
    week: Codes
    impressions: Figures
    """Of all pages."""
    begin: np.datetime64
    """First day of the first week."""
    at: Codes
    """Moment of each page that is shown in earnest, in order, the first page first."""
    page: Codes
    position: Figures
    """Mean position, weighted by impressions."""

    @staticmethod
    def of(rows: SearchRows, least_share: float) -> _Moments:
        """Those of some rows, all of them with a day."""
        query, place, page = (column.astype(np.int64) for column in (rows.query, rows.place, rows.row))
        begin = rows.date.min()
        week = ((rows.date - begin) // _WEEK).astype(np.int64)
        moment = numbered(query, place, week)
        n_moments, n_pages = int(moment.max()) + 1, int(page.max()) + 1
        some = np.zeros(n_moments, np.int64)
        some[moment] = np.arange(len(moment))
        each, number = np.unique(moment * n_pages + page, return_inverse=True)
        impressions = np.bincount(number.ravel(), weights=rows.impressions)
        position = np.bincount(number.ravel(), weights=rows.impressions * rows.position) / np.maximum(impressions, 1e-9)
        at = each // n_pages
        total = np.bincount(at, weights=impressions, minlength=n_moments)
        is_shown = (impressions > 0) & (impressions >= least_share * total[at])
        order = np.flatnonzero(is_shown)
        order = order[np.lexsort((each[order] % n_pages, position[order], at[order]))]
        return _Moments(
            numbered(query[some], place[some]), query[some], week[some], total.astype(np.float64),
            begin.astype("datetime64[D]"), at[order], each[order] % n_pages, position[order],
        )  # fmt: skip

    def leaders(self, clear_places: float) -> tuple[Codes, Codes]:
        """The moments in which a page is ahead, and the page."""
        is_first = first_of_equal(self.at)
        first = np.flatnonzero(is_first)
        has_second = np.append(~is_first[1:], False)[first] if len(first) else np.zeros(0, bool)
        second = np.where(has_second, np.append(self.position, np.inf)[first + 1], np.inf)
        clear = first[second - self.position[first] >= clear_places]
        return self.at[clear], self.page[clear]

    def changes(self, at: Codes, leads: Codes) -> int:
        """How often the leader changes within one country and device, at most; summed over queries."""
        series, query = self.series[at], self.query[at]
        is_change = (leads[1:] != leads[:-1]) & (series[1:] == series[:-1])
        by_series = np.bincount(series[1:], weights=is_change)
        most: dict[int, float] = {}
        for number, one in zip(series.tolist(), query.tolist(), strict=True):
            n = float(by_series[number]) if number < len(by_series) else 0.0
            most[one] = max(most.get(one, 0.0), n)
        return int(sum(most.values()))

    def last_lead(self, at: Codes, leads: Codes) -> tuple[int, np.datetime64 | None]:
        """The page that is ahead in most impressions of the last week, and since when it has been week by week."""
        n_pages = int(leads.max()) + 1
        keys, number = np.unique(self.week[at] * n_pages + leads, return_inverse=True)
        weights = np.bincount(number, weights=self.impressions[at])
        order = np.lexsort((keys, -weights, keys // n_pages))
        best = keys[order][first_of_equal(keys[order] // n_pages)]
        weeks, leader = best // n_pages, best % n_pages
        others = np.flatnonzero(leader != leader[-1])
        if not len(others):
            return int(leader[-1]), None
        return int(leader[-1]), self.begin + weeks[others[-1] + 1] * _WEEK.astype("timedelta64[D]")

    def chance_of_turns(self, page: int) -> float:
        """Probability that a page and the best of the others go against each other so much by chance.

        If they took no turns, each would move for itself: the correlation of their positions, within one query, country and
        device and weighted by impressions, would be 0. It is tested by Student's t with as many moments as the weights
        leave.
        """
        from scipy.special import stdtr  # only here: it takes longer to import than some commands to run

        n = len(self.series)
        places = np.full((2, n), np.nan)
        is_page = self.page == page
        places[0, self.at[is_page]] = self.position[is_page]
        places[1] = np.inf
        np.minimum.at(places[1], self.at[~is_page], self.position[~is_page])
        places[1][np.isinf(places[1])] = np.nan
        asked = np.flatnonzero(~np.isnan(places).all(axis=0))
        series = np.unique(self.series[asked], return_inverse=True)[1].ravel()
        places, weight = places[:, asked], self.impressions[asked]
        worst = np.full(int(series.max()) + 1, 0.0)
        np.maximum.at(worst, series, np.nanmax(places, axis=0))
        places = np.where(np.isnan(places), worst[series] + _OUT_OF_SIGHT, places)
        total = np.bincount(series, weights=weight)
        deviations = np.array([line - (np.bincount(series, weights=weight * line) / total)[series] for line in places])
        products = (deviations[:, None] * deviations[None] * weight).sum(axis=2)
        free = float(weight.sum() ** 2 / (weight**2).sum()) - len(total) - 1
        if free < 1 or not products.diagonal().all():
            return 1.0
        correlation = float(products[0, 1] / np.sqrt(products[0, 0] * products[1, 1]))
        if correlation**2 >= 1:
            return float(correlation > 0)
        return float(stdtr(free, correlation * (free / (1 - correlation**2)) ** 0.5))


def pages_in_front(demand: Demand, position: float, least: float) -> NDArray[np.bool_]:
    """Pages that stand high up, of late, for a query that is not for the site's name.

    Parameters
    ----------
    demand : Demand
        Search data.
    position : float
        Lowest mean position.
    least : float
        Least impressions of the query a month.

    Returns
    -------
    ndarray of bool, shape (n_pages,)
    """
    result = np.zeros(demand.n_pages, bool)
    end = int(demand.first[-1])
    at = np.flatnonzero(demand.is_recent[:end] & ~demand.is_brand[demand.rows.query[:end]])
    rows = demand.rows.select(at)
    if not len(rows):
        return result
    key = numbered(rows.row.astype(np.int64), rows.query.astype(np.int64))
    impressions = np.bincount(key, weights=rows.impressions)
    mean = np.bincount(key, weights=rows.impressions * rows.position) / np.maximum(impressions, 1e-9)
    row = np.zeros(len(impressions), np.int64)
    row[key] = rows.row
    result[row[(mean <= position) & (impressions >= least * demand.recent_months)]] = True
    return result


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
