"""How much of their wording pages share.

In:  texts, as a :class:`mardok.text.shingles.Corpus`.
Out: every pair of texts with at least some resemblance or containment, with the exact figures.

Resemblance |A ∩ B| / |A ∪ B| and containment |A ∩ B| / |A| of the sets of shingles follow A. Z. Broder, "On the
resemblance and containment of documents", Proc. Compression and Complexity of SEQUENCES 1997. The common shingles of all
pairs are counted by a sparse matrix product, a block of rows at a time: nothing is estimated and no pair can be missed.
Shingle ids stand for words without hashing, so no figure depends on luck.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy import sparse

from mardok.text.shingles import Corpus, corpus_of
from mardok.text.words import words

_ROWS_AT_ONCE = 256


def find_copies(texts: Sequence[str], *, minimum: float = 0.5) -> pd.DataFrame:
    """Pairs of texts that resemble each other.

    Parameters
    ----------
    texts : sequence of str
        Texts of any length; an empty text resembles nothing.
    minimum : float
        Least resemblance of a pair, above 0 and at most 1.

    Returns
    -------
    DataFrame
        Columns ``a``, ``b`` (int64, places in `texts`, a < b), ``resemblance``, ``a_in_b``, ``b_in_a`` (float64, shares
        from 0 to 1), one row a pair, ordered by ``a`` and ``b``.

    Raises
    ------
    ValueError
        If `minimum` is not above 0 and at most 1.

    Examples
    --------
    >>> find_copies(["hire a violin in town", "hire a violin in town today", "new strings"])
       a  b  resemblance  a_in_b  b_in_a
    0  0  1         0.75     1.0    0.75
    """
    if not 0 < minimum <= 1:
        raise ValueError(f"minimum {minimum!r}: expected a share above 0 and at most 1")
    return pairs_of(corpus_of(map(words, texts)), minimum)


def pairs_of(
    corpus: Corpus, resemblance: float, containment: float | None = None, rows: NDArray[np.int64] | None = None
) -> pd.DataFrame:
    """Pairs with at least `resemblance`, or at least `containment` either way, in the columns of :func:`find_copies`.

    With `rows` (sorted), only those texts are compared.
    """
    rows = np.arange(corpus.n_texts) if rows is None else rows
    sets = _shingle_sets(corpus)[rows]
    sizes = np.diff(sets.indptr).astype(np.int64)
    # A shingle of one text joins no pair; without them the product is several times smaller.
    shared = sets[:, np.flatnonzero(np.bincount(sets.indices, minlength=sets.shape[1]) > 1)]
    transposed = shared.T.tocsr()
    found = [
        _pairs_of_rows(shared, transposed, sizes, first, resemblance, containment)
        for first in range(0, len(rows), _ROWS_AT_ONCE)
    ]
    columns = {
        name: np.concatenate([part[name] for part in found]) if found else np.zeros(0, dtype)
        for name, dtype in _DTYPES.items()
    }
    columns["a"], columns["b"] = rows[columns["a"].astype(np.int64)], rows[columns["b"].astype(np.int64)]
    return pd.DataFrame(columns).sort_values(["a", "b"], ignore_index=True)


_DTYPES = {"a": np.int64, "b": np.int64, "resemblance": float, "a_in_b": float, "b_in_a": float}


def _shingle_sets(corpus: Corpus) -> sparse.csr_array:
    """One row a text, one column a shingle, 1 where the text has it."""
    width = int(corpus.shingle_ids.max()) + 1 if len(corpus.shingle_ids) else 1
    ones = np.ones(len(corpus.shingle_ids), dtype=np.int32)
    shape = (corpus.n_texts, width)
    sets = sparse.csr_array((ones, corpus.shingle_ids.copy(), corpus.shingle_offsets.copy()), shape=shape)
    sets.sum_duplicates()
    sets.data[:] = 1
    return sets


def _pairs_of_rows(
    shared: sparse.csr_array,
    transposed: sparse.csr_array,
    sizes: NDArray[np.int64],
    first: int,
    resemblance: float,
    containment: float | None,
) -> dict[str, NDArray[np.generic]]:
    product = (shared[first : first + _ROWS_AT_ONCE] @ transposed).tocoo()
    a, b = product.coords[0].astype(np.int64) + first, product.coords[1].astype(np.int64)
    is_upper = a < b
    a, b, common = a[is_upper], b[is_upper], product.data[is_upper].astype(np.int64)
    shares = common / (sizes[a] + sizes[b] - common), common / sizes[a], common / sizes[b]
    kept = shares[0] >= resemblance
    if containment is not None:
        kept |= np.maximum(shares[1], shares[2]) >= containment
    return {
        "a": a[kept], "b": b[kept], "resemblance": shares[0][kept], "a_in_b": shares[1][kept], "b_in_a": shares[2][kept]
    }  # fmt: skip
