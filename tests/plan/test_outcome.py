"""What is left when a plan is carried out is counted from tables, as one would by hand."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pandas as pd
from hypothesis import given, settings
from hypothesis import strategies as st
from random_sites import SITES, write_site

import mardok
from mardok.plan.outcome import outcome
from tests.plan.test_plan import EXPENSIVE, SEARCH_ROWS, write_search

GONE = {"redirect", "canonical", "noindex", "retire"}
MINIMUM_SHARE = 0.1


def by_hand(audit: mardok.Audit, chosen: set[str]) -> dict[str, int]:
    """The counts, page by page and query by query."""
    steps = [row for row in audit.steps.itertuples() if row.proposal in chosen]
    gone = {row.url for row in steps if row.step in GONE}
    leads = {row.url: row.target for row in steps if row.step in ("redirect", "canonical")}
    out = {row.url for row in steps if row.step in ("noindex", "retire")}
    rewritten = {row.url for row in steps if row.step == "rewrite"}
    expanded = {row.url for row in steps if row.step == "expand"}
    pages = [row for row in audit.pages.itertuples() if row.indexable and row.url not in gone]
    groups: dict[str, list[str]] = {}
    for row in audit.groups.itertuples():
        if row.kind == "copies" and row.url not in gone | rewritten:
            groups.setdefault(str(row.group), []).append(str(row.url))
    shares: dict[tuple[str, str], float] = {}
    urls = audit.pages["url"].tolist()
    for row in audit.tables["queries"].itertuples():
        url = urls[row.page] if isinstance(row.page, int) else str(row.page)
        if row.brand or url in out:
            continue
        end = leads.get(url, url)
        shares[str(row.query), end] = shares.get((str(row.query), end), 0.0) + row.share
    real = [query for (query, _), share in shares.items() if share >= MINIMUM_SHARE]
    return {
        "indexable_pages": len(pages),
        "pages_with_copies": sum(len(group) for group in groups.values() if len(group) > 1),
        "copied_words": sum(
            int(words) for row in pages for words in (row.shared_words, row.boilerplate_words) if not pd.isna(words)
        ),
        "thin_pages": sum(row.thin == "yes" and row.url not in expanded for row in pages),
        "contested_queries": sum(real.count(query) > 1 for query in set(real)),
    }


@settings(max_examples=15, deadline=None, **EXPENSIVE)
@given(SITES, SEARCH_ROWS, st.data())
def test_what_is_left_is_what_counting_by_hand_gives(
    tmp_path: Path, pages: dict[str, Any], rows: list[Any], data: st.DataObject
) -> None:
    audit = mardok.audit(
        write_site(tmp_path / "pages.jsonl", pages), search=write_search(tmp_path / "search.csv", list(pages), rows)
    )
    proposals = audit.plan["proposal"].tolist()
    chosen = set(data.draw(st.lists(st.sampled_from(proposals), unique=True))) if proposals else set()
    assert outcome(audit.tables, chosen, MINIMUM_SHARE) == by_hand(audit, chosen)
    today = outcome(audit.tables, [], MINIMUM_SHARE)
    assert today["indexable_pages"] == int(audit.pages["indexable"].sum())
    assert outcome(audit.tables, proposals, MINIMUM_SHARE)["indexable_pages"] <= today["indexable_pages"]
    assert all(url.startswith(("http://", "https://")) for url in audit.pages["url"])
