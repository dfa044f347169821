"""What search shows for a phrase and for queries that hold it.

In:  the search data of an audit, and a phrase.
Out: the pages that are shown, with their figures now and before; who leads, and since when.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.audits import Audit
from mardok.beside.phrase import TopicPhrase

_FIGURES = (
    "page", "query", "clicks", "impressions", "position", "clicks_now", "impressions_now", "position_now", "clicks_before",
    "impressions_before", "position_before",
)  # fmt: skip
_MOST_QUERIES = 15
_MOST_PAGES = 20


@dataclass(frozen=True)
class ShownPage:
    """A page that search shows; figures a month, before NaN where no spans are compared."""

    row: int
    url: str
    n_queries: int
    clicks_now: float
    clicks_before: float
    impressions_now: float
    impressions_before: float
    position_now: float
    """Mean position, weighted by impressions; NaN where it was not shown."""
    position_before: float
    exact_impressions: float
    """Of queries that say the phrase and no more, in the later span."""


@dataclass(frozen=True)
class Searched:
    """What search shows for a phrase."""

    shown: tuple[ShownPage, ...]
    """The leader first: for queries that say the phrase and no more, where there are any."""
    queries: tuple[tuple[str, float], ...]
    """Queries that hold the phrase with their impressions a month, the most first."""
    n_queries: int
    leader: int
    """Row of the page that leads; -1 if none is shown."""
    leader_before: int
    """Row of the page that led in the span before; -1 if that is not known."""
    since: str
    """First day of the week since when it leads, YYYY-MM-DD; ``""`` if no weeks are kept."""
    clicks_of: Mapping[int, float]
    """Clicks a month of each page."""

    @property
    def urls(self) -> list[str]:
        """Addresses of the pages."""
        return [one.url for one in self.shown]


def searched(audit: Audit, phrase: TopicPhrase, languages: Sequence[str]) -> Searched | None:
    """What search shows; None if the audit has no search data.

    Parameters
    ----------
    languages : sequence of str
        Languages of the site: a query holds the phrase if it does in one of them.
    """
    if not audit.meta.totals["search"]:
        return None

    def holds(name: str) -> bool:
        return any(phrase.is_in(name, language) for language in languages)

    at = audit.tables.matching("queries", "query", holds)
    if not len(at):
        return Searched((), (), 0, -1, -1, "", {})
    rows = pd.DataFrame(audit.tables.rows("queries", at, _FIGURES))
    is_same = {
        name: any(phrase.says_no_more(name, language) for language in languages) for name in rows["query"].unique().tolist()
    }
    told = _figures(rows, rows["query"].map(is_same).to_numpy(bool))
    exact = told[told["exact"] > 0]
    leading = (exact if len(exact) else told).groupby("page")[["clicks_now", "impressions_now", "clicks_before"]].sum()
    leader = _first(leading, ["clicks_now", "impressions_now"])
    sums = told.drop(columns=["query"]).groupby("page").sum(min_count=1)
    n_queries = told.groupby("page")["query"].nunique()
    order = sums.sort_values(["clicks_now", "impressions_now"], ascending=False, kind="stable").index.to_numpy(np.int64)
    order = np.concatenate([[leader], order[order != leader]])[:_MOST_PAGES]
    urls = audit.tables.rows("pages", order, ["url"])["url"]
    shown = tuple(
        _shown(row, url, int(n_queries[row]), sums.loc[row].to_dict()) for row, url in zip(order.tolist(), urls, strict=True)
    )
    by_query = told.groupby("query")["impressions_now"].sum().sort_values(ascending=False, kind="stable")
    clicks = zip(sums.index.to_numpy(np.int64).tolist(), sums["clicks_now"].tolist(), strict=True)
    return Searched(
        shown,
        tuple((str(query), float(n)) for query, n in by_query.head(_MOST_QUERIES).items()),
        len(by_query),
        leader,
        _first(leading, ["clicks_before"]) if leading["clicks_before"].max() > 0 else -1,
        _leads_since(audit, leader, set((exact if len(exact) else told)["query"])),
        dict(clicks),
    )


def _figures(rows: pd.DataFrame, is_exact: NDArray[np.bool_]) -> pd.DataFrame:
    """Figures of each query and page, now and before."""
    end = "_now" if rows["impressions_now"].notna().any() else ""
    clicks, impressions, position = (rows[f"{name}{end}"].astype(float) for name in ("clicks", "impressions", "position"))
    return pd.DataFrame(
        {
            "page": rows["page"],
            "query": rows["query"].astype(str),
            "clicks_now": clicks,
            "clicks_before": rows["clicks_before"].astype(float),
            "impressions_now": impressions,
            "impressions_before": rows["impressions_before"].astype(float),
            "placed_now": position * impressions,
            "placed_before": rows["position_before"] * rows["impressions_before"],
            "exact": impressions.where(is_exact, 0.0),
        }
    )


def _first(sums: pd.DataFrame, by: Sequence[str]) -> int:
    """The page with the most, the first of equal ones."""
    ordered = sums.sort_values(list(by), ascending=False, kind="stable")
    return int(ordered.index.to_numpy()[0])


def _shown(row: int, url: str, n_queries: int, sums: Mapping[Hashable, float]) -> ShownPage:
    return ShownPage(
        row, url, n_queries, sums["clicks_now"], sums["clicks_before"], sums["impressions_now"], sums["impressions_before"],
        _mean(sums["placed_now"], sums["impressions_now"]), _mean(sums["placed_before"], sums["impressions_before"]),
        sums["exact"],
    )  # fmt: skip


def _mean(placed: float, impressions: float) -> float:
    return float(placed / impressions) if impressions and not np.isnan(impressions) else float("nan")


def _leads_since(audit: Audit, leader: int, queries: set[str]) -> str:
    """First day of the run of weeks, up to the last, in which a page stands in front of all others for some queries."""
    positions = audit.tables["positions"]
    rows = positions[positions["query"].isin(queries)]
    by_week: dict[str, dict[int, list[tuple[float, float]]]] = defaultdict(lambda: defaultdict(list))
    columns = (rows[name].tolist() for name in ("page", "week", "position", "impressions"))
    for page, week, position, impressions in zip(*columns, strict=True):
        by_week[str(week)][int(page)].append((position, impressions))
    since = ""
    for week in sorted(by_week, reverse=True):
        means = {
            page: sum(position * n for position, n in shown) / max(sum(n for _, n in shown), 1e-9)
            for page, shown in by_week[week].items()
        }
        if min(means, key=lambda page: (means[page], page)) != leader:
            break
        since = week
    return since
