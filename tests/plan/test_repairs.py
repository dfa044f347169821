"""What is broken or untidy becomes work orders: nothing is forgotten, nothing is asked twice, and each has its owner."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest

import mardok
from mardok.settings import Settings
from mardok.vocabulary import CheckId
from tests.findings.test_site_checks import CASES, HOST, Case, address, document, link, moved, sitemap

SETTLED_ELSEWHERE = {CheckId.TEXT_UNTRANSLATED, CheckId.VARIANT_ANSWERS, CheckId.PAGE_ORPHAN}
"""Checks for which there are proposals of their own."""
BROKEN = {
    "link-broken", "link-blocked", "redirect-loop", "redirect-broken", "canonical-broken", "canonical-noindex",
    "canonical-other-host", "canonical-several", "canonical-hreflang", "hreflang-broken", "robots-html", "sitemap-html",
    "image-broken", "page-soft-404", "page-empty", "page-part-broken", "page-insecure-parts", "text-double-escaped",
    "text-encoding-broken", "site-closed",
}  # fmt: skip
OWNERS = {"redirect-loop": "server", "redirect-chain": "server", "robots-html": "server", "page-soft-404": "server",
          "page-empty": "developer", "link-blocked": "developer", "page-orphan": "editor", "h2-long": "editor"}  # fmt: skip
"""Whose work some of them are, where nothing else is wrong."""


def audit_of(case: Case, warc: Callable[..., Path], settings: Settings | None = None) -> mardok.Audit:
    kinds = {address(path): kind for path, kind in case.kinds.items()}
    return mardok.audit(warc(*case.responses(), kinds=kinds), settings=settings)


def repairs(audit: mardok.Audit) -> pd.DataFrame:
    return audit.plan[audit.plan["action"] == "repair"]


@pytest.mark.parametrize("name", [name for name, case in CASES.items() if case.found])
def test_every_trouble_has_its_step_in_the_band_it_belongs_to(name: str, warc: Callable[..., Path]) -> None:
    audit = audit_of(CASES[name], warc)
    plan = repairs(audit)
    steps = audit.steps[audit.steps["proposal"].isin(plan["proposal"])]
    wanted = {(path, check) for path, check in CASES[name].found if CheckId(check) not in SETTLED_ELSEWHERE}
    gone = set(audit.steps.loc[audit.steps["step"].isin(["redirect", "canonical", "noindex", "retire"]), "url"])
    is_template = bool(audit.checks["is_template"].any())
    expected = {address(path) for path, _ in wanted} - gone
    assert set(steps["url"]) <= expected
    assert set(steps["url"]) == expected or is_template  # of a template one page stands for all
    assert bool(len(plan)) == bool(expected)
    for row in plan.itertuples():
        checks = json.loads(row.basis)["checks"]
        assert len({check in BROKEN for check in checks}) == 1
        is_broken = next(iter(checks)) in BROKEN
        assert (row.rule in ("repair-broken", "repair-blocking")) == is_broken
        assert row.band == (1 if row.rule == "repair-blocking" else 3)
        assert (row.gain_low, row.gain_high, row.confidence) == (0.0, 0.0, "high")
        if len(checks) == 1 and next(iter(checks)) in OWNERS:
            assert row.owner == OWNERS[next(iter(checks))]
    assert not steps.duplicated(["url", "step", "target", "detail"]).any()


@pytest.mark.parametrize("name", ["a site without troubles", "one redirect", "a page about what is lost"])
def test_a_site_without_troubles_has_nothing_to_repair(name: str, warc: Callable[..., Path]) -> None:
    assert repairs(audit_of(CASES[name], warc)).empty


def test_what_a_person_leaves_and_what_goes_anyway_is_not_repaired(warc: Callable[..., Path]) -> None:
    case = CASES["two h2"]
    left = Settings.model_validate({"plan": {"leave": [f"{HOST}/bows/"]}})
    assert repairs(audit_of(case, warc, left)).empty
    # Two addresses of one page: the one that goes keeps its double heading to itself.
    twice = Case(
        set(), {path: document("/bows/", body="<h2>Hair</h2><p>x<h2>Hair</h2><p>y") for path in ("/bows/", "/bows")}
    )
    audit = audit_of(twice, warc)
    (row,) = repairs(audit).itertuples()
    steps = audit.steps[audit.steps["proposal"] == row.proposal]
    assert steps["url"].tolist() == [f"{HOST}/bows/"]


def test_a_duplicate_that_the_plan_takes_away_is_none(warc: Callable[..., Path]) -> None:
    title = "New hair for tired bows"
    apart = Case(set(), {"/cases/": document("/cases/", title=title)})
    audit = audit_of(apart, warc)
    named = audit.steps[audit.steps["proposal"].isin(repairs(audit)["proposal"]) & (audit.steps["step"] == "retitle")]
    assert set(named["url"]) == {f"{HOST}/bows/", f"{HOST}/cases/"}
    # The same title on a copy, which is merged: nothing is left to retitle.
    copied = Case(set(), {"/hair/": document("/bows/"), "/cases/": document("/cases/", body=link("/hair/"))})
    audit = audit_of(copied, warc)
    assert "merge" in audit.plan["action"].tolist()
    assert not (audit.steps["step"] == "retitle").any()


def test_links_through_redirects_lead_straight_to_where_the_page_ends(warc: Callable[..., Path]) -> None:
    chain = Case(
        set(),
        {"/cases/": document("/cases/", body=link("/old/"))},
        {"/old/": moved("/older/"), "/older/": moved("/bows/"), "/sitemap.xml": sitemap("/old/")},
    )
    audit = audit_of(chain, warc)
    steps = audit.steps.set_index(["url", "step"])["target"]
    assert steps[f"{HOST}/cases/", "relink"] == f"{HOST}/bows/"
    assert f"{HOST}/bows/" in steps[f"{HOST}/old/", "repair"]
    sitemap_steps = audit.steps[audit.steps["step"] == "sitemap"]
    assert sitemap_steps["url"].tolist() == [f"{HOST}/old/"]


def test_the_sentence_counts_things_by_what_they_are(warc: Callable[..., Path]) -> None:
    case = Case(
        set(),
        {
            "/bows/": document("/bows/", body=link("/gone/") + link("/away/")),
            "/cases/": document("/cases/", body=link("/gone/")),
        },
        {
            "/gone/": (404, "Content-Type: text/html", "<title>404</title>"),
            "/away/": moved("/nowhere/"),
            "/nowhere/": (410, "Content-Type: text/html", "<title>410</title>"),
        },
    )
    (row,) = repairs(audit_of(case, warc)).itertuples()
    assert row.summary == "Fix 3 broken links and 1 redirect to an error"
    assert json.loads(row.basis)["checks"] == {"link-broken": 3, "redirect-broken": 1}
    assert row.pages == 3
