"""Whether two pages promise the same thing.

In:  titles, headings, addresses and texts of two pages whose texts have much in common.
Out: for two pages whether each promises something that the other does not.

"Violin hire in Aldmoor" and "Violin hire in Brackwell" are one pattern with a slot: each page promises another town, even
if the text below is the same. "Cleaning a violin" and "How to clean your violin" promise the same. What counts are the words
of title and H1 by their stems, without function words, the site's name, generic words, years and counters such as "page 2".
Of these, words that only one of two pages has are its own. The first rule that holds decides:

- a word that turns the sense ("not", "without", "nicht") stands in one title and not in the other, and the titles have other
  words in common: they differ; so do those of a pattern that three pages or more fill, each in its own way;
- words of the titles end on different signs, as in "operator+" and "operator-", or the titles hold different names with
  signs within them, as "set" and "sg_set": they differ;
- both have their own numbers, or words with digits in them (a size, a model), or one has and its text says it: they differ;
- each has a word of its own that its running text says and the other page nowhere, or that only its opening says: they
  differ; where one title has all words of the other, one such word is enough;
- of two products the names differ, too, if the text below was pasted and says neither;
- titles differ whose own words are names, written with capitals within a title that has none else;
- where title and H1 are equal, the addresses decide in the same way: by words that the text says.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from urllib.parse import unquote

import numpy as np

from mardok.compare.demand import Demand
from mardok.compare.titles import Titles
from mardok.findings.kinds import PageKinds
from mardok.text.number_words import NUMBER_WORDS, is_number
from mardok.text.site import Site
from mardok.text.stems import plain_words, stems
from mardok.text.words import folded, folded_line, words
from mardok.urls import split_url
from mardok.vocabulary import PageKind

SERIES_PAGES = 3
"""Pages of one pattern that make a series."""
_LONG_SLOT = 4
_SIGNS = re.compile(r"(?<=\w)[^\w\s.,:;!?'\"\u2018\u2019\u201d)\]}\u2013\u2014\u2026|-]+(?=\s|$)|(?<=\w)-+(?=\s|$)")
"""Signs that a word ends on and that are no punctuation, as in ``operator+`` or ``C#``."""
_IDENTIFIER = re.compile(r"(?<!\w)[^\W\d_]\w*(?:(?:_+|\.|::)\w+)+")
"""Names with signs within them, such as of commands and functions: one letter more is another thing."""
_OPENING_WORDS = 60
"""Words in which a text says what it is about; further down pages speak of their neighbours, too."""
_TELLING_WORDS = 2
"""Words that a pattern with a long slot needs beside it."""
_MOST_KNOWN = 1 << 13
"""Pages whose promises are remembered: each holds the words of its page, some 15 KB."""
_YEAR = re.compile(r"(?:19|20)\d\d")
_COUNTER = re.compile(r"\b(?:page|seite|pagina|página)\s+\d+(?:\s*(?:of|/|von|de|di)\s*\d+)?|\(\d+\)\s*$", re.IGNORECASE)
TURNING = frozenset(
    (
        "not no without never nor non except nicht kein keine keinen ohne nie außer pas sans jamais sauf sin nunca salvo "
        "senza mai niet geen zonder nooit sem não"
    )
    .casefold()
    .split()
)
"""Words by which a sentence says the contrary."""


@dataclass(frozen=True)
class Promise:
    """What a page promises, as far as it must be told from others."""

    shown: str
    """The page's part of the title as written; the H1 if there is no title."""
    title: tuple[str, ...]
    """Its words."""
    text: frozenset[str]
    """Words of the main text below the headings."""
    plain: frozenset[str]
    """Words that promise nothing: function words and generic ones."""
    language: str = ""
    h1: str = ""
    """As written; ``""`` where it says what the title says."""
    headings: frozenset[str] = frozenset()
    """Words of the headings in the main text."""
    address: tuple[str, ...] = ()
    """Words of the path."""
    n_alike: int = 1
    """Pages of the site with the same title and H1."""
    opening: frozenset[str] = frozenset()
    """Words that the running text begins with."""
    is_product: bool = False
    """Whether the page is there for one thing on offer."""
    text_hash: str = field(default="", compare=False)
    """Equal for pages whose main texts are the same word for word; ``""`` where nothing is known."""

    @cached_property
    def stem_of(self) -> Mapping[str, str]:
        """Stem of each word that title and H1 promise."""
        h1 = words(_COUNTER.sub(" ", self.h1))
        stated = [word for word in (*self.title, *h1) if word not in self.plain and not _YEAR.fullmatch(word)]
        return dict(zip(stated, stems(stated, self.language), strict=True))

    @cached_property
    def turning(self) -> frozenset[str]:
        """Words of title and H1 that turn the sense."""
        return TURNING & {*self.title, *words(self.h1)}

    @cached_property
    def identifiers(self) -> frozenset[str]:
        """Names with signs within them, in title and H1."""
        return frozenset(_IDENTIFIER.findall(folded(f"{self.shown} {self.h1}")))

    @cached_property
    def names(self) -> frozenset[str]:
        """Words of the title that are written as names, in a title whose other words are not."""
        pieces = [piece for piece in re.findall(r"\w[\w'\u2019-]*", self.shown) if folded(piece) not in self.plain]
        capital = [piece[0].isupper() for piece in pieces]
        if len(pieces) < _TELLING_WORDS or all(capital[1:]):
            return frozenset()
        return frozenset(folded(piece) for piece, is_capital in zip(pieces[1:], capital[1:], strict=True) if is_capital)

    def only_here(self, other: Promise) -> tuple[str, ...]:
        """Words of the title that the other's title does not have, without those that promise nothing."""
        return tuple(word for word in self.title if word not in other.title and word not in self.plain)

    def own(self, other: Promise) -> frozenset[str]:
        """Words that only this page promises, by their stems."""
        there = set(other.stem_of.values())
        return frozenset(word for word, stem in self.stem_of.items() if stem not in there)

    def says_its_own(self, own: Iterable[str], other: Promise) -> bool:
        """Whether the running text says one of the words and the other page says it nowhere, or not where it begins."""
        return any(
            (word in self.text and word not in other.text and word not in other.headings)
            or (word in self.opening and word not in other.opening)
            for word in own
        )


class Promises(Mapping[int, Promise]):
    """What each page of a site promises, by its row; found out when it is asked for."""

    def __init__(self, site: Site, titles: Titles, kinds: PageKinds, generic: Collection[str] = ()) -> None:
        self._site, self._titles, self._kinds = site, titles, kinds
        self._alike = Counter(map(self._heads, (row for row, page in enumerate(site.pages) if page.is_html)))
        self._common = frozenset(generic) | {word for name in titles.distinctive.values() for word in name}
        self._plain: dict[str, frozenset[str]] = {}
        """Words that promise nothing, by language: a thousand, which all pages of it share."""
        is_heading = site.blocks.where(lambda context: bool(context.level))
        self._is_heading = is_heading[site.blocks.at[site.main_places]]
        self._known: dict[int, Promise] = {}

    def __getitem__(self, row: int) -> Promise:
        known = self._known.get(row)
        if known is None:
            if len(self._known) >= _MOST_KNOWN:
                self._known.clear()
            known = self._known[row] = self._promise(row)
        return known

    def __iter__(self) -> Iterator[int]:
        return iter(range(len(self._site.pages)))

    def __len__(self) -> int:
        return len(self._site.pages)

    def _promise(self, row: int) -> Promise:
        page, titles, language = self._site.pages[row], self._titles, self._site.pages[row].language
        title = titles.own[row] or page.h1
        in_order, headings = self._words(row)
        return Promise(
            title,
            tuple(words(_COUNTER.sub(" ", title))),
            frozenset(in_order),
            self._plain_in(language),
            language,
            page.h1 if page.h1 != title else "",
            headings.difference(in_order),
            tuple(words(re.sub(r"[-_.+/]+", " ", unquote(split_url(page.url).path)))),
            self._alike[self._heads(row)],
            frozenset(in_order[:_OPENING_WORDS]),
            self._kinds.kind[row] == PageKind.PRODUCT,
            self._site.text_hashes[row],
        )

    def _plain_in(self, language: str) -> frozenset[str]:
        if language not in self._plain:
            self._plain[language] = (plain_words(language) | self._common) - NUMBER_WORDS
        return self._plain[language]

    def _words(self, row: int) -> tuple[list[str], frozenset[str]]:
        """Words of a page's running text, in order; and those of its headings."""
        corpus = self._site.corpus
        first, end = corpus.first_blocks[row : row + 2]
        places = np.arange(corpus.offsets[row], corpus.offsets[row + 1])
        lengths = np.diff(corpus.block_offsets[first : end + 1])
        in_heading = np.repeat(self._is_heading[first:end], lengths)
        running, heads = (
            [corpus.vocabulary[word] for word in corpus.words[places[which]].tolist()] for which in (~in_heading, in_heading)
        )
        return running, frozenset(heads)

    def _heads(self, row: int) -> tuple[str, str]:
        return folded_line(self._titles.own[row]), folded_line(self._site.pages[row].h1)


def is_common_title(a: Promise, b: Promise, n_copies: int) -> bool:
    """Whether two pages have a title that more pages have than are copies of them: then it says nothing of any.

    Parameters
    ----------
    n_copies : int
        Pages that hang together by copies, these two among them.
    """
    return a.title == b.title and a.h1 == b.h1 and a.n_alike > max(n_copies, 2)


def promise_different_things(a: Promise, b: Promise, series: Collection[tuple[str, ...]] = ()) -> bool:
    """Whether two pages promise different things, by the rules above.

    Parameters
    ----------
    a, b : Promise
        Of two pages whose texts have much in common.
    series : collection of tuple of str
        Patterns as :func:`series_patterns` finds them.
    """
    if a.turning != b.turning and set(a.stem_of.values()) & set(b.stem_of.values()):
        return True
    pattern = pattern_of(a.title, b.title, a.plain)
    if pattern is not None and pattern in series:
        return True
    if _SIGNS.findall(a.shown) != _SIGNS.findall(b.shown) or a.identifiers != b.identifiers:
        return True
    own_a, own_b = a.own(b), b.own(a)
    if not own_a and not own_b:
        return _addresses_differ(a, b)
    numbers_a, numbers_b = (
        {word for word in own if is_number(word) or any(map(str.isdigit, word))} for own in (own_a, own_b)
    )
    if (numbers_a and numbers_b) or a.says_its_own(numbers_a, b) or b.says_its_own(numbers_b, a):
        return True
    if not own_a or not own_b:
        return a.says_its_own(own_a, b) or b.says_its_own(own_b, a)
    if a.says_its_own(own_a, b) and b.says_its_own(own_b, a):
        return True
    if a.is_product and b.is_product and not (own_a & b.text or own_b & a.text):
        return True
    return bool(own_a & a.names and own_b & b.names)


def _addresses_differ(a: Promise, b: Promise) -> bool:
    """Whether each address has a word that its page says and the other page does not; of one with a digit one is enough."""
    if a.title != b.title or words(a.h1) != words(b.h1):
        return False
    own_a, own_b = ([word for word in one.address if word not in other.address] for one, other in ((a, b), (b, a)))
    if a.says_its_own(own_a, b) and b.says_its_own(own_b, a):
        return True
    return any(
        one.says_its_own([word for word in own if any(map(str.isdigit, word)) and not _YEAR.fullmatch(word)], other)
        for one, other, own in ((a, b, own_a), (b, a, own_b))
    )


def asked_for_each(promises: Mapping[int, Promise], demand: Demand, least: float) -> bool:
    """Whether searchers ask for each of two pages by what only it promises.

    Parameters
    ----------
    promises : mapping of int to Promise
        Of two pages, by row.
    demand : Demand
        Search data.
    least : float
        Impressions a month from which a page is asked for.
    """
    (a, one), (b, other) = promises.items()
    own = {a: one.own(other), b: other.own(one)}
    if not own[a] or not own[b]:
        return False
    for row, others in ((a, own[b]), (b, own[a])):
        rows = demand.of([row])
        asking = 0.0
        for query in set(rows.query.tolist()):
            stated = set(words(demand.queries[query]))
            if stated & own[row] and not stated & others:
                asking += float(rows.impressions[rows.query == query].sum())
        if asking / demand.months < least:
            return False
    return True


def pattern_of(a: Sequence[str], b: Sequence[str], plain: Collection[str] = ()) -> tuple[str, ...] | None:
    """Two titles' common words with ``...`` for the slot in which they differ; None if they share no such pattern.

    Parameters
    ----------
    a, b : sequence of str
        Words of the two titles.
    plain : collection of str
        Function words, which make no pattern.

    Examples
    --------
    >>> pattern_of("violin hire in aldmoor".split(), "violin hire in st brannoc".split())
    ('violin', 'hire', 'in', '...')
    """
    head, tail = _common_ends(a, b)
    common = (*a[:head], *a[len(a) - tail :])
    if head + tail == min(len(a), len(b)):
        return None
    # One word in common is no pattern where nearly all of the titles differ.
    is_long = max(len(a), len(b)) - head - tail > _LONG_SLOT
    telling = len(set(common) - set(plain))
    return (*a[:head], "...", *a[len(a) - tail :]) if telling >= (_TELLING_WORDS if is_long else 1) else None


def _common_ends(a: Sequence[str], b: Sequence[str]) -> tuple[int, int]:
    """How many words two titles begin with and end with in common, without counting one twice."""
    shortest = min(len(a), len(b))
    head = next((k for k in range(shortest) if a[k] != b[k]), shortest)
    tail = next((k for k in range(shortest - head) if a[-1 - k] != b[-1 - k]), shortest - head)
    return head, tail


def shown_slot(promise: Promise, other: Promise) -> tuple[str, str]:
    """The pattern of two titles and what the first has in its slot, as written.

    If they follow no pattern, the pattern is ``""`` and the slot holds the words that only the first title has.
    """
    if pattern_of(promise.title, other.title, promise.plain) is None:
        return "", " ".join(promise.only_here(other))
    pieces, others = promise.shown.split(), other.shown.split()
    head, tail = _common_ends([folded(piece) for piece in pieces], [folded(piece) for piece in others])
    end = len(pieces) - tail
    return " ".join([*pieces[:head], "...", *pieces[end:]]), " ".join(pieces[head:end])


def series_patterns(pairs: Iterable[tuple[Promise, Promise]]) -> frozenset[tuple[str, ...]]:
    """Patterns that three or more of the pages fill, each in its own way."""
    fillings: dict[tuple[str, ...], set[tuple[str, ...]]] = defaultdict(set)
    for a, b in pairs:
        pattern = pattern_of(a.title, b.title, a.plain)
        if pattern is not None:
            fillings[pattern] |= {a.title, b.title}
    return frozenset(pattern for pattern, titles in fillings.items() if len(titles) >= SERIES_PAGES)
