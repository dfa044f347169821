"""The made-up site: what was planted is found, and what only looks wrong is left alone."""

from __future__ import annotations

import json
from pathlib import Path

import pandas as pd
from conftest import DEMO_SEARCH, DEMO_WARC

import mardok
from mardok.demo import build, troubles
from mardok.demo.content import all_articles
from mardok.demo.troubles import url
from mardok.vocabulary import VariantRule


def test_the_shipped_files_are_what_the_builder_makes(tmp_path: Path) -> None:
    build.build(tmp_path)
    assert (tmp_path / build.SITE_FILE).read_bytes() == DEMO_WARC.read_bytes()
    assert (tmp_path / build.SEARCH_FILE).read_bytes() == DEMO_SEARCH.read_bytes()


def test_the_site_has_the_promised_size_and_span(demo: mardok.Audit) -> None:
    assert 120 <= len(demo.pages) <= 180
    dates = pd.read_csv(DEMO_SEARCH)["date"].unique()
    assert len(dates) == 65
    assert demo.meta.totals["search"]["dated"]


def test_texts_are_authored_not_filled() -> None:
    bodies = [article.body for article in all_articles() if not article.path.startswith(("/violin-hire/", "/hire/sizes/"))]
    assert len(bodies) >= 90
    assert sum(len(body.split()) for body in bodies) > 7000
    assert "lorem ipsum" not in " ".join(bodies).casefold()


def test_variants_are_three_proposals_by_whose_work_they_are(demo: mardok.Audit) -> None:
    moved = demo.steps[demo.steps["pattern"] != VariantRule.NONE]
    rules = moved.groupby(["pattern", "pattern_value"]).size().to_dict()
    assert rules == {(rule, value): n for rule, value, n in troubles.VARIANT_RULES}
    for proposal in demo.plan[demo.plan["proposal"].isin(moved["proposal"])].itertuples():
        own = moved.loc[moved["proposal"] == proposal.proposal, "detail"].value_counts().to_dict()
        assert own == json.loads(proposal.basis)["rules"]
        assert all(rule in proposal.summary for rule in own)
    assert moved["proposal"].nunique() == 3
    assert 25 <= len(demo.plan) <= 40
    moved = demo.steps[demo.steps["step"].isin(["redirect", "canonical"])].set_index("url")["target"]
    for address, path in troubles.VARIANTS.items():
        assert moved[address] == url(path)


def test_copies_are_merged_into_the_page_that_should_stay(demo: mardok.Audit) -> None:
    redirects = demo.steps[demo.steps["step"] == "redirect"].set_index("url")["target"]
    for copy, keeper in troubles.COPIES.items():
        assert redirects[url(copy)] == url(keeper)
    assert redirects[url("/bow-service/")] == url("/repairs/bow-rehair/")  # led to a copy that goes


def test_series_are_rewritten_and_never_merged(demo: mardok.Audit) -> None:
    rewrites = demo.plan[(demo.plan["action"] == "rewrite") & demo.plan["summary"].str.contains("text of their own")]
    assert len(rewrites) == len(troubles.SERIES)
    groups = demo.groups[(demo.groups["kind"] == "copies") & (demo.groups["phrase"] != "")]
    found = {frozenset(part["url"]) for _, part in groups.groupby("group")}
    assert found == {frozenset(map(url, pages)) for pages in troubles.SERIES.values()}
    for pages in troubles.SERIES.values():
        steps = demo.steps[demo.steps["url"].isin(map(url, pages))]
        assert not steps["step"].isin(["redirect", "canonical"]).any()
    asked = demo.steps[(demo.steps["step"] == "rewrite") & demo.steps["proposal"].isin(rewrites["proposal"])]
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
        **dict.fromkeys(troubles.CANONICAL_BROKEN, "canonical elsewhere, an error page (404)"),
        **dict.fromkeys(troubles.REDIRECTS, "redirect"),
    }
    assert {path: reason[url(path)] for path in expected} == expected
    assert demo.meta.totals["indexable"] == len(reason) - len(expected)


def test_checks_name_the_planted_troubles_and_no_others(demo: mardok.Audit) -> None:
    # A trouble of a template is told of every page; its first page stands for them here.
    told = demo.checks[~demo.checks["is_template"] | ~demo.checks.duplicated(["check", "is_template", "pages"])]
    found = {check: set(part["url"]) for check, part in told.groupby("check")}
    assert found == {
        "text-untranslated": set(map(url, troubles.UNTRANSLATED)),
        "redirect-chain": set(map(url, troubles.CHAINS)),
        "redirect-loop": set(map(url, troubles.LOOPS)),
        "redirect-broken": set(map(url, troubles.BROKEN_REDIRECTS)),
        "page-orphan": set(map(url, troubles.ORPHANS)),
        "sitemap-not-indexable": set(map(url, troubles.NOT_FIT_FOR_SITEMAP)),
        "title-missing": set(map(url, troubles.TITLE_MISSING)),
        "title-duplicate": set(map(url, troubles.TITLE_DUPLICATE)),
        "title-long": set(map(url, troubles.TITLE_LONG)),
        "title-short": set(map(url, troubles.TITLE_SHORT)),
        "title-empty-words": set(map(url, troubles.TITLE_EMPTY_WORDS)),
        "description-missing": set(map(url, troubles.DESCRIPTION_MISSING)),
        "description-duplicate": set(map(url, troubles.DESCRIPTION_DUPLICATE)),
        "description-long": set(map(url, troubles.DESCRIPTION_LONG)),
        "description-short": {url(troubles.DESCRIPTION_SHORT)},
        "description-stuffed": set(map(url, troubles.DESCRIPTION_STUFFED)),
        "description-language": set(map(url, troubles.DESCRIPTION_LANGUAGE)),
        "h1-missing": set(map(url, troubles.H1_MISSING)),
        "h1-several": set(map(url, troubles.H1_SEVERAL)),
        "h1-duplicate": set(map(url, troubles.H1_DUPLICATE)),
        "h1-image": set(map(url, troubles.H1_IMAGE)),
        "h1-hidden": set(map(url, troubles.H1_HIDDEN)),
        "heading-skipped": set(map(url, troubles.HEADING_SKIPPED)),
        "heading-repeated": {url("/")},
        "image-alt-missing": set(map(url, troubles.IMAGE_ALT_MISSING)),
        "page-insecure-parts": set(map(url, troubles.INSECURE_PARTS)),
        "link-broken": set(map(url, troubles.LINK_BROKEN)),
        "link-redirected": {url("/")},
        "link-text-empty": set(map(url, troubles.LINK_TEXT_EMPTY)),
        "canonical-broken": set(map(url, troubles.CANONICAL_BROKEN)),
        "canonical-redirected": set(map(url, troubles.CANONICAL_REDIRECTED)),
        "hreflang-one-way": set(map(url, troubles.HREFLANG_ONE_WAY)),
        "text-double-escaped": set(map(url, troubles.DOUBLE_ESCAPED)),
        "text-encoding-broken": set(map(url, troubles.ENCODING_BROKEN)),
        "text-doubled-word": set(map(url, troubles.DOUBLED_WORD)),
        "text-article": set(map(url, troubles.WRONG_ARTICLE)),
        "text-contradicts": set(map(url, (*troubles.CONTRADICTS, *troubles.CONTRADICTS_IN_COPIES))),
        "variant-answers": {
            f"{troubles.INSECURE}/",
            f"{troubles.BARE}/",
            url("/Contact/"),
            url("/hire"),
            url("/index.html"),
        },
    }
    for check, count in {"description-short": 12, "heading-repeated": 128}.items():  # every page of the template
        rows = demo.checks[(demo.checks["check"] == check) & demo.checks["is_template"]]
        assert (len(rows), set(rows["pages"])) == (count, {count})
    redirected = demo.checks.loc[demo.checks["check"] == "link-redirected", "detail"]
    assert redirected.str.contains(troubles.LINK_REDIRECTED, regex=False).any()


def test_rivals_are_found_and_what_follows_is_what_search_shows(demo: mardok.Audit) -> None:
    groups = demo.groups[demo.groups["kind"] == "rivals"]
    together = {frozenset(part["url"]) for _, part in groups.groupby("group")}
    for pair in troubles.RIVALS:
        assert any(set(map(url, pair)) <= group for group in together)
    paths = {path for group in together for path in group}
    assert paths == {url(path) for path in (*troubles.RIVAL_ACTIONS, *(page for pair in troubles.RIVALS for page in pair),
                                            "/", "/repairs/soundpost/")}  # fmt: skip
    plan = demo.plan.set_index("proposal")
    done = demo.steps[demo.steps["url"].isin(map(url, troubles.RIVAL_ACTIONS))]
    actions = {
        (address.removeprefix(troubles.HOST), plan.loc[proposal, "action"])
        for address, proposal in done[["url", "proposal"]].itertuples(index=False)
        if plan.loc[proposal, "keeper"] != address and "phrase" in json.loads(plan.loc[proposal, "basis"])
    }
    assert troubles.RIVAL_ACTIONS.items() <= actions
    without = mardok.audit(DEMO_WARC)
    assert set(without.groups["evidence"]) <= {"wording", "text"}
    assert not without.plan["evidence"].eq("search").any()
    assert without.plan.loc[without.plan["action"] == "merge", "evidence"].eq("text").all()


def test_the_figures_of_rivals_can_be_computed_from_the_file(demo: mardok.Audit) -> None:
    proposal = demo.plan[demo.plan["keeper"].eq(url("/blog/how-to-tune-a-violin/")) & demo.plan["action"].eq("merge")].iloc[
        0
    ]
    basis = json.loads(proposal["basis"])
    pair = [url(path) for path in troubles.RIVALS[0]]
    search = pd.read_csv(DEMO_SEARCH, parse_dates=["date"])
    months, shares = 65 * 7 / 30.44, search["impressions"] / search.groupby("query")["impressions"].transform("sum")
    real = shares.groupby([search["query"], search["page"]]).sum()
    queries = [query for query in search["query"].unique() if all(real.get((query, page), 0) >= 0.1 for page in pair)]
    shared = search[search["page"].isin(pair) & search["query"].isin(queries)]
    told = basis["rivals"][pair[1]]
    assert sorted(told["queries"]) == sorted(queries)
    assert told["impressions"] == round(shared["impressions"].sum() / months, 1)
    weaker = search[search["page"] == pair[1]]
    assert told["overlap"] == round(weaker.loc[weaker["query"].isin(queries), "clicks"].sum() / weaker["clicks"].sum(), 6)
    weeks = sorted(search["date"].unique())
    now, before = (shared[shared["date"].isin(part)] for part in (weeks[-13:], weeks[:13]))
    assert weeks[-13] - weeks[0] == pd.Timedelta(days=364)
    assert told["clicks"] == round(now["clicks"].sum() / (91 / 30.44), 1)
    assert told["clicks_before"] == round(before["clicks"].sum() / (91 / 30.44), 1)
    by_page = now.groupby("page")
    assert told["clicks_now"] == [round(by_page["clicks"].sum()[page] / (91 / 30.44), 1) for page in pair]
    weighted = (now["position"] * now["impressions"]).groupby(now["page"]).sum() / by_page["impressions"].sum()
    assert told["positions_now"] == [round(weighted[page], 1) for page in pair]
    weekly = shared.pivot_table(index=["query", "date"], columns="page", values="position")[pair]
    ahead = weekly[(weekly[pair[0]] - weekly[pair[1]]).abs() >= 1].idxmin(axis=1)
    changes = sum(int((part != part.shift()).iloc[1:].sum()) for _, part in ahead.groupby(level="query"))
    assert (told["weeks_with_leader"], told["lead_changes"]) == (len(ahead), changes)
    assert told["turns_beyond_chance"]
    assert f"the lead changed {changes} times" in proposal["why"]


def test_thin_pages_are_told_from_those_that_are_rightly_short(demo: mardok.Audit) -> None:
    pages = demo.pages.set_index("url")
    assert pages.loc[list(map(url, troubles.THIN)), "thin"].eq("yes").all()
    assert not pages.loc[list(map(url, troubles.RIGHTLY_SHORT)), "thin"].eq("yes").any()
    thin = pages[pages["thin"] == "yes"]
    assert thin["thin_reason"].str.contains(r"fewer than|it only lists|its own beside").all()
    assert thin.loc[thin["kind"] != "listing", "own_words"].lt(150).all()
    steps = demo.steps[demo.steps["url"].isin(thin.index)]
    assert set(thin.index) <= set(steps["url"])
    expanded = demo.steps[demo.steps["step"] == "expand"]
    assert expanded["detail"].str.startswith("answer what people ask: '").all()


def test_kinds_and_the_name_of_the_site_are_told(demo: mardok.Audit) -> None:
    pages = demo.pages[demo.pages["status"] == 200].set_index("url")
    expected = {"/": "home", "/de/": "home", "/contact/": "utility", "/terms/": "utility", "/rental-calculator/": "tool",
                "/instruments/carbon-bow/": "product", "/instruments/": "listing", "/blog/page/2/": "listing",
                "/blog/tag/cello/": "listing", "/blog/rosin-allergy/": "article", "/delivery/": "article"}  # fmt: skip
    assert {path: pages.loc[url(path), "kind"] for path in expected} == expected
    named = pages[pages["title"].str.contains(" | ", regex=False)]
    assert named["site_name"].eq(troubles.SITE_NAME).all()
    assert demo.meta.totals["site_names"] == [troubles.SITE_NAME]
    repeated = demo.plan[demo.plan["summary"].str.contains(f"Take '{troubles.SITE_NAME}' out of")]
    assert repeated["action"].tolist() == ["retitle"]
    assert "'violin hire', which people search for" in repeated["why"].item()
    queries = demo.tables["queries"]
    brand = set(queries.loc[queries["brand"], "query"])
    assert {"wyndale violin hire", "wyndale violin hire contact"} <= brand
    assert "violin hire" not in brand


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
    without_h1 = (*troubles.H1_MISSING, *troubles.H1_IMAGE, *troubles.H1_HIDDEN)
    assert set(pages.index[(pages["h1"] == "") & pages["indexable"]]) == set(map(url, without_h1))
    duplicate = pages.loc[list(map(url, troubles.TITLE_DUPLICATE)), "title"]
    assert duplicate.value_counts().tolist() == [2, 2, 2]
    images = demo.tables["images"]
    without = set(pages.index[images.loc[~images["has_alt"], "page"].unique()])
    assert without == set(map(url, troubles.IMAGE_ALT_MISSING))


def test_mentions_are_planted_without_a_link(demo: mardok.Audit) -> None:
    pages = demo.pages.set_index("url")
    for phrase, paths in troubles.MENTIONS_WITHOUT_LINK:
        for path in paths:
            assert phrase in pages.loc[url(path), "main_text"]
    pasted = pages["main_text"].str.contains(troubles.BOILERPLATE)
    assert pasted.sum() >= 12


def test_figures_in_the_reasons_can_be_computed_from_the_file(demo: mardok.Audit) -> None:
    why = demo.plan.set_index("keeper").loc[url("/repairs/bow-rehair/"), "why"]
    search = pd.read_csv(DEMO_SEARCH)
    own = search[search["page"].isin([url("/repairs/bow-rehair/"), url("/bow-rehairing-service/")])]
    shared = own[own.groupby("query")["page"].transform("nunique") > 1]
    recent = shared[shared["date"].isin(sorted(search["date"].unique())[-13:])]
    clicks = recent.groupby("page")["clicks"].sum() / (91 / 30.44)
    most, next_ = clicks.max(), clicks.min()
    assert f"{most:.1f} clicks a month on the shared queries in the last 13 weeks, against {next_:.1f} for" in why
    assert f"1 query ({shared['impressions'].sum() / (65 * 7 / 30.44):.0f} impressions a month over 14.9 months)" in why


def test_nobody_wrote_of_a_gain_that_is_not_there(demo: mardok.Audit) -> None:
    nothing = demo.plan[(demo.plan["gain_low"] == 0) & (demo.plan["gain_high"] == 0) & (demo.plan["action"] != "leave")]
    assert not nothing["why"].str.contains("The gain assumes").any()
    assert demo.plan["why"].str.len().le(400).all()
    assert (demo.plan["gain"] >= 0).all()  # nothing that is expected to lose
    assert ((demo.plan["gain_low"] <= demo.plan["gain"]) & (demo.plan["gain"] <= demo.plan["gain_high"])).all()
    folded = demo.plan["rule"].str.contains("variants|copies")
    assert (demo.plan.loc[folded, "gain_low"] >= 0).all()  # engines show these once, whatever is done
    assert (demo.plan.loc[demo.plan["confidence"] == "high", "gain_low"] >= 0).all()
    assert (demo.plan.loc[demo.plan["action"] == "leave", "effort_hours"] == 0).all()
    assert demo.plan["rank"].tolist() == list(range(1, len(demo.plan) + 1))
    assert demo.plan["band"].is_monotonic_increasing
