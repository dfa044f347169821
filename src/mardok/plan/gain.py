"""What it brings when several pages become one, in clicks a month.

In:  search data of the whole site, for the curve, and of the pages of a group.
Out: a lower and an upper figure, each computed from the site's own rows.

For every query, date, country and device the impressions of the group are at least the greatest and at most the sum over
its pages, since two pages may have been shown at once or not. The lower figure takes the lower bound at the best position
that one of the pages usually has, and counts as lost what only moved pages are found for; it may be negative. The upper
figure takes the upper bound at the best position that a page had while it led alone. Clicks at a position come from the
site's own click-through rate, a decreasing curve (isotonic regression, R. E. Barlow et al., 1972) that leans on an assumed
curve where the site has few impressions. A query that draws more or fewer clicks than the curve says does so afterwards
too: its figures are scaled by the clicks it has over those the curve gives its rows.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.contention import numbered
from mardok.compare.demand import Demand, SearchRows, queries_of_several
from mardok.plan.proposal import Gain
from mardok.vocabulary import GainUnit

CURVE_POSITIONS = 50
ASSUMED_TOP_RATE = 0.25
"""Assumed click-through rate at position 1; at position p the assumed rate is this divided by p."""
ASSUMED_WEIGHT = 200.0
"""Impressions at each position that the assumed curve weighs as much as."""
_SCALE_WEIGHT = 10.0
"""Clicks that count for the curve when a query is scaled to its own clicks."""
_LEAD = 0.5
"""Share of a query's impressions on a date above which a page leads."""


@dataclass(frozen=True)
class ClickCurve:
    """Clicks per impression by position."""

    rates: NDArray[np.float64]
    """Rate at the positions 1 to :data:`CURVE_POSITIONS`, never increasing."""

    def at(self, position: NDArray[np.float64]) -> NDArray[np.float64]:
        """Rate at any position, between two by straight line, past the end the last."""
        return np.asarray(np.interp(position, np.arange(1, len(self.rates) + 1), self.rates))


def click_curve(rows: SearchRows) -> ClickCurve:
    """The site's click-through rate by position, from its search rows.

    Examples
    --------
    >>> few, day = np.zeros(2, np.int32), np.array(["2030-01-01"] * 2, "datetime64[D]")
    >>> rows = SearchRows(few, few, few, day, np.array([300.0, 40.0]), np.array([1000.0, 1000.0]), np.array([1.0, 5.0]))
    >>> curve = click_curve(rows)
    >>> curve.at(np.array([1.0, 5.0])).round(3).tolist()
    [0.292, 0.042]
    """
    from scipy.optimize import isotonic_regression  # only here: it takes longer to import than some commands to run

    places = np.arange(1, CURVE_POSITIONS + 1)
    bins = np.clip(np.rint(rows.position), 1, CURVE_POSITIONS).astype(np.int64) - 1
    impressions = np.bincount(bins, weights=rows.impressions, minlength=CURVE_POSITIONS)
    clicks = np.bincount(bins, weights=rows.clicks, minlength=CURVE_POSITIONS)
    weights = impressions + ASSUMED_WEIGHT
    rates = (clicks + ASSUMED_WEIGHT * ASSUMED_TOP_RATE / places) / weights
    return ClickCurve(np.asarray(isotonic_regression(rates, weights=weights, increasing=False).x))


def gain_in_clicks(demand: Demand, curve: ClickCurve, rows: Collection[int], moved: Collection[int]) -> Gain:
    """Gain when the pages `rows` become one and `moved` are those that go.

    Parameters
    ----------
    rows : collection of int
        Pages that become one.
    moved : collection of int
        Those of them that go.

    Returns
    -------
    Gain
        Clicks a month; 0 to 0 if no query shows two of the pages and nothing is at risk.
    """
    own = demand.of(rows)
    is_shared = queries_of_several(own)
    at_risk = float(own.clicks[~is_shared & np.isin(own.row, list(moved))].sum()) / demand.months
    if not is_shared.any():
        return Gain(-at_risk, 0.0, GainUnit.CLICKS, at_risk)
    shared = _Queries(own.select(is_shared), curve)
    moment = numbered(
        shared.number, shared.rows.place.astype(np.int64), shared.rows.date.astype("datetime64[D]").astype(np.int64)
    )
    of_query = np.zeros(int(moment.max()) + 1, np.int64)
    of_query[moment] = shared.number
    impressions = shared.rows.impressions
    most = np.bincount(moment, weights=impressions)
    least = np.zeros(len(of_query))
    np.maximum.at(least, moment, impressions)
    leads = impressions > _LEAD * most[moment]
    usual = shared.best_rate(np.ones(len(impressions), bool))
    best = np.maximum(shared.best_rate(leads), usual)
    now = float(shared.clicks.sum())
    low = float((np.bincount(of_query, weights=least) * usual * shared.scale).sum()) - now
    high = float((np.bincount(of_query, weights=most) * best * shared.scale).sum()) - now
    low, high = low / demand.months - at_risk, high / demand.months
    return Gain(
        low,
        max(high, low),
        GainUnit.CLICKS,
        at_risk,
        n_queries=len(shared.clicks),
        impressions=float(impressions.sum()) / demand.months,
    )


def gain_of_names(demand: Demand, curve: ClickCurve, queries: Mapping[int, Collection[int]]) -> Gain:
    """Gain when every page comes as far for the queries that name it as the best of them does for its own.

    Parameters
    ----------
    queries : mapping of int to collection of int
        For each page the numbers of the queries that name what only it promises.
    """
    own = demand.of(queries)
    is_named = np.zeros(len(own), bool)
    for row, named in queries.items():
        is_named |= (own.row == row) & np.isin(own.query, list(named))
    return _gain_at(demand, _Queries(own.select(is_named), curve), None)


def reach_gain(demand: Demand, curve: ClickCurve, row: int, queries: Collection[int], position: float) -> Gain:
    """Gain when a page comes to a position for queries that it is shown for further down.

    Parameters
    ----------
    queries : collection of int
        Numbers of the queries.
    """
    own = demand.of([row])
    return _gain_at(
        demand, _Queries(own.select(np.isin(own.query, list(queries))), curve), float(curve.at(np.array([position]))[0])
    )


def _gain_at(demand: Demand, shown: _Queries, rate: float | None) -> Gain:
    """Gain when all queries draw clicks at one rate, by default the best that any of their pages has."""
    if not len(shown.rows) or not shown.rows.impressions.sum():
        return Gain(0.0, 0.0, GainUnit.CLICKS)
    rate = float(shown.best_rate(np.ones(len(shown.rows), bool)).max()) if rate is None else rate
    impressions = np.bincount(shown.number, weights=shown.rows.impressions)
    reached = np.maximum(impressions * rate * shown.scale, shown.clicks)
    high = float((reached - shown.clicks).sum()) / demand.months
    return Gain(0.0, high, GainUnit.CLICKS, n_queries=len(impressions), impressions=float(impressions.sum()) / demand.months)


class _Queries:
    """Search rows by query."""

    def __init__(self, rows: SearchRows, curve: ClickCurve) -> None:
        self.rows = rows
        self.number = np.unique(rows.query, return_inverse=True)[1].ravel()
        self._told = rows.impressions * curve.at(rows.position)
        self.clicks = np.bincount(self.number, weights=rows.clicks)

    @property
    def scale(self) -> NDArray[np.float64]:
        """For each query its clicks over those the curve gives its rows, leaning towards 1 where there are few."""
        stated = np.bincount(self.number, weights=self._told)
        return np.asarray((self.clicks + _SCALE_WEIGHT) / (stated + _SCALE_WEIGHT))

    def best_rate(self, which: NDArray[np.bool_]) -> NDArray[np.float64]:
        """For each query the greatest of its pages' rates in some rows, each the mean over the page's impressions.

        The mean of the rates, not the rate at the mean position: the curve is steep at the top, and a page that is sometimes
        first draws more clicks than one that is always second.
        """
        key = self.number[which].astype(np.int64) << 32 | self.rows.row[which]
        pairs, at = np.unique(key, return_inverse=True)
        impressions = np.bincount(at.ravel(), weights=self.rows.impressions[which], minlength=len(pairs))
        stated = np.bincount(at.ravel(), weights=self._told[which], minlength=len(pairs))
        rates = np.divide(stated, impressions, out=np.zeros(len(pairs)), where=impressions > 0)
        best = np.zeros(len(self.clicks))
        np.maximum.at(best, pairs >> 32, rates)
        return best
