"""Hashes of a whole site in order, a range of them at a time.

In:  what makes the hashes of a part of a site.
Out: what comes of all hashes that agree in their upper bits, range by range.

Hashes are parted as their parts are made, and sorted range by range (external distribution sort; D. E. Knuth, TAOCP 3,
section 5.4.8): so they never lie in memory together, and every part and every range can be given to another process.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from mardok.large import laid_down, stretches
from mardok.mapped import room_of_arrays
from mardok.sharing import shared_out

_Part = TypeVar("_Part")
_Result = TypeVar("_Result")
Keys = NDArray[np.uint64]
_SORTED_AT_ONCE, _PARTED_AT_ONCE = 1 << 24, 1 << 16
_MADE_AT_ONCE = 1 << 20
"""About how many hashes one part makes."""


def parts_of_places(n: int) -> list[tuple[int, int]]:
    """So many places in parts for :func:`in_ranges`, by the first and the one after the last."""
    return [(first, min(first + _MADE_AT_ONCE, n)) for first in range(0, n, _MADE_AT_ONCE)]


def parts_of_texts(offsets: NDArray[np.int64]) -> list[tuple[int, int]]:
    """The same of texts, by where the words of each begin."""
    return list(stretches(offsets, _MADE_AT_ONCE))


def in_ranges(
    make: Callable[[_Part], Keys], parts: Sequence[_Part], most: int, tell: Callable[[Keys], _Result]
) -> Iterator[_Result]:
    """What comes of numbers in order, a range of them at a time; numbers that agree in their upper bits are in one range.

    Without a working folder all of them are one range.

    Parameters
    ----------
    make : callable
        The numbers of a part: hashes, whose upper bits are spread.
    parts : sequence
        All parts.
    most : int
        How many numbers there are at most.
    tell : callable
        What comes of some in order, with all those that are equal; what it is given is its own.

    Examples
    --------
    >>> list(in_ranges(lambda part: np.arange(part, part + 3, dtype=np.uint64), [4, 1], 6, lambda keys: keys.tolist()))
    [[1, 2, 3, 4, 5, 6]]
    """
    if room_of_arrays() is None or most <= _SORTED_AT_ONCE:
        numbers, end = np.empty(most, np.uint64), 0
        for piece in map(make, parts):
            numbers[end : end + len(piece)] = piece
            end += len(piece)
        numbers = numbers[:end]
        numbers.sort()
        yield tell(numbers)
        return
    bits = (most // _SORTED_AT_ONCE).bit_length()
    made = list(shared_out(partial(_parted, make, bits), parts))
    ranges = [[keys[ends[at] : ends[at + 1]] for keys, ends in made] for at in range(1 << bits)]
    yield from shared_out(partial(_told_in_order, tell), ranges)


def _parted(make: Callable[[_Part], Keys], bits: int, part: _Part) -> tuple[Keys, NDArray[np.int64]]:
    """The numbers of a part, those of one range after those of another, and where each range begins."""
    bounds = np.arange(1, 1 << bits, dtype=np.uint64) << np.uint64(64 - bits)
    ranges: list[list[Keys]] = [[] for _ in range(1 << bits)]
    numbers = make(part)
    for first in range(0, len(numbers), _PARTED_AT_ONCE):
        ordered = np.sort(numbers[first : first + _PARTED_AT_ONCE])
        for its, piece in zip(ranges, np.split(ordered, np.searchsorted(ordered, bounds)), strict=True):
            its.append(piece)
    ends = np.cumsum([0, *(sum(map(len, its)) for its in ranges)], dtype=np.int64)
    return laid_down(np.concatenate([numbers[:0], *(piece for its in ranges for piece in its)])), ends


def _told_in_order(tell: Callable[[Keys], _Result], pieces: Sequence[Keys]) -> _Result:
    numbers = np.concatenate(pieces)
    numbers.sort()
    return tell(numbers)
