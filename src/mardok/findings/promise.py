"""Whether two copies promise the same thing, by their titles.

In:  titles and texts of pages whose texts are copies.
Out: for two pages what each promises that the other does not, if anything.

"Violin hire in Aldmoor" and "Violin hire in Brackwell" are one pattern with a slot: each page promises another town, even
if the text below is the same. "Cleaning a violin" and "How to clean your violin" promise the same. Two titles promise
different things

- if they differ in words with digits in them (a size, a model), unless the year is all they differ in: a text that comes
  out every year belongs on one lasting address;
- if each page says the words that only its own title has in its running text, and none of the other's;
- if three pages or more fill one pattern, each in its own way.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass

from mardok.compare.titles import Titles
from mardok.extract.language import function_words
from mardok.text.site import Site
from mardok.text.words import folded, words

_SERIES_PAGES = 3
_LONG_SLOT = 4
_TELLING_WORDS = 2
"""Words that a pattern with a long slot needs beside it."""
_YEAR = re.compile(r"(?:19|20)\d\d")


@dataclass(frozen=True)
class Promise:
    """What a page promises, as far as copies must be told apart."""

    shown: str
    """The page's part of the title as written; the H1 if there is no title."""
    title: tuple[str, ...]
    """Its words."""
    text: frozenset[str]
    """Words of the main text below the headings."""
    plain: frozenset[str]
    """Function words of the language: they promise nothing."""

    def only_here(self, other: Promise) -> tuple[str, ...]:
        """Words of the title that the other's title does not have, without function words."""
        return tuple(word for word in self.title if word not in other.title and word not in self.plain)


def promises(site: Site, titles: Titles, rows: Iterable[int]) -> dict[int, Promise]:
    """What each of the pages promises.

    Parameters
    ----------
    titles : Titles
        Titles taken apart into the page's part and the site's.
    rows : iterable of int
        Pages that are asked about.
    """
    result = {}
    for row in rows:
        page = site.pages[row]
        title = titles.own[row] or page.h1
        result[row] = Promise(
            title,
            tuple(words(title)),
            frozenset(word for text in site.running_text(row) for word in words(text)),
            function_words(page.language) or frozenset(),
        )
    return result


def promise_different_things(a: Promise, b: Promise, series: Collection[tuple[str, ...]] = ()) -> bool:
    """Whether two copies promise different things, by the rules above.

    Parameters
    ----------
    a, b : Promise
        Of two pages whose texts are copies.
    series : collection of tuple of str
        Patterns as :func:`series_patterns` finds them.
    """
    only_a, only_b = a.only_here(b), b.only_here(a)
    numbers = [word for word in only_a + only_b if any(letter.isdigit() for letter in word)]
    if numbers:
        return not all(_YEAR.fullmatch(word) for word in only_a + only_b)
    if only_a and only_b and _says_its_own(only_a, a, b) and _says_its_own(only_b, b, a):
        return True
    pattern = pattern_of(a.title, b.title, a.plain)
    return pattern is not None and pattern in series


def _says_its_own(own: Sequence[str], here: Promise, there: Promise) -> bool:
    return all(word in here.text and word not in there.text for word in own)


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
    return frozenset(pattern for pattern, titles in fillings.items() if len(titles) >= _SERIES_PAGES)
