# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""What markup sets apart, compiled; :mod:`mardok.extract.signs` says what that is.

In:  a document in UTF-8.
Out: texts.
"""

from cpython.bytes cimport PyBytes_AS_STRING, PyBytes_FromStringAndSize, PyBytes_GET_SIZE
from cpython.unicode cimport (
    PyUnicode_DATA,
    PyUnicode_GET_LENGTH,
    PyUnicode_KIND,
    PyUnicode_READ,
    PyUnicode_Substring,
)
from libc.string cimport memchr, memcmp

cdef extern from "Python.h":
    bint PyUnicode_IS_ASCII(str)
    bint Py_UNICODE_ISALNUM(Py_UCS4)
    bint Py_UNICODE_ISDECIMAL(Py_UCS4)

cdef enum:
    AMPERSAND = 1  # the numbers of mardok.extract.signs
    LINKED_DATA = 2
    MICRODATA = 4
    HTTP = 8
    FROM_SOURCE = 16
    FROM_DATA = 32
    BROKEN = 64
    FIRST = 8  # characters before which none is looked at together with others
    BLOCK = 256  # bytes that are looked at together
    BEHIND = 16  # bytes behind a document that may be looked at: no sign is longer
    LONGEST_NAME = 21
    LONGEST = 1200  # bytes of attributes, and of a text
    LONGEST_TAG = 1300  # bytes within which a tag begins before a sign
    SHORTEST_WORD = 3  # letters
    LONGEST_WORD = 40


ctypedef fused Sign:
    unsigned char
    unsigned short
    unsigned int


cdef inline bint _reads(Sign *data, Py_ssize_t at, Py_ssize_t n, const char *word, Py_ssize_t length) noexcept:
    cdef Py_ssize_t k
    if at < 0 or at + length > n:
        return False
    for k in range(length):
        if data[at + k] != <unsigned char>word[k]:
            return False
    return True


cdef int _met(Sign *data, Py_ssize_t begin, Py_ssize_t end, Py_ssize_t n) noexcept:
    """What stands at the places of a range."""
    cdef Py_ssize_t at
    cdef int met = 0
    for at in range(begin, end):
        if data[at] == c"&" and _reads(data, at, n, b"&amp;", 5):
            met |= AMPERSAND
        elif data[at] == c"+" and _reads(data, at - 2, n, b"ld+json", 7):
            met |= LINKED_DATA
        elif data[at] == c"=" and _reads(data, at - 8, n, b"itemtype=", 9):
            met |= MICRODATA
        elif data[at] == c":" and _reads(data, at - 5, n, b'"http:', 6):
            met |= HTTP
            if _reads(data, at - 9, n, b"src=", 4):
                met |= FROM_SOURCE
            elif _reads(data, at - 10, n, b"data=", 5):
                met |= FROM_DATA
        elif data[at] == 0xC2 or data[at] == 0xC3 or data[at] == 0xFFFD:
            met |= BROKEN
        elif data[at] == 0xE2 and at + 1 < n and data[at + 1] == 0x20AC:
            met |= BROKEN
    return met


cdef int _met_anywhere(Sign *data, Py_ssize_t n, bint is_ascii) noexcept:
    """What stands in a document: in blocks, without a branch, so that the compiler takes many characters at once."""
    cdef Py_ssize_t begin = FIRST, at
    cdef int met = 0
    cdef Sign may_be, broken
    if n <= BLOCK + FIRST:
        return _met(data, 0, n, n)
    while begin + BLOCK < n:
        may_be = broken = 0
        for at in range(begin, begin + BLOCK):
            may_be |= (data[at] == c"&") & (data[at + 1] == c"a")
            may_be |= (data[at] == c"+") & (data[at - 1] == c"d")
            may_be |= (data[at] == c"=") & (data[at - 1] == c"e") & (data[at - 5] == c"m")
            may_be |= (data[at] == c":") & (data[at - 1] == c"p") & (data[at - 5] == c'"')
        if not is_ascii:
            for at in range(begin, begin + BLOCK):
                broken |= (data[at] == 0xC2) | (data[at] == 0xC3) | (data[at] == 0xFFFD)
                broken |= (data[at] == 0xE2) & (data[at + 1] == 0x20AC)
        if may_be or broken:
            met |= _met(data, begin, begin + BLOCK, n)
        begin += BLOCK
    return met | _met(data, 0, FIRST, n) | _met(data, begin, n, n)


def glance(str html):
    """See :func:`mardok.extract.signs.glance`."""
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html)
    if PyUnicode_KIND(html) == 1:
        return _met_anywhere(<unsigned char *>data, n, PyUnicode_IS_ASCII(html))
    if PyUnicode_KIND(html) == 2:
        return _met_anywhere(<unsigned short *>data, n, False)
    return _met_anywhere(<unsigned int *>data, n, False)


cdef inline bint _is_blank(unsigned char sign) noexcept:
    return sign == c" " or 9 <= sign <= 13


cdef inline bint _is_of_name(unsigned char sign) noexcept:
    return c"a" <= sign <= c"z" or c"0" <= sign <= c"9"


cdef bytes _lowered(bytes written):
    """A document with small letters for ASCII capitals, and zeros behind it."""
    cdef Py_ssize_t n = PyBytes_GET_SIZE(written), at
    cdef bytes result = PyBytes_FromStringAndSize(NULL, n + BEHIND)
    cdef unsigned char *source = <unsigned char *>PyBytes_AS_STRING(written)
    cdef unsigned char *out = <unsigned char *>PyBytes_AS_STRING(result)
    for at in range(n):
        out[at] = source[at] + (32 if c"A" <= source[at] <= c"Z" else 0)
    for at in range(n, n + BEHIND):
        out[at] = 0
    return result


cdef list _signs(unsigned char *low, Py_ssize_t n):
    """Where ``lang`` and ``translate`` stand; empty if nothing may be set apart by them."""
    cdef Py_ssize_t begin = 0, at, end, n_lang = 0
    cdef unsigned char may_be
    cdef bint has_translate = False
    cdef list found = []
    while begin < n:
        end = min(begin + BLOCK, n)
        may_be = 0
        for at in range(begin, end):  # without a branch, so that the compiler takes many bytes at once
            may_be |= (low[at + 1] == c"a") & (low[at + 2] == c"n") & ((low[at] == c"l") & (low[at + 3] == c"g"))
            may_be |= (low[at + 2] == c"a") & (low[at + 3] == c"n") & ((low[at] == c"t") & (low[at + 1] == c"r"))
        if may_be:
            for at in range(begin, end):
                if low[at] == c"l" and memcmp(low + at, b"lang", 4) == 0:
                    found.append(at)
                    n_lang += at > 0 and low[at - 1] == c" " and low[at + 4] == c"="
                elif low[at] == c"t" and memcmp(low + at, b"translate", 9) == 0:
                    found.append(at)
                    has_translate = True
        begin = end
    return found if n_lang > 1 or has_translate else []


cdef bytes _text_behind(unsigned char *low, Py_ssize_t n, Py_ssize_t at):
    """The text behind a tag that ends before a place; empty if there is none."""
    cdef unsigned char *end = <unsigned char *>memchr(low + at, c"<", min(n - at, LONGEST)) if at < n else NULL
    return PyBytes_FromStringAndSize(<char *>low + at, end - (low + at) if end != NULL else max(min(n - at, LONGEST), 0))


cdef Py_ssize_t _end_of_attributes(unsigned char *low, Py_ssize_t n, Py_ssize_t at) noexcept:
    """Where the attributes from a place on end with their tag; -1 where another begins before, or they are too long."""
    cdef Py_ssize_t stop = min(n, at + LONGEST + 1)
    while at < stop:
        if low[at] == c">":
            return at
        if low[at] == c"<":
            return -1
        at += 1
    return -1


cdef Py_ssize_t _length_of_code_name(unsigned char *low) noexcept:
    """Length of the name of an element that shows code, which stands at a place; 0 if none does."""
    if memcmp(low, b"code", 4) == 0 or memcmp(low, b"samp", 4) == 0:
        return 4
    if memcmp(low, b"kbd", 3) == 0 or memcmp(low, b"var", 3) == 0:
        return 3
    return 2 if memcmp(low, b"tt", 2) == 0 else 0


def texts_apart(bytes written, has_code, sets_apart):
    """See :func:`mardok.extract.signs.texts_apart`."""
    cdef bytes lowered = _lowered(written), text
    cdef unsigned char *low = <unsigned char *>PyBytes_AS_STRING(lowered)
    cdef unsigned char *found = NULL
    cdef Py_ssize_t n = PyBytes_GET_SIZE(written), at, end, begin, last = -1
    cdef list result = []
    if has_code and n:
        found = <unsigned char *>memchr(low, c"<", n)
        while found != NULL:
            at = found - low + 1
            end = _length_of_code_name(low + at)
            if end:
                end += at
                if _is_blank(low[end]):
                    end = _end_of_attributes(low, n, end + 1)
                if end >= 0 and end < n and low[end] == c">":
                    text = _text_behind(low, n, end + 1)
                    if text:
                        result.append(text)
            found = <unsigned char *>memchr(low + at, c"<", n - at) if at < n else NULL
    for sign in _signs(low, n):
        at = begin = sign
        while begin > 0 and begin > at - LONGEST_TAG and low[begin - 1] != c"<":
            begin -= 1
        if begin <= max(at - LONGEST_TAG, 0) or begin - 1 == last:
            continue
        last = begin - 1
        end = begin
        while end - begin < LONGEST_NAME and (c"a" <= low[end] <= c"z" or (end > begin and _is_of_name(low[end]))):
            end += 1
        if end == begin or not _is_blank(low[end]) or (end - begin == 4 and memcmp(low + begin, b"html", 4) == 0):
            continue
        at = _end_of_attributes(low, n, end + 1)
        if at > end + 1:
            text = _text_behind(low, n, at + 1)
            if text and sets_apart(PyBytes_FromStringAndSize(<char *>low + end + 1, at - end - 1)) is not None:
                result.append(text)
    return result


cdef inline bint _is_letter(Py_UCS4 sign) noexcept:
    if sign < 0x80:
        return c"a" <= sign <= c"z" or c"A" <= sign <= c"Z"
    return Py_UNICODE_ISALNUM(sign) and not Py_UNICODE_ISDECIMAL(sign)


def letter_words(str text):
    """See :func:`mardok.extract.signs.letter_words`."""
    cdef int kind = PyUnicode_KIND(text)
    cdef void *data = PyUnicode_DATA(text)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(text), at = 0, begin
    cdef list words = []
    while at < n:
        begin = at
        while at < n and at - begin < LONGEST_WORD and _is_letter(PyUnicode_READ(kind, data, at)):
            at += 1
        if at - begin >= SHORTEST_WORD:
            words.append(PyUnicode_Substring(text, begin, at))
        elif at == begin:
            at += 1
    return words
