"""What is asked and not said: which words a page holds, which queries somebody promises, and what is not told."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import mardok

HOST = "https://www.host.example"
PAGES = {
    "/hire/": ("en", "Violin hire", "You pay for each violin by the month. A notebook and a shoulder rest are with it."),
    "/strings/": ("en", "Strings for cellos", "Gut and steel strings in all sizes, fitted on Fridays by our lute maker."),
    "/de/": ("de", "Geigenmiete", "Unsere Geigenmiete ist monatlich. Der Bogenbezug wird bei uns in der Werkstatt gemacht."),
}
Table = Callable[..., Path]


def asked(
    page_table: Table, tmp_path: Path, rows: list[tuple[str, str, int, float]], **settings: str
) -> dict[str, tuple[str, str]]:
    """Words that are missing, and whether somebody promises it, of each query that is told."""
    source = page_table(
        [
            {
                "url": f"{HOST}{path}",
                "html": f"<html lang={language}><title>{title}</title><main><h1>{title}</h1><p>{text}</p></main>",
            }
            for path, (language, title, text) in PAGES.items()
        ]
    )
    search = tmp_path / "search.csv"
    lines = [f"{query},{HOST}{path},1,{impressions},{position}" for query, path, impressions, position in rows]
    search.write_text("\n".join(["query,page,clicks,impressions,position", *lines, ""]), "utf-8")
    chosen = mardok.read_settings(assignments=["search.days=30", *(f"{name}={value}" for name, value in settings.items())])
    table = mardok.audit(source, search=search, settings=chosen).tables["unanswered"]
    assert table["impressions"].is_monotonic_decreasing
    return {row.query: (row.missing, row.promised) for row in table.itertuples()}


def test_words_that_the_page_does_not_say_are_told(page_table: Table, tmp_path: Path) -> None:
    told = asked(
        page_table,
        tmp_path,
        [
            ("rent violins", "/hire/", 400, 9),  # other forms of what it says are said
            ("violin hire with insurance", "/hire/", 300, 9),
            ("violin strings for hire", "/hire/", 200, 9),
            ("1/4 violin hire", "/hire/", 100, 9),
        ],
    )
    assert told["rent violins"] == ("rent", "no")
    assert told["violin hire with insurance"] == ("insurance", "no")
    assert told["violin strings for hire"] == ("strings", "no")
    assert told["1/4 violin hire"] == ("1 4", "no")


def test_what_the_page_says_in_other_writing_is_not_told(page_table: Table, tmp_path: Path) -> None:
    rows = [
        ("hiring violins", "/hire/", 400, 9),
        ("note book violin", "/hire/", 390, 9),  # joined otherwise
        ("shoulderrest", "/hire/", 380, 9),  # parted otherwise
        ("vioiln hire", "/hire/", 370, 9),  # a slip
        ("hire a violin 2030", "/hire/", 360, 9),  # a year
        ("geige mieten", "/de/", 350, 9),  # parts of a compound
        ("bogen", "/de/", 340, 9),
    ]
    told = asked(page_table, tmp_path, rows)
    assert {query: missing for query, (missing, _) in told.items() if missing} == {}
    assert "hiring violins" not in told
    assert "hire a violin 2030" not in told


def test_a_query_that_nobody_promises_is_told_even_if_the_text_says_it(page_table: Table, tmp_path: Path) -> None:
    told = asked(page_table, tmp_path, [("violin by the month", "/hire/", 90, 12), ("cello strings", "/strings/", 80, 12)])
    assert told == {"violin by the month": ("", "no")}


def test_a_page_in_front_few_impressions_and_a_page_that_another_leads_are_left(page_table: Table, tmp_path: Path) -> None:
    rows = [
        ("violin rental", "/hire/", 500, 2.0),  # search has understood it
        ("violin insurance", "/hire/", 5, 9.0),
        ("lute", "/hire/", 40, 30.0),
        ("lute", "/strings/", 60, 9.0),  # the page that is shown most says it
    ]
    assert asked(page_table, tmp_path, rows) == {"lute": ("", "no")}
    with_all = asked(page_table, tmp_path, rows, **{"search.unanswered_impressions": "0", "search.unanswered_position": "1"})
    assert set(with_all) == {"violin rental", "violin insurance", "lute"}


def test_without_search_data_nothing_is_told(page_table: Table) -> None:
    source = page_table([{"url": f"{HOST}/", "html": "<title>Bows</title><p>Bows"}])
    assert mardok.audit(source).tables["unanswered"].empty
