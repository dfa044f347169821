"""The made-up site: what was planted is found, and what only looks wrong is left alone."""

from __future__ import annotations

from pathlib import Path

import pandas as pd
from conftest import DEMO_SEARCH, DEMO_WARC

import mardok
from mardok.demo import build, troubles
from mardok.demo.content import all_articles
from mardok.demo.troubles import url


def test_the_shipped_files_are_what_the_builder_makes(tmp_path: Path) -> None:
    build.build(tmp_path)
    assert (tmp_path / build.SITE_FILE).read_bytes() == DEMO_WARC.read_bytes()
    assert (tmp_path / build.SEARCH_FILE).read_bytes() == DEMO_SEARCH.read_bytes()


def test_the_site_has_the_promised_size_and_span(demo: mardok.Audit) -> None:
    assert 120 <= len(demo.pages) <= 180
    dates = pd.read_csv(DEMO_SEARCH)["date"].unique()
    assert len(dates) == 65
    assert demo.meta["totals"]["search"]["dated"]


def test_texts_are_authored_not_filled() -> None:
    bodies = [article.body for article in all_articles() if not article.path.startswith(("/violin-hire/", "/hire/sizes/"))]
    assert len(bodies) >= 90
    assert sum(len(body.split()) for body in bodies) > 7000
    assert "lorem ipsum" not in " ".join(bodies).casefold()


def test_variants_are_one_proposal_a_pattern(demo: mardok.Audit) -> None:
    rules = {}
    for summary, proposal in demo.plan[["summary", "proposal"]].itertuples(index=False):
        if "one rule: " in summary:
            steps = demo.steps[(demo.steps["proposal"] == proposal) & demo.steps["step"].isin(["redirect", "canonical"])]
            rules[summary.split("one rule: ")[1]] = len(steps)
    assert rules == troubles.VARIANT_RULES
    moved = demo.steps[demo.steps["step"].isin(["redirect", "canonical"])].set_index("url")["target"]
    for address, path in troubles.VARIANTS.items():
        assert moved[address] == url(path)


def test_copies_are_merged_into_the_page_that_should_stay(demo: mardok.Audit) -> None:
    redirects = demo.steps[demo.steps["step"] == "redirect"].set_index("url")["target"]
    for copy, keeper in troubles.COPIES.items():
        assert redirects[url(copy)] == url(keeper)
    assert redirects[url("/bow-service/")] == url("/repairs/bow-rehair/")  # led to a copy that goes


def test_series_are_rewritten_and_never_merged(demo: mardok.Audit) -> None:
    rewrites = demo.plan[demo.plan["action"] == "rewrite"].set_index("proposal")
    assert len(rewrites) == len(troubles.SERIES)
    groups = demo.groups[(demo.groups["kind"] == "copies") & (demo.groups["phrase"] != "")]
    found = {frozenset(part["url"]) for _, part in groups.groupby("group")}
    assert found == {frozenset(map(url, pages)) for pages in troubles.SERIES.values()}
    for pages in troubles.SERIES.values():
        steps = demo.steps[demo.steps["url"].isin(map(url, pages))]
        assert not steps["step"].isin(["redirect", "canonical"]).any()
    asked = demo.steps[demo.steps["step"] == "rewrite"]
    assert asked["detail"].str.contains("queries that name it").all()
    assert url("/violin-hire/oxenby-vale/") not in set(asked["url"])  # nobody asks for it


def test_what_only_looks_like_copies_is_left_alone(demo: mardok.Audit) -> None:
    grouped = set(demo.groups.loc[demo.groups["kind"] == "copies", "url"])
    quiet = [*troubles.OWN_TEXT, *troubles.RIGHTLY_SHORT, *(page for pair in troubles.RIVALS for page in pair)]
    assert not grouped & set(map(url, quiet))
    assert not grouped & {url(page) for page in troubles.UNTRANSLATED}


def test_pages_say_why_they_are_not_indexable(demo: mardok.Audit) -> None:
    reason = demo.pages.set_index("url")["reason"]
    expected = {
        **dict.fromkeys(troubles.NOT_FOUND, "status 404"),
        **dict.fromkeys(troubles.NOINDEX, "noindex"),
        **dict.fromkeys(troubles.ROBOTS_BLOCKED, "robots.txt"),
        **dict.fromkeys(troubles.CANONICAL_ELSEWHERE, "canonical elsewhere"),
        **dict.fromkeys(troubles.REDIRECTS, "redirect"),
    }
    assert {path: reason[url(path)] for path in expected} == expected
    assert demo.meta["totals"]["indexable"] == len(reason) - len(expected)


def test_checks_name_the_planted_troubles_and_no_others(demo: mardok.Audit) -> None:
    found = {check: set(part["url"]) for check, part in demo.checks.groupby("check")}
    assert found == {
        "text-untranslated": set(map(url, troubles.UNTRANSLATED)),
        "redirect-chain": set(map(url, troubles.CHAINS)),
        "redirect-loop": set(map(url, troubles.LOOPS)),
        "redirect-broken": set(map(url, troubles.BROKEN_REDIRECTS)),
        "page-orphan": set(map(url, troubles.ORPHANS)),
        "link-blocked": set(map(url, troubles.ROBOTS_BLOCKED)),
        "sitemap-not-indexable": set(map(url, troubles.NOT_FIT_FOR_SITEMAP)),
    }


def test_the_mobile_menu_is_no_main_text(demo: mardok.Audit) -> None:
    blocks = demo.tables["blocks"]
    assert not demo.pages["main_text"].str.contains("keeps one cookie").any()
    assert (blocks.loc[blocks["text"].str.contains("keeps one cookie"), "reason"] == "notice").all()
    drawer = blocks[blocks["reason"] == "menu"]
    assert len(drawer) > 10 * len(demo.pages[demo.pages["indexable"]])
    home = demo.pages.loc[demo.pages["url"] == url("/"), "main_text"].item()
    assert home.startswith("Hire a violin that is ready to play\nA new player needs three things")


def test_titles_and_descriptions_are_planted_as_the_table_says(demo: mardok.Audit) -> None:
    pages = demo.pages.set_index("url")
    assert {path for path in troubles.TITLE_MISSING if not pages.loc[url(path), "title"]} == set(troubles.TITLE_MISSING)
    assert set(pages.index[(pages["description"] == "") & pages["indexable"]]) == set(map(url, troubles.DESCRIPTION_MISSING))
    assert set(pages.index[(pages["h1"] == "") & pages["indexable"]]) == set(map(url, troubles.H1_MISSING))
    duplicate = pages.loc[list(map(url, troubles.TITLE_DUPLICATE)), "title"]
    assert duplicate.value_counts().tolist() == [2, 2]
    images = demo.tables["images"]
    without = set(pages.index[images.loc[~images["has_alt"], "page"].unique()])
    assert without == set(map(url, troubles.IMAGE_ALT_MISSING))


def test_mentions_are_planted_without_a_link(demo: mardok.Audit) -> None:
    pages = demo.pages.set_index("url")
    for phrase, paths in troubles.MENTIONS_WITHOUT_LINK.items():
        for path in paths:
            assert phrase in pages.loc[url(path), "main_text"]
    pasted = pages["main_text"].str.contains(troubles.BOILERPLATE)
    assert pasted.sum() >= 12


def test_figures_in_the_reasons_can_be_computed_from_the_file(demo: mardok.Audit) -> None:
    why = demo.plan.set_index("keeper").loc[url("/repairs/bow-rehair/"), "why"]
    search = pd.read_csv(DEMO_SEARCH)
    own = search[search["page"].isin([url("/repairs/bow-rehair/"), url("/bow-rehairing-service/")])]
    shared = own[own.groupby("query")["page"].transform("nunique") > 1]
    months = 65 * 7 / 30.44
    clicks = shared.groupby("page")["clicks"].sum() / months
    assert f"it gets {clicks.max():.1f} clicks a month on the queries they share, the next {clicks.min():.1f}" in why
    assert f"1 query ({shared['impressions'].sum() / months:.0f} impressions a month)" in why
    alone = own[(own["page"] == url("/bow-rehairing-service/")) & ~own["query"].isin(shared["query"])]
    assert f"{alone['clicks'].sum() / months:.1f} clicks a month come from queries for which only a page that moves" in why


def test_nobody_wrote_of_a_gain_that_is_not_there(demo: mardok.Audit) -> None:
    nothing = demo.plan[(demo.plan["gain_low"] == 0) & (demo.plan["gain_high"] == 0)]
    assert nothing["why"].str.contains("No evidence").all()
    losing = demo.plan[demo.plan["gain_low"] < 0]
    assert losing["why"].str.contains("In the worst case").all()
    assert (demo.plan["gain_low"] <= demo.plan["gain_high"]).all()
    assert demo.plan["rank"].tolist() == list(range(1, len(demo.plan) + 1))
    assert demo.plan["band"].is_monotonic_increasing
