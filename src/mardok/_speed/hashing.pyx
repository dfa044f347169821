# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""The words of a text and their hashes, compiled; :mod:`mardok.text.hashes` says what they are.

In:  a folded text.
Out: hashes of its words, where they stand, and the lines and clauses they are in.
"""

from cpython.unicode cimport PyUnicode_DATA, PyUnicode_GET_LENGTH, PyUnicode_KIND, PyUnicode_READ
from libc.stdint cimport int32_t, int64_t, uint8_t, uint64_t

import numpy as np

from mardok.text import words  # its names are asked for when they are needed: it is being loaded itself

cdef enum:
    OTHER = 0  # the kinds of mardok.text.words
    LETTER = 1
    JOINER = 2
    SPACELESS = 3
    MARK = 4
    ASCII_CODES = 128
    NO_WORD = 0
    RUN = 1
    MOST_TABLES = 4  # as in mardok.text.known_hashes
    SHIFT = 13
    ALONE = 2  # a letter of a script without spaces, with its marks

cdef uint64_t BASE = 0x9E3779B97F4A7C15
cdef uint64_t OF_CODE = 0xD6E8FEB86659FD93
cdef uint64_t _ASCII[ASCII_CODES]


cdef inline uint64_t _mixed(uint64_t value) noexcept nogil:
    value ^= value >> 33
    value *= <uint64_t>0xFF51AFD7ED558CCD
    value ^= value >> 33
    value *= <uint64_t>0xC4CEB9FE1A85EC53
    return value ^ (value >> 33)


cdef void _set_values() noexcept:
    cdef uint64_t code
    for code in range(ASCII_CODES):
        _ASCII[code] = _mixed((code + 1) * OF_CODE)


_set_values()


cdef struct Found:
    uint64_t *hashes
    int64_t *starts
    int64_t *ends
    int64_t *lines
    int64_t *clauses
    Py_ssize_t n_words
    Py_ssize_t n_lines
    Py_ssize_t n_clauses


cdef void _read_ascii(const unsigned char *data, Py_ssize_t n, const uint8_t *kinds, const uint8_t *signs, Found *found) noexcept nogil:
    """The same as :func:`_read`, where each letter is a byte and none is a mark or alone."""
    cdef Py_ssize_t at = 0
    cdef uint64_t polynomial, power
    cdef unsigned char code, sign
    while at < n:
        code = data[at]
        if kinds[code] == LETTER:
            found.starts[found.n_words] = at
            polynomial, power = 0, 1
            while True:
                polynomial += _ASCII[code] * power
                power *= BASE
                at += 1
                if at == n:
                    break
                code = data[at]
                if kinds[code] == LETTER or (kinds[code] == JOINER and at + 1 < n and kinds[data[at + 1]] == LETTER):
                    continue
                break
            polynomial = _mixed(polynomial)
            found.hashes[found.n_words] = polynomial if polynomial else 1
            found.ends[found.n_words] = at
            found.n_words += 1
            continue
        sign = signs[code]
        if code == c"\n":
            found.lines[found.n_lines] = found.n_words
            found.n_lines += 1
        elif sign == 1 or (sign == 2 and (at + 1 == n or data[at + 1] <= c" ")):
            found.clauses[found.n_clauses] = found.n_words
            found.n_clauses += 1
        at += 1
    found.lines[found.n_lines] = found.n_words
    found.n_lines += 1


cdef void _read(int kind, void *data, Py_ssize_t n, const uint8_t[::1] kinds, const uint8_t[::1] signs, Found *found) noexcept:
    """Put the words of a text, its lines and clauses into arrays of at least n + 1."""
    cdef int of_word = NO_WORD, letter, sign
    cdef Py_ssize_t at, n_kinds = kinds.shape[0]
    cdef bint is_before_run = False, is_after_spaceless = False, goes_on
    cdef uint64_t polynomial = 0, power = 1
    cdef unsigned int code, following
    for at in range(n + 1):
        code = PyUnicode_READ(kind, data, at) if at < n else c"\n"
        letter = kinds[code] if code < n_kinds else OTHER
        goes_on = False
        if letter == LETTER or (letter == MARK and not is_after_spaceless):
            goes_on = of_word == RUN
            is_before_run = True
            is_after_spaceless = False
        elif letter == MARK:
            goes_on = True
            is_before_run = False
        elif letter == JOINER:
            if is_before_run and at + 1 < n:
                following = PyUnicode_READ(kind, data, at + 1)
                letter = kinds[following] if following < n_kinds else OTHER
                goes_on = letter == LETTER or letter == MARK
            letter = JOINER
            is_before_run = is_after_spaceless = False
        else:
            is_before_run = False
            is_after_spaceless = letter == SPACELESS
        if not goes_on:
            if of_word != NO_WORD:
                polynomial = _mixed(polynomial)
                found.hashes[found.n_words - 1] = polynomial if polynomial else 1
                found.ends[found.n_words - 1] = at
                of_word = NO_WORD
            sign = signs[code]
            if code == c"\n":
                found.lines[found.n_lines] = found.n_words
                found.n_lines += 1
            elif sign == 1 or (sign == 2 and (at + 1 >= n or <unsigned int>PyUnicode_READ(kind, data, at + 1) <= c" ")):
                found.clauses[found.n_clauses] = found.n_words
                found.n_clauses += 1
            if letter == OTHER or letter == JOINER:
                continue
            of_word = ALONE if letter == SPACELESS else RUN
            found.starts[found.n_words] = at
            found.n_words += 1
            polynomial, power = 0, 1
        polynomial += (_ASCII[code] if code < ASCII_CODES else _mixed((<uint64_t>code + 1) * OF_CODE)) * power
        power *= BASE


cdef inline bint _is_invisible(unsigned int code) noexcept:
    if code < 0x2000:
        return code == 0xAD or code == 0x61C or code == 0x180E
    return 0x200B <= code <= 0x200F or 0x202A <= code <= 0x202E or 0x2060 <= code <= 0x206F and code != 0x2065 or code == 0xFEFF


def without_invisible(str text):
    """See :func:`mardok.text.words.without_invisible`."""
    cdef int kind = PyUnicode_KIND(text)
    cdef void *data = PyUnicode_DATA(text)
    cdef Py_ssize_t at
    for at in range(PyUnicode_GET_LENGTH(text)):
        if _is_invisible(PyUnicode_READ(kind, data, at)):
            return "".join([sign for sign in text if not _is_invisible(ord(sign))])
    return text


def hashed_words(str text):
    """See :func:`mardok.text.hashes.hashed_words`."""
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(text)
    cdef bint is_ascii = text.isascii()
    cdef const uint8_t[::1] kinds = words.letter_kinds(256) if is_ascii else words.letter_kinds()
    cdef const uint8_t[::1] signs = words.clause_signs()
    of_hashes, of_places = np.empty(n + 1, np.uint64), np.empty((4, n + 1), np.int64)
    cdef uint64_t[::1] hashes = of_hashes
    cdef int64_t[:, ::1] places = of_places
    cdef Found found = Found(&hashes[0], &places[0, 0], &places[1, 0], &places[2, 0], &places[3, 0], 0, 0, 0)
    if is_ascii:
        _read_ascii(<const unsigned char *>PyUnicode_DATA(text), n, &kinds[0], &signs[0], &found)
    else:
        _read(PyUnicode_KIND(text), PyUnicode_DATA(text), n, kinds, signs, &found)
    return (
        of_hashes[: found.n_words].copy(), of_places[0, : found.n_words].copy(), of_places[1, : found.n_words].copy(),
        of_places[2, : found.n_lines].copy(), of_places[3, : found.n_clauses].copy(),
    )


def word_places(str text):
    found = hashed_words(text)
    return found[1], found[2]


def places_among(const uint64_t[:] hashes, const uint64_t[::1] known, list tables, const int32_t[::1] left):
    """See :func:`mardok.text.known_hashes.places_among`."""
    cdef Py_ssize_t n = hashes.shape[0], n_known = known.shape[0], n_left = left.shape[0], at, low, high, middle
    cdef Py_ssize_t n_tables = len(tables), number
    cdef const int32_t[::1] table
    cdef const int32_t *first[MOST_TABLES]
    cdef uint64_t masks[MOST_TABLES]
    cdef uint64_t value
    cdef int32_t place
    cdef int64_t found
    result = np.empty(n, np.int64)
    cdef int64_t[::1] places = result
    if n_tables > MOST_TABLES:
        raise ValueError(n_tables)
    for number in range(n_tables):
        table = tables[number]
        if not table.shape[0] or table.shape[0] & (table.shape[0] - 1):
            raise ValueError(table.shape[0])
        first[number], masks[number] = &table[0], table.shape[0] - 1
    for at in range(n):
        value, found = hashes[at], -1
        for number in range(n_tables):
            place = first[number][(value >> (SHIFT * number)) & masks[number]]
            if place < 0 or place >= n_known:
                break
            if known[place] == value:
                found = place
                break
        else:
            low, high = 0, n_left
            while low < high:
                middle = (low + high) // 2
                if 0 <= left[middle] < n_known and known[left[middle]] < value:
                    low = middle + 1
                else:
                    high = middle
            if low < n_left and 0 <= left[low] < n_known and known[left[low]] == value:
                found = left[low]
        places[at] = found
    return result
