# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Addresses of links that need no resolving but that of their folder, compiled; :mod:`mardok.urls` says which these are.

In:  addresses as written, the address of their page.
Out: addresses in the one form.
"""

from cpython.unicode cimport PyUnicode_DATA, PyUnicode_GET_LENGTH, PyUnicode_KIND, PyUnicode_Substring

from mardok.compiled import DEFINITIONS

cdef enum:
    NAME = 1  # signs of names of a path
    FIRST = 2  # those a name may begin with
    QUERY = 4
    HOST = 8
    LONGEST = 512  # as in mardok.urls

cdef unsigned char _KINDS[256]


cdef void _set_kinds() noexcept:
    cdef int code
    for code in range(256):
        _KINDS[code] = 0
        if c"a" <= code <= c"z" or c"A" <= code <= c"Z" or c"0" <= code <= c"9" or code in (c"_", c"~", c"-"):
            _KINDS[code] = NAME | FIRST | QUERY
        elif code == c".":
            _KINDS[code] = NAME | QUERY
        elif code in (c"=", c"&"):
            _KINDS[code] = QUERY
        if c"a" <= code <= c"z" or c"0" <= code <= c"9" or code in (c".", c"-"):
            _KINDS[code] |= HOST


_set_kinds()


cdef bint _is_plain(unsigned char *data, Py_ssize_t at, Py_ssize_t end, bint is_relative) noexcept:
    """Whether there are only plain names between slashes, and perhaps a query."""
    cdef bint is_first = True
    cdef unsigned char sign
    while at < end and data[at] != c"?":
        sign = data[at]
        if sign == c"/":
            if is_first and is_relative:
                return False
            is_first = True
        elif is_first:
            # Of what begins with a slash a name may begin with any sign but a point.
            if not _KINDS[sign] & FIRST:
                return False
            is_first = False
        elif not _KINDS[sign] & NAME:
            return False
        at += 1
    if at < end:
        at += 1
        if at == end:
            return False
        while at < end:
            if not _KINDS[data[at]] & QUERY:
                return False
            at += 1
    return True


cdef bint _is_plain_absolute(unsigned char *data, Py_ssize_t end) noexcept:
    """Whether an address with a host stands in the one form already."""
    cdef const char *scheme = b"https://"
    cdef Py_ssize_t at = 0, host
    if end > LONGEST or end < 8:
        return False
    while at < 4:
        if data[at] != <unsigned char>scheme[at]:
            return False
        at += 1
    at += data[at] == c"s"
    if data[at] != c":" or data[at + 1] != c"/" or data[at + 2] != c"/":
        return False
    at += 3
    host = at
    while at < end and _KINDS[data[at]] & HOST:
        at += 1
    return at > host and at < end and data[at] == c"/" and _is_plain(data, at + 1, end, False)


def resolved_url(str href, str base):
    """See :func:`mardok.urls.resolved_url`."""
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(href), n_base = PyUnicode_GET_LENGTH(base), end = 0, at = 0, folder, slashes = 0
    cdef Py_ssize_t place, n_up
    cdef unsigned char *data = <unsigned char *>PyUnicode_DATA(href)
    cdef unsigned char *below = <unsigned char *>PyUnicode_DATA(base)
    if PyUnicode_KIND(href) != 1 or PyUnicode_KIND(base) != 1:
        return DEFINITIONS["addresses.resolved_url"][0](href, base)
    while end < n and data[end] != c"#":
        end += 1
    if end < n:
        if end == 0:
            return base
        if data[end - 1] <= 0x20:
            return DEFINITIONS["addresses.resolved_url"][0](href, base)
    if _is_plain_absolute(data, end):
        return href if end == n else PyUnicode_Substring(href, 0, end)
    if end and data[0] == c"/" and (end == 1 or (data[1] != c"/" and data[1] != c"\\")):
        if _is_plain(data, 1, end, False):
            folder = 0
            while folder < n_base:
                slashes += below[folder] == c"/"
                if slashes == 3:
                    break
                folder += 1
            return PyUnicode_Substring(base, 0, folder) + (href if end == n else PyUnicode_Substring(href, 0, end))
    elif end and data[0] != c"?":
        while at + 3 <= end and data[at] == c"." and data[at + 1] == c"." and data[at + 2] == c"/":
            at += 3
        if _is_plain(data, at, end, True):
            folder = 0
            while folder < n_base and below[folder] != c"?":
                folder += 1
            for place in range(folder):
                slashes += below[place] == c"/"
            if slashes >= 3:
                n_up = min(at // 3, slashes - 3)  # not beyond the origin
                while folder > 0:
                    folder -= 1
                    if below[folder] == c"/":
                        if n_up == 0:
                            break
                        n_up -= 1
                return PyUnicode_Substring(base, 0, folder + 1) + PyUnicode_Substring(href, at, end)
    return DEFINITIONS["addresses.resolved_url"][0](href, base)
