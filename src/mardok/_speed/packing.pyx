# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""The blocks of several pages as columns, compiled; :mod:`mardok.extract.batch` says what they hold.

In:  the blocks of each page.
Out: columns of the different blocks and of their links.
"""

from cpython cimport array
from cpython.mem cimport PyMem_Calloc, PyMem_Free
from cpython.tuple cimport PyTuple_GET_ITEM
from cpython.unicode cimport PyUnicode_DATA, PyUnicode_GET_LENGTH, PyUnicode_KIND, PyUnicode_READ
from libc.stdint cimport uintptr_t

import array

from mardok.extract.page import Block, Link

cdef extern from "Python.h":
    bint Py_UNICODE_ISALNUM(Py_UCS4)

cdef array.array _INTS = array.array("i")
cdef array.array _BYTES = array.array("b")


cdef struct Met:
    void *block
    int number


cdef class _Numbers:
    """Values that recur, each with a number."""

    cdef dict known

    def __cinit__(self):
        self.known = {}

    cdef inline int number(self, value) except -1:
        found = self.known.get(value)
        if found is None:
            found = len(self.known)
            self.known[value] = found
        return found


cdef inline bint _is_letter(Py_UCS4 sign) noexcept:
    if sign < 0x80:
        return c"a" <= sign <= c"z" or c"A" <= sign <= c"Z" or c"0" <= sign <= c"9"
    return Py_UNICODE_ISALNUM(sign)


cdef inline object _field(record, kind, int number):
    """One field of a record, whose kind says how many it has."""
    if type(record) is not kind:
        raise TypeError(f"{record!r} is no {kind.__name__}")
    return <object>PyTuple_GET_ITEM(record, number)


cdef int _letters(str text, tuple links, int *n_letters, int *n_linked) except -1:
    """Count letters and digits of a text, and how many of them links cover."""
    cdef int kind = PyUnicode_KIND(text)
    cdef void *data = PyUnicode_DATA(text)
    cdef Py_ssize_t n = PyUnicode_GET_LENGTH(text), at, start, end
    for at in range(n):
        n_letters[0] += _is_letter(PyUnicode_READ(kind, data, at))
    for link in links:
        start, end = _field(link, Link, 3), _field(link, Link, 4)
        for at in range(max(start, 0), min(end, n)):
            n_linked[0] += _is_letter(PyUnicode_READ(kind, data, at))
    return 0


cdef array.array _places(list pages, list blocks):
    """The number of the block at each place; puts the different ones into a list."""
    cdef Py_ssize_t n_places = 0, n_slots = 16, slot, k = 0
    cdef tuple page
    cdef dict numbers = {}
    cdef Met *met
    for page in pages:
        n_places += len(page)
    while n_slots < 2 * n_places:
        n_slots *= 2
    cdef array.array places = array.clone(_INTS, n_places, False)
    # The blocks of a template are the same objects on most pages, and an object is looked up faster than what it holds.
    met = <Met *>PyMem_Calloc(n_slots, sizeof(Met))
    if met == NULL:
        raise MemoryError
    try:
        for page in pages:
            for block in page:
                slot = (<uintptr_t><void *>block >> 4) * 0x9E3779B1 & (n_slots - 1)
                while met[slot].block != NULL and met[slot].block != <void *>block:
                    slot = (slot + 1) & (n_slots - 1)
                if met[slot].block == NULL:
                    number = numbers.get(block)
                    if number is None:
                        number = numbers[block] = len(blocks)
                        blocks.append(block)
                    met[slot].block, met[slot].number = <void *>block, number
                places.data.as_ints[k] = met[slot].number
                k += 1
    finally:
        PyMem_Free(met)
    return places


def packed_blocks(pages):
    """See :func:`mardok.extract.batch.packed_blocks`."""
    from mardok.extract.batch import Coded, PackedBlocks

    cdef list blocks = []
    cdef array.array places = _places(list(pages), blocks)
    cdef Py_ssize_t n_blocks = len(blocks), total = 0, k = 0, at = 0
    cdef tuple links
    cdef str text
    for block in blocks:
        total += len(<tuple>_field(block, Block, 2))
    cdef array.array context = array.clone(_INTS, n_blocks, False), n_links = array.clone(_INTS, n_blocks, False)
    cdef array.array n_letters = array.clone(_INTS, n_blocks, True), n_linked = array.clone(_INTS, n_blocks, True)
    cdef array.array joint = array.clone(_BYTES, n_blocks, False)
    cdef array.array url = array.clone(_INTS, total, False), anchor = array.clone(_INTS, total, False)
    cdef array.array rel = array.clone(_INTS, total, False)
    cdef array.array start = array.clone(_INTS, total, False), end = array.clone(_INTS, total, False)
    cdef _Numbers contexts = _Numbers(), urls = _Numbers(), anchors = _Numbers(), rels = _Numbers()
    cdef list texts = []
    for block in blocks:
        text, links = _field(block, Block, 0), _field(block, Block, 2)
        texts.append(text)
        context.data.as_ints[k] = contexts.number(_field(block, Block, 1))
        joint.data.as_schars[k] = _field(block, Block, 3)
        n_links.data.as_ints[k] = <int>len(links)
        if links:
            _letters(text, links, &n_letters.data.as_ints[k], &n_linked.data.as_ints[k])
        for link in links:
            url.data.as_ints[at] = urls.number(_field(link, Link, 0))
            anchor.data.as_ints[at] = anchors.number(_field(link, Link, 1))
            rel.data.as_ints[at] = rels.number(_field(link, Link, 2))
            start.data.as_ints[at] = _field(link, Link, 3)
            end.data.as_ints[at] = _field(link, Link, 4)
            at += 1
        k += 1
    return PackedBlocks(
        places, tuple(texts), tuple(contexts.known), context, n_links,
        Coded(tuple(urls.known), url), Coded(tuple(anchors.known), anchor), Coded(tuple(rels.known), rel),
        start, end, joint, n_letters, n_linked,
    )
