"""Which of some known hashes each of many hashes is.

In:  known hashes, in order and each once; then any others.
Out: the place of each among the known ones.

Most are found with one look into a table in which each known hash stands at a place of its own; where two would stand at
one, the second goes to the next table, by other bits. Among a million known ones this takes an eighth of the time of a
binary search, which looks at twenty places that are not in the processor's cache.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from mardok.compiled import compiled
from mardok.large import Growing, large_empty
from mardok.text.hashes import Hashes

_ROOM_BITS, _FEWEST_BITS, _MOST_BITS = 3, 8, 26
"""A table has eight places for each hash, within bounds."""
_SHIFT = 13
_MOST_TABLES = 4
_HASHES_AT_ONCE = 1 << 18


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
        left: Sequence[int] | NDArray[np.int32] = range(len(known))
        while len(left) and len(self._tables) < _MOST_TABLES:
            bits = min(max(len(left).bit_length() + _ROOM_BITS, _FEWEST_BITS), _MOST_BITS)
            # Where large arrays do tables lie from the beginning, and are filled some hashes at a time.
            table = large_empty(1 << bits, np.int32)
            table.fill(-1)
            self._tables.append(table)
            for some, at in self._some(left):
                table[at] = some
            others = Growing(np.int32)
            for some, at in self._some(left):
                others.add(some[table[at] != some])
            left = others.finished()
        self._left = np.asarray(left, np.int32)
        """The few that found no place in any table."""

    def _some(self, left: Sequence[int] | NDArray[np.int32]) -> Iterator[tuple[NDArray[np.int32], NDArray[np.int64]]]:
        """Places of hashes, some at a time, with where they stand in the last table, if they do."""
        for first in range(0, len(left), _HASHES_AT_ONCE):
            some = np.asarray(left[first : first + _HASHES_AT_ONCE], np.int32)
            yield some, _at(self._known[some], self._tables, len(self._tables) - 1)

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
