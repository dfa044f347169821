"""What the compiled modules share: where a sign stands in a text, and what is white space.

In:  a text, by the kind and place of its characters and their number; a sign.
Out: places; whether it is white space.
"""

from cpython.unicode cimport PyUnicode_FindChar
from libc.stdint cimport uint64_t
from libc.string cimport memchr, memcpy

cdef extern from "Python.h":
    bint Py_UNICODE_ISSPACE(Py_UCS4)


cdef enum:
    NEAR = 64  # characters


cdef inline Py_ssize_t place_of(str text, int kind, void *data, Py_ssize_t n, Py_UCS4 sign, Py_ssize_t start) noexcept:
    """Where a sign in ASCII stands next, from a place on; -1 if it does not."""
    cdef unsigned char *found
    cdef unsigned short *pairs = <unsigned short *>data
    cdef Py_ssize_t near
    cdef uint64_t four, ones = <uint64_t>0x0001000100010001
    if start >= n:
        return -1
    # The next tag is near: the call of the interpreter's search costs more than the search.
    if kind == 2:
        near = min(n, start + NEAR)
        while start + 4 <= near:
            memcpy(&four, pairs + start, 8)
            four ^= <uint64_t>sign * ones
            if (four - ones) & ~four & <uint64_t>0x8000800080008000:  # one of the four is the sign
                near = start + 4
                break
            start += 4
        while start < near:
            if pairs[start] == sign:
                return start
            start += 1
    if kind != 1:
        return PyUnicode_FindChar(text, sign, start, n, 1)
    found = <unsigned char *>memchr(<unsigned char *>data + start, <int>sign, n - start)
    return found - <unsigned char *>data if found != NULL else -1


cdef inline bint is_space(Py_UCS4 sign) noexcept:
    """White space of Unicode: of what is no ASCII few signs need to be looked up."""
    if sign < 0x80:
        return sign == c" " or 9 <= sign <= 13 or 0x1C <= sign <= 0x1F
    return (sign <= 0xA0 or sign == 0x1680 or 0x2000 <= sign <= 0x3000) and Py_UNICODE_ISSPACE(sign)
