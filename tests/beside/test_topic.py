"""One phrase: who promises it, who is found, who mentions it; pages of others beside ours, well-meant and hostile."""

from __future__ import annotations

import json
import string
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import mardok
from mardok.beside.phrase import TopicPhrase
from mardok.demo import firms
from mardok.store import MemoryStore, _matching, matching_texts
from mardok.text.stems import plain_words, stems
from mardok.vocabulary import Gap, PhraseField, TopicVerdict

HOST = "https://www.host.example"
TEXT = "Every word of this page stands here alone and is read by nobody but a patient tester of {0}."


def page(path: str, title: str, h1: str = "", text: str = "", **others: Any) -> dict[str, Any]:
    body = f"<main><h1>{h1 or title}</h1><p>{text or TEXT.format(title)}</p></main>"
    return {"url": f"{HOST}{path}", "html": f"<html lang=en><title>{title}</title><body>{body}", **others}


@pytest.fixture(scope="module")
def demo_audit(demo_folder: Path) -> mardok.Audit:
    """The audit of the made-up site, read from its folder."""
    return mardok.load(demo_folder)


@pytest.fixture(scope="session")
def rivals(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("rivals") / "saved"
    firms.write_rivals(folder)
    return folder


def test_pages_of_others_show_every_planted_gap_and_nothing_that_ours_says(demo_audit: mardok.Audit, rivals: Path) -> None:
    answer = demo_audit.topic(firms.PHRASE, rivals=rivals)
    assert answer.on_site.meant == "https://www.wyndale-violin-hire.example/"
    assert len(answer.others.pages) == 6
    by_kind = defaultdict(list)
    for one in answer.suggestions:
        assert len(one.pages) >= 2
        by_kind[one.kind].append(one)
    for kind, word in firms.PLANTED.items():
        found = [one for one in by_kind[Gap(kind)] if word in " ".join((one.text, *one.examples)).lower()]
        assert found, kind
    (question,) = by_kind[Gap.QUESTION]
    (table,) = by_kind[Gap.TABLE]
    (phrase,) = by_kind[Gap.PHRASE]
    assert len(question.pages) == len(table.pages) == len(phrase.pages) == 6
    told = " ".join(one.text for one in answer.suggestions).lower()
    assert firms.ONLY_ONE not in told
    for said_by_ours in ("month", "ready", "hire", "string", "bow", "case"):
        assert said_by_ours not in {one.text for one in by_kind[Gap.WORD]}
    assert {one.page for one in answer.common} == {firms.COPIED}
    assert "If a peg slips or a string breaks" in answer.common[0].text


def test_pages_of_others_enter_neither_counts_nor_plan(demo_audit: mardok.Audit, rivals: Path) -> None:
    before = {name: frame.copy() for name, frame in demo_audit.tables.items()}
    answer = demo_audit.topic(firms.PHRASE, rivals=rivals)
    for name, frame in before.items():
        pd.testing.assert_frame_equal(frame, demo_audit.tables[name])
    hosts = {page.name for page in answer.others.pages}
    told = json.dumps([one.url for one in answer.on_site.promisers])
    assert not any(host in told for host in hosts)


def test_who_promises_leads_and_mentions_is_what_the_tables_say(demo_audit: mardok.Audit) -> None:
    answer = demo_audit.topic("bow rehair").on_site
    assert answer.verdict == TopicVerdict.SEVERAL
    urls = [one.url.partition(".example")[2] for one in answer.promisers]
    assert urls == ["/repairs/bow-rehair/", "/bow-rehairing-service/"]
    assert {PhraseField.TITLE, PhraseField.H1, PhraseField.ADDRESS} <= set(answer.promisers[0].places)
    assert answer.proposal is not None
    assert answer.proposal["rank"] == 2  # a number to call that is wrong comes first
    queries, pages = demo_audit.tables["queries"], demo_audit.pages
    wanted = set(stems(["bow", "rehair"], "en"))
    is_it = [wanted <= set(stems(name.split(), "en")) for name in queries["query"].astype(str)]
    by_page = queries[is_it].groupby("page")["clicks_now"].sum()
    assert answer.searched is not None
    assert {one.row: one.clicks_now for one in answer.searched.shown} == pytest.approx(by_page.to_dict())
    missing = mardok.missing_links(demo_audit, ["bow rehair"], answer.meant)
    promising = {one.url for one in answer.promisers}
    assert {one.url for one in answer.linking.waiting} == set(missing["url"])
    assert pages["url"].isin(promising).sum() == 2


def test_each_verdict_is_told_where_it_holds_and_a_path_will_do_for_an_address(
    page_table: Callable[..., Path], tmp_path: Path
) -> None:
    rows = [
        page("/", "Home of strings"),
        page("/hire/", "Violin hire"),
        page("/bows/", "Bows for violins"),
        page("/bows/old/", "Violin bows, old ones"),
        page("/cellos/", "Cellos from the valley", text="A cello from the valley needs room."),
        page("/violas/", "Violas we like", text="A viola is larger and lower than what most people expect."),
    ]
    search = tmp_path / "search.csv"
    search.write_text(
        "query,page,clicks,impressions,position\n"
        f"violin hire,{HOST}/hire/,40,900,3\nviolin bows,{HOST}/bows/,30,800,4\nviolin bows,{HOST}/bows/old/,3,300,14\n"
        f"cellos valley,{HOST}/bows/,9,300,8\ncellos valley,{HOST}/cellos/,1,100,30\n"
    )
    source = page_table(rows)
    audit = mardok.audit(source, search=search)
    verdicts = {
        text: audit.topic(text).on_site.verdict for text in ("hire violins", "violin bow", "cellos valley", "violas")
    }
    assert verdicts == {
        "hire violins": TopicVerdict.ONE,
        "violin bow": TopicVerdict.SEVERAL,
        "cellos valley": TopicVerdict.OTHER_LEADS,
        "violas": TopicVerdict.NOT_SHOWN,
    }
    nobody = audit.topic("violin lessons").on_site
    assert nobody.verdict == TopicVerdict.NOBODY
    assert any("/hire/" in near for near in nobody.near)
    assert mardok.audit(source).topic("violin hire").on_site.verdict == TopicVerdict.ONE_UNSEARCHED
    targets = tmp_path / "targets.csv"
    targets.write_text("phrase,url\nviolin bows,/bows/old/\n")
    meant = audit.topic("bows for a violin", targets=targets).on_site
    assert (meant.meant, meant.verdict) == (f"{HOST}/bows/old/", TopicVerdict.OTHER_LEADS)
    targets.write_text("phrase,url\nviolin bows,/violas/\n")
    assert audit.topic("violin bows", targets=targets).on_site.verdict == TopicVerdict.UNPROMISED
    targets.write_text("phrase,url\nviolin bows,/bows/old/\n")
    assert mardok.audit(source, targets=targets).topic("violin bows").on_site.meant == f"{HOST}/bows/old/"
    with pytest.raises(mardok.SelectionError, match="holds no word"):
        audit.topic("?!")
    assert audit.page("/hire/").url == f"{HOST}/hire/"


def test_what_is_known_in_memory_and_in_a_folder_is_the_same(demo_audit: mardok.Audit) -> None:
    in_memory = mardok.Audit(MemoryStore(dict(demo_audit.tables)), demo_audit.meta)
    for phrase in ("violin hire", "geige mieten", "strings"):
        assert in_memory.topic(phrase).as_dict() == demo_audit.topic(phrase).as_dict()


def test_hostile_pages_of_others_are_told_and_harm_nothing(demo_audit: mardok.Audit, tmp_path: Path) -> None:
    saved = tmp_path / "saved"
    saved.mkdir()
    head = "<html lang=en><title>Violin hire</title><h1>Violin hire</h1>"
    (saved / "scripts.html").write_text(
        f"{head}<script>alert(1)</script><p>Hire<img src=x onerror=alert(2)> a violin *now* | _so_."
    )
    (saved / "large.html").write_text(head + "<p>Hire a violin by the month. " * 350_000)
    (saved / "bytes.html").write_bytes(head.encode() + b"<p>Hire a violin \xff\xfe\x00\x80 caf\xe9.</p>")
    (saved / "nothing.html").write_text("<html lang=en><title>Violin hire</title><script>write('Violin hire')</script>")
    (saved / "marks.html").write_text(f"{head}<p>Hire a violin \u202egnihton\u202c \x1b[31mred.</p>")
    answer = demo_audit.topic("violin hire", rivals=saved)
    assert {view.name for view in answer.others.pages} == {"scripts.html", "large.html", "bytes.html", "marks.html"}
    assert any("nothing.html" in note and "no text" in note for note in answer.others.notes)
    assert any("large.html" in note for note in answer.others.notes)
    answer.save(tmp_path / "topic")
    written = {path.name: path.read_text("utf-8") for path in (tmp_path / "topic").iterdir()}
    assert set(written) == {"topic.md", "topic.html", "topic.json"}
    assert "<script" not in written["topic.html"]
    assert "onerror" not in written["topic.html"]
    assert not set("\u202e\x1b") & set(written["topic.md"] + written["topic.html"])
    json.loads(written["topic.json"])


def test_of_one_host_the_page_that_is_most_about_the_phrase_counts(
    demo_audit: mardok.Audit, page_table: Callable[..., Path]
) -> None:
    rows = [page("/", "Music for all"), page("/violin-hire/", "Violin hire by the week"), page("/cellos/", "Cellos")]
    answer = demo_audit.topic("violin hire", rivals=page_table(rows))
    assert [view.url for view in answer.others.pages] == [f"{HOST}/violin-hire/"]
    assert any("of 3 pages" in note for note in answer.others.notes)
    assert answer.suggestions == ()  # what one page shows is no reason


LETTERS = st.text(string.ascii_lowercase + "äöüßéêç", min_size=2, max_size=9)
ENDINGS = {
    "en": ["", "s", "es", "ed", "ing", "er", "ies", "y", "ly", "al", "ation", "e"],
    "de": ["", "e", "en", "er", "es", "st", "t", "ung", "heit", "lich"],
    "fr": ["", "s", "e", "es", "ement", "ation", "euse", "aient"],
    "pt": ["", "s", "ente", "ência", "ando", "ções"],
}


@settings(deadline=None)
@given(beginning=LETTERS, language=st.sampled_from(sorted(ENDINGS)), joint=st.sampled_from(["", "\u00ad", "\u200b"]))
def test_every_form_of_a_word_fits_the_pattern_that_texts_are_looked_for_by(
    beginning: str, language: str, joint: str
) -> None:
    forms: dict[str, list[str]] = defaultdict(list)
    for ending in ENDINGS[language]:
        word = beginning + ending
        forms[stems([word.casefold()], language)[0]].append(word)
    for alike in forms.values():
        for word in alike:
            if word.casefold() in plain_words(language):
                continue
            patterns = TopicPhrase(word).patterns([language])
            written = [joint.join(other).upper() if at % 2 else joint.join(other) for at, other in enumerate(alike)]
            cells = pa.chunked_array([pa.array(written)])
            assert _matching(cells, patterns).tolist() == list(range(len(alike)))


def test_a_phrase_is_found_in_any_form_and_order_and_not_in_parts() -> None:
    phrase = TopicPhrase("hire a violin")
    assert phrase.is_in("Violins, hired by the month", "en")
    assert not phrase.is_in("Violas for hire", "en")
    assert phrase.place("For schools: hire of a violin", "en") == 3
    assert phrase.says_no_more("the hiring of violins", "en")
    assert not phrase.says_no_more("violin hire prices", "en")
    assert TopicPhrase("Straße mieten").is_in("Gemietete STRASSE, miete", "de")
    assert TopicPhrase("the").patterns(["en"]) == []
    for plain in (False, True):
        patterns = TopicPhrase("Business class").mention_patterns("en", is_ascii=plain)
        assert matching_texts(["businesses, classed", "BUSINESS CLASS", "a business of class"], patterns) == [0, 1]
    said = ["Violins, hired", "the violin\u00adist's HIRE", "violin for hiring", "violins for the hire", "hire violins"]
    assert matching_texts(said, TopicPhrase("violin hire").mention_patterns("en")) == [0, 1]
    assert 2 in matching_texts(said, TopicPhrase("violin for hire").mention_patterns("en"))
    assert TopicPhrase("the").mention_patterns("en") == TopicPhrase("violin").mention_patterns("ar") == []
    assert TopicPhrase("violin").patterns(["ar"]) == []


def test_tables_are_searched_alike_in_memory_and_in_a_folder(demo_audit: mardok.Audit) -> None:
    stored, held = demo_audit.tables, MemoryStore(dict(demo_audit.tables))
    patterns = ["(?i)viol", "(?i)hir"]
    for table, column in (("pages", "main_text"), ("pages", "title"), ("links", "anchor")):
        at = stored.matching(table, column, patterns)
        assert at.tolist() == held.matching(table, column, patterns).tolist()
        texts = demo_audit.tables[table][column].astype(str).str.lower()
        assert at.tolist() == np.flatnonzero(texts.str.contains("viol") & texts.str.contains("hir")).tolist()
        assert stored.rows(table, at[:9], [column]) == held.rows(table, at[:9], [column])
    asked = np.array([0, 3, 160])
    for table, names in (("blocks", ["page", "text", "level", "main"]), ("links", ["page", "url", "start"])):
        assert stored.of_pages(table, asked, names) == held.of_pages(table, asked, names)
