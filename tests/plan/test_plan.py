"""The plan: safe and complete on any site, with figures that can be computed again."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from random_sites import BASE, HOME, HOST, SITES, write_site

import mardok
from mardok.errors import UnsafePlanError
from mardok.extract.batch import batch_of
from mardok.extract.extraction import extract_page
from mardok.plan.proposal import NO_GAIN, Proposal, Step
from mardok.plan.safety import check_safety
from mardok.settings import Settings
from mardok.sources.raw import RawPage
from mardok.text.columns import columns_of
from mardok.text.site import Site, site_of
from mardok.vocabulary import STRUCTURAL_STEPS, Action, Confidence, CopyRule, Evidence, StepKind

# Shrinking a site takes minutes and gains little: a failing site is small enough to read.
EXPENSIVE: dict[str, Any] = {
    "suppress_health_check": [HealthCheck.function_scoped_fixture],
    "phases": [Phase.explicit, Phase.reuse, Phase.generate],
}

SEARCH_ROWS = st.lists(
    st.tuples(
        st.integers(0, 30),
        st.sampled_from("pqr"),
        st.integers(0, 60),
        st.integers(1, 400),
        st.sampled_from([1.0, 4.0, 9.5, 25.0]),
    ),
    max_size=30,
)


def write_search(path: Path, urls: list[str], rows: list[tuple[int, str, int, int, float]]) -> list[Path]:
    """A search file with rows for some of the pages; none without rows."""
    first = pd.Timestamp("2025-01-06")
    told = [
        {
            "query": query, "page": urls[number % len(urls)], "date": f"{first + pd.Timedelta(weeks=week):%Y-%m-%d}",
            "clicks": n // 7, "impressions": n, "position": position,
        }
        for number, query, week, n, position in rows
    ]  # fmt: skip
    if not told:
        return []
    # Of two rows of one day the same one is kept, in whatever order they come.
    ordered = pd.DataFrame(told).sort_values(["impressions", "position"])
    ordered.drop_duplicates(["query", "page", "date"]).sort_index().to_csv(path, index=False)
    return [path]


def assert_safe(audit: mardok.Audit) -> None:
    """The rules of a safe plan, read off the tables alone."""
    pages = audit.pages.set_index("url")
    structural = audit.steps[audit.steps["step"].isin(STRUCTURAL_STEPS)]
    fate = structural.drop_duplicates(["url", "step", "target"])
    assert fate["url"].is_unique
    homes = fate[fate["url"].str.fullmatch(HOME)]
    assert not homes["step"].isin(["noindex", "retire"]).any()
    assert homes["target"].str.fullmatch(HOME).all()  # a home page goes to no other page than a home page
    moved = set(fate["url"])
    for url, target in fate.loc[fate["target"] != "", ["url", "target"]].itertuples(index=False):
        kept = pages.loc[target]
        assert target not in moved
        assert kept["indexable"]
        assert kept["status"] == 200
        is_pointer = pages.loc[url, "redirect_url"] or pages.loc[url, "canonical_url"] not in ("", url)
        assert is_pointer or {pages.loc[url, "language"], kept["language"]} - {""} == {kept["language"]} - {""}
    for keeper in filter(None, audit.plan["keeper"]):
        assert keeper not in moved
    now = {url: page["redirect_url"] or (page["status"] == 200 and page["canonical_url"]) for url, page in pages.iterrows()}
    after = {**now, **dict(fate.loc[fate["target"] != "", ["url", "target"]].itertuples(index=False))}
    for url, target in after.items():
        if target in moved:
            assert url == target or not target, f"{url} still leads to {target}, which goes"


@settings(max_examples=30, deadline=None, **EXPENSIVE)
@given(pages=SITES, rows=SEARCH_ROWS)
def test_every_plan_is_safe_complete_and_independent_of_the_order_of_input(
    tmp_path: Path, pages: dict[str, Any], rows: list[tuple[int, str, int, int, float]]
) -> None:
    search = write_search(tmp_path / "search.csv", list(pages), rows)
    audit = mardok.audit(write_site(tmp_path / "one.jsonl", pages), search=search)
    assert_safe(audit)
    search = write_search(tmp_path / "search.csv", list(pages), rows[::-1])
    turned = mardok.audit(write_site(tmp_path / "two.jsonl", dict(reversed(pages.items()))), search=search)
    for name in ("plan", "steps", "groups", "pairs", "checks"):
        pd.testing.assert_frame_equal(audit.tables[name], turned.tables[name])
    indexable = audit.pages.set_index("url")["indexable"]
    for _, group in audit.groups.groupby("group"):
        assert indexable[group["url"]].all()
        assert (group["role"] == "keeper").sum() == (group["kind"].iloc[0] != "series")
    about = audit.groups.loc[audit.groups["kind"] != "series", "url"]
    assert set(about) <= set(audit.steps["url"])


@settings(max_examples=15, deadline=None, **EXPENSIVE)
@given(pages=SITES)
def test_a_plan_is_safe_too_when_pages_that_are_not_indexable_are_compared(tmp_path: Path, pages: dict[str, Any]) -> None:
    chosen = mardok.read_settings(assignments=["copies.all_pages=true"])
    assert_safe(mardok.audit(write_site(tmp_path / "all.jsonl", pages), settings=chosen))


def test_a_page_whose_canonical_gets_another_target_is_no_keeper(tmp_path: Path) -> None:
    text, host = " ".join(f"word{n}" for n in range(60)), "https://www.host.example"
    plain = {"status": 200, "lang": "en", "title": "", "links": [], "robots": "", "target": "", "canonical": None}
    west = f"{host}/town/west/"
    pages = {
        f"{host}/": {**plain, "title": "Hire in Nord", "text": text},
        west: {**plain, "text": f"{text} one more"},
        f"{host}/print/b/": {**plain, "lang": "de", "text": f"{text} Ost Ost", "robots": "noindex", "canonical": west},
        "http://host.example/b/": {
            **plain, "title": "Hire in Nord", "text": f"{text} West West", "canonical": f"{host}/town/nord/",
        },
    }  # fmt: skip
    chosen = mardok.read_settings(assignments=["copies.all_pages=true"])
    audit = mardok.audit(write_site(tmp_path / "site.jsonl", pages), settings=chosen)
    assert_safe(audit)
    assert audit.plan.loc[audit.plan["rule"] == "copies-exception", "keeper"].tolist() == [""]


@settings(max_examples=15, deadline=None, **EXPENSIVE)
@given(pages=SITES, rows=SEARCH_ROWS, choose=st.randoms(use_true_random=False))
def test_a_plan_is_safe_whatever_a_person_decided(
    tmp_path: Path, pages: dict[str, Any], rows: list[tuple[int, str, int, int, float]], choose: Any
) -> None:
    source = write_site(tmp_path / "site.jsonl", pages)
    search = write_search(tmp_path / "search.csv", list(pages), rows)
    first = mardok.audit(source, search=search)
    first.save(tmp_path / "audit")
    plan = pd.read_csv(tmp_path / "audit" / "plan.csv", dtype=str, keep_default_na=False)
    for at, proposal in enumerate(plan["proposal"]):
        about = first.steps.loc[first.steps["proposal"] == proposal, "url"].tolist()
        plan.loc[at, "decision"] = choose.choice(["", "accept", "reject", "later"])
        plan.loc[at, "keeper"] = choose.choice([plan.loc[at, "keeper"], *about])
        plan.loc[at, "action"] = choose.choice([plan.loc[at, "action"], "leave", "canonical", "merge", "retire"])
    plan.to_csv(tmp_path / "audit" / "plan.csv", index=False)
    assert_safe(mardok.audit(source, search=search, decisions=tmp_path / "audit" / "plan.csv"))


def test_a_thin_page_is_not_merged_into_one_that_speaks_another_language(page_table: Callable[..., Path]) -> None:
    pasted = " ".join(f"name{n} model{n}" for n in range(25))
    said = {
        "en": "the of and to in is that for it was on with as are they be",
        "de": "der die und den von zu das mit sich des auf ist im dem nicht ein",
    }
    rows = [
        {
            "url": f"{HOST}/list-{number}/",
            "title": "Velu Tarmo",
            "text": f"{said[language]} {pasted} end{number}",
            "status": 200,
        }
        for number, language in enumerate(["en", "de"])
    ]
    audit = mardok.audit(page_table([*rows, {"url": f"{HOST}/", "title": "Start", "text": BASE, "status": 200}]))
    assert audit.pages["language"].tolist()[1:] == ["en", "de"]
    assert audit.pages["thin"].tolist()[1:] == ["yes", "yes"]
    assert len(audit.pairs) == 1
    assert not (audit.steps["step"] == "redirect").any()


def test_a_proposal_that_gives_way_says_so(page_table: Callable[..., Path]) -> None:
    pasted = " ".join(f"name{n} model{n}" for n in range(25))
    # Of two that are each other's nearest the one with less to say goes, and the other takes it over.
    texts = [f"{BASE} and more of it", f"{pasted} first of them", pasted]
    rows = [
        {"url": f"{HOST}/{path}", "title": title, "text": text, "status": 200}
        for path, title, text in zip(["", "models/", "types/"], ["Start", "Velu Tarmo", "Velu Tarmo"], texts, strict=True)
    ]
    audit = mardok.audit(page_table(rows), settings=mardok.read_settings(assignments=["copies.resemblance=0.97"]))
    assert_safe(audit)
    left = audit.plan[audit.plan["action"] == "leave"]
    assert left["why"].str.contains("It would be merged or taken out of the index, but ").any()


def test_a_long_plan_is_one_row_for_each_section_and_loses_nothing(page_table: Callable[..., Path], tmp_path: Path) -> None:
    rows = [{"url": f"{HOST}/", "title": "Start", "text": f"{BASE} start", "status": 200}]
    for n in range(4):
        text = " ".join(f"name{n}x{k} model{n}x{k}" for k in range(60))
        rows += [
            {
                "url": f"{HOST}/a/old-{n}/",
                "title": f"Thing {n}",
                "text": f"{text} and more of it than there was",
                "status": 200,
            },
            {"url": f"{HOST}/b/new-{n}/", "title": f"Thing {n}", "text": text, "status": 200},
        ]
    source = page_table(rows)
    settings = mardok.read_settings(assignments=["plan.single_proposals=1"])
    long, short = mardok.audit(source), mardok.audit(source, settings=settings)
    assert_safe(short)
    assert len(short.plan) < len(long.plan)
    for audit in (short, long):
        assert set(audit.steps["proposal"]) == set(audit.plan["proposal"])
    columns = ["url", "step", "target", "detail"]
    assert sorted(map(tuple, short.steps[columns].to_numpy())) == sorted(map(tuple, long.steps[columns].to_numpy()))
    for name in ("gain", "at_risk", "effort_hours"):
        assert short.plan[name].sum() == pytest.approx(long.plan[name].sum())
    folded = short.plan[short.plan["summary"].str.contains("cases of one kind")]
    assert len(folded) == 1
    assert set(folded["keeper"]) == {""}
    # What a person has decided about stays a row of its own.
    chosen = next(proposal for proposal in long.plan["proposal"] if proposal not in set(short.plan["proposal"]))
    (tmp_path / "decisions.csv").write_text(f"proposal,decision\n{chosen},accept\n")
    again = mardok.audit(source, settings=settings, decisions=tmp_path / "decisions.csv")
    assert again.plan.set_index("proposal")["decision"][chosen] == "accept"


def test_members_resemble_their_keeper_and_speak_its_language(demo: mardok.Audit) -> None:
    pages = demo.pages.set_index("url")
    for _, group in demo.groups[demo.groups["kind"] == "copies"].groupby("group"):
        keeper = group.loc[group["role"] == "keeper", "url"].item()
        members = group.loc[group["role"] == "member", "url"].tolist()
        found = mardok.find_copies(pages.loc[[keeper, *members], "main_text"].tolist(), minimum=0.85)
        assert (found["a"] == 0).sum() == len(members)
        assert pages.loc[members, "language"].eq(pages.loc[keeper, "language"]).all()


def a_site() -> Site:
    heads = {
        **dict.fromkeys(["a", "b", "c", "de"], ""),
        "gone": "<meta name=robots content=noindex>",
        "old": "<link rel=canonical href=/a>",
    }
    raws = [
        RawPage(f"{HOST}/{name}", "test", 200, (), f"<html lang={'de' if name == 'de' else 'en'}>{head}<p>x".encode())
        for name, head in heads.items()
    ]
    raws.append(RawPage(f"{HOST}/", "test", 200, (), b"<html lang=en><p>home"))
    return site_of(columns_of([batch_of(extract_page(raw, Settings()) for raw in raws)]), Settings())


def proposal(*steps: tuple[str, str, str], keeper: str = "b", action: str = "merge") -> Proposal:
    return Proposal(
        id="0123456789", action=Action(action), rule=CopyRule.SAME_PROMISE, keeper=f"{HOST}/{keeper}",
        urls=(f"{HOST}/a",), gain=NO_GAIN, effort_hours=1, confidence=Confidence.HIGH,
        evidence=Evidence.TEXT, summary="", why="", unless="",
        steps=tuple(Step(f"{HOST}/{url}", StepKind(step), f"{HOST}/{target}") for url, step, target in steps),
    )  # fmt: skip


REDIRECT_OLD = ("old", "redirect", "b")
UNSAFE = [
    ([proposal(("a", "redirect", "b"), ("a", "canonical", "c"), REDIRECT_OLD)], "both redirect and canonical"),
    ([proposal(("a", "redirect", "b"), ("b", "redirect", "c"), keeper="c")], "itself gets redirect"),
    ([proposal(("a", "redirect", "a"))], "to itself"),
    ([proposal(("a", "redirect", "gone"))], "not indexable"),
    ([proposal(("a", "redirect", "nowhere"))], "was not read"),
    ([proposal(("a", "redirect", "de"))], "from language en to de"),
    ([proposal(("", "redirect", "b"))], "home page"),
    ([proposal(("b", "redirect", "c"))], "is the keeper"),
    ([proposal(("a", "redirect", "b"))], "would lead on through"),
    ([proposal(("a", "retire", ""), REDIRECT_OLD)], "must not hold a step"),
    (
        [proposal(("b", "canonical", "c"), keeper="c"), proposal(("b", "redirect", "c"), keeper="c")],
        "both canonical and redirect",
    ),
]


@pytest.mark.parametrize(("plan", "offence"), UNSAFE)
def test_an_unsafe_plan_is_refused(plan: list[Proposal], offence: str) -> None:
    site = a_site()
    indexable = {row: not page.url.endswith(("gone", "old")) for row, page in enumerate(site.pages)}
    check_safety([proposal(("a", "redirect", "b"), REDIRECT_OLD)], site, indexable, f"{HOST}/")
    with pytest.raises(UnsafePlanError, match=offence):
        check_safety(plan, site, indexable, f"{HOST}/")


def without_repairs(audit: mardok.Audit) -> mardok.Audit:
    """The audit without the proposals for what these short pages lack."""
    plan = audit.plan[audit.plan["action"] != "repair"].reset_index(drop=True)
    steps = audit.steps[audit.steps["proposal"].isin(plan["proposal"])].reset_index(drop=True)
    return replace(audit, tables={**audit.tables, "plan": plan, "steps": steps})


def test_without_search_data_nothing_claims_search_and_gain_is_link_weight(page_table: Callable[..., Path]) -> None:
    rows = [{"url": f"{HOST}/{n}", "html": f"<title>Care</title><a href=/0>x</a><p>{BASE}"} for n in range(3)]
    audit = without_repairs(mardok.audit(page_table(rows)))
    assert audit.plan["evidence"].tolist() == ["text"]
    assert audit.plan["gain_unit"].tolist() == ["link weight"]
    weight = audit.pages.set_index("url")["link_weight"]
    assert audit.plan["gain"].item() == pytest.approx(weight[[f"{HOST}/1", f"{HOST}/2"]].sum())
    assert weight.sum() == pytest.approx(1)
    relinked = audit.steps[audit.steps["step"] == "relink"]
    assert relinked.empty  # the links lead to the keeper already
    assert math.isclose(audit.plan["effort_hours"].item() % 0.25, 0)


def test_without_links_no_gain_in_link_weight_is_invented(page_table: Callable[..., Path]) -> None:
    audit = without_repairs(mardok.audit(page_table([{"url": f"{HOST}/{n}", "title": "Care", "text": BASE} for n in "ab"])))
    assert audit.plan[["gain_low", "gain_high"]].to_numpy().tolist() == [[0, 0]]
    assert "The gain cannot be estimated" in audit.plan["why"].item()
    assert audit.pages["link_weight"].isna().all()


def test_a_person_can_keep_pages_reachable_or_leave_them(page_table: Callable[..., Path]) -> None:
    path = page_table([{"url": f"{HOST}/{n}/", "html": f"<title>Care</title><p>{BASE}"} for n in "ab"])

    def action(assignment: str) -> list[str]:
        chosen = mardok.read_settings(assignments=[assignment])
        return without_repairs(mardok.audit(path, settings=chosen)).plan["action"].tolist()

    assert action("copies.resemblance=0.85") == ["merge"]
    assert action("plan.keep_reachable=['/b/*']") == ["canonical"]
    assert action("plan.leave=['/b/*']") == ["leave"]


def test_what_the_keeper_lacks_is_moved_and_links_and_redirects_follow(page_table: Callable[..., Path]) -> None:
    unique = "these seven words stand only over here"
    rows = [
        {"url": f"{HOST}/keep", "html": f"<title>Care</title><p>{BASE}"},
        {"url": f"{HOST}/copy", "html": f"<title>Care</title><p>{BASE}<p>{unique}"},
        *({"url": f"{HOST}/{n}", "html": f"<nav><a href=/copy>menu</a></nav><p>{n} <a href=/keep>k</a>"} for n in range(4)),
        *({"url": f"{HOST}/{n}", "html": f"<p>{n} <a href=/keep>k</a>"} for n in range(4, 7)),
        {"url": f"{HOST}/in", "html": "<title>in</title><p>see <a href=/copy>the copy</a>"},
        {"url": f"{HOST}/older", "status": 301, "redirect_url": f"{HOST}/old"},
        {"url": f"{HOST}/old", "status": 301, "redirect_url": f"{HOST}/copy"},
        {"url": f"{HOST}/said", "html": f"<link rel=canonical href=/copy><p>{BASE}"},
    ]  # fmt: skip
    chosen = mardok.read_settings(assignments=["copies.resemblance=0.8"])
    steps = without_repairs(mardok.audit(page_table(rows), settings=chosen)).steps
    found = {
        (url.removeprefix(HOST), step): detail
        for url, step, detail in steps[["url", "step", "detail"]].itertuples(index=False)
        if "fewer than" not in detail  # pages that are too short for this test to be about
    }
    assert set(steps.loc[steps["target"] != "", "target"]) == {f"{HOST}/keep"}
    assert unique in found["/copy", "move_text"]
    assert ("/copy", "redirect") in found
    assert ("/older", "redirect") in found
    assert ("/old", "redirect") in found
    assert ("/said", "canonical") in found
    assert "furniture of 4 pages" in found["/0", "relink"]
    assert "'the copy'" in found["/in", "relink"]
    assert len(found) == 8


def test_pages_that_are_mostly_pasted_text_are_trimmed_unless_it_is_owed(tmp_path: Path) -> None:
    pasted = " ".join(f"carved{n}" for n in range(40))
    owed = "right of withdrawal " + " ".join(f"clause{n}" for n in range(40))
    rows = [{"url": f"{HOST}/", "text": "home of all of them " * 9}]
    for n in range(6):
        own = " ".join(f"own{n}x{k}" for k in range(12))
        rows += [
            {"url": f"{HOST}/shop/{n}", "text": f"{own}\n{pasted}"},
            {"url": f"{HOST}/law/{n}", "text": f"{own} law\n{owed}"},
        ]
        rows += [{"url": f"{HOST}/long/{n}", "text": f"{' '.join(f'much{n}x{k}' for k in range(60))}\n{pasted}"}]
    (tmp_path / "site.jsonl").write_text("\n".join(map(json.dumps, rows)), "utf-8")
    audit = mardok.audit(tmp_path / "site.jsonl")
    trims = audit.plan[audit.plan["action"] == "trim"]
    assert trims["summary"].tolist() == ["Trim 6 pages under /shop/: most of their words are pasted"]
    steps = audit.steps[audit.steps["proposal"] == trims["proposal"].iloc[0]]
    assert steps["url"].tolist() == [f"{HOST}/shop/{n}" for n in range(6)]
    assert set(steps["detail"].str.split(":").str[0]) == {"40 of its 52 words (77%) are pasted"}
    kept = mardok.audit(tmp_path / "site.jsonl", settings=mardok.Settings.model_validate({"plan": {"leave": ["/shop/*"]}}))
    assert kept.plan[kept.plan["action"] == "trim"].empty
