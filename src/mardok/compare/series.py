"""Pages built on one title pattern in which one slot changes: places, sizes, models, numbers, dates.

In:  the page's part of each title.
Out: series with their pattern, and what each page fills the slot with.

Every run of words in a title is tried as the slot; a pattern counts below one folder of addresses, so that titles that are
alike by chance are no series. A page belongs to the largest series it fits.
"""

from __future__ import annotations

from array import array
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import compress

import numpy as np
from numpy.typing import NDArray

from mardok.text.site import Site
from mardok.text.stems import plain_words
from mardok.text.words import words

_LEAST_PAGES = 3
_LONGEST_TITLE = 14
_LEAST_TELLING = 2
"""Words of a pattern that promise something: "... violin" is no pattern, "violin hire in ..." is one."""

Pattern = tuple[str, ...]


@dataclass(frozen=True)
class Series:
    """Pages that follow one pattern."""

    pattern: str
    """The pattern with ``...`` for its slot."""
    slots: dict[int, str]
    """What each page, by row, fills it with."""


def find_series(site: Site, own_titles: Sequence[str], rows: Iterable[int]) -> list[Series]:
    """Series among some pages, in the order of their first pages.

    Parameters
    ----------
    own_titles : sequence of str
        The page's part of each title; the H1 stands in for one that is missing.

    Examples
    --------
    >>> from mardok.extract.batch import batch_of
    >>> from mardok.extract.extraction import extract_page
    >>> from mardok.settings import Settings
    >>> from mardok.sources.raw import RawPage
    >>> from mardok.text.columns import columns_of
    >>> from mardok.text.site import site_of
    >>> towns = ["Aldmoor", "Brannoc", "Cary", "Dunholt"]
    >>> html = b"<title>Violin hire in %s</title><p>Hire a violin."
    >>> raws = [RawPage(f"https://host.example/{t}", "list", 200, (), html % t.encode()) for t in towns]
    >>> site = site_of(columns_of([batch_of(extract_page(raw, Settings()) for raw in raws)]), Settings())
    >>> [(one.pattern, one.slots) for one in find_series(site, [page.title for page in site.pages], range(4))]
    [('violin hire in ...', {0: 'aldmoor', 1: 'brannoc', 2: 'cary', 3: 'dunholt'})]
    """
    text_words = {row: words(own_titles[row] or site.pages[row].h1) for row in rows}

    def folder_of(row: int) -> str:
        return site.pages[row].url.rstrip("/").rpartition("/")[0]

    # What follows a pattern begins or ends like it: most titles need not be looked at any closer.
    begins, ends = (
        _recur(array("q", (hash((folder_of(row), tuple(title[part]))) for row, title in text_words.items())))
        for part in (slice(1), slice(-1, None))
    )

    def stated(at: int, row: int) -> Iterator[tuple[tuple[str, Pattern], str]]:
        folder, plain = folder_of(row), plain_words(site.pages[row].language)
        its = _patterns(text_words[row], plain, begins=bool(begins[at]), ends=bool(ends[at]))
        return (((folder, pattern), slot) for pattern, slot in its)

    # Most patterns are those of one page: they are counted by their hashes first, and never kept.
    hashes, bounds = array("q"), [0]
    for at, row in enumerate(text_words):
        hashes.extend(hash(key) for key, _ in stated(at, row))
        bounds.append(len(hashes))
    is_recurring = _recur(hashes)
    pages_of: dict[tuple[str, Pattern], dict[int, str]] = defaultdict(dict)
    for at, row in enumerate(text_words):
        own = is_recurring[bounds[at] : bounds[at + 1]]
        if own.any():
            for key, slot in compress(stated(at, row), own.tolist()):
                pages_of[key][row] = slot
    several = [item for item in pages_of.items() if len(item[1]) >= _LEAST_PAGES]
    result, selected = [], set[int]()
    for (_, pattern), slots in sorted(several, key=lambda item: (-len(item[1]), -len(item[0][1]), item[0])):
        free = {row: slot for row, slot in slots.items() if row not in selected}
        if len(set(free.values())) >= _LEAST_PAGES:
            result.append(Series(" ".join(pattern), free))
            selected.update(free)
    return sorted(result, key=lambda series: min(series.slots))


def _recur(hashes: array[int]) -> NDArray[np.bool_]:
    """Whether as many things have each hash as a series has pages."""
    _, number, n_pages = np.unique(np.array(hashes, np.int64), return_inverse=True, return_counts=True)
    return np.asarray((n_pages >= _LEAST_PAGES)[number])


def _patterns(title: Sequence[str], plain: Collection[str], *, begins: bool, ends: bool) -> Iterable[tuple[Pattern, str]]:
    """All patterns a title may follow, and what it fills the slot with.

    Parameters
    ----------
    begins, ends : bool
        Whether patterns are wanted that begin, and that end, with a word of the title.
    """
    if len(title) > _LONGEST_TITLE:
        return
    telling = [word not in plain or any(map(str.isdigit, word)) for word in title]
    total = sum(telling)
    for first in range(len(title) if begins else min(len(title), 1)):
        in_slot = 0
        for last in range(first, len(title)):
            in_slot += telling[last]
            if in_slot and total - in_slot >= _LEAST_TELLING and (ends or last == len(title) - 1):
                yield (*title[:first], "...", *title[last + 1 :]), " ".join(title[first : last + 1])
