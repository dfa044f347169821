"""The report in a real browser: complete, still, and deaf to what pages say."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import mardok

HOSTILE = [
    "<script>document.title='taken'</script>",
    "</title><img src=x onerror=\"document.title='taken'\">",
    "{{ 7 * 7 }}{% raw %}",
    '=HYPERLINK("https://evil.example")',
    "\u202eelttil gnorw eht dna\u202c &lt;b&gt; &amp;amp;",
    "x" * 5_000,
]


@pytest.fixture
def opened(browser: Any) -> Any:
    """Opens a report and gives the page, with all that it asked for or complained of."""
    pages = []

    def open_report(path: Path, width: int = 1280) -> Any:
        page = browser.new_page(viewport={"width": width, "height": 800})
        page.noticed = []
        page.on("request", lambda request: page.noticed.append(request.url))
        page.on("console", lambda message: page.noticed.append(message.text))
        page.on("pageerror", lambda error: page.noticed.append(str(error)))
        page.goto(path.as_uri())
        pages.append(page)
        return page

    yield open_report
    for page in pages:
        page.close()


def test_the_report_opens_from_disk_and_asks_for_nothing(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    report = demo_folder / "report.html"
    page = opened(report)
    assert page.noticed == [report.as_uri()]
    assert page.title() == "Content audit of www.wyndale-violin-hire.example"
    assert page.locator("ol.plan > li").count() == len(demo.plan)
    assert page.locator(".group").count() == demo.groups["group"].nunique()
    for summary in demo.plan["summary"]:
        assert page.locator("ol.plan").get_by_text(summary, exact=True).count() == 1
    levels = page.eval_on_selector_all("h1, h2, h3", "found => found.map(heading => +heading.tagName[1])")
    assert levels[0] == 1
    assert max(b - a for a, b in pairwise(levels)) == 1


def test_a_pair_shows_the_words_that_differ(opened: Any, demo_folder: Path) -> None:
    page = opened(demo_folder / "report.html")
    view = page.locator("details", has_text="Side by side: /bow-rehairing-service/").last
    view.locator("summary").focus()
    page.keyboard.press("Enter")
    marked = view.locator("mark").all_inner_texts()
    assert {"thirty-six", "thirty-eight"} <= set(marked)
    assert len(" ".join(marked).split()) < 10


@pytest.mark.parametrize("width", [1280, 390, 320])
def test_nothing_is_wider_than_the_window(opened: Any, demo_folder: Path, width: int) -> None:
    page = opened(demo_folder / "report.html", width)
    page.eval_on_selector_all("details", "found => found.forEach(details => details.open = true)")
    assert page.evaluate("document.documentElement.scrollWidth") <= width


def test_print_holds_what_is_folded_away_on_screen(opened: Any, demo: mardok.Audit, demo_folder: Path) -> None:
    page = opened(demo_folder / "report.html")
    last = page.locator("ol.plan > li .inside").last
    assert not last.is_visible()
    page.emulate_media(media="print")
    assert last.is_visible()
    assert demo.plan["why"].iloc[-1] in last.inner_text()


def test_what_pages_say_stays_text(opened: Any, page_table: Callable[..., Path], tmp_path: Path) -> None:
    body = " ".join(f"word{n}" for n in range(50))
    rows = [
        {
            "url": f"https://host.example/{number}{side}",
            "title": text,
            "text": f"{body} {number}\n{text}{side}",
            "status": 200,
        }
        for number, text in enumerate(HOSTILE)
        for side in ("/a", "/b")
    ]
    audit = mardok.audit(page_table(rows))
    audit.save(tmp_path / "out")
    page = opened(tmp_path / "out" / "report.html")
    page.eval_on_selector_all("details", "found => found.forEach(details => details.open = true)")
    assert len(page.noticed) == 1
    assert page.title() == "Content audit of host.example"
    assert page.locator("img, script, iframe, form").count() == 0
    shown = page.locator("main").inner_text()
    for text in HOSTILE[:5]:
        assert " ".join(text.split()) in " ".join(shown.split())
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280
    cells = pd.read_csv(tmp_path / "out" / "pages.csv", dtype=str, keep_default_na=False)
    assert sorted(cells.loc[cells["title"].str.startswith("'"), "title"].unique()) == ["'" + HOSTILE[3]]
    assert not cells.stack().str.contains(r"^[=+\-@\t\r]").any()
