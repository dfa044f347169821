"""Which page may have taken the place of an address that answers with an error.

In:  such addresses, the words of links to them, and the pages that answer.
Out: for each the page whose address, title and H1 say nearly all that the old address or its links say; a suggestion, no
     more.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from mardok.text.site import Site
from mardok.text.words import words
from mardok.urls import split_url

_LEAST_SHARE = 0.6
"""Share of the old words, by their weight, that a page must have to be suggested."""
_EXTENSIONS = frozenset({"html", "htm", "php", "asp", "aspx", "index"})


def right_targets(
    site: Site, is_indexable: NDArray[np.bool_], generic: Iterable[str], asked: Mapping[str, Sequence[str]]
) -> dict[str, str]:
    """Pages that may have taken the place of addresses; those for which none, or more than one, speaks are left out.

    Words weigh the more the fewer pages have them (inverse document frequency; Spärck Jones 1972).

    Parameters
    ----------
    is_indexable : ndarray of bool, shape (n_pages,)
        Pages that may be suggested.
    generic : iterable of str
        Wordings that tell no page from another, such as "read more".
    asked : mapping of str to sequence of str
        Addresses that answer with an error, each with the words of links to it.
    """
    empty = {word for text in generic for word in words(text)}
    said = {
        url: [
            _address_words(url) - empty,
            {word for anchor in anchors for word in words(anchor)} - empty,
        ]
        for url, anchors in asked.items()
    }
    wanted = {word for both in said.values() for one in both for word in one}
    having: dict[str, list[int]] = defaultdict(list)
    n_words: dict[int, int] = {}
    rows = np.flatnonzero(is_indexable).tolist() if wanted else []
    for row in rows:
        page = site.pages[row]
        own = _address_words(page.url) | set(words(f"{page.title} {page.h1}"))
        found = own & wanted
        if found:
            n_words[row] = len(own)
            for word in found:
                having[word].append(row)
    result = {}
    for url, both in said.items():
        best = [row for one in both for row in _saying(one, having, n_words, len(rows)) if site.pages[row].url != url]
        if best:
            result[url] = site.pages[best[0]].url
    return result


def _saying(said: set[str], having: Mapping[str, Sequence[int]], n_words: Mapping[int, int], n_pages: int) -> list[int]:
    """The page that says nearly all of some words, and least beside them; none if two say as much."""
    weight = {word: math.log1p(n_pages / len(having[word])) for word in said if word in having}
    # A word that no page has is as telling as one that a single page has.
    total = math.fsum(weight.values()) + math.log1p(n_pages) * (len(said) - len(weight))
    score: dict[int, float] = defaultdict(float)
    for word in sorted(weight):
        for row in having[word]:
            score[row] += weight[word]
    fitting = [row for row, value in score.items() if value >= _LEAST_SHARE * total > 0]
    order = sorted((round(-score[row], 9), n_words[row], row) for row in fitting)
    if not order or (len(order) > 1 and order[0][:2] == order[1][:2]):
        return []
    return [order[0][2]]


def _address_words(url: str) -> set[str]:
    path = unquote(split_url(url).path, errors="replace").replace("-", " ").replace("_", " ")
    return set(words(path)) - _EXTENSIONS
