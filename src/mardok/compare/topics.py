"""What each page promises to be about: its target phrase, and the fields that agree on it.

In:  for each page its title, H1, address and the texts of the links that lead to it.
Out: a :class:`Topic` a page: stems on which fields agree, the phrase as the page writes it, keys for finding rivals.

Words are compared by their stems; function words and words that any page may carry, such as "guide", do not count. A version
such as 3.5.0 is one word: it is not 3.0.5. The phrase is a run of the words of the title, in their order.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from sys import intern
from urllib.parse import unquote

import numpy as np

from mardok.compare.titles import Titles
from mardok.text.distinct import distinct
from mardok.text.site import Site
from mardok.text.stems import joined, plain_words, stems
from mardok.text.words import has_words, words
from mardok.urls import split_url

FIELDS = ("title", "h1", "address", "links")
_SAYING = {some: some for n in range(len(FIELDS) + 1) for some in combinations(FIELDS, n)}
"""Each choice of them once: every page makes one."""
_CHROME_WEIGHT = 0.1
"""What a link in the furniture of a page weighs beside one in its text: the template repeats it everywhere."""
_LEAST_FIELDS = 2
_LONGEST = 10
"""Words of the longest phrase that is told whole; of longer ones the part that says most."""
_SHORT = 6
_MOST_KNOWN = 1 << 16
"""Texts whose words are kept: title, H1 and links of a page mostly say the same, those of others seldom."""
_FILE = re.compile(r"\.(?:html?|php|aspx?|jsp|xhtml)$", re.IGNORECASE)
_YEAR = re.compile(r"(?:19|20)\d\d")
_VERSION = re.compile(r"(?<!\d)\d++(?:\.\d++)+")


def _as_one_word(version: re.Match[str]) -> str:
    return version[0].replace(".", "-")


@dataclass(frozen=True, slots=True)
class Topic:
    """What one page promises."""

    phrase: str
    """The target phrase in the page's own words; ``""`` where nothing tells of any."""
    fields: tuple[str, ...]
    """Which of :data:`FIELDS` say all of it."""
    ordered_stems: tuple[str, ...]
    """:attr:`stems` in order: of hundreds of thousands of pages sets would be a few hundred megabytes."""
    ordered_title_stems: tuple[str, ...]
    anchor: str
    """Text of the links that lead here, the one with the most weight."""

    @property
    def stems(self) -> frozenset[str]:
        """Stems of its words, function words left out."""
        return frozenset(self.ordered_stems)

    @property
    def title_stems(self) -> frozenset[str]:
        """Stems of the page's part of the title, or of the H1 if there is none."""
        return frozenset(self.ordered_title_stems)


@dataclass(frozen=True, slots=True)
class _Field:
    written: str
    words: tuple[str, ...]
    stems: tuple[str, ...]


class Stemmer:
    """The words of titles, headings and addresses with their stems, each stemmed once."""

    def __init__(self, generic: Collection[str], learned: Iterable[tuple[str, str, str]] = ()) -> None:
        self._generic = frozenset(word for text in generic for word in words(text))
        self._stems: dict[str, dict[str, str]] = defaultdict(dict)
        for language, word, stem in learned:
            self._stems[language][word] = stem
        self._words: dict[str, tuple[str, ...]] = {}
        self._said: dict[tuple[str, tuple[str, ...]], tuple[str, ...]] = {}

    def words_of(self, text: str) -> tuple[str, ...]:
        """Words of a text; title, H1 and links mostly say the same, so it is kept."""
        result = self._words.get(text)
        if result is None:
            if len(self._words) > _MOST_KNOWN:
                self._words.clear()
            # Titles are many and their words few.
            result = self._words[text] = tuple(map(intern, words(_VERSION.sub(_as_one_word, text))))
        return result

    def learn(self, texts: Mapping[str, Collection[str]]) -> None:
        """Stem the words of texts, given by language, all at once."""
        for language, text_words in texts.items():
            known = self._stems[language]
            new = sorted({word for text in text_words for word in self.words_of(text) if word not in known})
            known.update(zip(new, stems(new, language), strict=True))

    def learned(self) -> Iterator[tuple[str, str, str]]:
        """All that it has learned: a language, a word, its stem."""
        return ((language, word, stem) for language, known in self._stems.items() for word, stem in known.items())

    def stems_of(self, text_words: tuple[str, ...], language: str) -> tuple[str, ...]:
        """Stem of each word; ``""`` for words that promise nothing."""
        result = self._said.get((language, text_words))
        if result is None:
            if len(self._said) > _MOST_KNOWN:
                self._said.clear()
            known, plain = self._stems[language], plain_words(language)
            result = tuple(
                "" if word in plain or word in self._generic or _YEAR.fullmatch(word) else known.get(word, word)
                for word in text_words
            )
            self._said[language, text_words] = result
        return result

    def telling(self, text: str, language: str) -> frozenset[str]:
        """Stems of a text, without those of words that promise nothing."""
        return frozenset(self.stems_of(self.words_of(text), language)) - {""}


@dataclass(frozen=True)
class PagePromises:
    """What the pages of a site promise."""

    topics: Sequence[Topic]
    """One entry a page."""
    stemmer: Stemmer
    """The stems of the words of titles, headings, addresses and links."""


def find_promises(site: Site, titles: Titles, generic: Collection[str]) -> PagePromises:
    """What each page promises.

    Parameters
    ----------
    generic : collection of str
        Words that any page may carry.

    Examples
    --------
    >>> from mardok.extract.batch import batch_of
    >>> from mardok.extract.extraction import extract_page
    >>> from mardok.settings import Settings
    >>> from mardok.sources.raw import RawPage
    >>> from mardok.text.columns import columns_of
    >>> from mardok.text.site import site_of
    >>> from mardok.compare.titles import split_titles
    >>> html = b"<title>Violin hire</title><h1>Hire a violin</h1><p>By the month."
    >>> page = extract_page(RawPage("https://host.example/violin-hire", "list", 200, (), html), Settings())
    >>> site = site_of(columns_of([batch_of([page])]), Settings())
    >>> topic = find_promises(site, split_titles(site), ()).topics[0]
    >>> topic.phrase, topic.fields
    ('violin hire', ('title', 'h1', 'address'))
    """
    anchors = _anchors(site)
    texts: dict[str, set[str]] = defaultdict(set)
    slugs = [address_words(page.url) for page in site.pages]
    for page, own, slug, anchor in zip(site.pages, titles.own, slugs, anchors, strict=True):
        texts[page.language].update((own, page.h1, slug, anchor))
    stemmer = Stemmer(generic)
    stemmer.learn(texts)
    return PagePromises(
        [
            topic_of(stemmer, page.language, {"title": own, "h1": page.h1, "address": slug, "links": anchor})
            for page, own, slug, anchor in zip(site.pages, titles.own, slugs, anchors, strict=True)
        ],
        stemmer,
    )


def address_words(url: str) -> str:
    """The words of an address: those of its last part that has letters.

    Examples
    --------
    >>> address_words("https://host.example/hire/violin-hire.html")
    'violin hire'
    """
    path = unquote(split_url(url).path)
    parts = [_FILE.sub("", part) for part in path.split("/") if part]
    named = next((part for part in reversed(parts) if any(map(str.isalpha, part)) and part.lower() != "index"), "")
    return re.sub(r"[-_.+]+", " ", named)


def _anchors(site: Site) -> list[str]:
    """For each page the text of the links to it that weighs most; on one page a text counts once."""
    links = site.links
    n_pages, n_anchors = len(site.pages), max(len(links.anchors), 1)
    kept = (site.link_targets >= 0) & (site.link_targets != links.page)
    named = site.link_targets[kept].astype(np.int64) * n_anchors + links.anchor[links.at[kept]]
    ends = distinct(named)
    at = np.searchsorted(ends, named)
    in_chrome = site.chrome_links[kept]
    weight = np.zeros(len(ends))
    for part, each in ((~in_chrome, 1.0), (in_chrome, _CHROME_WEIGHT)):
        once = distinct(at[part] * n_pages + links.page[kept][part])
        weight += each * np.bincount(once // n_pages, minlength=len(ends))
    is_said = np.array([has_words(anchor) for anchor in links.anchors], bool)
    weight[~is_said[ends % n_anchors]] = 0
    order = np.lexsort((ends, -weight, ends // n_anchors))
    first = order[np.flatnonzero(np.diff(ends[order] // n_anchors, prepend=-1))]
    result = [""] * n_pages
    for place in first[weight[first] > 0].tolist():
        result[ends[place] // n_anchors] = str(links.anchors[ends[place] % n_anchors])
    return result


def topic_of(stemmer: Stemmer, language: str, texts: Mapping[str, str]) -> Topic:
    """What one page promises.

    Parameters
    ----------
    stemmer : Stemmer
        Has learned the words of the texts.
    language : str
        ISO 639-1.
    texts : mapping of str to str
        What each of :data:`FIELDS` says.
    """
    fields = {}
    for name, text in texts.items():
        text_words = stemmer.words_of(text)
        fields[name] = _Field(text, text_words, stemmer.stems_of(text_words, language))
    source = fields["title"] if any(fields["title"].stems) else fields["h1"]
    said_by = {name: set(field.stems) for name, field in fields.items()}
    telling = frozenset(source.stems) - {""}
    agreed = [stem for stem in telling if sum(stem in stems for stems in said_by.values()) >= _LEAST_FIELDS]
    kept = frozenset(agreed) if 0 < len(agreed) < len(telling) else telling
    in_order = tuple(sorted(telling))
    return Topic(
        phrase=_phrase(source, kept),
        fields=_SAYING[tuple(name for name in FIELDS if kept and kept <= said_by[name])],
        ordered_stems=in_order if kept == telling else tuple(sorted(kept)),
        ordered_title_stems=in_order,
        anchor=texts["links"],
    )


def _phrase(source: _Field, kept: Collection[str]) -> str:
    """The shortest run of words that has all the stems; where that is long, the run of a few words that has most of them."""
    places = [place for place, stem in enumerate(source.stems) if stem in kept]
    if not places:
        return ""
    first, last = _shortest_run(source.stems, places, set(kept))
    if last - first >= _LONGEST:
        runs = [(at, max(place for place in places if place < at + _SHORT)) for at in places]
        first, last = max(runs, key=lambda run: (len(set(source.stems[run[0] : run[1] + 1]) & set(kept)), -run[0]))
    phrase = joined(source.words[first : last + 1])
    for version in _VERSION.findall(source.written):
        phrase = phrase.replace(version.replace(".", "-"), version)
    return phrase


def _shortest_run(stems: Sequence[str], places: Sequence[int], kept: Collection[str]) -> tuple[int, int]:
    """First and last place of the shortest run that has all the stems, which stand at these places."""
    best = places[0], places[-1]
    for first in places:
        missing = set(kept)
        for last in range(first, len(stems)):
            missing.discard(stems[last])
            if not missing:
                if last - first < best[1] - best[0]:
                    best = first, last
                break
    return best
