# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""How many members sets have in common, compiled; :mod:`mardok.compare.join` says what for.

In:  sorted hashes of sets, one set after the other, and pairs of sets.
Out: for each pair the number of equal hashes.
"""

from cpython.mem cimport PyMem_Calloc, PyMem_Free
from libc.stdint cimport int64_t, uint64_t

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
