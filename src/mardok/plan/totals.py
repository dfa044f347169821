"""The totals of an audit.

In:  its tables, search data, the groups.
Out: counts and sums for ``audit.json``, the report and the first lines of an answer.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pandas as pd

from mardok.findings.facts import SiteFacts
from mardok.findings.groups import Grouping
from mardok.plan.outcome import outcome
from mardok.sentences import sentence
from mardok.sources.raw import Intake
from mardok.vocabulary import Answer, Decision, GainUnit, NotComputed


def totals(tables: dict[str, pd.DataFrame], facts: SiteFacts, grouping: Grouping) -> dict[str, Any]:
    """Counts and sums of the tables.

    Parameters
    ----------
    tables : dict of str to DataFrame
        All tables of the audit.
    grouping : Grouping
        The groups of variants and copies.
    """
    demand = facts.demand
    pages, plan = tables["pages"], tables["plan"]
    in_clicks = plan["gain_unit"] == GainUnit.CLICKS
    return {
        "pages": len(pages),
        "indexable": int(pages["indexable"].sum()),
        "not_indexable": _counts(pages.loc[~pages["indexable"], "reason"]),
        "languages": _counts(pages.loc[pages["indexable"], "language"]),
        "words": int(pages.loc[pages["indexable"], "words"].sum()),
        "accounted_words": {
            kind: int(pages[f"{kind}_words"].sum()) for kind in ("own", "shared", "boilerplate")
        },
        "unread": len(tables["unread"]),
        "variants": len(grouping.keeper_of),
        "pages_with_copies": int((pages["copies"] > 0).sum()),
        "kinds": _counts(pages.loc[pages["indexable"], "kind"]),
        "thin": int((pages["thin"] == Answer.YES).sum()),
        "groups": _counts(tables["groups"].drop_duplicates("group")["kind"]),
        "checks": _counts(tables["checks"]["check"]),
        "proposals": _counts(plan["action"]),
        "gain_clicks_low": round(float(plan.loc[in_clicks, "gain_low"].sum()), 1),
        "gain_clicks_high": round(float(plan.loc[in_clicks, "gain_high"].sum()), 1),
        "effort_hours": round(float(plan["effort_hours"].sum()), 2),
        "search": None if demand is None else {
            "months": round(demand.months, 2),
            "dated": demand.is_dated,
            "compared": str(demand.spans.text) if demand.spans else None,
            "clicks": round(float(demand.rows.clicks.sum()) / demand.months, 1),
            "impressions": round(float(demand.rows.impressions.sum()) / demand.months, 1),
            "queries": len(np.unique(demand.rows.query)),
            "unmatched_addresses": len(demand.unmatched),
            "unmatched_examples": dict(list(demand.unmatched.items())[:20]),
        },
        "crawl": facts.coverage.totals(),
        "site_names": list(facts.titles.all_names),
    }  # fmt: skip


def outcomes(tables: dict[str, pd.DataFrame], minimum_share: float) -> dict[str, dict[str, int] | None]:
    """The same counts today, after all proposals that nobody rejected, and after those that were accepted."""
    plan = tables["plan"]
    accepted = plan.loc[plan["decision"] == Decision.ACCEPT, "proposal"].tolist()
    return {
        "today": outcome(tables, (), minimum_share),
        "all": outcome(tables, plan.loc[plan["decision"] != Decision.REJECT, "proposal"].tolist(), minimum_share),
        "accepted": outcome(tables, accepted, minimum_share) if accepted else None,
    }


def _counts(values: pd.Series) -> dict[str, int]:
    """How often each value stands there, in the order of the values."""
    return {str(value): int(n) for value, n in values.value_counts().sort_index().items()}


def not_computed(intake: Intake, *, is_searched: bool, is_rendered: bool) -> dict[str, str]:
    """What could not be computed from what was given, with the reason, both in words.

    Parameters
    ----------
    intake : Intake
        What was met in the sources.
    is_searched, is_rendered : bool
        Whether there is search data, and whether pages were opened in a browser.
    """
    lacking = {
        NotComputed.SEARCH: not is_searched,
        NotComputed.ROBOTS: not intake.robots and not intake.html_instead,
        NotComputed.SITEMAPS: not intake.sitemaps,
        NotComputed.IMAGES: not intake.images,
        NotComputed.SCRIPT_WORDS: not is_rendered,
    }
    why = {what: str(sentence(f"not-computed.why.{what}")) for what, is_lacking in lacking.items() if is_lacking}
    return {str(sentence(f"not-computed.what.{what}")): reason for what, reason in {**why, **intake.missing}.items()}
