"""Which pairs are kept for looking at, once groups are found.

In:  all pairs of pages from the least resemblance or containment on.
Out: those that are stored: all of a small family, and of a large one the nearest of each page with a spanning forest of
     greatest resemblance, so that the pages that hang together at any threshold still do (the cut property of minimum
     spanning trees: R. C. Prim, Bell System Technical Journal 36, 1957).
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components, minimum_spanning_tree

from mardok.compiled import compiled
from mardok.settings import Pairs
from mardok.text.distinct import first_of_equal
from mardok.text.hashes import SHINGLE_WORDS, Corpus, Hashes, Ints

_PAGES_AT_HAND = 4096


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
    # scipy's trees take 32-bit numbers of nodes only, whatever its matrices have.
    nodes = a.astype(np.int32), b.astype(np.int32)
    graph = sparse.csr_array((2.0 - resemblance, nodes), shape=(n, n))
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


def shared_words(corpus: Corpus, pairs: Iterable[tuple[int, int]]) -> list[int]:
    """For each pair the words of its shorter page that stand in a shingle of the other; of equal pages of the first.

    Examples
    --------
    >>> from mardok.text.hashes import corpus_of
    >>> shared_words(corpus_of(["hire a violin in town", "you may hire a violin in town today"]), [(0, 1)])
    [5]
    """
    n_words = corpus.n_words

    @lru_cache(_PAGES_AT_HAND)
    def shingles(page: int) -> tuple[Hashes, Ints]:
        hashes = corpus.shingles_of(page)
        order = np.argsort(hashes)
        return hashes[order], order

    def of(a: int, b: int) -> int:
        short, long = (a, b) if n_words[a] <= n_words[b] else (b, a)
        return words_within(*shingles(short), shingles(long)[0], int(n_words[short]), SHINGLE_WORDS)

    return [of(a, b) for a, b in pairs]


@compiled("overlaps")
def words_within(shingles: Hashes, places: Ints, others: Hashes, n_words: int, span: int) -> int:
    """How many words of a text are in shingles that another text has, too.

    Parameters
    ----------
    shingles : ndarray of uint64, shape (n_shingles,)
        Those of the text, sorted.
    places : ndarray of int64, shape (n_shingles,)
        The word with which each of them begins.
    others : ndarray of uint64, shape (n_others,)
        Those of the other text, sorted.
    n_words : int
        Words of the text.
    span : int
        Words of a shingle; a text of fewer words is one.
    """
    if not len(others):
        return 0
    common = places[others[np.minimum(np.searchsorted(others, shingles), len(others) - 1)] == shingles]
    covered = np.zeros(n_words + span, dtype=bool)
    for k in range(span):
        covered[common + k] = True
    return int(covered[:n_words].sum())
