"""Which words of a page stand elsewhere too.

In:  the words of pages, which pages are copies of each other, the sections they are in, the links between them.
Out: for each page how many of its words are boilerplate, shared, and its own; the three add up to its words.

A word is boilerplate if it stands in a block, or in a run of eight words, that many pages carry; pages of one group of
copies count once, for many copies of one page make none of its text a stock text, and lists of pages do not count with the
runs of which one page they link to has each. Else it is shared if it stands in a run of eight words that a page outside its
own group of copies carries too. A teaser on a listing counts against the listing: where every other page with the run links
to a page, the run is that page's own.

A run of many pages is told apart from one of few by :mod:`mardok.compare.runs`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from mardok.compare.carriers import Carriers, Divisions, carriers, shared_places, without_lists
from mardok.compare.runs import RepeatedRuns, pages_of_words
from mardok.large import Growing, counted_between, laid_down, large_empty, places_from, stretches
from mardok.settings import Boilerplate
from mardok.sharing import shared_out
from mardok.text.distinct import distinct
from mardok.text.hashes import RUN_WORDS, Corpus, Ints, short_block_hashes

_WORDS_SHARED, _WORDS_AT_ONCE = 1 << 23, 1 << 18
"""Words of pages that are accounted for together, and of those that are gone through at a time."""


@dataclass(frozen=True)
class Accounted:
    """The words of pages; arrays of shape (n_pages,), 0 for pages that were not asked for."""

    own: Ints
    shared: Ints
    boilerplate: Ints
    is_boilerplate: NDArray[np.bool_]
    """For each word of the corpus whether it is boilerplate."""
    is_shared: NDArray[np.bool_]
    """For each word whether it is shared with a page that does not merely tease with it."""
    is_repeated: NDArray[np.bool_]
    """For each word whether it is boilerplate that stands on an earlier page, too."""
    is_teaser: NDArray[np.bool_]
    """For each word whether it is in a run of a page that the page links to: a teaser of that."""
    boilerplate_blocks: NDArray[np.bool_]
    """For each block of the corpus whether all its words are boilerplate."""
    boilerplate_runs: NDArray[np.bool_]
    """For each repeated run whether it is boilerplate."""
    short_blocks: ShortBlocks
    """Boilerplate blocks of fewer words than a run."""

    def pasted_blocks(self, corpus: Corpus) -> NDArray[np.bool_]:
        """For each block of the corpus whether all of it is boilerplate, or a teaser of a page that its page links to."""
        lengths = np.diff(corpus.block_offsets)
        in_teaser = counted_between(self.is_teaser, corpus.block_offsets)
        return np.asarray(self.boilerplate_blocks | ((in_teaser == lengths) & (lengths > 0)))


@dataclass(frozen=True)
class ShortBlocks:
    """Blocks of fewer words than a run, wherever they stand."""

    number: Ints
    """Equal for blocks of the same words, shape (n_blocks,)."""
    place: Ints
    words: Ints
    """Where each begins among the words of the corpus, and how many words it has."""
    page: Ints


def account(
    corpus: Corpus,
    runs: RepeatedRuns,
    is_compared: NDArray[np.bool_],
    group_of: Ints,
    section_of: Ints,
    links: Ints,
    settings: Boilerplate,
) -> Accounted:
    """Account for the words of some pages.

    Parameters
    ----------
    runs : RepeatedRuns
        Of the pages that count.
    is_compared : ndarray of bool, shape (n_pages,)
        Pages that count.
    group_of, section_of : ndarray of int64, shape (n_pages,)
        Equal for pages of one group of copies, which is told by the number of one of them, and of one section.
    links : ndarray of int64
        Links between pages as source * n_pages + target.

    Examples
    --------
    >>> from mardok.compare.runs import repeated_runs
    >>> from mardok.text.hashes import corpus_of
    >>> pasted = "to hire a violin by the month you need no more"
    >>> corpus = corpus_of([f"first {pasted}", pasted, "strings for the cello"])
    >>> everyone, each = np.ones(3, bool), np.arange(3)
    >>> runs = repeated_runs(corpus, everyone)
    >>> counts = account(corpus, runs, everyone, each, each, np.zeros(0, np.int64), Boilerplate())
    >>> counts.own.tolist(), counts.shared.tolist(), counts.boilerplate.tolist()
    ([1, 0, 4], [11, 11, 0], [0, 0, 0])
    """
    divisions = Divisions(group_of, section_of, settings)
    carried = without_lists(carriers(runs.number, runs.pages, divisions), divisions, links)
    is_shared, is_teaser = shared_places(carried, divisions, links)
    short, is_short_again = _short_boilerplate(corpus, is_compared, divisions)
    marks = _Marks(
        corpus.offsets,
        corpus.block_offsets,
        corpus.first_blocks,
        is_compared,
        runs.places,
        laid_down(carried.are_boilerplate),
        laid_down(_used_again(runs.number, carried)),
        laid_down(is_shared),
        laid_down(is_teaser),
        short,
        is_short_again,
    )
    columns = [Growing(dtype) for dtype in (*[np.int64] * 3, *[np.bool_] * 5)]
    for told in shared_out(marks.of_pages, list(stretches(corpus.offsets, _WORDS_SHARED))):
        for growing, its in zip(columns, told, strict=True):
            growing.add(its)
    own, shared, boilerplate, is_boilerplate, in_shared, is_repeated, in_teaser, blocks = (
        growing.finished() for growing in columns
    )
    return Accounted(
        own=own,
        shared=shared,
        boilerplate=boilerplate,
        is_boilerplate=is_boilerplate,
        is_shared=in_shared,
        is_repeated=is_repeated,
        is_teaser=in_teaser,
        boilerplate_blocks=blocks,
        boilerplate_runs=carried.is_boilerplate,
        short_blocks=short,
    )


def _used_again(number: Ints, carried: Carriers) -> NDArray[np.bool_]:
    """Whether each place, in order, has a boilerplate text that stands at an earlier one, too."""
    result = carried.is_boilerplate[number]
    result[carried.first] = False
    return np.asarray(result)


@dataclass(frozen=True)
class _Marks:
    """What is known of the places of runs, and of short blocks, and of the words that they cover."""

    offsets: Ints
    block_offsets: Ints
    first_blocks: Ints
    is_compared: NDArray[np.bool_]
    places: Ints
    """Where the runs begin, in order."""
    are_boilerplate: NDArray[np.bool_]
    are_repeated: NDArray[np.bool_]
    """Whether each place has boilerplate that stands at an earlier place, too."""
    are_shared: NDArray[np.bool_]
    are_teasers: NDArray[np.bool_]
    short: ShortBlocks
    are_short_repeated: NDArray[np.bool_]

    def of_pages(self, pages: tuple[int, int]) -> tuple[NDArray[Any], ...]:
        """The words of some pages: how many are own, shared and boilerplate, which are, and blocks that all are."""
        begin, end = pages
        first, stop = self.offsets[begin], self.offsets[end]
        at = slice(*np.searchsorted(self.places, [first, stop]))
        places = self.places[at] - first
        near = slice(*np.searchsorted(self.short.place, [first, stop]))
        short, n_short = self.short.place[near] - first, self.short.words[near]

        def covered(chosen: NDArray[np.bool_], short_chosen: NDArray[np.bool_]) -> NDArray[np.bool_]:
            result = _covered(stop - first, places[chosen[at]], RUN_WORDS)
            result[places_from(short[short_chosen], n_short[short_chosen])] = True
            return result

        every, none = np.ones(len(short), bool), np.zeros(len(short), bool)
        is_boilerplate, is_shared = covered(self.are_boilerplate, every), covered(self.are_shared, none)
        np.greater(is_shared, is_boilerplate, out=is_shared)  # and not boilerplate
        offsets, is_compared = self.offsets[begin : end + 1] - first, self.is_compared[begin:end]
        boilerplate = counted_between(is_boilerplate, offsets) * is_compared
        shared = counted_between(is_shared, offsets) * is_compared
        blocks = self.block_offsets[self.first_blocks[begin] : self.first_blocks[end] + 1] - first
        lengths = np.diff(blocks)
        return (
            np.diff(offsets) * is_compared - boilerplate - shared,
            shared,
            boilerplate,
            is_boilerplate,
            is_shared,
            covered(self.are_repeated, self.are_short_repeated[near]),
            covered(self.are_teasers, none),
            (counted_between(is_boilerplate, blocks) == lengths) & (lengths > 0),
        )


def _covered(n_words: int, places: Ints, length: int) -> NDArray[np.bool_]:
    """Words that stand in a run beginning at one of the places, which are in order."""
    covered = large_empty(n_words, bool)
    for first in range(0, n_words, _WORDS_AT_ONCE):
        part = covered[first : first + _WORDS_AT_ONCE]
        begin, end = np.searchsorted(places, [first - length + 1, first + len(part)])
        marked = np.zeros(length - 1 + len(part), bool)  # from the first place on that reaches into the part
        marked[places[begin:end] - (first - length + 1)] = True
        reached = 1
        while reached < length:  # each word marks as many after it as are marked so far
            step = min(reached, length - reached)
            marked[step:] |= marked[:-step].copy()
            reached += step
        part[:] = marked[length - 1 :]
    return covered


def _short_boilerplate(
    corpus: Corpus, is_compared: NDArray[np.bool_], divisions: Divisions
) -> tuple[ShortBlocks, NDArray[np.bool_]]:
    """Blocks that are shorter than a run and stand on many pages, and whether each stands at an earlier place, too."""
    starts, lengths = corpus.block_offsets[:-1], np.diff(corpus.block_offsets)
    short = np.flatnonzero((lengths > 0) & (lengths < RUN_WORDS))
    page_of = pages_of_words(corpus.first_blocks, 0, len(starts))
    short = short[is_compared[page_of[short]]]
    hashes = short_block_hashes(corpus.words, starts[short], lengths[short])
    number = np.searchsorted(distinct(hashes), hashes).astype(np.int64)
    page = page_of[short]
    carried = carriers(laid_down(number), laid_down(page), divisions)
    kept = carried.is_boilerplate[number]
    blocks = ShortBlocks(number[kept], starts[short][kept], lengths[short][kept], page[kept])
    return blocks, _used_again(number, carried)[kept]
