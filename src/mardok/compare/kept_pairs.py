"""Which pairs are kept for looking at, once groups are found.

In:  all pairs of pages from the least resemblance or containment on.
Out: those that are stored: all of a small family, and of a large one the nearest of each page with a spanning forest of
     greatest resemblance, so that the pages that hang together at any threshold still do (the cut property of minimum
     spanning trees: R. C. Prim, Bell System Technical Journal 36, 1957).
"""

from __future__ import annotations

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components, minimum_spanning_tree

from mardok.settings import Pairs
from mardok.text.distinct import distinct, first_of_equal
from mardok.text.hashes import SHINGLE_WORDS, Corpus, Hashes, mixed, n_shingles, shingle_hashes
from mardok.text.known_hashes import KnownHashes

_PAIRS_AT_ONCE = 1 << 9


def kept_pairs(pairs: pd.DataFrame, corpus: Corpus, settings: Pairs) -> pd.DataFrame:
    """Pairs to keep, in the columns of `pairs`, ordered by ``a`` and ``b``.

    Parameters
    ----------
    pairs : DataFrame
        As :attr:`mardok.compare.relations.Relations.pairs` holds them.
    """
    resembling = pairs["resemblance"].to_numpy() >= settings.resemblance
    kept = np.zeros(len(pairs), dtype=bool)
    kept[_of_families(pairs[resembling], corpus.n_texts, settings)] = True
    kept[_of_containment(pairs[~resembling], corpus.n_words, settings)] = True
    return pairs[kept].reset_index(drop=True)


def _of_families(pairs: pd.DataFrame, n: int, settings: Pairs) -> NDArray[np.int64]:
    index, resemblance = pairs.index.to_numpy(), pairs["resemblance"].to_numpy()
    a, b = pairs["a"].to_numpy(), pairs["b"].to_numpy()
    # Tree weights must not be 0, which a sparse matrix takes for "no edge": hence 2 minus the resemblance.
    graph = sparse.csr_array((2.0 - resemblance, (a, b)), shape=(n, n))
    _, family = connected_components(graph, directed=False)
    is_small = np.bincount(family, minlength=1)[family[a]] <= settings.family
    forest = minimum_spanning_tree(graph).tocoo()
    in_forest = np.isin(a * n + b, forest.coords[0].astype(np.int64) * n + forest.coords[1])
    rank = _ranks(np.concatenate([a, b]), np.concatenate([resemblance, resemblance]), np.concatenate([b, a]))
    is_near = (rank < settings.nearest).reshape(2, -1).any(axis=0)
    return np.asarray(index[is_small | in_forest | is_near])


def _of_containment(pairs: pd.DataFrame, n_words: NDArray[np.int64], settings: Pairs) -> NDArray[np.int64]:
    a, b = pairs["a"].to_numpy(), pairs["b"].to_numpy()
    containment = np.maximum(pairs["a_in_b"].to_numpy(), pairs["b_in_a"].to_numpy())
    is_a_inside = pairs["a_in_b"].to_numpy() >= pairs["b_in_a"].to_numpy()
    inner, outer = np.where(is_a_inside, a, b), np.where(is_a_inside, b, a)
    kept = (np.minimum(n_words[a], n_words[b]) >= settings.containment_words) & (containment >= settings.containment)
    index, inner, outer, containment = pairs.index.to_numpy()[kept], inner[kept], outer[kept], containment[kept]
    return np.asarray(index[_ranks(inner, containment, outer) < settings.containment_pairs])


def _ranks(owners: NDArray[np.int64], values: NDArray[np.float64], others: NDArray[np.int64]) -> NDArray[np.int64]:
    """Place of each value among those of its owner, the greatest 0; ties in the order of `others`."""
    order = np.lexsort((others, -values, owners))
    is_first = first_of_equal(owners[order])
    begins = np.flatnonzero(is_first)
    ranks = np.empty(len(order), dtype=np.int64)
    ranks[order] = np.arange(len(order)) - begins[np.cumsum(is_first) - 1]
    return ranks


def shared_words(corpus: Corpus, a: NDArray[np.int64], b: NDArray[np.int64]) -> NDArray[np.int64]:
    """For each pair the words of its shorter page that stand in a shingle of the other; of equal pages of the first.

    Parameters
    ----------
    a, b : ndarray of int64, shape (n_pairs,)
        Rows of the two pages of each pair.
    """
    is_longer = corpus.n_words[a] > corpus.n_words[b]
    shorter, longer = np.where(is_longer, b, a), np.where(is_longer, a, b)
    found = np.zeros(len(a), np.int64)
    for first in range(0, len(a), _PAIRS_AT_ONCE):
        part = slice(first, first + _PAIRS_AT_ONCE)
        own, place, pair = _shingles_by_pair(corpus, shorter[part])
        other, _, _ = _shingles_by_pair(corpus, longer[part])
        is_common = KnownHashes(distinct(other)).numbers(own) >= 0
        place, pair = place[is_common], pair[is_common]
        n_words = corpus.n_words[shorter[part]]
        ends = np.cumsum(n_words)
        covered = np.zeros(int(n_words.sum()), bool)
        for k in range(SHINGLE_WORDS):
            at = place + k
            covered[at[at < ends[pair]]] = True  # a text of fewer words has one shingle, itself
        sums = np.concatenate([np.zeros(1, np.int64), np.cumsum(covered)])
        found[part] = sums[ends] - sums[ends - n_words]
    return found


def _shingles_by_pair(corpus: Corpus, texts: NDArray[np.int64]) -> tuple[Hashes, NDArray[np.int64], NDArray[np.int64]]:
    """Shingles of one text of each pair: a hash of shingle and pair, the word it begins with, the pair.

    Two of one batch agree by chance with a probability of 2^-64.
    """
    words, offsets = corpus.taken(texts)
    counts = n_shingles(np.diff(offsets))
    pair = np.repeat(np.arange(len(texts)), counts)
    begins = np.cumsum(counts) - counts
    place = np.arange(len(pair)) + np.repeat(offsets[:-1] - begins, counts)
    return shingle_hashes(words, offsets)[place] + mixed(pair.astype(np.uint64) + np.uint64(1)), place, pair
