"""What is asked and not said: queries whose words the page shown for them does not hold, and queries that no page promises.

In:  the site, what its pages promise, which pages search shows for which queries.
Out: one row a query, in the columns of :data:`mardok.tables.UNANSWERED`.

A query is asked of the page that search shows most for it. A word is said if the title, the H1 or the main text has a form
of it; also as a part of a longer word in languages that write compounds in one, or joined or parted otherwise ("note book").
What is one letter from a word of the page, and stands nowhere on the site, is a slip of the searcher's. Where a page already
stands in front for a query, search has understood it, and nothing is told.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from functools import cached_property
from itertools import pairwise

import numpy as np
import pandas as pd

from mardok.compare.contention import Shown
from mardok.compare.demand import Demand
from mardok.compare.topics import PagePromises, address_words
from mardok.findings.facts import SiteFacts
from mardok.settings import Search
from mardok.tables import UNANSWERED
from mardok.text.site import Site
from mardok.text.stems import is_bare, plain_words, stems
from mardok.text.words import words
from mardok.vocabulary import Answer

_COMPOUNDING = frozenset(["da", "de", "fi", "hu", "nb", "nl", "nn", "no", "sv"])
"""Languages that write compounds as one word."""
_LEAST_PART = 4
"""Letters of a word that can be told as a part of a compound, or be a slip of another."""
_YEAR = re.compile(r"(?:19|20)\d\d")


def unanswered_table(
    site: Site,
    facts: SiteFacts,
    promises: PagePromises,
    is_compared: Collection[int],
    shown: Shown | None,
) -> pd.DataFrame:
    """The queries that are asked and not said; none without search data.

    Parameters
    ----------
    promises : PagePromises
        What each page promises to be about.
    is_compared : collection of int
        Rows of the pages that can promise something to searchers.
    shown : Shown or None
        Figures of each query and page.
    """
    demand, rules = facts.demand, facts.settings.search
    if shown is None or demand is None:
        return UNANSWERED.frame([])
    promising = _promising(site, promises, is_compared)
    of_site = SiteWords(site)
    rows = []
    for row, places in _asked(shown, demand, rules).items():
        language = site.pages[row].language
        said = SaidWords(of_site, row)
        asked = [demand.queries[shown.query[at]] for at in places]
        promises.stemmer.learn({language: asked})
        for at, query in zip(places, asked, strict=True):
            missing = said.missing(query)
            told = promises.stemmer.telling(query, language)
            is_promised = not told or any_has_all(promising, told)
            if missing or not is_promised:
                figures = (shown.impressions[at], shown.clicks[at], shown.position[at])
                promised = Answer.YES if is_promised else Answer.NO
                rows.append((query, site.pages[row].url, *map(float, figures), " ".join(missing), promised))
    return UNANSWERED.frame(rows)


def _asked(shown: Shown, demand: Demand, rules: Search) -> dict[int, list[int]]:
    """For each page where in `shown` the queries stand that it leads, and that are worth to be told."""
    total = np.bincount(shown.query, weights=shown.impressions, minlength=len(demand.queries))
    order = np.lexsort((shown.row, -shown.impressions, shown.query))
    leads = np.zeros(len(order), bool)
    leads[order[np.flatnonzero(np.diff(shown.query[order], prepend=-1))]] = True
    is_told = (
        leads
        & ~demand.is_brand[shown.query]
        & (total[shown.query] >= rules.unanswered_impressions)
        & (shown.position > rules.unanswered_position)
    )
    result: dict[int, list[int]] = defaultdict(list)
    for at in np.flatnonzero(is_told).tolist():
        result[int(shown.row[at])].append(at)
    return result


def _promising(site: Site, promises: PagePromises, is_compared: Collection[int]) -> dict[str, set[int]]:
    """For each stem the pages that promise it in their title, H1 or address."""
    result: dict[str, set[int]] = defaultdict(set)
    for row in is_compared:
        page, telling = site.pages[row], promises.stemmer.telling
        heads = telling(page.h1, page.language) | telling(address_words(page.url), page.language)
        for stem in promises.topics[row].title_stems | heads:
            result[stem].add(row)
    return result


def any_has_all(having: Mapping[str, Collection[int]], wanted: Collection[str]) -> bool:
    """Whether one and the same thing has all of some stems.

    Parameters
    ----------
    having : mapping of str to collection of int
        For each stem the things that have it.
    wanted : collection of str
        Stems; not empty.
    """
    sets = sorted((set(having.get(stem, ())) for stem in wanted), key=len)
    return bool(set.intersection(*sets))


class SiteWords:
    """The words of a site's main texts, and which of them are forms of one."""

    def __init__(self, site: Site) -> None:
        self.site = site
        self.hash_of = {word: number for number, word in site.corpus.vocabulary.items()}
        self._forms: dict[str, dict[str, list[int]]] = {}

    def forms(self, stem: str, language: str) -> Sequence[int]:
        """Hashes of the words of a stem in a language."""
        if language not in self._forms:
            known: dict[str, list[int]] = defaultdict(list)
            told = list(self.hash_of)
            for word, its in zip(told, stems(told, language), strict=True):
                known[its].append(self.hash_of[word])
            self._forms[language] = known
        return self._forms[language].get(stem, ())


class SaidWords:
    """The words that one page says, in its title, its H1 and its main text."""

    def __init__(self, of_site: SiteWords, row: int) -> None:
        page = of_site.site.pages[row]
        self._of_site, self._row, self._language = of_site, row, page.language
        self._heads = [words(text) for text in (page.title, page.h1)]
        self._head_stems = {stem for text in self._heads for stem in stems(text, page.language)}
        self._in_text = set(np.unique(of_site.site.corpus.words_of(row)).tolist())

    @cached_property
    def _texts(self) -> list[list[str]]:
        """Words of title, H1 and main text, in order."""
        corpus = self._of_site.site.corpus
        return [*self._heads, [corpus.vocabulary[word] for word in corpus.words_of(self._row).tolist()]]

    @cached_property
    def _words(self) -> set[str]:
        return {word for text in self._texts for word in text}

    @cached_property
    def _joined(self) -> set[str]:
        """Words that two neighbours would be if they were written as one."""
        return {a + b for text in self._texts for a, b in pairwise(text)}

    def missing(self, query: str) -> list[str]:
        """Words of a query that the page does not say, in their order, each once."""
        functions = plain_words(self._language)
        asked = words(query)
        told = [word for word in dict.fromkeys(asked) if word not in functions and not _says_nothing(word)]
        pairs = zip(told, stems(told, self._language), strict=True)
        lacking = [word for word, stem in pairs if not self._says_form(stem)]
        if not lacking:
            return []
        as_one = {one for a, b in pairwise(asked) if a + b in self._words for one in (a, b)}
        return [word for word in lacking if word not in as_one and not self._says_otherwise(word)]

    def _says_form(self, stem: str) -> bool:
        return stem in self._head_stems or any(form in self._in_text for form in self._of_site.forms(stem, self._language))

    def _says_otherwise(self, word: str) -> bool:
        """Whether the page says a word parted, as a part of a longer one, or the word is a slip of one of its own."""
        if word in self._joined:
            return True
        if self._language in _COMPOUNDING:
            ends = tuple(form for form in (word, *stems([word], self._language)) if len(form) >= _LEAST_PART)
            own = (*self._words, *stems(sorted(self._words), self._language))
            if any(one.startswith(ends) or one.endswith(ends) for one in own):
                return True
        return word not in self._of_site.hash_of and any(is_slip(word, one) for one in self._words)


def _says_nothing(word: str) -> bool:
    """Whether a word is a year, or a single letter."""
    return bool(_YEAR.fullmatch(word)) or (len(word) == 1 and is_bare(word) and not word.isdigit())


def is_slip(word: str, other: str) -> bool:
    """Whether two words of five letters or more are one letter apart: one more, one less, another, or two changed places.

    Examples
    --------
    >>> is_slip("vioiln", "violin"), is_slip("violins", "violin"), is_slip("viola", "violin"), is_slip("bows", "bow")
    (True, True, False, False)
    """
    if min(len(word), len(other)) <= _LEAST_PART or abs(len(word) - len(other)) > 1 or word == other:
        return False
    first = next((at for at, (a, b) in enumerate(zip(word, other, strict=False)) if a != b), min(len(word), len(other)))
    a, b = word[first:], other[first:]
    return a[1:] == b[1:] or a[1:] == b or a == b[1:] or (a[:2] == b[1::-1] and a[2:] == b[2:])


def unsaid_words(table: pd.DataFrame, most: int) -> dict[str, list[str]]:
    """For each page the words it is asked for and does not say, those of the queries with most impressions first.

    Parameters
    ----------
    table : DataFrame
        Rows of the table, in its order.
    most : int
        Words of a page.
    """
    result: dict[str, dict[str, None]] = defaultdict(dict)
    for url, missing in table[["url", "missing"]].itertuples(index=False, name=None):
        result[url] |= dict.fromkeys(missing.split())
    return {url: list(told)[:most] for url, told in result.items() if told}
