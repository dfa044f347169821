"""The report in a real browser: complete, quick, by keyboard alone, and deaf to what pages say."""

from __future__ import annotations

import json
import os
import random
import re
import subprocess
import sys
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC
from hypothesis import given
from hypothesis import strategies as st

import mardok
from mardok.compare.difference import difference
from mardok.compare.variants import components
from mardok.deliver import report_parts
from mardok.deliver.report import report_html
from mardok.findings.elsewhere import Elsewhere, PassageColumns
from mardok.sentences import percent, sentence
from mardok.sharing import forked, shared_by
from mardok.store import MemoryStore

VIEWS = ["start", "plan", "copies", "wording", "proof", "rivals", "pages", "checks", "read"]
HOSTILE = [
    "<script>document.title='taken'</script>",
    "</title><img src=x onerror=\"document.title='taken'\">",
    "{{ 7 * 7 }}{% raw %}",
    '=HYPERLINK("https://evil.example")',
    "\u202eelttil gnorw eht dna\u202c &lt;b&gt; &amp;amp;",
    "x" * 10_000,
]
HOST = "https://www.wyndale-violin-hire.example"


def deep_views(audit: mardok.Audit) -> list[str]:
    """Views below the first level: an opened proposal and check, one page, two pages side by side."""
    a, b = audit.row_of(f"{HOST}/repairs/bow-rehair/"), audit.row_of(f"{HOST}/bow-rehairing-service/")
    return [f"plan/{audit.plan['proposal'][3]}", "checks/title-long", f"page/{a}", f"pair/{a}/{b}"]


class Report:
    """A report in a tab, with all that it asked for or complained of."""

    def __init__(self, page: Any, path: Path) -> None:
        self.page, self.path = page, path
        self.noticed: list[str] = []
        page.on("request", lambda request: self.noticed.append(request.url))
        page.on("console", lambda message: self.noticed.append(message.text))
        page.on("pageerror", lambda error: self.noticed.append(str(error)))
        page.goto(path.as_uri())
        page.wait_for_selector("body[data-shown]")

    def show(self, address: str) -> Any:
        """Go to a view by the hash of its address; its section."""
        self.page.evaluate("hash => { delete document.body.dataset.shown; location.hash = hash }", address)
        self.page.wait_for_selector("body[data-shown]")
        return self.page.locator("section[data-view]:not([hidden])")

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)


@pytest.fixture
def opened(browser: Any) -> Any:
    """Opens a report."""
    pages = []

    def open_report(path: Path, width: int = 1280, **options: Any) -> Report:
        pages.append(browser.new_page(viewport={"width": width, "height": 800}, **options))
        return Report(pages[-1], path)

    yield open_report
    for page in pages:
        page.close()


def test_the_report_opens_from_disk_and_asks_for_nothing(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    report = opened(demo_folder / "report.html")
    assert report.page.title() == "Content audit of www.wyndale-violin-hire.example"
    links = report.page.eval_on_selector_all("nav.views a", "found => found.map(link => link.hash.slice(1))")
    assert links == VIEWS
    for view in VIEWS:
        section = report.show(view)
        assert section.count() == 1
        assert section.get_attribute("data-view") == view
        levels = section.evaluate("root => [...root.querySelectorAll('h2, h3, h4')].map(one => +one.tagName[1])")
        assert levels[0] == 2
        assert max([b - a for a, b in pairwise(levels)], default=0) <= 1
        assert len(section.inner_text()) > 200
    rows = report.show("plan").locator("button[data-opens]").all_inner_texts()
    assert rows == demo.plan["summary"].tolist()
    assert {url for url in report.noticed if not url.startswith("file:")} == set()
    assert len([url for url in report.noticed if "#" not in url]) == 1


def test_every_figure_leads_to_the_pages_behind_it(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    report = opened(demo_folder / "report.html")
    totals = demo.meta.totals
    for name, n in (("indexable=yes", totals["indexable"]), ("thin=yes", totals["thin"]), ("copies=yes", 31)):
        section = report.show("start")
        section.locator(f'a[href="#pages?{name}"]').click()
        report.page.wait_for_selector('section[data-view="pages"]:not([hidden])')
        assert report.page.locator('section[data-view="pages"] [role=status]').inner_text().endswith(f"{n} pages")


def test_the_sheet_of_a_page_holds_what_the_command_says_of_it(
    opened: Any, demo: mardok.Audit, demo_folder: Path, run_here: Any
) -> None:
    report = opened(demo_folder / "report.html")
    seen = set()
    for address in ("/repairs/bow-rehair/", "/hire/sizes/", "/hire/prices/", "/blog/page/3/", "/de/mieten/"):
        url = f"{HOST}{address}"
        told = json.loads(run_here("page", demo_folder, url, "--json").stdout)
        seen |= {name for name, value in told.items() if value}
        section = report.show(f"page/{demo.row_of(url)}")
        sheet = " ".join(section.inner_text().split())
        for name in ("title", "h1", "kind", "kind_reason", "description", "declared_language", "reason"):
            assert str(told["page"][name] or "") in sheet, name
        topic = told["topic"]
        uses = f"{topic['uses']} use" if topic["uses"] else "never in the main text"
        assert f"{topic['phrase']}: in {', '.join(topic['said_by']) or 'no field as a whole'}; {uses}" in sheet
        assert (f"first said at word {topic['first_word']}" in sheet) == (topic["first_word"] is not None)
        for phrase in told["phrases"]:
            assert f"{phrase['uses']} {phrase['phrase']}" in sheet
        if told["elsewhere"]:
            assert f"Text that stands elsewhere too: {percent(told['copied_share'])} of the words" in sheet
        for stretch in told["elsewhere"]:
            example = stretch["for_example"].removeprefix(HOST)
            assert f"{stretch['words']} {stretch['text']} {stretch['other_pages']} {example}" in sheet
        for relative in told["relatives"]:
            shares = [percent(relative[name]) for name in ("resemblance", "this_in_it", "it_in_this")]
            assert f"{' '.join(shares)} {relative['shared_words']} {relative['url'].removeprefix(HOST)}" in sheet
        for query in told["queries"]:
            assert f"{query['query']} {query['impressions']:,.1f} {query['clicks']:,.1f} {query['position']:,.1f}" in sheet
        for alternate in told["alternates"]:
            assert f"hreflang {alternate['hreflang']} {alternate['url'].removeprefix(HOST)}" in sheet
        for group in told["groups"]:
            assert f"{group['role']}; evidence {group['evidence']}, confidence {group['confidence']}" in sheet
        for trouble in told["checks"]:
            assert trouble["check"] in sheet
        for step in told["steps"]:
            assert step["detail"] in sheet
            assert f"rank {step['rank']}" in sheet
    assert {"phrases", "elsewhere", "relatives", "queries", "alternates", "groups", "checks", "steps"} <= seen


def test_by_keyboard_one_sorts_filters_decides_and_saves(
    opened: Any, demo: mardok.Audit, demo_folder: Path, tmp_path: Path
) -> None:
    report = opened(demo_folder / "report.html")
    section = report.show("plan")
    section.get_by_role("button", name="Gain", exact=True).focus()
    report.press("Enter")
    first = section.locator("button[data-opens]").first.inner_text()
    clicks = demo.plan[demo.plan["gain_unit"] == "clicks/month"]
    assert first in clicks.loc[clicks["gain"] == clicks["gain"].max(), "summary"].tolist()
    assert section.locator("th[aria-sort=descending]").inner_text().startswith("Gain")
    section.get_by_label("Text").focus()
    report.page.keyboard.type("bow-rehair")
    shown = section.locator("button[data-opens]")
    wanted = demo.plan[(demo.plan["summary"] + demo.plan["why"]).str.contains("bow-rehair", regex=False)]
    assert shown.count() == len(wanted)
    target = wanted[wanted["summary"].str.contains("/bow-rehairing-service/")].iloc[0]
    section.locator(f'button[data-opens="{target["proposal"]}"]').focus()
    report.press("Enter")
    assert target["why"] in section.inner_text()
    section.locator("tr.detail select").focus()
    report.press("a")  # accept
    report.press("Tab")
    assert section.locator(f'tr:has(button[data-opens="{target["proposal"]}"]) td').last.inner_text() == "accept"
    report.page.keyboard.type('=said "yes", on Monday')
    report.press("Tab")
    with report.page.expect_download() as download:
        section.get_by_role("button", name="Save decisions").focus()
        report.press("Enter")
    saved = tmp_path / "decisions.csv"
    download.value.save_as(saved)
    assert download.value.suggested_filename == "decisions.csv"
    again = mardok.audit(DEMO_WARC, search=DEMO_SEARCH, decisions=saved)
    decided = again.plan[again.plan["decision"] != ""]
    assert decided[["proposal", "decision", "note"]].to_numpy().tolist() == [
        [target["proposal"], "accept", '=said "yes", on Monday']
    ]
    mardok.hand_off(demo, tmp_path / "out", decisions=saved)
    assert "/bow-rehairing-service/" in (tmp_path / "out" / "redirects.csv").read_text()


@pytest.mark.parametrize("percent", [55, 72, 90, 99])
def test_the_slider_shows_what_a_new_comparison_finds(
    opened: Any, demo: mardok.Audit, demo_folder: Path, percent: int
) -> None:
    report = opened(demo_folder / "report.html")
    section = report.show("copies")
    section.get_by_role("slider").focus()
    report.press(*["ArrowLeft" if percent < 85 else "ArrowRight"] * abs(85 - percent))
    assert f"hang together at {percent}%" in section.inner_text()
    shown = sorted(int(n) for n in section.locator("tbody tr td:first-child").all_inner_texts())
    variants = demo.groups[(demo.groups["kind"] == "variants")]
    members = set(variants.loc[variants["role"] == "member", "url"])
    texts = demo.pages["main_text"].where(demo.pages["indexable"] & ~demo.pages["url"].isin(members), "")
    fresh = mardok.find_copies(texts.tolist(), minimum=percent / 100)
    pairs = list(fresh[["a", "b"]].itertuples(index=False, name=None))
    # A variant is compared with its keeper only, and hangs on to it where it is like enough.
    row_of = {url: row for row, url in enumerate(demo.pages["url"])}
    for _, part in variants.groupby("group"):
        keeper = part.loc[part["role"] == "keeper", "url"].iloc[0]
        for url in part.loc[part["role"] == "member", "url"]:
            both = demo.pair(keeper, url)
            if both.resemblance >= percent / 100:
                pairs.append((min(row_of[keeper], row_of[url]), max(row_of[keeper], row_of[url])))
    assert shown == sorted(map(len, components(len(texts), sorted(pairs))))


def test_a_pair_shows_the_words_that_differ_and_all_others(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    report = opened(demo_folder / "report.html")
    pairs = demo.pairs[demo.pairs["resemblance"].between(0.55, 0.99)].sort_values("resemblance")
    grouped = set(demo.groups.loc[demo.groups["kind"] != "series", "url"])
    kept = pairs[pairs["url_a"].isin(grouped) & pairs["url_b"].isin(grouped)]
    assert len(kept) > 20
    for url_a, url_b in kept[["url_a", "url_b"]].iloc[:: max(len(kept) // 12, 1)].itertuples(index=False):
        a, b = demo.row_of(url_a), demo.row_of(url_b)
        section = report.show(f"pair/{a}/{b}")
        section.locator(".pair").wait_for()
        for side, row in (("a", a), ("b", b)):
            cells = section.locator(f".pair > .{side}:not(.head)").all_text_contents()
            assert " ".join(cells).split() == demo.pages["main_text"][row].split()
            marked = sum(len(text.split()) for text in section.locator(f".pair > .{side} mark").all_text_contents())
            runs = difference(demo.pages["main_text"][a], demo.pages["main_text"][b])
            plain = sum(len([p for p in getattr(run, side) if p.strip()]) for run in runs if not run.is_same)
            assert marked <= plain + 2  # no worse than `mardok pair`
    row = report.show(f"pair/{demo.row_of(f'{HOST}/repairs/bow-rehair/')}/{demo.row_of(f'{HOST}/bow-rehairing-service/')}")
    assert {"thirty-eight", "thirty-six"} == set(row.locator("mark").all_inner_texts())
    assert row.locator(".chrome").count() == 0
    row.get_by_label("Show what is left out").focus()
    report.press("Space")
    row.locator(".chrome").first.wait_for()
    assert "Left out (nav)" in row.inner_text()


def test_rivals_show_queries_and_positions(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    report = opened(demo_folder / "report.html")
    section = report.show("rivals")
    picture = section.locator("figure svg[role=img]").first.get_attribute("aria-label")
    assert re.fullmatch(
        r"Positions for '.+' from \d{4}-\d\d-\d\d to \d{4}-\d\d-\d\d: .+ on average; .+ on average\.", picture
    )
    told = demo.tables["positions"]
    query = re.match(r"Positions for '(.+?)'", picture)[1]  # type: ignore[index]
    for page, part in told[told["query"] == query].groupby("page"):
        mean = part["position"].round(1).mean()
        assert f"{demo.pages['url'][page].removeprefix(HOST)} at {mean:.1f} on average" in picture


def test_checks_say_what_they_cost_and_what_mends_them(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    report = opened(demo_folder / "report.html")
    section = report.show("checks/title-long")
    text = section.inner_text()
    assert str(sentence("check.title-long.cost")) in text
    assert str(sentence("check.title-long.mend")) in text
    names = section.locator("button[data-opens]").all_inner_texts()
    assert sorted(names) == sorted(demo.checks["check"].unique())
    templates = demo.checks.groupby("check")["is_template"].sum()
    assert templates[names[0]] > 0


@pytest.mark.parametrize(("width", "scale"), [(1280, 1), (640, 2), (320, 1)])
def test_nothing_is_wider_than_the_window(
    opened: Any, demo: mardok.Audit, demo_folder: Path, width: int, scale: int
) -> None:
    report = opened(demo_folder / "report.html", width, device_scale_factor=scale)
    for view in [*VIEWS, *deep_views(demo)]:
        report.show(view)
        assert report.page.evaluate("document.documentElement.scrollWidth") <= width, view


@pytest.mark.parametrize(("scheme", "width"), [("light", 1280), ("dark", 320)])
def test_nobody_is_kept_out(opened: Any, demo: mardok.Audit, demo_folder: Path, scheme: str, width: int) -> None:
    axe = Path(os.environ.get("MARDOK_AXE", "node_modules/axe-core")) / "axe.min.js"
    if not axe.exists():
        if os.environ.get("CI"):
            pytest.fail("axe-core is missing; .ci/run installs it")
        pytest.skip("needs axe-core (npm install --no-save axe-core)")
    report = opened(demo_folder / "report.html", width, color_scheme=scheme)
    report.page.evaluate(axe.read_text("utf-8"))
    for view in [*VIEWS, *deep_views(demo)]:
        report.show(view)
        found = report.page.evaluate("axe.run().then(found => found.violations)")
        assert [(one["id"], one["nodes"][0]["html"][:200]) for one in found] == [], view


def test_print_holds_what_is_folded_away_on_screen(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    report = opened(demo_folder / "report.html")
    report.page.wait_for_selector("body[data-printable=yes]", state="attached")
    report.page.emulate_media(media="print")
    report.page.wait_for_selector("section[data-view=checks] tr.detail")
    text = " ".join(report.page.locator("main").inner_text().split())
    for why in demo.plan["why"]:
        assert " ".join(why.split()) in text
    local = [url.removeprefix(HOST) if url != HOST else url for url in demo.groups["url"]]
    for url in [*local, *demo.pages["title"]]:
        assert " ".join(url.split()) in text
    for check in demo.checks["check"].unique():
        assert str(sentence(f"check.{check}.mend")) in text
    assert len(report.page.locator("section[data-view=rivals] figure").all()) >= 7
    report.page.emulate_media(media="screen")
    report.page.wait_for_selector('section[data-view="plan"]', state="hidden")


def test_what_pages_say_stays_text(opened: Any, page_table: Callable[..., Path], tmp_path: Path) -> None:
    body = " ".join(f"word{n}" for n in range(50))
    rows = [
        {
            "url": f"https://host.example/{number}{side}",
            "title": text,
            "h1": text,
            "text": f"{body} {number}\n{text}{side}",
            "status": 200,
        }
        for number, text in enumerate(HOSTILE)
        for side in ("/a", "/b")
    ]
    audit = mardok.audit(page_table(rows))
    audit.save(tmp_path / "out")
    report = opened(tmp_path / "out" / "report.html")
    shown = ""
    for view in [
        *VIEWS,
        *(f"page/{row}" for row in range(len(rows))),
        *(f"pair/{row}/{row + 1}" for row in range(0, len(rows), 2)),
    ]:
        section = report.show(view)
        assert section.locator("img, script, iframe, form, object").count() == 0
        closed = section.locator('button[data-opens][aria-expanded="false"]')
        while closed.count():
            closed.first.click()
        shown += section.inner_text()
        assert report.page.evaluate("document.documentElement.scrollWidth") <= 1280, view
    for text in HOSTILE:
        assert " ".join(text.split()) in " ".join(shown.split())
    assert report.page.title() == "Content audit of host.example"
    assert [line for line in report.noticed if not line.startswith("file:")] == []
    for address in ("%E0%A4%A", "page/99", "pair/x/y", "nonsense"):
        report.show(address)
    assert [line for line in report.noticed if not line.startswith("file:")] == []
    # The policy keeps out what might get in all the same.
    report.page.evaluate(
        "const own = document.createElement('script'); own.textContent = 'document.title = 1'; document.body.append(own);"
        "const image = new Image(); image.src = 'https://evil.example/x.png'; document.body.append(image);"
    )
    assert report.page.title() == "Content audit of host.example"
    assert sum("Content Security Policy" in line for line in report.noticed) >= 2
    cells = pd.read_csv(tmp_path / "out" / "pages.csv", dtype=str, keep_default_na=False)
    assert sorted(cells.loc[cells["title"].str.startswith("'"), "title"].unique()) == ["'" + HOSTILE[3]]
    assert not cells.stack().str.contains(r"^[=+\-@\t\r]").any()


def test_a_large_site_is_shown_some_rows_at_a_time(opened: Any, page_table: Callable[..., Path], tmp_path: Path) -> None:
    rows = [
        {"url": f"https://host.example/s{n % 40}/{n}", "title": f"Bow number {n}", "text": f"bow {n} " * 40, "status": 200}
        for n in range(3_000)
    ]
    mardok.audit(page_table(rows)).save(tmp_path / "out")
    report = opened(tmp_path / "out" / "report.html")
    for view in VIEWS:
        report.show(view)
        assert report.page.evaluate("document.querySelectorAll('*').length") < 6_000, view
    section = report.show("pages")
    assert section.locator("tbody tr").count() == 50
    section.get_by_label("Address or title").fill("number 299")
    assert section.locator("[role=status]").inner_text() == "11 pages"
    section.get_by_label("Address or title").fill("")
    section.get_by_role("button", name="Next").focus()
    report.press("Enter")
    assert section.locator("[role=status]").inner_text() == "51 to 100 of 3,000 pages"


def test_what_there_is_no_room_for_is_told(
    opened: Any, demo: mardok.Audit, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    def by_two() -> str:
        with shared_by(forked(2)):
            return report_html(demo.tables, demo.meta)

    assert by_two() == report_html(demo.tables, demo.meta)
    small = 640_000  # what is kept free, and some room for the first parts
    monkeypatch.setattr(report_parts, "MOST_BYTES", small)
    monkeypatch.setattr(report_parts, "_MOST_PROPOSALS", 20)
    path = tmp_path / "report.html"
    path.write_text(report_html(demo.tables, demo.meta), "utf-8")
    assert path.stat().st_size < small
    assert by_two() == path.read_text("utf-8")
    chance = random.Random(1)
    titles = [f"{chance.getrandbits(80_000):x}" for _ in range(len(demo.pages))]
    long = demo.pages.assign(title=pd.array(titles, dtype=demo.pages["title"].dtype))
    assert len(report_html(MemoryStore({**demo.tables, "pages": long}), demo.meta).encode()) < small
    report = opened(path)
    text = report.show("read").inner_text()
    assert "For want of room this report leaves out" in text
    assert f"{len(demo.plan) - 20} proposals" in text
    section = report.show(deep_views(demo)[-1])
    assert f"mardok pair DIR {HOST}/repairs/bow-rehair/ {HOST}/bow-rehairing-service/" in section.inner_text()
    assert report.noticed == [path.as_uri()]


def test_a_notebook_shows_audits_groups_and_pairs(demo: mardok.Audit, page_table: Callable[..., Path]) -> None:
    assert demo.plan["summary"][0] in demo._repr_html_().replace("&#39;", "'")
    group = demo.group(demo.groups["group"][0])
    assert len(group.pages) == (demo.groups["group"] == group.id).sum()
    assert all(url in group._repr_html_() for url in group.pages["url"])
    pair = demo.pair(f"{HOST}/repairs/bow-rehair/", f"{HOST}/bow-rehairing-service/")
    assert "<mark>thirty-eight</mark>" in pair._repr_html_()
    with pytest.raises(mardok.SelectionError, match="is no group of this audit"):
        demo.group("nothing")
    hostile = mardok.audit(
        page_table([{"url": "https://host.example/", "title": HOSTILE[0], "text": HOSTILE[0], "status": 200}])
    )
    assert (
        "<script" not in hostile.pair("https://host.example/", "https://host.example/")._repr_html_() + hostile._repr_html_()
    )


def test_figures_draw_what_the_tables_hold(demo: mardok.Audit) -> None:
    figures = mardok.figures
    gain = figures.gain_against_effort(demo.tables)
    drawn = sum(len(line.get_xdata()) for line in gain.lines if line.get_linestyle() == "None")
    clicks = demo.plan[demo.plan["gain_unit"] == "clicks/month"]
    assert drawn == (clicks["gain"] != 0).sum()
    histogram = figures.resemblance_distribution(demo.tables, 0.85)
    assert sum(patch.get_height() for patch in histogram.patches) == (demo.pairs["resemblance"] >= 0.5).sum()
    words = figures.section_words(demo.pages)
    counted = demo.meta.totals["accounted_words"]
    assert {name: int(words[name].sum()) for name in counted} == counted
    assert len(figures.words_by_section(demo.tables).patches) == 3 * len(words)
    lines = figures.positions_over_time(demo.tables, "violin sizes").lines
    told = demo.tables["positions"]
    assert len(lines) == told.loc[told["query"] == "violin sizes", "page"].nunique() == 2
    with pytest.raises(mardok.SelectionError, match="is no query that rivals compete for"):
        figures.positions_over_time(demo.tables, "nothing")


def test_pictures_of_the_first_screen_hold_what_the_tables_hold(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    report = opened(demo_folder / "report.html")
    gain, words = report.show("start").locator("figure svg").all()
    plan = demo.plan
    gaining = plan[(plan["gain_unit"] == "clicks/month") & (plan["gain"] > 0)]
    placed = gain.locator("path[transform]").evaluate_all("marks => marks.map((mark) => mark.getAttribute('transform'))")
    marks = [tuple(map(float, re.findall(r"[\d.]+", at))) for at in placed]
    drawn = pd.DataFrame(marks[: len(gaining)], columns=["x", "y"])
    told = gaining[["effort_hours", "gain"]].reset_index(drop=True)
    for at, value in (("x", "effort_hours"), ("y", "gain")):
        slope, start = np.polyfit(told[value], drawn[at], 1)
        assert np.allclose(drawn[at], slope * told[value] + start, atol=0.2)
    labels = gain.locator("text").all_text_contents()
    assert {f"rank {rank}" for rank in gaining.nlargest(3, "gain")["rank"]} <= {*labels}
    assert set(map(str, gaining["action"])) <= {*labels}
    sections = mardok.figures.section_words(demo.pages)
    bars = words.locator("rect.own").evaluate_all("bars => bars.map((bar) => Number(bar.getAttribute('width')))")[:-1]
    shares = np.array(bars) / max(bars) - sections["own"].to_numpy() / sections["own"].max()
    assert np.abs(shares).max() < 0.01
    assert [name for name in words.locator("text").all_text_contents() if name in {*sections["section"]}] == [
        *sections["section"]
    ]


def test_a_report_and_a_plain_error_need_no_matplotlib(demo_folder: Path) -> None:
    program = f"""
import sys
sys.modules["matplotlib"] = sys.modules["matplotlib.figure"] = None
import mardok
from mardok.deliver.report import report_html
audit = mardok.load({str(demo_folder)!r})
assert report_html(audit.tables, audit.meta).count("<svg") >= 2
try:
    mardok.figures.words_by_section(audit.tables)
except mardok.SelectionError as error:
    assert "pip install 'mardok[figures]'" in str(error)
else:
    raise SystemExit("no error")
"""
    subprocess.run([sys.executable, "-c", program], check=True)


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 9), st.integers(1, 6)), max_size=15))
def test_words_that_stand_elsewhere_count_once(stretches: list[tuple[int, int, int]]) -> None:
    page, word, words = np.array(sorted(stretches), np.int64).reshape(-1, 3).T
    nothing = np.zeros(len(page), np.int64)
    elsewhere = Elsewhere(PassageColumns(page, word, words, nothing, nothing.astype(bool)), 5)
    for row in range(5):
        covered = {at for own, first, n in stretches if own == row for at in range(first, first + n)}
        assert elsewhere.share(row, 20) == len(covered) / 20
    assert elsewhere.share(0, 0) == 0
