# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Sets of shingles, and how many members they have in common, compiled; :mod:`mardok.compare.join` says what for.

In:  hashes of words; sorted hashes of sets, one set after the other, and pairs of sets.
Out: the sets; for each pair the number of equal hashes.
"""

from cpython.mem cimport PyMem_Calloc, PyMem_Free, PyMem_Malloc
from libc.stdint cimport int32_t, int64_t, uint32_t, uint64_t
from libc.stdlib cimport qsort
from libc.string cimport memset

import numpy as np

cdef enum:
    MUCH_LONGER = 32  # times as many members from which the places of the fewer ones are searched for


cdef int64_t _merged(const uint64_t *a, Py_ssize_t n_a, const uint64_t *b, Py_ssize_t n_b) noexcept nogil:
    cdef Py_ssize_t i = 0, j = 0
    cdef uint64_t x, y
    cdef int64_t common = 0
    while i < n_a and j < n_b:
        # Without a branch for each case, which no processor could foretell.
        x, y = a[i], b[j]
        common += x == y
        i += x <= y
        j += y <= x
    return common


cdef int64_t _searched(const uint64_t *few, Py_ssize_t n_few, const uint64_t *many, Py_ssize_t n_many) noexcept nogil:
    cdef Py_ssize_t i, low = 0, high, step, middle
    cdef int64_t common = 0
    for i in range(n_few):
        step = 1
        high = low
        while high < n_many and many[high] < few[i]:
            low = high + 1
            high += step
            step *= 2
        if high > n_many:
            high = n_many
        while low < high:
            middle = (low + high) // 2
            if many[middle] < few[i]:
                low = middle + 1
            else:
                high = middle
        if low == n_many:
            break
        common += many[low] == few[i]
    return common


def common_sizes(const uint64_t[::1] hashes, const int64_t[::1] offsets, const int64_t[:] a, const int64_t[:] b):
    """See :func:`mardok.compare.join.common_sizes`."""
    cdef Py_ssize_t n = a.shape[0], k, n_a, n_b, n_sets = offsets.shape[0] - 1
    result = np.zeros(n, np.int64)
    cdef int64_t[::1] common = result
    cdef const uint64_t *first
    if b.shape[0] != n or (n and hashes.shape[0] == 0):
        return result
    for k in range(n):
        if not (0 <= a[k] < n_sets and 0 <= b[k] < n_sets):
            raise IndexError(k)
        if not 0 <= offsets[a[k]] <= offsets[a[k] + 1] <= hashes.shape[0]:
            raise IndexError(a[k])
        if not 0 <= offsets[b[k]] <= offsets[b[k] + 1] <= hashes.shape[0]:
            raise IndexError(b[k])
    if n:
        first = &hashes[0]
        with nogil:
            for k in range(n):
                n_a, n_b = offsets[a[k] + 1] - offsets[a[k]], offsets[b[k] + 1] - offsets[b[k]]
                if n_b > MUCH_LONGER * n_a:
                    common[k] = _searched(first + offsets[a[k]], n_a, first + offsets[b[k]], n_b)
                elif n_a > MUCH_LONGER * n_b:
                    common[k] = _searched(first + offsets[b[k]], n_b, first + offsets[a[k]], n_a)
                else:
                    common[k] = _merged(first + offsets[a[k]], n_a, first + offsets[b[k]], n_b)
    return result


def words_within(
    const uint64_t[::1] shingles, const int64_t[::1] places, const uint64_t[::1] others, Py_ssize_t n_words, Py_ssize_t span
):
    """See :func:`mardok.compare.kept_pairs.words_within`."""
    cdef Py_ssize_t i = 0, j = 0, k, n = min(shingles.shape[0], places.shape[0]), n_others = others.shape[0], n_covered = 0
    cdef unsigned char *covered = <unsigned char *>PyMem_Calloc(max(n_words, 1), 1)
    if covered == NULL:
        raise MemoryError
    while i < n and j < n_others:
        if shingles[i] < others[j]:
            i += 1
        elif others[j] < shingles[i]:
            j += 1
        else:
            if 0 <= places[i]:
                for k in range(places[i], min(places[i] + span, n_words)):
                    n_covered += not covered[k]
                    covered[k] = 1
            i += 1
    PyMem_Free(covered)
    return n_covered


cdef enum:
    SHINGLE_WORDS = 3  # as in mardok.text.hashes
    FEW = 24  # hashes that are sorted by putting each in its place

cdef uint64_t BASE = 0x9E3779B97F4A7C15


cdef int _compared(const void *one, const void *other) noexcept nogil:
    cdef uint64_t a = (<const uint64_t *>one)[0], b = (<const uint64_t *>other)[0]
    return (a > b) - (a < b)


cdef void _insert(uint64_t *values, Py_ssize_t n) noexcept nogil:
    cdef Py_ssize_t at, k
    cdef uint64_t value
    for at in range(1, n):
        value = values[at]
        k = at
        while k and values[k - 1] > value:
            values[k] = values[k - 1]
            k -= 1
        values[k] = value


cdef void _sort(const uint64_t *values, uint64_t *ordered, uint32_t *places, Py_ssize_t n, int bits) noexcept nogil:
    """Sort hashes: by their first bits into more places than there are hashes, then the few that are not in order yet.

    `places` has room for 2 ** bits + 1 numbers.
    """
    cdef Py_ssize_t at, n_places = 1 << bits
    cdef int shift = 64 - bits
    cdef uint32_t begin, end
    memset(places, 0, (n_places + 1) * sizeof(uint32_t))
    for at in range(n):
        places[(values[at] >> shift) + 1] += 1
    for at in range(n_places):
        places[at + 1] += places[at]
    for at in range(n):
        ordered[places[values[at] >> shift]] = values[at]
        places[values[at] >> shift] += 1
    begin = 0
    for at in range(n_places):
        end = places[at]
        if end - begin > FEW:  # hashes that agree in their first bits: by chance there are never so many
            qsort(ordered + begin, end - begin, sizeof(uint64_t), _compared)
        begin = end
    _insert(ordered, n)


def distinct_shingles(const uint64_t[::1] words, const int64_t[::1] offsets):
    """See :func:`mardok.compare.join.distinct_shingles`."""
    cdef Py_ssize_t n_texts = offsets.shape[0] - 1, text, k, n, kept, end = 0, longest = 0
    cdef int bits
    cdef uint64_t *values
    cdef uint64_t *ordered
    cdef uint32_t *places
    cdef const uint64_t *own
    for text in range(n_texts):
        if not 0 <= offsets[text] <= offsets[text + 1] <= words.shape[0]:
            raise IndexError(text)
        longest = max(longest, offsets[text + 1] - offsets[text])
    if longest >= 1 << 31:
        raise OverflowError(longest)
    of_hashes, of_sizes = np.empty(words.shape[0], np.uint64), np.zeros(n_texts, np.int64)
    cdef uint64_t[::1] hashes = of_hashes
    cdef int64_t[::1] sizes = of_sizes
    values = <uint64_t *>PyMem_Malloc((2 * longest + 1) * sizeof(uint64_t))
    places = <uint32_t *>PyMem_Malloc((4 * longest + 5) * sizeof(uint32_t))
    if values == NULL or places == NULL:
        PyMem_Free(values)
        PyMem_Free(places)
        raise MemoryError
    ordered = values + longest
    with nogil:
        for text in range(n_texts):
            n = offsets[text + 1] - offsets[text]
            if n == 0:
                continue
            own = &words[offsets[text]]
            if n < SHINGLE_WORDS:  # the text is one itself, with 0 for each word that it lacks
                hashes[end] = (own[0] * BASE + (own[1] if n > 1 else 0)) * BASE
                sizes[text] = 1
                end += 1
                continue
            n -= SHINGLE_WORDS - 1
            for k in range(n):
                values[k] = (own[k] * BASE + own[k + 1]) * BASE + own[k + 2]
            bits = 2
            while 1 << bits <= 2 * n:  # so that 2 ** bits is at most 4 n
                bits += 1
            _sort(values, ordered, places, n, bits)
            kept = end
            hashes[end] = ordered[0]
            end += 1
            for k in range(1, n):
                hashes[end] = ordered[k]
                end += ordered[k] != ordered[k - 1]
            sizes[text] = end - kept
    PyMem_Free(values)
    PyMem_Free(places)
    return of_hashes[:end], of_sizes


def teasing(
    const int64_t[::1] source, const int64_t[::1] target, const int64_t[::1] first, const int32_t[::1] texts, Py_ssize_t n_texts
):
    """See :func:`mardok.compare.carriers.teasing`."""
    cdef Py_ssize_t n_pages = first.shape[0] - 1, n_places = texts.shape[0], link, k, page = -1, place
    of_with, of_last = np.zeros(n_places, np.int32), np.zeros(n_places, np.int64)
    cdef int32_t[::1] n_with = of_with
    cdef int64_t[::1] last = of_last
    cdef int64_t *place_of
    for k in range(n_pages):
        if not 0 <= first[k] <= first[k + 1] <= n_places:
            raise IndexError(k)
    for k in range(n_places):
        if not 0 <= texts[k] < n_texts:
            raise IndexError(k)
    for link in range(min(source.shape[0], target.shape[0])):
        if not (0 <= source[link] < n_pages and 0 <= target[link] < n_pages):
            raise IndexError(link)
    place_of = <int64_t *>PyMem_Malloc(max(n_texts, 1) * sizeof(int64_t))
    if place_of == NULL:
        raise MemoryError
    with nogil:
        memset(place_of, 255, n_texts * sizeof(int64_t))
        for link in range(min(source.shape[0], target.shape[0])):
            if source[link] != page:
                if page >= 0:
                    for k in range(first[page], first[page + 1]):
                        place_of[texts[k]] = -1
                page = source[link]
                for k in range(first[page], first[page + 1]):
                    place_of[texts[k]] = k
            for k in range(first[target[link]], first[target[link] + 1]):
                place = place_of[texts[k]]
                if place >= 0:
                    n_with[place] += 1
                    last[place] = target[link]
    PyMem_Free(place_of)
    return of_with, of_last
