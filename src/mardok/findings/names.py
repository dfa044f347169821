"""What pages are called by, and where the texts of the site say it.

In:  what the pages promise, phrases that a person named pages for, the words of the site with their stems.
Out: :class:`PageNames`: the names of each page, and the places of all of them.

All names are looked for at once, so that the cost grows with the words of the site and hardly with the number of names. What
is said where does not depend on which pages are copies: an audit with another threshold takes it over.
"""

from __future__ import annotations

from array import array
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, fields
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from mardok.compare.links import distinct_edges
from mardok.compare.mentions import Found, Wording, WordingHashes, every_mention, hashes_by_length, together
from mardok.compare.phrases import LONGEST
from mardok.compare.topics import PagePromises
from mardok.kept import Tables
from mardok.large import Growing, GrowingTexts, Texts, numbers_of_equal
from mardok.text.distinct import first_of_equal
from mardok.text.hashes import Hashes, Ints, corpus_of
from mardok.text.site import Site
from mardok.text.stems import Stemmed, stemmed
from mardok.text.words import folded, words

_FEWEST_WORDS = 2
"""Words that tell, of a name that is looked for: one alone is said everywhere."""
_NAMES_AT_ONCE, _TITLES_AT_ONCE, _MENTIONS_AT_ONCE = 1 << 14, 1 << 17, 1 << 20
"""Names that are hashed, pages whose titles are searched, and mentions that are told together."""
_PATTERN_PAGES = 3
"""Pages with a name in title or H1 from which it is a pattern."""


@dataclass(frozen=True)
class PageNames:
    """What each page may be called by.

    Names with the same stems in the same order, in one language, are said with the same words: they have one sense.
    """

    row: Ints
    """Page of each name."""
    key: Ints
    """A number for each name, equal where the stems that tell are the same, in whatever order, in one language."""
    sense: Ints
    """Sense of each name; -1 of one that is not looked for, since it tells too little or is too long."""
    is_pattern: NDArray[np.bool_]
    """Whether titles or H1 of several pages hold each name, and it is not all that its own page is called."""
    title_key: Ints
    """The number of what the title of each page tells, shape (n_pages,)."""
    person_row: Ints
    """Page of each phrase that a person named one for."""
    person_key: Ints
    person_sense: Ints
    hash: Hashes
    """Hash of the stems of each sense."""
    n_words: Ints
    """Words of each sense."""
    place: Ints
    """Where each mention begins among the words of the site, in order; of those at one place the longest comes first."""
    said: Ints
    """Sense of each mention."""

    def mentions(self, row_of_sense: Ints) -> Iterator[Found]:
        """Where pages are mentioned, in the order of the places, with mentions that overlap; some at a time.

        Parameters
        ----------
        row_of_sense : ndarray of int64, shape (n_senses,)
            The page that each sense means; -1 if it means none.
        """
        for first in range(0, len(self.said), _MENTIONS_AT_ONCE):
            part = slice(first, first + _MENTIONS_AT_ONCE)
            is_meant = row_of_sense[self.said[part]] >= 0
            said = self.said[part][is_meant]
            yield Found(self.place[part][is_meant], self.n_words[said], row_of_sense[said])


def page_names(
    site: Site, titles: Sequence[str], promises: PagePromises, of_person: Iterable[tuple[str, int]], stems: Stemmed
) -> PageNames:
    """The names of all pages: of each its target phrase and its H1, beside those that a person gave.

    Parameters
    ----------
    titles : sequence of str
        The page's part of each title.
    of_person : iterable of tuple
        Phrases with the rows of the pages that they are meant for.
    stems : Stemmed
        The words of the site with their stems.
    """
    stemmer, asked = promises.stemmer, _Asked(stems.languages)
    rows, person_row = array("q"), array("q")
    names, name_keys, title_keys, person_keys = (_Written() for _ in range(4))
    for at, (page, topic) in enumerate(zip(site.pages, promises.topics, strict=True)):
        h1 = page.h1 if page.h1.casefold() != topic.phrase else topic.phrase  # as most: then it says nothing more
        for text in dict.fromkeys((topic.phrase, h1)):
            telling = stemmer.telling(text, page.language)
            if len(telling) >= _FEWEST_WORDS:
                asked.add(page.language, len(rows), text)
            rows.append(at)
            names.add(text)
            name_keys.add(_key(page.language, telling))
        title_keys.add(_key(page.language, topic.ordered_title_stems))
    for phrase, at in of_person:
        language = site.pages[at].language
        stemmer.learn({language: [phrase]})
        asked.add(language, len(rows) + len(person_row), phrase)
        person_row.append(at)
        person_keys.add(_key(language, stemmer.telling(phrase, language)))
    row = np.array(rows, np.int64)
    texts, *keys = (written.finished() for written in (names, name_keys, title_keys, person_keys))
    key, title_key, person_key = np.split(numbers_of_equal(keys).astype(np.int64), np.cumsum(list(map(len, keys)))[:-1])
    lengths, sense = _senses(asked.by_length(), len(row) + len(person_row))
    n_senses = sum(len(own.things) for own in lengths.values())
    n_words, hashes = np.zeros(n_senses, np.int64), np.zeros(n_senses, np.uint64)
    for n, own in lengths.items():
        n_words[own.things], hashes[own.things] = n, own.hashes
    is_common = _n_titles(site, titles, lengths, n_senses) >= _PATTERN_PAGES
    own_sense = sense[: len(row)]
    is_pattern = (own_sense >= 0) & is_common[own_sense] if n_senses else np.zeros(len(row), bool)
    for name in np.flatnonzero(is_pattern).tolist():
        is_pattern[name] = not _is_all(texts[name], titles[row[name]], site.pages[row[name]].h1)
    language_of = _languages(stems, [page.language for page in site.pages])
    place, said = Growing(np.int64), Growing(np.int32)
    for found in every_mention(stems, language_of, lengths):
        place.add(found.place)
        said.add(found.thing)
    return PageNames(
        row,
        key,
        own_sense,
        is_pattern,
        title_key,
        np.array(person_row, np.int64),
        person_key,
        sense[len(row) :],
        hashes,
        n_words,
        place.finished(),
        said.finished(),
    )


class _Asked:
    """What is looked for, as hashes: as words it takes ten times as much.

    Parameters
    ----------
    languages : sequence of str
        Those that texts are in.
    """

    def __init__(self, languages: Sequence[str]) -> None:
        self._languages, self._waiting = languages, list[Wording]()
        self._parts: dict[int, list[WordingHashes]] = defaultdict(list)

    def add(self, language: str, name: int, text: str) -> None:
        """Look for a name, unless it is too long."""
        text_words = words(text)
        if 1 <= len(text_words) <= LONGEST:
            self._waiting.append((language, name, text_words))
            if len(self._waiting) >= _NAMES_AT_ONCE:
                self._hash()

    def _hash(self) -> None:
        for n, own in hashes_by_length(self._languages, self._waiting, exact=False).items():
            self._parts[n].append(own)
        self._waiting = []

    def by_length(self) -> dict[int, WordingHashes]:
        """All of it, by the number of words."""
        self._hash()
        names = [one.name for one in fields(WordingHashes)]
        return {
            n: WordingHashes(*(np.concatenate([getattr(part, name) for part in parts]) for name in names))
            for n, parts in self._parts.items()
        }


class _Written:
    """Texts that come one by one, as bytes."""

    def __init__(self) -> None:
        self._waiting, self._texts = list[str](), GrowingTexts()

    def add(self, text: str) -> None:
        """Add one."""
        self._waiting.append(text)
        if len(self._waiting) >= _NAMES_AT_ONCE:
            self._texts.add(self._waiting)
            self._waiting = []

    def finished(self) -> Texts:
        """All of them."""
        self._texts.add(self._waiting)
        return self._texts.finished()


def _key(language: str, stems: Iterable[str]) -> str:
    """A text that is equal for equal sets of stems of one language."""
    return " ".join((language, *sorted(stems)))


def _is_all(name: str, title: str, h1: str) -> bool:
    """Whether a page is called so and no more: "workshop diary" means the page of this title, and none of its months."""
    return words(name) in (words(title), words(h1 if h1 != title else ""))


def _senses(asked: Mapping[int, WordingHashes], n_names: int) -> tuple[dict[int, WordingHashes], NDArray[np.int64]]:
    """Each sense once, by the number of its words, and the sense of each name."""
    sense, n_senses = np.full(n_names, -1, np.int64), 0
    result = {}
    for n, own in sorted(asked.items()):
        order = np.lexsort((own.hashes, own.languages))
        is_first = first_of_equal(own.hashes[order]) | first_of_equal(own.languages[order])
        sense[own.things[order]] = np.cumsum(is_first) - 1 + n_senses
        once = order[is_first]
        pairs = own.pairs[once] if n > 1 else own.pairs
        result[n] = WordingHashes(own.hashes[once], pairs, np.arange(len(once)) + n_senses, own.languages[once])
        n_senses += len(once)
    return result, sense


def _n_titles(site: Site, titles: Sequence[str], lengths: Mapping[int, WordingHashes], n_senses: int) -> Ints:
    """Pages whose title or H1 holds each sense."""
    result, told = np.zeros(n_senses, np.int64), zip(site.pages, titles, strict=True)
    while some := list(islice(told, _TITLES_AT_ONCE)):
        heads = [page.h1 if page.h1 != title else "" for page, title in some]
        languages = [page.language for page, _ in some] * 2
        stems = stemmed(corpus_of(map(folded, (*(title for _, title in some), *heads))), languages, ())
        found = together(every_mention(stems, _languages(stems, languages), lengths))
        pages = (np.searchsorted(stems.corpus.offsets, found.place, side="right") - 1) % len(some)
        result += np.bincount(distinct_edges(found.thing, pages, len(some)) // len(some), minlength=n_senses)
    return result


def _languages(stems: Stemmed, languages: Sequence[str]) -> Ints:
    """Languages as numbers in :attr:`Stemmed.languages`."""
    number = {name: code for code, name in enumerate(stems.languages)}
    return np.array([number[name] for name in languages], np.int64)


_TABLES = {
    "names": ("row", "key", "sense", "is_pattern"),
    "titles": ("title_key",),
    "persons": ("person_row", "person_key", "person_sense"),
    "senses": ("hash", "n_words"),
    "mentions": ("place", "said"),
}


def tables_of_names(names: PageNames) -> Tables:
    """Names as tables that are kept."""
    return {table: {name: getattr(names, name) for name in columns} for table, columns in _TABLES.items()}


def names_of_tables(tables: Tables) -> PageNames:
    """Names again, from their tables."""
    return PageNames(**{name: np.asarray(tables[table][name]) for table, columns in _TABLES.items() for name in columns})
