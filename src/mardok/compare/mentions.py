"""Who mentions a phrase, and where.

In:  the words of texts with their stems; one or more wordings of one thing; the blocks with their links.
Out: mentions: the page, the characters, the sentence, and the link they stand in.

Words match if their stems do, in the language of the page; or, if asked for, exactly. A mention lies within one clause of a
block. Where wordings overlap the longest that begins first counts, so that nothing is told twice.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.join import Ints
from mardok.compare.phrases import gram_hashes, words_left
from mardok.text.hashes import word_hashes
from mardok.text.stems import Stemmed, stem_hashes
from mardok.text.words import word_spans, words

_SENTENCE_END = re.compile(r"[.!?\u2026]+[\"'\u201d\u2019)\]]*\s+|[\u3002\uff01\uff1f]")
_LONGEST_SENTENCE = 240
"""Characters of a sentence that are shown around a mention."""


@dataclass(frozen=True)
class BlockLinks:
    """The blocks of main text, as the corpus numbers them, with their links."""

    text_of: Callable[[int], str]
    """Text of a block, as written."""
    level: Ints
    """Heading level of each block, 0 if it is no heading."""
    first: Ints
    """First link of each block; shape (n_blocks + 1,)."""
    start: Ints
    end: Ints
    """Characters that each link covers."""
    url_of: Callable[[int], str]
    """Address of a link."""


@dataclass(frozen=True, slots=True)
class Mention:
    """One mention."""

    page: int
    block: int
    text: str
    """The words as they are written."""
    sentence: str
    is_heading: bool
    link: int
    """The link it stands in, -1 if in none."""


def find_mentions(
    stemmed: Stemmed, language_of: NDArray[np.int64], wordings: Sequence[str], *, exact: bool
) -> tuple[Ints, Ints]:
    """Where mentions begin among the words of the corpus, and how many words each has, in order.

    Parameters
    ----------
    language_of : ndarray of int64, shape (n_texts,)
        Language of each text as a number in ``stemmed.languages``.
    wordings : sequence of str
        Wordings of one thing; one without any word matches nothing.
    """
    asked = [found for found in map(words, wordings) if found]
    left = words_left(stemmed)
    places: list[Ints] = []
    lengths: list[Ints] = []
    language_of_word = None if exact else np.repeat(language_of, stemmed.corpus.n_words)
    for n in sorted({len(found) for found in asked}):
        hashes = gram_hashes(stemmed.corpus.words if exact else stemmed.stems, n)
        fits = left[: len(hashes)] >= n
        hit = np.zeros(len(hashes), bool)
        for wording in (found for found in asked if len(found) == n):
            if language_of_word is None:
                hit |= hashes == gram_hashes(word_hashes([" ".join(wording)])[0], n)[0]
            else:
                for number, language in enumerate(stemmed.languages):
                    wanted = gram_hashes(stem_hashes(wording, language), n)[0]
                    hit |= (hashes == wanted) & (language_of_word[: len(hashes)] == number)
        found = np.flatnonzero(hit & fits)
        places.append(found)
        lengths.append(np.full(len(found), n))
    if not places:
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    place, length = np.concatenate(places), np.concatenate(lengths)
    order = np.lexsort((-length, place))
    return _apart(place[order], length[order])


def _apart(place: Ints, length: Ints) -> tuple[Ints, Ints]:
    """Those that do not begin inside one before."""
    kept, end = [], -1
    for at, (first, n) in enumerate(zip(place.tolist(), length.tolist(), strict=True)):
        if first >= end:
            kept.append(at)
            end = first + n
    return place[kept], length[kept]


def mentions_at(stemmed: Stemmed, blocks: BlockLinks, places: Ints, lengths: Ints) -> list[Mention]:
    """What there is to tell of mentions at some places."""
    corpus = stemmed.corpus
    block_of = np.searchsorted(corpus.block_offsets, places, side="right") - 1
    page_of = np.searchsorted(corpus.first_blocks, block_of, side="right") - 1
    found = []
    spans: list[tuple[int, int]] = []
    shown = -1
    for place, n, block, page in zip(places.tolist(), lengths.tolist(), block_of.tolist(), page_of.tolist(), strict=True):
        text = blocks.text_of(block)
        if block != shown:
            spans, shown = word_spans(text), block
        first = place - int(corpus.block_offsets[block])
        start, end = spans[first][0], spans[first + n - 1][1]
        found.append(
            Mention(
                page,
                block,
                text[start:end],
                sentence_around(text, start, end),
                bool(blocks.level[block]),
                _link_at(blocks, block, start, end),
            )
        )
    return found


def _link_at(blocks: BlockLinks, block: int, start: int, end: int) -> int:
    for link in range(int(blocks.first[block]), int(blocks.first[block + 1])):
        if blocks.start[link] < end and start < blocks.end[link]:
            return link
    return -1


def sentence_around(text: str, start: int, end: int) -> str:
    """The sentence that some characters of a text stand in; of a long one what is near them.

    Examples
    --------
    >>> sentence_around("We rent. A violin rental is paid monthly. Ask us.", 11, 24)
    'A violin rental is paid monthly.'
    """
    ends = [found.end() for found in _SENTENCE_END.finditer(text)]
    first = max((place for place in ends if place <= start), default=0)
    last = min((place for place in ends if place >= end), default=len(text))
    before, after = "", ""
    spare = max((_LONGEST_SENTENCE - (end - start)) // 2, 0)
    if last - first > _LONGEST_SENTENCE:
        if start - first > spare:
            first, before = text.find(" ", start - spare, start) + 1 or start, "\u2026 "
        if last - end > spare:
            cut = text.rfind(" ", end, end + spare)
            last, after = (cut if cut > end else end), " \u2026"
    return before + text[first:last].strip() + after
