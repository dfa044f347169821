# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Texts cut at white space, compiled; :mod:`mardok.proofing.pieces` says what for.

In:  texts.
Out: a number for each piece.
"""

from cpython cimport array
from cpython.mem cimport PyMem_Calloc, PyMem_Free
from cpython.unicode cimport PyUnicode_DATA, PyUnicode_GET_LENGTH, PyUnicode_KIND, PyUnicode_READ, PyUnicode_Substring
from libc.stdint cimport uint64_t
from libc.string cimport memcmp

import array
import os

from mardok._speed.characters cimport is_space

cdef array.array _INTS = array.array("i")
# Nobody who writes a page knows where its pieces fall in the table.
cdef uint64_t _SEED = int.from_bytes(os.urandom(8), "little") | 1


cdef struct Slot:
    uint64_t hash
    int number  # one more than that of the piece; 0 if it is empty


cdef class PieceTable:
    """See :class:`mardok.proofing.pieces.PieceTable`."""

    cdef list _known
    cdef Slot *_slots
    cdef uint64_t _n_slots

    def __cinit__(self):
        self._known = []
        self._n_slots = 1024
        self._slots = <Slot *>PyMem_Calloc(self._n_slots, sizeof(Slot))
        if self._slots == NULL:
            raise MemoryError

    def __dealloc__(self):
        PyMem_Free(self._slots)

    cdef int _grow(self) except -1:
        cdef uint64_t n_slots = 4 * self._n_slots, k, at
        cdef Slot *slots = <Slot *>PyMem_Calloc(n_slots, sizeof(Slot))
        if slots == NULL:
            raise MemoryError
        for k in range(self._n_slots):
            if self._slots[k].number:
                at = self._slots[k].hash & (n_slots - 1)
                while slots[at].number:
                    at = (at + 1) & (n_slots - 1)
                slots[at] = self._slots[k]
        PyMem_Free(self._slots)
        self._slots, self._n_slots = slots, n_slots
        return 0

    cdef int _number(self, str text, int kind, void *data, Py_ssize_t start, Py_ssize_t end, uint64_t hashed) except -1:
        """The number of the piece between two places of a text."""
        cdef uint64_t at = hashed & (self._n_slots - 1)
        cdef str known
        cdef Py_ssize_t k, n = end - start
        cdef int kind_known
        cdef void *data_known
        while self._slots[at].number:
            if self._slots[at].hash == hashed:
                known = self._known[self._slots[at].number - 1]
                if PyUnicode_GET_LENGTH(known) == n:
                    kind_known, data_known = PyUnicode_KIND(known), PyUnicode_DATA(known)
                    if kind_known == kind:
                        if memcmp(data_known, <char *>data + start * kind, n * kind) == 0:
                            return self._slots[at].number - 1
                    else:
                        for k in range(n):
                            if PyUnicode_READ(kind_known, data_known, k) != PyUnicode_READ(kind, data, start + k):
                                break
                        else:
                            return self._slots[at].number - 1
            at = (at + 1) & (self._n_slots - 1)
        self._known.append(PyUnicode_Substring(text, start, end))
        self._slots[at].hash, self._slots[at].number = hashed, <int>len(self._known)
        if 2 * <uint64_t>len(self._known) > self._n_slots:
            self._grow()
        return <int>len(self._known) - 1

    def cut(self, texts):
        """See :meth:`mardok.proofing.pieces.PieceTable.cut`."""
        cdef array.array codes = array.clone(_INTS, 1024, False), lengths = array.clone(_INTS, len(texts), False)
        cdef Py_ssize_t n_codes = 0, n_before, at, start, n, number = 0
        cdef int kind
        cdef void *data
        cdef uint64_t hashed
        cdef unsigned int sign
        cdef str text
        for text in texts:
            kind, data, n = PyUnicode_KIND(text), PyUnicode_DATA(text), PyUnicode_GET_LENGTH(text)
            n_before = n_codes
            at = 0
            while True:
                while at < n and is_space(PyUnicode_READ(kind, data, at)):
                    at += 1
                if at == n:
                    break
                start, hashed = at, _SEED
                while at < n:
                    sign = PyUnicode_READ(kind, data, at)
                    if is_space(sign):
                        break
                    hashed = (hashed ^ sign) * <uint64_t>0x9E3779B97F4A7C15
                    hashed ^= hashed >> 32
                    at += 1
                if n_codes == len(codes):
                    array.resize(codes, 2 * n_codes)
                codes.data.as_ints[n_codes] = self._number(text, kind, data, start, at, hashed)
                n_codes += 1
            lengths.data.as_ints[number] = <int>(n_codes - n_before)
            number += 1
        array.resize(codes, n_codes)
        return codes, lengths

    def numbers(self):
        """See :meth:`mardok.proofing.pieces.PieceTable.numbers`."""
        return dict(zip(self._known, range(len(self._known))))
