"""The totals of several audits, by date, and how old the proposals of the last one are.

In:  what audits know of themselves, and their plans.
Out: the table of history, and ages.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import pandas as pd

from mardok.meta import AuditMeta
from mardok.rechecking.changes import matched_proposals
from mardok.rechecking.state import State
from mardok.rechecking.steps import day_of
from mardok.rechecking.verdict import Compared
from mardok.tables import HISTORY
from mardok.vocabulary import Action, GroupKind

_NAN = float("nan")


@dataclass(frozen=True)
class ProposalAge:
    """Since when a proposal of the last audit has been made."""

    proposal: str
    summary: str
    since: str
    """Day of the first of the audits that made it, YYYY-MM-DD."""
    days: int
    """Days from then to the last audit."""


def history_table(metas: Sequence[AuditMeta]) -> pd.DataFrame:
    """The table of history, audits in the order of time."""
    return HISTORY.frame(
        (number, day_of(meta), measure, count, share)
        for number, meta in enumerate(metas, start=1)
        for measure, count, share in figures_of(meta)
    )


def figures_of(meta: AuditMeta) -> Iterator[tuple[str, float, float]]:
    """Counts of an audit, with their share of the indexable pages where they count such, else NaN."""
    totals = meta.totals
    indexable = max(int(totals["indexable"]), 1)
    words = totals["accounted_words"]
    all_words = max(sum(words.values()), 1)
    yield "pages", float(totals["pages"]), _NAN
    yield "indexable pages", float(totals["indexable"]), _NAN
    yield "copied pages", float(totals["duplicates"]["pages"]), totals["duplicates"]["pages"] / indexable
    yield "written variants", float(totals["variants"]), _NAN
    yield "thin pages", float(totals["thin"]), totals["thin"] / indexable
    yield "groups of rivals", float(totals["groups"].get(GroupKind.RIVALS, 0)), _NAN
    yield "troubles found by checks", float(sum(totals["checks"].values())), _NAN
    yield "shared and boilerplate words", float(words["shared"] + words["boilerplate"]), 1 - words["own"] / all_words
    yield "proposals", float(sum(n for action, n in totals["proposals"].items() if action != Action.LEAVE)), _NAN
    yield "hours of work proposed", float(totals["effort_hours"]), _NAN
    search = totals["search"]
    if search:
        clicks = search["clicks"] if search["clicks_now"] is None else search["clicks_now"]
        yield "clicks a month", float(clicks), _NAN


def proposal_ages(states: Sequence[State]) -> list[ProposalAge]:
    """How old each proposal of the last state is, oldest first; what is to be left is none."""
    days = [day_of(state.audit.meta) for state in states]
    plan = states[-1].audit.plan
    since = dict.fromkeys(plan["proposal"], days[-1])
    now = {name: name for name in since}
    for at in range(len(states) - 1, 0, -1):
        earlier = matched_proposals(Compared(states[at - 1], states[at]))
        now = {last: earlier[name] for last, name in now.items() if name in earlier}
        since.update(dict.fromkeys(now, days[at - 1]))
    last = datetime.date.fromisoformat(days[-1])
    work = plan[plan["action"] != Action.LEAVE]
    ages = [
        ProposalAge(name, summary, since[name], (last - datetime.date.fromisoformat(since[name])).days)
        for name, summary in work[["proposal", "summary"]].itertuples(index=False, name=None)
    ]
    return sorted(ages, key=lambda age: -age.days)
