"""What is left when a plan is carried out.

In:  the tables of an audit.
Out: the same few counts before and after; by applying the steps to the tables, nothing is estimated.

A page that is redirected, named another's duplicate, taken out of the index or retired counts no longer; its queries count
for where it leads. A page that is rewritten is no copy any more, one that is expanded not thin. Words are those of the pages
that stay.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping

import numpy as np
import pandas as pd

from mardok.vocabulary import STRUCTURAL_STEPS, Answer, GroupKind, StepKind

COUNTED_STEPS = frozenset([*STRUCTURAL_STEPS, StepKind.REWRITE, StepKind.EXPAND])
"""Steps that the counts depend on."""


def outcome(tables: Mapping[str, pd.DataFrame], proposals: Collection[str], minimum_share: float) -> dict[str, int]:
    """Counts when some proposals are carried out.

    Parameters
    ----------
    proposals : collection of str
        Ids; of their steps only :data:`COUNTED_STEPS` are asked for. With none of them the counts are those of today.
    minimum_share : float
        Share of a query's impressions that is a real part.

    Returns
    -------
    dict of str to int
        ``indexable_pages``, ``pages_with_copies``, ``copied_words`` (shared and boilerplate), ``thin_pages``,
        ``contested_queries`` (two pages or more have a real part, the site's name apart).
    """
    is_asked = tables["steps"]["proposal"].isin(list(proposals))
    steps = tables["steps"].loc[is_asked, ["url", "step", "target"]]  # what else is told of steps is most of them
    pages, groups = tables["pages"], tables["groups"]
    gone = set(steps.loc[steps["step"].isin(STRUCTURAL_STEPS), "url"])
    rewritten = set(steps.loc[steps["step"] == StepKind.REWRITE, "url"])
    expanded = set(steps.loc[steps["step"] == StepKind.EXPAND, "url"])
    stays = pages["indexable"] & ~pages["url"].isin(gone)
    copies = groups[(groups["kind"] == GroupKind.COPIES) & ~groups["url"].isin(gone | rewritten)]
    sizes = copies["group"].map(copies["group"].value_counts())
    words = pages.loc[stays, ["shared_words", "boilerplate_words"]].fillna(0).to_numpy(np.int64)
    return {
        "indexable_pages": int(stays.sum()),
        "pages_with_copies": int((sizes > 1).sum()),
        "copied_words": int(words.sum()),
        "thin_pages": int((stays & (pages["thin"] == Answer.YES) & ~pages["url"].isin(expanded)).sum()),
        "contested_queries": _contested(tables, steps, minimum_share),
    }


def _contested(tables: Mapping[str, pd.DataFrame], steps: pd.DataFrame, minimum_share: float) -> int:
    """Queries for which two pages or more have a real part, once pages that move count for where they lead."""
    queries, pages = tables["queries"], tables["pages"]
    if queries.empty:
        return 0
    moves = steps[steps["step"].isin([StepKind.REDIRECT, StepKind.CANONICAL])]
    out = steps.loc[steps["step"].isin([StepKind.NOINDEX, StepKind.RETIRE]), "url"]
    moved = {*moves["url"], *moves["target"], *out}
    row_of = {url: row for row, url in enumerate(pages["url"]) if url in moved}
    end = np.arange(len(pages))
    for url, target in moves[["url", "target"]].itertuples(index=False, name=None):
        end[row_of[url]] = row_of[target]
    end[[row_of[url] for url in out]] = -1
    stated = pd.DataFrame({"query": queries["query"].cat.codes, "page": end[queries["page"]], "share": queries["share"]})
    stated = stated[~queries["brand"].to_numpy() & (stated["page"] >= 0).to_numpy()]
    shares = stated.groupby(["query", "page"])["share"].sum()
    real = shares[shares >= minimum_share].groupby(level="query").size()
    return int((real > 1).sum())
