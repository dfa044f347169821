# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Which elements stand in a document, compiled; :mod:`mardok.sources.element_kinds` says what counts.

In:  a document as text.
Out: names.
"""

from cpython.unicode cimport PyUnicode_DATA, PyUnicode_FindChar, PyUnicode_GET_LENGTH, PyUnicode_KIND, PyUnicode_READ
from libc.stdint cimport uint64_t
from libc.string cimport memset

cdef enum:
    LONGEST = 15  # characters of a name
    SLOTS = 256
    MOST = 128  # names that are told apart here; a document with more is left to the definition

cdef struct Name:
    uint64_t first  # its letters, eight in each
    uint64_t second


def element_names(str html):
    """See :func:`mardok.sources.element_kinds.element_names`."""
    cdef int kind = PyUnicode_KIND(html)
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html), at = PyUnicode_FindChar(html, c"<", 0, n, 1), k
    cdef unsigned int sign
    cdef int slot, n_names = 0
    cdef Name[SLOTS] known
    cdef Name name
    cdef set found = set()
    memset(known, 0, sizeof(known))
    while at >= 0:
        name.first = name.second = 0
        k = 0
        while k < LONGEST and at + 1 + k < n:
            sign = PyUnicode_READ(kind, data, at + 1 + k)
            if c"A" <= sign <= c"Z":
                sign += 32
            elif not (c"a" <= sign <= c"z" or (k and c"0" <= sign <= c"9")):
                break
            if k < 8:
                name.first |= <uint64_t>sign << (8 * k)
            else:
                name.second |= <uint64_t>sign << (8 * (k - 8))
            k += 1
        if k:
            slot = <int>((name.first ^ name.second * 31) * <uint64_t>0x9E3779B97F4A7C15 >> 56)
            while known[slot].first and (known[slot].first != name.first or known[slot].second != name.second):
                slot = (slot + 1) % SLOTS
            if not known[slot].first:
                if n_names == MOST:
                    from mardok.compiled import DEFINITIONS

                    return DEFINITIONS["names.element_names"][0](html)
                known[slot] = name
                n_names += 1
                found.add(html[at + 1 : at + 1 + k].lower())
        at = PyUnicode_FindChar(html, c"<", at + 1, n, 1) if at + 1 < n else -1
    return frozenset(found)
