"""Wording that recurs: phrases, passages, boilerplate.

In:  the pages with their words, the runs of words that stand on two pages or more, which of them are boilerplate.
Out: the tables of phrases, of passages and of boilerplate.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping
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


def phrases_table(stemmed: Stemmed, counts: NDArray[np.bool_], settings: Phrases) -> pd.DataFrame:
    """The phrases of the pages that count."""
    sizes = range(settings.words[0], settings.words[1] + 1)
    found = phrases_of(stemmed, counts, np.zeros(len(counts), bool), sizes, settings.least_uses(int(counts.sum())))
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
class CarriedText:
    """A boilerplate text, and the pages that carry it."""

    place: int
    """Where it begins among the words of the corpus."""
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


def carried_texts(runs: RepeatedRuns, accounted: Accounted, n_pages: int) -> list[CarriedText]:
    """Every boilerplate passage, and every boilerplate block too short to be one."""
    return [*_long(runs.taken(accounted.boilerplate_runs[runs.number]), n_pages), *_short(accounted)]


def boilerplate_table(site: Site, texts: Iterable[CarriedText], counts: NDArray[np.bool_], group_of: Ints) -> pd.DataFrame:
    """The table of boilerplate texts."""
    total = int(site.corpus.n_words[counts].sum())
    return BOILERPLATE.frame(_row(site, text, group_of, total) for text in texts)


def _long(runs: RepeatedRuns, n_pages: int) -> Iterator[CarriedText]:
    found = passages_of(runs, n_pages)
    order = np.argsort(found.stretch_passage, kind="stable")
    first = np.searchsorted(found.stretch_passage[order], np.arange(len(found.place) + 1))
    for number, (place, n_words, n_carriers) in enumerate(
        zip(found.place.tolist(), found.words.tolist(), found.n_pages.tolist(), strict=True)
    ):
        own = order[first[number] : first[number + 1]]
        yield _carried(
            place, n_words, n_carriers, found.stretch_page[own], found.stretch_place[own], found.stretch_words[own]
        )


def _carried(place: int, n_words: int, n_carriers: int | None, page: Ints, places: Ints, lengths: Ints) -> CarriedText:
    pages, at = np.unique(page, return_inverse=True)
    words_on = np.bincount(at, lengths, minlength=len(pages)).astype(np.int64)
    return CarriedText(place, n_words, n_carriers or len(pages), pages, words_on, places, lengths)


def _short(accounted: Accounted) -> Iterator[CarriedText]:
    blocks = accounted.short_blocks
    of_number: Mapping[int, list[int]] = defaultdict(list)
    for at, number in enumerate(blocks.number.tolist()):
        of_number[number].append(at)
    for places in of_number.values():
        place, n_words = int(blocks.place[places[0]]), int(blocks.words[places[0]])
        yield _carried(place, n_words, None, blocks.page[places], blocks.place[places], blocks.words[places])


def _row(site: Site, text: CarriedText, group_of: Ints, total: int) -> tuple[str, int, int, str, str, bool, float]:
    page, written = text_as_written(site, text)
    where = Counter(section_name(site.pages[row].url) for row in text.pages.tolist())
    usual = min(where, key=lambda name: (-where[name], name))
    are_copies = len(set(group_of[text.pages].tolist())) == 1
    share = int(text.words_on.sum()) / max(total, 1)
    return written, text.n_words, text.n_pages, site.pages[page].url, usual, are_copies, share


def text_as_written(site: Site, text: CarriedText) -> tuple[int, str]:
    """The page a boilerplate text is taken from, and how it is written there."""
    page = int(np.searchsorted(site.corpus.offsets, text.place, side="right")) - 1
    return page, written_words(site.main_text(page), text.place - int(site.corpus.offsets[page]), text.n_words)


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
