"""Arrays and texts as large as a site.

In:  numbers, and texts as bytes.
Out: the same as arrays; with a working folder they lie in files there, which are mapped: the system holds in memory what is
     at hand of them, and writes the rest to disk.

What lies there (:mod:`mardok.mapped`) is made once and only read afterwards, by other processes, too.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, Any, TypeVar, overload

import numpy as np
import xxhash
from numpy.typing import ArrayLike, DTypeLike, NDArray

from mardok.mapped import ArrayFile, lies_in_file

if TYPE_CHECKING:
    import pyarrow as pa

_Item = TypeVar("_Item")
_ITEMS_AT_ONCE, _TEXTS_AT_ONCE, _COUNTED_AT_ONCE = 1 << 16, 1 << 10, 1 << 20
BEYOND_ASCII = np.uint8(0x80)
"""From here on a byte is part of a character beyond ASCII."""
_HEAD, _GOES_ON = np.uint8(0b11000000), np.uint8(0b10000000)
"""How bytes of UTF-8 begin that begin no character."""


def large_empty(n: int, dtype: DTypeLike) -> NDArray[Any]:
    """An array to be filled.

    Raises
    ------
    FolderError
        If the disk does not take it.
    """
    n_bytes = n * np.dtype(dtype).itemsize
    if not lies_in_file(n_bytes):
        return np.empty(n, dtype)
    file = ArrayFile()
    file.reserve(n_bytes)
    return file.array(dtype, is_filled=False)


def laid_down(array: NDArray[Any]) -> NDArray[Any]:
    """An array that is only read from now on."""
    if not lies_in_file(array.nbytes):
        return array
    result = large_empty(len(array), array.dtype)
    result[:] = array
    result.flags.writeable = False
    return result


def worked_out(make: Callable[..., NDArray[Any]], dtype: DTypeLike, *columns: NDArray[Any]) -> NDArray[Any]:
    """What is worked out of arrays of one length item by item, as an array that is only read from now on.

    Examples
    --------
    >>> worked_out(np.add, np.int64, np.array([1, 2]), np.array([10, 20])).tolist()
    [11, 22]
    """
    n_items = len(columns[0])
    if not lies_in_file(n_items * np.dtype(dtype).itemsize):
        return np.asarray(make(*columns), dtype)
    result = large_empty(n_items, dtype)
    for first in range(0, n_items, _ITEMS_AT_ONCE):
        part = slice(first, first + _ITEMS_AT_ONCE)
        result[part] = make(*(column[part] for column in columns))
    result.flags.writeable = False
    return result


def offsets_of(sizes: NDArray[np.integer]) -> NDArray[np.int64]:
    """Where each of several things begins that come one after the other, and where the last ends; shape (n_things + 1,).

    Examples
    --------
    >>> offsets_of(np.array([2, 0, 3])).tolist()
    [0, 2, 2, 5]
    """
    result = large_empty(len(sizes) + 1, np.int64)
    result[0] = 0
    np.cumsum(sizes, dtype=np.int64, out=result[1:])
    result.flags.writeable = False
    return result


def gathered(array: NDArray[Any], at: NDArray[np.integer]) -> NDArray[Any]:
    """``array[at]``, as an array that is only read from now on."""
    if not lies_in_file(len(at) * array.itemsize):
        return np.asarray(array[at])
    result = large_empty(len(at), array.dtype)
    for first in range(0, len(at), _ITEMS_AT_ONCE):
        result[first : first + _ITEMS_AT_ONCE] = array[at[first : first + _ITEMS_AT_ONCE]]
    result.flags.writeable = False
    return result


def kept_where(array: NDArray[Any], is_kept: NDArray[np.bool_]) -> NDArray[Any]:
    """``array[is_kept]``, as an array that is only read from now on."""
    if not lies_in_file(array.nbytes):
        return np.asarray(array[is_kept])
    growing = Growing(array.dtype)
    for first in range(0, len(array), _ITEMS_AT_ONCE):
        part = slice(first, first + _ITEMS_AT_ONCE)
        growing.add(array[part][is_kept[part]])
    return growing.finished()


def stretches(offsets: NDArray[np.int64], n_items: int) -> Iterator[tuple[int, int]]:
    """Some rows at a time, by the first and the one after the last: as many as have so many items, or one that has more.

    Parameters
    ----------
    offsets : ndarray of int64, shape (n_rows + 1,)
        Where the items of each row begin.
    """
    first, n_rows = 0, len(offsets) - 1
    while first < n_rows:
        last = max(int(np.searchsorted(offsets, offsets[first] + n_items, side="right")) - 1, first + 1)
        yield first, last
        first = last


def places_where(array: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Where something holds, in order: as :func:`numpy.flatnonzero` tells, as an array that is only read from now on."""
    if not lies_in_file(len(array)):
        return np.flatnonzero(array)
    growing = Growing(np.int64)
    for first in range(0, len(array), _COUNTED_AT_ONCE):
        growing.add(np.flatnonzero(array[first : first + _COUNTED_AT_ONCE]) + first)
    return growing.finished()


def places_from(first: NDArray[np.int64], sizes: NDArray[np.int64]) -> NDArray[np.int64]:
    """So many places from each of some on, one after the other.

    Examples
    --------
    >>> places_from(np.array([7, 2]), np.array([1, 3])).tolist()
    [7, 2, 3, 4]
    """
    return np.repeat(first - (np.cumsum(sizes) - sizes), sizes) + np.arange(int(sizes.sum()))


def counted_between(marked: NDArray[np.bool_], offsets: NDArray[np.int64]) -> NDArray[np.int64]:
    """How many places are marked between each offset and the next.

    Parameters
    ----------
    offsets : ndarray of int64, shape (n + 1,)
        In order.
    """
    result = np.zeros(len(offsets) - 1, np.int64)
    for first, last in stretches(offsets, _COUNTED_AT_ONCE):
        ends = offsets[first : last + 1]
        at = np.flatnonzero(marked[ends[0] : ends[-1]]) + ends[0]
        result[first:last] = np.diff(np.searchsorted(at, ends))
    return result


def running_counts(*marked: NDArray[np.bool_]) -> NDArray[np.integer]:
    """How many places before each, and before the end, are marked in any of these ways; shape (n_places + 1,)."""
    n_places = len(marked[0])
    result = large_empty(n_places + 1, np.int64 if n_places > np.iinfo(np.int32).max else np.int32)
    result[0] = 0
    for first in range(0, n_places, _ITEMS_AT_ONCE):
        part = slice(first, first + _ITEMS_AT_ONCE)
        is_counted = np.logical_or.reduce([marks[part] for marks in marked])
        result[first + 1 : first + 1 + len(is_counted)] = np.cumsum(is_counted) + result[first]
    return result


def n_of_each(numbers: NDArray[np.integer], least: int = 0) -> NDArray[np.int64]:
    """How often each number stands there, as :func:`numpy.bincount` tells, without a copy of all of them.

    Parameters
    ----------
    least : int
        Numbers that are told of at least.
    """
    result = np.zeros(max(least, int(numbers.max(initial=-1)) + 1), np.int64)
    for first in range(0, len(numbers), _COUNTED_AT_ONCE):
        part = numbers[first : first + _COUNTED_AT_ONCE]
        low = int(part.min())
        counts = np.bincount(part - low)
        result[low : low + len(counts)] += counts
    return result


class OnDemand(Sequence[_Item]):
    """Items that are made when they are asked for, and go when nobody needs them.

    Parameters
    ----------
    n_items : int
        How many there are.
    make : callable
        Makes the one with a number.
    walk : callable
        Makes all, one after the other, which may take less than asking for each.
    """

    def __init__(self, n_items: int, make: Callable[[int], _Item], walk: Callable[[], Iterator[_Item]]) -> None:
        self._n_items, self._make, self._walk = n_items, make, walk

    def __len__(self) -> int:
        return self._n_items

    @overload
    def __getitem__(self, at: int) -> _Item: ...
    @overload
    def __getitem__(self, at: slice) -> list[_Item]: ...
    def __getitem__(self, at: Any) -> Any:
        numbers = range(self._n_items)[at]
        return self._make(numbers) if isinstance(numbers, int) else list(map(self._make, numbers))

    def __iter__(self) -> Iterator[_Item]:
        return self._walk()


class Growing:
    """An array of which one piece comes after the other."""

    def __init__(self, dtype: DTypeLike) -> None:
        self._dtype = np.dtype(dtype)
        self._pieces: list[NDArray[Any]] = []
        self._n_bytes = 0
        self._file: ArrayFile | None = None

    def add(self, piece: ArrayLike) -> None:
        """Add a piece."""
        numbers = np.ascontiguousarray(piece, self._dtype)
        self._pieces.append(numbers)
        self._n_bytes += numbers.nbytes
        if lies_in_file(self._n_bytes):
            self._write()

    def _write(self) -> None:
        self._file = self._file or ArrayFile()
        for piece in self._pieces:
            self._file.write(piece)
        self._pieces, self._n_bytes = [], 0

    def finished(self) -> NDArray[Any]:
        """The array, which is only read from now on."""
        if self._file is None:
            return np.concatenate(self._pieces) if self._pieces else np.zeros(0, self._dtype)
        self._write()
        return self._file.array(self._dtype, is_filled=True)


class Texts(Sequence[str]):
    """Texts as bytes, one after the other: each is made when it is asked for.

    Parameters
    ----------
    raw : ndarray of uint8
        The texts in UTF-8; a page may hold halves of surrogate pairs, which stand there as such.
    ends : ndarray of int64, shape (n_texts + 1,)
        Where each text begins.

    Examples
    --------
    >>> texts = Texts.of(["violin", "", "琴"])
    >>> texts[2], texts[np.array([2, 0])].tolist(), texts.lengths.tolist()
    ('琴', ['琴', 'violin'], [6, 0, 1])
    """

    def __init__(self, raw: NDArray[np.uint8], ends: NDArray[np.int64]) -> None:
        self._raw, self._ends = raw, ends

    @classmethod
    def of(cls, texts: Iterable[str]) -> Texts:
        """These texts."""
        growing = GrowingTexts()
        growing.add(texts)
        return growing.finished()

    @classmethod
    def stored(cls, array: pa.LargeBinaryArray) -> Texts:
        """Those that Arrow has as bytes."""
        _, offsets, raw = array.buffers()
        ends = np.frombuffer(offsets, np.int64)[array.offset : array.offset + len(array) + 1]
        return cls(np.frombuffer(raw if raw is not None else b"", np.uint8), ends if len(ends) else np.zeros(1, np.int64))

    def __len__(self) -> int:
        return len(self._ends) - 1

    @overload
    def __getitem__(self, at: int) -> str: ...
    @overload
    def __getitem__(self, at: slice | NDArray[Any]) -> Any: ...
    def __getitem__(self, at: Any) -> Any:
        if isinstance(at, (int, np.integer)):
            return _text(self.bytes_of(int(at) + len(self) * int(at < 0)))
        if isinstance(at, slice):
            meant = range(*at.indices(len(self)))
            if meant.step == 1:
                return _objects(list(self.between(meant.start, max(meant.stop, meant.start))))
            at = np.array(meant, np.int64)
        numbers = np.flatnonzero(at) if at.dtype == bool else at
        return _objects([str(raw, "utf-8", "surrogatepass") for raw in self._raws(numbers)])

    def _raws(self, numbers: NDArray[np.integer]) -> Iterator[memoryview]:
        """Some of them as they are stored."""
        if len(numbers) and (numbers.min() < 0 or numbers.max() >= len(self)):
            raise IndexError(numbers)
        raw = self._raw.data
        bounds = zip(self._ends[numbers].tolist(), self._ends[np.add(numbers, 1)].tolist(), strict=True)
        return (raw[begin:end] for begin, end in bounds)

    def lines(self, numbers: NDArray[np.integer]) -> str:
        """Some of them together, each on a line of its own.

        Examples
        --------
        >>> Texts.of(["violin", "cello"]).lines(np.array([1, 0, 1]))
        'cello\\nviolin\\ncello'
        """
        return _text(b"\n".join(self._raws(numbers)))

    def digest_together(self, numbers: NDArray[np.integer]) -> bytes:
        """128 bits of some of them, one behind the other."""
        return xxhash.xxh3_128_digest(b"".join(self._raws(numbers)))

    def __iter__(self) -> Iterator[str]:
        for first in range(0, len(self), _TEXTS_AT_ONCE):
            ends = self._ends[first : first + _TEXTS_AT_ONCE + 1]
            raw = self._raw[ends[0] : ends[-1]].tobytes()
            bounds = pairwise((ends - ends[0]).tolist())
            if raw.isascii():
                together = raw.decode("ascii")
                yield from (together[begin:end] for begin, end in bounds)
            else:
                yield from (_text(raw[begin:end]) for begin, end in bounds)

    def some(self, numbers: NDArray[np.integer]) -> Iterator[str]:
        """Some of them, of which few are in memory at once."""
        for first in range(0, len(numbers), _TEXTS_AT_ONCE):
            yield from (str(raw, "utf-8", "surrogatepass") for raw in self._raws(numbers[first : first + _TEXTS_AT_ONCE]))

    def bytes_of(self, number: int) -> bytes:
        """One text as it is stored."""
        if not 0 <= number < len(self):
            raise IndexError(number)
        return self._raw[self._ends[number] : self._ends[number + 1]].tobytes()

    def tolist(self) -> list[str]:
        """All of them."""
        return list(self)

    @property
    def lengths(self) -> NDArray[np.int64]:
        """Characters of each."""
        result = np.diff(self._ends)
        for first in range(0, len(self), _TEXTS_AT_ONCE):
            ends = self._ends[first : first + _TEXTS_AT_ONCE + 1]
            goes_on = (self._raw[ends[0] : ends[-1]] & _HEAD) == _GOES_ON
            if goes_on.any():  # bytes that begin no character
                result[first : first + len(ends) - 1] -= counted_between(goes_on, ends - ends[0])
        return result

    @property
    def are_empty(self) -> NDArray[np.bool_]:
        """Whether each has no character."""
        return np.asarray(self._ends[1:] == self._ends[:-1])

    def holding(self, pieces: Sequence[str]) -> NDArray[np.int64]:
        """Numbers of those in which any of some pieces stands.

        Examples
        --------
        >>> Texts.of(["violin", "cello", "viola"]).holding(["vio", "la"])
        array([0, 2])
        """
        found: list[int] = []
        for first in range(0, len(self), _TEXTS_AT_ONCE):
            ends = self._ends[first : first + _TEXTS_AT_ONCE + 1] - self._ends[first]
            raw = self._raw[self._ends[first] :][: ends[-1]].tobytes()
            for piece in pieces:
                sought, at = piece.encode(), 0
                while (at := raw.find(sought, at)) >= 0:
                    number = int(np.searchsorted(ends, at, "right")) - 1
                    if at + len(sought) <= ends[number + 1]:
                        found.append(first + number)
                        at = int(ends[number + 1])
                    else:  # it begins in one and ends in the next
                        at += 1
        return np.unique(np.array(found, np.int64))

    def bytes_at(self, place: int) -> NDArray[np.uint8]:
        """One byte of each as it is stored, from 0, or from -1 backwards; 0 of those that are too short.

        Examples
        --------
        >>> Texts.of(["bow", "", "A"]).bytes_at(0), Texts.of(["bow", "", "A"]).bytes_at(1)
        (array([98,  0, 65], dtype=uint8), array([111,   0,   0], dtype=uint8))
        """
        at = self._ends[:-1] + place if place >= 0 else self._ends[1:] + place
        result = np.zeros(len(self), np.uint8)
        has_it = (at >= self._ends[:-1]) & (at < self._ends[1:])
        result[has_it] = self._raw[at[has_it]]
        return result

    def digests(self, seed: int) -> NDArray[np.uint64]:
        """128 bits for each, shape (n_texts, 2)."""
        raw, bounds = self._raw.data, pairwise(self._ends.tolist())
        told = b"".join(xxhash.xxh3_128_digest(raw[begin:end], seed) for begin, end in bounds)
        return np.frombuffer(told, np.uint64).reshape(-1, 2)

    def selected(self, numbers: NDArray[np.int64]) -> Texts:
        """Some of them, in this order."""
        sizes = self._ends[np.add(numbers, 1)] - self._ends[numbers]
        ends = offsets_of(sizes)
        raw = large_empty(int(ends[-1]), np.uint8)
        for first in range(0, len(numbers), _TEXTS_AT_ONCE):
            part = slice(first, first + _TEXTS_AT_ONCE)
            begins, its = self._ends[numbers[part]], sizes[part]
            places = np.repeat(begins - (ends[:-1][part] - ends[first]), its) + np.arange(its.sum())
            raw[ends[first] : ends[first] + len(places)] = self._raw[places]
        raw.flags.writeable = False
        return Texts(raw, ends)

    def parts(self, n_bytes: int) -> Iterator[tuple[int, int]]:
        """Some at a time, by the first and the one after the last: as many as have so many bytes; see :func:`stretches`."""
        return stretches(self._ends, n_bytes)

    def between(self, first: int, last: int) -> Texts:
        """Those from one on to before another."""
        return Texts(self._raw, self._ends[first : last + 1])

    def as_bytes(self) -> pa.LargeBinaryArray:
        """As Arrow stores them."""
        import pyarrow as pa

        return pa.LargeBinaryArray.from_buffers(
            pa.large_binary(), len(self), [None, pa.py_buffer(np.ascontiguousarray(self._ends)), pa.py_buffer(self._raw)]
        )

    def as_strings(self) -> pa.LargeStringArray:
        """As Arrow stores text: what is no valid UTF-8 is replaced."""
        import pyarrow as pa

        try:
            return self.as_bytes().cast(pa.large_string())
        except pa.ArrowInvalid:
            return pa.array((text.encode("utf-8", "replace").decode() for text in self), pa.large_string())


class GrowingTexts:
    """Texts of which some come after the others."""

    def __init__(self) -> None:
        self._raw, self._sizes = Growing(np.uint8), Growing(np.int64)

    def add(self, texts: Iterable[str]) -> None:
        """Add texts."""
        if isinstance(texts, Texts):
            self._raw.add(texts._raw[texts._ends[0] : texts._ends[-1]])
            self._sizes.add(np.diff(texts._ends))
            return
        each = [text.encode("utf-8", "surrogatepass") for text in texts]
        self._raw.add(np.frombuffer(b"".join(each), np.uint8))
        self._sizes.add(np.fromiter(map(len, each), np.int64, len(each)))

    def finished(self) -> Texts:
        """All of them."""
        return Texts(self._raw.finished(), offsets_of(self._sizes.finished()))


def numbers_of_equal(columns: Sequence[Texts]) -> NDArray[np.int32]:
    """A number for each text of several columns, equal for equal ones, in the order in which they come first.

    They are told apart as :class:`United` does.

    Examples
    --------
    >>> numbers_of_equal([Texts.of(["violin", "cello"]), Texts.of(["violin", "bow", "cello"])]).tolist()
    [0, 1, 0, 2, 1]
    """
    seed = int.from_bytes(os.urandom(8), "little")
    return _first_of_equal(np.concatenate([texts.digests(seed) for texts in columns]))[1]


class United:
    """The different texts of several columns, in each of which they are different already.

    They are told apart by 128 bits of a hash whose seed nobody can know before, so that no page can be written to have that
    of another text.

    Examples
    --------
    >>> united = United()
    >>> united.add(Texts.of(["violin", "cello"])), united.add(Texts.of(["bow", "violin"]))
    (0, 2)
    >>> texts, number = united.finished()
    >>> texts.tolist(), number.tolist()
    (['violin', 'cello', 'bow'], [0, 1, 2, 0])
    """

    def __init__(self) -> None:
        self._texts, self._digests = GrowingTexts(), Growing(np.uint64)
        self._seed = int.from_bytes(os.urandom(8), "little")
        self._n_texts = 0
        self._first: Texts | None = None
        """The first column, as long as there is no other: nothing is told apart then."""

    def add(self, column: Texts) -> int:
        """Add a column; how many texts were added before."""
        begin = self._n_texts
        if begin and self._first is not None:
            self._digests.add(self._first.digests(self._seed).ravel())
        self._texts.add(column)
        if begin:
            self._digests.add(column.digests(self._seed).ravel())
        self._first = None if begin else column
        self._n_texts += len(column)
        return begin

    def finished(self) -> tuple[Texts, NDArray[np.int32]]:
        """Each text once, in the order in which they come first, and the number of each that was added."""
        if self._first is not None:
            return self._texts.finished(), laid_down(np.arange(self._n_texts, dtype=np.int32))
        firsts, numbers = _first_of_equal(self._digests.finished().reshape(-1, 2))
        return self._texts.finished().selected(firsts), laid_down(numbers)


def _first_of_equal(digests: NDArray[np.uint64]) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Where each different digest comes first, in this order, and the number of each among these.

    Parameters
    ----------
    digests : ndarray of uint64, shape (n, 2)
    """
    order = np.lexsort((digests[:, 1], digests[:, 0]))  # stable: the first of equal ones comes first
    is_first = np.ones(len(order), bool)
    is_first[1:] = (digests[order[1:]] != digests[order[:-1]]).any(axis=1)
    firsts = order[is_first]
    by_place = np.argsort(firsts, kind="stable")
    rank = np.empty(len(firsts), np.int32)
    rank[by_place] = np.arange(len(firsts), dtype=np.int32)
    numbers = np.empty(len(order), np.int32)
    numbers[order] = rank[np.cumsum(is_first) - 1]
    return firsts[by_place], numbers


def _objects(values: Sequence[Any]) -> NDArray[Any]:
    result = np.empty(len(values), object)
    result[:] = values
    return result


def _text(raw: bytes) -> str:
    return raw.decode("utf-8", "surrogatepass")
