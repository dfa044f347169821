"""Every pair of texts that share enough of their shingles, and nothing compared that cannot.

In:  the sets of shingles of texts, as sorted 64-bit hashes.
Out: pairs with their exact overlap: complete, and counted on the sets themselves.

Resemblance |A ∩ B| / |A ∪ B| and containment |A ∩ B| / |A| follow A. Z. Broder, "On the resemblance and containment of
documents", SEQUENCES 1997. The join is a prefix join (R. J. Bayardo, Y. Ma, R. Srikant, "Scaling Up All Pairs Similarity
Search", WWW 2007; C. Xiao et al., "Efficient Similarity Joins for Near Duplicate Detection", WWW 2008). It is complete:

1. Let J(A, B) >= t, with n the sizes of the sets and o their overlap. Then o >= t |A ∪ B| >= t max(n_A, n_B).
2. A shingle of one text alone is in no overlap. Without these a text keeps r of its n shingles; if r < t n it is in no
   pair, by 1, and goes. That may leave other shingles alone, so it is repeated while much changes; no pair is lost.
   Where nothing else needs all shingles, the least ones by hash of each text tell as much of most texts. Let c = ceil(t n)
   and k(n) <= c be any number that grows with n. The k-th least shingle that A and B share is, of those of A, at most the
   n - c + k-th, for o - k >= c - k that they share are greater. So of the first n_A - c_A + k(n_A) shingles of A and as
   many of B, min(k(n_A), k(n_B)) are the same; that is at least k(c_A), for n_A >= c_A and n_B >= o >= c_A. A text that
   has fewer of its first ones in common with others goes, as before.
3. Shingles are put in one order, the rarest first. Of a text's r shingles all but the first r - ceil(t n) + 1 are fewer
   than t n, hence fewer than o. So the first shingle, in that order, that A and B share is in the prefix of both. Two
   texts that share no shingle of their prefixes are not compared.
4. A shingle in the prefixes of very many texts would pair all of them. Such texts make families, the connected components
   over these shingles, and in a family every text is compared with every other by blocked products of dense matrices.
   Two texts of different families, or of none, share a rarer shingle of their prefixes, by 3.

Whatever found a pair, its overlap is the number of equal hashes. Hashes are those of :mod:`mardok.text.hashes`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from mardok.compiled import compiled
from mardok.hash_ranges import in_ranges, parts_of_texts
from mardok.large import Growing, kept_where, laid_down, n_of_each
from mardok.sharing import shared_out
from mardok.text.distinct import first_of_equal, order_of_equal
from mardok.text.hashes import SHINGLE_WORDS, Hashes, Ints, Offsets, n_shingles, shingle_hashes

AnyInts: TypeAlias = NDArray[np.integer]
Overlap: TypeAlias = NDArray[np.float32]
"""Of each of some texts, a row, with each text of its family."""
_Told = TypeVar("_Told")
_FAMILY_LIST = 64
"""Texts with one shingle in their prefixes from which they are joined as a family."""
_ROWS, _ROWS_SHARED, _FAMILY_ROWS_SHARED = 256, 1 << 13, 1 << 11
"""Rows of a matrix that are multiplied together, and those that one process is given, of families too."""
_WORDS_AT_ONCE = 1 << 16
_KEYS_AT_ONCE = 1 << 16
_CHECKED_AT_ONCE = 1 << 14
_SHINGLES_AT_ONCE = 1 << 22
_KEPT_BITS = np.uint64(50)
_DENSE_COLUMNS = 4096
_LITTLE = 0.95
"""Share of the shingles that are left when another turn of step 2 is not worth its time."""


@dataclass(frozen=True)
class Sets:
    """Sets of hashes, one for each text."""

    hashes: Hashes
    """Sorted within each set, no repeats."""
    offsets: Offsets
    """Where each set begins; shape (n_texts + 1,)."""

    @property
    def sizes(self) -> Ints:
        """Members of each set."""
        return np.diff(self.offsets)

    def of(self, text: int) -> Hashes:
        """The set of one text."""
        return self.hashes[self.offsets[text] : self.offsets[text + 1]]

    def select(self, texts: Ints) -> Sets:
        """The sets of some texts."""
        if len(texts) == len(self.offsets) - 1 and (texts == np.arange(len(texts))).all():
            return self
        sizes = self.sizes[texts]
        offsets = np.concatenate([np.zeros(1, np.int64), np.cumsum(sizes)])
        places = np.repeat(self.offsets[texts] - offsets[:-1], sizes) + np.arange(offsets[-1])
        return Sets(self.hashes[places], offsets)


def shingle_sets(words: Hashes, offsets: Offsets) -> Sets:
    """The set of shingles of each text.

    Parameters
    ----------
    words, offsets : ndarray
        As :func:`mardok.text.hashes.word_hashes` gives them.

    Examples
    --------
    >>> from mardok.text.hashes import word_hashes
    >>> shingle_sets(*word_hashes(["hire a violin in town", "new strings"])).sizes.tolist()
    [3, 1]
    """
    hashes, sizes = Growing(np.uint64), [np.zeros(0, np.int64)]
    for own, its_sizes in shared_out(partial(_shingles_of, words, offsets), parts_of_texts(offsets)):
        hashes.add(own)
        sizes.append(its_sizes)
    return Sets(hashes.finished(), np.concatenate([np.zeros(1, np.int64), np.cumsum(np.concatenate(sizes))]))


def _shingles_of(words: Hashes, offsets: Offsets, part: tuple[int, int]) -> tuple[Hashes, Ints]:
    """Those of some texts, as :func:`distinct_shingles` gives them."""
    its = offsets[part[0] : part[1] + 1]
    return distinct_shingles(words[its[0] : its[-1]], its - its[0])


@compiled("overlaps")
def distinct_shingles(words: Hashes, offsets: Offsets) -> tuple[Hashes, Ints]:
    """The shingles of texts, sorted within each text and without repeats; and how many each text has.

    Parameters
    ----------
    words, offsets : ndarray
        As :func:`mardok.text.hashes.word_hashes` gives them.
    """
    result = np.empty(len(words), np.uint64)  # a text has no more shingles than words
    n_texts = len(offsets) - 1
    sizes = np.zeros(n_texts, np.int64)
    end = first = 0
    while first < n_texts:
        last = max(int(np.searchsorted(offsets, offsets[first] + _WORDS_AT_ONCE)), first + 1)
        last = min(last, n_texts)
        part = offsets[first : last + 1] - offsets[first]
        hashes = shingle_hashes(words[offsets[first] : offsets[last]], part)
        starts, stops = part[:-1], part[:-1] + n_shingles(np.diff(part))
        for start, stop in zip(starts.tolist(), stops.tolist(), strict=True):
            hashes[start:stop].sort()
        again = np.flatnonzero(hashes[1:] == hashes[:-1]) + 1
        text = np.searchsorted(starts, again, "right") - 1
        is_again = (again > starts[text]) & (again < stops[text])
        sizes[first:last] = stops - starts - np.bincount(text[is_again], minlength=last - first)
        is_kept = np.ones(len(hashes), bool)
        is_kept[again[is_again]] = False
        for k in range(SHINGLE_WORDS - 1):  # at the last words of a text no shingle begins
            rest = stops + k
            is_kept[rest[rest < part[1:]]] = False
        kept = hashes[is_kept]
        result[end : end + len(kept)] = kept
        end += len(kept)
        first = last
    return result[:end], sizes


def overlap_with(sets: Sets, text: int, others: Ints) -> Ints:
    """Overlap of one text with each of some others.

    Parameters
    ----------
    text : int
        Number of a text in `sets`.
    others : ndarray of int64, shape (n,)
        Numbers of other texts.

    Examples
    --------
    >>> from mardok.text.hashes import word_hashes
    >>> sets = shingle_sets(*word_hashes(["hire a violin in town", "hire a violin today", "new strings"]))
    >>> overlap_with(sets, 0, np.array([1, 2])).tolist()
    [1, 0]
    """
    selected, own = sets.select(others), sets.of(text)
    if not len(own) or not len(selected.hashes):
        return np.zeros(len(others), np.int64)
    places = np.searchsorted(own, selected.hashes)
    is_common = own[np.minimum(places, len(own) - 1)] == selected.hashes
    sums = np.concatenate([np.zeros(1, np.int64), np.cumsum(is_common)])
    return np.asarray(sums[selected.offsets[1:]] - sums[selected.offsets[:-1]])


@dataclass(frozen=True)
class _Shared:
    """The shingles that are left to compare."""

    texts: Ints
    """Texts that may be in a pair."""
    sizes: Ints
    """Shingles of each, those that are left out too."""
    matrix: sparse.csr_array
    """One row for each of `texts`, one column a shingle, the rarest first; 1 where the text has it."""


def _least(sizes: Ints, minimum: float) -> Ints:
    """How many shingles a text of so many shares with any that resembles it by `minimum`, at least."""
    return np.asarray(np.ceil(minimum * sizes - 1e-9), np.int64)


def candidates_of_several(sets: Sets, several: OfSeveral, minimum: float) -> Ints:
    """Texts that may be in a pair, told from all shingles: step 2.

    Parameters
    ----------
    several : OfSeveral
        The shingles that more than one text has, with the texts.
    minimum : float
        Least resemblance, 0 to 1.
    """
    text, _ = _left(several.text, several.shingle, _least(sets.sizes, minimum))
    return np.flatnonzero(n_of_each(text))


def candidates(sets: Sets, minimum: float) -> Ints:
    """Texts that may be in a pair, told from the least shingles of each: the second half of step 2.

    Examples
    --------
    >>> from mardok.text.hashes import word_hashes
    >>> sets = shingle_sets(*word_hashes(["hire a violin in town", "hire a violin in town today", "new strings"]))
    >>> candidates(sets, 0.5).tolist()
    [0, 1]
    """
    least = _least(sets.sizes, minimum)
    n_first = sets.sizes - least + _n_asked(least)
    starts = sets.offsets[:-1]
    parts = [sets.hashes[start:stop] for start, stop in zip(starts.tolist(), (starts + n_first).tolist(), strict=True)]
    first = Sets(np.concatenate([sets.hashes[:0], *parts]), np.concatenate([np.zeros(1, np.int64), np.cumsum(n_first)]))
    several = shingles_of_several(first)
    text, _ = _left(several.text, several.shingle, _n_asked(_least(least, minimum)))
    return np.flatnonzero(n_of_each(text))


def _n_asked(least: Ints) -> Ints:
    """The k of step 2 by the c of a text: more of it cost more to sort, fewer leave more texts by chance."""
    return -(-least // 8)


def _shared(sets: Sets, texts: Ints, minimum: float) -> _Shared:
    """Steps 1 and 2: what may be in a pair of at least `minimum` resemblance, of the candidates."""
    least = _least(sets.sizes, minimum)
    # What is left is small enough to number by whole hashes, so that overlaps in families are counted on these.
    own = sets.select(texts)
    order, hashes = order_of_equal(own.hashes)
    is_first = first_of_equal(hashes)
    is_kept = ~(is_first & np.append(is_first[1:], True))
    row, shingle = np.repeat(np.arange(len(texts)), own.sizes)[order[is_kept]], np.cumsum(is_first)[is_kept]
    del own, order, hashes, is_first, is_kept
    row, shingle = _one_turn(row, shingle, least[texts])
    if not len(row):
        return _Shared(texts[:0], texts[:0], sparse.csr_array((0, 1), dtype=np.float32))
    is_left = np.bincount(row, minlength=len(texts)) > 0
    row, texts = (np.cumsum(is_left) - 1)[row], texts[is_left]
    counts = np.bincount(shingle)
    del shingle
    counts = counts[counts > 0]
    indptr = np.concatenate([np.zeros(1, np.int64), np.cumsum(counts)])
    by_shingle = sparse.csc_array((np.ones(len(row), np.float32), row, indptr), shape=(len(texts), len(counts)))
    rarest_first = np.sort((counts << 32) | np.arange(len(counts))) & 0xFFFFFFFF
    return _Shared(texts, sets.sizes[texts], by_shingle[:, rarest_first].tocsr())


def _left(text: AnyInts, shingle: Ints, least: Ints) -> tuple[AnyInts, Ints]:
    """Step 2, repeated until little changes."""
    while True:
        before = len(text)
        text, shingle = _one_turn(text, shingle, least)
        if len(text) >= _LITTLE * before:
            return text, shingle


def _one_turn(text: AnyInts, shingle: Ints, least: Ints) -> tuple[AnyInts, Ints]:
    """Step 2, once: a text that should go next has an empty prefix, or is compared in vain."""
    is_kept = (n_of_each(text, len(least)) >= least)[text]
    text, shingle = kept_where(text, is_kept), kept_where(shingle, is_kept)
    is_kept = (n_of_each(shingle) > 1)[shingle]
    return kept_where(text, is_kept), kept_where(shingle, is_kept)


@dataclass(frozen=True)
class OfSeveral:
    """The shingles that several texts have, ordered by shingle and text.

    Two different shingles may be under one number: that can only add candidates.
    """

    text: NDArray[np.int32]
    shingle: Ints
    """Text and number of each."""


def shingles_of_several(sets: Sets) -> OfSeveral:
    """The shingles that two texts or more have: what every join begins with."""
    n_texts = len(sets.offsets) - 1
    # One packed number sorts several times faster than two. Cutting the hash may put two shingles under one number; that
    # can only add candidates, whose overlap is counted on whole hashes.
    bits = np.uint64(max(int(n_texts - 1).bit_length(), 1))
    below = np.uint64(1) << bits
    texts, shingles, n_shingles = Growing(np.int32), Growing(np.int64), 0
    make, tell = partial(_packed, sets.hashes, sets.offsets, below), partial(_numbered, below)
    for text, shingle in in_ranges(make, parts_of_texts(sets.offsets), len(sets.hashes), tell):
        texts.add(text)
        shingles.add(shingle + n_shingles)
        n_shingles += int(shingle[-1]) + 1 if len(shingle) else 0
    return OfSeveral(texts.finished(), shingles.finished())


def _packed(hashes: Hashes, offsets: Offsets, below: np.uint64, part: tuple[int, int]) -> Hashes:
    """The shingles of some texts, each with the number of its text in the bits `below`."""
    its = offsets[part[0] : part[1] + 1]
    keys = hashes[its[0] : its[-1]] & ~(below - np.uint64(1))
    keys |= np.repeat(np.arange(*part, dtype=np.uint64), np.diff(its))
    return keys


def _numbered(below: np.uint64, keys: Hashes) -> tuple[NDArray[np.int32], Ints]:
    """Text and number of the shingles among keys in order that several texts have."""
    texts, shingles, number = Growing(np.int32), Growing(np.int64), -1
    bits = np.uint64(int(below).bit_length() - 1)
    for kept in _of_several(keys, below):
        texts.add(kept & (below - np.uint64(1)))
        its = number + np.cumsum(first_of_equal(kept >> bits))
        shingles.add(its)
        number = int(its[-1])
    return texts.finished(), shingles.finished()


def _of_several(keys: Hashes, below: np.uint64) -> Iterator[Hashes]:
    """Of keys in order those that agree with a neighbour in all but the bits `below`; equal ones are in one piece."""
    first, n_keys = 0, len(keys)
    while first < n_keys:
        last = min(first + _KEYS_AT_ONCE, n_keys)
        if last < n_keys:  # where another shingle begins
            last = int(np.searchsorted(keys, keys[last] | (below - np.uint64(1)), side="right"))
        part = keys[first:last]
        differs = np.ones(last - first + 1, bool)
        differs[1:-1] = (part[1:] ^ part[:-1]) >= below
        kept = part[~(differs[:-1] & differs[1:])]
        if len(kept):
            yield kept
        first = last


@dataclass(frozen=True)
class Overlaps:
    """Pairs of texts with the number of shingles they share."""

    a: Ints
    b: Ints
    common: Ints


@dataclass(frozen=True)
class Family:
    """Many texts that share much, to be compared all with all, a block of rows at a time; arrays may lie in files."""

    texts: Ints
    sizes: Ints
    _dense: NDArray[np.float32]
    _rest: _Rows

    def blocks(self, first: int, last: int) -> Iterator[tuple[int, Overlap]]:
        """First row of each block of some rows, and the overlap of its texts with all texts of the family.

        Overlaps are whole numbers below 2^24, which float32 holds exactly.
        """
        rest = self._rest.matrix()
        transposed = rest.T.tocsr()
        for begin in range(first, last, _ROWS):
            rows = slice(begin, min(begin + _ROWS, last))
            block = self._dense[rows] @ self._dense.T
            more = rest[rows] @ transposed
            if more.nnz:
                block += more.toarray()
            yield begin, block

    def overlap(self, place: int) -> Overlap:
        """Overlap of one text with all texts of the family."""
        rest = self._rest.matrix()
        more = (rest[place : place + 1] @ rest.T).toarray()[0]
        return np.asarray(self._dense[place] @ self._dense.T + more, np.float32)

    def resemblance(self, first: int, block: Overlap) -> NDArray[np.float64]:
        """Resemblance of a block's texts to all texts of the family; 0 to themselves."""
        sizes = self.sizes.astype(np.float64)
        result: NDArray[np.float64] = block / (sizes[first : first + len(block), None] + sizes[None, :] - block)
        rows = np.arange(len(block))
        result[rows, first + rows] = 0.0
        return result


def told_of_blocks(families: Sequence[Family], tell: Callable[[Family, int, Overlap], _Told]) -> list[list[_Told]]:
    """What is told of each block of rows of some families, which are shared out: for each family a list.

    Parameters
    ----------
    tell : callable
        Is given a family, the first row of a block, and the overlap of its texts with all texts of the family.
    """
    pieces: list[list[tuple[Family, tuple[int, int]]]] = []
    numbers: list[list[int]] = []
    n_rows = _FAMILY_ROWS_SHARED
    for number, family in enumerate(families):
        for first in range(0, len(family.texts), _FAMILY_ROWS_SHARED):
            if n_rows >= _FAMILY_ROWS_SHARED:
                pieces.append([])
                numbers.append([])
                n_rows = 0
            last = min(first + _FAMILY_ROWS_SHARED, len(family.texts))
            pieces[-1].append((family, (first, last)))
            numbers[-1].append(number)
            n_rows += last - first
    result: list[list[_Told]] = [[] for _ in families]
    for its, told in zip(numbers, shared_out(partial(_told_of, tell), pieces), strict=True):
        for number, of_rows in zip(its, told, strict=True):
            result[number] += of_rows
    return result


def _told_of(
    tell: Callable[[Family, int, Overlap], _Told], piece: Sequence[tuple[Family, tuple[int, int]]]
) -> list[list[_Told]]:
    return [[tell(family, first, block) for first, block in family.blocks(*rows)] for family, rows in piece]


def join(sets: Sets, texts: Ints, minimum: float) -> tuple[list[Overlaps], list[Family]]:
    """Pairs outside of families that share as many shingles as `minimum` resemblance needs, and the families.

    Parameters
    ----------
    texts : ndarray of int64
        Those that may be in a pair, in order.
    minimum : float
        Least resemblance, above 0 and at most 1.

    Examples
    --------
    >>> from mardok.text.hashes import word_hashes
    >>> sets = shingle_sets(*word_hashes(["hire a violin in town", "hire a violin in town today", "new strings"]))
    >>> pairs, families = join(sets, candidates(sets, 0.5), 0.5)
    >>> [(p.a.tolist(), p.b.tolist(), p.common.tolist()) for p in pairs if len(p.a)], families
    ([([0], [1], [3])], [])
    """
    shared = _shared(sets, texts, minimum)
    if not len(shared.texts):
        return [], []
    matrix = shared.matrix
    least = _least(shared.sizes, minimum)
    prefix = _prefixes(matrix, np.maximum(np.diff(matrix.indptr) - least + 1, 0))
    in_prefixes = np.bincount(prefix.indices, minlength=matrix.shape[1])
    heavy, light = (
        np.flatnonzero(in_prefixes > _FAMILY_LIST),
        np.flatnonzero((in_prefixes > 1) & (in_prefixes <= _FAMILY_LIST)),
    )
    family_of, families = _families(shared, prefix[:, heavy]) if len(heavy) else (np.full(len(least), -1), [])
    rare = prefix[:, light].tocsr()
    asked = _Asked(sets, laid_down(shared.texts), laid_down(shared.sizes), laid_down(family_of), minimum)
    rows = [(first, min(first + _ROWS_SHARED, len(least))) for first in range(0, len(least), _ROWS_SHARED)]
    pairs_of = partial(asked.pairs_of, _Rows.of(rare), _Rows.of(rare.T.tocsr()))
    return [part for part in shared_out(pairs_of, rows) if len(part.a)], families


@dataclass(frozen=True)
class _Rows:
    """A sparse matrix as arrays that may lie in files."""

    data: NDArray[np.float32]
    indices: AnyInts
    indptr: AnyInts
    shape: tuple[int, int]

    @classmethod
    def of(cls, matrix: sparse.csr_array) -> _Rows:
        return cls(laid_down(matrix.data), laid_down(matrix.indices), laid_down(matrix.indptr), matrix.shape)

    def matrix(self) -> sparse.csr_array:
        return sparse.csr_array((self.data, self.indices, self.indptr), self.shape)


@dataclass(frozen=True)
class _Asked:
    """Texts that may be in a pair, each of which is a row."""

    sets: Sets
    texts: Ints
    sizes: Ints
    family_of: Ints
    minimum: float

    def pairs_of(self, rare: _Rows, by_shingle: _Rows, rows: tuple[int, int]) -> Overlaps:
        """Pairs of some rows with later ones that have a rare shingle in common, and are not of one family."""
        prefixes, transposed, minimum, family_of = rare.matrix(), by_shingle.matrix(), self.minimum, self.family_of
        result = []
        for first in range(*rows, _ROWS):
            product = (prefixes[first : min(first + _ROWS, rows[1])] @ transposed).tocoo()
            a, b = product.coords[0].astype(np.int64) + first, product.coords[1].astype(np.int64)
            sizes_a, sizes_b = self.sizes[a], self.sizes[b]
            is_candidate = (a < b) & ((family_of[a] < 0) | (family_of[a] != family_of[b]))
            is_candidate &= np.minimum(sizes_a, sizes_b) >= minimum * np.maximum(sizes_a, sizes_b) - 1e-9
            if is_candidate.any():
                result.append(_counted(self.sets, self.texts[a[is_candidate]], self.texts[b[is_candidate]]))
        return _together(result)


def _together(parts: Sequence[Overlaps]) -> Overlaps:
    """Several pairs as one."""
    empty = np.zeros(0, np.int64)
    return Overlaps(*(np.concatenate([empty, *(getattr(part, name) for part in parts)]) for name in ("a", "b", "common")))


def _prefixes(matrix: sparse.csr_array, lengths: Ints) -> sparse.csr_array:
    """The first entries of each row."""
    starts = matrix.indptr[:-1].astype(np.int64)
    indptr = np.concatenate([np.zeros(1, np.int64), np.cumsum(lengths)])
    places = np.repeat(starts - indptr[:-1], lengths) + np.arange(indptr[-1])
    return sparse.csr_array((matrix.data[places], matrix.indices[places], indptr), shape=matrix.shape)


def _families(shared: _Shared, heavy: sparse.csr_array) -> tuple[Ints, list[Family]]:
    """Step 4: the family of each row, -1 for none, and the families."""
    n_rows, n_columns = heavy.shape
    entries = heavy.tocoo()
    rows, columns = entries.coords[0].astype(np.int64), entries.coords[1].astype(np.int64)
    graph = sparse.coo_array((np.ones(len(rows)), (rows, n_rows + columns)), shape=(n_rows + n_columns,) * 2)
    _, labels = connected_components(graph, directed=False)
    in_family = np.zeros(n_rows, bool)
    in_family[rows] = True
    family_of = np.full(n_rows, -1, np.int64)
    _, family_of[in_family] = np.unique(labels[:n_rows][in_family], return_inverse=True)
    families = []
    for family in range(int(family_of.max()) + 1):
        members = np.flatnonzero(family_of == family)
        own = shared.matrix[members]
        counts = np.bincount(own.indices, minlength=own.shape[1])
        # Columns that many of the family have are multiplied as dense numbers, which is many times faster for them.
        common = np.flatnonzero(counts > max(_FAMILY_LIST, len(members) // 16))
        common = common[np.argsort(-counts[common], kind="stable")[:_DENSE_COLUMNS]]
        is_rest = counts > 1
        is_rest[common] = False
        dense = own[:, common].toarray()
        families.append(
            Family(
                laid_down(shared.texts[members]),
                laid_down(shared.sizes[members]),
                laid_down(dense.ravel()).reshape(dense.shape),
                _Rows.of(own[:, np.flatnonzero(is_rest)]),
            )
        )
    return family_of, families


def _counted(sets: Sets, a: Ints, b: Ints) -> Overlaps:
    """Pairs with their overlap, counted on whole hashes."""
    return Overlaps(a, b, common_sizes(sets.hashes, sets.offsets, a, b))


@compiled("overlaps")
def common_sizes(hashes: Hashes, offsets: Offsets, a: Ints, b: Ints) -> Ints:
    """Overlap of pairs of sets.

    Parameters
    ----------
    hashes, offsets : ndarray
        As those of :class:`Sets`.
    a, b : ndarray of int64, shape (n_pairs,)
        Numbers of the sets of each pair.
    """
    sets = Sets(hashes, offsets)
    common = np.empty(len(a), np.int64)
    reach = np.cumsum(sets.sizes[a] + sets.sizes[b])
    first = 0
    while first < len(a):
        # As many pairs as a key has room for, and no more than have so many shingles together.
        known = int(reach[first - 1]) if first else 0
        last = int(np.searchsorted(reach, known + _SHINGLES_AT_ONCE, side="right"))
        part = slice(first, max(min(last, first + _CHECKED_AT_ONCE), first + 1))
        common[part] = _overlaps(sets.select(a[part]), sets.select(b[part]))
        first = part.stop
    return common


def _overlaps(one: Sets, other: Sets) -> Ints:
    """Overlap of the sets at equal places: equal neighbours after a sort by pair and hash."""
    n = len(one.offsets) - 1
    pair = np.concatenate([np.repeat(np.arange(n), one.sizes), np.repeat(np.arange(n), other.sizes)]).astype(np.uint64)
    pair <<= _KEPT_BITS
    hashes = np.concatenate([one.hashes, other.hashes])
    # The pair's number takes 14 bits. Two different shingles of a pair agree in the other 50 with a probability of
    # n_A n_B / 2^50, which can only add to the overlap; so it is counted by the upper and by the lower 50, and the lesser
    # count holds.
    counts = []
    for part in (hashes >> (np.uint64(64) - _KEPT_BITS), hashes & ((np.uint64(1) << _KEPT_BITS) - np.uint64(1))):
        keys = pair | part
        keys.sort()
        is_common = keys[1:] == keys[:-1]
        counts.append(np.bincount((keys[1:][is_common] >> _KEPT_BITS).astype(np.int64), minlength=n))
    return np.minimum(*counts).astype(np.int64)


def contained_pairs(
    sets: Sets, several: OfSeveral, candidates: Ints, containment: float, resemblance: float, most: int
) -> Overlaps:
    """Pairs in which one text is contained in a much longer one, whatever their resemblance.

    No prefix helps here, but length does: if A is contained by `containment` and yet the resemblance is below
    `resemblance`, B has more than n_A (containment (1 + 1 / resemblance) - 1) shingles. So every text is compared only with
    texts so much longer.

    Parameters
    ----------
    candidates : ndarray of int64
        Texts that may be the contained ones.
    most : int
        Pairs kept of each contained text, the most contained first, ties in the order of the texts.

    Returns
    -------
    Overlaps
        ``a`` is contained in ``b``.
    """
    ratio = containment * (1 + 1 / resemblance) - 1
    is_inside = np.zeros(len(sets.sizes), bool)
    is_inside[candidates] = True
    left = n_of_each(several.text, len(is_inside))
    is_inside &= (left > 0) & (left >= containment * sets.sizes - 1e-9)
    texts, matrix = _matrix_around(sets.sizes, several, is_inside, ratio)
    rows = np.flatnonzero(is_inside[texts])
    around = _Around(sets, laid_down(texts), containment, ratio, most)
    blocks = [rows[first : first + _ROWS_SHARED] for first in range(0, len(rows), _ROWS_SHARED)]
    return _together(list(shared_out(partial(around.pairs_of, _Rows.of(matrix)), blocks)))


@dataclass(frozen=True)
class _Around:
    """Texts that may be contained, and those long enough to contain them; each is a row, the shortest first."""

    sets: Sets
    texts: Ints
    containment: float
    ratio: float
    most: int

    def pairs_of(self, shingles: _Rows, rows: Ints) -> Overlaps:
        """Those of some rows with the texts that contain them."""
        matrix, sizes, parts = shingles.matrix(), self.sets.sizes[self.texts], []
        for begin in range(0, len(rows), _ROWS):
            block = rows[begin : begin + _ROWS]
            first = int(np.searchsorted(sizes, self.ratio * sizes[block[0]] - 1e-9))
            if first == len(sizes):
                break
            # Transposing the few rows of the block instead of the longer texts keeps this from growing with their square.
            product = (matrix[first:] @ matrix[block].T.tocsr()).tocoo()
            inner, outer = block[product.coords[1]], product.coords[0].astype(np.int64) + first
            # Cut hashes may have added to the product: it only says which pairs are worth counting.
            is_likely = product.data >= self.containment * sizes[inner] - 1e-6
            is_likely &= sizes[outer] > self.ratio * sizes[inner] - 1e-9
            is_likely &= inner != outer  # from a containment of two thirds down texts of equal size are compared, too
            if is_likely.any():
                likely = _counted(self.sets, self.texts[inner[is_likely]], self.texts[outer[is_likely]])
                parts.append(_nearest_of(likely, self.containment, self.sets, self.most))
        return _together(parts)


def _matrix_around(
    sizes: Ints, several: OfSeveral, is_inside: NDArray[np.bool_], ratio: float
) -> tuple[Ints, sparse.csr_array]:
    """Texts that may be contained and those long enough to contain one, by size, with the shingles of the former."""
    is_long = sizes >= ratio * sizes[is_inside].min(initial=np.iinfo(np.int64).max // 8) - 1e-9
    is_asked = np.zeros(int(several.shingle.max(initial=-1)) + 1, bool)
    is_asked[several.shingle[is_inside[several.text]]] = True
    kept = is_asked[several.shingle] & (is_inside | is_long)[several.text]
    text, shingle = several.text[kept], (np.cumsum(is_asked, dtype=np.int32) - np.int32(1))[several.shingle[kept]]
    texts = np.flatnonzero(np.bincount(text, minlength=1))
    texts = texts[np.argsort(sizes[texts], kind="stable")]
    place = np.empty(len(sizes), np.int64)
    place[texts] = np.arange(len(texts))
    ones = np.ones(len(text), np.float32)
    shape = len(texts), max(int(is_asked.sum()), 1)
    return texts, sparse.coo_array((ones, (place[text], shingle)), shape=shape).tocsr()


def _nearest_of(overlaps: Overlaps, containment: float, sets: Sets, most: int) -> Overlaps:
    """Of each contained text the pairs with the greatest overlap."""
    is_in = overlaps.common >= containment * sets.sizes[overlaps.a] - 1e-9
    a, b, common = overlaps.a[is_in], overlaps.b[is_in], overlaps.common[is_in]
    order = np.lexsort((b, -common, a))
    a, b, common = a[order], b[order], common[order]
    rank = np.arange(len(a)) - np.searchsorted(a, a)
    return Overlaps(a[rank < most], b[rank < most], common[rank < most])
