"""Who stood where, week by week, for the queries that rivals compete for.

In:  groups of rivals, and the search data that they were found in.
Out: a table of mean positions, for pictures.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import pandas as pd

from mardok.compare.demand import Demand
from mardok.findings.rivals import Rivalry
from mardok.tables import POSITIONS, Recurring

_QUERIES = 3
"""Queries of a group that are told, those with the most impressions first."""
_WEEK = np.timedelta64(7, "D")


def positions_table(rivalries: Iterable[Rivalry], demand: Demand | None) -> pd.DataFrame:
    """The table of positions; empty without dated search data."""
    if demand is None or not demand.is_dated:
        return POSITIONS.frame([])
    code_of = {query: code for code, query in enumerate(demand.queries)}
    n_queries = max(len(demand.queries), 1)
    wanted = np.array(
        sorted({row * n_queries + code_of[query] for one in rivalries for row in one.rows for query in _queries(one)}),
        np.int64,
    )
    rows = demand.rows
    key = rows.row.astype(np.int64) * n_queries + rows.query
    rows = rows.select(np.isin(key, wanted) & (rows.impressions > 0))
    if not len(rows):
        return POSITIONS.frame([])
    since = np.nanmin(demand.rows.date).astype("datetime64[D]")
    frame = pd.DataFrame(
        {
            "page": rows.row,
            "query": rows.query,
            "week": (rows.date.astype("datetime64[D]") - since) // _WEEK,
            "weighted": rows.position * rows.impressions,
            "impressions": rows.impressions,
        }
    )
    summed = frame.groupby(["page", "query", "week"], as_index=False).sum()
    codes, of_row = np.unique(summed["query"], return_inverse=True)
    weeks = np.datetime_as_string(since + np.arange(int(summed["week"].max()) + 1) * _WEEK)
    return POSITIONS.frame(
        {
            "page": summed["page"],
            "query": Recurring(of_row, [demand.queries[code] for code in codes.tolist()]),
            "week": Recurring(summed["week"].to_numpy(), weeks.tolist()),
            "position": summed["weighted"] / summed["impressions"],
            "impressions": summed["impressions"],
        }
    )


def _queries(rivalry: Rivalry) -> list[str]:
    stated = [query for rival in rivalry.rivals if rival.overlap for query in rival.overlap.queries[:_QUERIES]]
    return list(dict.fromkeys(stated))[:_QUERIES]
