"""Who mentions a phrase, and where.

In:  the words of texts with their stems; one or more wordings of one thing; the blocks with their links.
Out: mentions: the page, the characters, the sentence, and the link they stand in.

Words match if their stems do, in the language of the page; or, if asked for, exactly. A mention lies within one clause of a
block. Where wordings overlap the longest that begins first counts, so that nothing is told twice.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from mardok.compare.phrases import gram_hashes, gram_hashes_at, stem_grams, words_left
from mardok.text.distinct import first_of_equal
from mardok.text.hashes import Hashes, Ints, word_hashes
from mardok.text.known_hashes import KnownHashes
from mardok.text.spans import WordSpans
from mardok.text.stems import Stemmed, stem_hashes
from mardok.text.words import words

_PLACES_AT_ONCE, _TEXTS_AT_ONCE = 1 << 20, 1 << 12
"""Of the whole site only so much is looked at together: arrays over all its words fill the memory."""
_SENTENCE_END = re.compile(r"(?<![.!?\u2026])[.!?\u2026]++[\"'\u201d\u2019)\]]*+\s++|[\u3002\uff01\uff1f]")
_GOOD_SENTENCE = 120
"""Characters of a sentence that says enough about a mention and not too much."""
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


@dataclass(frozen=True)
class Found:
    """Where things are mentioned, in the order of the places."""

    place: Ints
    """Where each mention begins among the words of the corpus."""
    n_words: Ints
    thing: Ints
    """Which of the things is mentioned."""

    def select(self, kept: Ints) -> Found:
        """Some of them."""
        return Found(self.place[kept], self.n_words[kept], self.thing[kept])


def find_mentions(
    stemmed: Stemmed, language_of: NDArray[np.int64], things: Sequence[Sequence[str]], *, exact: bool
) -> Found:
    """Where things are mentioned.

    Parameters
    ----------
    language_of : ndarray of int64, shape (n_texts,)
        Language of each text as a number in ``stemmed.languages``.
    things : sequence of sequence of str
        The wordings of each thing; one without any word matches nothing.
    """
    asked = [(thing, result) for thing, wordings in enumerate(things) for result in map(words, wordings) if result]
    left = words_left(stemmed)
    nothing = np.zeros(0, np.int64)
    parts = [(nothing, nothing, nothing)]
    for n in sorted({len(result) for _, result in asked}):
        things_of: dict[int, list[tuple[int, int]]] = defaultdict(list)
        for thing, wording in asked:
            for number, language in enumerate(stemmed.languages) if len(wording) == n else ():
                own = word_hashes([" ".join(wording)])[0] if exact else stem_hashes(wording, language)
                things_of[int(gram_hashes(own, n)[0])].append((number, thing))
        wanted = np.array(sorted(things_of), np.uint64)
        at, match = _matches(stemmed, left, n, wanted, exact=exact)
        language_at = language_of[np.searchsorted(stemmed.corpus.offsets, at, side="right") - 1]
        order = np.argsort(match, kind="stable")
        first = np.searchsorted(match[order], np.arange(len(wanted) + 1))
        for known, (start, stop) in zip(wanted.tolist(), pairwise(first.tolist()), strict=True):
            for number, thing in things_of[known]:
                hits = order[start:stop]
                places = at[hits[language_at[hits] == number]]
                parts.append((places, np.full(len(places), n), np.full(len(places), thing)))
    columns = [np.concatenate(column) for column in zip(*parts, strict=True)]
    place, n_words, its_thing = columns
    order = np.lexsort((-n_words, place, its_thing))
    kept = order[_apart(place[order], n_words[order], its_thing[order])]
    kept = kept[np.lexsort((its_thing[kept], place[kept]))]
    return Found(place[kept], n_words[kept], its_thing[kept])


def _matches(stemmed: Stemmed, left: NDArray[np.int32], n: int, wanted: Hashes, *, exact: bool) -> tuple[Ints, Ints]:
    """Places of the words of the corpus where n words with a wanted hash begin, and which hash it is."""
    corpus, known = stemmed.corpus, KnownHashes(wanted)
    parts = [(np.zeros(0, np.int64), np.zeros(0, np.int64))]
    for first in range(0, len(left), _PLACES_AT_ONCE):
        at = np.flatnonzero(left[first : first + _PLACES_AT_ONCE] >= n) + first
        if exact:
            hashes = gram_hashes_at(corpus.words, at, n)
            match = known.numbers(hashes)
            parts.append((at[match >= 0], match[match >= 0]))
            continue
        for places, hashes in stem_grams(stemmed, at, n):
            match = known.numbers(hashes)
            parts.append((places[match >= 0], match[match >= 0]))
    places, matches = (np.concatenate(column) for column in zip(*parts, strict=True))
    return places, matches


@dataclass(frozen=True)
class OwnUses:
    """How texts use a phrase of their own."""

    uses: Ints
    """Times each text uses its phrase, shape (n_texts,)."""
    first: Ints
    """Words before the first of them; -1 if there is none."""


def own_uses(stemmed: Stemmed, languages: Sequence[str], phrases: Sequence[str]) -> OwnUses:
    """How often each text uses its own phrase, inflected or not; what :func:`find_mentions` would tell of each alone.

    Parameters
    ----------
    languages, phrases : sequence of str, shape (n_texts,)
        Language and phrase of each text; a phrase without any word is used nowhere.
    """
    corpus, left = stemmed.corpus, words_left(stemmed)
    asked: dict[tuple[str, int], list[tuple[int, list[str]]]] = defaultdict(list)
    for text, (language, phrase) in enumerate(zip(languages, phrases, strict=True)):
        result = words(phrase)
        if result:
            asked[language, len(result)].append((text, result))
    uses, first = np.zeros(corpus.n_texts, np.int64), np.full(corpus.n_texts, -1, np.int64)
    for (language, n), texts in asked.items():
        for start in range(0, len(texts), _TEXTS_AT_ONCE):
            part = texts[start : start + _TEXTS_AT_ONCE]
            rows = np.array([text for text, _ in part], np.int64)
            stems = stem_hashes([word for _, result in part for word in result], language)
            wanted = gram_hashes_at(stems, np.arange(len(rows)) * n, n)
            lengths = corpus.n_words[rows]
            which = np.repeat(np.arange(len(rows)), lengths)
            at = np.arange(len(which)) + np.repeat(corpus.offsets[rows] - (np.cumsum(lengths) - lengths), lengths)
            fits = left[at] >= n
            at, which = at[fits], which[fits]
            hashes = np.concatenate([np.zeros(0, np.uint64), *(result for _, result in stem_grams(stemmed, at, n))])
            is_it = hashes == wanted[which]
            at, which = at[is_it], which[is_it]
            kept = _apart(at, np.full(len(at), n), which)
            at, which = at[kept], which[kept]
            uses[rows] = np.bincount(which, minlength=len(rows))
            begins = np.flatnonzero(first_of_equal(which))
            first[rows[which[begins]]] = at[begins] - corpus.offsets[rows[which[begins]]]
    return OwnUses(uses, first)


def _apart(place: Ints, n_words: Ints, thing: Ints) -> list[int]:
    """Those that do not begin inside one before of the same thing."""
    kept, end, before = [], -1, -1
    for at, (first, n, its) in enumerate(zip(place.tolist(), n_words.tolist(), thing.tolist(), strict=True)):
        if its != before or first >= end:
            kept.append(at)
            end, before = first + n, its
    return kept


def mentions_at(stemmed: Stemmed, blocks: BlockLinks, at: Found) -> list[Mention]:
    """What there is to tell of mentions at some places.

    Parameters
    ----------
    blocks : BlockLinks
        The blocks of main text with their links.
    at : Found
        Where the mentions begin, and how many words each has.
    """
    corpus = stemmed.corpus
    block_of = np.searchsorted(corpus.block_offsets, at.place, side="right") - 1
    page_of = np.searchsorted(corpus.first_blocks, block_of, side="right") - 1
    result = []
    spans, shown = WordSpans(""), -1
    for place, n, block, page in zip(
        at.place.tolist(), at.n_words.tolist(), block_of.tolist(), page_of.tolist(), strict=True
    ):
        if block != shown:
            spans, shown = WordSpans(blocks.text_of(block)), block
        text = spans.text
        start, end = spans.of(place - int(corpus.block_offsets[block]), n)
        result.append(
            Mention(
                page,
                block,
                text[start:end],
                sentence_around(text, start, end),
                bool(blocks.level[block]),
                _link_at(blocks, block, start, end),
            )
        )
    return result


def _link_at(blocks: BlockLinks, block: int, start: int, end: int) -> int:
    for link in range(int(blocks.first[block]), int(blocks.first[block + 1])):
        if blocks.start[link] < end and start < blocks.end[link]:
            return link
    return -1


def sentence_around(text: str, start: int, end: int) -> str:
    """The sentence that some characters of a text stand in; of a long one what is near them.

    Parameters
    ----------
    text : str
        Text of a block.
    start, end : int
        Where the characters begin, and where what follows them does.

    Examples
    --------
    >>> sentence_around("We rent. A violin rental is paid monthly. Ask us.", 11, 24)
    'A violin rental is paid monthly.'
    """
    # Only what is near is searched: a block may be millions of words long.
    first, last = max(start - _LONGEST_SENTENCE, 0), min(end + _LONGEST_SENTENCE, len(text))
    ends_before = [result.end() for result in _SENTENCE_END.finditer(text, first, start)]
    end_after = _SENTENCE_END.search(text, end, last)
    first = ends_before[-1] if ends_before else first
    last = end_after.end() if end_after else last
    before = after = ""
    if last - first > _LONGEST_SENTENCE:
        spare = max((_LONGEST_SENTENCE - (end - start)) // 2, 0)
        if start - first > spare:
            first, before = text.find(" ", start - spare, start) + 1 or start, "\u2026 "
        if last - end > spare:
            cut = text.rfind(" ", end, end + spare)
            last, after = (cut if cut > end else end), " \u2026"
    return before + text[first:last].strip() + after


@dataclass(frozen=True, slots=True)
class Unlinked:
    """A page that could link where it mentions something."""

    page: int
    n_mentions: int
    sentence: str
    anchor: str
    """The words to make a link of."""


def unlinked(result: Iterable[Mention], fits: NDArray[np.bool_]) -> list[Unlinked]:
    """Pages with mentions in no link and no heading, in order, each with the sentence that shows best.

    Parameters
    ----------
    fits : ndarray of bool, shape (n_texts,)
        Pages on which a link would be right.
    """
    by_page: dict[int, list[Mention]] = defaultdict(list)
    for mention in result:
        if fits[mention.page] and mention.link < 0 and not mention.is_heading:
            by_page[mention.page].append(mention)
    stated = []
    for page, there in sorted(by_page.items()):
        best = min(there, key=lambda mention: abs(len(mention.sentence) - _GOOD_SENTENCE))
        stated.append(Unlinked(page, len(there), best.sentence, best.text))
    return stated
