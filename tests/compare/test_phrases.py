"""Phrases, mentions and passages, against the plain definitions."""

from __future__ import annotations

import json
import re
import tempfile
from collections import Counter, defaultdict
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import chi2_contingency

import mardok
from mardok.compare import page_phrases, phrases
from mardok.compare.mentions import BlockLinks, find_mentions, mentions_at, own_uses
from mardok.compare.passages import passages_of
from mardok.compare.phrases import log_likelihood_ratio, phrases_of, phrases_of_parts
from mardok.compare.runs import repeated_runs
from mardok.demo.troubles import url
from mardok.text import known_hashes
from mardok.text.hashes import corpus_of
from mardok.text.stems import Stemmed, joined, stemmed, stems
from mardok.text.words import folded, words

WORDS = st.sampled_from(
    ["violin", "violins", "hire", "hiring", "hired", "the", "of", "bow", "bows", "4-4", "小", "提", "bow,"]
)
BLOCKS = st.lists(WORDS, max_size=9).map(" ".join)
PAGES = st.lists(st.lists(BLOCKS, max_size=4), min_size=1, max_size=6)
FUNCTION_WORDS = {"bow", "the", "of"}


def stemmed_pages(pages: list[list[str]], language: str = "en") -> Stemmed:
    corpus = corpus_of(folded("\n".join(page)) for page in pages)
    return stemmed(corpus, [language] * len(pages), {"bow"})


def slow_phrases(pages: list[list[str]], selected: list[bool], sizes: range, least: int) -> dict[str, tuple[int, int, int]]:
    """Words, pages and uses of each phrase, by its commonest form."""
    on: dict[tuple[str, ...], set[int]] = defaultdict(set)
    forms: dict[tuple[str, ...], Counter[tuple[str, ...]]] = defaultdict(Counter)
    for row, page in enumerate(pages):
        for clause in [clause for block in page if selected[row] for clause in block.split(",")]:
            found = words(clause)
            for n in sizes:
                for at in range(len(found) - n + 1):
                    form = tuple(found[at : at + n])
                    key = tuple(stems(form, "en"))
                    if not {form[0], form[-1]} & FUNCTION_WORDS:
                        on[key].add(row)
                        forms[key][form] += 1
    kept = {key: sum(forms[key].values()) for key in forms if sum(forms[key].values()) >= least}

    def is_told(key: tuple[str, ...]) -> bool:
        longer = (other for other in kept if len(other) > len(key) and kept[other] >= 0.9 * kept[key])
        return any(key == other[at : at + len(key)] for other in longer for at in range(len(other) - len(key) + 1))

    # Of equally common forms the first counts; a Counter keeps their order.
    shown = {key: max(forms[key], key=lambda form, key=key: forms[key][form]) for key in kept if not is_told(key)}
    says = {key for key in shown if any(map(str.isalpha, joined(shown[key])))}
    return {joined(shown[key]): (len(key), len(on[key]), kept[key]) for key in says}


@settings(deadline=None, max_examples=200)
@given(PAGES, st.data())
def test_phrases_are_those_of_the_definition(pages: list[list[str]], data: st.DataObject) -> None:
    selected = data.draw(st.lists(st.booleans(), min_size=len(pages), max_size=len(pages)))
    least = data.draw(st.integers(1, 3))
    first = data.draw(st.integers(1, 3))
    sizes = range(first, data.draw(st.integers(first, 6)) + 1)
    rest = ~np.array(selected)
    with pytest.MonkeyPatch.context() as patch:  # however much is counted at once
        for name in ("_COUNTED_AT_ONCE", "_CLAUSES_AT_ONCE"):
            patch.setattr(phrases, name, data.draw(st.integers(1, 40)))
        found = phrases_of(stemmed_pages(pages), ~rest, rest, sizes, least)
    fast = {row.phrase: (row.words, row.pages, row.uses) for row in found.itertuples()}
    assert fast == slow_phrases(pages, selected, sizes, least)
    assert len(fast) == len(found)


@pytest.mark.parametrize("words_at_once", [1, 1_000])
def test_of_equally_common_forms_that_which_comes_first_is_shown(
    words_at_once: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(phrases, "_COUNTED_AT_ONCE", words_at_once)
    pages = [["violin hire"], ["violins hired"], ["violins hired"], ["violin hire"]]
    every = np.ones(len(pages), bool)
    found = phrases_of(stemmed_pages(pages), every, ~every, range(2, 3), 1)
    assert found["phrase"].tolist() == ["violin hire"]


def slow_uses(pages: list[list[str]], selected: list[bool], n: int) -> tuple[Counter[tuple[str, ...]], int]:
    """Uses of each phrase of n words, by its stems, and how many runs of n words there are."""
    clauses = [
        words(clause) for row, page in enumerate(pages) if selected[row] for block in page for clause in block.split(",")
    ]
    runs = [tuple(clause[at : at + n]) for clause in clauses for at in range(len(clause) - n + 1)]
    return Counter(tuple(stems(run, "en")) for run in runs if not {run[0], run[-1]} & FUNCTION_WORDS), len(runs)


@settings(deadline=None, max_examples=150)
@given(PAGES, st.data())
def test_parts_of_a_site_are_held_against_all_the_others(pages: list[list[str]], data: st.DataObject) -> None:
    parts = data.draw(st.lists(st.sampled_from([-1, 0, 1, 2]), min_size=len(pages), max_size=len(pages)))
    found = phrases_of_parts(stemmed_pages(pages), np.array(parts), range(1, 4), [1, 2])
    for part, (told, least) in enumerate(zip(found, [1, 2], strict=True)):
        own, others = [its == part for its in parts], [its not in (-1, part) for its in parts]
        fast = {row.phrase: (row.words, row.pages, row.uses) for row in told.itertuples()}
        assert fast == slow_phrases(pages, own, range(1, 4), least)
        for row in told.itertuples():
            (_, n_here), (there, n_there) = slow_uses(pages, own, row.words), slow_uses(pages, others, row.words)
            elsewhere = np.array([there[tuple(stems(words(row.phrase), "en"))]])
            ratio = log_likelihood_ratio(np.array([row.uses]), elsewhere, n_here, n_there) if any(others) else [0.0]
            assert row.typical == pytest.approx(ratio[0])


def test_a_phrase_that_languages_spell_alike_is_told_once_and_says_something() -> None:
    pages = ["18 december 2022 sent", "told 18 december 2022, e g 4 4", "18 december 2022", "z b 4 4", "e g 4 4 violin"]
    stems_of = stemmed(corpus_of(pages), ["en", "en", "it", "de", "en"], ())
    found = phrases_of(stems_of, np.ones(5, bool), np.zeros(5, bool), range(1, 5), 1)
    told = {row.phrase: (row.words, row.pages, row.uses) for row in found.itertuples()}
    assert len(told) == len(found)
    assert told["18 december 2022"] == (3, 3, 3)
    assert "g 4 4 violin" in told
    assert not {"e g", "4 4", "e g 4 4", "z b", "2022", "18"} & set(told)


@pytest.mark.parametrize("sections", [1, 2])
def test_a_section_that_is_the_whole_site_is_typical_of_nothing(tmp_path: Path, sections: int) -> None:
    texts = ["violin hire by the month", "violin hire by the year", "bow repair by hand", "bow repair at home"] * 4
    rows = [{"url": f"https://host.example/{n % sections}/{n}", "text": text} for n, text in enumerate(texts)]
    (tmp_path / "pages.jsonl").write_text("\n".join(map(json.dumps, rows)))
    told = mardok.audit(tmp_path / "pages.jsonl").tables["section_phrases"]
    assert told["section"].nunique() == (0 if sections == 1 else 2)


@given(st.sets(st.integers(0, 40).map(lambda n: n * 2**13 + n % 3), max_size=40), st.lists(st.integers(0, 60)))
def test_known_hashes_are_found_wherever_they_stand(known: set[int], asked: list[int]) -> None:
    ordered = sorted(known)
    hashes = [n * 2**13 + n % 3 for n in asked] + asked
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(known_hashes, "_FEWEST_BITS", 2)
        patch.setattr(known_hashes, "_ROOM_BITS", 0)
        found = known_hashes.KnownHashes(np.array(ordered, np.uint64)).numbers(np.array(hashes, np.uint64))
    assert found.tolist() == [ordered.index(one) if one in known else -1 for one in hashes]


@settings(deadline=None, max_examples=150)
@given(PAGES, st.integers(1, 3), st.integers(1, 4), st.data())
def test_phrases_of_each_page_are_those_of_the_page_alone(
    pages: list[list[str]], longest: int, most: int, data: st.DataObject
) -> None:
    sizes = range(1, longest + 1)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(page_phrases, "_WORDS_AT_ONCE", data.draw(st.integers(1, 40)))
        found = page_phrases.phrases_by_page(stemmed_pages(pages), sizes, most)
    told = defaultdict(list)
    for row, *phrase in found.itertuples(index=False, name=None):
        told[row].append(tuple(phrase))
    for row, page in enumerate(pages):
        alone = [(phrase, n, uses) for phrase, (n, _, uses) in slow_phrases([page], [True], sizes, 2).items()]
        assert told[row] == sorted(alone, key=lambda one: (-one[2], -one[1], one[0]))[:most]

    wanted = [" ".join(data.draw(st.lists(WORDS, max_size=3))) for _ in pages]
    languages = [data.draw(st.sampled_from(["en", "de", ""])) for _ in pages]
    corpus = corpus_of(folded("\n".join(page)) for page in pages)
    own = own_uses(stemmed(corpus, languages, ()), languages, wanted)
    for row, page in enumerate(pages):
        lone = stemmed(corpus_of([folded("\n".join(page))]), [languages[row]], ())
        places = find_mentions(lone, np.zeros(1, np.int64), [[wanted[row]]], exact=False).place.tolist()
        assert (own.uses[row], own.first[row]) == (len(places), places[0] if places else -1)


LETTERS = st.text("abcdefgh", min_size=1, max_size=1)
PASTED = st.lists(LETTERS, min_size=8, max_size=24)


@st.composite
def pages_with_pastes(draw: st.DrawFn) -> list[list[str]]:
    """Pages of letters, with pieces of two texts pasted into them, edited or not."""
    texts = [draw(PASTED), draw(PASTED)]
    pages = []
    for _ in range(draw(st.integers(1, 6))):
        page: list[str] = []
        for _ in range(draw(st.integers(0, 3))):
            text = draw(st.sampled_from(texts))
            first = draw(st.integers(0, len(text) // 2))
            piece = text[first : draw(st.integers(first, len(text)))]
            edited = draw(st.integers(0, 40))
            if edited < len(piece):
                piece = [*piece[:edited], draw(LETTERS), *piece[edited + 1 :]]
            page += [*piece, *draw(st.lists(LETTERS, max_size=2))]
        pages.append(page)
    return pages


def slow_passages(pages: list[list[str]]) -> list[tuple[str, int, list[tuple[int, int, int]]]]:
    """Text, pages that carry it, and stretches (page, first word, words) of each passage."""
    places = [(row, at) for row, page in enumerate(pages) for at in range(len(page) - 7)]
    run_at = {(row, at): tuple(pages[row][at : at + 8]) for row, at in places}
    on = defaultdict(set)
    for (row, _), run in run_at.items():
        on[run].add(row)
    together = defaultdict(set)
    for (row, at), run in run_at.items():
        if (row, at + 1) in run_at:
            together[run, run_at[row, at + 1]].add(row)
    passage = {run: {run} for run, rows in on.items() if len(rows) > 1}
    for (a, b), rows in together.items():
        if a in passage and b in passage and 2 * len(rows) >= max(len(on[a]), len(on[b])):
            merged = passage[a] | passage[b]
            passage.update(dict.fromkeys(merged, merged))
    found = []
    for runs in {id(runs): runs for runs in passage.values()}.values():
        stretches, covered = [], Counter()
        for row, page in enumerate(pages):
            inside = [any(run_at.get((row, at - k)) in runs for k in range(8)) for at in range(len(page))]
            covered[row] = sum(inside)
            starts = [at for at in range(len(page)) if inside[at] and not (at and inside[at - 1])]
            for at in starts:
                stretches.append((row, at, next(k for k, here in enumerate([*inside[at:], False]) if not here)))
        row, at, length = max(stretches, key=lambda stretch: (stretch[2], -stretch[0], -stretch[1]))
        n_pages = sum(2 * n >= length for n in covered.values())
        found.append((" ".join(pages[row][at : at + length]), n_pages, sorted(stretches)))
    return sorted(found)


@settings(deadline=None, max_examples=300)
@given(pages_with_pastes())
def test_passages_are_those_of_the_definition(pages: list[list[str]]) -> None:
    corpus = corpus_of(map(" ".join, pages))
    found = passages_of(repeated_runs(corpus, np.ones(len(pages), bool)), len(pages))
    fast = []
    for number in range(len(found.place)):
        stretches = [
            (page, place - int(corpus.offsets[page]), n_words)
            for passage, page, place, n_words in zip(
                found.stretch_passage.tolist(), found.stretch_page.tolist(), found.stretch_place.tolist(),
                found.stretch_words.tolist(), strict=True,
            )
            if passage == number
        ]  # fmt: skip
        hashes = corpus.words[found.place[number] :][: found.words[number]]
        text = " ".join(corpus.vocabulary[word] for word in hashes.tolist())
        fast.append((text, int(found.n_pages[number]), sorted(stretches)))
    assert sorted(fast) == slow_passages(pages)


def test_a_text_pasted_with_edits_into_many_pages_is_one_passage() -> None:
    pasted = [f"word{number}" for number in range(300)]
    pages = []
    for page in range(2000):
        edited = list(pasted)
        for k in range(6):
            edited[(page * 7 + k * 50) % 300] = f"edit{page}x{k}"
        pages.append(" ".join(edited))
    corpus = corpus_of(pages)
    found = passages_of(repeated_runs(corpus, np.ones(len(pages), bool)), len(pages))
    assert found.n_pages.tolist() == [2000]


def slow_mentions(pages: list[list[str]], wordings: list[str]) -> list[tuple[int, int, str]]:
    """Page, block and words of each mention: at each place the longest wording that fits, then on behind it."""
    keys = sorted({tuple(stems(words(wording), "en")) for wording in wordings}, key=len, reverse=True)
    found = []
    for row, page in enumerate(pages):
        for number, block in enumerate(page):
            clauses = [words(clause) for clause in block.split(",")]
            for clause in clauses:
                at = 0
                while at < len(clause):
                    length = next((len(key) for key in keys if tuple(stems(clause[at : at + len(key)], "en")) == key), 0)
                    if length:
                        found.append((row, number, " ".join(clause[at : at + length])))
                    at += length or 1
    return found


@settings(deadline=None, max_examples=200)
@given(PAGES, st.lists(st.lists(WORDS, min_size=1, max_size=3).map(" ".join), min_size=1, max_size=3))
def test_mentions_are_those_of_the_definition(pages: list[list[str]], wordings: list[str]) -> None:
    pages = [[block for block in page if block] for page in pages]
    blocks = [block for page in pages for block in page]
    corpus = stemmed_pages(pages)
    links = BlockLinks(blocks.__getitem__, *[np.zeros(len(blocks) + 1, np.int64)] * 4, str)
    at = find_mentions(corpus, np.zeros(len(pages), np.int64), [wordings], exact=False)
    first = np.cumsum([0, *map(len, pages)])
    found = [
        (mention.page, mention.block - int(first[mention.page]), " ".join(words(mention.text)))
        for mention in mentions_at(corpus.corpus, links, at)
    ]
    assert found == slow_mentions(pages, wordings)


def test_broken_up_mentions_are_found_and_told_with_their_links_and_sentences() -> None:
    html = {
        "": "<h1>Violin <b>rental</b></h1><p>Ask. We <i>rent</i> a vio&shy;lin, <a href=/hire>any violin rentals</a>.",
        "hire": "<h1>Hire</h1><p>Home of violin&nbsp;rental.",
        "tips": "<p>Before a VIOLIN RENTAL ends, read this. <p>A violin, rental cars and more.",
        "linked": "<p>Violin rental, see <a href=/hire>here</a>.",
        "old": "<meta name=robots content=noindex><p>Old violin rental.",
    }
    host = "https://host.example/"
    rows = [{"url": host + name, "html": f"<html lang=en><title>{name}</title>{page}"} for name, page in html.items()]
    with tempfile.TemporaryDirectory() as folder:
        table = Path(folder) / "site.jsonl"
        table.write_text("\n".join(map(json.dumps, rows)), "utf-8")
        audit = mardok.audit(table)
    found = mardok.mentions(audit, ["violin rental", "rent a violin"])
    assert found.to_numpy().tolist() == [
        [host, "Violin rental", "Violin rental", "heading", ""],
        [host, "rent a vio\u00adlin", "We rent a vio\u00adlin, any violin rentals.", "text", ""],
        [host, "violin rentals", "We rent a vio\u00adlin, any violin rentals.", "text", host + "hire"],
        [host + "hire", "violin rental", "Home of violin rental.", "text", ""],
        [host + "linked", "Violin rental", "Violin rental, see here.", "text", ""],
        [host + "tips", "VIOLIN RENTAL", "Before a VIOLIN RENTAL ends, read this.", "text", ""],
    ]
    missing = mardok.missing_links(audit, ["violin rental"], host + "hire")
    assert missing[["url", "mentions", "anchor"]].to_numpy().tolist() == [[host + "tips", 1, "VIOLIN RENTAL"]]
    assert mardok.mentions(audit, ["violin rentals"], exact=True)["text"].tolist() == ["violin rentals"]
    with pytest.raises(mardok.SelectionError, match="no word"):
        mardok.mentions(audit, ["..."])


def test_the_demos_phrases_and_passages_are_those_of_a_slow_computation(demo: mardok.Audit) -> None:
    pages = demo.pages
    counts = pages["own_words"].notna().tolist()
    texts = [words(text) for text in pages["main_text"]]
    carriers = defaultdict(set)
    for row, found in enumerate(texts):
        for at in range(len(found) - 7) if counts[row] else ():
            carriers[tuple(found[at : at + 8])].add(row)
    expected = {
        (row, at + k)
        for row, found in enumerate(texts)
        for at in range(len(found) - 7)
        if counts[row] and len(carriers[tuple(found[at : at + 8])]) > 1
        for k in range(8)
    }
    covered = set()
    for stretch in demo.tables["passages"].itertuples():
        assert stretch.words >= 8
        covered |= {(stretch.page, stretch.word + k) for k in range(stretch.words)}
    assert covered == expected
    told = mardok.passages(demo)
    assert int(told["pasted_words"].sum()) == int(demo.tables["passages"]["words"].sum())
    assert told["passage"].is_unique
    for row in told.itertuples():
        run = tuple(words(row.text))
        carrying = {n for n, found in enumerate(texts) if counts[n] and f" {' '.join(run)} " in f" {' '.join(found)} "}
        assert (len(run), 1 <= len(carrying) <= row.pages) == (row.words, True)
    blog = mardok.passages(demo, mardok.Selection(under=("/blog/",)))
    assert 0 < len(blog) < len(told)
    boilerplate = demo.tables["boilerplate"]
    for row in boilerplate.itertuples():
        run = tuple(words(row.text))
        assert len(run) == row.words
        carrying = {n for n, found in enumerate(texts) if counts[n] and f" {' '.join(run)} " in f" {' '.join(found)} "}
        assert 1 <= len(carrying) <= row.pages
        usual = {at + k for at in range(len(run) - 7) if len(carriers[run[at : at + 8]]) >= 3 for k in range(8)}
        assert len(run) < 8 or usual == set(range(len(run)))
    assert "violin hire" in set(demo.tables["phrases"]["phrase"])
    for phrase in demo.tables["phrases"].head(40).itertuples():
        found = mardok.mentions(demo, [phrase.phrase])
        assert (found["url"].nunique(), len(found)) == (phrase.pages, phrase.uses), phrase.phrase


def test_scripts_without_spaces_from_right_to_left_with_marks_and_emoji_are_counted_and_found(tmp_path: Path) -> None:
    texts = {
        "zh": "\u5c0f\u63d0\u7434\u79df\u8d41\u5f88\u4fbf\u5b9c\u3002",
        "he": "\u05d4\u05e9\u05db\u05e8\u05ea \u05db\u05b4\u05bc\u05e0\u05bc\u05d5\u05b9\u05e8 \u05dc.",
        "en": "Violin \U0001f3bb rental, cheap \U0001f3bb\U0001f3bb violin rental.",
    }
    rows = [
        {"url": f"https://host.example/{language}", "html": f"<html lang={language}><title>t</title><p>{text}"}
        for language, text in texts.items()
    ]
    (tmp_path / "site.jsonl").write_text("\n".join(map(json.dumps, rows)), "utf-8")
    audit = mardok.audit(tmp_path / "site.jsonl")
    asked = {"zh": "\u63d0\u7434", "he": "\u05db\u05b4\u05bc\u05e0\u05bc\u05d5\u05b9\u05e8", "en": "violin rental"}
    for language, wording in asked.items():
        found = mardok.mentions(audit, [wording])
        assert found["url"].tolist() == [f"https://host.example/{language}"] * (2 if language == "en" else 1)
        told = mardok.phrases(audit, mardok.Selection(language=language), sizes=(1, 6))
        assert any(wording in phrase for phrase in told["phrase"])
    assert mardok.mentions(audit, ["violin rental"])["text"].tolist() == ["Violin \U0001f3bb rental", "violin rental"]


@given(st.integers(0, 200), st.integers(0, 200), st.integers(201, 5000), st.integers(201, 5000))
def test_the_likelihood_ratio_is_that_of_a_contingency_table(here: int, there: int, n_here: int, n_there: int) -> None:
    ratio = float(log_likelihood_ratio(np.array([here]), np.array([there]), n_here, n_there)[0])
    if here + there:
        table = [[here, n_here - here], [there, n_there - there]]
        expected = chi2_contingency(table, correction=False, lambda_="log-likelihood").statistic
        assert abs(ratio) == pytest.approx(expected, abs=1e-6)
        assert ratio == 0 or (ratio > 0) == (here / n_here >= there / n_there)
    else:
        assert ratio == 0


def test_missing_links_of_the_demo_are_those_of_a_slow_computation(demo: mardok.Audit) -> None:
    pages, links, blocks = demo.pages, demo.tables["links"], demo.tables["blocks"]
    row_of = {page: row for row, page in enumerate(pages["url"])}
    final = [row_of.get(page, -1) for page in pages["final_url"]]
    linking = defaultdict(set)
    targets = defaultdict(set)
    for link in links[links["target_page"] >= 0].itertuples():
        targets[link.page].add(final[link.target_page])
        if not link.chrome:
            linking[final[link.target_page]].add(link.page)
    in_link = {(link.page, link.block): [] for link in links.itertuples()}
    for link in links.itertuples():
        in_link[link.page, link.block].append((link.start, link.end))
    for path, wording in [("/hire/", "violin hire"), ("/repairs/bow-rehair/", "bow hair"), ("/terms/", "month")]:
        target = row_of[url(path)]
        wanted = [stem for word in words(wording) for stem in stems([word], "en")]
        expected: Counter[str] = Counter()
        for block in blocks[blocks["main"] & (blocks["level"] == 0)].itertuples():
            page = pages.iloc[block.page]
            fits = page["indexable"] and page["language"] == "en" and pd.notna(page["own_words"])
            if not fits or block.page == target or block.page in linking[target]:
                continue
            for found in re.finditer(
                r"[A-Za-z0-9]+(?:['-][A-Za-z0-9]+)*(?:\s+[A-Za-z0-9]+(?:['-][A-Za-z0-9]+)*)*", block.text
            ):
                parts = list(re.finditer(r"\S+", found[0]))
                keys = stems([part[0].lower() for part in parts], "en")
                for at in range(len(keys) - len(wanted) + 1):
                    start = found.start() + parts[at].start()
                    end = found.start() + parts[at + len(wanted) - 1].end()
                    covers = in_link.get((block.page, block.block), [])
                    if keys[at : at + len(wanted)] == wanted and not any(a < end and start < b for a, b in covers):
                        expected[page["url"]] += 1
        told = mardok.missing_links(demo, [wording], url(path))
        assert dict(told[["url", "mentions"]].itertuples(index=False)) == dict(expected)
        for row in told.itertuples():
            weight = pages["link_weight"][row_of[row.url]]
            assert row.link_weight == pytest.approx(0.85 * weight / (len(targets[row_of[row.url]]) + 1))
