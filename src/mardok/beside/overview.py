"""Several audits at a glance: one line a site.

In:  audit folders.
Out: a table of the last audit of each site; where an earlier one is given as well, what got worse since.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from os import PathLike
from pathlib import Path

import pandas as pd

from mardok.audits import Audit, load
from mardok.beside.site import host_of
from mardok.meta import AuditMeta
from mardok.rechecking.history import figures_of
from mardok.rechecking.job import decided_plan
from mardok.rechecking.steps import day_of
from mardok.sentences import Text, listing, sentence
from mardok.vocabulary import Action, Decision

_COLUMNS = (
    "site", "day", "pages", "indexable", "clicks", "clicks_before", "open", "accepted", "rejected_or_later", "worse",
    "folder",
)  # fmt: skip
_NO_TROUBLES = ("pages", "indexable pages", "proposals", "hours of work proposed", "clicks a month", "written variants")
"""Figures that may grow without harm."""
_LEAST_LOSS = 0.05
"""Share of the clicks before, from which their loss is told."""
_MOST_WORSE = 4


def overview(folders: Sequence[str | PathLike[str]]) -> pd.DataFrame:
    """One line a site, of the last of its audits that are given.

    Parameters
    ----------
    folders : sequence of path
        Audit folders of one or more sites; the decisions in their ``plan.csv`` count.

    Returns
    -------
    DataFrame
        Columns ``site``, ``day``, ``pages``, ``indexable``, ``clicks`` and ``clicks_before`` a month (missing without search
        data), ``open``, ``accepted`` and ``rejected_or_later`` proposals, ``worse`` (in words), ``folder``; in the order of
        sites.

    Raises
    ------
    FolderError
        If a folder holds no audit.
    TableError
        If a plan with decisions cannot be read.
    """
    by_site: dict[str, list[tuple[str, str, Path, Audit]]] = defaultdict(list)
    for folder in folders:
        audit = load(folder)
        site = host_of(audit.tables.column("pages", "url").tolist())
        by_site[site].append((day_of(audit.meta), audit.meta.made, Path(folder), audit))
    rows = []
    for site, known in sorted(by_site.items()):
        known.sort(key=lambda one: one[:2])
        day, _, folder_of, audit = known[-1]
        search, totals = audit.meta.totals["search"] or {}, audit.meta.totals
        plan = _plan(audit, folder_of)
        work = plan[plan["action"] != Action.LEAVE]["decision"]
        now = search.get("clicks") if search.get("clicks_now") is None else search["clicks_now"]
        worse = _worse([one[3].meta for one in known], now, search.get("clicks_before"))
        counts = [int((work == decision).sum()) for decision in (Decision.NONE, Decision.ACCEPT)]
        rows.append(
            (site, day, totals["pages"], totals["indexable"], now, search.get("clicks_before"), *counts,
             len(work) - sum(counts), str(worse), str(folder_of))
        )  # fmt: skip
    table = pd.DataFrame(rows, columns=list(_COLUMNS))
    return table.astype({"clicks": "float64", "clicks_before": "float64"})


def _plan(audit: Audit, folder: Path) -> pd.DataFrame:
    edited = folder / "plan.csv"
    return decided_plan(audit, edited if edited.is_file() else None)


def _worse(metas: Sequence[AuditMeta], now: float | None, before: float | None) -> Text:
    """What got worse: clicks within the search data of the last audit, and figures since the audit before."""
    told: list[Text] = []
    if now is not None and before and now < (1 - _LEAST_LOSS) * before:
        told.append(sentence("versus.worse.clicks", share=1 - now / before))
    if len(metas) > 1:
        earlier = {name: count for name, count, _ in figures_of(metas[-2])}
        told += [
            sentence("versus.worse.figure", name=name, before=earlier[name], now=count)
            for name, count, _ in figures_of(metas[-1])
            if name not in _NO_TROUBLES and name in earlier and count > earlier[name]
        ]
    return listing(told, most=_MOST_WORSE)
