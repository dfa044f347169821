"""Runs of eight words that stand word for word on two pages or more.

In:  the words of pages.
Out: the places of such runs, and which of them are the same run.

Runs are found by their hashes; :mod:`mardok.text.hashes` bounds the probability that two agree by chance. Those of two pages
or more are found by sorting cut hashes packed with the page, which finds too many rather than too few; their places are then
grouped by whole hashes.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from mardok.hash_ranges import in_ranges, parts_of_places
from mardok.large import Growing, laid_down, large_empty
from mardok.sharing import shared_out
from mardok.text.distinct import first_of_equal, order_of_equal
from mardok.text.hashes import RUN_WORDS, Corpus, Hashes, Ints, Offsets, run_hashes
from mardok.text.known_hashes import KnownHashes

_WORDS_AT_ONCE = 1 << 18


@dataclass(frozen=True)
class RepeatedRuns:
    """Runs of two pages or more, wherever they stand."""

    places: Ints
    """Where they begin among the words of the corpus, in order."""
    number: Ints
    """Which run begins at each place."""
    pages: Ints
    """Page of each place."""

    def select(self, kept: NDArray[np.bool_]) -> RepeatedRuns:
        """Those at some of the places."""
        return RepeatedRuns(self.places[kept], self.number[kept], self.pages[kept])


def repeated_runs(corpus: Corpus, is_compared: NDArray[np.bool_]) -> RepeatedRuns:
    """The runs that stand on two pages or more.

    Parameters
    ----------
    is_compared : ndarray of bool, shape (n_texts,)
        Pages that count.

    Examples
    --------
    >>> from mardok.text.hashes import corpus_of
    >>> pasted = "to hire a violin by the month you need"
    >>> corpus = corpus_of([f"{pasted} no more than this", f"come {pasted}"])
    >>> runs = repeated_runs(corpus, np.ones(2, bool))
    >>> runs.places.tolist(), runs.number.tolist(), runs.pages.tolist()
    ([0, 1, 14, 15], [1, 0, 1, 0], [0, 0, 1, 1])
    """
    bits = np.uint64(max(int(corpus.n_texts - 1).bit_length(), 1))
    runs = _Runs(corpus.words, corpus.offsets, is_compared, bits)
    parts = parts_of_places(max(len(corpus.words) - RUN_WORDS + 1, 0))
    several = Growing(np.uint64)
    for its in in_ranges(runs.packed, parts, len(corpus.words), partial(_of_several_pages, bits)):
        several.add(its)
    repeated = several.finished()
    if not len(repeated):
        return RepeatedRuns(*[np.zeros(0, np.int64)] * 3)
    places, pages, whole = Growing(np.int64), Growing(np.int64), Growing(np.uint64)
    for its_places, its_pages, its_hashes in shared_out(partial(runs.known, KnownHashes(laid_down(repeated))), parts):
        places.add(its_places)
        pages.add(its_pages)
        whole.add(its_hashes)
    order, ordered = order_of_equal(whole.finished())
    number = large_empty(len(order), np.int64)
    number[order] = np.cumsum(first_of_equal(ordered)) - 1
    return RepeatedRuns(places.finished(), number, pages.finished())


@dataclass(frozen=True)
class _Runs:
    """The runs of pages that count."""

    words: Hashes
    offsets: Offsets
    is_compared: NDArray[np.bool_]
    bits: np.uint64
    """Lower bits that a page takes."""

    def packed(self, part: tuple[int, int]) -> Hashes:
        """The hashes of the runs that begin from one place on to another, each with its page in the lower bits."""
        result = [np.zeros(0, np.uint64)]
        for _, hashes, pages in self._of(part):
            is_run = pages >= 0
            result.append(((hashes[is_run] >> self.bits) << self.bits) | pages[is_run].astype(np.uint64))
        return np.concatenate(result)

    def known(self, known: KnownHashes, part: tuple[int, int]) -> tuple[Ints, Ints, Hashes]:
        """Place, page and hash of those runs there whose upper bits are known."""
        places, pages, whole = Growing(np.int64), Growing(np.int64), Growing(np.uint64)
        for first, hashes, its_page in self._of(part):
            result = np.flatnonzero((known.numbers(hashes >> self.bits) >= 0) & (its_page >= 0))
            places.add(result + first)
            pages.add(its_page[result])
            whole.add(hashes[result])
        return places.finished(), pages.finished(), whole.finished()

    def _of(self, part: tuple[int, int]) -> Iterator[tuple[int, Hashes, Ints]]:
        """Hashes of the runs, some at a time: the first place, and of each the page, -1 where they are two."""
        for first in range(*part, _WORDS_AT_ONCE):
            n = min(_WORDS_AT_ONCE, part[1] - first)
            hashes = run_hashes(self.words[first : first + n + RUN_WORDS - 1])
            pages = pages_of_words(self.offsets, first, first + len(hashes) + RUN_WORDS - 1)
            begins = pages[: len(hashes)]
            yield first, hashes, np.where((begins == pages[RUN_WORDS - 1 :]) & self.is_compared[begins], begins, -1)


def pages_of_words(offsets: Offsets, begin: int, end: int) -> Ints:
    """The page of each of the words from one place on to another.

    Parameters
    ----------
    offsets : ndarray of int64, shape (n_pages + 1,)
        Where the words of each page begin.
    """
    first, last = int(np.searchsorted(offsets, begin, side="right")) - 1, int(np.searchsorted(offsets, end))
    ends = np.minimum(np.maximum(offsets[first : last + 1], begin), end)
    return np.repeat(np.arange(first, last), np.diff(ends))


def _of_several_pages(bits: np.uint64, keys: Hashes) -> Hashes:
    """Of packed hashes in order those that two pages or more have, each once and without the page."""
    keys = keys[first_of_equal(keys)]  # a run twice on one page is no run of two pages
    keys >>= bits
    repeated = keys[~first_of_equal(keys)]
    return repeated[first_of_equal(repeated)]
