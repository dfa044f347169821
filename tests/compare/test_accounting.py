"""The words of a page, accounted for: against the definition, word by word."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import fields, is_dataclass
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_array_equal

import mardok
from mardok.compare import accounting, carriers
from mardok.compare.accounting import account
from mardok.compare.runs import repeated_runs
from mardok.findings.elsewhere import Elsewhere
from mardok.settings import Boilerplate
from mardok.text.hashes import corpus_of
from mardok.text.words import words as words_of

RUN = 8
BLOCKS = [
    "one two three four five six seven eight nine ten", "one two three four five six seven eight other words",
    "short line", "a b c d e f g h i j k l m n", "c d e f g h i j k", "x", "one two three four five six seven",
    "z y x w v u t s r",
]  # fmt: skip
SITES = st.lists(st.lists(st.sampled_from(BLOCKS), max_size=4), min_size=1, max_size=8)


def slow_account(
    pages: list[list[str]], counted: list[int], group: list[int], section: list[int], links: set[tuple[int, int]]
) -> list[tuple[int, int, int]]:
    """Own, shared and boilerplate words of each page, one word after the other."""
    rules = Boilerplate()
    texts = {row: " ".join(pages[row]).split() for row in counted}
    carriers: dict[tuple[str, ...], set[int]] = defaultdict(set)
    for row, words in texts.items():
        for k in range(len(words) - RUN + 1):
            carriers[tuple(words[k : k + RUN])].add(row)
        for block in pages[row]:
            carriers["block", *block.split()].add(row)
    sizes = Counter(section)

    def is_stock(rows: set[int]) -> bool:
        groups = {group[row] for row in rows}  # copies of one page make no stock text of what it says
        usual = Counter(section[one] for one in groups)
        in_section = any(n >= rules.section_pages and n > rules.section_share * sizes[name] for name, n in usual.items())
        return len(groups) >= rules.pages or in_section

    def linked(row: int, rows: set[int]) -> set[int]:
        return {other for other in rows if (row, other) in links and group[other] != group[row]}

    teased: dict[int, set[int]] = defaultdict(set)
    for run, rows in carriers.items():
        for row in rows:
            if run[0] != "block" and len(linked(row, rows)) == 1:
                teased[row] |= linked(row, rows)

    def is_boilerplate(rows: set[int]) -> bool:  # lists do not count, where it is one of the listed pages that says it
        return is_stock(rows) and is_stock({row for row in rows if len(linked(row, rows)) != 1 or len(teased[row]) < 2})

    found = []
    for row in range(len(pages)):
        kinds = ["own"] * len(texts.get(row, ()))
        words = texts.get(row, [])
        for k in range(len(words) - RUN + 1):
            rows = carriers[tuple(words[k : k + RUN])]
            others = {other for other in rows if group[other] != group[row] and (other, row) not in links}
            for place in range(k, k + RUN):
                if is_boilerplate(rows):
                    kinds[place] = "boilerplate"
                elif others and kinds[place] == "own":
                    kinds[place] = "shared"
        place = 0
        for block in pages[row] if row in texts else ():
            length = len(block.split())
            if length < RUN and is_stock(carriers["block", *block.split()]):
                kinds[place : place + length] = ["boilerplate"] * length
            place += length
        counts = Counter(kinds)
        found.append((counts["own"], counts["shared"], counts["boilerplate"]))
    return found


@settings(deadline=None, max_examples=300)
@given(SITES, st.data())
def test_words_are_accounted_for_by_the_definition(pages: list[list[str]], data: st.DataObject) -> None:
    n = len(pages)
    counted = sorted(data.draw(st.sets(st.integers(0, n - 1))))
    drawn = data.draw(st.lists(st.integers(0, 5), min_size=n, max_size=n))
    group = [drawn.index(one) for one in drawn]  # a group is told by one of its pages
    section = data.draw(st.lists(st.integers(0, 2), min_size=n, max_size=n))
    links = data.draw(st.sets(st.tuples(st.integers(0, n - 1), st.integers(0, n - 1)), max_size=14))
    codes = np.array(sorted(a * n + b for a, b in links), np.int64)
    corpus, counts = corpus_of(map("\n".join, pages)), np.isin(np.arange(n), counted)
    runs = repeated_runs(corpus, counts)
    found = account(corpus, runs, counts, np.array(group), np.array(section), codes, Boilerplate())
    with pytest.MonkeyPatch.context() as patch:
        for module, name in (
            (carriers, "_PLACES_SHARED"), (carriers, "_LOOKED_AT_ONCE"), (carriers, "_PAIRS_AT_ONCE"),
            (accounting, "_WORDS_SHARED"),
        ):  # fmt: skip
            patch.setattr(module, name, data.draw(st.sampled_from([1, 5, 1 << 20])))
        in_ranges = account(corpus, runs, counts, np.array(group), np.array(section), codes, Boilerplate())
    for part in fields(found):
        one, other = getattr(found, part.name), getattr(in_ranges, part.name)
        for its in fields(one) if is_dataclass(one) else [None]:
            assert_array_equal(*((getattr(each, its.name) if its else each) for each in (one, other)))
    fast = list(zip(found.own.tolist(), found.shared.tolist(), found.boilerplate.tolist(), strict=True))
    assert fast == slow_account(pages, counted, group, section, links)


def test_the_three_add_up_to_the_words_of_a_page(demo: mardok.Audit) -> None:
    pages = demo.pages[demo.pages["own_words"].notna()]
    assert len(pages) == demo.meta.totals["indexable"] - demo.meta.totals["variants"]
    assert (pages["own_words"] + pages["shared_words"] + pages["boilerplate_words"] == pages["words"]).all()
    assert (pages["boilerplate_share"] * pages["words"]).to_numpy() == pytest.approx(
        pages["boilerplate_words"].to_numpy(float)
    )
    assert demo.pages.loc[~demo.pages["indexable"], "own_words"].isna().all()


def test_what_stands_elsewhere_is_told_of_each_page(demo: mardok.Audit) -> None:
    passages, urls = demo.tables["passages"], demo.pages["url"]
    elsewhere = Elsewhere.of(demo.tables)
    carriers = passages.groupby("passage")["page"].agg(set)
    for row in range(len(urls)):
        own = passages[passages["page"] == row]
        places = {first + k for first, n in own[["word", "words"]].itertuples(index=False) for k in range(n)}
        assert elsewhere.share(row, int(demo.pages["words"][row])) == pytest.approx(
            len(places) / max(demo.pages["words"][row], 1), abs=1e-12
        )
        stretches = elsewhere.stretches(row, demo.pages["main_text"][row])
        told = own[["word", "words", "passage"]].itertuples(index=False)
        for stretch, (first, n, passage) in zip(stretches, told, strict=True):
            written = words_of(demo.pages["main_text"][row])[first : first + n]
            assert words_of(stretch.text) == written
            others = carriers[passage] - {row}
            assert stretch.other_pages == len(others)
            assert stretch.example == (min(others) if others else -1)
        longest = elsewhere.stretches(row, demo.pages["main_text"][row], 2)
        assert sorted(one.words for one in longest) == sorted(one.words for one in stretches)[-2:]


def test_pages_that_are_not_translated_yet_take_no_own_words_from_one_another(tmp_path: Path) -> None:
    english = "the player keeps the bow and the case at home and says that it is good to have them there at any time of year"
    for language, text in (("en", f"{english} so they say"), ("de", english), ("fr", english)):
        (tmp_path / language).mkdir()
        head = f"<html lang={language}><link rel=alternate hreflang={language} href=/{language}/bow.html>"
        (tmp_path / language / "bow.html").write_text(f"{head}<p>{text}. {text} again.")
    pages = mardok.audit(tmp_path, base="https://host.example/").pages
    assert pages["language"].tolist() == ["en"] * 3
    assert pages["shared_words"].tolist() == [0] * 3


def test_pasted_text_is_found_out_and_a_teaser_counts_against_the_listing(demo: mardok.Audit) -> None:
    pages = demo.pages.set_index(demo.pages["url"].str.removeprefix("https://www.wyndale-violin-hire.example"))
    towns = pages[pages.index.str.startswith("/violin-hire/") & (pages["copies"] > 0)]
    assert (towns["boilerplate_share"] > 0.9).all()
    listing = pages.loc["/blog/"]
    assert listing["shared_words"] > 0.8 * listing["words"]
    assert pages.loc["/blog/how-to-tune-a-violin/", "shared_words"] == 0
    rivals = ["/blog/how-to-tune-a-violin/", "/blog/tuning-your-violin-for-the-first-time/"]
    assert pages.loc[rivals, "own_words"].min() > 80
    blocks = demo.tables["blocks"]
    pasted = blocks.loc[blocks["reason"] == "boilerplate", "text"].unique()
    assert any(text.startswith("Every hire includes insurance") for text in pasted)
