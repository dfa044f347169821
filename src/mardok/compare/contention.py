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

from mardok.compare.demand import Demand
from mardok.text.distinct import first_of_equal

Figures = NDArray[np.float64]
Codes = NDArray[np.int64]

_CLEAR_LEAD = 1.5
"""Impressions of the leader of a week, for each of the next page's."""
_WEEK = np.timedelta64(7, "D")


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
    row, query = rows["row"].to_numpy().astype(np.int64), demand.query_codes
    n_queries = max(len(demand.queries), 1)
    key = row * n_queries + query
    begins = np.flatnonzero(first_of_equal(key))

    def sums(values: Figures) -> Figures:
        return np.add.reduceat(values, begins) if len(begins) else np.zeros(0)

    raw = rows["impressions"].to_numpy()
    impressions = sums(raw)
    position = sums(raw * rows["position"].to_numpy()) / np.maximum(impressions, 1e-9)
    at_row, at_query = row[begins], query[begins]
    total = np.bincount(at_query, weights=impressions, minlength=n_queries)
    share = impressions / np.maximum(total[at_query], 1e-9)
    entropy = np.bincount(at_query, weights=-share * np.log(np.maximum(share, 1e-300)), minlength=n_queries)
    return Shown(
        at_row,
        at_query,
        sums(rows["clicks"].to_numpy()) / demand.months,
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


def turns(rows: pd.DataFrame, queries: Collection[int]) -> Turns:
    """How pages take turns.

    Parameters
    ----------
    rows : DataFrame
        Rows of a :class:`Demand`, of the pages only.
    queries : collection of int
        Codes of the queries that count.
    """
    codes = rows["query"].cat.codes.to_numpy()
    kept = np.isin(codes, list(queries))
    rows, codes = rows[kept], codes[kept]
    dates = rows["date"].to_numpy()
    moment = pd.DataFrame(
        {
            "query": codes,
            "place": rows["country"].cat.codes.to_numpy().astype(np.int64) * 1000 + rows["device"].cat.codes.to_numpy(),
            "date": dates,
            "row": rows["row"].to_numpy(),
            "impressions": rows["impressions"].to_numpy(),
            "top": rows["impressions"].to_numpy() * (rows["position"].to_numpy() <= 10.0),
        }
    )
    at_once = moment.groupby(["query", "place", "date"], dropna=False).agg(
        impressions=("impressions", "sum"), in_top=("top", lambda values: int((values > 0).sum()))
    )
    total = float(at_once["impressions"].sum())
    both = float(at_once.loc[at_once["in_top"] > 1, "impressions"].sum()) / total if total else 0.0
    dated = moment[~np.isnat(dates)]
    if dated.empty:
        return Turns(0, 0, {}, both)
    week = (dated["date"].to_numpy() - dated["date"].to_numpy().min()) // _WEEK
    by_week = dated.assign(week=week).groupby(["query", "place", "week", "row"], as_index=False)["impressions"].sum()
    ordered = by_week.sort_values(
        ["query", "place", "week", "impressions"], ascending=[True, True, True, False], kind="stable"
    )
    best = ordered.groupby(["query", "place", "week"], as_index=False).head(1).reset_index(drop=True)
    second = ordered.groupby(["query", "place", "week"])["impressions"].nth(1)
    next_best = np.zeros(len(best))
    if len(second):
        key = ordered.loc[second.index, ["query", "place", "week"]].assign(second=second)
        next_best = best.merge(key, how="left", on=["query", "place", "week"])["second"].fillna(0.0).to_numpy()
    clear = best[best["impressions"].to_numpy() >= _CLEAR_LEAD * next_best]
    changes = 0
    for _, weeks in clear.groupby("query"):
        changes += max(
            int((part["row"].to_numpy()[1:] != part["row"].to_numpy()[:-1]).sum()) for _, part in weeks.groupby("place")
        )
    led = clear["row"].value_counts().sort_index()
    return Turns(changes, len(clear), {int(row): int(n) for row, n in led.items()}, both)
