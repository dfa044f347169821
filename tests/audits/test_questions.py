"""Questions to an audit: which pages are asked about, what is said when none are, and figures as one would count them."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import mardok
from mardok.errors import SelectionError, UnknownPageError
from mardok.questions import Selection, near_phrases, selected_rows
from tests.conftest import DEMO_SEARCH, DEMO_WARC

HOST = "https://www.wyndale.example"
PASTED = "Every instrument that leaves the shop has been played in by a student and tuned twice before it is packed."
TEXTS = {
    "/": "Violin hire by the month. We bring a violin to your door and fetch it when you have outgrown it.",
    "/hire/prices/": "What violin hire costs: twelve a month for a half size violin, fifteen for a full size. " + PASTED,
    "/hire/terms/": "Terms of violin hire. The hire ends with the month in which the violin is back in the shop. " + PASTED,
    "/blog/bows/": "A bow wants new hair once a year. Bows played daily want it twice. Ask for bow hair in the shop.",
    "/blog/rosin/": "Dark rosin for winter, light rosin for summer. " + PASTED + " The bow tells you which one.",
    "/blog/page/2/": "Older notes about bows and rosin.",
    "/de/": "Geigen leihen im Tal. Wir bringen die Geige bis vor die Haustür und holen sie wieder ab.",
}


def html_of(path: str) -> str:
    lang = "de" if path.startswith("/de") else "en"
    links = {
        "/": "<p>See <a href=/hire/prices/>our prices</a> for more.",
        "/blog/bows/": "<p>Of <a href=/blog/rosin/>rosin</a>.",
    }
    return (
        f"<html lang={lang}><head><title>{TEXTS[path].partition('.')[0]}</title></head>"
        f"<body><h1>{TEXTS[path].partition('.')[0]}</h1><p>{TEXTS[path]}</p>{links.get(path, '')}"
    )


@pytest.fixture(scope="module")
def audit(tmp_path_factory: pytest.TempPathFactory) -> mardok.Audit:
    folder = tmp_path_factory.mktemp("questions")
    rows = [{"url": HOST + path, "html": html_of(path)} for path in TEXTS]
    rows.append({"url": f"{HOST}/old/", "status": 301, "redirect_url": f"{HOST}/hire/prices/"})
    path = folder / "pages.jsonl"
    path.write_text(pd.DataFrame(rows).to_json(orient="records", lines=True), "utf-8")
    mardok.audit(path).save(folder / "audit")
    return mardok.load(folder / "audit")


def paths(audit: mardok.Audit, selection: Selection) -> list[str]:
    return sorted(audit.pages["url"].iloc[selected_rows(audit, selection)].str.removeprefix(HOST))


SELECTIONS: list[tuple[Selection, list[str]]] = [
    (Selection(), sorted(TEXTS)),
    (Selection(under=("/blog/",)), ["/blog/bows/", "/blog/page/2/", "/blog/rosin/"]),
    (Selection(under=("/blog/", "/hire/t")), ["/blog/bows/", "/blog/page/2/", "/blog/rosin/", "/hire/terms/"]),
    (Selection(under=("*/rosin/",)), ["/blog/rosin/"]),
    (Selection(under=(f"{HOST}/hire/",)), ["/hire/prices/", "/hire/terms/"]),
    (Selection(under=("https://*/blog/*",)), ["/blog/bows/", "/blog/page/2/", "/blog/rosin/"]),
    (Selection(language="de"), ["/de/"]),
    (Selection(kind="home"), ["/", "/de/"]),
    (Selection(kind="home", language="en"), ["/"]),
    (Selection(urls=(f"{HOST}/blog/bows/", f"{HOST}/de/")), ["/blog/bows/", "/de/"]),
    (Selection(urls=(f"{HOST}/blog/bows/", f"{HOST}/de/"), language="de"), ["/de/"]),
]


@pytest.mark.parametrize(("selection", "expected"), SELECTIONS)
def test_the_pages_asked_about_are_those_for_which_all_holds(
    selection: Selection, expected: list[str], audit: mardok.Audit
) -> None:
    assert paths(audit, selection) == expected
    if selection != Selection():
        assert not selection.is_all


MISSES: list[tuple[dict[str, Any], str]] = [
    ({"under": ("/shop/",)}, "no page asked about is under /shop/; the sections with most pages are /blog/, /hire/"),
    ({"language": "fr"}, "no page asked about has the language 'fr'; the languages with most pages are en, de"),
    ({"kind": "media"}, "no page asked about has the kind 'media'; the kinds with most pages are"),
    ({"under": ("/blog/",), "language": "de"}, "no page asked about is under /blog/"),
]


@pytest.mark.parametrize(("asked", "said"), MISSES)
def test_who_asks_about_no_page_is_told_what_there_is(asked: dict[str, Any], said: str, audit: mardok.Audit) -> None:
    for question in (
        lambda selection: mardok.phrases(audit, selection),
        lambda selection: mardok.mentions(audit, ["violin"], selection),
        lambda selection: mardok.passages(audit, selection),
        lambda selection: mardok.missing_links(audit, ["violin"], f"{HOST}/", selection),
    ):
        with pytest.raises(SelectionError) as refused:
            question(replace(Selection(), **asked))
        assert str(refused.value).startswith(said)


def test_bad_questions_are_refused_in_one_line(audit: mardok.Audit) -> None:
    for sizes in ((0, 2), (3, 2), (1, 7)):
        with pytest.raises(SelectionError, match="give numbers from 1 to 6, the lesser first"):
            mardok.phrases(audit, sizes=sizes)
    with pytest.raises(SelectionError, match="is not one of typical, pages, uses"):
        mardok.phrases(audit, order="length")
    with pytest.raises(SelectionError, match="holds no word to look for"):
        mardok.mentions(audit, ["violin", "..."])
    for question in (
        lambda: mardok.missing_links(audit, ["violin"], f"{HOST}/nowhere/"),
        lambda: mardok.phrases(audit, Selection(urls=(f"{HOST}/nowhere/",))),
        lambda: audit.page(f"{HOST}/nowhere/"),
        lambda: audit.pair(f"{HOST}/", f"{HOST}/nowhere/"),
    ):
        with pytest.raises(UnknownPageError, match="/nowhere/"):
            question()


def test_the_phrases_of_a_section_are_counted_there_and_held_against_the_rest(audit: mardok.Audit) -> None:
    blog = mardok.phrases(audit, Selection(under=("/blog/",)), sizes=(1, 1)).set_index("phrase")
    texts = [TEXTS[path] for path in ("/blog/bows/", "/blog/rosin/", "/blog/page/2/")]
    for word in ("bow", "rosin"):
        forms = re.compile(rf"\b{word}s?\b", re.IGNORECASE)
        shown = next(phrase for phrase in blog.index if forms.fullmatch(phrase))
        headings = [text.partition(".")[0] for text in texts]
        linked = int(word == "rosin")  # the page about bows links to it
        assert blog.loc[shown, "pages"] == sum(bool(forms.search(text)) for text in texts) + linked
        assert blog.loc[shown, "uses"] == sum(len(forms.findall(text)) for text in (*texts, *headings)) + linked
        assert blog.loc[shown, "typical"] > 0
    assert blog["typical"].is_monotonic_decreasing
    by_uses = mardok.phrases(audit, Selection(under=("/blog/",)), sizes=(1, 1), order="uses")
    assert by_uses["uses"].is_monotonic_decreasing
    assert set(by_uses["phrase"]) == set(blog.index)


def test_phrases_with_words_are_those_with_all_of_them_however_inflected(audit: mardok.Audit) -> None:
    everything = mardok.phrases(audit, sizes=(1, 4))
    asked = mardok.phrases(audit, sizes=(1, 4), containing="violins hiring")
    assert len(asked)
    has_both = everything["phrase"].str.contains("violin") & everything["phrase"].str.contains("hire")
    assert set(asked["phrase"]) == set(everything.loc[has_both, "phrase"])
    assert mardok.phrases(audit, containing="oboe").empty


def test_what_is_pasted_counts_once_and_its_further_uses_are_told(audit: mardok.Audit) -> None:
    found = mardok.phrases(audit, sizes=(1, 1)).set_index("phrase")
    (student,) = (phrase for phrase in found.index if phrase == "student")
    assert found.loc[student, ["uses", "boilerplate_uses"]].sum() >= 1
    passages = mardok.passages(audit)
    (pasted,) = passages.loc[passages["text"].str.contains("played in by a student"), ["pages", "words"]].to_numpy().tolist()
    assert pasted[0] == sum(PASTED in text for text in TEXTS.values()) == 3
    assert pasted[1] == len(PASTED.split())
    only = mardok.passages(audit, Selection(under=("/de/",)))
    assert not only["text"].str.contains("student").any()


def test_mentions_are_told_as_they_are_written_with_their_place(audit: mardok.Audit) -> None:
    found = mardok.mentions(audit, ["violin hire", "hire a violin"])
    expected = Counter(
        {HOST + path: 2 * len(re.findall("violin hire", text, re.IGNORECASE)) for path, text in TEXTS.items()}
    )
    assert Counter(found["url"]) == +expected
    assert (found["text"].str.casefold() == "violin hire").all()
    assert found["place"].value_counts().to_dict() == {"heading": len(found) // 2, "text": len(found) // 2}
    assert (found["link_url"] == "").all()
    exact = mardok.mentions(audit, ["bows"], exact=True)
    assert set(exact["text"].str.casefold()) == {"bows"}
    assert len(mardok.mentions(audit, ["bows"])) > len(exact)
    (linked,) = mardok.mentions(audit, ["our prices"])["link_url"].tolist()
    assert linked == f"{HOST}/hire/prices/"


def test_missing_links_leave_out_who_links_who_is_linked_and_other_languages(audit: mardok.Audit) -> None:
    found = mardok.missing_links(audit, ["rosin"], f"{HOST}/blog/rosin/")
    assert found["url"].str.removeprefix(HOST).tolist() == ["/blog/page/2/"]
    assert found["anchor"].tolist() == ["rosin"]
    by_old_address = mardok.missing_links(audit, ["month"], f"{HOST}/old/")
    assert by_old_address["url"].tolist() == mardok.missing_links(audit, ["month"], f"{HOST}/hire/prices/")["url"].tolist()
    assert f"{HOST}/" not in by_old_address["url"].tolist()  # it links to the page already
    assert mardok.missing_links(audit, ["Geige"], f"{HOST}/").empty


def test_a_misspelled_wording_is_put_right_and_a_rare_one_has_neighbours(audit: mardok.Audit) -> None:
    assert near_phrases(audit, "violon hire") == ["violin hire"]
    near = near_phrases(audit, "violin insurance")
    assert 1 <= len(near) <= 3
    assert all("violin" in phrase for phrase in near)
    assert near_phrases(audit, "xylophone") == []


def test_the_answers_of_a_stored_audit_are_those_of_one_in_memory(tmp_path: Path) -> None:
    fresh = mardok.audit(DEMO_WARC, search=DEMO_SEARCH)
    fresh.save(tmp_path / "audit")
    stored = mardok.load(tmp_path / "audit")
    blog = Selection(under=("/hire/",))
    for question in (
        lambda audit: mardok.phrases(audit),
        lambda audit: mardok.phrases(audit, blog, sizes=(2, 3)),
        lambda audit: mardok.mentions(audit, ["violin hire"], blog),
        lambda audit: mardok.passages(audit, blog),
    ):
        pd.testing.assert_frame_equal(question(fresh), question(stored))
