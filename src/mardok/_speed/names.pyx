# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Which elements and attributes stand in a document, compiled; their definitions say what counts.

In:  a document as text, or one tag.
Out: names; attributes by name.
"""

from cpython.unicode cimport (
    PyUnicode_DATA,
    PyUnicode_FindChar,
    PyUnicode_GET_LENGTH,
    PyUnicode_KIND,
    PyUnicode_READ,
    PyUnicode_Substring,
)
from libc.stdint cimport uint64_t
from libc.string cimport memset

from mardok._speed.characters cimport is_space, place_of

cdef extern from "Python.h":
    bint Py_UNICODE_ISSPACE(Py_UCS4)

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
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html), at = place_of(html, kind, data, n, c"<", 0), k
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
        at = place_of(html, kind, data, n, c"<", at + 1)
    return frozenset(found)


cdef inline bint _is_part(int kind, void *data, Py_ssize_t n, Py_ssize_t at, const char *name, Py_ssize_t length) noexcept:
    """Whether a name stands at a place, and behind it what ends a name."""
    cdef Py_ssize_t k
    cdef Py_UCS4 sign
    if at + length >= n:
        return False
    for k in range(1, length):
        if PyUnicode_READ(kind, data, at + k) != <unsigned char>name[k]:
            return False
    sign = PyUnicode_READ(kind, data, at + length)
    return sign == c">" or Py_UNICODE_ISSPACE(sign)


def part_begins(str html):
    """See :func:`mardok.extract.template_cache.part_begins`."""
    cdef int kind = PyUnicode_KIND(html)
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html), at = place_of(html, kind, data, n, c"<", 0)
    cdef Py_UCS4 sign
    cdef bint is_part
    cdef list begins = []
    while 0 <= at < n - 1:
        sign = PyUnicode_READ(kind, data, at + 1)
        is_part = False
        if sign == c"u":
            is_part = _is_part(kind, data, n, at + 1, b"ul", 2)
        elif sign == c"n":
            is_part = _is_part(kind, data, n, at + 1, b"nav", 3)
        elif sign == c"h":
            is_part = _is_part(kind, data, n, at + 1, b"header", 6)
        elif sign == c"f":
            is_part = _is_part(kind, data, n, at + 1, b"footer", 6)
        if is_part:
            begins.append(at)
        at = place_of(html, kind, data, n, c"<", at + 1)
    return begins


def count_stand_ins(str html):
    """See :func:`mardok.extract.template_cache.count_stand_ins`."""
    cdef const char *word = b"mardok-part"
    cdef int kind = PyUnicode_KIND(html), k, result = 0
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html), at = place_of(html, kind, data, n, c"-", 6)
    cdef unsigned int sign
    while 0 <= at <= n - 5:
        for k in range(11):
            sign = PyUnicode_READ(kind, data, at - 6 + k)
            if c"A" <= sign <= c"Z":
                sign += 32
            if sign != <unsigned char>word[k]:
                break
        else:
            result += 1
        at = place_of(html, kind, data, n, c"-", at + 1)
    return result


def attributes(str markup):
    """See :func:`mardok.extract.markup.attributes`."""
    cdef int kind = PyUnicode_KIND(markup)
    cdef void *data = PyUnicode_DATA(markup)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(markup), at = 0, begin, end, close
    cdef Py_UCS4 sign
    cdef str value
    cdef dict result = {}
    while at < n:
        sign = PyUnicode_READ(kind, data, at)
        at += 1
        if not is_space(sign):
            continue
        begin = end = at
        while end < n:
            sign = PyUnicode_READ(kind, data, end)
            if sign == c"=" or sign == c'"' or sign == c">" or sign == c"/" or is_space(sign):
                break
            end += 1
        if end == begin:
            continue
        at = end
        value = ""
        if end + 1 < n and PyUnicode_READ(kind, data, end) == c"=" and PyUnicode_READ(kind, data, end + 1) == c'"':
            close = place_of(markup, kind, data, n, c'"', end + 2)
            if close >= 0:
                value = PyUnicode_Substring(markup, end + 2, close)
                if PyUnicode_FindChar(markup, c"&", end + 2, close, 1) >= 0:
                    from mardok.extract.markup import unescaped

                    value = unescaped(value)
                at = close + 1
        result[PyUnicode_Substring(markup, begin, end)] = value
    return result
