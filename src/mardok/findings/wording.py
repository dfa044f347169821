"""Wording that recurs: phrases, passages, boilerplate.

In:  the pages with their words, the runs of words that stand on two pages or more, which of them are boilerplate.
Out: the tables of phrases, of passages and of boilerplate.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.accounting import Accounted
from mardok.compare.page_phrases import phrases_by_page
from mardok.compare.passages import passages_of
from mardok.compare.phrases import phrases_of, phrases_of_parts, uses_within, words_of_texts
from mardok.compare.runs import RepeatedRuns
from mardok.large import large_empty, places_where, running_counts
from mardok.settings import Phrases
from mardok.tables import BOILERPLATE, PAGE_PHRASES, PASSAGES, PHRASES, SECTION_PHRASES, TEASERS
from mardok.text.distinct import first_of_equal, order_of_numbers
from mardok.text.hashes import Ints
from mardok.text.site import Site
from mardok.text.spans import WordSpans
from mardok.text.stems import Stemmed, stemmed
from mardok.text.words import folded

_SECTIONS, _SECTION_PAGES, _SECTION_PHRASES = 8, 2, 30
"""Sections whose phrases are told, least pages of one, and phrases of each."""
_PAGE_PHRASES = 8
"""Phrases that are told of a page."""
_TYPICAL_WORDS = 2
"""Least words of a phrase that is told of a section: a single word says little."""


def stemmed_site(site: Site, settings: Phrases) -> Stemmed:
    """The words of the main texts with their stems."""
    stop_words = {folded(word) for word in settings.stop_words}
    languages = [page.language for page in site.pages]
    return stemmed(site.corpus, languages, stop_words)


def phrases_table(
    stemmed: Stemmed, is_compared: NDArray[np.bool_], is_repeated: NDArray[np.bool_], settings: Phrases
) -> pd.DataFrame:
    """The phrases of the pages that count.

    Parameters
    ----------
    is_repeated : ndarray of bool, shape (n_words,)
        Words of boilerplate that stand on an earlier page, too: a text that is pasted on many pages uses a phrase once.
    """
    sizes = range(settings.words[0], settings.words[1] + 1)
    none = np.zeros(len(is_compared), bool)
    result = phrases_of(stemmed, is_compared, none, sizes, settings.least_uses(int(is_compared.sum())), is_repeated)
    of_compared = words_of_texts(stemmed.corpus, is_compared)
    result["boilerplate_uses"] = uses_within(stemmed, result, np.logical_and(is_repeated, of_compared, out=of_compared))
    return PHRASES.frame({name: result[name] for name in PHRASES.names})


def page_phrases_table(stemmed: Stemmed, settings: Phrases) -> pd.DataFrame:
    """The phrases that each page uses most."""
    result = phrases_by_page(stemmed, range(settings.words[0], settings.words[1] + 1), _PAGE_PHRASES)
    place = np.arange(len(result)) - np.searchsorted(result["page"].to_numpy(), result["page"].to_numpy()) + 1
    return PAGE_PHRASES.frame({"page": result["page"], "place": place, "phrase": result["phrase"], "uses": result["uses"]})


def section_phrases_table(
    site: Site, stemmed: Stemmed, is_compared: NDArray[np.bool_], accounted: Accounted, settings: Phrases
) -> pd.DataFrame:
    """What the largest sections say more than the rest of the site, in their own words: no teasers, nothing pasted.

    Parameters
    ----------
    stemmed : Stemmed
        The words of all main texts with their stems.
    is_compared : ndarray of bool, shape (n_pages,)
        Pages whose words are counted.
    accounted : Accounted
        What is pasted or teases other pages.
    settings : Phrases
        Words of a phrase, and how often it has to be used.
    """
    rows = np.flatnonzero(is_compared)
    section_of = [section_name(site.pages[row].url) for row in rows.tolist()]
    sizes = Counter(section_of)
    largest = sorted(sizes, key=lambda name: (-sizes[name], name))[:_SECTIONS]
    sections = [name for name in largest if _SECTION_PAGES <= sizes[name] < len(rows)]
    number = {name: part for part, name in enumerate(sections)}
    part_of = np.full(len(is_compared), -1, np.int64)
    part_of[rows] = [number.get(name, len(sections)) for name in section_of]
    words_told = range(max(settings.words[0], _TYPICAL_WORDS), settings.words[1] + 1)
    least_uses = [settings.least_uses(sizes[section]) for section in sections]
    left_out = np.logical_or(accounted.is_repeated, accounted.is_teaser, out=large_empty(len(accounted.is_repeated), bool))
    of_parts = phrases_of_parts(stemmed, part_of, words_told, least_uses, left_out)
    parts = []
    for section, result in zip(sections, of_parts, strict=True):
        result = result.sort_values(["typical", "uses", "phrase"], ascending=[False, False, True]).head(_SECTION_PHRASES)
        parts.append(result.assign(section=section, section_pages=sizes[section], place=np.arange(1, len(result) + 1)))
    if not parts:
        return SECTION_PHRASES.frame([])
    stated = pd.concat(parts)
    return SECTION_PHRASES.frame({name: stated[name].to_numpy() for name in SECTION_PHRASES.names})


def passages_table(site: Site, runs: RepeatedRuns, accounted: Accounted) -> pd.DataFrame:
    """Every stretch of a page that stands word for word on another one.

    Parameters
    ----------
    runs : RepeatedRuns
        Runs of eight words that stand on two pages or more.
    accounted : Accounted
        Which of their words are boilerplate, shared or teasers.
    """
    result = passages_of(runs, len(site.pages))
    marked = running_counts(accounted.is_boilerplate)
    not_own = running_counts(accounted.is_boilerplate, accounted.is_shared, accounted.is_teaser)
    ends = result.stretch_place + result.stretch_words
    return PASSAGES.frame(
        {
            "page": result.stretch_page,
            "word": result.stretch_place - site.corpus.offsets[result.stretch_page],
            "words": result.stretch_words,
            "passage": result.stretch_passage,
            "boilerplate": marked[ends] - marked[result.stretch_place] == result.stretch_words,
            "own": not_own[ends] == not_own[result.stretch_place],
        }
    )


def teasers_table(site: Site, is_teaser: NDArray[np.bool_]) -> pd.DataFrame:
    """Every stretch of words that are teasers, none beyond the end of its page."""
    places, offsets = places_where(is_teaser), site.corpus.offsets
    page = np.searchsorted(offsets, places, side="right") - 1
    begins = np.ones(len(places), bool)
    begins[1:] = (np.diff(places) > 1) | (np.diff(page) > 0)
    at = np.flatnonzero(begins)
    page = page[at]
    n_words = np.diff(at, append=len(places))
    return TEASERS.frame({"page": page, "word": places[at] - offsets[page], "words": n_words})


@dataclass(frozen=True)
class CarriedText:
    """A boilerplate text, and the pages that carry it."""

    page: int
    written: str
    """A page it stands on, and how it is written there."""
    place: int
    """Where that begins among the words of the corpus."""
    n_words: int
    n_pages: int
    """Pages that carry at least half of it."""
    pages: Ints
    """Every page with a part of it, in order."""
    words_on: Ints
    """How many words of each of these pages belong to it."""
    stretch_place: Ints
    stretch_words: Ints
    """Where its stretches begin among the words of the corpus, and how long they are."""


def carried_texts(site: Site, runs: RepeatedRuns, accounted: Accounted) -> list[CarriedText]:
    """Every boilerplate passage, and every boilerplate block too short to be one, in the order of their places.

    Parameters
    ----------
    runs : RepeatedRuns
        Runs of eight words that stand on two pages or more.
    accounted : Accounted
        Which of them, and which short blocks, are boilerplate.
    """
    found, short = passages_of(runs.select(accounted.boilerplate_runs[runs.number]), len(site.pages)), accounted.short_blocks
    n_passages, offsets = len(found.place), site.corpus.offsets
    numbers, first = np.unique(short.number, return_index=True)
    # Each stretch of a passage, and each short block, is a part of a text.
    text = np.concatenate([found.stretch_passage, np.searchsorted(numbers, short.number) + n_passages])
    place = np.concatenate([found.stretch_place, short.place])
    n_words = np.concatenate([found.stretch_words, short.words])
    by_text, text = order_of_numbers(text)
    place, n_words, page = place[by_text], n_words[by_text], np.concatenate([found.stretch_page, short.page])[by_text]
    bounds = np.searchsorted(text, np.arange(n_passages + len(numbers) + 1))
    # What of each text stands on each page.
    n_pages = max(len(site.pages), 1)
    by_page, key = order_of_numbers(text * n_pages + page)
    begins = np.flatnonzero(first_of_equal(key))
    pages = key[begins] % n_pages
    words_on = np.add.reduceat(n_words[by_page], begins) if len(begins) else begins
    page_bounds = np.searchsorted(key[begins] // n_pages, np.arange(n_passages + len(numbers) + 1))

    begin = np.concatenate([found.place, short.place[first]])
    length = np.concatenate([found.words, short.words[first]])
    n_carrying = np.concatenate([found.n_pages, np.diff(page_bounds)[n_passages:]])
    stated, shown, spans = [], -1, WordSpans("")
    for number in np.argsort(begin, kind="stable").tolist():
        at, size = int(begin[number]), int(length[number])
        row = int(np.searchsorted(offsets, at, side="right")) - 1
        if row != shown:
            spans, shown = WordSpans(site.main_text(row)), row
        own = slice(bounds[number], bounds[number + 1])
        on = slice(page_bounds[number], page_bounds[number + 1])
        written = spans.written(at - int(offsets[row]), size)
        stated.append(
            CarriedText(row, written, at, size, int(n_carrying[number]), pages[on], words_on[on], place[own], n_words[own])
        )
    return stated


def boilerplate_table(
    site: Site, texts: Iterable[CarriedText], is_compared: NDArray[np.bool_], group_of: Ints
) -> pd.DataFrame:
    """The table of boilerplate texts.

    Parameters
    ----------
    texts : iterable of CarriedText
        What :func:`carried_texts` gives.
    is_compared : ndarray of bool, shape (n_pages,)
        Pages whose words are counted.
    group_of : ndarray of int64, shape (n_pages,)
        Equal for pages of one group of copies.
    """
    total = int(site.corpus.n_words[is_compared].sum())
    sections = [section_name(page.url) for page in site.pages]

    def row(text: CarriedText) -> tuple[str, int, int, str, str, bool, float]:
        where = Counter(map(sections.__getitem__, text.pages.tolist()))
        usual = min(where, key=lambda name: (-where[name], name))
        are_copies = len(set(group_of[text.pages].tolist())) == 1
        share = int(text.words_on.sum()) / max(total, 1)
        return text.written, text.n_words, text.n_pages, site.pages[text.page].url, usual, are_copies, share

    return BOILERPLATE.frame(map(row, texts))


def section_name(url: str) -> str:
    """The folder of a host that an address begins with, or the host itself."""
    parts = url.split("/", 4)
    return "/".join(parts[:4] if len(parts) > 4 else parts[:3]) + "/"
