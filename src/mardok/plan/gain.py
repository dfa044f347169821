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
import pandas as pd
from numpy.typing import NDArray
from scipy.optimize import isotonic_regression

from mardok.compare.demand import Demand
from mardok.plan.proposal import Gain

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


def click_curve(rows: pd.DataFrame) -> ClickCurve:
    """The site's click-through rate by position, from its search rows."""
    places = np.arange(1, CURVE_POSITIONS + 1)
    bins = rows["position"].round().clip(1, CURVE_POSITIONS).astype(int) - 1
    impressions = np.bincount(bins, weights=rows["impressions"], minlength=CURVE_POSITIONS)
    clicks = np.bincount(bins, weights=rows["clicks"], minlength=CURVE_POSITIONS)
    weights = impressions + ASSUMED_WEIGHT
    rates = (clicks + ASSUMED_WEIGHT * ASSUMED_TOP_RATE / places) / weights
    return ClickCurve(np.asarray(isotonic_regression(rates, weights=weights, increasing=False).x))


def gain_in_clicks(demand: Demand, curve: ClickCurve, rows: Collection[int], moved: Collection[int]) -> Gain:
    """Gain when the pages `rows` become one and `moved` are those that go.

    Returns
    -------
    Gain
        Clicks a month; 0 to 0 if no query shows two of the pages and nothing is at risk.
    """
    own = demand.of(rows)
    n_pages = own.groupby("query")["row"].transform("nunique")
    shared, alone = own[n_pages > 1], own[n_pages == 1]
    at_risk = float(alone.loc[alone["row"].isin(moved), "clicks"].sum()) / demand.months
    if shared.empty:
        return Gain(-at_risk, 0.0, "clicks/month", at_risk)
    now = shared.groupby("query")["clicks"].sum()
    scale = _scale(shared, curve)
    moments = shared.groupby(["query", "date", "country", "device"], dropna=False)["impressions"]
    bounds = pd.DataFrame({"least": moments.max(), "most": moments.sum()}).groupby(level="query").sum()
    usual = _best_rate(shared, curve)
    leading = shared[shared["impressions"] > _LEAD * moments.transform("sum")]
    best = np.maximum(_best_rate(leading, curve).reindex(usual.index, fill_value=0.0), usual)
    low = float((bounds["least"] * usual * scale - now).sum()) / demand.months - at_risk
    high = float((bounds["most"] * best * scale - now).sum()) / demand.months
    return Gain(
        low,
        max(high, low),
        "clicks/month",
        at_risk,
        n_queries=len(now),
        impressions=float(shared["impressions"].sum()) / demand.months,
    )


def gain_of_names(demand: Demand, curve: ClickCurve, queries: Mapping[int, Collection[str]]) -> Gain:
    """Gain when every page comes as far for the queries that name it as the best of them does for its own.

    Parameters
    ----------
    queries : mapping of int to collection of str
        For each page the queries that name what only it promises.
    """
    parts = [found[found["query"].isin(own)] for row, own in queries.items() for found in [demand.of([row])]]
    named = pd.concat(parts) if parts else demand.rows[:0]
    if named["impressions"].sum() <= 0:
        return Gain(0.0, 0.0, "clicks/month")
    best = float(_best_rate(named, curve).max())
    sums = named.groupby("query")[["clicks", "impressions"]].sum()
    reached = (sums["impressions"] * best * _scale(named, curve)).clip(lower=sums["clicks"])
    high = float((reached - sums["clicks"]).sum()) / demand.months
    return Gain(0.0, high, "clicks/month", n_queries=len(sums), impressions=float(sums["impressions"].sum()) / demand.months)


def reach_gain(demand: Demand, curve: ClickCurve, row: int, queries: Collection[int], position: float) -> Gain:
    """Gain when a page comes to a position for queries that it is shown for further down.

    Parameters
    ----------
    queries : collection of int
        Codes of the queries.
    """
    own = demand.of([row])
    own = own[own["query"].cat.codes.isin(list(queries))]
    if own["impressions"].sum() <= 0:
        return Gain(0.0, 0.0, "clicks/month")
    sums = own.groupby("query")[["clicks", "impressions"]].sum()
    rate = float(curve.at(np.array([position]))[0])
    reached = (sums["impressions"] * rate * _scale(own, curve)).clip(lower=sums["clicks"])
    high = float((reached - sums["clicks"]).sum()) / demand.months
    return Gain(0.0, high, "clicks/month", n_queries=len(sums), impressions=float(sums["impressions"].sum()) / demand.months)


def _scale(rows: pd.DataFrame, curve: ClickCurve) -> pd.Series:
    """For each query its clicks over those the curve gives its rows, leaning towards 1 where there are few."""
    told = rows.assign(told=rows["impressions"] * curve.at(rows["position"].to_numpy()))
    sums = told.groupby("query")[["clicks", "told"]].sum()
    scale: pd.Series = (sums["clicks"] + _SCALE_WEIGHT) / (sums["told"] + _SCALE_WEIGHT)
    return scale


def _best_rate(rows: pd.DataFrame, curve: ClickCurve) -> pd.Series:
    """For each query the greatest of its pages' rates, each the mean over the page's impressions.

    The mean of the rates, not the rate at the mean position: the curve is steep at the top, and a page that is sometimes
    first draws more clicks than one that is always second.
    """
    weighted = rows.assign(told=rows["impressions"] * curve.at(rows["position"].to_numpy()))
    sums = weighted.groupby(["query", "row"])[["told", "impressions"]].sum()
    rates = (sums["told"] / sums["impressions"].where(sums["impressions"] > 0)).fillna(0.0)
    best: pd.Series = rates.groupby(level="query").max()
    return best
