"""The answer as one HTML file, in the look of the report: it asks for nothing, runs nothing, and prints.

In:  a finished recheck.
Out: HTML; what pages say is escaped.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

import pandas as pd

from mardok.deliver.templating import page_style, rendered
from mardok.rechecking.steps import day_of
from mardok.sentences import sentence
from mardok.tables import cells_of
from mardok.vocabulary import Change, Measure, Outcome, StepKind, Subject

if TYPE_CHECKING:
    from mardok.rechecking.rechecked import Rechecked

_MOST_PROPOSALS, _MOST_STEPS, _MOST_ROWS = 500, 200, 300
_OUTCOMES = (
    Outcome.DONE, Outcome.PARTLY, Outcome.OTHERWISE, Outcome.UNDONE, Outcome.NOT_DONE, Outcome.NOT_TESTABLE,
)  # fmt: skip
_SHORT_OF_DONE = (Outcome.UNDONE, Outcome.OTHERWISE, Outcome.NOT_DONE, Outcome.PARTLY)
_WORST = (Change.WORSE, Change.NEW, Change.NEW_PAGE, Change.LEFT, Change.BETTER, Change.NOT_SEEN, Change.GONE)
_BAR, _CHART_HEIGHT = 46, 74
"""Width of a bar with its gap, and height of the tallest, in pixels."""


def recheck_html(result: Rechecked) -> str:
    """The page."""
    home = result.home
    values = {
        "site": urlsplit(home).netloc or "site",
        "days": [day_of(meta) for meta in (result.before, *result.audits)],
        "version": result.before.mardok,
        "result": result,
        "counts": result.counts,
        "n_steps": len(result.work),
        "outcomes": _OUTCOMES,
        "bar": _bar(result),
        "proposals": list(_proposals(result)),
        "n_more": max(len(result.plan) - _MOST_PROPOSALS, 0),
        "subjects": list(_subjects(result)),
        "effect": list(_effects(result)),
        "queries": list(_queries(result)),
        "charts": list(_charts(result.history)),
        "history": list(_history_rows(result.history)),
        "ages": result.ages[:_MOST_ROWS],
        **page_style("recheck.css"),
        "most": _MOST_ROWS,
    }
    filters: dict[str, Callable[..., Any]] = {
        "local": lambda url: url.removeprefix(home) if home != url else url,
        "figure": _figure,
        "say": _say,
    }
    return rendered("recheck.html.j2", filters, values)


def _say(name: str, kind: str) -> str:
    return str(sentence(f"recheck.{kind}.{name}"))


def _figure(value: float, decimals: int = 0) -> str:
    return "" if pd.isna(value) else f"{value:,.{decimals}f}".replace("-", "\u2212")


def _bar(result: Rechecked) -> list[dict[str, Any]]:
    """Parts of the bar of outcomes, in percent of its width."""
    total, left, parts = max(len(result.work), 1), 0.0, []
    for outcome in _OUTCOMES:
        width = 100 * result.counts[outcome] / total
        if width:
            parts.append({"outcome": outcome, "left": f"{left:.3f}", "width": f"{width:.3f}", "n": result.counts[outcome]})
        left += width
    return parts


def _proposals(result: Rechecked) -> Iterator[dict[str, Any]]:
    """Each proposal with its steps and their outcomes, those that need a look first."""
    outcomes: dict[str, set[str]] = defaultdict(set)
    for proposal, outcome in cells_of(result.verified, ["proposal", "outcome"]):
        outcomes[proposal].add(outcome)
    last = len(_SHORT_OF_DONE)
    worst_of = {
        proposal: next((at for at, outcome in enumerate(_SHORT_OF_DONE) if outcome in own), last)
        for proposal, own in outcomes.items()
    }
    ordered = result.plan.assign(worst=result.plan["proposal"].map(worst_of)).sort_values("worst", kind="stable")
    ordered = ordered.head(_MOST_PROPOSALS)
    steps = dict(tuple(result.verified[result.verified["proposal"].isin(ordered["proposal"])].groupby("proposal")))
    for row in ordered.to_dict("records"):
        own = steps[row["proposal"]]
        work = own[own["step"] != StepKind.LEAVE]
        found = {outcome: int((work["outcome"] == outcome).sum()) for outcome in _OUTCOMES}
        order = own["outcome"].map({outcome: at for at, outcome in enumerate(_SHORT_OF_DONE)}).fillna(last)
        shown = own.assign(place=order).sort_values(["place", "order"]).head(_MOST_STEPS)
        told = ", ".join(f"{n} {_say(outcome, 'outcome')}" for outcome, n in found.items() if n)
        yield {"row": row, "found": told, "is_open": row["worst"] < 2, "n": len(own), "steps": shown.to_dict("records")}


def _subjects(result: Rechecked) -> Iterator[dict[str, Any]]:
    """What kinds of findings became, with the rows that matter most."""
    for subject in Subject:
        own = result.changes[result.changes["subject"] == subject]
        if own.empty:
            continue
        order = own["change"].map({change: at for at, change in enumerate(_WORST)})
        shown = own.assign(place=order)[own["change"] != Change.LEFT].sort_values(["place", "id", "url"])
        yield {
            "name": subject,
            "counts": {change: int((own["change"] == change).sum()) for change in Change},
            "rows": shown.head(_MOST_ROWS).to_dict("records"),
            "more": max(len(shown) - _MOST_ROWS, 0),
        }


def _effects(result: Rechecked) -> Iterator[dict[str, Any]]:
    """Rows of the effect in clicks, with the positions beside, all touched pages first."""
    effect = result.effect[result.effect["kind"] != "query"]
    position = effect[effect["measure"] == Measure.POSITION].set_index(["kind", "unit"])
    clicks = effect[effect["measure"] == Measure.CLICKS].sort_values(["kind", "effect"], ascending=[True, False])
    for row in clicks.to_dict("records"):
        places = position.loc[(row["kind"], row["unit"])]
        yield {
            **dict(zip(map(str, row), row.values(), strict=True)),
            "position_before": places["before"],
            "position_after": places["after"],
        }


def _queries(result: Rechecked) -> Iterator[dict[str, Any]]:
    """Queries of the touched pages, before and after."""
    queries = result.effect[result.effect["kind"] == "query"]
    for query, rows in queries.groupby("unit", sort=False):
        by_measure = rows.set_index("measure")
        yield {
            "query": query,
            **{
                f"{measure}_{when}": by_measure.loc[measure, when]
                for measure in (Measure.CLICKS, Measure.IMPRESSIONS, Measure.POSITION)
                for when in ("before", "after")
            },
        }


def _history_rows(history: pd.DataFrame) -> Iterator[dict[str, Any]]:
    """Each figure with what it was in each audit, and its share where it has one."""
    for measure, rows in history.groupby("measure", sort=False):
        yield {"measure": measure, "cells": rows[["count", "share"]].to_dict("records")}


def _charts(history: pd.DataFrame) -> Iterator[dict[str, Any]]:
    """A small picture for each figure: one bar an audit."""
    for measure, rows in history.groupby("measure", sort=False):
        top = max(float(rows["count"].max()), 1e-9)
        bars = []
        for at, (count, day) in enumerate(rows[["count", "day"]].itertuples(index=False, name=None)):
            height = round(_CHART_HEIGHT * count / top, 1)
            bars.append(
                {"x": at * _BAR, "y": round(_CHART_HEIGHT - height, 1), "height": height, "count": count, "day": day}
            )
        told = ", ".join(f"{day}: {count:,.10g}" for count, day in rows[["count", "day"]].itertuples(index=False, name=None))
        yield {"measure": measure, "bars": bars, "width": len(bars) * _BAR, "height": _CHART_HEIGHT, "told": told}
