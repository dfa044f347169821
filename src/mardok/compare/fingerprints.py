"""Fingerprints of texts: few hashes of runs of words, of which two texts with a passage in common share one.

In:  the words of texts.
Out: hashes with the texts they stand in, and for another text the texts that have some of its own.

Of each four runs of five words in a row the one with the least hash is kept (S. Schleimer, D. S. Wilkerson, A. Aiken,
"Winnowing: Local Algorithms for Document Fingerprinting", SIGMOD 2003): so any eight words in a row that stand in two texts
leave the same hash in both, whatever stands around them. What is found so is a candidate, to be verified on the words.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from mardok.hash_ranges import in_ranges, parts_of_texts
from mardok.large import laid_down, stretches
from mardok.text.distinct import distinct, first_of_equal
from mardok.text.hashes import Corpus, Hashes, Ints, mixed

_RUN, _WINDOW = 5, 4
"""Words of a run, and runs of which one is kept: together they guarantee eight words."""
_BASE = np.uint64(0x9E3779B97F4A7C15)
_MOST_TEXTS = 64
"""Texts that are kept of one hash: what more of them have is found by any."""
_WORDS_AT_ONCE, _HASHES_AT_ONCE = 1 << 18, 1 << 20
_HALF = 1 << 31
"""What is taken off an unsigned hash, so that it fits into a signed number and keeps its place."""


def fingerprints(words: Hashes) -> NDArray[np.int32]:
    """Fingerprints of one text, each once, in order.

    Parameters
    ----------
    words : ndarray of uint64, shape (n_words,)
        Hashes of its words.

    Returns
    -------
    ndarray of int32
        None for a text of fewer than five words.
    """
    kept, _ = _kept(words, np.zeros(len(words), np.int64))
    return np.unique(kept)


def _kept(words: Hashes, text_of: Ints) -> tuple[NDArray[np.int32], Ints]:
    """Hashes that are kept of texts that follow one another, and which text each stands in."""
    n_runs = len(words) - _RUN + 1
    if n_runs <= 0:
        return np.zeros(0, np.int32), np.zeros(0, np.int64)
    runs = words[:n_runs].copy()
    for k in range(1, _RUN):
        runs *= _BASE
        runs += words[k : k + n_runs]
    is_whole = text_of[:n_runs] == text_of[_RUN - 1 :]
    low = (mixed(runs) >> np.uint64(32)).astype(np.int64)
    low[~is_whole] = 1 << 32  # a run that ends in another text is none, and never the least
    least, at = low.copy(), np.arange(n_runs)
    for k in range(1, _WINDOW):
        nearer = low[k:] <= least[: n_runs - k]  # of equal ones the last: it is kept by most windows
        least[: n_runs - k][nearer] = low[k:][nearer]
        at[: n_runs - k][nearer] = np.arange(k, n_runs)[nearer]
    n_windows = max(n_runs - _WINDOW + 1, 0)
    last = slice(_WINDOW - 1, _WINDOW - 1 + n_windows)
    in_one = np.zeros(n_runs, bool)
    in_one[:n_windows] = is_whole[:n_windows] & is_whole[last] & (text_of[:n_windows] == text_of[last])
    begins = is_whole & first_of_equal(text_of[:n_runs])  # of a text with fewer runs than a window, the first stands for all
    chosen = distinct(at[(in_one | begins) & is_whole])
    chosen = chosen[is_whole[chosen]]
    return (low[chosen] - _HALF).astype(np.int32), text_of[chosen]


def all_fingerprints(corpus: Corpus, texts: Ints) -> Iterator[tuple[NDArray[np.int32], NDArray[np.int32]]]:
    """Fingerprints of some texts, in order, and the text of each; of one hash in many texts the first of these.

    Parameters
    ----------
    texts : ndarray of int64
        Numbers of the texts, ascending.

    Yields
    ------
    hashes, texts : ndarray of int32
        Some of them.
    """
    ends = np.concatenate([np.zeros(1, np.int64), np.cumsum(corpus.n_words[texts])])
    make = partial(_packed, replace(corpus, vocabulary={}), texts)
    for hash_of, owner in in_ranges(make, parts_of_texts(ends), int(ends[-1]), _of_few_texts):
        for first in range(0, max(len(hash_of), 1), _HASHES_AT_ONCE):
            yield hash_of[first : first + _HASHES_AT_ONCE], owner[first : first + _HASHES_AT_ONCE]


def _packed(corpus: Corpus, texts: Ints, some: tuple[int, int]) -> Hashes:
    """Fingerprints of some of the texts, each with its text in the lower bits."""
    own = texts[slice(*some)]
    ends = np.concatenate([np.zeros(1, np.int64), np.cumsum(corpus.n_words[own])])
    result = [np.zeros(0, np.uint64)]
    for first, last in stretches(ends, _WORDS_AT_ONCE):
        part = own[first:last]
        words, offsets = corpus.select(part)
        kept, number = _kept(words, np.repeat(np.arange(len(part)), np.diff(offsets)))
        hashes = (kept.astype(np.int64) + _HALF).astype(np.uint64)
        result.append((hashes << np.uint64(32)) | part[number].astype(np.uint64))
    return np.concatenate(result)


def _of_few_texts(keys: Hashes) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Hash and text of keys in order; of one hash the first texts."""
    once = keys[first_of_equal(keys)]
    hash_of = ((once >> np.uint64(32)).astype(np.int64) - _HALF).astype(np.int32)
    owner = (once & np.uint64(0xFFFFFFFF)).astype(np.int32)
    begins = np.maximum.accumulate(np.where(first_of_equal(hash_of), np.arange(len(hash_of)), 0))
    few = np.arange(len(hash_of)) - begins < _MOST_TEXTS
    return laid_down(hash_of[few]), laid_down(owner[few])


def texts_with(hash_of: NDArray[np.int32], owner: NDArray[np.int32], asked: NDArray[np.int32]) -> list[NDArray[np.int32]]:
    """The texts that each of some fingerprints stands in.

    Parameters
    ----------
    hash_of, owner : ndarray of int32
        As :func:`all_fingerprints` gives them.
    asked : ndarray of int32
        Fingerprints.
    """
    first, end = np.searchsorted(hash_of, asked), np.searchsorted(hash_of, asked, side="right")
    return [owner[a:b] for a, b in zip(first.tolist(), end.tolist(), strict=True)]
