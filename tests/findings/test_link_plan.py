"""Links that wait to be made: which are found, which are not offered, and that they stand where the plan says."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import DEMO_WARC
from selectolax.lexbor import LexborHTMLParser
from slow_links import slow_links
from warcio.archiveiterator import ArchiveIterator

import mardok

HOST = "https://www.host.example"
Table = Callable[..., Path]
PROSE = "A crack closes best in the first week, before dust and polish have found their way in."
REPAIR = f"<h1>Crack repair</h1><p>{PROSE} We glue it overnight and you have it back on Friday.</p>"


def planned(page_table: Table, pages: dict[str, str], **inputs: Path) -> dict[str, list[str]]:
    """For each target the sources of its links with their words."""
    rows = []
    for path, html in pages.items():
        language, title = path[1:3] if path[3:4] == "/" else "en", LexborHTMLParser(html).css_first("h1").text()
        rows.append({"url": f"{HOST}{path}", "html": f"<html lang={language}><title>{title}</title><body>{html}"})
    table = mardok.audit(page_table(rows), **inputs).tables["link_plan"]
    result: dict[str, list[str]] = {}
    for row in table.itertuples():
        result.setdefault(row.target.removeprefix(HOST), []).append(f"{row.source.removeprefix(HOST)}: {row.words_to_link}")
    return result


def story(text: str, title: str = "Summer on the road") -> str:
    return f"<h1>{title}</h1><p>Heat softens the glue of a violin, and a fall does the rest. {text}</p>"


MENTION = "What a tent costs you is crack repairs in September."


def test_a_mention_in_running_text_waits_to_be_a_link(page_table: Table) -> None:
    assert planned(page_table, {"/crack-repair/": REPAIR, "/summer/": story(MENTION)}) == {
        "/crack-repair/": ["/summer/: crack repairs"]
    }


SILENT = {
    "it is a link already": {"/summer/": story('You need <a href="/elsewhere/">crack repairs</a> in September.')},
    "the page links to it elsewhere": {"/summer/": story(f'{MENTION} <a href="/crack-repair/">See how.</a>')},
    "it stands in a heading": {"/summer/": story("Slacken it.") + "<h2>Crack repairs in September</h2><p>Ask us.</p>"},
    "it stands in code": {"/summer/": story("Slacken it.") + "<pre>crack repair = 40</pre>"},
    "it is a part of a longer name": {"/summer/": story("The file is old_crack_repair.pdf, crack repair_list.")},
    "clauses come between": {"/summer/": story("First comes the crack, repair comes later.")},
    "the page is of another language": {
        "/de/sommer/": "<h1>Unterwegs im Sommer</h1><p>Hitze macht den Leim weich, und im September steht auf der Rechnung "
        "der Werkstatt die Crack Repair von einem Tag im Zelt.</p>"
    },
    "the page is there for a formality": {"/privacy/": story(MENTION, "Privacy policy")},
    "another page promises the same": {
        "/summer/": story(MENTION), "/repair-of-cracks/": story("Bring it.", "Repair of cracks"),
    },
    "a longer phrase is meant": {
        "/summer/": story("What a tent costs you is crack repair prices in September."),
        "/prices/": '<h1>Crack repair prices</h1><p>Forty the seam. <a href="/summer/">Summer</a> is dear.</p>',
    },
}  # fmt: skip


@pytest.mark.parametrize("why", SILENT)
def test_nothing_is_offered_where(why: str, page_table: Table) -> None:
    assert "/crack-repair/" not in planned(page_table, {"/crack-repair/": REPAIR, **SILENT[why]})


def test_what_many_pages_carry_gets_no_link(page_table: Table) -> None:
    stories = ["Horses sleep.", "Barns leak.", "Kites tear.", "Boats tip.", "Drums dry.", "Flutes melt.", "Oboes crack."]
    foot = "<p>We hire violins, cellos and basses, and any crack repair in the first year of hire is free of charge.</p>"
    pages = {f"/{n}/": story(text, f"Story {text}") + foot for n, text in enumerate(stories)}
    assert "/crack-repair/" not in planned(page_table, {"/crack-repair/": REPAIR, **pages})
    assert planned(page_table, {"/crack-repair/": REPAIR, **pages, "/9/": story(MENTION)}) == {
        "/crack-repair/": ["/9/: crack repairs"]
    }


def test_the_pattern_of_a_series_means_none_of_its_pages(page_table: Table) -> None:
    texts = {"May": "Glue dries.", "June": "Pegs swell.", "July": "Bows warp.", "August": "Nobody comes."}
    pages = {f"/diary/{month.lower()}/": story(text, f"Workshop diary: {month}") for month, text in texts.items()}
    pages["/summer/"] = story("It stands in the workshop diary.")
    assert planned(page_table, pages) == {}
    del pages["/diary/may/"]  # whose title says, without the function word, what the page of all months says
    pages["/diary/"] = story("All months.", "Workshop diary")
    assert planned(page_table, pages) == {"/diary/": ["/summer/: workshop diary"]}


def test_a_person_says_whose_a_phrase_is(page_table: Table, tmp_path: Path) -> None:
    targets = tmp_path / "targets.csv"
    targets.write_text("phrase,url\ncracks,/crack-repair/\nrepair of cracks,/crack-repair/\n")
    pages = {
        "/crack-repair/": REPAIR,
        "/mending/": story("Bring it.", "Repair of cracks"),
        "/summer/": story("Heat brings cracks into any top."),
    }
    assert planned(page_table, pages) == {}
    assert planned(page_table, pages, targets=targets) == {"/crack-repair/": ["/summer/: cracks"]}


def test_the_plan_is_that_of_a_slow_and_obvious_search(demo: mardok.Audit) -> None:
    table = demo.tables["link_plan"]
    shown = table.drop(columns="sentence").itertuples(index=False, name=None)
    slow = slow_links(demo)
    assert len(table) > 5
    for fast, expected in zip(shown, slow, strict=True):
        assert fast[:4] == expected[:4]
        assert fast[4:] == pytest.approx(expected[4:])


def test_every_link_of_the_plan_stands_in_the_page_and_in_no_link(demo: mardok.Audit) -> None:
    with DEMO_WARC.open("rb") as stream:
        bodies = {
            record.rec_headers.get_header("WARC-Target-URI"): record.content_stream().read()
            for record in ArchiveIterator(stream)
            if record.rec_type == "response"
        }
    pages = demo.pages.set_index("url")
    for row in demo.tables["link_plan"].itertuples():
        page = LexborHTMLParser(bodies[row.source].decode())
        for element in page.css("a, nav, header, footer, aside, h1, h2, h3"):
            element.decompose()
        text = " ".join(page.body.text(separator=" ").split())
        assert row.words_to_link in text
        assert row.words_to_link in row.sentence
        assert all(part.strip() in text for part in row.sentence.split("\u2026"))
        block = demo.page(row.source).blocks[row.block]
        assert row.words_to_link in block["text"]
        assert block["main"]
        assert pages.loc[row.source, "indexable"]
        assert pages.loc[row.source, "language"] == pages.loc[row.target, "language"]
        waiting = mardok.missing_links(demo, [row.words_to_link], row.target)
        assert row.source in set(waiting["url"])
        assert waiting.set_index("url").loc[row.source, "link_weight"] == pytest.approx(row.weight)
