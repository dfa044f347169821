"""Which words of a page stand elsewhere too.

In:  the words of pages, which pages are copies of each other, the sections they are in, the links between them.
Out: for each page how many of its words are boilerplate, shared, and its own; the three add up to its words.

A word is boilerplate if it stands in a block, or in a run of eight words, that many pages carry. Else it is shared if it
stands in a run of eight words that a page outside its own group of copies carries too. A teaser on a listing counts against
the listing: where every other page with the run links to a page, the run is that page's own.

Runs are found by their hashes. Those of two pages or more are found by sorting cut hashes packed with the page, which finds
too many rather than too few; their places are then grouped by whole hashes.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.join import Ints
from mardok.settings import Boilerplate
from mardok.text.distinct import distinct, first_of_equal
from mardok.text.hashes import RUN_WORDS, Corpus, Hashes, Offsets, run_hashes, short_block_hashes

_WORDS_AT_ONCE = 1 << 18
_SIEVE_BITS = 26
_MOST_CARRIERS = 64
"""Pages with a run up to which it is asked whether they link to each other."""


@dataclass(frozen=True)
class Accounted:
    """The words of pages; arrays of shape (n_pages,), 0 for pages that were not asked for."""

    own: Ints
    shared: Ints
    boilerplate: Ints
    boilerplate_blocks: NDArray[np.bool_]
    """For each block of the corpus whether all its words are boilerplate."""


def account(corpus: Corpus, rows: Ints, group_of: Ints, section_of: Ints, links: Ints, settings: Boilerplate) -> Accounted:
    """Account for the words of some pages.

    Parameters
    ----------
    rows : ndarray of int64
        Pages that count, in order.
    group_of, section_of : ndarray of int64, shape (n_pages,)
        Equal for pages of one group of copies, and of one section.
    links : ndarray of int64
        Links between pages as source * n_pages + target.
    """
    n_pages = corpus.n_texts
    counts = np.zeros(n_pages, bool)
    counts[rows] = True
    page_of = np.repeat(np.arange(n_pages, dtype=np.uint32), corpus.n_words)
    places, runs = _repeated_runs(corpus.words, page_of, counts)
    pages = page_of[places].astype(np.int64)
    carried = _Carried(runs, pages, section_of, settings)
    in_boilerplate = _covered(len(corpus.words), places[carried.is_boilerplate[runs]], RUN_WORDS)
    _add_short_blocks(corpus, page_of, counts, section_of, settings, in_boilerplate)
    is_shared = _is_shared(runs, pages, group_of, links, n_pages, carried)
    in_shared = _covered(len(corpus.words), places[is_shared], RUN_WORDS) & ~in_boilerplate

    boilerplate = _counted(in_boilerplate, corpus.offsets) * counts
    shared = _counted(in_shared, corpus.offsets) * counts
    in_block, lengths = _counted(in_boilerplate, corpus.block_offsets), np.diff(corpus.block_offsets)
    return Accounted(
        corpus.n_words * counts - boilerplate - shared, shared, boilerplate, (in_block == lengths) & (lengths > 0)
    )


def _runs(
    words: Hashes, page_of: NDArray[np.uint32], counts: NDArray[np.bool_]
) -> Iterator[tuple[int, Hashes, NDArray[np.bool_]]]:
    """Hashes of the runs at all places, a part at a time: its first place, and which of them are runs of one page."""
    for first in range(0, len(words) - RUN_WORDS + 1, _WORDS_AT_ONCE):
        part = slice(first, first + _WORDS_AT_ONCE + RUN_WORDS - 1)
        hashes, pages = run_hashes(words[part]), page_of[part]
        begins = pages[: len(hashes)]
        yield first, hashes, (begins == pages[RUN_WORDS - 1 :]) & counts[begins]


def _repeated_runs(words: Hashes, page_of: NDArray[np.uint32], counts: NDArray[np.bool_]) -> tuple[Ints, Ints]:
    """Places of the runs that stand on two pages or more, and the number of the run at each."""
    bits = np.uint64(max(int(len(counts) - 1).bit_length(), 1))
    keys, end = np.empty(len(words), np.uint64), 0
    for first, hashes, is_run in _runs(words, page_of, counts):
        hashes >>= bits
        hashes <<= bits
        hashes |= page_of[first : first + len(hashes)]
        n_runs = int(np.count_nonzero(is_run))
        keys[end : end + n_runs] = hashes[is_run]
        end += n_runs
    keys = keys[:end]
    keys.sort()
    keys = keys[first_of_equal(keys)]  # a run twice on one page is no run of two pages
    keys >>= bits
    repeated = keys[~first_of_equal(keys)]
    repeated = repeated[first_of_equal(repeated)]
    del keys
    if not len(repeated):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    # Most runs are on one page only: a table of bits leaves a few to look for among the repeated ones.
    mask = np.uint64((1 << min(max(len(repeated).bit_length() + 4, 16), _SIEVE_BITS)) - 1)
    sieve = np.zeros(int(mask) + 1, bool)
    sieve[(repeated & mask).view(np.int64)] = True
    places, whole = [], []
    for first, hashes, is_run in _runs(words, page_of, counts):
        cut = hashes >> bits
        likely = np.flatnonzero(sieve[(cut & mask).view(np.int64)] & is_run)
        cut = cut[likely]
        found = likely[repeated[np.minimum(np.searchsorted(repeated, cut), len(repeated) - 1)] == cut]
        places.append(found + first)
        whole.append(hashes[found])
    return np.concatenate(places), np.unique(np.concatenate(whole), return_inverse=True)[1].astype(np.int64)


class _Carried:
    """How many pages carry each of some texts."""

    def __init__(self, texts: Ints, pages: Ints, section_of: Ints, settings: Boilerplate) -> None:
        n_texts = int(texts.max()) + 1 if len(texts) else 0
        n_pages = len(section_of)
        pairs = distinct(texts * n_pages + pages)
        self.text, self.page = pairs // n_pages, pairs % n_pages
        """Each text with each page that carries it, once."""
        self.n_pages = np.bincount(self.text, minlength=n_texts)
        n_sections = int(section_of.max()) + 1 if n_pages else 1
        placed = np.sort(self.text * n_sections + section_of[self.page])
        begins = np.flatnonzero(first_of_equal(placed))
        in_section, n_in_section = placed[begins], np.diff(begins, append=len(placed))
        size = np.bincount(section_of, minlength=n_sections)[in_section % n_sections]
        is_usual = (n_in_section >= settings.section_pages) & (n_in_section > settings.section_share * size)
        self.is_boilerplate = self.n_pages >= settings.pages
        self.is_boilerplate[(in_section // n_sections)[is_usual]] = True


def _is_shared(runs: Ints, pages: Ints, group_of: Ints, links: Ints, n_pages: int, carried: _Carried) -> NDArray[np.bool_]:
    """For each place whether a page of another group carries its run, and does not merely link to the page."""
    if not len(runs):
        return np.zeros(0, bool)
    text, page = carried.text, carried.page
    first = np.searchsorted(text, np.arange(len(carried.n_pages) + 1))
    many = carried.n_pages > _MOST_CARRIERS
    found = many[text]
    # Every carrier of a run with every other: few, since a run of many pages is boilerplate before it is shared.
    few = np.flatnonzero(~many[text])
    sizes = carried.n_pages[text[few]]
    here = np.repeat(few, sizes)
    offsets = np.concatenate([np.zeros(1, np.int64), np.cumsum(sizes)])
    there = np.repeat(first[text[few]] - offsets[:-1], sizes) + np.arange(offsets[-1])
    is_other = group_of[page[here]] != group_of[page[there]]
    here, there = here[is_other], there[is_other]
    is_teaser = np.isin(page[there] * n_pages + page[here], links)
    found[here[~is_teaser]] = True
    at = np.searchsorted(text * n_pages + page, runs * n_pages + pages)
    return np.asarray(found[at])


def _counted(words: NDArray[np.bool_], offsets: Offsets) -> Ints:
    """How many of the words between each offset and the next are marked."""
    marked = np.flatnonzero(words)
    return np.diff(np.searchsorted(marked, offsets))


def _covered(n_words: int, places: Ints, length: int) -> NDArray[np.bool_]:
    """Words that stand in a run beginning at one of the places."""
    covered = np.zeros(n_words, bool)
    covered[places] = True
    reach = 1
    while reach < length:
        step = min(reach, length - reach)
        covered[step:] |= covered[:-step].copy()
        reach += step
    return covered


def _add_short_blocks(
    corpus: Corpus,
    page_of: NDArray[np.uint32],
    counts: NDArray[np.bool_],
    section_of: Ints,
    settings: Boilerplate,
    in_boilerplate: NDArray[np.bool_],
) -> None:
    """Mark the words of blocks that are shorter than a run and stand on many pages."""
    starts, lengths = corpus.block_offsets[:-1], np.diff(corpus.block_offsets)
    short = np.flatnonzero((lengths > 0) & (lengths < RUN_WORDS))
    short = short[counts[page_of[starts[short]]]]
    if not len(short):
        return
    blocks = np.unique(short_block_hashes(corpus.words, starts[short], lengths[short]), return_inverse=True)[1]
    carried = _Carried(blocks.astype(np.int64), page_of[starts[short]].astype(np.int64), section_of, settings)
    for block in short[carried.is_boilerplate[blocks]].tolist():
        in_boilerplate[starts[block] : starts[block] + lengths[block]] = True
