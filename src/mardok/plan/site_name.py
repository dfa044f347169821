"""What to do about a site's name that is itself a wanted phrase.

In:  the phrases, with what search shows for them.
Out: one proposal a name: to look into it, to take it out of the titles by one edit of the template, or to leave it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from mardok.findings.groups import group_id
from mardok.findings.site_name import NamePhrase
from mardok.plan.effort import effort_hours
from mardok.plan.proposal import Gain, Proposal, Step
from mardok.plan.rivals import lost
from mardok.plan.wording import count, listed, path_of
from mardok.plan.workbench import Workbench

_LEAST_TITLES = 5
"""Titles that carry a name, from which it is worth an edit of the template."""


def site_name_proposals(names: Sequence[NamePhrase], bench: Workbench) -> list[Proposal]:
    """A proposal for each name."""
    return [_proposal(name, bench) for name in names if len(name.rows) >= _LEAST_TITLES]


def _proposal(found: NamePhrase, bench: Workbench) -> Proposal:
    action, decision, unless = _action(found, bench)
    rows = [*([found.home] if found.home >= 0 else []), *found.rows]
    urls = tuple(sorted(map(bench.url, rows)))
    step = {"retitle": "retitle", "investigate": "investigate", "leave": "leave"}[action]
    detail = {
        "retitle": f"template: title without {found.name!r}",
        "investigate": f"carries {found.name!r} in its title",
        "leave": f"keeps {found.name!r} in its title",
    }[action]
    steps = [] if found.home < 0 else [Step(bench.url(found.home), "leave", detail=f"keeps {found.name!r} in its title")]
    steps += [Step(bench.url(row), step, detail=detail) for row in found.rows]
    titles = count(len(found.rows), "title")
    why = f"{titles} beside that of the home page repeat the site's name '{found.name}', and with it '{found.phrase}'"
    if found.queries:
        why += f", a phrase that is searched for: {found.impressions:,.0f} impressions a month."
    elif found.promised_by >= 0:
        why += f", which is what {path_of(bench.url(found.promised_by))} promises."
    summary = {
        "retitle": f"Take '{found.name}' out of {titles}, one edit of the template: they all promise '{found.phrase}'",
        "investigate": f"Look into '{found.name}' in {titles}: they all promise '{found.phrase}'",
        "leave": f"Leave '{found.name}' in {titles}, although it carries '{found.phrase}'",
    }[action]
    is_searched = bool(found.queries)
    # Clicks that were lost may have other causes, so they are told and not promised.
    gain = Gain(0.0, 0.0, "clicks/month" if is_searched else "link weight")
    if action != "leave":
        decision += " No evidence of a gain: what comes back nobody can tell."
    return Proposal(
        id=group_id("site name", [found.name.casefold(), *urls[:1]]), action=action,
        owner="developer" if action == "retitle" else "editor",
        keeper=bench.url(found.home) if found.home >= 0 else "", urls=urls,
        gain=gain,
        # One template is looked at or edited, whatever the number of pages.
        effort_hours=effort_hours([], bench.settings.plan.effort, n_rules=int(action == "retitle")),
        confidence="medium" if is_searched and action != "investigate" else "low",
        evidence="search" if is_searched else "wording",
        summary=summary, why=f"{why} {decision}", unless=unless, steps=tuple(steps),
        basis={
            "name": found.name, "phrase": found.phrase, "titles": len(found.rows), "queries": list(found.queries),
            "impressions": round(found.impressions, 1), "clicks": round(found.clicks, 1),
            "clicks_before": None if math.isnan(found.clicks_before) else round(found.clicks_before, 1),
            "pages_shown": [bench.url(row) for row in found.shown],
            "lead_changes": found.turns.changes if found.turns else 0,
        },
    )  # fmt: skip


def _action(found: NamePhrase, bench: Workbench) -> tuple[str, str, str]:
    """What to do, the reason in a sentence, and what would change it."""
    rules = bench.settings.rivals
    unless_kept = "people are to see the name in every result; then put it behind the page's own words"
    if not found.queries:
        known = "Search data shows no query for it" if bench.standing.demand else "There is no search data"
        return "investigate", f"{known}: nobody can tell whether it does harm.", "search data shows what the phrase brings"
    others = [row for row in found.shown if row != found.home]
    if others and found.turns and found.turns.changes >= rules.least_turns and any(row in found.turns.led for row in others):
        pages = listed([path_of(bench.url(row)) for row in found.shown])
        return "retitle", f"{pages} take turns for it: the lead changed {count(found.turns.changes, 'time')}.", unless_kept
    if lost(found.clicks, found.clicks_before, rules) and bench.standing.demand is not None:
        spans = bench.standing.demand.spans
        told = spans.told if spans else "before"
        return "retitle", f"It brings {found.clicks:.1f} clicks a month, {found.clicks_before:.1f} {told}.", unless_kept
    return (
        "leave",
        "No other page takes turns for it and no clicks were lost: what works is not touched.",
        "other pages begin to take turns for it, or clicks are lost",
    )
