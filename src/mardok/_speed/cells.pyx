# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Rows of CSV, compiled; :mod:`mardok.cells` says what stands in them.

In:  columns of values.
Out: the bytes of their rows.
"""

from cpython.bytes cimport PyBytes_AS_STRING, PyBytes_FromStringAndSize, PyBytes_GET_SIZE
from cpython.mem cimport PyMem_Free, PyMem_Realloc
from cpython.unicode cimport PyUnicode_DATA, PyUnicode_GET_LENGTH, PyUnicode_KIND
from libc.math cimport isnan
from libc.string cimport memcpy

from mardok.cells import neutral_cell


cdef extern from "Python.h":
    bint PyUnicode_IS_ASCII(object)
    char *PyOS_double_to_string(double, char, int, int, int *) except NULL
    int Py_DTSF_ADD_DOT_0


cdef class _Rows:
    """Bytes that grow."""

    cdef char *_raw
    cdef Py_ssize_t _n, _room

    def __dealloc__(self):
        PyMem_Free(self._raw)

    cdef int _make_room(self, Py_ssize_t more) except -1:
        cdef Py_ssize_t room
        cdef char *raw
        if self._n + more > self._room:
            room = 2 * (self._n + more) + 1024
            raw = <char *>PyMem_Realloc(self._raw, room)
            if raw == NULL:
                raise MemoryError
            self._raw, self._room = raw, room
        return 0

    cdef int sign(self, char sign) except -1:
        self._make_room(1)
        self._raw[self._n] = sign
        self._n += 1
        return 0

    cdef int plain(self, const char *signs, Py_ssize_t n) except -1:
        self._make_room(n)
        memcpy(self._raw + self._n, signs, n)
        self._n += n
        return 0

    cdef int quoted(self, const char *signs, Py_ssize_t n) except -1:
        """Signs between quotes if they hold one that ends a cell, each quote among them twice."""
        cdef Py_ssize_t k
        for k in range(n):
            if signs[k] == b"," or signs[k] == b'"' or signs[k] == b"\n" or signs[k] == b"\r":
                break
        else:
            return self.plain(signs, n)
        self._make_room(2 * n + 2)
        self._raw[self._n] = b'"'
        self._n += 1
        for k in range(n):
            if signs[k] == b'"':
                self._raw[self._n] = b'"'
                self._n += 1
            self._raw[self._n] = signs[k]
            self._n += 1
        self._raw[self._n] = b'"'
        self._n += 1
        return 0

    cdef int text(self, str text) except -1:
        cdef const unsigned char *signs
        cdef Py_ssize_t k, n = PyUnicode_GET_LENGTH(text)
        cdef bytes raw
        if n == 0:
            return 0
        if PyUnicode_IS_ASCII(text):
            signs = <const unsigned char *>PyUnicode_DATA(text)
            if not (signs[0] == b"'" or signs[0] == b"=" or signs[0] == b"+" or signs[0] == b"-" or signs[0] == b"@"):
                for k in range(n):
                    if signs[k] < 0x20 or signs[k] == 0x7F:
                        break
                else:
                    return self.quoted(<const char *>signs, n)
        raw = neutral_cell(text).encode("utf-8", "replace")
        return self.quoted(PyBytes_AS_STRING(raw), PyBytes_GET_SIZE(raw))

    cdef int number(self, double value, digits) except -1:
        cdef char *signs
        cdef Py_ssize_t n = 0, first = 1
        if isnan(value):
            return 0
        if digits is None:
            signs = PyOS_double_to_string(value, b"r", 0, Py_DTSF_ADD_DOT_0, NULL)
        else:
            signs = PyOS_double_to_string(value, b"f", digits, 0, NULL)
        try:
            while signs[n]:
                n += 1
            if signs[0] == b"-":
                while signs[first] == b"0" or signs[first] == b".":
                    first += 1
            # A number of which nothing but noughts is left has no sign.
            first = 1 if signs[0] == b"-" and first == n else 0
            self.plain(signs + first, n - first)
        finally:
            PyMem_Free(signs)
        return 0

    cdef int whole(self, value) except -1:
        cdef char digits[24]
        cdef int at = 24
        cdef bytes raw
        cdef long long left
        try:
            left = value
        except OverflowError:
            raw = str(value).encode()
            return self.plain(PyBytes_AS_STRING(raw), PyBytes_GET_SIZE(raw))
        if left < 0:
            raw = str(value).encode()
            return self.plain(PyBytes_AS_STRING(raw), PyBytes_GET_SIZE(raw))
        while True:
            at -= 1
            digits[at] = <char>(48 + left % 10)  # 48 is "0"
            left //= 10
            if left == 0:
                break
        return self.plain(digits + at, 24 - at)

    cdef bytes finished(self):
        return PyBytes_FromStringAndSize(self._raw, self._n)


def csv_rows(columns, decimals):
    """See :func:`mardok.cells.csv_rows`."""
    cdef _Rows rows = _Rows()
    cdef list values = [list(one) for one in columns], digits = []
    cdef Py_ssize_t n_columns = len(values), n_rows = len(values[0]) if values else 0, row, column, before
    for one, its in zip(values, decimals, strict=True):
        of_rows = None if its is None or isinstance(its, int) else list(its)
        if len(one) != n_rows or (of_rows is not None and len(of_rows) != n_rows):
            raise ValueError("the columns are not of one length")
        digits.append(its if of_rows is None else of_rows)
    for row in range(n_rows):
        before = rows._n
        for column in range(n_columns):
            if column:
                rows.sign(b",")
            value = (<list>values[column])[row]
            if type(value) is str:
                rows.text(value)
            elif type(value) is float:
                its = digits[column]
                rows.number(value, (<list>its)[row] if type(its) is list else its)
            elif value is True:
                rows.plain(b"true", 4)
            elif value is False:
                rows.plain(b"false", 5)
            elif isinstance(value, str):
                rows.text(str(value))
            elif value is not None:
                rows.whole(value)
        if n_columns == 1 and rows._n == before:  # an empty line would be no row
            rows.plain(b'""', 2)
        rows.sign(b"\n")
    return rows.finished()
