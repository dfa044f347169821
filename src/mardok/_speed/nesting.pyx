# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Whether the elements of a document are nested within limits, compiled; :mod:`mardok.sources.limits` says what counts.

In:  a document as text, how many elements may be open.
Out: true only where no tag would be left out. Where anything is odd the answer is false, and each tag is followed in Python.
"""

from cpython.mem cimport PyMem_Free, PyMem_Malloc
from cpython.unicode cimport PyUnicode_DATA, PyUnicode_GET_LENGTH, PyUnicode_KIND, PyUnicode_READ
from libc.stdint cimport uint64_t
from libc.string cimport memset

from mardok._speed.characters cimport place_of

from mardok.sources import element_kinds

cdef enum:
    LONGEST_NAME = 32  # characters; longer ones are odd
    WORDS = 4
    BLOCK = 4096
    SLOTS = 512
    VOID = 1
    ENDED_BY_THE_NEXT = 2
    FORMATTING = 4
    RAW = 8
    FOREIGN = 16
    OPTION = 32
    SELECT = 64


ctypedef fused Sign:
    unsigned char
    unsigned short


cdef struct Name:
    uint64_t words[WORDS]  # the letters, eight in each


cdef struct Known:
    Name name
    int kind


cdef Known _KNOWN[SLOTS]


cdef inline bint _equal(Name *one, Name *other) noexcept:
    cdef int k
    for k in range(WORDS):
        if one.words[k] != other.words[k]:
            return False
    return True


cdef inline int _slot(Name *name) noexcept:
    cdef uint64_t mixed = (name.words[0] ^ (name.words[1] * 31)) * <uint64_t>0x9E3779B97F4A7C15
    return <int>(mixed >> 55)


cdef int _kind(Name *name) noexcept:
    """To what sets of names one belongs."""
    cdef int slot = _slot(name)
    while _KNOWN[slot].kind:
        if _equal(&_KNOWN[slot].name, name):
            return _KNOWN[slot].kind
        slot = (slot + 1) % SLOTS
    return 0


cdef int _read_name(Name *name, str html, Py_ssize_t start, Py_ssize_t end) except -1:
    """Put the letters of a name into a record, in lower case; 0 if it is odd, else 1."""
    cdef Py_ssize_t at
    cdef unsigned int sign
    cdef int kind = PyUnicode_KIND(html)
    cdef void *data = PyUnicode_DATA(html)
    if end - start > LONGEST_NAME:
        return 0
    memset(name, 0, sizeof(Name))
    for at in range(end - start):
        sign = PyUnicode_READ(kind, data, start + at)
        if sign == 0 or sign > 0x7E:
            return 0
        if c"A" <= sign <= c"Z":
            sign += 32
        name.words[at >> 3] |= <uint64_t>sign << (8 * (at & 7))
    return 1


def _know(names, int kind):
    cdef Name name
    cdef int slot
    for text in names:
        if not _read_name(&name, text, 0, len(text)):
            raise ValueError(text)
        slot = _slot(&name)
        while _KNOWN[slot].kind and not _equal(&_KNOWN[slot].name, &name):
            slot = (slot + 1) % SLOTS
        _KNOWN[slot].name = name
        _KNOWN[slot].kind |= kind


memset(_KNOWN, 0, sizeof(_KNOWN))
_know(element_kinds.VOID, VOID)
_know(element_kinds.ENDED_BY_THE_NEXT, ENDED_BY_THE_NEXT)
_know(element_kinds.FORMATTING, FORMATTING)
_know(element_kinds.RAW, RAW)
_know(element_kinds.FOREIGN, FOREIGN)
_know(["option", "optgroup"], OPTION)
_know(["select"], SELECT)


cdef inline bint _is_blank(Py_UCS4 sign) noexcept:
    """White space of HTML."""
    return sign == c" " or sign == c"\t" or sign == c"\n" or sign == c"\f" or sign == c"\r"


cdef Py_ssize_t _end_of_tag(str html, Py_ssize_t at) except -2:
    """Where a tag ends whose attributes begin at a place."""
    cdef int kind = PyUnicode_KIND(html)
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html), behind
    cdef Py_UCS4 sign, quote
    while at < n:
        sign = PyUnicode_READ(kind, data, at)
        if sign == c">":
            return at + 1
        if sign == c"/" or _is_blank(sign):
            at += 1
            continue
        at += 1
        while at < n:
            sign = PyUnicode_READ(kind, data, at)
            if sign == c"/" or sign == c">" or sign == c"=" or _is_blank(sign):
                break
            at += 1
        behind = at
        while behind < n and _is_blank(PyUnicode_READ(kind, data, behind)):
            behind += 1
        if behind == n or PyUnicode_READ(kind, data, behind) != c"=":
            continue
        behind += 1
        while behind < n and _is_blank(PyUnicode_READ(kind, data, behind)):
            behind += 1
        at = behind
        if at == n:
            break
        quote = PyUnicode_READ(kind, data, at)
        if quote == c'"' or quote == c"'":
            at = place_of(html, kind, data, n, quote, at + 1)
            if at < 0:
                return n
            at += 1
        else:
            while at < n:
                sign = PyUnicode_READ(kind, data, at)
                if sign == c">" or _is_blank(sign):
                    break
                at += 1
    return n


cdef Py_ssize_t _end_of_comment(str html, Py_ssize_t start) except -2:
    """Where a comment ends that begins at a place, or what the parser takes for one."""
    cdef int kind = PyUnicode_KIND(html)
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html), at, before
    if start + 4 > n or PyUnicode_READ(kind, data, start + 1) != c"!" or PyUnicode_READ(kind, data, start + 2) != c"-" \
            or PyUnicode_READ(kind, data, start + 3) != c"-":
        at = place_of(html, kind, data, n, c">", start + 2)
        return at + 1 if at >= 0 else n
    if start + 4 < n and PyUnicode_READ(kind, data, start + 4) == c">":
        return start + 5
    if start + 5 < n and PyUnicode_READ(kind, data, start + 4) == c"-" and PyUnicode_READ(kind, data, start + 5) == c">":
        return start + 6
    at = start + 4
    while at < n:
        at = place_of(html, kind, data, n, c">", at)
        if at < 0:
            return n
        before = at - 1
        if before >= start + 4 and PyUnicode_READ(kind, data, before) == c"!":
            before -= 1
        if before >= start + 5 and PyUnicode_READ(kind, data, before) == c"-" and PyUnicode_READ(kind, data, before - 1) == c"-":
            return at + 1
        at += 1
    return n


cdef Py_ssize_t _end_of_raw(str html, Py_ssize_t at, Name *name, Py_ssize_t length) except -2:
    """Where the end tag of an element without markup begins; the length of the document if there is none."""
    cdef int kind = PyUnicode_KIND(html)
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html)
    cdef Name other
    cdef Py_UCS4 sign
    while at < n:
        at = place_of(html, kind, data, n, c"<", at)
        if at < 0:
            return n
        if at + 2 + length < n and PyUnicode_READ(kind, data, at + 1) == c"/":
            if _read_name(&other, html, at + 2, at + 2 + length) and _equal(&other, name):
                sign = PyUnicode_READ(kind, data, at + 2 + length)
                if sign == c"/" or sign == c">" or sign == 0x0B or _is_blank(sign):
                    return at
        at += 1
    return n


cdef Py_ssize_t _n_tags(Sign *data, Py_ssize_t n) noexcept:
    cdef Py_ssize_t begin, at, result = 0
    cdef unsigned short few
    for begin in range(0, n, BLOCK):
        few = 0  # in a small number, so that the compiler takes many characters at once
        for at in range(begin, min(begin + BLOCK, n)):
            few += data[at] == c"<"
        result += few
    return result


def count_tags(str html):
    """See :func:`mardok.sources.limits.count_tags`."""
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html)
    if PyUnicode_KIND(html) == 1:
        return _n_tags(<unsigned char *>data, n)
    if PyUnicode_KIND(html) == 2:
        return _n_tags(<unsigned short *>data, n)
    return html.count("<")


def is_surely_flat(str html, Py_ssize_t most_open, Py_ssize_t most_formatting, Py_ssize_t most_options, Py_ssize_t most_steps):
    """See :func:`mardok.sources.limits.is_surely_flat`."""
    cdef int kind = PyUnicode_KIND(html), of_name
    cdef void *data = PyUnicode_DATA(html)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(html), at = 0, start, end, k
    cdef Py_ssize_t n_open = 0, n_formatting = 0, n_options = 0, n_steps = 0
    cdef Py_UCS4 sign
    cdef bint is_end, spares = most_formatting > 0
    cdef Name name
    cdef Name *opened
    cdef Name *formatting
    # There are no more elements than every other character begins one.
    most_open, most_formatting = min(max(most_open, 0), n // 2 + 1), min(max(most_formatting, 0), n // 2 + 1)
    opened = <Name *>PyMem_Malloc((most_open + most_formatting + 1) * sizeof(Name))
    if opened == NULL:
        raise MemoryError
    formatting = opened + most_open
    try:
        while at < n:
            start = place_of(html, kind, data, n, c"<", at)
            if start < 0:
                return True
            at = start + 1
            sign = PyUnicode_READ(kind, data, at) if at < n else 0
            is_end = False
            if sign == c"/" and at + 1 < n:
                is_end = True
                at += 1
                sign = PyUnicode_READ(kind, data, at)
            if not (c"a" <= sign <= c"z" or c"A" <= sign <= c"Z"):
                if is_end or sign == c"!" or sign == c"?" or sign == c"/":
                    at = _end_of_comment(html, start)
                continue
            end = at + 1
            while end < n:
                sign = PyUnicode_READ(kind, data, end)
                if sign == c"/" or sign == c">" or _is_blank(sign):
                    break
                end += 1
            if not _read_name(&name, html, at, end):
                return False
            of_name = _kind(&name)
            if of_name & FOREIGN:
                return False
            k = end - at
            at = _end_of_tag(html, end)
            if of_name & RAW and not is_end:
                at = _end_of_raw(html, at, &name, k)
            if is_end:
                if of_name & FORMATTING and spares:
                    for k in range(n_formatting - 1, -1, -1):
                        if _equal(&formatting[k], &name):
                            n_formatting -= 1
                            while k < n_formatting:
                                formatting[k] = formatting[k + 1]
                                k += 1
                            break
                else:
                    for k in range(n_open - 1, -1, -1):
                        if _equal(&opened[k], &name):
                            n_open = k
                            break
            elif of_name & VOID:
                pass
            elif of_name & OPTION:
                n_options += 1
                if n_options > most_options:
                    return False
            else:
                if of_name & SELECT:
                    n_options = 0
                if of_name & FORMATTING and spares:
                    if n_formatting >= most_formatting:
                        return False
                    formatting[n_formatting] = name
                    n_formatting += 1
                elif not of_name & ENDED_BY_THE_NEXT:
                    if n_open >= most_open:
                        return False
                    opened[n_open] = name
                    n_open += 1
            n_steps += n_options if of_name & VOID else n_open + n_options
            if n_steps > most_steps:
                return False
        return True
    finally:
        PyMem_Free(opened)
