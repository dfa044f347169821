# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""What :mod:`mardok.extract.html` and :mod:`mardok.extract.block_builder` do at each tag, compiled.

In:  a document in the parser's canonical form; blocks and links as they begin and end.
Out: the same blocks and links as those modules make, which say why each step is as it is.

Places in a document come only from searches within it, and each is held against its length before it is used.
"""

from cpython.mem cimport PyMem_Free, PyMem_Malloc, PyMem_Realloc
from cpython.ref cimport Py_INCREF
from cpython.tuple cimport PyTuple_SET_ITEM
from cpython.unicode cimport (
    PyUnicode_DATA,
    PyUnicode_FindChar,
    PyUnicode_FromKindAndData,
    PyUnicode_GET_LENGTH,
    PyUnicode_KIND,
    PyUnicode_READ,
    PyUnicode_Substring,
)
from libc.string cimport memcpy

import re

from mardok._speed.characters cimport is_space, place_of
from mardok.extract.markup import rel_of, unescaped, value_of
from mardok.extract.page import Block, Image, Link
from mardok.extract.tags import KNOWN_TAGS, tag_of
from mardok.extract.template_cache import STAND_IN
from mardok.urls import resolved_url

cdef extern from "Python.h":
    bint Py_UNICODE_ISSPACE(Py_UCS4)
    bint Py_UNICODE_ISALNUM(Py_UCS4)
    ctypedef struct PyTypeObject:
        pass
    object PyType_GenericAlloc(PyTypeObject *, Py_ssize_t)

cdef enum:
    PLACE_END = 1  # the marks of mardok.extract.block_builder
    BEGIN_LINK_MARK = 2
    END_LINK_MARK = 3
    NO_JOINT = 127
    BEGIN_BLOCK = 0  # the numbers of mardok.extract.tags
    END_BLOCK = 1
    BEGIN_INLINE = 2
    END_INLINE = 3
    BEGIN_LINK = 4
    END_LINK = 5
    OTHER = 6
    SIDE_BY_SIDE = 1  # what is odd in a text: links that follow one another
    SPACE_FIRST = 2  # a space inside the begin of a link, or inside its end
    SPACE_LAST = 4
    WORDLESS = 8  # a link without words

cdef object _STAND_IN = re.compile(STAND_IN)
cdef frozenset _PLAIN_VOIDS = frozenset(["br", "hr", "wbr"])  # void elements that only part blocks or words


cdef inline int _put(record, Py_ssize_t number, value) except -1:
    """Put a field into a record that was just made; the record keeps its own hold of it."""
    Py_INCREF(value)
    PyTuple_SET_ITEM(record, number, value)
    return 0


# Called by its name, a named tuple first makes the tuple that it is made from: there are hundreds of them on a page.
cdef inline object _block(str text, context, tuple links, joint):
    cdef object record = PyType_GenericAlloc(<PyTypeObject *>Block, 4)
    _put(record, 0, text)
    _put(record, 1, context)
    _put(record, 2, links)
    _put(record, 3, joint)
    return record


cdef inline object _link(url, str anchor, str rel, start, end):
    cdef object record = PyType_GenericAlloc(<PyTypeObject *>Link, 5)
    _put(record, 0, url)
    _put(record, 1, anchor)
    _put(record, 2, rel)
    _put(record, 3, start)
    _put(record, 4, end)
    return record


cdef inline object _image(str url, alt):
    cdef object record = PyType_GenericAlloc(<PyTypeObject *>Image, 2)
    _put(record, 0, url)
    _put(record, 1, alt)
    return record


cdef class OpenLink:
    """A link as it is being read; see :class:`mardok.extract.block_builder.OpenLink`."""

    cdef public object url
    cdef public str rel
    cdef public bint in_page
    cdef public str alt
    cdef public bint has_image
    cdef public Py_ssize_t first
    cdef public bint is_from_before
    cdef public Py_ssize_t n_stretches
    cdef public list texts

    def __init__(self, url, str rel, bint in_page):
        self.url, self.rel, self.in_page = url, rel, in_page
        self.alt = ""
        self.n_stretches = 1


cdef struct Text:
    Py_UCS4 *data
    Py_ssize_t n
    Py_ssize_t room


cdef int _make_room(Text *text, Py_ssize_t more) except -1:
    cdef Py_ssize_t room
    cdef void *data
    if text.n + more > text.room:
        room = max(2 * text.room, text.n + more, 1024)
        data = PyMem_Realloc(text.data, room * sizeof(Py_UCS4))
        if data == NULL:
            raise MemoryError
        text.data, text.room = <Py_UCS4 *>data, room
    return 0


cdef int _add_range(Text *text, str source, Py_ssize_t start, Py_ssize_t end) except -1:
    """Put characters of a string behind a text."""
    cdef int kind = PyUnicode_KIND(source)
    cdef void *data = PyUnicode_DATA(source)
    cdef Py_ssize_t at
    cdef Py_UCS4 *out
    _make_room(text, end - start)
    out = text.data + text.n
    if kind == 1:
        for at in range(end - start):
            out[at] = (<unsigned char *>data)[start + at]
    elif kind == 2:
        for at in range(end - start):
            out[at] = (<unsigned short *>data)[start + at]
    else:
        for at in range(end - start):
            out[at] = (<Py_UCS4 *>data)[start + at]
    text.n += end - start
    return 0


cdef int _add_sign(Text *text, Py_UCS4 sign) except -1:
    _make_room(text, 1)
    text.data[text.n] = sign
    text.n += 1
    return 0


cdef inline bint _reads(Py_UCS4 *data, Py_ssize_t at, Py_ssize_t n, const char *word, Py_ssize_t length) noexcept:
    """Whether a word in ASCII stands at a place."""
    cdef Py_ssize_t k
    if at + length > n:
        return False
    for k in range(length):
        if data[at + k] != <unsigned char>word[k]:
            return False
    return True


cdef inline Py_ssize_t _reference(Py_UCS4 *data, Py_ssize_t at, Py_ssize_t n, Py_UCS4 *sign) noexcept:
    """Length of the character reference at an ampersand, 0 if there is none that the parser writes; what it stands for."""
    if _reads(data, at, n, b"&amp;", 5):
        sign[0] = c"&"
        return 5
    if _reads(data, at, n, b"&nbsp;", 6):
        sign[0] = 0xA0
        return 6
    if _reads(data, at, n, b"&lt;", 4):
        sign[0] = c"<"
        return 4
    if _reads(data, at, n, b"&gt;", 4):
        sign[0] = c">"
        return 4
    if _reads(data, at, n, b"&quot;", 6):
        sign[0] = c'"'
        return 6
    return 0


cdef Py_ssize_t _collapsed(Py_UCS4 *data, Py_ssize_t n, Py_UCS4 *out) except -1:
    """Write a text with references resolved, each run of white space as one space, and spaces out of the ends of links.

    The length that is written, of `n` and as many signs more as it has links at most. What is odd is put right in each block
    for itself: few have anything.
    """
    cdef Py_ssize_t at = 0, end = 0, length, block = 0
    cdef Py_UCS4 sign, before = 0
    cdef bint is_parted = False
    cdef int odd = 0
    while at < n:
        sign = data[at]
        if (0x26 < sign <= 0x7E) or (0xA0 < sign < 0x1680) or sign > 0x3000:  # surely no space, no mark and no reference
            at += 1
            if not is_parted:
                out[end] = before = sign
                end += 1
                continue
        else:
            length = 0
            if sign == c"&":
                length = _reference(data, at, n, &sign)
            at += length if length else 1
            if is_space(sign):
                is_parted = True
                continue
        if is_parted and end:
            if before == BEGIN_LINK_MARK:
                odd |= SPACE_FIRST if sign != END_LINK_MARK else SPACE_FIRST | WORDLESS
            elif sign == END_LINK_MARK:
                odd |= SPACE_LAST
            out[end] = c" "
            end += 1
        elif sign < 4:
            if before == BEGIN_LINK_MARK and sign == END_LINK_MARK:
                odd |= WORDLESS
            elif before == END_LINK_MARK and sign == BEGIN_LINK_MARK:
                odd |= SIDE_BY_SIDE
        is_parted = False
        if sign == PLACE_END:
            if odd:
                end = block + _put_right(out + block, end - block, odd)
                odd = 0
            block = end + 1
        out[end] = before = sign
        end += 1
    return block + _put_right(out + block, end - block, odd) if odd else end


cdef Py_ssize_t _put_right(Py_UCS4 *data, Py_ssize_t n, int odd) except -1:
    """Put right what is odd in one block, in place; its length then."""
    if odd & SIDE_BY_SIDE:
        n = _part_rows(data, n)
    if odd & (SPACE_FIRST | SIDE_BY_SIDE):
        _swap(data, n, BEGIN_LINK_MARK, c" ")
    if odd & SPACE_LAST:
        _swap(data, n, c" ", END_LINK_MARK)
    if odd & WORDLESS:
        n = _with_bare_behind(data, n)
    return _with_single_spaces(data, n)


cdef inline bint _is_mark(Py_UCS4 sign) noexcept:
    return sign == BEGIN_LINK_MARK or sign == END_LINK_MARK


cdef void _swap(Py_UCS4 *data, Py_ssize_t n, Py_UCS4 one, Py_UCS4 other) noexcept:
    """Put each pair of signs the other way round."""
    cdef Py_ssize_t at = 0
    while at < n - 1:
        if data[at] == one and data[at + 1] == other:
            data[at], data[at + 1] = other, one
            at += 1
        at += 1


cdef inline Py_ssize_t _end_of_link(Py_UCS4 *data, Py_ssize_t n, Py_ssize_t at) noexcept:
    """Behind a link with words that begins at a place; -1 if there is none."""
    cdef Py_ssize_t end = at + 1
    if at >= n or data[at] != BEGIN_LINK_MARK:
        return -1
    while end < n and data[end] != BEGIN_LINK_MARK and data[end] != END_LINK_MARK:
        end += 1
    return end + 1 if at + 1 < end < n and data[end] == END_LINK_MARK else -1


cdef Py_ssize_t _part_rows(Py_UCS4 *data, Py_ssize_t n) except -1:
    """Put a space before the first of several links with words that follow one another, and between them; the new length."""
    cdef Py_ssize_t at = 0, out = 0, end, next_end
    cdef Py_UCS4 *before = <Py_UCS4 *>PyMem_Malloc((n + 1) * sizeof(Py_UCS4))
    if before == NULL:
        raise MemoryError
    memcpy(before, data, n * sizeof(Py_UCS4))
    while at < n:
        end = _end_of_link(before, n, at)
        next_end = _end_of_link(before, n, end) if end >= 0 else -1
        if next_end < 0:
            data[out] = before[at]
            out += 1
            at += 1
            continue
        while end >= 0:
            data[out] = c" "
            out += 1
            while at < end:
                data[out] = before[at]
                out += 1
                at += 1
            end = _end_of_link(before, n, at)
    PyMem_Free(before)
    return out


cdef Py_ssize_t _with_bare_behind(Py_UCS4 *data, Py_ssize_t n) noexcept:
    """Put the space around links without words before them, in place; the length that is left."""
    cdef Py_ssize_t at = 0, end = 0, last, k, n_bare
    cdef bint is_after_space = False, has_space
    while at < n:
        if not is_after_space:
            last = at
            while last < n and data[last] == c" ":
                last += 1
            if last + 1 < n and data[last] == BEGIN_LINK_MARK and data[last + 1] == END_LINK_MARK:
                has_space = last > at
                n_bare = 0
                k = last
                while k + 1 < n and data[k] == BEGIN_LINK_MARK and data[k + 1] == END_LINK_MARK:
                    k += 2
                    n_bare += 1
                    while k < n and data[k] == c" ":
                        has_space = True
                        k += 1
                is_after_space = data[k - 1] == c" "
                if has_space:
                    data[end] = c" "
                    end += 1
                for last in range(n_bare):
                    data[end], data[end + 1] = BEGIN_LINK_MARK, END_LINK_MARK
                    end += 2
                at = k
                continue
        is_after_space = data[at] == c" "
        data[end] = data[at]
        end += 1
        at += 1
    return end


cdef Py_ssize_t _with_single_spaces(Py_UCS4 *data, Py_ssize_t n) noexcept:
    cdef Py_ssize_t at, end = 0
    for at in range(n):
        if data[at] == c" " and end and data[end - 1] == c" ":
            continue
        data[end] = data[at]
        end += 1
    return end


cdef class BlockBuilder:
    """Texts and links as they come, and the blocks they make; see :class:`mardok.extract.block_builder.BlockBuilder`."""

    cdef Text _text
    cdef bint _at_end
    cdef public list contexts
    cdef public Py_ssize_t joint
    cdef public OpenLink link
    cdef list _joints
    cdef list _stretches
    cdef list _has_words
    cdef dict _inserted

    def __cinit__(self, Py_ssize_t joint=0):
        self._text = Text(NULL, 0, 0)
        self._at_end = True
        self.contexts, self._joints, self._stretches, self._has_words = [], [], [], []
        self.joint = joint
        self._inserted = {}

    def __dealloc__(self):
        PyMem_Free(self._text.data)

    cpdef add(self, str text):
        _add_range(&self._text, text, 0, PyUnicode_GET_LENGTH(text))
        self._at_end = False

    cpdef end_block(self, state):
        if self._at_end:
            return
        cdef OpenLink link = self.link
        if link is not None:
            _add_sign(&self._text, END_LINK_MARK)
        _add_sign(&self._text, c" ")
        _add_sign(&self._text, PLACE_END)
        _add_sign(&self._text, c" ")
        self._at_end = True
        self.contexts.append(state.context)
        self._joints.append(self.joint)
        self.joint = state.depth
        if link is not None:
            link.is_from_before = True
            link.n_stretches += 1
            self.begin_link(link)

    def insert(self, blocks):
        cdef list before = self._inserted.get(len(self.contexts))
        if before is None:
            before = self._inserted[len(self.contexts)] = []
        before.extend(blocks)

    def insert_part(self, blocks, Py_ssize_t depth):
        self.insert(_joined(self.joint, blocks))
        for block in blocks:
            if block[0]:
                self.joint = depth
                break

    cpdef begin_link(self, OpenLink link):
        self.link = link
        _add_sign(&self._text, BEGIN_LINK_MARK)
        self._at_end = False
        self._stretches.append(link)
        if link.in_page:
            link.first = self._text.n

    cpdef end_link(self):
        cdef OpenLink link = self.link
        if link is None:
            return
        self.link = None
        if link.in_page and not link.is_from_before and not link.has_image and not self._has_letters(link.first):
            self._text.n = link.first
        _add_sign(&self._text, END_LINK_MARK)
        self._at_end = False

    cdef bint _has_letters(self, Py_ssize_t first) noexcept:
        """Whether there is a letter or digit from a place on."""
        cdef Py_ssize_t at = first, length
        cdef Py_UCS4 sign
        while at < self._text.n:
            sign = self._text.data[at]
            length = 0
            if sign == c"&":
                length = _reference(self._text.data, at, self._text.n, &sign)
            if Py_UNICODE_ISALNUM(sign):
                return True
            at += length if length else 1
        return False

    cdef int _arrange(self) except -1:
        """Make the text what it is when all blocks have ended: parts with marks wherever a link begins or ends."""
        cdef Text out = Text(NULL, 0, 0)
        try:
            _make_room(&out, self._text.n + self._text.n // 2 + 1)  # a link has two marks, and may get a space
            out.n = _collapsed(self._text.data, self._text.n, out.data)
            self._text, out = out, self._text
        finally:
            PyMem_Free(out.data)
        return 0

    def blocks(self):
        if not self.contexts:
            return self._inserted.get(0, [])
        self._arrange()
        cdef Py_UCS4 *data = self._text.data
        cdef Py_ssize_t n = self._text.n, begin = 0, end, start, stop, number, n_marks, at, dropped = NO_JOINT, joint
        cdef Py_ssize_t n_blocks = len(self.contexts), first = 0
        cdef bint has_words
        cdef list result = [], over_blocks = [], before
        for number in range(n_blocks):
            if begin > n:  # no mark has ended this block
                break
            end = begin
            n_marks = 0
            while end < n and data[end] != PLACE_END:
                n_marks += _is_mark(data[end])
                end += 1
            start, stop = begin, end
            begin = end + 1
            while start < stop and data[start] == c" ":
                start += 1
            while stop > start and data[stop - 1] == c" ":
                stop -= 1
            has_words = stop - start > n_marks  # a space between marks is a sign, too
            self._has_words.append(has_words)
            context = self.contexts[number]
            joint = self._joints[number]
            before = self._inserted.get(number)
            if before is not None:
                result.extend(_joined(dropped, before))
                for block in before:
                    if block[0]:
                        dropped = NO_JOINT
                        break
            if dropped < joint:
                joint = dropped
            if not n_marks:
                if stop > start:
                    text = PyUnicode_FromKindAndData(4, data + start, stop - start)
                    result.append(_block(text, context, (), joint))
                    dropped = NO_JOINT
                else:
                    dropped = joint
                continue
            dropped = self._block_with_links(result, over_blocks, start, stop, first, n_marks // 2, context, joint)
            first += n_marks // 2
        result.extend(_joined(dropped, self._inserted.get(n_blocks, ())))
        for place, rank, link in over_blocks:
            known = list(result[place].links)
            known[rank] = known[rank]._replace(anchor=" ".join(link.texts or ()))
            result[place] = result[place]._replace(links=tuple(known))
        return result

    cdef Py_ssize_t _block_with_links(
        self, list result, list over_blocks, Py_ssize_t start, Py_ssize_t stop, Py_ssize_t first, Py_ssize_t n_links,
        context, Py_ssize_t joint
    ) except -1:
        """Put a block with marks behind the others, and its links without words into one of their own; what was dropped."""
        cdef Py_UCS4 *data = self._text.data
        cdef Py_ssize_t at = start, end = start, begin, k, n_written
        cdef OpenLink link
        cdef list links = [], bare = []
        # The characters move to the front over the marks, and tell where the links stand.
        for k in range(n_links + 1):
            while at < stop and not _is_mark(data[at]):
                data[end] = data[at]
                end += 1
                at += 1
            if k == n_links:
                break
            at += 1
            begin = end
            while at < stop and not _is_mark(data[at]):
                data[end] = data[at]
                end += 1
                at += 1
            at += 1
            if first + k >= len(self._stretches):
                continue
            link = self._stretches[first + k]
            if link.url is None:
                continue
            words = PyUnicode_FromKindAndData(4, data + begin, end - begin)
            if link.n_stretches == 1 and link.texts is None:
                if words:
                    links.append(_link(link.url, words, link.rel, begin - start, end - start))
                else:
                    bare.append(_link(link.url, link.alt, link.rel, 0, 0))
                continue
            link.n_stretches -= 1
            if words and link.texts is None:
                link.texts = []
                over_blocks.append((len(result), len(links), link))
                links.append(_link(link.url, words, link.rel, begin - start, end - start))
            if words and link.texts is not None:
                link.texts.append(words)
        while end > start and data[end - 1] == c" ":
            end -= 1
        if end > start:
            text = PyUnicode_FromKindAndData(4, data + start, end - start)
            result.append(_block(text, context, tuple(links), joint))
        if bare:
            result.append(_block("", context, tuple(bare), NO_JOINT))
        return NO_JOINT if end > start else joint

    def is_h1(self, Py_ssize_t number):
        if not 0 <= number < len(self.contexts):
            return False
        return self.contexts[number].level == 1 and bool(self._has_words[number])


def _joined(joint, blocks):
    cdef Py_ssize_t at = 0
    for block in blocks:
        if block[0]:
            if block[3] <= joint:
                return blocks
            return [*blocks[:at], block._replace(joint=joint), *blocks[at + 1 :]]
        at += 1
    return blocks


cdef struct Token:
    Py_ssize_t start
    Py_ssize_t end
    int kind  # 0 none, 1 a tag, 2 a part, 3 what holds no markup


cdef class _Scanner:
    """Finds the tags of a document, and the parts and raw texts that are taken whole."""

    cdef str html
    cdef int kind
    cdef void *data
    cdef Py_ssize_t n
    cdef bint is_part
    cdef bint has_no_end

    def __cinit__(self, str html, bint is_part):
        self.html, self.is_part = html, is_part
        self.kind, self.data, self.n = PyUnicode_KIND(html), PyUnicode_DATA(html), PyUnicode_GET_LENGTH(html)

    cdef inline Py_UCS4 sign(self, Py_ssize_t at) noexcept:
        return PyUnicode_READ(self.kind, self.data, at) if at < self.n else 0

    cdef inline bint reads(self, Py_ssize_t at, const char *word, Py_ssize_t length) noexcept:
        cdef Py_ssize_t k
        if at + length > self.n:
            return False
        for k in range(length):
            if PyUnicode_READ(self.kind, self.data, at + k) != <unsigned char>word[k]:
                return False
        return True

    cdef inline Py_ssize_t find(self, Py_UCS4 sign, Py_ssize_t start) noexcept:
        return place_of(self.html, self.kind, self.data, self.n, sign, start)

    cdef Py_ssize_t find_end(self, const char *name, Py_ssize_t length, Py_ssize_t start) except -2:
        """Where the end tag of an element begins, -1 if there is none."""
        cdef Py_ssize_t at = self.find(c"<", start)
        while at >= 0:
            if self.sign(at + 1) == c"/" and self.reads(at + 2, name, length) and self.sign(at + 2 + length) == c">":
                return at
            at = self.find(c"<", at + 1)
        return -1

    cdef bint is_word(self, Py_ssize_t at, const char *name, Py_ssize_t length) noexcept:
        """Whether a name stands at a place, and no letter after it."""
        cdef Py_UCS4 after
        if not self.reads(at, name, length):
            return False
        after = self.sign(at + length)
        return at + length >= self.n or not (after == c"_" or Py_UNICODE_ISALNUM(after))

    cdef bint may_not_be_inside(self, Py_ssize_t at, const char *name, Py_ssize_t length) noexcept:
        """Whether what begins behind a ``<`` ends the search for the end of a part."""
        cdef Py_UCS4 sign = self.sign(at)
        if sign == c"!":
            return True
        if sign == c"/":
            at += 1
            sign = self.sign(at)
        if self.is_word(at, name, length):
            return True
        if sign == c"b":
            return self.is_word(at, b"base", 4)
        if sign == c"m":
            return self.is_word(at, b"meta", 4)
        if sign == c"s":
            return self.is_word(at, b"script", 6) or self.is_word(at, b"style", 5)
        if sign == c"i":
            return self.is_word(at, b"iframe", 6)
        if sign == c"n":
            return self.is_word(at, b"noembed", 7) or self.is_word(at, b"noframes", 8)
        if sign == c"p":
            return self.is_word(at, b"plaintext", 9)
        if sign == c"x":
            return self.is_word(at, b"xmp", 3)
        return False

    cdef Py_ssize_t part_end(self, Py_ssize_t at, const char *name, Py_ssize_t length) except -2:
        """End of a part whose name stands at a place; -1 if it is none that is taken whole."""
        cdef Py_ssize_t end
        cdef Py_UCS4 sign
        if not self.reads(at, name, length):
            return -1
        at += length
        sign = self.sign(at)
        if sign != c">":
            if at >= self.n or not Py_UNICODE_ISSPACE(sign):
                return -1
            at = self.find(c">", at)
            if at < 0:
                return -1
        at = self.find(c"<", at + 1)
        while at >= 0:
            if self.may_not_be_inside(at + 1, name, length):
                break
            at = self.find(c"<", at + 1)
        if at < 0 or self.sign(at + 1) != c"/" or not self.reads(at + 2, name, length):
            return -1
        end = at + 2 + length
        return end + 1 if self.sign(end) == c">" else -1

    cdef Py_ssize_t raw_end(self, Py_ssize_t at, const char *name, Py_ssize_t length) except -2:
        """End of an element without markup whose name stands at a place; -1 if it is none."""
        cdef Py_UCS4 sign
        cdef Py_ssize_t end
        if not self.reads(at, name, length):
            return -1
        sign = self.sign(at + length)
        if sign != c" " and sign != c">":
            return -1
        end = self.find_end(name, length, at + length)
        return end + length + 3 if end >= 0 else -1

    cdef Py_ssize_t comment_end(self, Py_ssize_t at) except -2:
        cdef Py_ssize_t end = self.find(c">", at + 2)
        while end >= 0:
            if end >= at + 2 and self.sign(end - 1) == c"-" and self.sign(end - 2) == c"-":
                return end + 1
            end = self.find(c">", end + 1)
        return -1

    cdef Py_ssize_t whole(self, Py_ssize_t at, int *kind) except -2:
        """End of what is taken whole and begins behind a ``<``; -1 if nothing is."""
        cdef Py_UCS4 sign = self.sign(at)
        cdef Py_ssize_t end = -1
        kind[0] = 3
        if sign == c"!":
            return self.comment_end(at + 3) if self.reads(at, b"!--", 3) else -1
        if sign == c"s":
            end = self.raw_end(at, b"script", 6)
            return end if end >= 0 else self.raw_end(at, b"style", 5)
        if sign == c"i":
            return self.raw_end(at, b"iframe", 6)
        if sign == c"x":
            return self.raw_end(at, b"xmp", 3)
        if sign == c"p" and self.reads(at, b"plaintext", 9):
            return self.n if self.sign(at + 9) == c" " or self.sign(at + 9) == c">" else -1
        if sign == c"n":
            end = self.raw_end(at, b"noembed", 7)
            if end < 0:
                end = self.raw_end(at, b"noframes", 8)
            if end >= 0:
                return end
            kind[0] = 2
            return self.part_end(at, b"nav", 3)
        kind[0] = 2
        if sign == c"h":
            return self.part_end(at, b"header", 6)
        if sign == c"f":
            return self.part_end(at, b"footer", 6)
        if sign == c"a":
            return self.part_end(at, b"aside", 5)
        if sign == c"u":
            return self.part_end(at, b"ul", 2)
        return -1

    cdef Py_ssize_t stand_in_end(self, Py_ssize_t at) except -2:
        """End of a stand-in that begins with the ``<`` at a place; -1 if there is none."""
        cdef Py_UCS4 sign = self.sign(at + 1)
        if sign != c"h" and sign != c"n" and sign != c"f" and sign != c"u":
            return -1
        found = _STAND_IN.match(self.html, at)
        return -1 if found is None else <Py_ssize_t>found.end()

    cdef Token next(self, Py_ssize_t at) except *:
        """The next tag, part or raw text from a place on."""
        cdef Token token
        cdef Py_ssize_t end
        at = self.find(c"<", at)
        while at >= 0:
            token.start = at
            if self.is_part:
                token.kind, end = 2, self.stand_in_end(at)
            else:
                end = self.whole(at + 1, &token.kind)
            if end < 0 and not self.has_no_end:
                token.kind = 1
                end = self.find(c">", at + 1)
                self.has_no_end = end < 0
                end = end + 1 if end >= 0 else -1
            if end >= 0:
                token.end = end
                return token
            at = self.find(c"<", at + 1)
        token.start = token.end = self.n
        token.kind = 0
        return token

    cdef bint is_space(self, Py_ssize_t start, Py_ssize_t end) noexcept:
        cdef Py_ssize_t at
        for at in range(start, end):
            if not Py_UNICODE_ISSPACE(PyUnicode_READ(self.kind, self.data, at)):
                return False
        return True

    cdef bint holds(self, Py_ssize_t start, Py_ssize_t end, const char *word, Py_ssize_t length) noexcept:
        cdef Py_ssize_t at
        for at in range(start, end - length + 1):
            if PyUnicode_READ(self.kind, self.data, at) == <unsigned char>word[0] and self.reads(at, word, length):
                return True
        return False

    cdef bint is_plain(self, Py_ssize_t start, Py_ssize_t end, const char *name, Py_ssize_t length) noexcept:
        """Whether a tag begins an element with attributes, none of which may change what its text is."""
        cdef Py_ssize_t at
        cdef Py_UCS4 sign
        if not self.reads(start, name, length):
            return False
        for at in range(start + length, end):
            sign = PyUnicode_READ(self.kind, self.data, at)
            if sign == c"h" and self.reads(at, b"hidden", 6):
                return False
            if sign == c"r" and (self.reads(at, b"role=", 5) or self.reads(at, b"readcrumb", 9)):
                return False
            if sign == c"s" and self.reads(at, b"style=", 6):
                return False
            if sign == c"m" and self.reads(at, b"mardok-chosen", 13):
                return False
        return True

    cdef str value_of(self, Py_ssize_t start, Py_ssize_t end, const char *begin, Py_ssize_t length, str name):
        """The value of an attribute as :func:`mardok.extract.markup.value_of` finds it, references resolved."""
        cdef str value
        cdef Py_ssize_t at, close
        cdef bint is_value = False
        for at in range(start, end):
            if PyUnicode_READ(self.kind, self.data, at) == c'"':
                is_value = not is_value
            elif at + length <= end and self.reads(at, begin, length):
                if is_value:  # it stands inside the value of another
                    break
                close = self.find(c'"', at + length)
                if close < 0 or close >= end:
                    return None
                value = PyUnicode_Substring(self.html, at + length, close)
                return unescaped(value) if PyUnicode_FindChar(value, c"&", 0, close - at - length, 1) >= 0 else value
        else:
            return None
        return value_of(name, PyUnicode_Substring(self.html, start, end))


cdef str _rel(_Scanner scanner, Py_ssize_t start, Py_ssize_t end):
    return rel_of(PyUnicode_Substring(scanner.html, start, end)) if scanner.holds(start, end, b"rel=", 4) else ""


cdef int _begin_link(_Scanner scanner, Py_ssize_t start, Py_ssize_t end, BlockBuilder stream, str base) except -1:
    """What :meth:`mardok.extract.html._Reader.begin_link` does at a plain link that is seen."""
    cdef str address = scanner.value_of(start, end, b' href="', 7, "href")
    if address is None:
        return 0
    url = resolved_url(address, base)
    cdef bint in_page = PyUnicode_GET_LENGTH(address) > 0 and address[0] == "#"
    if url is not None or in_page:
        stream.begin_link(OpenLink(url, _rel(scanner, start, end), in_page))
    return 0


cdef int _show_image(_Scanner scanner, Py_ssize_t start, Py_ssize_t end, BlockBuilder stream, list images, str base) except -1:
    """What :meth:`mardok.extract.html._Reader.shown_image` does at a plain image that is seen."""
    cdef str address = scanner.value_of(start, end, b' src="', 6, "src"), alt = scanner.value_of(start, end, b' alt="', 6, "alt")
    url = resolved_url(address, base) if address else None
    images.append(_image(url or "", alt))
    if stream.link is not None:
        stream.link.has_image = True
        if alt and not stream.link.alt:
            stream.link.alt = " ".join(alt.split())
    return 0


def read_markup(reader, str html, bint is_part):
    """See :func:`mardok.extract.html.read_markup`."""
    cdef _Scanner scanner = _Scanner(html, is_part)
    cdef BlockBuilder stream = reader.stream
    cdef list stack = reader.stack, interrupted = reader.interrupted, images = reader.document.images
    cdef dict known_tags = KNOWN_TAGS
    cdef Token token, after
    cdef Py_ssize_t depth, n_anchors = reader.n_anchors
    cdef int does
    cdef Py_UCS4 first
    cdef str written, base = reader.document.base
    cdef object state = reader.state, tag, inner
    cdef bint is_unseen = state.is_unseen
    after = scanner.next(0)
    if after.start > 0 and not is_unseen:
        _add_range(&stream._text, html, 0, after.start)
        stream._at_end = False
    while after.kind:
        token = after
        after = scanner.next(token.end)
        if token.kind == 1:
            first = scanner.sign(token.start + 1)
            if first == c"i" and scanner.is_plain(token.start + 1, token.end, b"img ", 4):
                stream.add(" ")
                if not is_unseen:
                    _show_image(scanner, token.start + 1, token.end, stream, images, base)
            elif first == c"m" and scanner.is_plain(token.start + 1, token.end, b"meta ", 5):
                reader.meta(PyUnicode_Substring(html, token.start + 1, token.end), state)
            elif first == c"l" and scanner.is_plain(token.start + 1, token.end, b"link ", 5):
                reader.link_element(PyUnicode_Substring(html, token.start + 1, token.end), state)
            elif first == c"a" and scanner.is_plain(token.start + 1, token.end, b"a ", 2):
                n_anchors += 1
                stream.end_link()
                if not is_unseen:
                    _begin_link(scanner, token.start + 1, token.end, stream, base)
                stack.append(state)
            else:
                written = PyUnicode_Substring(html, token.start + 1, token.end)
                tag = known_tags.get(written)
                if tag is None:
                    tag = tag_of(written)
                does = tag.does
                if does == BEGIN_BLOCK:
                    stream.end_block(state)
                    stack.append(state)
                    inner = (<dict>state.inside).get(tag.label)
                    state = inner if inner is not None else state.plain(tag.name, tag.label)
                    is_unseen = state.is_unseen
                elif does == END_BLOCK:
                    stream.end_block(state)
                    if stack:
                        state = stack.pop()
                        is_unseen = state.is_unseen
                        depth = state.depth
                        if depth < stream.joint:
                            stream.joint = depth
                elif does == BEGIN_INLINE:
                    stack.append(state)
                elif does == BEGIN_LINK:
                    reader.n_anchors = n_anchors
                    reader.begin_link(written, state)
                    n_anchors = reader.n_anchors
                    stack.append(state)
                elif does == END_INLINE or does == END_LINK:
                    if does == END_LINK:
                        n_anchors -= 1
                        stream.end_link()
                    if interrupted and interrupted[len(interrupted) - 1][0] == len(stack):
                        stream = reader.resumed(state)
                    if stack:
                        state = stack.pop()
                        is_unseen = state.is_unseen
                elif does == OTHER and tag.is_void and tag.name in _PLAIN_VOIDS:
                    if tag.is_block:
                        stream.end_block(state)
                    elif tag.is_space:
                        stream.add(" ")
                elif does == OTHER:
                    reader.n_anchors = n_anchors
                    state = reader.other(tag, written, PyUnicode_Substring(html, token.end, after.start), state)
                    n_anchors, base, stream = reader.n_anchors, reader.document.base, reader.stream
                    is_unseen = state.is_unseen
        elif token.kind == 2:
            reader.state, reader.n_anchors = state, n_anchors
            reader.part(PyUnicode_Substring(html, token.start, token.end))
            n_anchors = reader.n_anchors
        if after.start > token.end and not is_unseen:
            if not stream._at_end or not scanner.is_space(token.end, after.start):
                _add_range(&stream._text, html, token.end, after.start)
                stream._at_end = False
    reader.state, reader.n_anchors = state, n_anchors
