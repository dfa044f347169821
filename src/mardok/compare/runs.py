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

import numpy as np
from numpy.typing import NDArray

from mardok.text.distinct import first_of_equal, order_of_equal
from mardok.text.hashes import RUN_WORDS, Corpus, Hashes, Ints, run_hashes
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
    page_of = np.repeat(np.arange(corpus.n_texts, dtype=np.uint32), corpus.n_words)
    places, number = _repeated_runs(corpus.words, page_of, is_compared)
    return RepeatedRuns(places, number, page_of[places].astype(np.int64))


def _runs(
    words: Hashes, page_of: NDArray[np.uint32], is_compared: NDArray[np.bool_]
) -> Iterator[tuple[int, Hashes, NDArray[np.bool_]]]:
    """Hashes of the runs at all places, a part at a time: its first place, and which of them are runs of one page."""
    for first in range(0, len(words) - RUN_WORDS + 1, _WORDS_AT_ONCE):
        part = slice(first, first + _WORDS_AT_ONCE + RUN_WORDS - 1)
        hashes, pages = run_hashes(words[part]), page_of[part]
        begins = pages[: len(hashes)]
        yield first, hashes, (begins == pages[RUN_WORDS - 1 :]) & is_compared[begins]


def _repeated_runs(words: Hashes, page_of: NDArray[np.uint32], is_compared: NDArray[np.bool_]) -> tuple[Ints, Ints]:
    """Places of the runs that stand on two pages or more, and the number of the run at each."""
    bits = np.uint64(max(int(len(is_compared) - 1).bit_length(), 1))
    keys, end = np.empty(len(words), np.uint64), 0
    for first, hashes, is_run in _runs(words, page_of, is_compared):
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
    known = KnownHashes(repeated)
    places, whole = [], []
    for first, hashes, is_run in _runs(words, page_of, is_compared):
        result = np.flatnonzero((known.numbers(hashes >> bits) >= 0) & is_run)
        places.append(result + first)
        whole.append(hashes[result])
    runs = np.concatenate(whole)
    order, ordered = order_of_equal(runs)
    number = np.empty(len(runs), np.int64)
    number[order] = np.cumsum(first_of_equal(ordered)) - 1
    return np.concatenate(places), number
