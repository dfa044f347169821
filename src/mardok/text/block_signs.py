"""What the text of each block looks like, for finding the parts of a template.

In:  the blocks of a site and their links.
Out: arrays over its different blocks: words, words in links, hashes of the masked text and of its skeleton, forms.

In the masked text of a short block that is dated or linked numbers, months and days of the week are one sign, so that "Last
updated 3 May 2024" is the same on every page. In the skeleton links are one sign, too: "Next: @, Previous: @, Up: @" is one
text, whatever the neighbours are called.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
import xxhash
from numpy.typing import NDArray

from mardok.large import BEYOND_ASCII, laid_down, stretches
from mardok.text.columns import Blocks, Links
from mardok.text.hashes import Corpus, Hashes, Ints, sequence_hashes
from mardok.text.known_hashes import KnownHashes
from mardok.text.words import folded, folded_words

_FULLY_LINKED = 0.8
"""Share of a block's letters and digits in links from which its skeleton is nothing but a link."""
_NUMBER = "#"
_LINK = "\x02"
"""Stands for a link in a skeleton; no text holds it."""
_END = "\x03"
"""Ends a skeleton; no text holds it."""
_LINKS = re.compile(rf"{_LINK}(?:[^\w{_END}]|_)*{_LINK}")
_LONGEST_SKELETON, _MOST_BESIDE = 60, 12
"""Words of a block, and those beside its links, beyond which its words tell more of it than its skeleton."""
_WORDS_AT_ONCE, _BLOCKS_AT_ONCE = 1 << 18, 1 << 14
_DIGITS = re.compile(r"\d+")
_DATE = re.compile(r"\b\d{4}[-/.]\d{1,2}[-/.]\d{1,2}\b|\b\d{1,2}[-/.]\d{1,2}[-/.]\d{2,4}\b|\b\d{1,2}:\d\d\b")
_MAY_BE_DATED = re.compile(r"\d[-/.:]\d|(?:19|20)\d\d")
_YEAR = re.compile(r"\b(?:19|20)\d\d\b")
_COPYRIGHT = re.compile(
    r"©|\(c\)\s*(?:19|20)\d\d|\bcopyright\b|all rights reserved|alle rechte vorbehalten|tous droits réservés|"
    r"todos los derechos reservados|tutti i diritti riservati|alle rechten voorbehouden|todos os direitos reservados",
    re.IGNORECASE,
)
_STOPS = tuple(".!?\u2026\u3002\uff01\uff1f")
_NAMES_OF_DAYS = """
jan january januar janvier enero gennaio januari feb february februar februari febrero février febbraio mar march märz mars
marzo maart apr april avril abril aprile may mai mayo maggio mei jun june juni juin junio giugno jul july juli juillet julio
luglio aug august août agosto augustus sep sept september septembre septiembre settembre oct okt october oktober octobre
octubre ottobre nov november novembre noviembre dec dez december dezember décembre diciembre dicembre
mon tue tues wed thu thur thurs fri sat sun monday tuesday wednesday thursday friday saturday sunday montag dienstag mittwoch
donnerstag freitag samstag sonntag lundi mardi mercredi jeudi vendredi samedi dimanche lunes martes miércoles jueves viernes
sábado domingo lunedì martedì mercoledì giovedì venerdì sabato domenica
"""
_DAYS_AND_MONTHS = frozenset(_NAMES_OF_DAYS.split())


@dataclass(frozen=True)
class BlockSigns:
    """What blocks look like; arrays of shape (n_blocks,)."""

    words: NDArray[np.int32]
    linked_words: NDArray[np.float32]
    """Words in links, by the share of letters and digits that links cover."""
    text: Hashes
    """Equal where the masked text is; of headings where the text is."""
    skeleton: Hashes
    is_bare: NDArray[np.bool_]
    """Whether the skeleton is nothing but a link, so that it says nothing about the block."""
    is_dated: NDArray[np.bool_]
    """Whether it is short and holds a date or a time of day."""
    is_copyright: NDArray[np.bool_]
    ends_sentence: NDArray[np.bool_]


def block_signs(blocks: Blocks, links: Links, written: Corpus, short_words: int) -> BlockSigns:
    """What the blocks of a site look like.

    Parameters
    ----------
    written : Corpus
        The words of the different texts of the blocks.
    short_words : int
        Words from which on a block is no short one; numbers are masked in short ones only.
    """
    is_short = written.n_words < short_words
    numbers = _numbers_in(written)
    is_dated, is_copyright = _forms(blocks, is_short, numbers)
    linking = np.zeros(len(blocks.texts), bool)
    linking[blocks.text[np.diff(links.first) > 0]] = True
    # A weight or a price in a table is what a page says; a date, the number of a page or of messages is not.
    masked = _masked_texts(blocks, written, numbers, is_dated | is_copyright | (is_short & linking))
    last = blocks.texts.bytes_at(-1)
    ends_sentence = np.isin(last, np.frombuffer("".join(filter(str.isascii, _STOPS)).encode(), np.uint8))
    others = np.flatnonzero(last >= BEYOND_ASCII)
    ends_sentence[others] = np.fromiter((text.endswith(_STOPS) for text in blocks.texts.some(others)), bool, len(others))
    words = written.n_words.astype(np.int32)[blocks.text]
    text = masked[blocks.text]
    level = np.array([context.level for context in blocks.contexts], np.int8)[blocks.context]
    # "Release 1.2" and "Release 1.3" are two headings.
    heading = np.flatnonzero(level > 0)
    text[heading] = np.array([_hash(one) for one in blocks.texts.some(blocks.text[heading])], np.uint64)
    letters, linked = blocks.n_letters, blocks.n_linked_letters
    share = np.where(letters > 0, linked / np.maximum(letters, 1), 0).astype(np.float32)
    skeleton = text.copy()
    is_full = (letters > 0) & (share >= _FULLY_LINKED)
    # A row of several links in one block is a line of the template, one link may be a title in a list.
    skeleton[is_full] = np.where(np.diff(links.first)[is_full] > 1, _ROW, _BARE)
    linking = (np.diff(links.first) > 0) & ~is_full & (words < _LONGEST_SKELETON) & ((1 - share) * words <= _MOST_BESIDE)
    places = np.flatnonzero(linking)
    skeleton[places] = _skeleton_hashes(blocks, links, places)
    forms = (is_dated[blocks.text], is_copyright[blocks.text], ends_sentence[blocks.text])
    return BlockSigns(*map(laid_down, (words, share * words, text, skeleton, skeleton == _BARE, *forms)))


@dataclass(frozen=True)
class _NumbersIn:
    """The words of some texts that hold digits or name a month or a day; arrays of shape (n_numbers,)."""

    text: Ints
    at: Ints
    """Their places among all words."""
    masked: Hashes


def _numbers_in(written: Corpus) -> _NumbersIn:
    changed = {
        word: _hash(_DIGITS.sub(_NUMBER, text) if text not in _DAYS_AND_MONTHS else _NUMBER)
        for word, text in written.vocabulary.items()
        if text in _DAYS_AND_MONTHS or _DIGITS.search(text)
    }
    known = np.array(sorted(changed), np.uint64)
    values = np.array([changed[word] for word in known.tolist()], np.uint64)
    places, masked = [np.zeros(0, np.int64)], [np.zeros(0, np.uint64)]
    if len(known):
        among = KnownHashes(known)
        for start in range(0, len(written.words), _WORDS_AT_ONCE):
            number = among.numbers(written.words[start : start + _WORDS_AT_ONCE])
            hit = np.flatnonzero(number >= 0)
            places.append(hit + start)
            masked.append(values[number[hit]])
    at = np.concatenate(places)
    return _NumbersIn(np.searchsorted(written.offsets, at, side="right") - 1, at, np.concatenate(masked))


def _masked_texts(blocks: Blocks, written: Corpus, numbers: _NumbersIn, is_masked: NDArray[np.bool_]) -> Hashes:
    """A hash for each different text, of some with numbers masked; signs without words are themselves."""
    hit = is_masked[numbers.text]
    at, masked = numbers.at[hit], numbers.masked[hit]
    result = np.empty(len(blocks.texts), np.uint64)
    for first, last in stretches(written.offsets, _WORDS_AT_ONCE):
        offsets = written.offsets[first : last + 1]
        words = written.words[offsets[0] : offsets[-1]].copy()
        its = slice(*np.searchsorted(at, offsets[[0, -1]]))
        words[at[its] - offsets[0]] = masked[its]
        result[first:last] = sequence_hashes(words, offsets - offsets[0])
    bare = np.flatnonzero(written.n_words == 0)
    result[bare] = np.array([_hash(text) for text in blocks.texts.some(bare)], np.uint64)
    return result


def _forms(blocks: Blocks, is_short: NDArray[np.bool_], numbers: _NumbersIn) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Whether each different text is short and holds a date, and whether it is short and a copyright line."""
    is_dated, is_copyright = np.zeros(len(blocks.texts), bool), np.zeros(len(blocks.texts), bool)
    has_number = np.zeros(len(blocks.texts), bool)
    has_number[numbers.text] = True
    numbered, short = np.flatnonzero(is_short & has_number), np.flatnonzero(is_short)
    for number, text in zip(numbered.tolist(), blocks.texts.some(numbered), strict=True):
        if _MAY_BE_DATED.search(text):
            is_dated[number] = _DATE.search(text) is not None or (
                _YEAR.search(text) is not None and not _DAYS_AND_MONTHS.isdisjoint(folded_words(folded(text)))
            )
    for number, text in zip(short.tolist(), blocks.texts.some(short), strict=True):
        if "\u00a9" in text or "ight" in text or "(c)" in text or "rech" in text or "ritti" in text or "droits" in text:
            is_copyright[number] = _COPYRIGHT.search(text) is not None
    return is_dated, is_copyright


def _skeleton_hashes(blocks: Blocks, links: Links, places: Ints) -> Hashes:
    """Hashes of the texts of some blocks, with each run of links as one sign."""
    result = np.empty(len(places), np.uint64)
    for at in range(0, len(places), _BLOCKS_AT_ONCE):
        part = places[at : at + _BLOCKS_AT_ONCE]
        begin, end = links.first[part[0]], links.first[part[-1] + 1]
        starts, stops = links.start[begin:end].tolist(), links.end[begin:end].tolist()
        firsts, lasts = (links.first[part] - begin).tolist(), (links.first[part + 1] - begin).tolist()
        pieces: list[str] = []
        for text, first, last in zip(blocks.texts.some(blocks.text[part]), firsts, lasts, strict=True):
            done = 0
            for link in range(first, last):
                start, stop = starts[link], stops[link]
                if stop > start >= done:
                    pieces += (text[done:start], _LINK)
                    done = stop
            pieces += (text[done:], _END)
        # All at once: a call of each pattern for each block would cost more than what the patterns do.
        skeletons = _DIGITS.sub(_NUMBER, _LINKS.sub(_LINK, "".join(pieces))).casefold().split(_END)[:-1]
        met = {key: _hash(key) for key in set(skeletons)}
        result[at : at + len(part)] = [met[key] for key in skeletons]
    wordless = blocks.n_letters[places] == 0
    result[wordless] = np.where(np.diff(links.first)[places[wordless]] > 1, _ROW, _BARE)
    return result


def _hash(text: str) -> int:
    return xxhash.xxh3_64_intdigest(text.encode("utf-8", "surrogatepass"))


_BARE, _ROW = np.uint64(_hash(_LINK)), np.uint64(_hash(_LINK + _LINK))


def carried(joints: NDArray[np.int8], places: Ints) -> NDArray[np.int8]:
    """The joints of some places, each with the block at the one before: the least of what lies between.

    Parameters
    ----------
    joints : ndarray of int8, shape (n_all,)
    places : ndarray of int64, shape (n_places,)
        Those that are kept, in order.
    """
    if not len(places):
        return joints[:0]
    begins = np.concatenate([np.zeros(1, np.int64), places[:-1] + 1])
    return np.asarray(np.minimum.reduceat(joints[: places[-1] + 1], begins), np.int8)
