"""What it brings when several pages become one, in clicks a month.

In:  search data of the whole site, for the curve, and of the pages of a group.
Out: a lower and an upper figure, each computed from the site's own rows.

For every query, date, country and device the impressions of the group are at least the greatest and at most the sum over
its pages, since two pages may have been shown at once or not. The lower figure takes the lower bound at the best position
that one of the pages usually has, and counts as lost what only moved pages are found for; it may be negative. The upper
figure takes the upper bound at the best position that a page had while it led alone. Clicks at a position come from the
site's own click-through rate, a decreasing curve (isotonic regression, R. E. Barlow et al., 1972) that leans on an assumed
curve where the site has few impressions.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.optimize import isotonic_regression

from mardok.findings.demand import Demand
from mardok.plan.proposal import Gain

CURVE_POSITIONS = 50
ASSUMED_TOP_RATE = 0.25
"""Assumed click-through rate at position 1; at position p the assumed rate is this divided by p."""
ASSUMED_WEIGHT = 200.0
"""Impressions at each position that the assumed curve weighs as much as."""
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
    own = demand.rows[demand.rows["row"].isin(rows)]
    n_pages = own.groupby("query")["row"].transform("nunique")
    shared, alone = own[n_pages > 1], own[n_pages == 1]
    at_risk = float(alone.loc[alone["row"].isin(moved), "clicks"].sum()) / demand.months
    if shared.empty:
        return Gain(-at_risk, 0.0, "clicks/month", at_risk)
    now = shared.groupby("query")["clicks"].sum()
    moments = shared.groupby(["query", "date", "country", "device"], dropna=False)["impressions"]
    bounds = pd.DataFrame({"least": moments.max(), "most": moments.sum()}).groupby(level="query").sum()
    usual = _best_position(shared)
    leading = shared[shared["impressions"] > _LEAD * moments.transform("sum")]
    best = np.minimum(_best_position(leading).reindex(usual.index, fill_value=np.inf).to_numpy(), usual.to_numpy())
    low = float((bounds["least"] * curve.at(usual.to_numpy()) - now).sum()) / demand.months - at_risk
    high = float((bounds["most"] * curve.at(best) - now).sum()) / demand.months
    return Gain(
        low,
        max(high, low),
        "clicks/month",
        at_risk,
        n_queries=len(now),
        impressions=float(shared["impressions"].sum()) / demand.months,
    )


def _best_position(rows: pd.DataFrame) -> pd.Series:
    """For each query the least of its pages' positions, each weighted by impressions."""
    weighted = rows.assign(product=rows["position"] * rows["impressions"])
    sums = weighted.groupby(["query", "row"])[["product", "impressions"]].sum()
    positions = (sums["product"] / sums["impressions"].where(sums["impressions"] > 0)).fillna(CURVE_POSITIONS)
    best: pd.Series = positions.groupby(level="query").min()
    return best
