"""Who mentions a phrase, and where.

In:  the words of texts with their stems; one or more wordings of one thing; the blocks with their links.
Out: mentions: the page, the characters, the sentence, and the link they stand in.

Words match if their stems do, in the language of the page; or, if asked for, exactly. A mention lies within one clause of a
block. Where wordings overlap the longest that begins first counts, so that nothing is told twice.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from mardok.compare.phrases import gram_hashes_at, stem_grams, words_left
from mardok.hash_ranges import parts_of_places
from mardok.large import Growing, places_from, worked_out
from mardok.sharing import shared_out
from mardok.text.distinct import distinct, first_of_equal
from mardok.text.hashes import Corpus, Hashes, Ints, word_hashes
from mardok.text.known_hashes import KnownHashes
from mardok.text.spans import WordSpans
from mardok.text.stems import Stemmed, stem_hashes
from mardok.text.words import words

_PLACES_AT_ONCE, _TEXTS_AT_ONCE = 1 << 20, 1 << 12
_PLACES_TOLD = 1 << 24
"""Words of which the mentions are told together."""
"""Of the whole site only so much is looked at together: arrays over all its words fill the memory."""
_SENTENCE_END = re.compile(r"(?<![.!?\u2026])[.!?\u2026]++[\"'\u201d\u2019)\]]*+\s++|[\u3002\uff01\uff1f]")
_GOOD_SENTENCE = 120
"""Characters of a sentence that says enough about a mention and not too much."""
_JOINING, _GLUED = frozenset("_/\\@.:=#&~+-"), 2
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
    is_part: bool
    """Whether it is part of something longer that is written in one: a name with underscores, an address, a file."""


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
    every = [(language, thing, result) for language in stemmed.languages for thing, result in asked]
    lengths = hashes_by_length(stemmed.languages, every, exact=exact)
    found = together(_everywhere(stemmed, language_of, lengths, exact=exact))
    order = np.lexsort((-found.n_words, found.place, found.thing))
    kept = order[apart(found.place[order], found.n_words[order], found.thing[order])]
    return found.select(kept[np.lexsort((found.thing[kept], found.place[kept]))])


def longest_of(found: Iterable[Found]) -> Iterator[Found]:
    """Of mentions that overlap, whatever they are of, the longest that begins first.

    Who says "violin hire prices" means the prices.

    Parameters
    ----------
    found : iterable of Found
        Some at a time, in the order of the places; of those at one place the longest comes first.

    Examples
    --------
    >>> from mardok.text.hashes import corpus_of
    >>> from mardok.text.stems import stemmed
    >>> texts = stemmed(corpus_of(["violin hire prices for violins hired"]), ["en"], ())
    >>> asked = [("en", 7, ["violin", "hire"]), ("en", 8, ["violin", "hire", "price"])]
    >>> found = every_mention(texts, np.zeros(1, np.int64), hashes_by_length(["en"], asked, exact=False))
    >>> [longest] = longest_of(found)
    >>> longest.place.tolist(), longest.thing.tolist()
    ([0, 4], [8, 7])
    """
    end = -1
    for one in found:
        kept = []
        for at, (first, n) in enumerate(zip(one.place.tolist(), one.n_words.tolist(), strict=True)):
            if first >= end:
                kept.append(at)
                end = first + n
        yield one.select(np.array(kept, np.int64))


def every_mention(stemmed: Stemmed, language_of: NDArray[np.int64], lengths: Mapping[int, WordingHashes]) -> Iterator[Found]:
    """Where any of many things are mentioned, inflected or not, all of them looked for at once.

    Mentions come in the order of their places, those of one place the longest first, and some places at a time: of a
    large site they are gigabytes.

    Parameters
    ----------
    language_of : ndarray of int64, shape (n_texts,)
        Language of each text as a number in ``stemmed.languages``.
    lengths : mapping of int to WordingHashes
        What is looked for, as :func:`hashes_by_length` gives it; each in texts of its language.
    """
    found = _everywhere(stemmed, language_of, lengths, exact=False)
    return (one.select(np.lexsort((-one.n_words, one.place))) for one in found)


Wording = tuple[str, int, Sequence[str]]
"""A language, a thing, and folded words that name it there."""


@dataclass(frozen=True)
class WordingHashes:
    """Wordings of one length; all arrays have one entry a wording."""

    hashes: Hashes
    """Of all its words."""
    pairs: Hashes
    """Of its first two words; nothing where it has one only."""
    things: Ints
    languages: Ints


def together(found: Iterable[Found]) -> Found:
    """Several as one, in their order."""
    nothing = np.zeros(0, np.int64)
    parts = [(nothing, nothing, nothing), *((one.place, one.n_words, one.thing) for one in found)]
    return Found(*(np.concatenate(column) for column in zip(*parts, strict=True)))


@dataclass(frozen=True)
class _Begun:
    """Where wordings of one length begin, in order, and which."""

    n_words: int
    place: Ints
    key: Ints
    """Wording and language at each place, as one number."""
    wanted: Ints
    """Those that are looked for, in order, and the thing that each means."""
    things: Ints

    def between(self, first: int, last: int) -> tuple[Ints, Ints, Ints]:
        """What is mentioned from one place on to before another: place, words and thing of each mention."""
        part = slice(*np.searchsorted(self.place, [first, last]).tolist())
        begin, end = (np.searchsorted(self.wanted, self.key[part], side=side) for side in ("left", "right"))
        many = end - begin
        which = places_from(begin, many)
        return np.repeat(self.place[part], many), np.full(len(which), self.n_words), self.things[which]


def _everywhere(
    stemmed: Stemmed, language_of: NDArray[np.int64], lengths: Mapping[int, WordingHashes], *, exact: bool
) -> Iterator[Found]:
    """All places where wordings begin, some places at a time.

    Where two words stand that any wording begins with is found in one pass over all words; only there more is looked at.
    """
    left, n_languages = words_left(stemmed), len(stemmed.languages)
    pairs = distinct(np.concatenate([np.zeros(0, np.uint64), *(own.pairs for own in lengths.values())]))
    begins, _ = _matches(stemmed, left, 2, pairs, None, exact=exact) if len(pairs) else (np.zeros(0, np.int64), None)

    def key_at(places: Ints, matches: Ints) -> Ints:
        return matches * n_languages + language_of[np.searchsorted(stemmed.corpus.offsets, places, side="right") - 1]

    begun = []
    for n, own in sorted(lengths.items()):
        wanted = distinct(own.hashes)
        # What is wanted is told by the hash and the language together, in order.
        key = np.searchsorted(wanted, own.hashes) * n_languages + own.languages
        order = np.argsort(key, kind="stable")
        key, things = key[order], own.things[order]
        at, match = _matches(stemmed, left, n, wanted, begins if n > 1 else None, exact=exact)
        begun.append(_Begun(n, at, worked_out(key_at, np.int64, at, match), key, things))
    for first in range(0, max(len(left), 1), _PLACES_TOLD):
        parts = [one.between(first, first + _PLACES_TOLD) for one in begun]
        if parts:
            yield Found(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def hashes_by_length(languages: Sequence[str], asked: Iterable[Wording], *, exact: bool) -> dict[int, WordingHashes]:
    """Hashes of wordings, by how many words they have, as :func:`mardok.compare.phrases.gram_hashes` makes them.

    Parameters
    ----------
    languages : sequence of str
        Languages that count; wordings in others are left out.
    asked : iterable of tuple
        Wordings.
    exact : bool
        Whether the words themselves are hashed, and not their stems.
    """
    number = {language: code for code, language in enumerate(languages)}
    sorted_out: dict[int, dict[str, list[tuple[int, Sequence[str]]]]] = defaultdict(lambda: defaultdict(list))
    for language, thing, wording in asked:
        if language in number and wording:
            sorted_out[len(wording)][language].append((thing, wording))
    result = {}
    for n, by_language in sorted_out.items():
        hashes, pairs, things, codes = [], [], [], []
        for language, own in by_language.items():
            words_of = _hashes_of([word for _, wording in own for word in wording], language, exact=exact)
            first = np.arange(len(own)) * n
            hashes.append(gram_hashes_at(words_of, first, n))
            pairs.append(gram_hashes_at(words_of, first, min(n, 2))[: len(own) if n > 1 else 0])
            things.append(np.array([thing for thing, _ in own], np.int64))
            codes.append(np.full(len(own), number[language]))
        result[n] = WordingHashes(*(np.concatenate(parts) for parts in (hashes, pairs, things, codes)))
    return result


def _hashes_of(asked: Sequence[str], language: str, *, exact: bool) -> Hashes:
    """Hash of each word, or of its stem; each different word is hashed once."""
    number = {word: code for code, word in enumerate(dict.fromkeys(asked))}
    known = word_hashes([" ".join(number)])[0] if exact else stem_hashes(list(number), language)
    return known[np.fromiter(map(number.__getitem__, asked), np.int64, len(asked))]


def _matches(
    stemmed: Stemmed, left: NDArray[np.int32], n: int, wanted: Hashes, within: Ints | None, *, exact: bool
) -> tuple[Ints, Ints]:
    """Places of the words of the corpus where n words with a wanted hash begin, in order, and which hash it is.

    Parameters
    ----------
    left : ndarray of int32
        Words that are left at each place.
    n : int
        Words of each wording.
    wanted : ndarray of uint64
        Hashes, in order.
    within : ndarray of int64 or None
        Only these places are looked at.
    """
    bare = replace(stemmed, corpus=replace(stemmed.corpus, vocabulary={}))
    looked = _Looked(bare, left, n, KnownHashes(wanted), within, exact)
    places, matches = Growing(np.int64), Growing(np.int64)
    for some, their in shared_out(looked.of, parts_of_places(len(left if within is None else within))):
        places.add(some)
        matches.add(their)
    return places.finished(), matches.finished()


@dataclass(frozen=True)
class _Looked:
    """Where n words with a wanted hash are looked for."""

    stemmed: Stemmed
    left: NDArray[np.int32]
    n: int
    known: KnownHashes
    within: Ints | None
    exact: bool

    def of(self, part: tuple[int, int]) -> tuple[Ints, Ints]:
        """Those found from one place on to another, and which hash each is."""
        parts = [(np.zeros(0, np.int64), np.zeros(0, np.int64))]
        for first in range(*part, _PLACES_AT_ONCE):
            stop = min(first + _PLACES_AT_ONCE, part[1])
            at = np.arange(first, stop) if self.within is None else self.within[first:stop]
            at = at[self.left[at] >= self.n]
            words = self.stemmed.corpus.words
            grams = [(at, gram_hashes_at(words, at, self.n))] if self.exact else stem_grams(self.stemmed, at, self.n)
            for places, hashes in grams:
                match = self.known.numbers(hashes)
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
            stems = _hashes_of([word for _, result in part for word in result], language, exact=False)
            wanted = gram_hashes_at(stems, np.arange(len(rows)) * n, n)
            lengths = corpus.n_words[rows]
            which = np.repeat(np.arange(len(rows)), lengths)
            at = np.arange(len(which)) + np.repeat(corpus.offsets[rows] - (np.cumsum(lengths) - lengths), lengths)
            fits = left[at] >= n
            at, which = at[fits], which[fits]
            hashes = np.concatenate([np.zeros(0, np.uint64), *(result for _, result in stem_grams(stemmed, at, n))])
            is_it = hashes == wanted[which]
            at, which = at[is_it], which[is_it]
            kept = apart(at, np.full(len(at), n), which)
            at, which = at[kept], which[kept]
            uses[rows] = np.bincount(which, minlength=len(rows))
            begins = np.flatnonzero(first_of_equal(which))
            first[rows[which[begins]]] = at[begins] - corpus.offsets[rows[which[begins]]]
    return OwnUses(uses, first)


def apart(place: Ints, n_words: Ints, thing: Ints) -> list[int]:
    """Those mentions that do not begin inside one before of the same thing.

    Parameters
    ----------
    place, n_words, thing : ndarray of int64
        Where each begins, how many words it has, and of what; ordered by thing, then by place, the longest first.
    """
    kept, end, before = [], -1, -1
    for at, (first, n, its) in enumerate(zip(place.tolist(), n_words.tolist(), thing.tolist(), strict=True)):
        if its != before or first >= end:
            kept.append(at)
            end, before = first + n, its
    return kept


def mentions_at(corpus: Corpus, blocks: BlockLinks, at: Found) -> list[Mention]:
    """What there is to tell of mentions at some places.

    Parameters
    ----------
    blocks : BlockLinks
        The blocks of main text with their links.
    at : Found
        Where the mentions begin, and how many words each has.
    """
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
                _is_part(text, start, end),
            )
        )
    return result


def _is_part(text: str, start: int, end: int) -> bool:
    """Whether signs that join glue some characters of a text to letters before or after them.

    Examples
    --------
    >>> [_is_part(text, 4, 9) for text in ("old_price_list", "the price.", "the price, or", "see/price")]
    [True, False, False, True]
    """
    before, after = text[max(start - 2, 0) : start], text[end : end + 2]
    return _is_glued(before[::-1]) or _is_glued(after)


def _is_glued(signs: str) -> bool:
    """Whether of two signs beside a word the nearer one joins it to the other."""
    return len(signs) == _GLUED and signs[0] in _JOINING and signs[1].isalnum()


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


def unlinked(result: Iterable[Mention]) -> list[Unlinked]:
    """Pages with mentions in no link and no heading, in order, each with the sentence that shows best.

    Parameters
    ----------
    result : iterable of Mention
        Mentions on pages where a link would be right.
    """
    by_page: dict[int, list[Mention]] = defaultdict(list)
    for mention in result:
        if mention.link < 0 and not (mention.is_heading or mention.is_part):
            by_page[mention.page].append(mention)
    stated = []
    for page, there in sorted(by_page.items()):
        best = min(there, key=lambda mention: abs(len(mention.sentence) - _GOOD_SENTENCE))
        stated.append(Unlinked(page, len(there), best.sentence, best.text))
    return stated
