"""A short letter for the client.

In:  the plan and ``audit.json``.
Out: Markdown with the totals and the first ten proposals.
"""

from __future__ import annotations

import pandas as pd

from mardok.deliver.briefs import markdown_text, records
from mardok.meta import AuditMeta
from mardok.sentences import counted, gain_text, hours
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
    lines = [
        "# What we propose for your site", "",
        f"We read {counted('page', totals['pages'])}, {totals['indexable']:,} of which search engines may list"
        + ("." if totals["crawl"]["whole"] else "; not the whole site: " + "; ".join(totals["crawl"]["gaps"]) + "."), "",
        f"- {counted('address', totals['variants'])} repeat another address",
        f"- {counted('page', totals['pages_with_copies'])} have copies",
        f"- {counted('page', totals['thin'])} say little of their own",
        f"- the plan has {counted('proposal', len(plan))} and takes {hours(plan['effort_hours'].sum())}",
    ]  # fmt: skip
    if totals["search"]:
        lines.append(f"- {totals['search']['clicks']:,.0f} clicks a month came from search")
    if len(in_clicks):
        low, high = in_clicks["gain_low"].sum(), in_clicks["gain_high"].sum()
        lines.append(
            f"- together the proposals bring between {low:,.0f} and {high:,.0f} clicks a month, by the site's own figures"
        )
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
        lines += [f"{counted('proposal', len(plan) - _MOST)} more are in the workbook.", ""]
    return "\n".join(lines)
