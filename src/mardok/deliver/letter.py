"""A short letter for the client.

In:  the plan and ``audit.json``.
Out: Markdown with the totals and the first ten proposals.
"""

from __future__ import annotations

import pandas as pd

from mardok.deliver.briefs import markdown_text, records
from mardok.meta import AuditMeta
from mardok.sentences import counted, gain_text, hours, sentence
from mardok.vocabulary import GainUnit

_MOST = 10


def letter(plan: pd.DataFrame, meta: AuditMeta) -> str:
    """The letter.

    Parameters
    ----------
    plan : DataFrame
        The proposals that are handed over, best first.
    """
    totals = meta.totals
    in_clicks = plan[plan["gain_unit"] == GainUnit.CLICKS]
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
    if len(in_clicks):
        points.append(sentence("letter.gain", low=in_clicks["gain_low"].sum(), high=in_clicks["gain_high"].sum()))
    lines = [f"# {sentence('letter.title')}", "", str(read), "", *(f"- {point}" for point in points)]
    today, after = totals["outcome"]["today"], totals["outcome"]["accepted"] or totals["outcome"]["all"]
    lines += ["", "| | today | when it is done |", "| --- | ---: | ---: |"]
    lines += [f"| {name.replace('_', ' ')} | {today[name]:,} | {after[name]:,} |" for name in today]
    lines += ["", "## First", ""]
    for row in records(plan.head(_MOST)):
        lines += [
            f"{row['rank']}. **{markdown_text(row['summary'])}** ({gain_text(row)}, {hours(row['effort_hours'])}, "
            f"{row['confidence']} confidence)", "", f"   {markdown_text(row['why'])}", "",
        ]  # fmt: skip
    if len(plan) > _MOST:
        lines += [str(sentence("letter.more", proposals=counted("proposal", len(plan) - _MOST))), ""]
    return "\n".join(lines)
