"""Titles taken apart into the page's part and the site's.

In:  the titles of all pages, the hosts, the names that pages give their site elsewhere.
Out: for each page both parts as written, and the names of the site.

A name stands at one end of many different titles of a language, behind one of the usual separators, beside parts that
differ. What ``og:site_name``, structured data or the host agree with needs no such number, and is known without a separator
too. The distinctive words of a name are those that the site does not use for what it offers: neither in its other titles,
nor in its texts without a capital; those that the host is called by come before others.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from sys import intern

import numpy as np

from mardok.extract.language import function_words
from mardok.text.hashes import word_hashes
from mardok.text.site import Site
from mardok.text.words import words
from mardok.urls import split_url

_SEPARATOR = re.compile(r"\s+[|\u2013\u2014\u00b7\u2022\u00bb\u203a\u00ab>:~/\-]+\s+|:\s+|\s*\|\s*|\s*\uff5c\s*")
_NUMBERING = re.compile(
    r"(?:(?:(?:Chapter|Appendix|Part|Section|Kapitel|Anhang|Teil)\s+)?(?:[A-Z]|\d{1,3})(?:\.\d{1,3})*[.)]\s+)+"
)
"""Numbers of chapters and sections before a title: they promise nothing."""
_LEAST_SHARE = 0.3
_LEAST_PAGES = 3
_LEAST_VARIETY = 0.5
"""Different parts beside a name, for each title that carries it."""
_LONGEST_NAME = 6
_GENERIC_SHARE = 0.01
"""Titles that use a word of the site's name, from which the word tells what the site offers and not who it is."""
_HOST_WORD = 3
_COMMON_SHARE = 0.03
"""Share of pages whose text uses the word without a capital, from which that is so."""
_MOST_LOOKED_AT = 2000
"""Pages whose text is searched for it."""


@dataclass(frozen=True)
class Titles:
    """The titles of a site; sequences have one entry a page."""

    own: Sequence[str]
    """The page's part, as written; ``""`` if the title says nothing but the site's name."""
    site: Sequence[str]
    """The site's part, as written; ``""`` if there is none."""
    names: Mapping[str, Sequence[str]]
    """Names of the site in the titles of each language, the commonest first."""
    distinctive: Mapping[str, frozenset[str]]
    """Of each name the words that only the name has; none if it is made of words that say what the site offers."""

    @property
    def all_names(self) -> list[str]:
        """Names of the site in all languages, each once."""
        return list(dict.fromkeys(name for names in self.names.values() for name in names))


def split_titles(site: Site) -> Titles:
    """Take the titles of all pages apart."""
    names = _site_names(site)
    known = {language: [letters_of(name) for name in result] for language, result in names.items()}
    parts = [split_title(page.title, known.get(page.language, ())) for page in site.pages]
    own = [part for part, _ in parts]
    stated = {name for result in names.values() for name in result}
    distinctive = {name: _distinctive_words(name, own, site) for name in sorted(stated)}
    return Titles(own, [intern(named) for _, named in parts], names, distinctive)


def title_parts(title: str) -> list[str]:
    """A title without the numbering before it, cut at its separators.

    Examples
    --------
    >>> title_parts("3.2. Bows: how to hold one | Wyndale")
    ['Bows', 'how to hold one', 'Wyndale']
    """
    numbering = _NUMBERING.match(title)
    return [part for part in _SEPARATOR.split(title[numbering.end() :] if numbering else title) if part]


def letters_of(text: str) -> str:
    """The letters of a text, by which names are compared."""
    return "".join(words(text)).replace("-", "").replace("'", "")


def _site_names(site: Site) -> dict[str, list[str]]:
    """Names of the site by language."""
    titles: dict[str, set[str]] = defaultdict(set)  # copies of a page say nothing more of its name
    text_words: Counter[str] = Counter()
    hosts: Counter[str] = Counter()
    for page in site.pages:
        if page.title:
            titles[page.language].add(page.title)
        text_words.update(page.signs.site_names)
        hosts[split_url(page.url).netloc] += 1
    vouched = {letters_of(name) for name in text_words} | {_hostletters_of(host) for host, _ in hosts.most_common(8)}
    vouched.discard("")
    return {
        language: _names_of([title_parts(title) for title in sorted(different)], vouched)
        for language, different in titles.items()
    }


def _hostletters_of(host: str) -> str:
    """The letters of a host's own name, such as ``wyndaleviolins`` of ``www.wyndale-violins.example``."""
    labels = host.partition(":")[0].removeprefix("www.").split(".")
    return letters_of(labels[0] if len(labels) < 3 else max(labels[:-1], key=len))


def _names_of(titles: Sequence[Sequence[str]], vouched: Iterable[str]) -> list[str]:
    """Names in the titles of one language, the commonest first."""
    vouched = set(vouched)
    counts: Counter[str] = Counter()
    beside: dict[str, set[str]] = defaultdict(set)
    written: dict[str, Counter[str]] = defaultdict(Counter)
    for parts in titles:
        ends = {letters_of(part): part for part in ((parts[0], parts[-1]) if len(parts) > 1 else ())}
        for letters, part in ends.items():
            counts[letters] += 1
            written[letters][part] += 1
            beside[letters].add(" ".join(other for other in parts if other != part))
    least = max(_LEAST_PAGES, _LEAST_SHARE * len(titles))
    result = {
        letters: n
        for letters, n in counts.items()
        if letters and ((n >= least and len(beside[letters]) >= _LEAST_VARIETY * n) or letters in vouched)
    }
    whole = set(result)
    for parts in titles:  # a name that stands there without a separator
        ended = _vouched_end(parts[-1], vouched) if parts and letters_of(parts[-1]) not in whole else ""
        if ended:
            letters = letters_of(ended)
            result[letters] = result.get(letters, 0) + 1
            written[letters][ended] += 1
    most = sorted(result, key=lambda letters: (-result[letters], letters))
    return [min(written[letters], key=lambda text: (-written[letters][text], text)) for letters in most]


def _vouched_end(part: str, vouched: Iterable[str]) -> str:
    """The last words of a longer text if they are a name that others vouch for."""
    pieces = part.split()
    for n in range(1, min(_LONGEST_NAME, len(pieces) - 1) + 1):
        if letters_of(" ".join(pieces[-n:])) in vouched:
            return " ".join(pieces[-n:])
    return ""


def split_title(title: str, names: Sequence[str]) -> tuple[str, str]:
    """The page's part of a title and the site's.

    Parameters
    ----------
    names : sequence of str
        Names of the site, by their letters.

    Examples
    --------
    >>> split_title("Violin hire | Wyndale Violins", [letters_of("Wyndale Violins")])
    ('Violin hire', 'Wyndale Violins')
    """
    parts = title_parts(title)
    own: list[str] = []
    named: list[str] = []
    for place, part in enumerate(parts):
        is_end = place in (0, len(parts) - 1)
        (named if is_end and letters_of(part) in names else own).append(part)
    if own and not named:
        ended = _vouched_end(own[-1], names)
        if ended:
            own[-1] = own[-1][: -len(ended)].rstrip()
            named.append(ended)
    return " ".join(own), " ".join(dict.fromkeys(named))


def _distinctive_words(name: str, own_titles: Sequence[str], site: Site) -> frozenset[str]:
    """Words of a site's name that its pages do not use for what they offer; none if the name is a generic phrase."""
    text_words = list(dict.fromkeys(words(name)))
    plain = (function_words(site.pages[0].language) if site.pages else None) or ()
    used = Counter(word for title in own_titles for word in set(words(title)))
    most = max(_LEAST_PAGES, _GENERIC_SHARE * len(own_titles))
    apart = [word for word in text_words if used[word] < most and word not in plain]
    if len(text_words) > 1:
        usual = max(_LEAST_PAGES, _COMMON_SHARE * len(site.pages))
        apart = [word for word in apart if _pages_with_plain(word, site) < usual]
    host = _hostletters_of(Counter(split_url(page.url).netloc for page in site.pages).most_common(1)[0][0])
    in_host = [word for word in text_words if len(word) >= _HOST_WORD and word in host]
    # Where none is left, common words that the host is called by name the site together, such as "long" and "furrow".
    return frozenset(set(apart) & set(in_host) or apart or in_host)


def _pages_with_plain(word: str, site: Site) -> int:
    """Pages whose text has a word without a capital: as a word of the language, and not as a name."""
    places = np.flatnonzero(site.corpus.words == word_hashes([word])[0][0])
    rows = np.unique(np.searchsorted(site.corpus.offsets, places, side="right") - 1)
    result = re.compile(rf"(?<!\w){re.escape(word)}(?!\w)")
    return sum(result.search(site.main_text(row)) is not None for row in rows[:_MOST_LOOKED_AT].tolist())
