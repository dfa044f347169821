"""The totals of an audit.

In:  its tables, search data, the groups.
Out: counts and sums for ``audit.json``, the report and the first lines of an answer.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import pandas as pd

from mardok.findings.facts import SiteFacts
from mardok.findings.groups import Grouping
from mardok.plan.gain import sum_of_gains
from mardok.plan.outcome import outcome
from mardok.plan.proposal import Gain
from mardok.sentences import Sentence, counted, hours, sentence
from mardok.sources.raw import Intake
from mardok.store import TableStore
from mardok.vocabulary import Action, Answer, Band, Decision, GainUnit, GroupKind, GroupRole, NotComputed

COUNTED_OF_PAGES = (
    "url", "indexable", "reason", "variant_of", "language", "kind", "words", "own_words", "shared_words",
    "boilerplate_words", "copies", "thin",
)  # fmt: skip
"""What is counted of pages."""
_EXAMPLES = 20


def counted_tables(store: TableStore) -> dict[str, pd.DataFrame]:
    """What is counted of the tables that are as long as a site."""
    return {"pages": store.frame("pages", COUNTED_OF_PAGES), "checks": store.frame("checks", ["check"])}


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
    pages = tables["pages"]
    return {
        "pages": len(pages),
        "indexable": int(pages["indexable"].sum()),
        "not_indexable": _counts(pages.loc[~pages["indexable"], "reason"]),
        "languages": _counts(pages.loc[pages["indexable"], "language"]),
        "words": int(pages.loc[pages["indexable"], "words"].sum()),
        "accounted_words": {
            kind: int(pages[f"{kind}_words"].sum()) for kind in ("own", "shared", "boilerplate")
        },
        "duplicates": _duplicates(tables),
        "unread": len(tables["unread"]),
        "variants": len(grouping.keeper_of),
        "pages_with_copies": int((pages["copies"] > 0).sum()),
        "kinds": _counts(pages.loc[pages["indexable"], "kind"]),
        "thin": int((pages["thin"] == Answer.YES).sum()),
        "groups": _counts(tables["groups"].drop_duplicates("group")["kind"]),
        **plan_totals(tables),
        "search": None if demand is None else {
            "months": round(demand.months, 2),
            "dated": demand.is_dated,
            "compared": str(demand.spans.text) if demand.spans else None,
            "clicks": round(float(demand.of_pages.clicks.sum()) / demand.months, 1),
            "clicks_now": round(float(demand.per_page("clicks").sum()), 1) if demand.spans else None,
            "clicks_before": round(float(demand.before("clicks").sum()), 1) if demand.spans else None,
            "now": str(demand.counted_text) if demand.spans else None,
            "before": str(demand.spans.before_text) if demand.spans else None,
            "impressions": round(float(demand.of_pages.impressions.sum()) / demand.months, 1),
            "queries": len(np.unique(demand.of_pages.query)),
            "unread_addresses": len(demand.unread),
            "unread_clicks": round(float(demand.unread_clicks.sum()), 1),
            "kept_share": None if demand.totals is None else round(demand.totals.kept, 4),
            "unread_examples": {
                url: round(float(clicks), 1)
                for url, clicks in zip(demand.unread[:_EXAMPLES], demand.unread_clicks, strict=False)
            },
        },
        "crawl": facts.coverage.totals(),
        "site_names": list(facts.titles.all_names),
    }  # fmt: skip


def plan_totals(tables: Mapping[str, pd.DataFrame]) -> dict[str, Any]:
    """Those of them that depend on the plan and the checks."""
    plan = tables["plan"]
    gain = gain_of_rows(plan)
    return {
        "checks": _counts(tables["checks"]["check"]),
        "proposals": _counts(plan["action"]),
        "gain_clicks": round(gain.expected, 1),
        "gain_clicks_low": round(gain.low, 1),
        "gain_clicks_high": round(gain.high, 1),
        "effort_hours": round(float(plan["effort_hours"].sum()), 2),
    }


def _duplicates(tables: Mapping[str, pd.DataFrame]) -> dict[str, Any]:
    """How much of a site stands there twice, of indexable pages, one of each set of variants.

    Pages that are copies of a keeper count with all of their words, of the other pages those words that also stand
    elsewhere; boilerplate is told beside.
    """
    pages, groups = tables["pages"], tables["groups"]
    is_copy = (groups["kind"] == GroupKind.COPIES) & (groups["role"] == GroupRole.MEMBER)
    is_counted = pages["indexable"] & (pages["variant_of"] == "")
    counted_pages = pages.loc[is_counted, ["url", "words", "shared_words", "boilerplate_words"]]
    copies = counted_pages["url"].isin(groups.loc[is_copy, "url"])
    others = counted_pages[~copies]
    n_words = int(counted_pages["words"].sum())
    words = int(counted_pages.loc[copies, "words"].sum() + others["shared_words"].fillna(0).sum())
    boilerplate = int(others["boilerplate_words"].fillna(0).sum())
    return {
        "pages": int(copies.sum()),
        "of_pages": len(counted_pages),
        "pages_share": round(float(copies.mean()), 6) if len(counted_pages) else 0.0,
        "words": words,
        "of_words": n_words,
        "words_share": round(words / n_words, 6) if n_words else 0.0,
        "boilerplate_share": round(boilerplate / n_words, 6) if n_words else 0.0,
    }


def gain_of_rows(plan: pd.DataFrame) -> Gain:
    """The gain in clicks of several rows of a plan: expectations add up, and the interval is that of the sum."""
    in_clicks = plan[plan["gain_unit"] == GainUnit.CLICKS]
    gains = (
        Gain(expected, low, high, GainUnit.CLICKS)
        for expected, low, high in in_clicks[["gain", "gain_low", "gain_high"]].itertuples(index=False, name=None)
    )
    return sum_of_gains(gains, GainUnit.CLICKS)


def told_apart(plan: pd.DataFrame) -> tuple[pd.DataFrame, list[Sentence]]:
    """Rows that a reader is shown one by one, and for the rest one line an owner: of these no gain can be told.

    What is left where it is is in neither: there is nothing to be done.

    Parameters
    ----------
    plan : DataFrame
        Rows of a plan, best first.
    """
    work = plan[plan["action"] != Action.LEAVE]
    is_shown = (work["band"] == Band.BROKEN) | (work["gain"] != 0)
    by_owner = work[~is_shown].groupby("owner", observed=True)["effort_hours"].agg(["size", "sum"])
    return work[is_shown], [
        sentence(
            "plan.of-owner",
            owner=sentence(f"owner.{owner}"),
            proposals=counted("proposal", int(row["size"])),
            hours=hours(row["sum"]),
        )
        for owner, row in by_owner.iterrows()
    ]


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
