"""Real documentation that nobody wrote for Mardok: Debian's packages ``postgresql-doc-15`` and ``gnucash-docs``."""

from __future__ import annotations

import os
import random
import re
from collections import defaultdict
from itertools import combinations
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from plain_forms import plain_forms
from selectolax.lexbor import LexborHTMLParser
from slow_links import slow_links

import mardok
from mardok.extract import html
from mardok.extract.html import read_document
from mardok.text.words import words

pytestmark = pytest.mark.fetched

POSTGRESQL = Path("/usr/share/doc/postgresql-doc-15/html")
GNUCASH = Path("/usr/share/doc/gnucash-docs")
GIT = Path("/usr/share/doc/git/html")


@pytest.fixture(scope="module", params=[POSTGRESQL, GNUCASH], ids=["postgresql", "gnucash"])
def tree(request: pytest.FixtureRequest) -> Path:
    if not request.param.is_dir():
        assert not os.environ.get("CI"), f"{request.param} is missing; .ci/run installs it"
        pytest.skip(f"needs Debian's package of {request.param}")
    return Path(request.param)


@pytest.fixture(scope="module")
def audit(tree: Path) -> mardok.Audit:
    return mardok.audit(tree, base="https://docs.example/", jobs=2)


def test_every_file_of_the_tree_is_a_page_with_text(tree: Path, audit: mardok.Audit) -> None:
    files = [path for path in tree.rglob("*") if path.suffix in (".html", ".htm", ".xhtml") and path.is_file()]
    assert len(audit.pages) == len(files) > 900
    assert audit.tables["unread"].empty
    assert audit.pages["indexable"].all()
    assert (audit.pages["words"] > 0).mean() > 0.99
    assert audit.pages["link_weight"].sum() == pytest.approx(1)


def test_every_letter_is_read_in_its_order_by_any_way(tree: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    files = sorted(path for path in tree.rglob("*.html") if path.is_file())[::3]
    pages = [(f"https://docs.example/{path.name}", path.read_bytes().decode("utf-8", "replace")) for path in files]
    first = [read_document(text, url) for url, text in pages]
    for (_, text), document in zip(pages, first, strict=True):
        parser = LexborHTMLParser(text)
        parser.strip_tags(["script", "style", "svg", "template", "object"])
        seen = filter(str.isalnum, parser.body.text() if parser.body else "")
        assert "".join(filter(str.isalnum, "".join(block.text for block in document.blocks))) == "".join(seen)
    assert [read_document(text, url) for url, text in pages] == first  # menus are known by now
    monkeypatch.setattr(html, "_SPLIT", re.compile(rf"<(?:{html._RAW_TEXT}|(\b\B)|([^>]*>))", re.DOTALL))
    with plain_forms():
        assert [read_document(text, url) for url, text in pages[::5]] == first[::5]


MUTATED = 20_000 if os.environ.get("MARDOK_FULL_PROOFS") else 1500
PIECES = [
    "<a href='../x?y#z'>",
    "</a>",
    "<ul>",
    "</ul>",
    "<nav hidden>",
    "<h1>",
    "<b>",
    "&amp;",
    "&nbsp;",
    "<br>",
    "<!--",
    "<svg>",
    "<",
    ">",
]


def test_documents_changed_at_random_are_read_alike_by_what_is_compiled(tree: Path) -> None:
    draw = random.Random(1)
    files = sorted(path for path in tree.rglob("*.html") if path.is_file())
    for _ in range(MUTATED // 2):  # of each of the two trees
        path = draw.choice(files)
        text = path.read_bytes().decode("utf-8", "replace")
        for _ in range(draw.randrange(1, 6)):
            at, length = draw.randrange(len(text) + 1), draw.choice([0, 1, 5, 50, 500])
            text = text[:at] + draw.choice([*PIECES, text[at : at + length] * 2]) + text[at + length :]
        document = read_document(text, f"https://docs.example/a/{path.name}")
        with plain_forms():
            assert read_document(text, f"https://docs.example/a/{path.name}") == document, path


def test_copies_are_pages_with_one_title_in_two_books(tree: Path, audit: mardok.Audit) -> None:
    if tree == POSTGRESQL:
        assert not (audit.groups["kind"] == "copies").any()  # a reference manual does not repeat its pages
        return
    assert audit.groups.loc[audit.groups["kind"] == "copies", "group"].nunique() >= 20
    name_of = {url: url.rsplit("/", 1)[1] for url in audit.pages["url"]}
    language_of = dict(audit.pages[["url", "language"]].itertuples(index=False))
    for _, group in audit.groups[audit.groups["kind"] == "copies"].groupby("group"):
        assert group["url"].map(name_of).nunique() == 1  # the licence stands in the guide and in the manual
        assert group["url"].map(language_of).nunique() == 1


def test_copies_are_those_of_a_slow_and_obvious_computation(audit: mardok.Audit) -> None:
    texts = audit.pages["main_text"].tolist()
    sets = []
    for text in texts:
        found = words(text)
        sets.append({tuple(found[k : k + 3]) for k in range(max(len(found) - 2, 1))} if found else set())
    slow = {}
    for a, b in combinations(range(len(sets)), 2):
        common = len(sets[a] & sets[b])
        if 2 * common >= len(sets[a]) + len(sets[b]) - common > 0:
            slow[a, b] = (common / len(sets[a] | sets[b]), common / len(sets[a]), common / len(sets[b]))
    for minimum in (0.5, 0.8, 0.9):
        fast = mardok.find_copies(texts, minimum=minimum)
        expected = {pair: shares for pair, shares in slow.items() if shares[0] >= minimum}
        assert list(zip(fast["a"], fast["b"], strict=True)) == sorted(expected)
        found_shares = fast[["resemblance", "a_in_b", "b_in_a"]].to_numpy()
        assert found_shares == pytest.approx(
            np.array([expected[pair] for pair in sorted(expected)]).reshape(-1, 3), abs=1e-9
        )


def test_links_that_wait_are_those_of_a_slow_search(audit: mardok.Audit) -> None:
    table, slow = audit.tables["link_plan"].drop(columns="sentence"), slow_links(audit)
    assert len(table) > 400
    for fast, expected in zip(table.itertuples(index=False, name=None), slow, strict=True):
        assert (fast[:4], fast[5]) == (expected[:4], expected[5])
        assert fast[4] == pytest.approx(expected[4])


def test_the_folder_is_written_and_read_back(audit: mardok.Audit, tmp_path: Path) -> None:
    audit.save(tmp_path / "out")
    again = mardok.load(tmp_path / "out")
    for name, table in audit.tables.items():
        assert again.tables[name].equals(table), name
    assert (tmp_path / "out" / "report.html").stat().st_size < 25_000_000


def test_a_tree_read_in_parts_is_the_tree(tree: Path, audit: mardok.Audit, tmp_path: Path) -> None:
    settings = mardok.read_settings(None, ["work.part_pages=170"])
    parted = mardok.audit(tree, base="https://docs.example/", work=tmp_path / "work", settings=settings, jobs=2)
    for name in audit.tables:
        pd.testing.assert_frame_equal(parted.tables[name], audit.tables[name], obj=name)
    assert len(list((tmp_path / "work" / "parts").glob("reading-*.json"))) > 5


def test_repeated_text_phrases_and_mentions_are_those_of_a_slow_computation(audit: mardok.Audit) -> None:
    pages = audit.pages
    counts = np.flatnonzero(pages["own_words"].notna()).tolist()
    texts = [words(text) for text in pages["main_text"]]
    carriers = defaultdict(set)
    for row in counts:
        for at in range(len(texts[row]) - 7):
            carriers[tuple(texts[row][at : at + 8])].add(row)
    expected = {
        (row, at + k)
        for row in counts
        for at in range(len(texts[row]) - 7)
        if len(carriers[tuple(texts[row][at : at + 8])]) > 1
        for k in range(8)
    }
    stretches = audit.tables["passages"]
    covered = {
        (page, word + k)
        for page, word, n_words in stretches[["page", "word", "words"]].itertuples(index=False)
        for k in range(n_words)
    }
    assert covered == expected
    for carried in audit.tables["boilerplate"].itertuples():
        run = words(carried.text)
        assert len(run) == carried.words
        usual = {at + k for at in range(len(run) - 7) if len(carriers[tuple(run[at : at + 8])]) >= 3 for k in range(8)}
        assert len(run) < 8 or usual == set(range(len(run)))
    phrases = audit.tables["phrases"].sort_values(["uses", "phrase"], ascending=False)
    for phrase in phrases.iloc[:: max(len(phrases) // 30, 1)].itertuples():
        found = mardok.mentions(audit, [phrase.phrase])
        own = found["text"].map(lambda text: len(words(text)))
        assert (own == phrase.words).all()
        # The site has pages in many languages, whose stems may take the same form: of its own language it says no more.
        assert found["url"].nunique() >= phrase.pages
        assert len(found) >= phrase.uses


def test_the_same_tree_with_other_settings_has_no_changes(tree: Path, audit: mardok.Audit) -> None:
    asked = mardok.read_settings(assignments=["checks.title_px=500", "plan.effort.redirect=1"])
    again = mardok.audit(tree, base="https://docs.example/", jobs=1, settings=asked)
    told = mardok.recheck(audit, again)
    assert set(told.changes["change"]) == {"left"}
    assert set(told.changes["subject"]) <= {"group", "rivals", "thin"}  # the others hang on what was set
    assert len(told.left_out) == 2


def test_no_manual_contradicts_itself_and_few_slips_are_told(audit: mardok.Audit) -> None:
    assert audit.tables["contradictions"].empty
    assert len(audit.tables["slips"]) < 60


def test_few_words_of_a_manual_are_told_and_most_of_them_are_wrong() -> None:
    if not GIT.is_dir():
        assert not os.environ.get("CI"), f"{GIT} is missing; .ci/run installs it"
        pytest.skip("needs Debian's package git-doc")
    made = mardok.audit(
        GIT, base="https://docs.example/", settings=mardok.read_settings(None, ["proof.spelling=true"]), jobs=2
    )
    slips = made.tables["slips"]
    assert 0 < len(slips) < 60
    misspelt = dict(zip(slips["written"], slips["right"], strict=True))
    really = {
        "compatibiliy": "compatibility", "outputing": "outputting", "suports": "supports", "unambigous": "unambiguous",
        "varible": "variable",
    }  # fmt: skip
    assert really.items() <= misspelt.items()
    assert made.tables["contradictions"].empty
    assert len(made.tables["unknown_words"]) > 100
