"""How much of their wording pages share.

In:  texts.
Out: every pair of texts with at least some resemblance, with the exact figures; see :mod:`mardok.compare.join`.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np
import pandas as pd

from mardok.compare.join import Family, Overlap, Overlaps, Sets, candidates, join, shingle_sets, told_of_blocks
from mardok.text.hashes import Ints, word_hashes
from mardok.text.words import folded


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
        from 0 to 1), one row a pair, ordered by ``a`` and ``b``. All pairs: of n equal texts they are n (n - 1) / 2.

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
    return all_pairs(shingle_sets(*word_hashes(map(folded, texts))), minimum)


def all_pairs(sets: Sets, minimum: float) -> pd.DataFrame:
    """All pairs of sets with at least `minimum` resemblance, in the columns of :func:`find_copies`."""
    result, families = join(sets, candidates(sets, minimum), minimum)
    return shares(sets, [*result, *family_pairs(families, minimum)], minimum)


def family_pairs(families: Sequence[Family], minimum: float) -> list[Overlaps]:
    """All pairs of each family with at least `minimum` resemblance."""
    return [joined(parts) for parts in told_of_blocks(families, partial(_pairs_of_block, minimum))]


def _pairs_of_block(minimum: float, family: Family, first: int, block: Overlap) -> Overlaps:
    row, column = np.nonzero(family.resemblance(first, block) >= minimum - _ROUNDING)
    is_upper = family.texts[row + first] < family.texts[column]
    row, column = row[is_upper], column[is_upper]
    return Overlaps(family.texts[row + first], family.texts[column], block[row, column].astype(np.int64))


_ROUNDING = 1e-9
"""How far below a threshold a share may lie that is equal to it but for rounding."""


def joined(parts: Sequence[Overlaps]) -> Overlaps:
    """Several lists of pairs as one."""
    empty: list[Ints] = [np.zeros(0, np.int64)]
    return Overlaps(*(np.concatenate([getattr(part, name) for part in parts] or empty) for name in ("a", "b", "common")))


def shares(sets: Sets, overlaps: Sequence[Overlaps], minimum: float) -> pd.DataFrame:
    """Pairs with their shares, those of at least `minimum` resemblance, ordered by ``a`` and ``b``, ``a`` before ``b``.

    Parameters
    ----------
    overlaps : sequence of Overlaps
        Pairs with the number of shingles they have in common.
    minimum : float
        Least resemblance, 0 to 1.
    """
    pairs = joined(overlaps)
    a, b = np.minimum(pairs.a, pairs.b), np.maximum(pairs.a, pairs.b)
    n_a, n_b = sets.sizes[a], sets.sizes[b]
    resemblance = pairs.common / np.maximum(n_a + n_b - pairs.common, 1)
    kept = resemblance >= minimum - _ROUNDING
    frame = pd.DataFrame(
        {
            "a": a[kept],
            "b": b[kept],
            "resemblance": resemblance[kept],
            "a_in_b": pairs.common[kept] / n_a[kept],
            "b_in_a": pairs.common[kept] / n_b[kept],
        }
    )
    return frame.sort_values(["a", "b"], ignore_index=True)
