"""Where a sign stands in a text: what the compiled modules share.

In:  a text, by the kind and place of its characters and their number.
Out: places.
"""

from cpython.unicode cimport PyUnicode_FindChar
from libc.string cimport memchr


cdef inline Py_ssize_t place_of(str text, int kind, void *data, Py_ssize_t n, Py_UCS4 sign, Py_ssize_t start) noexcept:
    """Where a sign in ASCII stands next, from a place on; -1 if it does not."""
    cdef unsigned char *found
    if start >= n:
        return -1
    if kind != 1:
        return PyUnicode_FindChar(text, sign, start, n, 1)
    # The next tag is near: the call of the interpreter's search costs more than the search.
    found = <unsigned char *>memchr(<unsigned char *>data + start, <int>sign, n - start)
    return found - <unsigned char *>data if found != NULL else -1
