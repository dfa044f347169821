"""Words and shingles as 64-bit hashes, for whole sites at once.

In:  folded texts.
Out: one array with a hash for each word of all texts, and where each text begins in it; likewise for shingles.

The words are those of :mod:`mardok.text.words`, found with arrays of code points instead of a regular expression, which
is many times faster. A word's hash is a polynomial of its letters, each mapped to 64 random bits, with an odd base modulo
2^64, taken from running sums; then it is mixed. Two given words agree by chance with a probability of at most 2^-54: the
difference of two polynomials is a product of random bits with an odd number times at most 2^10 for words that differ in
the order of letters less than 1024 places apart, else it is random altogether. A site with 10 million different words has
5 * 10^13 pairs of words; nearly all of these differ in more than order, and agree with 2^-64: some two of them in one of
370,000 such sites.

The hash of a shingle, or of a run of eight words, is a polynomial of its words' hashes with the same base. The difference
of two of them is a sum of some words' hashes, each times an odd number and at most 2^3 for shingles, 2^12 for runs (the
greatest power of two in any sum of powers of the base that could meet a word, all signs tried). So two given ones agree by
chance with a probability of at most 2^-61 and 2^-52; with 2^-64 where a word stands in one of them only, and once there, as
in nearly all pairs. They are not to be added up: the sum over a page would hardly depend on the order of its words.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from mardok.compiled import compiled
from mardok.large import Growing, laid_down, large_empty, offsets_of
from mardok.text.distinct import distinct
from mardok.text.words import clause_signs, letter_kinds

Hashes: TypeAlias = NDArray[np.uint64]
Offsets: TypeAlias = NDArray[np.int64]
Ints: TypeAlias = NDArray[np.int64]

SHINGLE_WORDS = 3
RUN_WORDS = 8
"""Words of the shortest run that counts as shared between pages."""
_BATCH = 1 << 15
"""Characters handled at once: the arrays stay in the processor's cache."""
_BLOCKS_AT_ONCE, _WORDS_AT_ONCE = 1 << 14, 1 << 20
_SLOT_BITS = 20
_TABLE = 0x10000
"""Code points whose values are looked up: the basic plane."""
_BASE = 0x9E3779B97F4A7C15 | 1
_OTHER, _LETTER, _JOINER, _SPACELESS, _MARK = range(5)
_SIGN = 1


def mixed(values: Hashes) -> Hashes:
    """Spread every bit over all bits, one to one (the finalizer of MurmurHash3; A. Appleby, public domain)."""
    result = values.copy()
    _mix(result)
    return result


def _mix(values: Hashes) -> None:
    """The same in place."""
    shifted = values >> np.uint64(33)
    values ^= shifted
    values *= np.uint64(0xFF51AFD7ED558CCD)
    np.right_shift(values, np.uint64(33), out=shifted)
    values ^= shifted
    values *= np.uint64(0xC4CEB9FE1A85EC53)
    np.right_shift(values, np.uint64(33), out=shifted)
    values ^= shifted


@dataclass(frozen=True)
class Corpus:
    """The words of several texts."""

    words: Hashes
    """Hashes of the words of all texts, one text after the other."""
    offsets: Offsets
    """Where each text begins in ``words``; shape (n_texts + 1,)."""
    block_offsets: Offsets
    """Where each block begins in ``words``; shape (n_blocks + 1,)."""
    first_blocks: Offsets
    """First block of each text; shape (n_texts + 1,)."""
    clause_offsets: Offsets
    """Words that are the first of a block, or the first after a sign that ends a clause; shape (n_clauses,), in order."""
    vocabulary: Mapping[int, str]
    """Each different word by its hash."""

    @property
    def n_texts(self) -> int:
        """Number of texts."""
        return len(self.offsets) - 1

    @cached_property
    def n_words(self) -> Offsets:
        """Words of each text, shape (n_texts,)."""
        return np.diff(self.offsets)

    def words_of(self, text: int) -> Hashes:
        """Hashes of the words of one text, in order."""
        return self.words[self.offsets[text] : self.offsets[text + 1]]

    def shingles_of(self, text: int) -> Hashes:
        """Hashes of the shingles of one text, in order, repeats included."""
        words = self.words_of(text)
        return shingle_hashes(words, np.array([0, len(words)]))[: n_shingles(np.array([len(words)]))[0]]

    def select(self, texts: Offsets) -> tuple[Hashes, Offsets]:
        """Words of some texts, one after the other, and where each text begins, as :func:`word_hashes` gives them."""
        lengths = self.n_words[texts]
        offsets = offsets_of(lengths)
        if len(texts) == self.n_texts and (texts == np.arange(len(texts))).all():
            return self.words, offsets
        return self.words[np.repeat(self.offsets[:-1][texts] - offsets[:-1], lengths) + np.arange(offsets[-1])], offsets

    def arranged(self, texts: Offsets, first: Offsets) -> Corpus:
        """The words of other texts, each of whose blocks is one of these texts.

        Parameters
        ----------
        texts : ndarray of int64, shape (n_blocks,)
            The text that is each block, those of one new text after those of another.
        first : ndarray of int64, shape (n_new + 1,)
            First block of each new text.
        """
        block_offsets = offsets_of(self.n_words[texts])
        clause_first = np.searchsorted(self.clause_offsets, self.offsets)
        n_clauses = np.diff(clause_first)[texts]
        clause_ends = offsets_of(n_clauses)
        words = large_empty(int(block_offsets[-1]), np.uint64)
        clauses = large_empty(int(clause_ends[-1]), np.int64)
        for start in range(0, len(texts), _BLOCKS_AT_ONCE):
            part = slice(start, start + _BLOCKS_AT_ONCE)
            of_part = texts[part]
            stop = start + len(of_part)
            begin, end = block_offsets[start], block_offsets[stop]
            moved = np.repeat(self.offsets[of_part] - block_offsets[start:stop], self.n_words[of_part])
            words[begin:end] = self.words[moved + np.arange(begin, end)]
            begin, end = clause_ends[start], clause_ends[stop]
            moved = np.repeat(clause_first[of_part] - clause_ends[start:stop], n_clauses[part])
            shift = np.repeat(block_offsets[start:stop] - self.offsets[of_part], n_clauses[part])
            clauses[begin:end] = self.clause_offsets[moved + np.arange(begin, end)] + shift
        words.flags.writeable = clauses.flags.writeable = False
        vocabulary = {word: self.vocabulary[word] for word in _different(words).tolist()}
        return Corpus(words, block_offsets[first], block_offsets, first, clauses, vocabulary)


def _different(words: Hashes) -> Hashes:
    """Each word once, in order."""
    result = words[:0]
    for first in range(0, len(words), _WORDS_AT_ONCE):
        result = distinct(np.concatenate([result, words[first : first + _WORDS_AT_ONCE]]))
    return result


def corpus_of(texts: Iterable[str]) -> Corpus:
    """The words of folded texts, each with its blocks on lines of their own; see :func:`word_hashes`."""
    return corpus_of_parts([hashed_texts(texts)])


def corpus_of_parts(parts: Iterable[HashedTexts]) -> Corpus:
    """The same of texts some of which were hashed at a time.

    Examples
    --------
    >>> parts = [hashed_texts(["hire a violin"]), hashed_texts(["", "a violin"])]
    >>> corpus_of_parts(parts).offsets.tolist(), corpus_of(["hire a violin", "", "a violin"]).offsets.tolist()
    ([0, 3, 3, 5], [0, 3, 3, 5])
    """
    words, ends, clauses = Growing(np.uint64), Growing(np.int64), Growing(np.int64)
    of_texts, is_block, vocabulary = Growing(np.int64), Growing(bool), dict[int, str]()
    n_words = n_lines = 0
    for part in parts:
        words.add(part.words)
        ends.add(part.ends + n_words)
        clauses.add(part.clauses + n_words)
        of_texts.add(part.of_texts + n_lines)
        is_its_block = np.ones(len(part.ends), bool)
        is_its_block[part.cuts] = False  # a long block is read in several lines
        is_block.add(is_its_block)
        vocabulary |= {word: text for word, text in part.vocabulary.items() if word not in vocabulary}
        n_words, n_lines = n_words + len(part.words), n_lines + len(part.ends)
    zero = np.zeros(1, np.int64)
    line_ends, text_lines, is_whole = ends.finished(), np.concatenate([zero, of_texts.finished()]), is_block.finished()
    first_blocks = np.concatenate([zero, np.cumsum(is_whole)])[text_lines]
    block_offsets = np.concatenate([zero, line_ends[is_whole]])
    clause_offsets = distinct(np.concatenate([clauses.finished(), block_offsets[:-1]]))
    clause_offsets = laid_down(clause_offsets[clause_offsets < n_words])  # what follows the last sign is no clause
    text_offsets = np.concatenate([zero, line_ends])[text_lines]
    return Corpus(words.finished(), text_offsets, laid_down(block_offsets), first_blocks, clause_offsets, vocabulary)


def word_hashes(texts: Iterable[str]) -> tuple[Hashes, Offsets]:
    """A hash for each word of folded texts (:func:`mardok.text.words.folded`), in order.

    Returns
    -------
    hashes : ndarray of uint64, shape (n_words,)
        Equal for equal words. Never 0.
    offsets : ndarray of int64, shape (n_texts + 1,)
        Where each text begins in `hashes`.

    Examples
    --------
    >>> hashes, offsets = word_hashes(["hire a violin", "", "a violin"])
    >>> offsets.tolist(), bool((hashes[1:3] == hashes[3:]).all())
    ([0, 3, 3, 5], True)
    """
    hashed = hashed_texts(texts, are_named=False)
    begins = np.concatenate([np.zeros(1, np.int64), hashed.ends])
    return hashed.words, begins[np.concatenate([np.zeros(1, np.int64), hashed.of_texts])]


@dataclass(frozen=True)
class HashedTexts:
    """The words of the lines of some texts."""

    words: Hashes
    ends: Offsets
    """Words up to the end of each line, shape (n_lines,)."""
    of_texts: Offsets
    """Lines up to the end of each text, shape (n_texts,)."""
    cuts: Offsets
    """Lines that go on in the next."""
    clauses: Offsets
    """Words that are the first after a sign that ends a clause."""
    vocabulary: Mapping[int, str]
    """Each different word by its hash, in the order in which they come first."""


def hashed_texts(texts: Iterable[str], *, are_named: bool = True) -> HashedTexts:
    """The words of some folded texts.

    Parameters
    ----------
    are_named : bool
        Whether the words go into a vocabulary, which else is empty.
    """
    words, ends, clauses = Growing(np.uint64), Growing(np.int64), Growing(np.int64)
    vocabulary = _Vocabulary() if are_named else None
    of_texts, cuts = array("q"), array("q")
    batch: list[str] = []
    size, n_lines, n_words, is_ascii = 0, 0, 0, True

    def hash_batch() -> int:
        text = "\n".join(batch)
        result = _Found(text, *hashed_words(text))
        if vocabulary is not None:
            vocabulary.add(result)
        words.add(result.hashes)
        ends.add(result.line_ends + n_words)
        clauses.add(result.clauses + n_words)
        return n_words + len(result.hashes)

    for text in texts:
        for piece, is_last in _pieces(text):
            if batch and (size + len(piece) > _BATCH or is_ascii != piece.isascii()):
                n_words = hash_batch()
                batch, size = [], 0
            batch.append(piece)
            n_lines += piece.count("\n") + 1
            size += len(piece) + 1
            is_ascii = piece.isascii()
            if not is_last:
                cuts.append(n_lines - 1)
        of_texts.append(n_lines)
    if batch:
        hash_batch()
    return HashedTexts(
        words.finished(),
        ends.finished(),
        np.array(of_texts, np.int64),
        np.array(cuts, np.int64),
        clauses.finished(),
        vocabulary.words if vocabulary is not None else {},
    )


def _pieces(text: str) -> Iterator[tuple[str, bool]]:
    """A text in pieces that fit a batch, parted at a space, and whether it is the last; a longer word stays whole."""
    start = 0
    while len(text) - start > _BATCH:
        cut = text.rfind(" ", start + 1, start + _BATCH)
        if cut < 0:
            cut = text.find(" ", start + _BATCH)
        if cut < 0:
            break
        yield text[start:cut], False
        start = cut
    if text:
        yield text[start:] if start else text, True


@dataclass(frozen=True)
class _Found:
    """The words of a folded text."""

    text: str
    hashes: Hashes
    starts: Offsets
    ends: Offsets
    """Characters that each word covers."""
    line_ends: Offsets
    """Words up to the end of each line."""
    clauses: Offsets
    """Words before each sign that ends a clause."""


class _Vocabulary:
    """Each different word by its hash."""

    def __init__(self) -> None:
        self.words: dict[int, str] = {}
        # Most words of a text are known: one look at a table says so of nearly all, many times faster than the dictionary.
        self._lately = np.zeros(1 << _SLOT_BITS, np.uint64)

    def add(self, result: _Found) -> None:
        """Put the words of a text into it."""
        slots = (result.hashes >> np.uint64(64 - _SLOT_BITS)).astype(np.int64)
        places = np.flatnonzero(self._lately[slots] != result.hashes)
        self._lately[slots[places]] = result.hashes[places]
        met = (column[places].tolist() for column in (result.hashes, result.starts, result.ends))
        for word, start, end in zip(*met, strict=True):
            if word not in self.words:
                self.words[word] = result.text[start:end]


@compiled("hashing")
def word_places(text: str) -> tuple[Offsets, Offsets]:
    """First character of each word of a folded text, and the one after its last."""
    if not text.isascii():
        return _runs_in(letter_kinds().take(np.frombuffer(text.encode("utf-32-le", "surrogatepass"), np.uint32)))
    raw = text.encode("ascii")
    codes = np.frombuffer(raw, np.uint8)
    padded = np.zeros(len(codes) + 2, bool)
    in_run = padded[1:-1]
    in_run[:] = np.frombuffer(raw.translate(_ascii_letters()), bool)  # several times faster than indexing
    _add_joiners(in_run, np.flatnonzero((codes == ord("'")) | (codes == ord("-"))))
    edges = np.flatnonzero(padded[1:] != padded[:-1])
    return edges[::2], edges[1::2]


@compiled("hashing")
def hashed_words(text: str) -> tuple[Hashes, Offsets, Offsets, Offsets, Offsets]:
    """The words of a folded text: what stands in :class:`_Found` beside it."""
    starts, ends = word_places(text)
    if text.isascii():
        raw = text.encode("ascii")
        codes: NDArray[Any] = np.frombuffer(raw, np.uint8)
        values = _known_values(128).take(codes)  # in less than half the time of indexing
        signs = np.frombuffer(raw.translate(_ascii_signs()), np.uint8)
    else:
        codes = np.frombuffer(text.encode("utf-32-le", "surrogatepass"), np.uint32)
        in_table = len(codes) == 0 or codes.max() < _TABLE
        values = _known_values(_TABLE).take(codes) if in_table else _values(codes.astype(np.uint64))
        signs = clause_signs().take(codes)
    line_ends = np.append(np.flatnonzero(codes == ord("\n")), len(codes))
    at = np.flatnonzero(signs)
    goes_on = np.append(codes[1:] > ord(" "), False)[at]  # a point or comma inside a number or an address ends nothing
    at = at[(signs[at] == _SIGN) | ~goes_on]
    return (
        _polynomials(values, starts, ends),
        starts,
        ends,
        np.searchsorted(starts, line_ends).astype(np.int64),
        np.searchsorted(starts, at).astype(np.int64),
    )


def _add_joiners(in_run: NDArray[np.bool_], joiners: Offsets) -> None:
    """Take into the runs the apostrophes and hyphens that stand between letters."""
    joiners = joiners[(joiners > 0) & (joiners < len(in_run) - 1)]
    in_run[joiners[in_run[joiners - 1] & in_run[joiners + 1]]] = True


def _runs_in(kinds: NDArray[np.uint8]) -> tuple[Offsets, Offsets]:
    """First place of each word, and the place after its last."""
    in_run = _letter_runs(kinds)
    _add_joiners(in_run, np.flatnonzero(kinds == _JOINER))
    begins = in_run.copy()
    begins[1:] &= ~in_run[:-1]
    spaceless = kinds == _SPACELESS
    begins |= spaceless
    inside = in_run | spaceless | ((kinds == _MARK) & ~in_run)
    ends_here = inside.copy()
    ends_here[:-1] &= ~inside[1:] | begins[1:]
    return np.flatnonzero(begins), np.flatnonzero(ends_here) + 1


def _letter_runs(kinds: NDArray[np.uint8]) -> NDArray[np.bool_]:
    """Letters, digits, and the marks that do not sit on a letter of a script without spaces."""
    is_mark = kinds == _MARK
    in_run: NDArray[np.bool_] = (kinds == _LETTER) | is_mark
    if is_mark.any() and (kinds == _SPACELESS).any():
        places = np.arange(len(kinds))
        base = np.maximum.accumulate(np.where(is_mark, -1, places))
        on_spaceless = is_mark & (base >= 0) & (kinds[base] == _SPACELESS)
        in_run &= ~on_spaceless
    return in_run


def _polynomials(values: Hashes, starts: NDArray[np.int64], ends: NDArray[np.int64]) -> Hashes:
    """For each word the polynomial of its letters, from running sums over all letters."""
    powers, inverses = _powers(1 << max(len(values).bit_length(), 18))
    sums = np.zeros(len(values) + 1, np.uint64)
    np.cumsum(values * powers[: len(values)], out=sums[1:])
    result = mixed((sums[ends] - sums[starts]) * inverses[starts])
    result[result == 0] = 1
    return result


@cache
def _powers(n: int) -> tuple[Hashes, Hashes]:
    """The base and its inverse modulo 2^64 to the powers 0 to n - 1."""
    result = []
    for base in (_BASE, pow(_BASE, -1, 1 << 64)):
        powers = np.full(n, base, np.uint64)
        powers[0] = 1
        np.cumprod(powers, out=powers)
        result.append(powers)
    return result[0], result[1]


def _values(codes: Hashes) -> Hashes:
    """64 random bits for each code point."""
    return mixed((codes + np.uint64(1)) * np.uint64(0xD6E8FEB86659FD93))


@cache
def _known_values(n: int) -> Hashes:
    """The values of the first code points."""
    return _values(np.arange(n, dtype=np.uint64))


@cache
def _ascii_letters() -> bytes:
    """For each byte 1 if it is a letter or digit, else 0."""
    return bytes((letter_kinds(256) == _LETTER).tolist())  # a question needs no others, which take a tenth of a second


@cache
def _ascii_signs() -> bytes:
    return bytes(clause_signs()[:256].tolist())


def run_hashes(words: Hashes) -> Hashes:
    """A hash for the run of eight words that begins at each place; shape (n_words - 7,), or (0,) for fewer words."""
    result = words
    for span in (1, 2, 4):  # the polynomials of two words, of four, of eight
        if len(result) <= span:
            return np.zeros(0, np.uint64)
        longer = result[:-span] * np.uint64(pow(_BASE, span, 1 << 64))
        longer += result[span:]
        result = longer
    return result


def sequence_hashes(words: Hashes, offsets: Offsets) -> Hashes:
    """A hash for the words of each of several texts in their order, repeats included; of texts without words 1.

    Parameters
    ----------
    words, offsets : ndarray
        As :func:`word_hashes` gives them.
    """
    result = np.empty(len(offsets) - 1, np.uint64)
    for start in range(0, len(result), _BLOCKS_AT_ONCE):
        ends = offsets[start : start + _BLOCKS_AT_ONCE + 1]
        part = _polynomials(words[ends[0] : ends[-1]], ends[:-1] - ends[0], ends[1:] - ends[0])
        result[start : start + len(part)] = part
    return result


def short_block_hashes(words: Hashes, starts: Offsets, lengths: Offsets) -> Hashes:
    """A hash for each of some blocks of fewer than eight words.

    Parameters
    ----------
    words : ndarray of uint64, shape (n_words,)
        Hashes of the words of all texts.
    starts, lengths : ndarray of int64, shape (n_blocks,)
        Place of the first word of each block, and its words, 7 at most.
    """
    result = mixed(lengths.astype(np.uint64) + np.uint64(0x8EBC6AF09C88C6E3))
    for k in range(RUN_WORDS - 1):
        is_inside = lengths > k
        result[is_inside] = mixed(result[is_inside] * np.uint64(_BASE) + words[starts[is_inside] + k])
    return result


def n_shingles(lengths: Offsets) -> Offsets:
    """Shingles of texts of so many words, repeats included."""
    return np.where(lengths == 0, 0, np.maximum(lengths - SHINGLE_WORDS + 1, 1))


def shingle_hashes(words: Hashes, offsets: Offsets) -> Hashes:
    """A hash for the shingle that begins at each word of texts, repeats included.

    A text shorter than a shingle has one, itself, at its first word; an empty one none.

    Parameters
    ----------
    words, offsets : ndarray
        As :func:`word_hashes` gives them.

    Returns
    -------
    ndarray of uint64, shape (n_words,)
        What stands at the last words of a text, where no shingle of it begins, means nothing.
    """
    result = words.copy()
    for k in range(1, SHINGLE_WORDS):
        result *= np.uint64(_BASE)
        result[:-k] += words[k:]
    lengths = np.diff(offsets)
    short = offsets[:-1][(lengths > 0) & (lengths < SHINGLE_WORDS)]
    if len(short):
        ends = offsets[1:][(lengths > 0) & (lengths < SHINGLE_WORDS)]
        alone = words[short]
        for k in range(1, SHINGLE_WORDS):
            # 0 is no word: the text ends before.
            alone = alone * np.uint64(_BASE) + np.where(short + k < ends, words[np.minimum(short + k, ends - 1)], 0)
        result[short] = alone
    return result
