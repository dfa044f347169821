"""Wording that recurs: phrases, passages, boilerplate.

In:  the pages with their words, the runs of words that stand on two pages or more, which of them are boilerplate.
Out: the tables of phrases, of passages and of boilerplate.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.accounting import Accounted
from mardok.compare.join import Ints
from mardok.compare.passages import passages_of
from mardok.compare.phrases import phrases_of
from mardok.compare.runs import RepeatedRuns
from mardok.settings import Phrases
from mardok.tables import BOILERPLATE, PASSAGES, PHRASES
from mardok.text.site import Site
from mardok.text.stems import Stemmed, stemmed
from mardok.text.words import folded, word_spans


def stemmed_site(site: Site, settings: Phrases) -> Stemmed:
    """The words of the main texts with their stems."""
    stop_words = {folded(word) for word in settings.stop_words}
    languages = [page.language for page in site.pages]
    return stemmed(site.corpus, languages, stop_words)


def phrases_table(site: Site, counts: NDArray[np.bool_], settings: Phrases) -> pd.DataFrame:
    """The phrases of the pages that count."""
    sizes = range(settings.words[0], settings.words[1] + 1)
    found = phrases_of(stemmed_site(site, settings), counts, np.zeros(len(counts), bool), sizes, settings.uses)
    return PHRASES.frame({name: found[name] for name in PHRASES.names})


def passages_table(site: Site, runs: RepeatedRuns, accounted: Accounted) -> pd.DataFrame:
    """Every stretch of a page that stands word for word on another one."""
    found = passages_of(runs, len(site.pages))
    marked = np.concatenate([np.zeros(1, np.int64), np.cumsum(accounted.is_boilerplate)])
    ends = found.stretch_place + found.stretch_words
    return PASSAGES.frame(
        {
            "page": found.stretch_page,
            "word": found.stretch_place - site.corpus.offsets[found.stretch_page],
            "words": found.stretch_words,
            "passage": found.stretch_passage,
            "boilerplate": marked[ends] - marked[found.stretch_place] == found.stretch_words,
        }
    )


@dataclass(frozen=True)
class _Carried:
    """A text that many pages carry."""

    place: int
    n_words: int
    n_pages: int
    pages: Ints
    """Every page with a part of it, in order."""
    n_covered: int
    """Words of all pages that belong to it."""


def boilerplate_table(
    site: Site, runs: RepeatedRuns, accounted: Accounted, counts: NDArray[np.bool_], group_of: Ints
) -> pd.DataFrame:
    """Every boilerplate passage and every boilerplate block too short to be one."""
    total = int(site.corpus.n_words[counts].sum())
    carried = [*_long(runs.taken(accounted.boilerplate_runs[runs.number]), len(site.pages)), *_short(accounted)]
    return BOILERPLATE.frame(_row(site, text, group_of, total) for text in carried)


def _long(runs: RepeatedRuns, n_pages: int) -> Iterator[_Carried]:
    found = passages_of(runs, n_pages)
    order = np.argsort(found.stretch_passage, kind="stable")
    first = np.searchsorted(found.stretch_passage[order], np.arange(len(found.place) + 1))
    for number, (place, n_words, n_carriers) in enumerate(
        zip(found.place.tolist(), found.words.tolist(), found.n_pages.tolist(), strict=True)
    ):
        own = order[first[number] : first[number + 1]]
        pages = np.unique(found.stretch_page[own])
        yield _Carried(place, n_words, n_carriers, pages, int(found.stretch_words[own].sum()))


def _short(accounted: Accounted) -> Iterator[_Carried]:
    blocks = accounted.short_blocks
    of_number: Mapping[int, list[int]] = defaultdict(list)
    for at, number in enumerate(blocks.number.tolist()):
        of_number[number].append(at)
    for places in of_number.values():
        pages = np.unique(blocks.page[places])
        place, n_words = int(blocks.place[places[0]]), int(blocks.words[places[0]])
        yield _Carried(place, n_words, len(pages), pages, n_words * len(places))


def _row(site: Site, text: _Carried, group_of: Ints, total: int) -> tuple[str, int, int, str, str, bool, float]:
    page = int(np.searchsorted(site.corpus.offsets, text.place, side="right")) - 1
    written = written_words(site.main_text(page), text.place - int(site.corpus.offsets[page]), text.n_words)
    where = Counter(section_name(site.pages[row].url) for row in text.pages.tolist())
    usual = min(where, key=lambda name: (-where[name], name))
    are_copies = len(set(group_of[text.pages].tolist())) == 1
    return written, text.n_words, text.n_pages, site.pages[page].url, usual, are_copies, text.n_covered / max(total, 1)


def section_name(url: str) -> str:
    """The folder of a host that an address begins with, or the host itself."""
    parts = url.split("/", 4)
    return "/".join(parts[:4] if len(parts) > 4 else parts[:3]) + "/"


def written_words(text: str, first: int, n_words: int) -> str:
    """Some words of a text as they are written, on one line.

    Examples
    --------
    >>> written_words("Hire a violin,\\nor buy one.", 2, 2)
    'violin, or'
    """
    spans = word_spans(text)[first : first + n_words]
    return " ".join(text[spans[0][0] : spans[-1][1]].split()) if spans else ""
