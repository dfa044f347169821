"""What must not be proposed: each guard on a few pages of its own, and what it lets pass."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from small_sites import ORIGIN

import mardok

Table = Callable[..., Path]
LAW = "You may send back what you hired. " * 3


def said(name: str, n: int = 90) -> str:
    """A text of its own: one that resembles no other, and is known to be English."""
    fillers = ("the", "and", "of", "with")
    return " ".join(fillers[k // 2 % 4] if k % 2 else f"{name}{k}" for k in range(n))


def page(title: str, text: str, *, head: str = "", h1: str = "", body: str = "", lang: str = "en") -> str:
    return (
        f"<html lang={lang}><head><title>{title}</title>{head}</head><body><main><h1>{h1 or title}</h1><p>{text}</p>{body}"
        "</main>"
    )


def audited(table: Table, pages: Mapping[str, str], search: Iterable[Mapping[str, Any]] = (), **more: Any) -> mardok.Audit:
    """An audit of pages by path; search rows name paths, too."""
    path = table([{"url": f"{ORIGIN}{path}", "status": 200, "html": html} for path, html in pages.items()])
    rows = pd.DataFrame(list(search))
    if len(rows):
        more["search"] = path.with_name("search.csv")
        rows.assign(page=ORIGIN + rows["page"]).to_csv(more["search"], index=False)
    return mardok.audit(path, **more)


def actions(audit: mardok.Audit, *, without: tuple[str, ...] = ("repair",)) -> dict[str, set[str]]:
    """What is done to each page, by path."""
    steps = audit.steps.merge(audit.plan[["proposal", "action"]], on="proposal")
    result: dict[str, set[str]] = {}
    for url, step, action in steps[["url", "step", "action"]].itertuples(index=False):
        if action not in without and step != "leave":
            result.setdefault(url.removeprefix(ORIGIN), set()).add(str(step))
    return result


SHORT = "One two three four five six seven eight nine ten eleven twelve words and a few more of them in one line. " * 2
NEAR = SHORT + " They end on another word."
FIELDS = "<form>" + "<input name=a><input name=b><input name=c>" + "</form>"
PROTECTED: dict[str, tuple[dict[str, str], bool]] = {
    "a search page and a basket": ({"/search/": page("Search", SHORT), "/cart/": page("Cart", NEAR)}, False),
    "two calculators": ({"/a/": page("Rent", SHORT, body=FIELDS), "/b/": page("Rent", NEAR, body=FIELDS)}, False),
    "a page and a contact page": ({"/offer/": page("Contact", NEAR), "/contact/": page("Contact", SHORT)}, False),
    "terms of two offers": (
        {"/a/": page("Privacy of hire", LAW + SHORT), "/b/": page("Privacy of sale", LAW + NEAR)}, False,
    ),
    "pages of a listing": ({"/list/?page=2": page("List", SHORT), "/list/?page=3": page("List", NEAR)}, False),
    "terms word for word": ({"/hire/terms/": page("Terms", SHORT), "/terms/": page("Terms", SHORT)}, True),
    "two articles": ({"/one/": page("On bows", SHORT), "/two/": page("On bows", NEAR)}, True),
    "two products": (
        {
            path: page(title, SHORT, head='<script type="application/ld+json">{"@type": "Product"}</script>')
            for path, title in (("/shop/tube/", "Postal tube"), ("/shop/easel/", "Chalk easel"))
        },
        False,
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", PROTECTED)
def test_what_is_not_there_for_its_text_is_not_merged_for_it(case: str, page_table: Table) -> None:
    pages, is_merged = PROTECTED[case]
    audit = audited(page_table, {"/": page("Start", said("start")), **pages})
    found = actions(audit)
    assert any("redirect" in steps for steps in found.values()) == is_merged
    if not is_merged:
        assert not any(steps & {"trim", "noindex", "retire"} for steps in found.values())


def test_one_word_that_turns_the_sense_is_named_where_copies_are_merged(page_table: Table) -> None:
    text = f"{said('bow')} A bow costs 19 a month and may be sent back."
    other = text.replace("19", "29").replace("may be", "may not be")
    audit = audited(page_table, {"/a/": page("On bows", text), "/b/": page("On bows", other)})
    merge = audit.plan[audit.plan["action"] == "merge"]
    assert len(merge) == 1
    assert "They differ in words that count: only /b/ says '29' and 'not'; only /a/ says '19'." in merge["why"].item()


DAYS = [f"{day:%Y-%m-%d}" for day in pd.date_range("2029-01-01", periods=60, freq="7D")]


def turns(query: str, a: str, b: str, *, ahead: float = 12.0, behind: float = 25.0) -> list[dict[str, Any]]:
    """Two pages that take turns for a query, four weeks each."""
    return [
        {
            "date": day, "query": query, "page": path, "impressions": 60, "clicks": int(18 / place),
            "position": place + (0.2 if n % 2 else 0.0),
        }
        for n, day in enumerate(DAYS)
        for path, place in ((a, ahead if n // 4 % 2 else behind), (b, behind if n // 4 % 2 else ahead))
    ]  # fmt: skip


def test_a_leader_that_was_not_read_is_read_before_anything_is_decided(page_table: Table) -> None:
    pages = {"/tune/": page("Tuning a violin", said("tune")), "/pegs/": page("Turning the pegs", said("pegs"))}
    rows = turns("tune a violin", "/tune/", "/pegs/", ahead=3.0)
    merged = audited(page_table, pages, rows)
    assert any("redirect" in steps for steps in actions(merged).values())
    unread = [
        {"date": day, "query": "tune a violin", "page": "/guide/", "impressions": 90, "clicks": 20, "position": 1.5}
        for day in DAYS
    ]
    audit = audited(page_table, pages, [*rows, *unread])
    found = actions(audit)
    assert set(found) == {"/tune/", "/pegs/"} - {audit.plan["keeper"].iloc[0].removeprefix(ORIGIN)}
    assert set.union(*found.values()) == {"investigate"}
    assert "/guide/ stands before both, and the crawl did not read it" in audit.plan["why"].str.cat()
    assert audit.meta.totals["search"]["unread_clicks"] > 10


def test_totals_of_the_property_make_a_gain_surer_and_a_cut_export_is_told(
    page_table: Table, tmp_path: Path, run: Callable[..., Any]
) -> None:
    pages = {"/tune/": page("Tuning a violin", said("tune")), "/pegs/": page("Turning the pegs", said("pegs"))}
    rows = turns("tune a violin", "/tune/", "/pegs/", ahead=3.0)

    def merged(searches: int) -> Any:
        totals = pd.DataFrame({"date": DAYS, "query": "tune a violin", "clicks": 6, "impressions": searches, "position": 4})
        totals.to_csv(tmp_path / "totals.csv", index=False)
        pages_file = tmp_path / "rows.csv"
        frame = pd.DataFrame(rows)
        frame.assign(page=ORIGIN + frame["page"]).to_csv(pages_file, index=False)
        site = page_table([{"url": f"{ORIGIN}{path}", "status": 200, "html": html} for path, html in pages.items()])
        audit = mardok.audit(site, search=[pages_file, tmp_path / "totals.csv"])
        return audit, audit.plan[audit.plan["action"] == "merge"].iloc[0]

    open_plan = audited(page_table, pages, rows).plan
    plain = open_plan[open_plan["action"] == "merge"].iloc[0]
    (known, never), (often, always) = merged(120), merged(90)
    assert known.meta.totals["search"]["kept_share"] == often.meta.totals["search"]["kept_share"] == 1
    # Shown apart, one page in their place is found in twice as many searches; shown together, in fewer.
    assert never["gain"] > plain["gain"] > 0
    assert never["gain"] > always["gain"]
    assert always["gain_high"] - always["gain_low"] < plain["gain_high"] - plain["gain_low"]
    cut, as_before = merged(150)
    assert cut.meta.totals["search"]["kept_share"] == pytest.approx(120 / 150)
    assert as_before["gain"] == pytest.approx(plain["gain"])
    done = run(
        "audit", tmp_path / "pages.jsonl", "--search", tmp_path / "rows.csv", "--search", tmp_path / "totals.csv",
        "-o", tmp_path / "cut",
    )  # fmt: skip
    assert "has 80% of what the property has" in " ".join(done.stdout.split())
    alone = run("audit", tmp_path / "pages.jsonl", "--search", tmp_path / "totals.csv", "-o", tmp_path / "no")
    assert alone.returncode == 2
    assert "tells of the property only" in alone.stderr


def test_a_page_far_down_without_clicks_is_no_rival(page_table: Table) -> None:
    pages = {"/tune/": page("Tuning a violin", said("tune")), "/pegs/": page("Turning the pegs", said("pegs"))}
    rows = [
        {**row, "clicks": 0} if row["page"] == "/pegs/" else row for row in turns("tune", "/tune/", "/pegs/", behind=40.0)
    ]
    far = [{**row, "position": 45.0} if row["page"] == "/pegs/" else row for row in rows]
    assert audited(page_table, pages, far).groups.empty
    assert len(audited(page_table, pages, rows).groups) == 2


def test_originals_are_never_led_into_the_folder_of_another_language(page_table: Table) -> None:
    names = ("bows", "pegs", "bridges", "strings")
    pages = {f"{folder}/{name}/": page(f"On {name}", said(name)) for folder in ("", "/ar") for name in names}
    # More speaks for the pages in the wrong folder: links, and clicks.
    pages["/"] = page("Start", said("start"), body="".join(f"<a href=/ar/{name}/>{name}</a>" for name in names))
    search = [
        {"date": day, "query": f"on {name}", "page": f"/ar/{name}/", "impressions": 50, "clicks": 9, "position": 3}
        for name in names for day in DAYS
    ]  # fmt: skip
    for rows in ([], search):
        audit = audited(page_table, pages, rows)
        found = actions(audit)
        assert all(path.startswith("/ar/") for path in found)
        assert set.union(*found.values()) == {"translate"}
        translate = audit.plan[audit.plan["action"] == "translate"]
        assert len(translate) == 1  # one folder and language is one decision


def test_one_text_for_two_regions_is_not_merged(page_table: Table) -> None:
    names = ("bows", "pegs", "bridges", "strings")
    pages = {f"/{folder}/{name}/": page(f"On {name}", said(name)) for folder in ("zh-CN", "zh-TW", "en") for name in names}
    found = actions(audited(page_table, pages))
    assert set(found) == {path for path in pages if path.startswith("/zh")}
    assert set.union(*found.values()) == {"translate"}
    pages = {f"/{folder}/{name}/": page(f"On {name}", said(name)) for folder in ("en-gb", "en-us") for name in names}
    assert not actions(audited(page_table, pages))


def test_what_stands_untranslated_in_many_languages_is_not_pasted(page_table: Table) -> None:
    codes = ("de", "fr", "es", "it", "nl", "sv", "da")
    left = said("left", 90)
    pages = {
        f"/{code}/{name}/": page(f"On {name}", f"{said(f'{code}{name}', 70)} {left if name == 'bows' else ''}")
        for code in codes for name in ("bows", "pegs", "bridges", "strings")
    }  # fmt: skip
    assert not any("trim" in steps for steps in actions(audited(page_table, pages)).values())
    one_language = {f"/shop/{path.replace('/', '-')}": html for path, html in pages.items()}
    assert any("trim" in steps for steps in actions(audited(page_table, one_language)).values())


def test_untranslated_pages_are_one_proposal_for_each_folder(page_table: Table) -> None:
    names = ("bows", "pegs", "bridges")
    pages = {f"/{folder}/{name}/": page(f"On {name}", said(name)) for folder in ("en", "de", "fr") for name in names}
    plan = audited(page_table, pages).plan
    assert sorted(plan.loc[plan["action"] == "translate", "pages"]) == [3, 3]


def test_a_manual_on_one_page_is_left_beside_its_chapters_unless_it_takes_their_places(page_table: Table) -> None:
    chapters = [f"On {name}" for name in ("bows", "pegs", "bridges", "strings")]
    texts = {title: said(title.split()[1], 130) for title in chapters}
    pages = {f"/manual/{title.split()[1]}/": page(title, text) for title, text in texts.items()}
    pages["/manual/all/"] = page("The whole manual", "", body="".join(f"<h2>{t}</h2><p>{x}</p>" for t, x in texts.items()))
    left = audited(page_table, pages).plan
    manual = left[left["rule"] == "contained-manual"]
    assert manual["summary"].tolist() == ["Leave /manual/all/ unchanged: it holds 4 pages on one page"]

    def shown(path: str, clicks: int, place: float) -> list[dict[str, Any]]:
        return [
            {"date": day, "query": "on bows", "page": path, "impressions": 60, "clicks": clicks, "position": place}
            for day in DAYS
        ]

    for in_front, clicks in ((True, 12), (False, 1)):
        search = [*shown("/manual/all/", clicks, 4.0), *shown("/manual/bows/", 13 - clicks, 6.0)]
        found = actions(audited(page_table, pages, search))
        assert ("noindex" in found.get("/manual/all/", set())) == in_front
        assert not any(steps & {"redirect", "trim", "noindex"} for path, steps in found.items() if path != "/manual/all/")


def test_a_page_that_stands_in_front_is_left_whatever_is_pasted_on_it(page_table: Table) -> None:
    pasted = said("pasted", 70)
    pages = {f"/shop/{n}/": page(f"Bow {name}", f"{said(name, 20)} {pasted}") for n, name in enumerate("abcdefg")}
    pages["/"] = page("Start", said("start"))
    trimmed = {path for path, steps in actions(audited(page_table, pages)).items() if "trim" in steps}
    assert len(trimmed) == 7
    own = {"query": "bow a", "page": "/shop/0/", "impressions": 60, "clicks": 9, "position": 3.0}
    far = {"query": "rosin", "page": "/shop/0/", "impressions": 300, "clicks": 0, "position": 60.0}
    search = [{"date": day, **row} for day in DAYS[:40] for row in (own, far)]
    found = actions(audited(page_table, pages, search))
    assert {path for path, steps in found.items() if "trim" in steps} == trimmed - {"/shop/0/"}
    assert "/shop/0/" not in found
    seldom = [{**row, "impressions": 1, "clicks": 0} for row in search]
    assert "/shop/0/" in {path for path, steps in actions(audited(page_table, pages, seldom)).items() if "trim" in steps}


def test_what_a_good_part_of_the_site_links_to_does_not_leave_the_index(page_table: Table) -> None:
    menu = "<p>See <a href=/delivery-days/>delivery days</a> before you hire.</p>"
    pages = {f"/{n}/": page(f"Thing {n}", said(f"thing{n}"), body=menu) for n in range(30)}
    pages |= {"/delivery-days/": page("Days", "We bring it on Monday."), "/odd/": page("Odd", "Nobody reads this.")}
    pages["/0/"] = page("Thing 0", said("thing0"), body=f"{menu}<a href=/odd/>odd</a>")
    search = [
        {"date": day, "query": "thing", "page": "/1/", "impressions": 60, "clicks": 9, "position": 3.0} for day in DAYS
    ]
    found = actions(audited(page_table, pages, search))
    assert "/delivery-days/" not in found
    assert found["/odd/"] & {"noindex", "retire"}


def test_a_series_is_merged_only_if_nobody_asked_for_any_of_it_in_a_good_while(page_table: Table) -> None:
    text = said("pot", 120)
    pages = {f"/{colour}/": page(f"Paint pot in {colour}", f"{text} In {colour}.") for colour in ("moss", "rust", "ink")}
    pages["/"] = page("Start", said("start"))
    rows = [
        {"date": day, "query": "paint", "page": "/moss/", "impressions": 30, "clicks": 3, "position": 6.0}
        for day in DAYS[:20]
    ]
    long, short = audited(page_table, pages, rows), audited(page_table, pages, rows[:12])
    assert {path for path, steps in actions(long).items() if "redirect" in steps} == {"/ink/", "/rust/"}
    assert not actions(short)
    assert short.plan["rule"].tolist().count("copies-different") == 1
    asked = [{**row, "query": f"paint pot {colour}", "page": f"/{colour}/"} for row in rows for colour in ("rust", "ink")]
    assert "rewrite" in set.union(*actions(audited(page_table, pages, [*rows, *asked])).values())


def test_two_pages_are_told_apart_as_twenty_are(page_table: Table) -> None:
    text = said("hire", 120)
    for towns in (("Aldmoor", "Brackwell"), tuple(f"{name}ton" for name in "ABCDEFGHJKLMNOPQRSTU")):
        pages = {f"/{town.lower()}/": page(f"Violin hire in {town}", f"{text} We come to {town}.") for town in towns}
        assert not any("redirect" in steps for steps in actions(audited(page_table, pages)).values())


@pytest.mark.parametrize("written", ["/b/", f"{ORIGIN}/b/"])
def test_a_keeper_may_be_named_as_the_plan_prints_it(written: str, page_table: Table, tmp_path: Path) -> None:
    text = said("bow")
    pages = {"/a/": page("On bows", text), "/b/": page("On bows", text)}
    first = audited(page_table, pages)
    merge = first.plan[first.plan["action"] == "merge"]
    assert merge["keeper"].tolist() == [f"{ORIGIN}/a/"]
    for keeper, told in ((written, True), ("/c/", False)):
        edited = tmp_path / "decisions.csv"
        edited.write_text(f"proposal,decision,keeper\n{merge['proposal'].item()},accept,{keeper}\n")
        first.save(tmp_path / "audit")
        plan = pd.read_csv(tmp_path / "audit" / "plan.csv", keep_default_na=False)
        is_row = plan["proposal"] == merge["proposal"].item()
        plan.loc[is_row, ["decision", "keeper"]] = ["accept", keeper]
        plan.to_csv(tmp_path / "audit" / "plan.csv", index=False)
        again = audited(page_table, pages, decisions=tmp_path / "audit" / "plan.csv")
        row = again.plan[again.plan["action"] == "merge"]
        assert row["keeper"].tolist() == [f"{ORIGIN}/b/" if told else f"{ORIGIN}/a/"]
        assert row["decision"].tolist() == ["accept" if told else ""]
        reasons = again.tables["unread"]["reason"].tolist()
        assert bool(reasons) != told
        assert told or "cannot be followed, so it is not accepted either" in reasons[-1]


def test_only_what_fits_into_the_hours_is_handed_over(demo: mardok.Audit, tmp_path: Path, run: Callable[..., Any]) -> None:
    demo.save(tmp_path / "audit")
    done = run("handoff", tmp_path / "audit", "-o", tmp_path / "out", "--all", "--hours", "3")
    assert done.returncode == 0, done.stderr
    letter = (tmp_path / "out" / "letter.md").read_text("utf-8")
    assert "bring most in 3 hours" in letter
    hours = pd.read_excel(tmp_path / "out" / "audit.xlsx", sheet_name="plan")
    assert np.isfinite(hours["effort_hours"]).all()
    refused = run("handoff", tmp_path / "audit", "-o", tmp_path / "less", "--hours", "0.1")
    assert refused.returncode == 2
