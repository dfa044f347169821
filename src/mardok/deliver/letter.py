"""A short letter for the client.

In:  the plan and ``audit.json``.
Out: Markdown with the totals and the first ten proposals.
"""

from __future__ import annotations

from dataclasses import dataclass

import pandas as pd

from mardok.deliver.briefs import markdown_text, records
from mardok.meta import AuditMeta
from mardok.plan.totals import gain_of_rows, told_apart
from mardok.sentences import counted, gain_text, hours, sentence

_MOST = 10


@dataclass(frozen=True)
class Budget:
    """Hours that proposals had to fit into."""

    hours: float
    left_out: int
    """Proposals that did not fit."""


def letter(plan: pd.DataFrame, meta: AuditMeta, budget: Budget | None = None) -> str:
    """The letter.

    Parameters
    ----------
    plan : DataFrame
        The proposals that are handed over, best first.
    """
    totals = meta.totals
    pages, indexable, gaps = counted("page", totals["pages"]), totals["indexable"], "; ".join(totals["crawl"]["gaps"])
    if totals["crawl"]["whole"]:
        read = sentence("letter.read", pages=pages, indexable=indexable)
    else:
        read = sentence("letter.read-in-part", pages=pages, indexable=indexable, gaps=gaps)
    points = [
        sentence("letter.variants", addresses=counted("address", totals["variants"])),
        sentence("letter.copies", pages=counted("page", totals["pages_with_copies"])),
        sentence("letter.thin", pages=counted("page", totals["thin"])),
        sentence("letter.plan", proposals=counted("proposal", len(plan)), hours=hours(plan["effort_hours"].sum())),
    ]
    if totals["search"]:
        points.append(sentence("letter.clicks", clicks=totals["search"]["clicks"]))
    gain, at_risk = gain_of_rows(plan), float(plan["at_risk"].sum())
    if gain.is_evident:
        points.append(sentence("letter.gain", expected=gain.expected, low=gain.low, high=gain.high))
    if at_risk:
        points.append(sentence("letter.risk", clicks=at_risk))
    if budget is not None:
        proposals = counted("proposal", budget.left_out)
        points.append(sentence("letter.budget", hours=hours(budget.hours), proposals=proposals))
    lines = [f"# {sentence('letter.title')}", "", str(read), "", *(f"- {point}" for point in points)]
    today, after = totals["outcome"]["today"], totals["outcome"]["accepted"] or totals["outcome"]["all"]
    lines += ["", "| | today | when it is done |", "| --- | ---: | ---: |"]
    lines += [f"| {name.replace('_', ' ')} | {today[name]:,} | {after[name]:,} |" for name in today]
    lines += ["", "## First", ""]
    first, rest = told_apart(plan)
    for row in records(first.head(_MOST)):
        lines += [
            f"{row['rank']}. **{markdown_text(row['summary'])}** ({gain_text(row)}, {hours(row['effort_hours'])}, "
            f"{row['confidence']} confidence)", "", f"   {markdown_text(row['why'])}", "",
        ]  # fmt: skip
    lines += [f"- {line}" for line in rest] + ([""] if rest else [])
    if len(first) > _MOST:
        lines += [str(sentence("letter.more", proposals=counted("proposal", len(first) - _MOST))), ""]
    return "\n".join(lines)
