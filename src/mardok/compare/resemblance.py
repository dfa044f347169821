"""How much of their wording two texts share.

In:  two texts.
Out: exact shares.

Resemblance and containment follow A. Z. Broder, "On the resemblance and containment of documents", Proc. Compression and
Complexity of SEQUENCES 1997.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from mardok.text.hashes import Hashes, n_shingles, shingle_hashes, word_hashes
from mardok.text.words import folded


class CommonWording(NamedTuple):
    """Shares of the shingles of two texts, 0 to 1."""

    resemblance: float
    """Shingles in both / shingles in either."""
    a_in_b: float
    """Shingles in both / shingles in the first."""
    b_in_a: float
    """Shingles in both / shingles in the second."""


def common_wording(text_a: str, text_b: str) -> CommonWording:
    """How much of their wording two texts share; a text without words shares nothing.

    Examples
    --------
    >>> common_wording("hire a violin", "hire a violin today")
    CommonWording(resemblance=0.5, a_in_b=1.0, b_in_a=0.5)
    """
    a, b = _shingles(text_a), _shingles(text_b)
    common = len(np.intersect1d(a, b, assume_unique=True))
    return CommonWording(*(common / n if n else 0.0 for n in (len(a) + len(b) - common, len(a), len(b))))


def _shingles(text: str) -> Hashes:
    """The shingles of a text, sorted and without repeats."""
    words, offsets = word_hashes([folded(text)])
    return np.unique(shingle_hashes(words, offsets)[: int(n_shingles(np.diff(offsets))[0])])
