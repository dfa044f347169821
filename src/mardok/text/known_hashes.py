"""Which of some known hashes each of many hashes is.

In:  known hashes, in order and each once; then any others.
Out: the place of each among the known ones.

Most are found with one look into a table in which each known hash stands at a place of its own; where two would stand at
one, the second goes to the next table, by other bits. Among a million known ones this takes an eighth of the time of a
binary search, which looks at twenty places that are not in the processor's cache.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from mardok.compiled import compiled
from mardok.large import laid_down
from mardok.text.hashes import Hashes

_ROOM_BITS, _FEWEST_BITS, _MOST_BITS = 3, 8, 26
"""A table has eight places for each hash, within bounds."""
_SHIFT = 13
_MOST_TABLES = 4


class KnownHashes:
    """Known hashes, to be asked about many times.

    Parameters
    ----------
    known : ndarray of uint64, shape (n_known,)
        In order, no repeats.

    Examples
    --------
    >>> KnownHashes(np.array([3, 5, 8], np.uint64)).numbers(np.array([8, 4, 3], np.uint64))
    array([ 2, -1,  0])
    """

    def __init__(self, known: Hashes) -> None:
        self._known = known
        self._tables: list[NDArray[np.int32]] = []
        left = np.arange(len(known), dtype=np.int32)
        while len(left) and len(self._tables) < _MOST_TABLES:
            bits = min(max(len(left).bit_length() + _ROOM_BITS, _FEWEST_BITS), _MOST_BITS)
            table = np.full(1 << bits, -1, np.int32)
            self._tables.append(table)
            at = _at(known[left], self._tables, len(self._tables) - 1)
            table[at] = left
            left = left[table[at] != left]
        self._tables = list(map(laid_down, self._tables))
        self._left = left
        """The few that found no place in any table."""

    def numbers(self, hashes: Hashes) -> NDArray[np.int64]:
        """Place of each hash among the known ones, -1 where it is not among them."""
        return places_among(hashes, self._known, self._tables, self._left)


def _at(hashes: Hashes, tables: Sequence[NDArray[np.int32]], number: int) -> NDArray[np.int64]:
    """Where hashes stand in a table, if they do."""
    mask = np.uint64(len(tables[number]) - 1)
    return ((hashes >> np.uint64(_SHIFT * number)) & mask).view(np.int64)


@compiled("hashing")
def places_among(
    hashes: Hashes, known: Hashes, tables: Sequence[NDArray[np.int32]], left: NDArray[np.int32]
) -> NDArray[np.int64]:
    """Place of each hash among known ones, -1 where it is not among them.

    Parameters
    ----------
    hashes, known : ndarray of uint64
        Any hashes; those that are known, in order.
    tables : sequence of ndarray of int32
        Places of known ones, each at what its bits say, -1 where there is none; the lengths are powers of 2.
    left : ndarray of int32
        Places of those in no table, in order.
    """
    result = np.full(len(hashes), -1, np.int64)
    asked = np.arange(len(hashes))
    for number, table in enumerate(tables):
        place = table[_at(hashes[asked], tables, number)]
        is_taken = place >= 0
        asked, place = asked[is_taken], place[is_taken]
        is_it = known[place] == hashes[asked]
        result[asked[is_it]] = place[is_it]
        asked = asked[~is_it]
    if len(left) and len(asked):
        values = known[left]
        place = np.minimum(np.searchsorted(values, hashes[asked]), len(values) - 1)
        is_it = values[place] == hashes[asked]
        result[asked[is_it]] = left[place[is_it]]
    return result
